"""`almanac rank`."""

import functools
from collections.abc import Callable
from dataclasses import replace
from typing import Any, Literal, TypeVar

import click

from level_almanac.cli.measured import measured_options
from level_almanac.cli.options import dated_options, open_book
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.language.days import DayWords
from level_almanac.core.measures.table_measures import MeasuredRequest
from level_almanac.core.reports.rank.figures import RankRequest
from level_almanac.core.reports.rank.report import rank as rank_report

F = TypeVar("F", bound=Callable[..., Any])


def rank_options(command: F) -> F:
    """Add what a ranking is asked for with, handed over as one `request`."""

    @functools.wraps(command)
    def with_request(
        *args: Any,
        of: MeasuredRequest,
        days: tuple[DayWords | None, DayWords | None],
        compare: Literal["same-days", "whole"],
        span: str,
        within: str,
        top: int | None,
        bottom: int | None,
        rank_by: str,
        shown: Literal["all", "members", "all-other"],
        **others: Any,
    ) -> Any:
        request = RankRequest(
            of=replace(of, when=replace(of.when, compare=compare)),
            within=within,
            span=span,
            first=days[0],
            last=days[1],
            top=top,
            bottom=bottom,
            rank_by=rank_by,
            show=shown,
        )
        return command(*args, request=request, **others)

    wrapped: Any = with_request
    options: tuple[Callable[[Any], Any], ...] = (
        dated_options,
        measured_options("The field whose members are ranked."),
        click.option("--within", default="", metavar="FIELD", help="Rank within each group of this field."),
        click.option("--span", default="", metavar="SPAN", help="Which days: `qtd`, `last 3 periods`.  [default: ytd]"),
        click.option("--top", type=click.IntRange(min=1), metavar="N", help="The largest so many.  [default: 10]"),
        click.option("--bottom", type=click.IntRange(min=1), metavar="N", help="The smallest so many."),
        click.option("--rank-by", default="", metavar="COLUMN", help="The one column that decides the order of all."),
        click.option(
            "--show",
            "shown",
            type=click.Choice(["all", "members", "all-other"]),
            default="all",
            show_default=True,
            help="Members and all other, or one of the two.",
        ),
        click.option(
            "--compare",
            type=click.Choice(["same-days", "whole"]),
            default="same-days",
            show_default=True,
            help="Cut last year's part span at the same day, or leave it whole.",
        ),
    )
    for option in reversed(options):
        wrapped = option(wrapped)
    result: F = wrapped
    return result


@click.command()
@rank_options
@output_options
@click.pass_context
def rank(ctx: click.Context, request: RankRequest, output: OutputRequest) -> None:
    """The largest members and all other, this year and last.

    One column decides which members are shown, and every other column keeps
    them. `All other` is what is left of the total in each column.

    \b
    Examples:
      almanac rank sales --by item --only "item.range in Shop, Galley" --top 5
      almanac rank sales --by item --within item.range --top 2 --of "amount, quantity"
      almanac rank ledger --by account --only "account.class is expense" --span qtd
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    show(ctx, rank_report(book, request, book.now.date()), output, look)
