"""Lists of any table's lines."""

from level_almanac.core.reports.definition import Report, Tracing

REPORT = Report(
    package=__name__,
    name="list",
    charted=True,
    help="Lines of a table: any fields, conditions, groups and totals.",
    about="""TABLE is `ledger`, `accounts`, `budget`, or one that the book declares.
`almanac fields TABLE` tells what can be asked for.""",
    examples=(
        'list ledger --only "account begins 61" --period 2026-P08',
        'list ledger --by "account.class, quarter of posted" --year 2025',
        'list ledger --by party --only "account.control is payable" --over 50000',
        'list accounts --only "class is income"',
        "list sales --by item.range --columns 'now = ytd; ytd last year; change %; quantity ytd'",
    ),
    request="request:ListRequest",
    make="report:listing",
    tracing=Tracing(
        code="trace:list_trace",
        help="The lines behind a group of a list, or a figure of one in columns.",
        example="list ledger --by vessel --row Brae",
        options=("row", "column", "first"),
        without=("first",),
    ),
)
