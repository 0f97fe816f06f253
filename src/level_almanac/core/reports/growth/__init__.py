"""Measures by units of the calendar."""

from level_almanac.core.reports.definition import Report, Tracing

REPORT = Report(
    package=__name__,
    name="growth",
    charted=True,
    help="Any measures by year, quarter, period, week or day, with change.",
    about="""Each row stands beside the span before it and beside last year's. A span
that is not finished is marked, and compared with the same days.""",
    examples=(
        "growth sales",
        'growth sales --of "amount, margin %" --only "item.range in Shop, Galley" --each quarter',
        'growth ledger --only "account.class is income" --each year,period --last 6',
        'growth sales --by vessel --each year --per "spend = natural of ledger if account begins 501"',
    ),
    request="figures:GrowthRequest",
    make="report:growth",
    tracing=Tracing(
        code="trace:growth_trace",
        help="The lines behind a figure of growth.",
        example="growth sales --each quarter --row 2026-Q2 --column now",
    ),
)
