"""Read one export into a part: its texts, their casts, the place of each line, and every mistake met on the way."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Protocol

from level_almanac.book.currencies import decimals_of
from level_almanac.book.patterns import period_pattern, strptime_pattern
from level_almanac.book.settings import BookFile, IntakeBlock
from level_almanac.book.tables import DATE_OF, tables_of
from level_almanac.errors import BookMistake, Mistake
from level_almanac.intake.csv_text import CsvText
from level_almanac.intake.files import ExportFile
from level_almanac.intake.mapping import numbers_lines, sources
from level_almanac.intake.messages import line_mistake
from level_almanac.store.binding import Binding
from level_almanac.store.casting import NumberForm, Reason, Source, casts
from level_almanac.store.engine import Engine
from level_almanac.store.exports import copy_numbered_csv, copy_plain_csv
from level_almanac.store.ledger_checks import lines_without_place
from level_almanac.store.lines import ExportLines, WrongText
from level_almanac.store.place import Place, Placements
from level_almanac.store.predicate import Predicate

_YEAR = re.compile(r"(?:FY)?(\d{4})", re.IGNORECASE)
Found = tuple[list[Mistake], int]
"""The first mistakes, and how many there are in all."""


class PlacesDays(Protocol):
    """What the intake asks of a calendar."""

    def place(self, posted: date, year: int | None, number: int | None) -> Place | None:
        """Return where a line stands by its date, and its period's year and number where the export tells them.

        None where the calendar has no such period.
        """

    def plan_place(self, year: int | None, number: int | None) -> Place | None:
        """Return where a plan for a period stands, or for a whole year where there is no number; None as above."""


@dataclass(frozen=True, slots=True)
class ExportReader:
    """Reads exports of one book.

    calendars: of each entity; limit: how many mistakes are told of in each file; chart: the accounts there are.
    """

    book: BookFile
    engine: Engine
    work: Path
    calendars: Mapping[str, PlacesDays]
    rules: Mapping[str, Predicate]
    limit: int
    chart: Sequence[str] = ()

    def read(self, file: ExportFile, lines: int, target: Path) -> Found:
        """Write the part of one export, or return its mistakes. lines: how many the file has, head and all."""
        block = file.block
        text = CsvText(file.path, file.name, block.encoding, block.delimiter)
        table = tables_of(self.book.settings.tables)[block.table]
        try:
            heads = text.head()
            fields = sources(block, table, heads, file.name, self.book.settings.entities)
        except BookMistake as error:
            return list(error.mistakes), error.total
        raw = self.work / "raw.parquet"
        plain = block.encoding == "utf-8" and not any("\n" in head for head in heads)
        numbered = not (plain and copy_plain_csv(self.engine, file.path, block.delimiter, len(heads), raw, lines))
        shape: Found = ([], 0)
        if numbered:
            records = self.work / "numbered.csv"
            shape = text.write_numbered(records, self.limit)
            copy_numbered_csv(self.engine, records, len(heads), raw)
        bound = Binding()
        form = self._number_form(block)
        patterns = [code for pattern in block.date_patterns if (code := strptime_pattern(pattern))]
        export = ExportLines(
            self.engine,
            table,
            raw,
            numbered,
            casts(fields, patterns, form, bound),
            bound,
            scale=form.scale,
            order_by_file=numbers_lines(block, heads),
        )
        wrong, count = export.wrong_texts(self.limit)
        placements: Placements = {}
        if table.name in DATE_OF:
            placements, unknown, beyond = self._placements(export, file.block)
            checks: list[tuple[str, set[str], Reason]] = [
                (DATE_OF[table.name], export.texts_of_days(beyond), "calendar-day"),
                ("period", unknown, "period"),
                ("account", export.accounts() - set(self.chart), "account"),
            ]
            for field, texts, reason in checks:
                more, number = export.lines_with(field, sorted(texts), reason, self.limit)
                wrong, count = wrong + more, count + number
        if shape[1] + count:
            told = [self._told(file, each, fields) for each in sorted(wrong, key=lambda each: each.line)]
            return (shape[0] + told)[: self.limit], shape[1] + count
        if table.name == "budget":
            export.write_plan(file.name, placements, target)
            return [], 0
        if table.name != "ledger":
            export.write_plain(file.name, target)
            return [], 0
        export.write_ledger(file.name, placements, self.rules, target)
        rows = lines_without_place(self.engine, [str(target)], self.limit)
        lost = [WrongText(line, "posted", "carried-day", str(posted)) for _, line, posted, _ in rows]
        return [self._told(file, each, fields) for each in lost], rows[0][-1] if rows else 0

    def _placements(self, export: ExportLines, block: IntakeBlock) -> tuple[Placements, set[str], set[date]]:
        """Return the places, the period texts that the calendar lacks, and the days that it does not reach to."""
        plan = export.table.name == "budget"
        placements: dict[tuple[date | None, str | None, str | None], Place] = {}
        unknown: set[str] = set()
        beyond: set[date] = set()
        alike = len({id(calendar) for calendar in self.calendars.values()}) == 1
        for posted, text, entity in export.dates_and_periods(by_entity=not alike):
            calendar = next(iter(self.calendars.values())) if alike else self.calendars.get(entity)
            if calendar is None or (posted is None and (text is None or not plan)):
                # The line has a mistake that is told of already.
                continue
            told = _period_told(text, block.period, plan)
            if text is not None and told is None:
                unknown.add(text)
                continue
            year, number = told or (None, None)
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
        return NumberForm(block.decimal, block.thousands, tuple(block.negatives), decimals, max(2, *decimals.values()))

    def _told(self, file: ExportFile, wrong: WrongText, fields: list[Source]) -> Mistake:
        choices = next((source.choices for source in fields if source.field.name == wrong.field), ())
        return line_mistake(file.name, wrong, file.block, self.chart if wrong.reason == "account" else choices)


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
