"""`almanac new`."""

from pathlib import Path

import click

from level_almanac.cli.commands import OneEach
from level_almanac.cli.say import say
from level_almanac.cli.starting import start_from
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.new_book import NewBook, write_book


@click.command(cls=OneEach)
@click.pass_context
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False), metavar="DIR")
@click.option("--name", default="", metavar="TEXT", help="What the book is called.  [default: the folder's name]")
@click.option("--entity", default="MAIN", metavar="CODE", show_default=True, help="The first company's code.")
@click.option("--entity-name", default="", metavar="TEXT", help="The first company's name.  [default: the book's]")
@click.option("--currency", default="EUR", metavar="CODE", show_default=True, help="The first company's currency.")
@click.option(
    "--retained-earnings", default="3000", metavar="ACCOUNT", show_default=True, help="Its retained earnings."
)
@click.option("--year-start", default="01-01", metavar="MM-DD", show_default=True, help="The fiscal year's first day.")
@click.option(
    "--from",
    "source",
    type=click.Path(path_type=Path, file_okay=False, exists=True),
    metavar="FOLDER",
    help="Take in the exports of this folder: propose for all of them, write, load.",
)
@click.option("--year", default="", metavar="YEAR", help="With --from: the fiscal year of plans that tell none.")
@click.option("--time-zone", default="UTC", metavar="ZONE", show_default=True, help="Whose days count.")
def new(
    ctx: click.Context,
    folder: Path,
    name: str,
    entity: str,
    entity_name: str,
    currency: str,
    retained_earnings: str,
    year_start: str,
    source: Path | None,
    year: str,
    time_zone: str,
) -> None:
    """Start a book: a folder with its settings, to go on from.

    DIR is made if it is not there. Put the exports into it, let
    `almanac propose` write an intake block for each, then load. With --from
    all of that is done in one go for a folder of exports, which are copied
    into the book; what they do not tell is asked for at a terminal.

    \b
    Examples:
      almanac new our-books
      almanac new our-books --currency GBP --year-start 04-06 --entity SHOP
      almanac new our-books --from exports-of-2026
    """
    called = name or folder.resolve().name
    asked = NewBook(called, entity, entity_name or called, currency, retained_earnings, year_start, time_zone)
    if source is not None:
        given = {
            name for name in ctx.params if ctx.get_parameter_source(name) is click.core.ParameterSource.COMMANDLINE
        }
        start_from(ctx, folder, source, asked, given, year)
        return
    if year:
        raise UsageMistake(Mistake("this is for a folder of exports", "--year", repr(year), "--from FOLDER beside it"))
    for path in write_book(folder, asked):
        say(f"wrote {path}")
    say(
        f"Next: put your exports into {folder / 'exports'}; for each kind of them run\n"
        f"  almanac --book {folder} propose FILE\n"
        f"and put the block that it prints into {folder / 'almanac.toml'}; then `almanac --book {folder} load`."
    )
