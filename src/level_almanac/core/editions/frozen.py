"""The book as an edition keeps it: frozen at issue, opened again later, and held against another state of the book."""

from collections.abc import Mapping, Sequence
from contextlib import AbstractContextManager
from datetime import datetime
from pathlib import Path
from typing import NamedTuple

from level_almanac.core.book import Book
from level_almanac.files.editions import BOOK, freeze_definitions
from level_almanac.files.engines import EngineChoice
from level_almanac.files.pages import Page
from level_almanac.files.reading import read_book
from level_almanac.files.tables import Table
from level_almanac.store.editions import freeze_data, frozen_store, writing
from level_almanac.store.line_changes import ChangedLine, changed_lines
from level_almanac.store.part_sums import parts_in


def new_edition(root: Path, name: str) -> AbstractContextManager[Path]:
    """Return what gives a folder to write an edition into, which is there at the end or not at all.

    Raises BookBusy where another process writes an edition of this book.
    """
    return writing(root, name)


def freeze(book: Book, pages: Sequence[Page], folder: Path, at: datetime) -> Book:
    """Keep in an edition's folder the definitions and the data that pages are made from; return the book made of them.

    at: the time of issue, by which its clock stands still. Raises BookMistake where a part of the store is damaged.
    """
    freeze_definitions(book.file, pages, folder)
    freeze_data(book.store, book.state, book.file.root, folder)
    return frozen_book(folder, at, book.choice)


def frozen_book(folder: Path, at: datetime, choice: EngineChoice) -> Book:
    """Return the book that the edition in this folder keeps, as of the time of its issue. choice: what computes it."""
    return Book(read_book(folder / BOOK), frozen_store(folder), at, choice=choice)


def damage(book: Book) -> tuple[int, list[str]]:
    """Return how many parts a frozen book's data has, and which of them are gone or not what they were."""
    parts = parts_in(book.state)
    return len(parts), book.store.damaged(parts)


class ChangedTable(NamedTuple):
    """The lines of one table that are not the same in two states of a book."""

    table: Table
    lines: Sequence[ChangedLine]


def changed_tables(before: Book, after: Book) -> list[ChangedTable]:
    """Return the tables of the later book with lines that were added, removed or altered since the earlier one."""
    sides = (before.store, before.state), (after.store, after.state)
    found = (ChangedTable(table, changed_lines(after.engine, *sides, table)) for table in after.tables.values())
    return [each for each in found if each.lines]


class LineNames(NamedTuple):
    """What traces call changed lines. altered: those that are there on both sides; whole: by its name without the
    entity, as the trace of a report of one entity has it, the line's name with it.
    """

    altered: frozenset[str]
    whole: Mapping[str, str]


def line_names(tables: Sequence[ChangedTable]) -> LineNames:
    """Return what traces call the changed lines."""
    lines = [line for table in tables for line in table.lines]
    named = [(line, line.name(), line.name(1)) for line in lines]
    return LineNames(
        frozenset(name for line, *names in named if line.before and line.after for name in names),
        {short: whole for _, whole, short in named if short},
    )


def narrowed(before: Book, after: Book) -> tuple[Book, Book]:
    """Return two books for tracing alone: lines behind a figure of the ledger are looked for only where they differ.

    What both have adds the same to both, so it cannot tell why a figure differs.
    """
    mine, theirs = ({loaded.part for loaded in book.state.files_of("ledger")} for book in (before, after))
    return before.traced_in(mine - theirs), after.traced_in(theirs - mine)
