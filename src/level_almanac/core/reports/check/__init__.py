"""What `almanac check` looks for, a module for each kind of thing that is looked at (docs/check.md)."""

from level_almanac.core.reports.definition import Report, Tracing

REPORT = Report(
    package=__name__,
    name="check",
    help="What does not add up, in the ledger and in documents.",
    about="""Each finding has its lines, the amount, and what to do. Ends with 1
where an error is shown. CHECK is one or more of: unbalanced, closed,
outside, carried, gaps, unknown-party, spelt-twice, alike, over-applied,
loose, early, control, agree, store.""",
    examples=("check", "check control over-applied", "check --only-new -o findings.xlsx"),
    request="report:CheckRequest",
    make="report:check",
    tracing=Tracing(
        code="report:check_trace",
        help="All lines of one finding.",
        example="check --row control/payable/LINE/P47204",
        options=("row",),
        without=("only-new", "lines"),
        figures=False,
    ),
)
