"""`almanac allow`."""

import click

from level_almanac.cli.commands import OneEach
from level_almanac.cli.say import say
from level_almanac.cli.session import session_of
from level_almanac.files.outside import allow as allow_reaches
from level_almanac.files.outside import allowed, forbid, is_allowed, links_out
from level_almanac.files.reaches import reaches_of
from level_almanac.files.reading import find_book, read_book


@click.command(cls=OneEach)
@click.argument("what", nargs=-1, metavar="[WHAT]...")
@click.option("--all", "every", is_flag=True, help="Allow all that the book reaches for now.")
@click.option("--not", "no_longer", multiple=True, metavar="WHAT", help="Allow this no longer.")
@click.pass_context
def allow(ctx: click.Context, what: tuple[str, ...], every: bool, no_longer: tuple[str, ...]) -> None:
    """Let the book reach for what lies outside its folder.

    Without more, tell what the book reaches for and what of it is allowed.
    WHAT is file:PATH (of a folder: all within), host:NAME:PORT of a database,
    or env:NAME, a variable of the environment. What is allowed stands in a
    note of yours, not in the book, and counts for this book in this place.

    \b
    Examples:
      almanac allow
      almanac allow host:erp.example:5432 env:ERP_KEY
    """
    root = find_book(session_of(ctx).folder)
    reaches = links_out(root)
    if all(is_allowed(reach.what, allowed(root)) for reach in reaches):
        reaches = reaches_of(read_book(root))
    forbid(root, no_longer)
    allow_reaches(root, [*what, *(reach.what for reach in reaches if every)])
    granted = allowed(root)
    for reach in reaches:
        word = "allowed    " if is_allowed(reach.what, granted) else "not allowed"
        click.echo(f"{word}  {reach.what}  ({reach.where})")
    asked = {reach.what for reach in reaches}
    for each in granted:
        if each not in asked:
            click.echo(f"allowed      {each}  (the book does not ask for this now)")
    if not reaches and not granted:
        say("this book reaches for nothing outside its folder")
