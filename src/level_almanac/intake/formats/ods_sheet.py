"""One sheet of an ODS workbook: its rows as they stand in the file, numbers by their cells' own text."""

import zipfile
from collections.abc import Iterator
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from xml.etree.ElementTree import Element, iterparse

from level_almanac.intake.formats.sheet_cells import (
    MOST_COLUMNS,
    MOST_ROWS,
    Merged,
    SheetCell,
    SheetRow,
    sheet_named,
    unreadable,
)

_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
_TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
_NUMBERS = ("float", "currency", "percentage")


class OdsSheet:
    """One sheet of a workbook."""

    def __init__(self, path: Path, name: str, sheet: str) -> None:
        self.title = sheet_named(ods_sheets(path, name), sheet, name)
        self._path, self._name = path, name
        self.merged: tuple[Merged, ...] = ()

    def rows(self) -> Iterator[SheetRow]:
        """Yield the rows that hold something; after the last, `merged` is known."""
        merged: list[Merged] = []
        number, within = 1, False
        try:
            for event, element in _elements(self._path):
                if element.tag == f"{_TABLE}table":
                    within = event == "start" and element.get(f"{_TABLE}name") == self.title
                elif event == "end" and within and element.tag == f"{_TABLE}table-row":
                    cells = dict(self._cells(element, number, merged))
                    times = int(element.get(f"{_TABLE}number-rows-repeated", 1))
                    if cells and number + times > MOST_ROWS:
                        raise ValueError(f"row {number} stands {times:,} times")
                    yield from (SheetRow(number + at, cells) for at in range(times if cells else 0))
                    number += times
                    element.clear()
        except Exception as error:
            raise unreadable(self._name, "ODS", error) from None
        self.merged = tuple(merged)

    def _cells(self, row: Element, number: int, merged: list[Merged]) -> Iterator[tuple[int, SheetCell]]:
        column = 1
        for element in row:
            if not element.tag.startswith(_TABLE) or not element.tag.endswith("table-cell"):
                continue
            times = int(element.get(f"{_TABLE}number-columns-repeated", 1))
            rows, columns = (int(element.get(f"{_TABLE}number-{each}-spanned", 1)) for each in ("rows", "columns"))
            if rows * columns > 1:
                merged.append(Merged(f"row {number}, column {column}", number, column, number + rows - 1))
            cell = _cell(element)
            if cell is not None:
                if column + times > MOST_COLUMNS:
                    raise ValueError(f"a cell of row {number} stands in {times:,} columns")
                yield from ((column + at, cell) for at in range(times))
            column += times


def _cell(element: Element) -> SheetCell | None:
    kind, text = element.get(f"{_OFFICE}value-type"), _text_of(element)
    if kind in _NUMBERS:
        return SheetCell(Decimal(element.get(f"{_OFFICE}value", "")), percent=kind == "percentage")
    if kind == "date":
        told = element.get(f"{_OFFICE}date-value", "")
        return SheetCell(datetime.fromisoformat(told) if "T" in told else date.fromisoformat(told))
    if kind == "boolean":
        return SheetCell(element.get(f"{_OFFICE}boolean-value") == "true")
    if text.startswith(("#", "Err:")) and element.get(f"{_TABLE}formula"):
        return SheetCell(text, error=True)
    if kind is None and (formula := element.get(f"{_TABLE}formula")):
        return SheetCell("", formula=formula)
    text = element.get(f"{_OFFICE}string-value", text)
    return SheetCell(text) if text else None


def _text_of(cell: Element) -> str:
    """Return the text of a cell: its paragraphs, one a line; remarks on the cell are none of it."""
    return "\n".join("".join(_pieces(each)) for each in cell if each.tag == f"{_TEXT}p")


def _pieces(element: Element) -> Iterator[str]:
    yield element.text or ""
    for child in element:
        if child.tag == f"{_TEXT}s":
            yield " " * int(child.get(f"{_TEXT}c", 1))
        else:
            yield from _pieces(child)
        yield child.tail or ""


def _elements(path: Path) -> Iterator[tuple[str, Element]]:
    with zipfile.ZipFile(path) as archive, archive.open("content.xml") as stream:
        # Expat refuses entities that grow, and nothing outside the file is read.
        yield from iterparse(stream, events=("start", "end"))  # noqa: S314


def ods_sheets(path: Path, name: str) -> list[str]:
    """Return the names of the sheets; raise BookMistake for what is no such workbook."""
    try:
        found = [
            element.get(f"{_TABLE}name", "")
            for event, element in _elements(path)
            if event == "start" and element.tag == f"{_TABLE}table"
        ]
    except Exception as error:
        raise unreadable(name, "ODS", error) from None
    return found
