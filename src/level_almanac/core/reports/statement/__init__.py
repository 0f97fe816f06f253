"""Statements of a layout."""

from level_almanac.core.reports.definition import Report, Tracing

REPORT = Report(
    package=__name__,
    name="statement",
    help="Statement of a layout: any spans, plans and changes in columns.",
    about="""LAYOUT is `income`, `balance`, or a file of the book's folder `layouts`.
Columns are spans (ptd, qtd, ytd, each period ...), alone or moved by
`prior` or `last year`, of what was booked or of a plan; `change`,
`variance`, `share of ROW`, and arithmetic on labels.""",
    examples=(
        "statement income",
        "statement income --period 2026-P08 --entity LINE --level 2",
        'statement income --columns "ptd; budget ptd; variance; variance %"',
        'statement income --year 2024 --columns "each period; year"',
        "statement balance --as-of 2026-03-31",
    ),
    request="report:StatementRequest",
    make="report:statement",
    tracing=Tracing(
        code="trace:statement_trace",
        help="The lines behind a figure of a statement.",
        example="statement income --period 2026-P08 --row 4011 --column 2",
        options=("row", "column", "down-to", "whole-journals", "first"),
        whole_rows=True,
    ),
    all_lines="trace:statement_lines",
    instead=dict.fromkeys(
        ("from", "through", "before"), 'name the days as a column, such as --columns "2026-01-01 through 2026-03-31"'
    ),
)
