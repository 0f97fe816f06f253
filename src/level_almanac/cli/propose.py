"""`almanac propose`."""

from pathlib import Path

import click

from level_almanac.cli.commands import OneEach
from level_almanac.cli.session import session_of
from level_almanac.errors import BookMistake
from level_almanac.files.reading import find_book, read_book
from level_almanac.files.tables import BUILT_IN, tables_of
from level_almanac.intake.proposing.propose import propose as proposed_block


@click.command(cls=OneEach)
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--table", default="", metavar="TABLE", help="The table that it feeds.  [default: the one its heads fit]")
@click.pass_context
def propose(ctx: click.Context, file: Path, table: str) -> None:
    """Propose an intake block for an export.

    Looks at the first records of FILE and prints the block that reads them,
    for almanac.toml: which table, which head is which field, how dates and
    numbers are written. What it was unsure of stands on top.

    \b
    Examples:
      almanac propose exports/ledger-2026.csv
      almanac propose exports/plan.xlsx --table budget
    """
    tables, entities, name = dict(BUILT_IN), [], file.as_posix()
    try:
        root = find_book(session_of(ctx).folder)
    except BookMistake:
        root = None
    if root is not None:
        settings = read_book(root).settings
        tables, entities = tables_of(settings.tables), list(settings.entities)
        if file.resolve().is_relative_to(root):
            name = file.resolve().relative_to(root).as_posix()
    click.echo(proposed_block(file, name, tables, entities, table), nl=False)
