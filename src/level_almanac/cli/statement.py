"""`almanac statement`."""

from datetime import date
from pathlib import Path

import click

from level_almanac.cli.options import (
    as_of_request,
    entity_option,
    level_option,
    open_book,
    output_options,
    when_options,
)
from level_almanac.cli.show import check_outputs, show
from level_almanac.core.statement import StatementRequest, income_statement
from level_almanac.core.words.columns import DEFAULT_TEXT


@click.command()
@click.argument("layout", type=click.Choice(["income"]))
@when_options
@click.option(
    "--columns", default=DEFAULT_TEXT, metavar="WORDS", help=f"Columns, between semicolons.  [default: {DEFAULT_TEXT}]"
)
@click.option(
    "--compare",
    type=click.Choice(["same-days", "whole"]),
    default="same-days",
    show_default=True,
    help="Cut a compared part period at the same day, or leave it whole.",
)
@entity_option
@level_option
@output_options
@click.pass_context
def statement(
    ctx: click.Context,
    layout: str,  # noqa: ARG001  the one layout there is yet
    as_of: date | None,
    period: str,
    quarter: str,
    year: str,
    adjustments: str,
    columns: str,
    compare: str,
    entities: tuple[str, ...],
    level: int | None,
    outputs: tuple[Path, ...],
    printed: str | None,
) -> None:
    """Income statement over any spans of the calendar, with changes.

    Columns are spans (ptd, qtd, ytd, period, quarter, year), each alone or
    with `prior` or `last year`, and `change` or `change %` of the two value
    columns to the left.

    \b
    Examples:
      almanac statement income
      almanac statement income --period 2026-P08 --entity LINE --level 2
      almanac statement income --columns "ytd; ytd last year; change %"
    """
    check_outputs(outputs)
    book = open_book(ctx)
    request = StatementRequest(
        when=as_of_request(as_of, period, quarter, year, adjustments, compare),
        columns=columns,
        entities=entities,
        level=level,
    )
    show(ctx, income_statement(book, request, book.now.date()), outputs, printed)
