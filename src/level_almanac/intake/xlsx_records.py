"""A sheet of an XLSX workbook: its head row, and each row below it as a record with its row number."""

import csv
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from level_almanac.errors import BookMistake, Mistake, listed, nearest
from level_almanac.files.settings import IntakeBlock
from level_almanac.intake.records import TextForm


@dataclass(frozen=True, slots=True)
class XlsxRecords:
    """One workbook: its file, the name that messages call it by, and the block that says how it is read."""

    path: Path
    name: str
    block: IntakeBlock

    def head(self) -> list[str]:
        """Return the heads, up to the last that is not blank."""
        heads, _ = self._heads()
        return heads

    def _heads(self) -> tuple[list[str], Any]:
        sheet = self._sheet(values=True)
        rows = sheet.iter_rows(min_row=self.block.head_row, max_row=self.block.head_row, values_only=True)
        heads = ["" if cell is None else str(cell).strip() for cell in next(rows, ())]
        while heads and not heads[-1]:
            heads.pop()
        where = f"{self.name}:{self.block.head_row}"
        if not heads:
            step = "say head_row = N in the intake block, and sheet where the workbook has several"
            raise BookMistake(Mistake(f"the head row of the sheet {sheet.title!r} is blank", where, next_step=step))
        for number, head in enumerate(heads, 1):
            if not head:
                what = f"the head of column {_letters(number)} is blank"
                step = "heads merged over several columns leave all but the first blank: give each column a head"
                raise BookMistake(Mistake(what, where, next_step=step))
        return heads, sheet

    def _sheet(self, *, values: bool) -> Any:
        book = open_workbook(self.path, self.name, values=values)
        if not self.block.sheet:
            if len(book.sheetnames) > 1:
                step = f'say sheet = "…": {listed(book.sheetnames)}'
                raise BookMistake(Mistake("the workbook has several sheets", self.name, next_step=step))
            return book[book.sheetnames[0]]
        if self.block.sheet not in book.sheetnames:
            hint = nearest(self.block.sheet, book.sheetnames)
            what, known = "the workbook has no such sheet", listed(book.sheetnames)
            raise BookMistake(Mistake(what, self.name, repr(self.block.sheet), known, hint))
        return book[self.block.sheet]

    def write_numbered(self, target: Path, limit: int) -> tuple[list[Mistake], int]:
        """Write the rows below the head row; a cell that holds an error, or a formula without a value, is a mistake."""
        heads, sheet = self._heads()
        formulas = self._sheet(values=False)
        form = TextForm(self.block)
        mistakes: list[Mistake] = []
        first = self.block.head_row + 1
        with target.open("w", encoding="utf-8", newline="") as stream:
            writer = csv.writer(stream, quoting=csv.QUOTE_ALL, lineterminator="\n")
            rows = zip(sheet.iter_rows(min_row=first), formulas.iter_rows(min_row=first), strict=False)
            for number, (cells, sources) in enumerate(rows, first):
                mistakes += self._wrong(number, heads, cells, sources)
                record = [form.text(cell.value) for cell in cells]
                if any(text.strip() for text in record):
                    if any(text.strip() for text in record[len(heads) :]):
                        what = f"a cell beyond the last head, {heads[-1]!r}"
                        mistakes.append(Mistake(what, f"{self.name}:{number}", allowed="a head over each column"))
                    record += [""] * (len(heads) - len(record))
                    writer.writerow([number, *record[: len(heads)]])
        return mistakes[:limit], len(mistakes)

    def _wrong(self, number: int, heads: list[str], cells: Any, sources: Any) -> Iterator[Mistake]:
        for head, cell, source in zip(heads, cells, sources, strict=False):
            where = f"{self.name}:{number}: {head}"
            if cell.data_type == "e":
                yield Mistake("the cell holds an error", where, repr(cell.value), "a value")
            elif cell.value is None and source.data_type == "f":
                step = "open the workbook in a spreadsheet program and save it, so that its formulas have values"
                yield Mistake("a formula without a value", where, repr(str(source.value)), next_step=step)


def open_workbook(path: Path, name: str, *, values: bool) -> Any:
    """Return a workbook whose cells hold values, or the formulas; raise BookMistake where it is none."""
    import openpyxl

    try:
        return openpyxl.load_workbook(path, read_only=True, data_only=values)
    except (zipfile.BadZipFile, KeyError, OSError, ValueError) as error:
        raise BookMistake(Mistake("not an XLSX workbook", name, str(error))) from None


def _letters(number: int) -> str:
    letters = ""
    while number:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return letters
