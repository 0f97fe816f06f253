"""`almanac aging`."""

import functools
from collections.abc import Callable
from typing import Any, Literal, TypeVar

import click

from level_almanac.cli.items import DAYS, side_argument
from level_almanac.cli.names import FIELD
from level_almanac.cli.options import as_of_request, condition_options, entity_option, open_book, when_options
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.language.days import DayWords
from level_almanac.core.reports.aging.report import AgingRequest
from level_almanac.core.reports.aging.report import aging as aging_report
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.subledger.subledger import Side, SubledgerRequest

F = TypeVar("F", bound=Callable[..., Any])


def aging_options(command: F) -> F:
    """Add what an aging is asked for with, handed over as one `request`."""

    @functools.wraps(command)
    def with_request(
        *args: Any,
        side: Side,
        as_of: DayWords | None,
        period: str,
        quarter: str,
        year: str,
        adjustments: str,
        only: tuple[str, ...],
        besides: tuple[str, ...],
        entities: tuple[str, ...],
        age_by: Literal["due", "date"],
        buckets: tuple[int, ...],
        by: str,
        top: int | None,
        sort: str,
        **others: Any,
    ) -> Any:
        of = SubledgerRequest(
            side=side,
            when=as_of_request(as_of, period, quarter, year, adjustments),
            entities=entities,
            conditions=Conditions(only, besides),
        )
        request = AgingRequest(of=of, age_by=age_by, buckets=buckets, by=by, top=top, sort=sort)
        return command(*args, request=request, **others)

    wrapped: Any = with_request
    options: tuple[Callable[[Any], Any], ...] = (
        side_argument,
        when_options,
        click.option(
            "--age-by",
            type=click.Choice(["due", "date"]),
            default="due",
            show_default=True,
            help="Count days from the due date, or from the document's.",
        ),
        click.option(
            "--buckets", type=DAYS, default=(), metavar="DAYS", help="The last day late of each bucket, as 30,60,90."
        ),
        click.option(
            "--by", type=FIELD, default="party", show_default=True, metavar="FIELD", help="What the rows are of."
        ),
        click.option(
            "--sort", default="total", show_default=True, metavar="COLUMN", help="In order of this, largest first."
        ),
        click.option(
            "--top", type=click.IntRange(min=1), metavar="N", help="The first so many, and all other as one row."
        ),
        condition_options,
        entity_option,
    )
    for option in reversed(options):
        wrapped = option(wrapped)
    result: F = wrapped
    return result


@click.command()
@aging_options
@output_options
@click.pass_context
def aging(ctx: click.Context, request: AgingRequest, output: OutputRequest) -> None:
    """Open amounts of suppliers or customers by age, on any day.

    What was applied after the day does not count. Payments and credits that settle
    nothing yet stand in a column of their own, inside each total.

    \b
    Examples:
      almanac aging receivable
      almanac aging payable --period 2026-P03 --top 10
      almanac aging receivable --as-of 2025-09-30 --buckets 14,30,60 --age-by date
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    show(ctx, aging_report(book, request, book.now.date()), output, look)
