"""The largest members and all other."""

from level_almanac.core.reports.definition import Report, Tracing

REPORT = Report(
    package=__name__,
    name="rank",
    charted=True,
    help="The largest members and all other, this year and last.",
    about="""One column decides which members are shown, and every other column keeps
them. `All other` is what is left of the total in each column.""",
    examples=(
        'rank sales --by item --only "item.range in Shop, Galley" --top 5',
        'rank sales --by item --within item.range --top 2 --of "amount, quantity"',
        'rank ledger --by account --only "account.class is expense" --span qtd',
    ),
    request="figures:RankRequest",
    make="report:rank",
    tracing=Tracing(
        code="trace:rank_trace",
        help="The lines behind a figure of a ranking, all other too.",
        example="rank sales --by item --top 3 --row all-other",
    ),
)
