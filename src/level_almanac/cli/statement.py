"""`almanac statement`."""

import functools
from collections.abc import Callable
from typing import Any, TypeVar

import click

from level_almanac.cli.names import FIELD, LAYOUT
from level_almanac.cli.options import (
    as_of_request,
    condition_options,
    entity_option,
    level_option,
    open_book,
    when_options,
)
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.cli.traced import check_lines, lines_option, traced_table
from level_almanac.core.language.days import DayWords
from level_almanac.core.reports.statement.report import StatementRequest
from level_almanac.core.reports.statement.report import statement as make_statement
from level_almanac.core.requests.conditions import Conditions

F = TypeVar("F", bound=Callable[..., Any])


def statement_options(command: F) -> F:
    """Add what a statement is asked for with, handed over as one `request`."""

    @functools.wraps(command)
    def with_request(
        *args: Any,
        layout: str,
        as_of: DayWords | None,
        period: str,
        quarter: str,
        year: str,
        adjustments: str,
        columns: str,
        compare: str,
        entities: tuple[str, ...],
        level: int | None,
        fold: tuple[str, ...],
        by: str,
        signs: str,
        basis: str,
        only: tuple[str, ...],
        besides: tuple[str, ...],
        **others: Any,
    ) -> Any:
        request = StatementRequest(
            when=as_of_request(as_of, period, quarter, year, adjustments, compare),
            columns=columns,
            entities=entities,
            level=level,
            fold=fold,
            by=by,
            signs="stored" if signs == "stored" else "natural",
            layout=layout,
            conditions=Conditions(only, besides),
            basis="cash" if basis == "cash" else "booked",
        )
        return command(*args, request=request, **others)

    wrapped: Any = with_request
    options: tuple[Callable[[Any], Any], ...] = (
        click.argument("layout", type=LAYOUT),
        when_options,
        click.option(
            "--columns", default="", metavar="WORDS", help="Columns, between semicolons.  [default: the layout's own]"
        ),
        click.option(
            "--compare",
            type=click.Choice(["same-days", "whole"]),
            default="same-days",
            show_default=True,
            help="Cut a compared part period at the same day, or leave it whole.",
        ),
        condition_options,
        entity_option,
        level_option,
        click.option("--fold", multiple=True, metavar="ROW", help="Show this row's branch as one line; repeatable."),
        click.option(
            "--by",
            type=FIELD,
            default="",
            metavar="FIELD",
            help="A block for each member of this field, and one of all.",
        ),
        click.option(
            "--signs",
            type=click.Choice(["natural", "stored"]),
            default="natural",
            show_default=True,
            help="Amounts in their class's natural sign, or debits positive.",
        ),
        click.option(
            "--basis",
            type=click.Choice(["booked", "cash"]),
            default="booked",
            show_default=True,
            help="Income and costs when they are booked, or when they are paid.",
        ),
    )
    for option in reversed(options):
        wrapped = option(wrapped)
    result: F = wrapped
    return result


@click.command()
@statement_options
@lines_option
@output_options
@click.pass_context
def statement(ctx: click.Context, request: StatementRequest, with_lines: bool, output: OutputRequest) -> None:
    """Statement of a layout: any spans, plans and changes in columns.

    LAYOUT is `income`, `balance`, or a file of the book's folder `layouts`.
    Columns are spans (ptd, qtd, ytd, each period ...), alone or moved by
    `prior` or `last year`, of what was booked or of a plan; `change`,
    `variance`, `share of ROW`, and arithmetic on labels.

    \b
    Examples:
      almanac statement income
      almanac statement income --period 2026-P08 --entity LINE --level 2
      almanac statement income --columns "ptd; budget ptd; variance; variance %"
      almanac statement income --year 2024 --columns "each period; year"
      almanac statement balance --as-of 2026-03-31
    """
    check_outputs(output)
    check_lines(ctx, output, with_lines=with_lines)
    if with_lines and request.basis == "cash":
        raise click.UsageError("--with-lines goes with what was booked; `almanac trace statement` takes --basis cash")
    book = open_book(ctx)
    look = look_for(output, book)
    today = book.now.date()
    table = make_statement(book, request, today)
    if with_lines:
        from level_almanac.core.reports.statement.trace import statement_behind  # noqa: PLC0415  seldom asked for

        table = traced_table(book, statement_behind(book, request, today, (), leaves=True))
    show(ctx, table, output, look)
