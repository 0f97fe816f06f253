"""`almanac load`."""

import click

from level_almanac.api.loading import load_book, look_book, read_through
from level_almanac.cli.commands import OneEach
from level_almanac.cli.options import open_book
from level_almanac.cli.reports import warn
from level_almanac.cli.say import progress_shown
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.reports.making import in_look
from level_almanac.errors import Mistake, UsageMistake


@click.command(cls=OneEach)
@click.option(
    "--through",
    multiple=True,
    metavar="[TABLE=]DAY",
    help="The exports, or those of a table, are complete through this day; repeatable.",
)
@click.option("--drop-missing", is_flag=True, help="Let go of the lines of exports that are no longer there.")
@click.option(
    "--set-aside", is_flag=True, help="Leave wrong lines out, in files of their own, and say so in every report."
)
@click.option("--look", "only_look", is_flag=True, help="Tell what a load would change, and change nothing.")
@output_options
@click.pass_context
def load(
    ctx: click.Context,
    /,
    through: tuple[str, ...],
    drop_missing: bool,
    set_aside: bool,
    only_look: bool,
    output: OutputRequest,
) -> None:
    """Take the exports in: all of them, or nothing.

    A file that was loaded before and is the same changes nothing; a changed
    one replaces its own lines. What is wrong is listed by file, line and
    field, and then the book stays as it was. Ends with 1 where lines are set
    aside.

    \b
    Examples:
      almanac load
      almanac load --through 2026-06-17
      almanac load --through 2026-06-17 --through sales=2026-05-25
      almanac load --look
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    if only_look and (through or drop_missing or set_aside):
        got = "--through, --drop-missing or --set-aside beside it"
        raise UsageMistake(Mistake("it changes nothing, so there is nothing to tell it", "--look", got))
    days = read_through(through)
    with progress_shown("looking" if only_look else "loading"):
        done = look_book(book) if only_look else load_book(book, days, drop_missing=drop_missing, set_aside=set_aside)
    warn(done.warnings)
    show(ctx, in_look(done.table, look), output)
    if done.set_aside:
        ctx.exit(1)
