"""The trial balance."""

from level_almanac.core.reports.definition import Report, Tracing

REPORT = Report(
    package=__name__,
    name="trial",
    help="Trial balance: opening, debit, credit, closing.",
    about="""With a period, quarter or year it covers that; with a day, or nothing,
the fiscal year to date.""",
    examples=(
        "trial --period 2026-P08",
        "trial --year 2025 --after-closing --entity LINE",
        "trial --from 2026-04-01 --through 2026-05-31 --level 2",
    ),
    request="report:TrialRequest",
    make="report:trial",
    tracing=Tracing(
        code="trace:trial_trace",
        help="The lines behind a figure of the trial balance.",
        example="trial --period 2026-P08 --row 12110 --column debit --whole-journals",
        options=("row", "column", "down-to", "whole-journals", "first"),
        whole_rows=True,
    ),
    all_lines="trace:trial_lines",
)
