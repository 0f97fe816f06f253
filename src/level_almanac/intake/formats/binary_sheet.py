"""One sheet of an XLS or XLSB workbook, read by calamine. They hold numbers as binary floats, of fifteen figures."""

from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

from level_almanac.intake.formats.sheet_cells import Merged, SheetCell, SheetRow, sheet_named, unreadable


class BinarySheet:
    """One sheet of a workbook. kind: `XLS` or `XLSB`."""

    def __init__(self, path: Path, name: str, sheet: str, kind: str) -> None:
        self._name, self._kind = name, kind
        try:
            book = _opened(path)
            self.title = sheet_named(book.sheet_names, sheet, name)
            self._sheet = book.get_sheet_by_name(self.title)
            ranges = self._sheet.merged_cell_ranges or ()
        except Exception as error:
            raise unreadable(name, kind, error) from None
        self.merged = tuple(
            Merged(f"row {first[0] + 1}, column {first[1] + 1}", first[0] + 1, first[1] + 1, last[0] + 1)
            for first, last in ranges
        )

    def rows(self) -> Iterator[SheetRow]:
        """Yield the rows that hold something."""
        try:
            for number, row in enumerate(self._sheet.to_python(skip_empty_area=False), 1):
                cells = {at: _cell(value) for at, value in enumerate(row, 1) if value not in ("", None)}
                if cells:
                    yield SheetRow(number, cells)
        except Exception as error:
            raise unreadable(self._name, self._kind, error) from None


def _cell(value: Any) -> SheetCell:
    if isinstance(value, int | float) and not isinstance(value, bool):
        return SheetCell(Decimal(repr(value)))
    return SheetCell(value, error=isinstance(value, str) and value in _ERRORS)


_ERRORS = ("#DIV/0!", "#N/A", "#NAME?", "#NULL!", "#NUM!", "#REF!", "#VALUE!")


def _opened(path: Path) -> Any:
    import python_calamine

    return python_calamine.CalamineWorkbook.from_path(path)


def binary_sheets(path: Path, name: str, kind: str) -> list[str]:
    """Return the names of the sheets; raise BookMistake for what is no such workbook."""
    try:
        return list(_opened(path).sheet_names)
    except Exception as error:
        raise unreadable(name, kind, error) from None
