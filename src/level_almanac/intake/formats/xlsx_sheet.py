"""One sheet of an XLSX workbook as it stands in its file: each row by its own number, whatever size the sheet says it
has, and each number by the text of its cell, so that no binary float stands between.
"""

import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from decimal import Decimal, InvalidOperation
from functools import cache
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import Element, iterparse

from level_almanac.errors import BookMistake, Mistake
from level_almanac.intake.formats.sheet_cells import Merged, SheetCell, SheetRow, sheet_named, unreadable

_MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_STRICT = "{http://purl.oclc.org/ooxml/spreadsheetml/main}"


class XlsxSheet:
    """One sheet of a workbook that was opened."""

    def __init__(self, book: Any, sheet: Any, name: str) -> None:
        self.title: str = sheet.title
        self._book, self._sheet, self._name = book, sheet, name
        self.merged: tuple[Merged, ...] = ()
        # Most cells share a few styles.
        self._is_time, self._is_percent = cache(self._looked_up_time), cache(self._looked_up_percent)

    def rows(self) -> Iterator[SheetRow]:
        """Yield the rows in their order in the file; after the last, `merged` is known."""
        merged: list[Merged] = []
        number = 0
        try:
            with self._sheet._get_source() as source:
                # Expat refuses entities that grow, and nothing outside the file is read.
                for _, element in iterparse(source):  # noqa: S314
                    tag = element.tag.removeprefix(_MAIN).removeprefix(_STRICT)
                    if tag == "row":
                        number = int(Decimal(element.get("r", number + 1)))
                        yield self._row(number, element)
                        element.clear()
                    elif tag == "mergeCell":
                        merged.append(_merged(element.get("ref", "")))
        except Exception as error:
            raise unreadable(self._name, "XLSX", error) from None
        self.merged = tuple(merged)

    def _row(self, number: int, row: Element) -> SheetRow:
        found: dict[int, SheetCell] = {}
        again = []
        column = 0
        for element in row:
            column = _column(element.get("r", "")) or column + 1
            cell = self._cell(element)
            if cell is not None:
                again += [column] if column in found else []
                found[column] = cell
        return SheetRow(number, found, tuple(again))

    def _cell(self, element: Element) -> SheetCell | None:
        kind, style = element.get("t", "n"), int(element.get("s", 0))
        value: str | None = None
        formula: str | None = None
        for child in element:
            if child.tag.endswith("}v"):
                value = child.text or None
            elif child.tag.endswith("}f"):
                formula = f"={child.text or ''}"
            elif child.tag.endswith("}is"):
                value = "".join(text.text or "" for text in child.iter() if text.tag.endswith("}t"))
        if value is None:
            return None if formula is None else SheetCell("", formula=formula)
        return self._typed(kind, value, style)

    def _typed(self, kind: str, value: str, style: int) -> SheetCell:
        match kind:
            case "s":
                return SheetCell(self._sheet._shared_strings[int(value)])
            case "b":
                return SheetCell(value not in ("0", "false"))
            case "e":
                return SheetCell(value, error=True)
            case "d":
                return SheetCell(datetime.fromisoformat(value.removesuffix("Z")))
            case "n":
                return self._number(value, style)
        return SheetCell(value)

    def _number(self, text: str, style: int) -> SheetCell:
        try:
            number = Decimal(text)
        except InvalidOperation:
            raise ValueError(f"could not convert string to float: {text!r}") from None
        if style not in self._book._date_formats:
            return SheetCell(number, percent=self._is_percent(style))
        from openpyxl.utils.datetime import from_excel

        try:
            day = from_excel(float(number), self._book.epoch, timedelta=style in self._book._timedelta_formats)
        except (OverflowError, ValueError):
            return SheetCell("#VALUE!", error=True)
        if isinstance(day, datetime) and self._is_time(style):
            # What is shown as a time of day alone is no day, whatever lies beneath.
            return SheetCell(day.time().isoformat())
        return SheetCell(day)

    def _looked_up_time(self, style: int) -> bool:
        signs = set(self._shown_as(style))
        return bool(signs & {"h", "s"}) and not signs & {"d", "y"}

    def _looked_up_percent(self, style: int) -> bool:
        return "%" in self._shown_as(style)

    def _shown_as(self, style: int) -> str:
        """Return the number format of a style in small letters, without what stands in quotes there."""
        from openpyxl.styles.numbers import BUILTIN_FORMATS, BUILTIN_FORMATS_MAX_SIZE

        number = self._book._cell_styles[style].numFmtId
        custom = number - BUILTIN_FORMATS_MAX_SIZE
        shown = self._book._number_formats[custom] if custom >= 0 else BUILTIN_FORMATS.get(number, "")
        return "".join(shown.split('"')[::2]).lower()


def open_xlsx(path: Path, name: str, sheet: str) -> XlsxSheet:
    """Return a sheet of a workbook.

    name: what messages call the file; sheet: its name, or empty for the only one. Raises BookMistake for what is no
    workbook that can be read, and where no sheet or several are meant.
    """
    book = open_workbook(path, name)
    found = book[sheet_named(book.sheetnames, sheet, name)]
    if not hasattr(found, "_get_source"):
        raise BookMistake(Mistake("this sheet holds a chart, not cells", name, repr(found.title)))
    return XlsxSheet(book, found, name)


def open_workbook(path: Path, name: str) -> Any:
    """Return a workbook; raise BookMistake where it is none."""
    import openpyxl

    try:
        return openpyxl.load_workbook(path, read_only=True)
    except Exception as error:
        raise unreadable(name, "XLSX", error) from None


def _column(place: str) -> int:
    """Return the number of the column of a cell's place, such as 28 for AB7; 0 where there is none."""
    number = 0
    for letter in place:
        if not letter.isalpha():
            break
        number = number * 26 + ord(letter.upper()) - 64
    return number


def _merged(place: str) -> Merged:
    first, _, last = place.partition(":")
    return Merged(place, _row_of(first), _column(first), _row_of(last or first))


def _row_of(place: str) -> int:
    return int("".join(letter for letter in place if letter.isdigit()))


@contextmanager
def quiet() -> Iterator[None]:
    """Keep to itself what the reader of workbooks warns of: what matters of it is a mistake of ours."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        yield
