"""Read one export into a part: its texts, their casts, the place of each line, and every mistake met on the way."""

import re
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any, NamedTuple, Protocol

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.currencies import decimals_of
from level_almanac.files.patterns import period_pattern, strptime_pattern
from level_almanac.files.settings import BookFile, IntakeBlock
from level_almanac.files.tables import tables_of
from level_almanac.intake.files import ExportFile
from level_almanac.intake.formats.csv_text import CsvText
from level_almanac.intake.formats.fast_csv import copied_fast
from level_almanac.intake.formats.json_records import JsonRecords
from level_almanac.intake.formats.records import Records, TextForm
from level_almanac.intake.formats.unpacked import unpacked
from level_almanac.intake.formats.xlsx_records import XlsxRecords
from level_almanac.intake.messages import line_mistake
from level_almanac.intake.shaping.mapping import numbers_lines, sources
from level_almanac.intake.shaping.split import taken_test
from level_almanac.store.binding import Binding
from level_almanac.store.casting import NumberForm, Reason, Source, casts
from level_almanac.store.engine import Engine, EngineError
from level_almanac.store.exports import (
    NUMBERED_ROWS,
    copy_numbered_csv,
    copy_parquet,
    count_rows,
    is_plain,
    parquet_heads,
    taken_by_none,
)
from level_almanac.store.ledger_checks import lines_without_place
from level_almanac.store.lines import ExportLines, WrongText
from level_almanac.store.place import FiscalPosition, Placements
from level_almanac.store.predicate import Predicate

Found = tuple[list[Mistake], int]
"""The first mistakes, and how many there are in all."""
_ALL = sys.maxsize
_YEAR = re.compile(r"(?:FY)?(\d{4})", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class SetAside:
    """The lines of one export that were set aside. records: (line, what is wrong, its texts); shape: what is wrong with
    those that are no records; count: how many in all; debit, credit: what they come to as far as that can be read.
    """

    file: ExportFile
    heads: Sequence[str]
    records: Sequence[tuple[Any, ...]]
    shape: tuple[Mistake, ...]
    count: int
    debit: Decimal
    credit: Decimal


class ReadExport(NamedTuple):
    """What reading an export came to: the first mistakes and how many there are; or none, what was set aside, and
    how many lines its part has.
    """

    mistakes: Sequence[Mistake] = ()
    total: int = 0
    aside: SetAside | None = None
    lines: int = 0


class RawExport(NamedTuple):
    """An export as texts in a work file. rows: the FROM clause of its rows, each with its line; records: how many the
    reader met; mistakes: in the file's shape; unwritten: records that are no texts because of one; types: of columns.
    """

    path: Path
    heads: list[str]
    rows: str
    records: int
    mistakes: Found = ([], 0)
    unwritten: int = 0
    types: Sequence[str] = ()


class PlacesDays(Protocol):
    """What the intake asks of a calendar."""

    def place(self, posted: date, year: int | None, number: int | None) -> FiscalPosition | None:
        """Return where a line stands by its date, and its period's year and number where the export tells them.

        None where the calendar has no such period.
        """

    def plan_place(self, year: int | None, number: int | None) -> FiscalPosition | None:
        """Return where a plan for a period stands, or for a whole year where there is no number; None as above."""


@dataclass(frozen=True, slots=True)
class ExportReader:
    """Reads exports of one book.

    calendars: of each entity; limit: how many mistakes are told of in each file; chart: the accounts there are;
    set_aside: whether wrong lines are left out rather than refused; takes: by number of a block the condition of the
    records that it takes.
    """

    book: BookFile
    engine: Engine
    work: Path
    calendars: Mapping[str, PlacesDays]
    rules: Mapping[str, Predicate]
    limit: int
    chart: Sequence[str] = ()
    set_aside: bool = False
    takes: Mapping[int, Predicate] = field(default_factory=dict)

    def read(self, file: ExportFile, path: Path, target: Path, siblings: Sequence[ExportFile] = ()) -> ReadExport:
        """Write the part of one export, or return its mistakes.

        path: the file, or what was fetched from a database; siblings: the exports of the same file, this one among
        them, where several tables are made from it.
        """
        block = file.block
        table = tables_of(self.book.settings.tables)[block.table]
        try:
            path = unpacked(path, file.name, block, self.work)
            raw = self._raw(file, path)
            fields = sources(block, table, raw.heads, file.name, self.book.settings.entities)
            _check_types(file, raw, fields)
            bound = Binding()
            only = taken_test(file, raw.heads, self.takes.get(file.number), bound)
        except BookMistake as error:
            return ReadExport(list(error.mistakes), error.total)
        form = self._number_form(block)
        patterns = [code for pattern in block.date_patterns if (code := strptime_pattern(pattern))]
        export = ExportLines(
            self.engine,
            table,
            raw.path,
            raw.rows,
            casts(fields, patterns, form, bound, self.book.settings.book.time_zone),
            bound,
            scale=form.scale,
            order_by_file=numbers_lines(block, raw.heads),
            only=only,
        )
        shape = self._not_taken(file, raw, siblings, raw.mistakes)
        aside: SetAside | None = None
        if self.set_aside:
            export, aside = self._without_wrong(file, export, raw, shape, fields)
            shape = ([], 0)
        wrong, count = export.wrong_texts(self.limit)
        placements: Placements = {}
        if table.is_placed:
            placements, unknown, beyond = self._placements(export, file.block)
            for name, texts, reason in self._checks(export, unknown, beyond):
                more, number = export.lines_with(name, sorted(texts), reason, self.limit)
                wrong, count = wrong + more, count + number
        if shape[1] + count:
            told = [self._told(file, each, fields) for each in sorted(wrong, key=lambda each: each.line)]
            return ReadExport((shape[0] + told)[: self.limit], shape[1] + count)
        if table.name != "ledger":
            if table.plan_of:
                export.write_plan(file.name, placements, target)
            else:
                export.write_plain(file.name, target)
            return self._accounted(file, raw, export, aside, target)
        export.write_ledger(file.name, placements, self.rules, target)
        rows = lines_without_place(self.engine, [str(target)], _ALL if self.set_aside else self.limit)
        lost = [WrongText(line, "posted", "carried-day", str(posted)) for _, line, posted, _ in rows]
        if lost and self.set_aside:
            aside = self._aside(file, export, raw, fields, lost, aside)
            export = replace(export, aside=tuple(sorted({*export.aside, *(each.line for each in lost)})))
            export.write_ledger(file.name, placements, self.rules, target)
        elif lost:
            return ReadExport([self._told(file, each, fields) for each in lost], rows[0][-1])
        return self._accounted(file, raw, export, aside, target)

    def _accounted(
        self, file: ExportFile, raw: RawExport, export: ExportLines, aside: SetAside | None, target: Path
    ) -> ReadExport:
        """Return what reading came to, once every record that the reader met has become of it just one thing.

        It is a line of the part, or was set aside, or another block takes it. Raises BookMistake where one was lost or
        taken twice on the way, whatever the reason: the net under all that reads.
        """
        there, others = export.counted()
        taken = count_rows(self.engine, target)
        fates = {"taken": taken, "set aside": len(export.aside), "not of this block": others}
        if raw.records - raw.unwritten != there or there != sum(fates.values()):
            told = ", ".join(f"{count:,} {fate}" for fate, count in {**fates, "without shape": raw.unwritten}.items())
            step = "this is a fault of almanac's: the load was stopped, and nothing changed"
            raise BookMistake(
                Mistake(f"{raw.records:,} records were met, and became {told}", file.name, next_step=step)
            )
        return ReadExport(aside=aside, lines=taken)

    def _checks(self, export: ExportLines, unknown: set[str], beyond: set[date]) -> list[tuple[str, set[str], Reason]]:
        """Return the texts that the book's calendar or chart has no place for, by field and with the reason."""
        checks: list[tuple[str, set[str], Reason]] = [
            (export.table.date, export.texts_of_days(beyond), "calendar-day"),
            ("period", unknown, "period"),
        ]
        if export.table.field("account"):
            checks.append(("account", export.accounts() - set(self.chart), "account"))
        return checks

    def _raw(self, file: ExportFile, path: Path) -> RawExport:
        """Return the export as texts in a work file, whatever its format."""
        block, raw = file.block, self.work / "raw.parquet"
        if block.format == "parquet":
            return self._raw_parquet(file, path, raw)
        records: Records
        match block.format:
            case "xlsx":
                records = XlsxRecords(path, file.name, block)
            case "jsonl":
                records = JsonRecords(path, file.name, block)
            case "sql":
                records = CsvText(path, file.name, "utf-8", ",")
            case _:
                records = CsvText(path, file.name, block.encoding, block.delimiter)
        heads = records.head()
        if isinstance(records, CsvText) and records.encoding == "utf-8":
            fast = copied_fast(self.engine, records, self.work, raw)
            if fast is not None:
                return RawExport(raw, heads, fast.rows, fast.records)
        numbered = self.work / "numbered.csv"
        told = records.write_numbered(numbered, _ALL if self.set_aside else self.limit)
        copy_numbered_csv(self.engine, numbered, len(heads), raw)
        return RawExport(raw, heads, NUMBERED_ROWS, told.records, (told.mistakes, told.total), told.unwritten)

    def _raw_parquet(self, file: ExportFile, path: Path, raw: Path) -> RawExport:
        form = TextForm(file.block)
        try:
            columns = parquet_heads(self.engine, path)
            copy_parquet(self.engine, path, columns, form.date, form.decimal, raw)
        except EngineError as error:
            raise BookMistake(
                Mistake("not a Parquet file that can be read", file.name, error.mistakes[0].got)
            ) from None
        count = count_rows(self.engine, path)
        return RawExport(raw, [name for name, _ in columns], NUMBERED_ROWS, count, types=[kind for _, kind in columns])

    def _not_taken(self, file: ExportFile, raw: RawExport, siblings: Sequence[ExportFile], shape: Found) -> Found:
        """Return the mistakes in the file's shape, and one for each line that none of its blocks takes."""
        if not file.block.only or file is not siblings[0]:
            return shape
        bound = Binding(raw=str(raw.path))
        tests = [taken_test(each, raw.heads, self.takes.get(each.number), bound) for each in siblings]
        rows = raw.rows
        lines, count = taken_by_none(self.engine, rows, bound.values, tests, self.limit)
        step = "say in another [[intake]] block what becomes of it"
        left = [Mistake("no block takes this line", f"{file.name}:{line}", next_step=step) for line in lines]
        return shape[0] + left, shape[1] + count

    def _without_wrong(
        self, file: ExportFile, export: ExportLines, raw: RawExport, shape: Found, fields: list[Source]
    ) -> tuple[ExportLines, SetAside | None]:
        """Return the export without its wrong lines, and those."""
        wrong, _ = export.wrong_texts(_ALL)
        right = replace(export, aside=tuple(sorted({each.line for each in wrong})))
        if export.table.is_placed:
            _, unknown, beyond = self._placements(right, file.block)
            for name, texts, reason in self._checks(right, unknown, beyond):
                wrong += right.lines_with(name, sorted(texts), reason, _ALL)[0]
        if not wrong and not shape[1]:
            return export, None
        unread = raw.unwritten + shape[1] - raw.mistakes[1]
        nothing = SetAside(file, raw.heads, (), tuple(shape[0]), unread, Decimal(0), Decimal(0))
        aside = self._aside(file, export, raw, fields, wrong, nothing)
        return replace(export, aside=tuple(sorted({each.line for each in wrong}))), aside

    def _aside(
        self,
        file: ExportFile,
        export: ExportLines,
        raw: RawExport,
        fields: list[Source],
        wrong: Sequence[WrongText],
        before: SetAside | None,
    ) -> SetAside:
        """Return the lines of these texts, and those that were set aside before."""
        # A line is told of by the first thing that is wrong with it.
        reasons = {each.line: self._told(file, each, fields) for each in reversed(wrong)}
        ordered = sorted(reasons)
        records = [
            (line, str(reasons[line]).partition(": ")[2], *texts)
            for line, *texts in export.texts(ordered, len(raw.heads))
        ]
        debit, credit = export.sides_of(ordered)
        if before is None:
            return SetAside(file, raw.heads, records, (), len(ordered), debit, credit)
        return replace(
            before,
            records=sorted([*before.records, *records], key=lambda record: int(record[0])),
            count=before.count + len(ordered),
            debit=before.debit + debit,
            credit=before.credit + credit,
        )

    def _placements(self, export: ExportLines, block: IntakeBlock) -> tuple[Placements, set[str], set[date]]:
        """Return the places, the period texts that the calendar lacks, and the days that it does not reach to."""
        plan = bool(export.table.plan_of)
        placements: dict[tuple[date | None, str | None, str | None], FiscalPosition] = {}
        unknown: set[str] = set()
        beyond: set[date] = set()
        alike = len({id(calendar) for calendar in self.calendars.values()}) == 1
        for posted, text, entity in export.dates_and_periods(by_entity=not alike):
            calendar = next(iter(self.calendars.values())) if alike else self.calendars.get(entity)
            if calendar is None or (posted is None and (text is None or not plan)):
                # The line has a mistake that is told of already.
                continue
            told_period = _period_told(text, block.period, plan)
            if text is not None and told_period is None:
                unknown.add(text)
                continue
            year, number = told_period or (None, None)
            place = calendar.place(posted, year, number) if posted else calendar.plan_place(year, number)
            if place is not None:
                placements[posted, text, entity] = place
            elif posted is not None and (text is None or calendar.place(posted, None, None) is None):
                beyond.add(posted)
            elif text is not None:
                unknown.add(text)
        return placements, unknown, beyond

    def _number_form(self, block: IntakeBlock) -> NumberForm:
        decimals = {code: decimals_of(entity.currency) for code, entity in self.book.settings.entities.items()}
        negatives = tuple(block.negatives)
        if block.format != "csv" and "minus" not in negatives:
            # What is a number in its own right is written with a minus, whatever the texts beside it do.
            negatives = ("minus", *negatives)
        return NumberForm(block.decimal, block.thousands, negatives, decimals, max(2, *decimals.values()))

    def _told(self, file: ExportFile, wrong: WrongText, fields: list[Source]) -> Mistake:
        choices = next((source.choices for source in fields if source.field.name == wrong.field), ())
        return line_mistake(file.name, wrong, file.block, self.chart if wrong.reason == "account" else choices)


def _check_types(file: ExportFile, raw: RawExport, fields: Sequence[Source]) -> None:
    """Raise BookMistake where a field is mapped to a column of a type that no text says."""
    mistakes = [
        Mistake(f"a column of {raw.types[each.column]}", f"{file.name}: {raw.heads[each.column]}",
                f"mapped to {each.field.name}", "texts, numbers or days")
        for each in fields
        if each.column is not None and raw.types and not is_plain(raw.types[each.column])
    ]  # fmt: skip
    if mistakes:
        raise BookMistake(*mistakes)


def _period_told(text: str | None, pattern: str, plan: bool) -> tuple[int | None, int | None] | None:
    """Return the year and number that a period's text tells, or None where it tells none. A plan can be for a year."""
    if text is None:
        return None
    if plan and (year := _YEAR.fullmatch(text)):
        return int(year[1]), None
    expression = period_pattern(pattern)
    match = expression.fullmatch(text) if expression else None
    if match is None:
        return None
    return int(match["year"]) if "year" in match.groupdict() else None, int(match["number"])
