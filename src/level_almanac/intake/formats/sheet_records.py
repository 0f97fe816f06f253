"""A sheet of a workbook: its head row, and each row below it as a record with its row number."""

import csv
from collections.abc import Iterator
from datetime import time, timedelta
from decimal import Decimal
from pathlib import Path

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.settings import IntakeBlock
from level_almanac.immutable import immutable
from level_almanac.intake.formats.binary_sheet import binary_sheet, binary_sheets
from level_almanac.intake.formats.heads import heads_over, numbered_heads
from level_almanac.intake.formats.ods_sheet import OdsSheet, ods_sheets
from level_almanac.intake.formats.records import Numbered, TextForm
from level_almanac.intake.formats.sheet_cells import (
    MOST_COLUMNS,
    Merged,
    Sheet,
    SheetCell,
    SheetRow,
    exact_words,
    kept,
)
from level_almanac.intake.formats.xlsx_sheet import open_workbook, open_xlsx, quiet


def sheet_names(path: Path, name: str, kind: str) -> list[str]:
    """Return the names of a workbook's sheets. kind: its format; raises BookMistake for what cannot be read."""
    with quiet():
        match kind:
            case "ods":
                return ods_sheets(path, name)
            case "xls" | "xlsb":
                return binary_sheets(path, name, kind)
        return list(open_workbook(path, name).sheetnames)


def open_sheet(path: Path, name: str, kind: str, sheet: str) -> Sheet:
    """Return a sheet of a workbook. sheet: its name, or empty for the only one; raises BookMistake."""
    match kind:
        case "ods":
            return OdsSheet(path, name, sheet)
        case "xls" | "xlsb":
            return binary_sheet(path, name, sheet, kind)
    return open_xlsx(path, name, sheet)


@immutable
class SheetRecords:
    """One sheet: its workbook's file, the name that messages call it by, the block that says how it is read, and which
    sheet it is, or nothing for the only one.
    """

    path: Path
    name: str
    block: IntakeBlock
    sheet: str = ""

    def head(self) -> list[str]:
        """Return the heads, up to the last that is not blank."""
        with quiet():
            return self._heads()[0]

    @property
    def _last_head_row(self) -> int:
        return self.block.head_row + self.block.head_rows - 1 if self.block.head_row else 0

    def _heads(self) -> tuple[list[str], Sheet]:
        sheet = open_sheet(self.path, self.name, self.block.format, self.sheet)
        if not self.block.head_row:
            return numbered_heads(max((at for row in sheet.rows() for at in row.cells), default=0)), sheet
        found: dict[int, SheetRow] = {}
        for row in sheet.rows():
            if row.number > self._last_head_row:
                break
            found[row.number] = row
        rows = [found[at].cells if at in found else {} for at in range(self.block.head_row, self._last_head_row + 1)]
        where = f"{self.name}:{self.block.head_row}"
        last = max((at for cells in rows for at, cell in cells.items() if str(cell.value).strip()), default=0)
        if last > MOST_COLUMNS:
            raise BookMistake(Mistake("a head stands too far to the right", f"{where}: {_letters(last)}"))
        if not last:
            step = "say head_row = N in the intake block, and sheet where the workbook has several"
            raise BookMistake(Mistake(f"the head row of the sheet {sheet.title!r} is blank", where, next_step=step))
        form = TextForm(self.block)
        texts = [[_text(form, cells.get(at), plain=True) for at in range(1, last + 1)] for cells in rows]
        return heads_over(texts), sheet

    def write_numbered(self, target: Path, limit: int) -> Numbered:
        """Write the rows below the head row, as `Records` says; what a cell does not plainly hold is a mistake.

        Raises BookMistake for merged cells, which leave it open what the others hold.
        """
        mistakes: list[Mistake] = []
        records = unwritten = last = 0
        percent = "percent" in self.block.numbers
        with quiet(), target.open("w", encoding="utf-8", newline="") as stream:
            heads, sheet = self._heads()
            form = TextForm(self.block)
            writer = csv.writer(stream, quoting=csv.QUOTE_ALL, lineterminator="\n")
            for row in sheet.rows():
                if row.number <= last:
                    wrong = [Mistake("this row stands twice, or out of its order", f"{self.name}:{row.number}")]
                elif row.number <= self._last_head_row:
                    last = row.number
                    continue
                else:
                    wrong, last = list(self._wrong(heads, row)), row.number
                record = [_text(form, row.cells.get(at), percent=percent) for at in range(1, len(heads) + 1)]
                records += bool(wrong) or any(text.strip() for text in record)
                unwritten += bool(wrong)
                mistakes += wrong
                if not wrong and any(text.strip() for text in record):
                    writer.writerow([row.number, *record])
            if merged := list(self._merged(heads, sheet)):
                raise BookMistake(*merged[:limit], total=len(merged))
        return Numbered(mistakes[:limit], len(mistakes), records, unwritten)

    def _wrong(self, heads: list[str], row: SheetRow) -> Iterator[Mistake]:
        for at in row.again:
            what = f"the cell {_letters(at)}{row.number} stands twice in the file"
            yield Mistake(what, f"{self.name}:{row.number}")
        for at, cell in row.cells.items():
            if cell.formula:
                step = "open the workbook in a spreadsheet program and save it, so that its formulas have values"
                where = f"{self.name}:{row.number}: {heads[at - 1] if at <= len(heads) else _letters(at)}"
                yield Mistake("a formula without a value", where, repr(cell.formula), next_step=step)
                continue
            if at > len(heads):
                if str(cell.value).strip():
                    what = f"a cell beyond the last head, {heads[-1]!r}"
                    yield Mistake(what, f"{self.name}:{row.number}", _letters(at), "a head over each column")
                continue
            where = f"{self.name}:{row.number}: {heads[at - 1]}"
            if cell.error:
                yield Mistake("the cell holds an error", where, repr(cell.value), "a value")
            elif why := exact_words(cell.value):
                yield Mistake(why, where, str(cell.value), "15 figures, or the number as a text")

    def _merged(self, heads: list[str], sheet: Sheet) -> Iterator[Mistake]:
        """Yield the cells below the head that are merged and not blank: all but the first of them look blank."""
        merged: dict[tuple[int, int], Merged] = {
            (each.row, each.column): each
            for each in sheet.merged
            if each.last_row > self._last_head_row and each.column <= len(heads)
        }
        if not merged:
            return
        for row in sheet.rows():
            for at in row.cells:
                if each := merged.get((row.number, at)):
                    step = "take the merging away, and write the value into each of the cells"
                    where = f"{self.name}:{row.number}: {heads[at - 1]}"
                    yield Mistake("these cells are merged into one", where, each.place, next_step=step)


def _text(form: TextForm, cell: SheetCell | None, *, plain: bool = False, percent: bool = False) -> str:
    """Return what a cell holds as text. plain: of a head; percent: whether a number is taken as it is shown there."""
    if cell is None:
        return ""
    value = cell.value
    if isinstance(value, Decimal):
        value = kept(value) * 100 if percent and cell.percent else kept(value)
    elif isinstance(value, time | timedelta):
        value = str(value)
    if plain and not isinstance(value, str):
        # A month over a column is mostly a day in the file: as a head it is `2026-01-31`.
        return str(value)[:10] if hasattr(value, "year") else form.text(value)
    return form.text(value)


def _letters(number: int) -> str:
    letters = ""
    while number:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return letters
