"""Fixed-width text: each column has the same letters of every line."""

import csv
from pathlib import Path

from level_almanac.errors import Mistake
from level_almanac.files.settings import IntakeBlock
from level_almanac.immutable import immutable
from level_almanac.intake.formats.csv_text import CsvText
from level_almanac.intake.formats.records import Numbered


@immutable
class FixedText:
    """One file of fixed-width text: its place, the name that messages call it by, and the block that says how it is
    read. Columns are told by the letters that they begin and end with, from 1.
    """

    path: Path
    name: str
    block: IntakeBlock

    def head(self) -> list[str]:
        """Return the names that the block gives to the columns."""
        return list(self.block.columns)

    def write_numbered(self, target: Path, limit: int) -> Numbered:
        """Write the lines behind their numbers, as `Records` says; those that are blank, or heads, are none."""
        mistakes: list[Mistake] = []
        told = records = unwritten = 0
        places = [_place(letters) for letters in self.block.columns.values()]
        last_head = self.block.head_row + self.block.head_rows - 1 if self.block.head_row else 0
        text = CsvText.of(self.path, self.name, self.block)
        with self.path.open("rb") as stream, target.open("w", encoding="utf-8", newline="") as copy:
            writer = csv.writer(copy, quoting=csv.QUOTE_ALL, lineterminator="\n")
            for number, line in enumerate(text.lines(stream, mistakes), 1):
                plain = line.rstrip("\r\n\x0c\x1a")
                if number <= last_head or not plain.strip():
                    told = len(mistakes)
                    continue
                records += 1
                if len(mistakes) > told:
                    unwritten, told = unwritten + 1, len(mistakes)
                    continue
                writer.writerow([number, *(plain[first:end].replace("\x00", "") for first, end in places)])
        return Numbered(mistakes[:limit], len(mistakes), records, unwritten)


def _place(letters: str) -> tuple[int, int]:
    first, _, last = letters.partition("-")
    return int(first) - 1, int(last)
