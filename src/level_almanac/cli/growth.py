"""`almanac growth`."""

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
from level_almanac.core.reports.growth.figures import GrowthRequest
from level_almanac.core.reports.growth.report import growth as growth_report
from level_almanac.core.reports.growth.stages import request_units

F = TypeVar("F", bound=Callable[..., Any])


def growth_options(command: F) -> F:
    """Add what growth is asked for with, handed over as one `request`."""

    @functools.wraps(command)
    def with_request(
        *args: Any,
        of: MeasuredRequest,
        days: tuple[DayWords | None, DayWords | None],
        compare: Literal["same-days", "whole"],
        each: str,
        last: int | None,
        per: str,
        **others: Any,
    ) -> Any:
        request = GrowthRequest(
            of=replace(of, when=replace(of.when, compare=compare)),
            each=request_units(each),
            last=last,
            first=days[0],
            through=days[1],
            per=per,
        )
        return command(*args, request=request, **others)

    wrapped: Any = with_request
    options: tuple[Callable[[Any], Any], ...] = (
        dated_options,
        measured_options("Tell it of each member of this field, and of all."),
        click.option(
            "--each",
            default="year, quarter, period",
            show_default=True,
            metavar="UNITS",
            help="Units of the calendar: year, quarter, period, month, week, day.",
        ),
        click.option("--last", type=click.IntRange(min=1), metavar="N", help="So many of each unit, the latest ones."),
        click.option(
            "--per",
            default="",
            metavar="WORDS",
            help="Divide by a measure of another table: `spend = natural of ledger if account.class is expense`.",
        ),
        click.option(
            "--compare",
            type=click.Choice(["same-days", "whole"]),
            default="same-days",
            show_default=True,
            help="Cut the span compared with an unfinished one at the same day, or leave it whole.",
        ),
    )
    for option in reversed(options):
        wrapped = option(wrapped)
    result: F = wrapped
    return result


@click.command()
@growth_options
@output_options
@click.pass_context
def growth(ctx: click.Context, request: GrowthRequest, output: OutputRequest) -> None:
    """Any measures by year, quarter, period, week or day, with change.

    Each row stands beside the span before it and beside last year's. A span
    that is not finished is marked, and compared with the same days.

    \b
    Examples:
      almanac growth sales
      almanac growth sales --of "amount, margin %" --only "item.range in Shop, Galley" --each quarter
      almanac growth ledger --only "account.class is income" --each year,period --last 6
      almanac growth sales --by vessel --each year --per "spend = natural of ledger if account begins 501"
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    show(ctx, growth_report(book, request, book.now.date()), output, look)
