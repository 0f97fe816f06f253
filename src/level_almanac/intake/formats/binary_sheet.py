"""One sheet of a binary workbook: XLS, read by xlrd, or XLSB, read by calamine. Both hold numbers as binary floats, of
fifteen figures.
"""

import io
import zipfile
from collections.abc import Iterator
from datetime import datetime
from decimal import Decimal
from pathlib import Path
from typing import Any, Protocol

from level_almanac.intake.formats.sheet_cells import (
    MOST_CELLS,
    Merged,
    Sheet,
    SheetCell,
    SheetRow,
    sheet_named,
    unreadable,
)

_ERRORS = ("#DIV/0!", "#N/A", "#NAME?", "#NULL!", "#NUM!", "#REF!", "#VALUE!")
_ROW_HEAD, _FIRST_CELL, _LAST_CELL = 0, 1, 11
"""Records of a sheet of an XLSB workbook: the head of a row, and the kinds of cells."""


class XlsSheet:
    """One sheet of an XLS workbook."""

    def __init__(self, path: Path, name: str, sheet: str) -> None:
        self._name = name
        try:
            self._book = _xls(path)
            self.title = sheet_named(self._book.sheet_names(), sheet, name)
            self._sheet = self._book.sheet_by_name(self.title)
        except Exception as error:
            raise unreadable(name, "XLS", error) from None
        self.merged = tuple(
            Merged(f"row {first + 1}, column {left + 1}", first + 1, left + 1, last)
            for first, last, left, _ in self._sheet.merged_cells
        )

    def rows(self) -> Iterator[SheetRow]:
        """Yield the rows that hold something."""
        try:
            for number in range(self._sheet.nrows):
                cells = {
                    at: cell
                    for at, (kind, value) in enumerate(
                        zip(self._sheet.row_types(number), self._sheet.row_values(number), strict=True), 1
                    )
                    if (cell := self._cell(kind, value)) is not None
                }
                if cells:
                    yield SheetRow(number + 1, cells)
        except Exception as error:
            raise unreadable(self._name, "XLS", error) from None

    def _cell(self, kind: int, value: Any) -> SheetCell | None:
        import xlrd

        match kind:
            case xlrd.XL_CELL_NUMBER:
                return SheetCell(Decimal(repr(value)))
            case xlrd.XL_CELL_DATE:
                day: datetime = xlrd.xldate.xldate_as_datetime(value, self._book.datemode)
                return SheetCell(day if value >= 1 else day.time().isoformat())
            case xlrd.XL_CELL_BOOLEAN:
                return SheetCell(bool(value))
            case xlrd.XL_CELL_ERROR:
                return SheetCell(xlrd.error_text_from_code.get(value, "#VALUE!"), error=True)
            case xlrd.XL_CELL_TEXT if value:
                return SheetCell(value)
        return None


def _xls(path: Path) -> Any:
    import xlrd

    # What its reader remarks is a mistake of ours where it matters; merged cells are known with formats only.
    return xlrd.open_workbook(str(path), logfile=io.StringIO(), formatting_info=True)


class XlsbSheet:
    """One sheet of an XLSB workbook."""

    def __init__(self, path: Path, name: str, sheet: str) -> None:
        self._name = name
        try:
            _check_sizes(path)
            book = _xlsb(path)
            self.title = sheet_named(book.sheet_names, sheet, name)
            self._sheet = book.get_sheet_by_name(self.title)
        except Exception as error:
            raise unreadable(name, "XLSB", error) from None
        self.merged: tuple[Merged, ...] = ()

    def rows(self) -> Iterator[SheetRow]:
        """Yield the rows that hold something."""
        for number, row in enumerate(self._sheet.to_python(skip_empty_area=False), 1):
            cells = {at: _xlsb_cell(value) for at, value in enumerate(row, 1) if value not in ("", None)}
            if cells:
                yield SheetRow(number, cells)


def _xlsb_cell(value: Any) -> SheetCell:
    if isinstance(value, int | float) and not isinstance(value, bool):
        return SheetCell(Decimal(repr(value)))
    return SheetCell(value, error=isinstance(value, str) and value in _ERRORS)


def _xlsb(path: Path) -> Any:
    import python_calamine

    return python_calamine.CalamineWorkbook.from_path(path)


class _Readable(Protocol):
    def read(self, size: int, /) -> bytes: ...


def _check_sizes(path: Path) -> None:
    """Raise ValueError where a sheet claims more cells than can be held: its reader makes room for all of them."""
    with zipfile.ZipFile(path) as archive:
        for name in archive.namelist():
            if not name.startswith("xl/worksheets/") or not name.endswith(".bin"):
                continue
            rows = columns = 1
            with archive.open(name) as stream:
                for kind, body in _records(stream):
                    if kind == _ROW_HEAD:
                        rows = max(rows, int.from_bytes(body[:4], "little") + 1)
                    elif _FIRST_CELL <= kind <= _LAST_CELL:
                        columns = max(columns, int.from_bytes(body[:4], "little") + 1)
            if rows * columns > MOST_CELLS:
                raise ValueError(f"a sheet claims {rows:,} rows of {columns:,} columns")


def _records(stream: _Readable) -> Iterator[tuple[int, bytes]]:
    """Yield each record of a part of the workbook: its kind and its bytes."""
    while first := stream.read(1):
        kind = first[0]
        if kind & 0x80:
            kind = kind & 0x7F | (stream.read(1) or b"\0")[0] << 7
        length = shift = 0
        while shift < 28:
            byte = (stream.read(1) or b"\0")[0]
            length |= (byte & 0x7F) << shift
            shift += 7
            if not byte & 0x80:
                break
        body = stream.read(length)
        if len(body) < length:
            raise ValueError("a part of the workbook ends too early")
        yield kind, body


def binary_sheet(path: Path, name: str, sheet: str, kind: str) -> Sheet:
    """Return a sheet of a binary workbook. kind: `xls` or `xlsb`; raises BookMistake for what cannot be read."""
    return XlsSheet(path, name, sheet) if kind == "xls" else XlsbSheet(path, name, sheet)


def binary_sheets(path: Path, name: str, kind: str) -> list[str]:
    """Return the names of the sheets; raise BookMistake for what is no such workbook."""
    try:
        if kind == "xls":
            return list(_xls(path).sheet_names())
        _check_sizes(path)
        return list(_xlsb(path).sheet_names)
    except Exception as error:
        raise unreadable(name, kind.upper(), error) from None
