"""`almanac propose`."""

from collections.abc import Iterable, Iterator
from pathlib import Path

import click

from level_almanac.cli.commands import OneEach
from level_almanac.cli.say import say
from level_almanac.cli.session import session_of
from level_almanac.errors import BookMistake, Mistake, UsageMistake, listed
from level_almanac.files.book_writing import add_blocks
from level_almanac.files.outside import BOOK_FILE
from level_almanac.files.reaches import fitting
from level_almanac.files.reading import find_book, read_book
from level_almanac.files.settings import BookSettings
from level_almanac.files.tables import BUILT_IN, tables_of
from level_almanac.intake.proposing.grid import READABLE
from level_almanac.intake.proposing.propose import Proposed, exports_in, propose_all, sections_of, whole_text


@click.command(cls=OneEach)
@click.argument("files", type=click.Path(path_type=Path), nargs=-1, required=True, metavar="FILE...")
@click.option("--table", default="", metavar="TABLE", help="The table that it feeds.  [default: the one its heads fit]")
@click.option("--write", is_flag=True, help="Write the blocks into the book's almanac.toml, all or none.")
@click.pass_context
def propose(ctx: click.Context, files: tuple[Path, ...], table: str, write: bool) -> None:
    """Propose intake blocks for exports.

    Looks at the records of each FILE, or of every file in a folder, and prints
    the blocks that read them, for almanac.toml: which table, which head is
    which field, how dates and numbers are written, which rows are no lines.
    What it was unsure of stands on top of each.

    \b
    Examples:
      almanac propose exports/ledger-2026.csv
      almanac propose exports
      almanac propose exports --write
      almanac propose exports/plan.xlsx --table budget
    """
    tables, entities, settings = dict(BUILT_IN), [], None
    try:
        root = find_book(session_of(ctx).folder)
    except BookMistake:
        root = None
    if root is not None:
        settings = read_book(root).settings
        tables, entities = tables_of(settings.tables), list(settings.entities)
    named = [(path, _name_in(root, path)) for path in exports_in(files)]
    if not named:
        raise UsageMistake(Mistake("no file there can be an export", "FILE", allowed=listed(READABLE)))
    if write and (root is None or settings is None):
        raise UsageMistake(Mistake("there is no book to write to", "--write", next_step="start one with `almanac new`"))
    if write and root is not None and settings is not None:
        named = list(_not_taken_yet(root, settings, named))
    found = propose_all(named, tables, entities, table)
    if write and root is not None and settings is not None and found:
        _write(root, settings, found)
    elif not write:
        click.echo(whole_text(found, settings.tables if settings else ()), nl=False)


def _not_taken_yet(root: Path, settings: BookSettings, named: list[tuple[Path, str]]) -> Iterator[tuple[Path, str]]:
    """Yield the files that no block of the book takes yet; raise UsageMistake for one that lies outside the book."""
    settled = {name for block in settings.intake for pattern in block.file_patterns for name in _fitting(root, pattern)}
    for path, name in named:
        if name in settled:
            say(f"{name}: a block of the book takes it already")
        elif not path.resolve().is_relative_to(root):
            raise UsageMistake(Mistake("the file lies outside the book", "FILE", repr(str(path))))
        else:
            yield path, name


def _write(root: Path, settings: BookSettings, found: list[Proposed]) -> None:
    there = {table: told for table, told in sections_of(found).items() if table in settings.tables}
    add_blocks(root, whole_text(found, settings.tables), there)
    for words in told_of(found):
        say(words)
    say(f"Written to {root / BOOK_FILE}; next: `almanac load`.")


def told_of(found: Iterable[Proposed]) -> Iterator[str]:
    """Yield in words which files feed which tables, and what was unsure of each."""
    for each in found:
        names = each.group.files if isinstance(each.group.files, str) else ", ".join(each.group.files)
        tables = dict.fromkeys(block.keys["table"] for block in each.blocks)
        yield f"{names}: {' and '.join(tables) or f'nothing of the sheet {each.group.first.grid.block.sheet!r}'}"
        yield from (f"  unsure of {words}" for words in each.unsure)


def _fitting(root: Path, pattern: str) -> list[str]:
    return [path.relative_to(root).as_posix() for path in fitting(root, pattern)]


def _name_in(root: Path | None, path: Path) -> str:
    """Return what a block is to say of a file: its place in the book, where it is there."""
    if root is not None and path.resolve().is_relative_to(root):
        return path.resolve().relative_to(root).as_posix()
    return path.as_posix()
