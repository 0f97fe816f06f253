"""`almanac load`."""

import click

from level_almanac.cli.options import open_book
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.book import Book
from level_almanac.core.language.days import DayContext, day_of, read_day
from level_almanac.core.lines.book_rules import entry_class_rules, taken_rules
from level_almanac.core.reports.load_report import load_report
from level_almanac.core.table.model import ReportTable
from level_almanac.errors import UsageMistake
from level_almanac.intake.load import LoadOptions, LoadRules
from level_almanac.intake.load import load as load_exports


def load_book(book: Book, options: LoadOptions) -> ReportTable:
    """Load a book's exports, warn on stderr of what looks wrong, and return what was done."""
    result = load_exports(
        book.file,
        book.store,
        book.calendar_by_entity,
        LoadRules(entry_class_rules(book), taken_rules(book)),
        book.now,
        options,
    )
    for warning in result.warnings:
        click.echo(f"warning: {warning}", err=True)
    if result.warned_of > len(result.warnings):
        click.echo(f"warning: … and {result.warned_of - len(result.warnings):,} more", err=True)
    return load_report(book, result.state, result.outcomes, result.dropped)


@click.command()
@click.option("--through", metavar="DAY", help="The exports are complete through this day.")
@click.option("--drop-missing", is_flag=True, help="Let go of the lines of exports that are no longer there.")
@click.option(
    "--set-aside", is_flag=True, help="Leave wrong lines out, in files of their own, and say so in every report."
)
@output_options
@click.pass_context
def load(ctx: click.Context, through: str | None, drop_missing: bool, set_aside: bool, output: OutputRequest) -> None:
    """Take the exports in: all of them, or nothing.

    A file that was loaded before and is the same changes nothing; a changed
    one replaces its own lines. What is wrong is listed by file, line and
    field, and then the book stays as it was.

    \b
    Examples:
      almanac load
      almanac load --through 2026-06-17
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    today = book.now.date()
    words = read_day(through, "--through", UsageMistake) if through else None
    day = day_of(words, DayContext(book.calendars[""], today, today)) if words else None
    show(ctx, load_book(book, LoadOptions(day, drop_missing, set_aside))._replace(look=look), output)
