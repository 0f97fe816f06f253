"""Spending against a plan."""

from level_almanac.core.reports.definition import Report, Tracing

REPORT = Report(
    package=__name__,
    name="pace",
    charted=True,
    help="Spending against a budget, and where it will end.",
    about="""What was due by now is the finished periods' plan and a share of the part
period's. What is spent, divided by that share, is where it will end.""",
    examples=(
        "pace ledger --entity LINE",
        "pace ledger --entity LINE --by department",
        'pace ledger --entity LINE --by account --only "account begins 61" --by-period',
        "pace sales --by route -o pace.png",
    ),
    request="figures:PaceRequest",
    make="report:pace",
    tracing=Tracing(
        code="trace:pace_trace",
        help="The lines behind a figure of pace, or those of the plan.",
        example="pace ledger --by department --row SEA --column spent",
    ),
    covers=True,
    instead=dict.fromkeys(
        ("from", "through", "before"),
        "a plan is for a year, quarter or period: say --year, --quarter or --period, or --as-of DAY",
    ),
)
