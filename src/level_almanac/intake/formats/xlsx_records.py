"""A sheet of an XLSX workbook: its head row, and each row below it as a record with its row number."""

import csv
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.settings import IntakeBlock
from level_almanac.intake.formats.records import Numbered, TextForm
from level_almanac.intake.formats.xlsx_sheet import MOST_COLUMNS, Sheet, SheetRow, exact_words, open_sheet, quiet


@dataclass(frozen=True, slots=True)
class XlsxRecords:
    """One workbook: its file, the name that messages call it by, and the block that says how it is read."""

    path: Path
    name: str
    block: IntakeBlock

    def head(self) -> list[str]:
        """Return the heads, up to the last that is not blank."""
        with quiet():
            return self._heads()[0]

    def _heads(self) -> tuple[list[str], Sheet]:
        sheet = open_sheet(self.path, self.name, self.block.sheet, values=True)
        row = next((row for row in sheet.rows() if row.number >= self.block.head_row), None)
        cells = row.cells if row is not None and row.number == self.block.head_row else {}
        where = f"{self.name}:{self.block.head_row}"
        last = max(cells, default=0)
        if last > MOST_COLUMNS:
            raise BookMistake(Mistake("a head stands too far to the right", f"{where}: {_letters(last)}"))
        heads = [str(cells[at].value).strip() if at in cells else "" for at in range(1, last + 1)]
        while heads and not heads[-1]:
            heads.pop()
        if not heads:
            step = "say head_row = N in the intake block, and sheet where the workbook has several"
            raise BookMistake(Mistake(f"the head row of the sheet {sheet.title!r} is blank", where, next_step=step))
        for number, head in enumerate(heads, 1):
            if not head:
                what = f"the head of column {_letters(number)} is blank"
                step = "heads merged over several columns leave all but the first blank: give each column a head"
                raise BookMistake(Mistake(what, where, next_step=step))
        return heads, sheet

    def write_numbered(self, target: Path, limit: int) -> Numbered:
        """Write the rows below the head row, as `Records` says; what a cell does not plainly hold is a mistake.

        Raises BookMistake for merged cells, which leave it open what the others hold.
        """
        mistakes: list[Mistake] = []
        records = unwritten = last = 0
        with quiet(), target.open("w", encoding="utf-8", newline="") as stream:
            heads, sheet = self._heads()
            formulas, form = open_sheet(self.path, self.name, self.block.sheet, values=False), TextForm(self.block)
            writer = csv.writer(stream, quoting=csv.QUOTE_ALL, lineterminator="\n")
            for row, source in zip(sheet.rows(), formulas.rows(), strict=True):
                if row.number <= last:
                    wrong = [Mistake("this row stands twice, or out of its order", f"{self.name}:{row.number}")]
                elif row.number <= self.block.head_row:
                    last = row.number
                    continue
                else:
                    wrong, last = list(self._wrong(heads, row, source)), row.number
                record = [form.text(row.cells[at].value) if at in row.cells else "" for at in range(1, len(heads) + 1)]
                records += bool(wrong) or any(text.strip() for text in record)
                unwritten += bool(wrong)
                mistakes += wrong
                if not wrong and any(text.strip() for text in record):
                    writer.writerow([row.number, *record])
            if merged := list(self._merged(heads, sheet)):
                raise BookMistake(*merged[:limit], total=len(merged))
        return Numbered(mistakes[:limit], len(mistakes), records, unwritten)

    def _wrong(self, heads: list[str], row: SheetRow, source: SheetRow) -> Iterator[Mistake]:
        for at in row.again:
            what = f"the cell {_letters(at)}{row.number} stands twice in the file"
            yield Mistake(what, f"{self.name}:{row.number}")
        for at, cell in row.cells.items():
            if at > len(heads):
                if str(cell.value).strip():
                    what = f"a cell beyond the last head, {heads[-1]!r}"
                    yield Mistake(what, f"{self.name}:{row.number}", _letters(at), "a head over each column")
                continue
            where = f"{self.name}:{row.number}: {heads[at - 1]}"
            if cell.error:
                yield Mistake("the cell holds an error", where, repr(cell.value), "a value")
            elif why := exact_words(cell.value):
                yield Mistake(why, where, repr(cell.value), "15 figures, or the number as a text")
        without = {at: cell for at, cell in source.cells.items() if cell.formula and at not in row.cells}
        for at, cell in without.items():
            step = "open the workbook in a spreadsheet program and save it, so that its formulas have values"
            where = f"{self.name}:{row.number}: {heads[at - 1] if at <= len(heads) else _letters(at)}"
            yield Mistake("a formula without a value", where, repr(str(cell.value)), next_step=step)

    def _merged(self, heads: list[str], sheet: Sheet) -> Iterator[Mistake]:
        """Yield the cells below the head that are merged and not blank: all but the first of them look blank."""
        merged = {
            (each.row, each.column): each
            for each in sheet.merged
            if each.last_row > self.block.head_row and each.column <= len(heads)
        }
        if not merged:
            return
        for row in sheet.rows():
            for at in row.cells:
                if each := merged.get((row.number, at)):
                    step = "take the merging away, and write the value into each of the cells"
                    where = f"{self.name}:{row.number}: {heads[at - 1]}"
                    yield Mistake("these cells are merged into one", where, each.place, next_step=step)


def _letters(number: int) -> str:
    letters = ""
    while number:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return letters
