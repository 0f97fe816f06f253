"""`almanac load`."""

import click

from level_almanac.api.loading import load_book
from level_almanac.cli.commands import OneEach
from level_almanac.cli.options import open_book
from level_almanac.cli.reports import warn
from level_almanac.cli.say import progress_shown
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.language.days import read_day
from level_almanac.errors import UsageMistake


@click.command(cls=OneEach)
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
    day = read_day(through, "--through", UsageMistake) if through else None
    with progress_shown("loading"):
        done = load_book(book, day, drop_missing=drop_missing, set_aside=set_aside)
    warn(done.warnings)
    show(ctx, done.table._replace(look=look), output)
