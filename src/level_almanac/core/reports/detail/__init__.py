"""Account detail."""

from level_almanac.core.reports.definition import Report

REPORT = Report(
    package=__name__,
    name="detail",
    help="Account detail: opening, each line, running balance, closing.",
    about="""ACCOUNT is a code, with all accounts below it; a class; a range such as
"6100 through 6199"; or a condition on the chart. With a period, quarter or
year it covers that; with a day, or nothing, the fiscal year to date.""",
    examples=(
        "detail 12110 --period 2026-P08",
        'detail "61100 through 61199" --year 2025 --subtotals',
        'detail "control is payable" --from 2026-05-01 --through 2026-05-15',
    ),
    request="report:DetailRequest",
    make="report:detail",
)
