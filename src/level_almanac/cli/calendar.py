"""`almanac calendar`."""

from pathlib import Path

import click

from level_almanac.cli.options import entity_option, open_book, output_options
from level_almanac.cli.show import check_outputs, show
from level_almanac.core.calendar_report import CalendarRequest, calendar_report


@click.command()
@click.option("--year", default="", metavar="ID", help="Only this fiscal year.  [default: all that hold data]")
@entity_option
@output_options
@click.pass_context
def calendar(
    ctx: click.Context, year: str, entities: tuple[str, ...], outputs: tuple[Path, ...], printed: str | None
) -> None:
    """Fiscal years, quarters and periods, and what data covers them.

    \b
    Examples:
      almanac calendar
      almanac calendar --year 2026 --entity YARD
    """
    check_outputs(outputs)
    book = open_book(ctx)
    show(ctx, calendar_report(book, CalendarRequest(year=year, entities=entities), book.now.date()), outputs, printed)
