"""From the rows of one export to its lines in a work file, and what is wrong with the rows before they are lines."""

from collections.abc import Iterator, Mapping
from dataclasses import replace
from datetime import date
from pathlib import Path
from typing import NamedTuple

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.patterns import DayPattern, day_pattern
from level_almanac.files.tables import Table
from level_almanac.immutable import immutable
from level_almanac.intake.files import ExportFile
from level_almanac.intake.formats.records import TYPED_DAY
from level_almanac.intake.periods import PlacesDays, told_period, year_told
from level_almanac.intake.raw_export import Found, RawExport
from level_almanac.intake.shaping.shape import Shape, without_cells
from level_almanac.store.binding import Binding
from level_almanac.store.casting import NumberForm, number_sql
from level_almanac.store.engine import WritingEngine
from level_almanac.store.exports import NUMBERED_ROWS
from level_almanac.store.shaping import (
    LINE_ORDER,
    Counted,
    ShapedRows,
    SharedOut,
    Total,
    lines_not_passed,
    share_out,
    texts_in,
    uneven_splits,
    write_lines,
    wrong_row_totals,
    wrong_totals,
)

_TYPED = TYPED_DAY[0]


class ShapedExport(NamedTuple):
    """The lines of an export. raw: the work file that they stand in; order: the SQL of their order; days: columns whose
    days stand beside their texts; counted: what became of the rows; mistakes: in rows that cannot become lines; unfit:
    how many such rows were left out; refused: what must not be set aside, as totals that do not agree.
    """

    raw: RawExport
    order: str = "file_line"
    days: tuple[int, ...] = ()
    counted: Counted | None = None
    mistakes: Found = ([], 0)
    unfit: int = 0
    refused: tuple[Mistake, ...] = ()


@immutable
class Shaper:
    """Shapes exports of one book. limit: how many mistakes are told of."""

    engine: WritingEngine
    work: Path
    calendars: Mapping[str, PlacesDays]
    limit: int

    def shaped(self, file: ExportFile, table: Table, raw: RawExport, shape: Shape, form: NumberForm) -> ShapedExport:
        """Return the lines of an export. form: how its numbers are written; raises BookMistake."""
        if shape.plain and not raw.uneven and not shape.totals:
            return ShapedExport(raw)
        values = {"raw": str(raw.path)}
        rows, unfit = shape.rows, dict[int, Mistake]()
        if raw.uneven:
            left = lines_not_passed(self.engine, rows, values, list(raw.uneven))
            unfit |= {line: raw.uneven[line] for line in left}
        if rows.split:
            unfit |= {
                line: Mistake(
                    "cells of several values that do not go together", f"{file.name}:{line}", f"{counts} values"
                )
                for line, counts in uneven_splits(self.engine, rows, values, self.limit)
            }
        if unfit:
            rows = rows.without(unfit)
        refused = tuple(self._totals(file, replace(shape, rows=rows), values, form))
        days = self._days(file, table, shape, rows, values)
        target = self.work / "lines.parquet"
        counted = write_lines(self.engine, rows, days, values, target)
        if "settles" in file.block.split and "amount" not in file.block.split and "amount" in shape.columns:
            target = self._shared_out(file, shape, target, form)
        told = [unfit[line] for line in sorted(unfit)]
        shaped = raw._replace(path=target, rows=NUMBERED_ROWS)
        return ShapedExport(
            shaped, LINE_ORDER, tuple(days), counted, (told[: self.limit], len(told)), len(told), refused
        )

    def _shared_out(self, file: ExportFile, shape: Shape, lines: Path, form: NumberForm) -> Path:
        """Return the lines with payments of several documents shared over them; raises BookMistake where a document
        that one settles is not in the export, so that nothing tells its share.
        """
        bound, names = Binding(), shape.columns
        value = number_sql(f"c{names['amount']}", form, bound)
        columns = SharedOut(names["party"], names["number"], names["settles"], names["amount"], value)
        target = self.work / "shared-out.parquet"
        unknown = share_out(self.engine, lines, columns, bound.values, file.block.decimal, target)
        if unknown:
            what = "a document that this payment settles is not in the export, so that its share is not known"
            step = 'say where the shares stand, as split = { settles = ";", amount = ";" }'
            raise BookMistake(
                *(Mistake(what, f"{file.name}:{line}: settles", next_step=step) for line in unknown[: self.limit]),
                total=len(unknown),
            )
        return target

    def _totals(
        self, file: ExportFile, shape: Shape, values: Mapping[str, object], form: NumberForm
    ) -> Iterator[Mistake]:
        """Yield the totals of the export that its lines do not come to."""
        rows = without_cells(shape)
        step = "a line is missing or stands twice, or the total is of other lines: see `totals` of the block"
        for told in shape.totals:
            numbers = {column: number_sql(f"c{column}", form, rows.bound) for column in told.columns}
            for total in wrong_totals(self.engine, rows, told, numbers, values, self.limit, shape.only):
                yield self._told(file, shape, total, "the lines", step)
        if rows_with := shape.rows.cells:
            columns = (*rows_with.columns, *((rows_with.total,) if rows_with.total is not None else ()))
            numbers = {column: number_sql(f"c{column}", form, shape.rows.bound) for column in columns}
            for total in wrong_row_totals(self.engine, shape.rows, numbers, values, self.limit):
                yield self._told(file, shape, total, "the cells of the row", "see `across` of the block")

    def _told(self, file: ExportFile, shape: Shape, total: Total, of: str, step: str) -> Mistake:
        where = f"{file.name}:{total.line}: {shape.head(total.column)}"
        return Mistake(f"the total is not what {of} come to", where, total.told, total.come_to, step)

    def _days(
        self, file: ExportFile, table: Table, shape: Shape, rows: ShapedRows, values: Mapping[str, object]
    ) -> dict[int, dict[str, date | None]]:
        """Return by column the day that each of its texts is, for patterns that the store cannot read by itself."""
        if shape.plain:
            return {}
        block = file.block
        year = year_told(block, file.export, file.sheet)
        patterns = [each for pattern in block.date_patterns if (each := day_pattern(pattern))]
        found: dict[int, dict[str, date | None]] = {}
        for field in table.fields:
            column = shape.columns.get(field.name)
            if field.kind != "date" or column is None or column in found:
                continue
            texts = texts_in(self.engine, rows, values, column)
            found[column] = _read_days(texts, patterns, year, last=block.day != "first")
        if block.at_end_of_period:
            column = shape.columns["period"]
            calendar = self._one_calendar(file)
            found[column] = {
                text: day
                for text in texts_in(self.engine, rows, values, column)
                if (told := told_period(text, block.period, calendar, year, plan=False))
                and (day := _last_day(calendar, told)) is not None
            }
        return found

    def _one_calendar(self, file: ExportFile) -> PlacesDays:
        entity = file.block.set.get("entity", "")
        return self.calendars[entity] if entity in self.calendars else next(iter(self.calendars.values()))


def _last_day(calendar: PlacesDays, told: tuple[int | None, int | None]) -> date | None:
    year, number = told
    return calendar.last_day(year, number) if year is not None and number is not None else None


def _read_days(texts: list[str], patterns: list[DayPattern], year: int | None, *, last: bool) -> dict[str, date | None]:
    """Return the day of each text that is one, None where two patterns read it differently."""
    found: dict[str, date | None] = {}
    for text in texts:
        if text.startswith(_TYPED):
            found[text] = date.fromisoformat(text.removeprefix(_TYPED))
            continue
        days = {day for pattern in patterns if (day := pattern.read(text, year, last=last)) and 1900 <= day.year < 2200}
        if days:
            found[text] = days.pop() if len(days) == 1 else None
    return found
