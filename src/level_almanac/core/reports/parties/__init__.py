"""Totals per supplier or customer."""

from level_almanac.core.reports.definition import Report, Tracing

REPORT = Report(
    package=__name__,
    name="parties",
    help="Totals per supplier or customer, past thresholds or not.",
    about="""Covers the fiscal year to date, or the period, quarter, year or days
asked for. Limits are on a party's total, after the conditions, never
on its single documents.""",
    examples=(
        "parties payable --year 2025 --on paid --over 7500",
        'parties payable --year 2025 --on paid --over 7500 --except "kind is payment and reference is blank"',
        'parties receivable --quarter 2026-Q2 --show "invoiced, paid, open, overdue" --sort overdue',
    ),
    request="report:PartiesRequest",
    make="report:parties",
    tracing=Tracing(
        code="trace:parties_trace",
        help="The documents behind a party's total.",
        example="parties payable --year 2025 --row V007 --column paid",
    ),
)
