"""An export as texts in a work file, whatever its format."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from level_almanac.errors import BookMistake, Mistake
from level_almanac.immutable import immutable
from level_almanac.intake.dividing import cut_out
from level_almanac.intake.files import ExportFile, Stretch
from level_almanac.intake.formats.csv_text import CsvText
from level_almanac.intake.formats.fast_csv import copied_fast
from level_almanac.intake.formats.fixed_text import FixedText
from level_almanac.intake.formats.json_records import JsonRecords
from level_almanac.intake.formats.plain_text import in_utf8
from level_almanac.intake.formats.records import Records, TextForm
from level_almanac.intake.formats.sheet_records import SheetRecords
from level_almanac.intake.formats.unpacked import unpacked
from level_almanac.intake.formats.xml_records import XmlRecords
from level_almanac.store.engine import EngineError, WritingEngine
from level_almanac.store.exports import (
    NUMBERED_ROWS,
    copy_numbered_csv,
    copy_parquet,
    count_rows,
    parquet_heads,
    with_lines_ahead,
)

Found = tuple[list[Mistake], int]
"""The first mistakes, and how many there are in all."""


class RawExport(NamedTuple):
    """An export as texts in a work file. rows: the FROM clause of its rows, each with its line; records: how many the
    reader met; mistakes: in the file's shape; unwritten: records that are no texts because of one; types: of columns;
    uneven: by line what is wrong with rows that have too few fields or too many, and may be no lines.
    """

    path: Path
    heads: list[str]
    rows: str
    records: int
    mistakes: Found = ([], 0)
    unwritten: int = 0
    types: Sequence[str] = ()
    uneven: Mapping[int, Mistake] = {}


class NotDivided(Exception):
    """A stretch of an export that cannot be read by itself."""


@immutable
class RawReader:
    """Reads exports as texts. limit: how many mistakes in a file's shape are told of."""

    engine: WritingEngine
    work: Path
    limit: int

    def read(self, file: ExportFile, path: Path) -> RawExport:
        """Return an export as texts. path: the file, or what was fetched from a database.

        Raises BookMistake, and NotDivided where a stretch is asked for that is not as plain as can be.
        """
        block, raw = file.block, self.work / "raw.parquet"
        if file.stretch is not None and block.format == "csv":
            return self._stretch(file, file.stretch, path, raw)
        path = unpacked(path, file.name, block, self.work, file.member)
        if block.format == "parquet":
            return self._parquet(file, path, raw)
        records = self._records(file, path)
        heads = records.head()
        if isinstance(records, CsvText):
            fast = copied_fast(self.engine, records, self.work, raw)
            if fast is not None:
                return RawExport(raw, heads, fast.rows, fast.records)
        numbered = self.work / "numbered.csv"
        told = records.write_numbered(numbered, self.limit)
        copy_numbered_csv(self.engine, numbered, len(heads), raw)
        return RawExport(
            raw, heads, NUMBERED_ROWS, told.records, (told.mistakes, told.total), told.unwritten, uneven=told.uneven
        )

    def _stretch(self, file: ExportFile, stretch: Stretch, path: Path, raw: Path) -> RawExport:
        piece = self.work / "stretch.csv"
        cut_out(path, stretch, piece)
        text = CsvText.of(piece, file.name, file.block)
        fast = copied_fast(self.engine, text, self.work, raw)
        if fast is None:
            raise NotDivided
        # Its first line is the head in any case.
        ahead = max(stretch.ahead - 1, 0)
        return RawExport(raw, text.head(), with_lines_ahead(fast.rows, ahead), fast.records)

    def _records(self, file: ExportFile, path: Path) -> Records:
        block = file.block
        match block.format:
            case "xlsx" | "xls" | "xlsb" | "ods":
                return SheetRecords(path, file.name, block, file.sheet)
            case "json" | "jsonl":
                return JsonRecords(path, file.name, block)
            case "xml":
                return XmlRecords(path, file.name, block)
            case "sql":
                return CsvText(path, file.name, "utf-8", ",")
            case "fixed":
                return FixedText(in_utf8(path, file.name, block, self.work), file.name, block)
        return CsvText.of(in_utf8(path, file.name, block, self.work), file.name, block)

    def _parquet(self, file: ExportFile, path: Path, raw: Path) -> RawExport:
        form = TextForm(file.block)
        try:
            columns = parquet_heads(self.engine, path)
            rows = None if file.stretch is None else (file.stretch.begin, file.stretch.end)
            copy_parquet(self.engine, path, columns, form.date, form.decimal, raw, rows)
        except EngineError as error:
            raise BookMistake(
                Mistake("not a Parquet file that can be read", file.name, error.mistakes[0].got)
            ) from None
        count = count_rows(self.engine, path) if rows is None else rows[1] - rows[0]
        return RawExport(raw, [name for name, _ in columns], NUMBERED_ROWS, count, types=[kind for _, kind in columns])
