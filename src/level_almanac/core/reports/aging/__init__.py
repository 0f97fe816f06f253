"""Open amounts by age."""

from level_almanac.core.reports.definition import Report, Tracing

REPORT = Report(
    package=__name__,
    name="aging",
    help="Open amounts of suppliers or customers by age, on any day.",
    about="""What was applied after the day does not count. Payments and credits that settle
nothing yet stand in a column of their own, inside each total.""",
    examples=(
        "aging receivable",
        "aging payable --period 2026-P03 --top 10",
        "aging receivable --as-of 2025-09-30 --buckets 14,30,60 --age-by date",
    ),
    request="report:AgingRequest",
    make="report:aging",
    tracing=Tracing(
        code="trace:aging_trace",
        help="The documents behind a figure of an aging.",
        example="aging payable --row V017 --column over-90",
    ),
    instead=dict.fromkeys(("from", "through", "before"), "an age is as of one day: say --as-of DAY"),
)
