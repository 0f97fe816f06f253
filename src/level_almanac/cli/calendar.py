"""`almanac calendar`."""

import click

from level_almanac.cli.names import YEAR
from level_almanac.cli.options import entity_option, open_book
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.reports.calendar.report import CalendarRequest, calendar_report


@click.command()
@click.option(
    "--year", type=YEAR, default="", metavar="ID", help="Only this fiscal year.  [default: all that hold data]"
)
@entity_option
@output_options
@click.pass_context
def calendar(ctx: click.Context, year: str, entities: tuple[str, ...], output: OutputRequest) -> None:
    """Fiscal years, quarters and periods, and what data covers them.

    \b
    Examples:
      almanac calendar
      almanac calendar --year 2026 --entity YARD
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    show(ctx, calendar_report(book, CalendarRequest(year=year, entities=entities), book.now.date()), output, look)
