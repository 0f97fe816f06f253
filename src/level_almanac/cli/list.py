"""`almanac list`."""

import functools
from collections.abc import Callable
from dataclasses import replace
from typing import Any, TypeVar

import click

from level_almanac.cli.names import FIELD, FIELDS, TABLE
from level_almanac.cli.options import (
    condition_options,
    dated_options,
    entity_option,
    open_book,
)
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.cli.thresholds import threshold_options
from level_almanac.core.language.days import DayWords
from level_almanac.core.reports.list.report import ListRequest, listing
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.core.table.threshold import Threshold

F = TypeVar("F", bound=Callable[..., Any])


def list_options(command: F) -> F:
    """Add what a list is asked for with, handed over as one `request`."""

    @functools.wraps(command)
    def with_request(
        *args: Any,
        table: str,
        shown: str,
        by: str,
        lines: bool,
        sort: str,
        compute: tuple[str, ...],
        yes: tuple[str, ...],
        only: tuple[str, ...],
        besides: tuple[str, ...],
        when: AsOfRequest,
        days: tuple[DayWords | None, DayWords | None],
        date: str,
        entities: tuple[str, ...],
        thresholds: tuple[Threshold, ...],
        carried: bool,
        **others: Any,
    ) -> Any:
        request = ListRequest(
            table=table,
            show=shown,
            by=by,
            sort=sort,
            compute=compute,
            conditions=Conditions(only, besides),
            when=when,
            first=days[0],
            last=days[1],
            date=date,
            entities=entities,
            lines=lines,
            yes=yes,
            thresholds=thresholds,
            carried=carried,
        )
        return command(*args, request=request, **others)

    wrapped: Any = with_request
    options: tuple[Callable[[Any], Any], ...] = (
        click.argument("table", type=TABLE),
        click.option(
            "--show",
            "shown",
            type=FIELDS,
            default="",
            metavar="FIELDS",
            help="Columns, between commas: fields, sums, counts.",
        ),
        click.option(
            "--by",
            type=FIELDS,
            default="",
            metavar="FIELDS",
            help="In groups with totals: fields, or parts such as `quarter of posted`.",
        ),
        click.option("--lines", is_flag=True, help="With --by, each line of a group too."),
        click.option("--sort", default="", metavar="FIELDS", help="In this order, each `descending` or not."),
        click.option("--compute", multiple=True, metavar="NAME=WORDS", help="A field made of others; repeatable."),
        click.option("--yes", multiple=True, metavar="NAME", help="Show the columns marked `if NAME`; repeatable."),
        condition_options,
        dated_options,
        click.option(
            "--date",
            type=FIELD,
            default="",
            metavar="FIELD",
            help="The date that days are told by.  [default: the one that counts]",
        ),
        entity_option,
        threshold_options("totals", "What the limits are on.  [default: the first amount]", each=True),
        click.option("--carried", is_flag=True, help="Carried lines too, which are else left out."),
    )
    for option in reversed(options):
        wrapped = option(wrapped)
    result: F = wrapped
    return result


@click.command("list")
@list_options
@click.option("--first", "first_rows", type=click.IntRange(min=1), metavar="N", help="Only the first so many.")
@output_options
@click.pass_context
def list_(ctx: click.Context, request: ListRequest, first_rows: int | None, output: OutputRequest) -> None:
    """Lines of a table: any fields, conditions, groups and totals.

    TABLE is `ledger`, `accounts`, `budget`, or one that the book declares.
    `almanac fields TABLE` tells what can be asked for.

    \b
    Examples:
      almanac list ledger --only "account begins 61" --period 2026-P08
      almanac list ledger --by "account.class, quarter of posted" --year 2025
      almanac list ledger --by party --only "account.control is payable" --over 50000
      almanac list accounts --only "class is income"
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    show(ctx, listing(book, replace(request, first_rows=first_rows), book.now.date()), output, look)
