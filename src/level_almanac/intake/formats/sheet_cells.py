"""What every kind of workbook gives: rows of cells, with what is odd about them."""

from collections.abc import Iterator, Sequence
from decimal import Context, Decimal
from typing import Any, NamedTuple, Protocol

from level_almanac.errors import AlmanacError, BookMistake, Mistake, listed, nearest

MOST_COLUMNS = 2_000
"""How far to the right a cell may stand."""
MOST_ROWS = 1 << 20
"""How many rows a sheet may have, as spreadsheet programs have it."""
MOST_CELLS = 50_000_000
"""How many cells a sheet may reach over that is held whole; a damaged file can claim any number."""
SPREADSHEET = Context(prec=15)
"""How exactly a spreadsheet program holds a number; what lies beyond is how its binary form came out."""


class SheetCell(NamedTuple):
    """What a cell holds. error: whether that is an error; formula: one that was saved without its value; percent:
    whether its number is shown as percent, a hundred times as large.
    """

    value: Any
    error: bool = False
    formula: str = ""
    percent: bool = False


class SheetRow(NamedTuple):
    """One row: its number, and its cells by the number of their column; again: the columns that stand in it twice."""

    number: int
    cells: dict[int, SheetCell]
    again: tuple[int, ...] = ()


class Merged(NamedTuple):
    """Cells that are merged into one: its place, such as `B4:B6`, its first row and column, and its last row."""

    place: str
    row: int
    column: int
    last_row: int


class Sheet(Protocol):
    """One sheet of a workbook that was opened."""

    title: str
    merged: tuple[Merged, ...]

    def rows(self) -> Iterator[SheetRow]:
        """Yield the rows in their order; after the last, `merged` is known."""


def sheet_named(names: Sequence[str], sheet: str, name: str) -> str:
    """Return the name of the sheet that is meant; raise BookMistake where there is none, or several are."""
    if not sheet and len(names) > 1:
        step = f'say sheet = "…": {listed(names)}, or sheet = "*" for all'
        raise BookMistake(Mistake("the workbook has several sheets", name, next_step=step))
    if not names:
        raise BookMistake(Mistake("the workbook has no sheet of cells", name))
    if sheet and sheet not in names:
        raise BookMistake(
            Mistake("the workbook has no such sheet", name, repr(sheet), listed(names), nearest(sheet, names))
        )
    return sheet or names[0]


def unreadable(name: str, kind: str, error: Exception) -> AlmanacError:
    """Return the one mistake of whatever a damaged or encrypted workbook led its reader to."""
    if isinstance(error, AlmanacError):
        return error
    told = " ".join(str(error).split())[:120] or type(error).__name__
    return BookMistake(Mistake(f"not an {kind} workbook that can be read", name, told))


def kept(number: Decimal) -> Decimal:
    """Return a number to the figures that a spreadsheet keeps."""
    return number.normalize(SPREADSHEET) if number.is_finite() else number


def exact_words(value: Any) -> str:
    """Return what is wrong with a number that has more figures than a spreadsheet keeps, or nothing."""
    if not isinstance(value, Decimal):
        return ""
    if not value.is_finite():
        return "this is no number"
    # What lies beyond is how the binary form came out, unless it is as much as money can be.
    off = abs(value - kept(value)) >= Decimal("0.005")
    return "the number has more figures than a spreadsheet keeps" if off else ""
