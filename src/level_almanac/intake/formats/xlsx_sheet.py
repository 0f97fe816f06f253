"""One sheet of a workbook as it stands in its file: each row by its own number, whatever size the sheet says it has."""

import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from decimal import Decimal
from pathlib import Path
from typing import Any, NamedTuple

from level_almanac.errors import AlmanacError, BookMistake, Mistake, listed, nearest

MOST_COLUMNS = 2_000
"""How far to the right a cell may stand."""


class SheetCell(NamedTuple):
    """What a cell holds. error: whether that is an error; formula: whether it was asked for as its formula."""

    value: Any
    error: bool = False
    formula: bool = False


class SheetRow(NamedTuple):
    """One row: its number, and its cells by the number of their column; again: the columns that stand in it twice."""

    number: int
    cells: dict[int, SheetCell]
    again: tuple[int, ...]


class Merged(NamedTuple):
    """Cells that are merged into one: its place, such as `B4:B6`, its first row and column, and its last row."""

    place: str
    row: int
    column: int
    last_row: int


class Sheet:
    """One sheet of a workbook that was opened."""

    def __init__(self, book: Any, sheet: Any, name: str, *, values: bool) -> None:
        self.title: str = sheet.title
        self._book, self._sheet, self._name, self._values = book, sheet, name, values
        self.merged: tuple[Merged, ...] = ()

    def rows(self) -> Iterator[SheetRow]:
        """Yield the rows in their order in the file; after the last, `merged` is known."""
        from openpyxl.worksheet._reader import WorkSheetParser

        try:
            with self._sheet._get_source() as source:
                parser = WorkSheetParser(
                    source,
                    self._sheet._shared_strings,
                    data_only=self._values,
                    epoch=self._book.epoch,
                    date_formats=self._book._date_formats,
                    timedelta_formats=self._book._timedelta_formats,
                )
                for number, cells in parser.parse():
                    found: dict[int, SheetCell] = {}
                    again = []
                    for cell in cells:
                        if cell["value"] is not None:
                            again += [cell["column"]] if cell["column"] in found else []
                            found[cell["column"]] = self._cell(cell)
                    yield SheetRow(number, found, tuple(again))
        except Exception as error:
            raise _unreadable(self._name, error) from None
        ranges = parser.merged_cells.mergeCell if parser.merged_cells else ()
        self.merged = tuple(Merged(each.coord, each.min_row, each.min_col, each.max_row) for each in ranges)

    def _cell(self, cell: dict[str, Any]) -> SheetCell:
        value, kind = cell["value"], cell["data_type"]
        if kind == "d" and isinstance(value, datetime) and self._is_time(cell["style_id"]):
            # What is shown as a time of day alone is no day, whatever lies beneath.
            value = value.time().isoformat()
        return SheetCell(value, error=kind == "e", formula=kind == "f")

    def _is_time(self, style: int) -> bool:
        from openpyxl.styles.numbers import BUILTIN_FORMATS, BUILTIN_FORMATS_MAX_SIZE

        number = self._book._cell_styles[style].numFmtId
        custom = number - BUILTIN_FORMATS_MAX_SIZE
        shown = self._book._number_formats[custom] if custom >= 0 else BUILTIN_FORMATS.get(number, "")
        signs = set("".join(shown.split('"')[::2]).lower())
        return bool(signs & {"h", "s"}) and not signs & {"d", "y"}


def open_sheet(path: Path, name: str, sheet: str, *, values: bool) -> Sheet:
    """Return a sheet of a workbook, whose cells give their values, or their formulas.

    name: what messages call the file; sheet: its name, or empty for the only one. Raises BookMistake for what is no
    workbook that can be read, and where no sheet or several are meant.
    """
    book = open_workbook(path, name, values=values)
    if not sheet and len(book.sheetnames) > 1:
        step = f'say sheet = "…": {listed(book.sheetnames)}'
        raise BookMistake(Mistake("the workbook has several sheets", name, next_step=step))
    if not book.sheetnames:
        raise BookMistake(Mistake("the workbook has no sheet of cells", name))
    if sheet and sheet not in book.sheetnames:
        what, known = "the workbook has no such sheet", listed(book.sheetnames)
        raise BookMistake(Mistake(what, name, repr(sheet), known, nearest(sheet, book.sheetnames)))
    found = book[sheet or book.sheetnames[0]]
    if not hasattr(found, "_get_source"):
        raise BookMistake(Mistake("this sheet holds a chart, not cells", name, repr(found.title)))
    return Sheet(book, found, name, values=values)


def open_workbook(path: Path, name: str, *, values: bool) -> Any:
    """Return a workbook whose cells hold values, or the formulas; raise BookMistake where it is none."""
    import openpyxl

    try:
        return openpyxl.load_workbook(path, read_only=True, data_only=values)
    except Exception as error:
        raise _unreadable(name, error) from None


def _unreadable(name: str, error: Exception) -> AlmanacError:
    """Return the one mistake of whatever a damaged or encrypted workbook led its reader to."""
    if isinstance(error, AlmanacError):
        return error
    told = " ".join(str(error).split())[:120] or type(error).__name__
    return BookMistake(Mistake("not an XLSX workbook that can be read", name, told))


@contextmanager
def quiet() -> Iterator[None]:
    """Keep to itself what the reader of workbooks warns of: what matters of it is a mistake of ours."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        yield


def exact_words(value: Any) -> str:
    """Return what is wrong with a number that has more figures than a spreadsheet keeps, or nothing."""
    if not isinstance(value, float):
        return ""
    exact = Decimal(repr(value))
    if not exact.is_finite():
        return "this is no number"
    kept = exact.quantize(Decimal(1).scaleb(exact.adjusted() - 14)) if exact else exact
    # What lies beyond is how the binary form came out, unless it is as much as money can be.
    return "the number has more figures than a spreadsheet keeps" if abs(exact - kept) >= Decimal("0.005") else ""
