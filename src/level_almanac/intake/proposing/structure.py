"""Which rows of an export are heads, which are lines, and which are totals, headings and footers."""

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import field, replace

from level_almanac.immutable import immutable
from level_almanac.intake.formats.heads import SEPARATOR_TOLD, heads_over, numbered_heads
from level_almanac.intake.proposing.grid import Grid, GridRow
from level_almanac.intake.proposing.guesses import date_guess, number_style, period_guess
from level_almanac.intake.proposing.words import GRAND, is_end, is_total, known_heads, plain

_LOOKED_AT = 30
_SHEETS_END = (1 << 16, 1 << 20, (1 << 16) + 1, (1 << 20) + 1)
"""How many rows spreadsheet programs hold: an export of just as many was cut off there."""
_DASHES = re.compile(r"[-=_*.\s]{3,}")


@immutable
class Structure:
    """An export with its heads known. head_row, head_rows: where they stand, 0 for none; rows: those that are lines;
    totals, ends, repeats, dashes, headings: the others, by what they are; uneven: whether rows differ in length;
    cut_off: whether it seems to end too early.
    """

    grid: Grid
    heads: list[str]
    head_row: int
    head_rows: int
    rows: list[GridRow]
    totals: list[GridRow] = field(default_factory=list)
    ends: list[GridRow] = field(default_factory=list)
    repeats: list[GridRow] = field(default_factory=list)
    dashes: list[GridRow] = field(default_factory=list)
    headings: list[GridRow] = field(default_factory=list)
    uneven: bool = False
    cut_off: bool = False

    def texts(self, column: int) -> list[str]:
        """Return the texts of a column that are not blank."""
        return [row.cells[column] for row in self.rows if column < len(row.cells) and row.cells[column]]

    def cells(self, column: int) -> list[str]:
        """Return a column's texts row by row, blank ones too."""
        return [row.cells[column] if column < len(row.cells) else "" for row in self.rows]


def structure_of(grid: Grid) -> Structure:
    """Return the structure of an export's rows."""
    if grid.heads is not None:
        return _sorted_out(Structure(grid, grid.heads, 1, 1, grid.rows))
    rows = [row for row in grid.rows if not _tells_delimiter(row)]
    at, count = _head_place(rows)
    if at is None:
        width = max((len(row.cells) for row in rows[:200]), default=0)
        return _sorted_out(Structure(grid, numbered_heads(width), 0, 1, rows))
    heads = heads_over([row.cells for row in rows[at : at + count]])
    while len(heads) > 1 and heads[-1] == f"column {len(heads)}" and not _any_below(rows[at + count :], len(heads) - 1):
        heads.pop()
    told = rows[at].line
    # The line `sep=;` stands before the heads of a file whose heads are its first row in every other way.
    told = 1 if at == 0 and rows[0].line == 2 and len(rows) < len(grid.rows) else told
    return _sorted_out(Structure(grid, heads, told, count, rows[at + count :]))


def _tells_delimiter(row: GridRow) -> bool:
    return row.line == 1 and row.cells[0].lower().startswith(SEPARATOR_TOLD) and row.filled <= 2


def _any_below(rows: Sequence[GridRow], column: int) -> bool:
    return any(column < len(row.cells) and row.cells[column] for row in rows)


def _head_place(rows: Sequence[GridRow]) -> tuple[int | None, int]:
    """Return which of the rows are the heads, and over how many they stand; None where there are none."""
    widest = max((row.filled for row in rows[:_LOOKED_AT]), default=0)
    scores = []
    for at, row in enumerate(rows[:_LOOKED_AT]):
        if row.filled * 2 < widest or row.filled < 2:
            continue
        known = sum(plain(cell) in known_heads() for cell in row.cells if cell)
        data = sum(_is_data(cell) for cell in row.cells if cell)
        scores.append((known - 2 * data - at / 100, at, known, data))
    if not scores:
        return (0, 1) if rows else (None, 1)
    _, at, known, data = max(scores)
    # Months and periods are heads too, though they look like data.
    row = rows[at]
    if not known and data and data * 2 >= row.filled and not _are_periods(row.cells):
        return None, 1
    return at, 2 if _goes_on(rows, at) else 1


def _goes_on(rows: Sequence[GridRow], at: int) -> bool:
    """Tell whether the row below the heads holds heads too: the upper ones stand twice, or are blank as merged ones."""
    if at + 1 >= len(rows):
        return False
    upper, lower = rows[at].cells, rows[at + 1].cells
    named = [cell for cell in upper if cell]
    twice = len(set(named)) < len(named) or any(
        not cell and number < len(lower) and lower[number] for number, cell in enumerate(upper)
    )
    return twice and not any(_is_data(cell) for cell in lower if cell) and bool(lower)


def _are_periods(cells: Sequence[str]) -> bool:
    named = [cell for cell in cells if cell]
    return sum(bool(period_guess([cell]) or date_guess([cell])) for cell in named) * 2 >= len(named) > 1


def _is_data(cell: str) -> bool:
    """Tell whether a text is a number or a day, as heads are not."""
    if not any(letter.isdigit() for letter in cell):
        return False
    if period_guess([cell]) or re.fullmatch(r"\d{1,2}|(19|20)\d\d", cell):
        # Periods and years are heads as well.
        return False
    if date_guess([cell]) is not None:
        return True
    style = number_style([cell])
    return style is not None


def _sorted_out(found: Structure) -> Structure:
    """Return the structure with the rows that are no lines apart."""
    kept: list[GridRow] = []
    others: dict[str, list[GridRow]] = {"totals": [], "ends": [], "repeats": [], "dashes": [], "headings": []}
    heads = [plain(head) for head in found.heads]
    usual = Counter(row.filled for row in found.rows).most_common(1)[0][0] if found.rows else 0
    last = max((row.line for row in found.rows if row.filled > 1), default=0)
    for row in found.rows:
        kind = _kind_of(row, heads, usual, near_end=row.line > last)
        (others[kind] if kind else kept).append(row)
    other = [row for row in kept if len(row.cells) != len(found.heads)]
    text = found.grid.block.format == "csv" and found.grid.heads is None
    # One row alone that lacks its last fields, at the very end, is where an export broke off.
    broken = text and len(kept) > 2 and other == kept[-1:] and len(other[0].cells) < len(found.heads)
    uneven = text and bool(other) and not broken
    told = replace(
        found,
        rows=kept,
        uneven=uneven,
        cut_off=broken or found.grid.whole + 1 in _SHEETS_END,
        totals=others["totals"],
        ends=others["ends"],
        repeats=others["repeats"],
        dashes=others["dashes"],
        headings=others["headings"],
    )
    return _with_headings(told)


def _kind_of(row: GridRow, heads: list[str], usual: int, *, near_end: bool) -> str:
    first = next((cell for cell in row.cells if cell), "")
    named = [head for head in heads if head]
    if (
        row.filled > 1
        and named
        and plain(first) == named[0]
        and [plain(c) for c in row.cells if c] == named[: row.filled]
    ):
        return "repeats"
    if all(_DASHES.fullmatch(cell) for cell in row.cells if cell) and first and len(first) > 2:
        return "dashes"
    if is_total(first) and (row.filled < usual or len(first.split()) < 4):
        return "totals" if any(_is_data(cell) for cell in row.cells[1:] if cell) else "ends"
    if is_end(first) and row.filled < usual:
        return "ends"
    if near_end and row.filled == 1 and usual > 3 and not _is_data(first):
        return "ends"
    return ""


def _with_headings(found: Structure) -> Structure:
    """Return the structure with rows apart that hold one text alone, as an account that stands over its lines."""
    alone = [row for row in found.rows if row.filled == 1 and row.cells[0]]
    usual = Counter(row.filled for row in found.rows).most_common(1)[0][0] if found.rows else 0
    if not alone or usual < 3 or len(alone) * 2 > len(found.rows):
        return found
    lines = {row.line for row in alone}
    return replace(found, rows=[row for row in found.rows if row.line not in lines], headings=alone)


def shared_start(rows: Sequence[GridRow]) -> str:
    """Return how the first texts of all these rows begin, up to the end of a word; nothing where they do not."""
    texts = [next((cell for cell in row.cells if cell), "") for row in rows]
    start = texts[0] if texts else ""
    for text in texts[1:]:
        while not text.startswith(start):
            start = start[:-1]
    whole = re.match(r"(?:[^\W\d_]+[ :.]*)+", start)
    return whole[0] if whole else ""


def passing(found: Structure, word: str) -> Iterator[str]:
    """Yield the conditions of the rows that are no lines. word: what conditions call the first column."""
    if found.repeats:
        yield f'{word} is "{found.repeats[0].cells[0]}"'
    for row in found.dashes[:1]:
        yield f'{word} begins "{row.cells[0][:3]}"'
    starts = list(dict.fromkeys(_first_word(row) for row in found.ends))
    yield from (f'{word} begins "{start}"' for start in starts)
    if found.headings:
        yield f'{word} begins "{shared_start(found.headings).strip()}"'


def _first_word(row: GridRow) -> str:
    first = next((cell for cell in row.cells if cell), "")
    return " ".join(first.split()[:2])


def is_grand(row: GridRow) -> bool:
    """Tell whether a total is of all lines, as its words say."""
    return any(plain(cell).startswith(GRAND) for cell in row.cells[:3] if cell)
