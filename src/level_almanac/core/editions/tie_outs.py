"""Figures that stand on several pages of an edition: they must be the same (docs/editions.md).

Two kinds are held against each other. Pages of the same report with the same conditions share every row and column
that covers the same days; and a page can name a figure of another page that must equal one of its own.
"""

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import NamedTuple

from level_almanac.core.table.exact import figure_words, off_words
from level_almanac.core.table.model import Check, Column, ReportTable
from level_almanac.core.table.pointing import NO_SUCH_ROW, find_column, find_row, head_words
from level_almanac.errors import AlmanacError, BookMistake, Mistake, how_many
from level_almanac.files.pages import Page

_SHAPING = (
    "columns", "level", "fold", "compare", "style", "negatives", "units", "decimals", "zeros",
    "as-of", "period", "quarter", "year",
)  # fmt: skip
"""Options that choose what is shown of a report, not what its figures are."""


class PageMade(NamedTuple):
    """A page and its report. words: the command that it came to."""

    page: Page
    table: ReportTable
    words: tuple[str, ...]


def tie_outs(pages: Sequence[PageMade]) -> list[Check]:
    """Return what must be the same across pages, and whether it is.

    Raises BookMistake where a page ties to a page, row or column that there is not.
    """
    return [*_shared(pages), *_declared(pages)]


def _shared(pages: Sequence[PageMade]) -> Iterator[Check]:
    """Yield for each two pages of one subject that the figures that both have agree."""
    for number, first in enumerate(pages):
        for second in pages[number + 1 :]:
            if first.words[0] != "statement" or _subject(first) != _subject(second):
                continue
            yield from _agreement(first, second, list(_pairs(first.table.columns, second.table.columns)))


def _pairs(first: Sequence[Column], second: Sequence[Column]) -> Iterator[tuple[Column, Column]]:
    """Yield the columns of two pages that cover the same; where several of one do, as members of a field, by key."""
    counts = [Counter(map(_stretch, columns)) for columns in (first, second)]
    several = {stretch for count in counts for stretch, times in count.items() if times > 1}
    for one in first:
        for other in second:
            same = _stretch(one)
            if same is not None and same == _stretch(other) and (same not in several or one.key == other.key):
                yield one, other


def _agreement(first: PageMade, second: PageMade, pairs: Sequence[tuple[Column, Column]]) -> Iterator[Check]:
    others = {row.key: row for row in second.table.rows if row.cells}
    compared, unlike = 0, list[str]()
    for row in first.table.rows:
        if row.key not in others:
            continue
        for one, other in pairs:
            here, there = row.cells.get(one.key), others[row.key].cells.get(other.key)
            if isinstance(here, Decimal) and isinstance(there, Decimal):
                compared += 1
                if here != there:
                    unlike.append(f"{row.label}, {head_words(one)}: {figure_words(here)} and {figure_words(there)}")
    if compared:
        words = f"{first.page.name} and {second.page.name}: {how_many(compared, 'figure')} on both"
        yield Check(words if not unlike else f"{words}, unlike {'; '.join(unlike[:5])}", not unlike)


def _subject(made: PageMade) -> tuple[str, ...]:
    """Return what a report is of, apart from which rows and columns of it are shown."""
    return tuple(sorted(word for word in made.words if not word.startswith(tuple(f"--{name}=" for name in _SHAPING))))


def _stretch(column: Column) -> tuple[object, ...] | None:
    """Return what a column covers, None where it is made of others."""
    if column.kind != "amount" or column.derived or column.through is None:
        return None
    return (column.first, column.through, column.scenario, column.complete, column.extent)


def _declared(pages: Sequence[PageMade]) -> Iterator[Check]:
    by_name = {page.page.name: page for page in pages}
    for page in pages:
        for number, tie in enumerate(page.page.file.ties, 1):
            where = f"{page.page.where}: ties[{number}]"
            if tie.page not in by_name:
                step = "issue both pages together"
                raise BookMistake(
                    Mistake("the edition has no such page", f"{where}.page", repr(tie.page), next_step=step)
                )
            other = by_name[tie.page]
            here, words = _figure(page, tie.row, tie.column, where)
            there, other_words = _figure(other, tie.with_row or tie.row, tie.with_column or tie.column, f"{where}.page")
            if here is None and there is None:
                told = f"{words} and {tie.page}: {other_words}"
                step = "name rows by their keys, as -o FILE.csv tells them"
                raise BookMistake(Mistake("neither page has such a row", where, told, next_step=step))
            # A report leaves out a row of which there is nothing to tell.
            here, there = here or Decimal(0), (there or Decimal(0)) * (-1 if tie.turned else 1)
            said = f"{page.page.name}: {words} = {tie.page}: {other_words}"
            off = "" if here == there else f", but off by {off_words(here - there)}"
            yield Check(f"{said}{off}", not off)


def _figure(page: PageMade, row: str, column: str, where: str) -> tuple[Decimal | None, str]:
    """Return a figure that a page names, None where the page has no such row, and the name in words."""
    try:
        named = find_column(page.table, column)
    except AlmanacError as error:
        told = (replace(each, what=f"{page.page.name}: {each.what}", where=where) for each in error.mistakes)
        raise BookMistake(*told) from None
    try:
        row_found = find_row(page.table, row)
    except AlmanacError as error:
        if error.mistakes[0].what != NO_SUCH_ROW:
            told = (replace(each, what=f"{page.page.name}: {each.what}", where=where) for each in error.mistakes)
            raise BookMistake(*told) from None
        return None, f"no row {row!r}"
    cell = row_found.cells.get(named.key)
    if cell is not None and not isinstance(cell, Decimal):
        raise BookMistake(Mistake("not an amount", where, f"{row_found.label}, {head_words(named)}"))
    return cell or Decimal(0), f"{row_found.label}, {head_words(named)}"
