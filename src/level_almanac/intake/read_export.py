"""Read one export into a part: its texts, their casts, the place of each line, and every mistake met on the way."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field, replace
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any, NamedTuple

from level_almanac.errors import BookMistake, Mistake, listed, nearest
from level_almanac.files.currencies import decimals_of
from level_almanac.files.patterns import strptime_pattern
from level_almanac.files.settings import BookFile, IntakeBlock
from level_almanac.files.tables import CREDIT_CLASSES, Table, tables_of
from level_almanac.immutable import immutable
from level_almanac.intake.chart_told import told_chart
from level_almanac.intake.files import ExportFile
from level_almanac.intake.messages import line_mistake
from level_almanac.intake.periods import PlacesDays, told_period, year_told
from level_almanac.intake.raw_export import Found, NotDivided, RawExport, RawReader
from level_almanac.intake.shaping.head_words import column_of, test_of, words_of
from level_almanac.intake.shaping.mapping import numbers_lines, sources
from level_almanac.intake.shaping.shape import Conditions, Shape, shape_of
from level_almanac.intake.shaping.shaped import ShapedExport, Shaper
from level_almanac.intake.taking_keys import taking_key
from level_almanac.progress import tell
from level_almanac.store.binding import Binding
from level_almanac.store.casting import (
    ALL_TURNED,
    NumberForm,
    Reason,
    Source,
    Turning,
    casts,
    turned_by_side,
    turned_where,
)
from level_almanac.store.engine import WritingEngine
from level_almanac.store.exports import count_rows, is_plain
from level_almanac.store.ledger_checks import ALL, lines_without_place
from level_almanac.store.lines import ExportLines, WrongText
from level_almanac.store.place import FiscalPosition, Placements
from level_almanac.store.predicate import Predicate


@immutable
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
    """What reading an export came to: the first mistakes and how many there are; or none, what was set aside, how many
    lines its part has, how many rows were passed over as no lines, and how many lines were said again. fates: a work
    file that tells which records were taken and which left to other blocks, where other blocks share the file.
    """

    mistakes: Sequence[Mistake] = ()
    total: int = 0
    aside: SetAside | None = None
    lines: int = 0
    passed: int = 0
    again: int = 0
    fates: Path | None = None


class _Prepared(NamedTuple):
    """An export whose lines stand in a work file, and what is to become of them. year: of days that tell none."""

    shaped: ShapedExport
    export: ExportLines
    fields: list[Source]
    year: int | None


@immutable
class ReadingRules:
    """How the exports of one book are read.

    calendars: of each entity; classes: entry class to the condition of its lines; limit: how many mistakes are told of
    in each file; chart: the class of each account there is; set_aside: whether wrong lines are left out rather than
    refused; conditions: those that the blocks state.
    """

    book: BookFile
    calendars: Mapping[str, PlacesDays]
    classes: Mapping[str, Predicate]
    limit: int
    chart: Mapping[str, str] = field(default_factory=dict)
    set_aside: bool = False
    conditions: Conditions = field(default_factory=dict)


@immutable
class ExportReader:
    """Reads exports. work: a folder for what is needed meanwhile."""

    engine: WritingEngine
    work: Path
    how: ReadingRules

    def read(self, file: ExportFile, path: Path, target: Path, *, shared: bool = False) -> ReadExport:
        """Write the part of one export, or return its mistakes.

        path: the file, or what was fetched from a database; shared: whether other blocks take lines of the same file.
        Raises NotDivided where only a stretch is asked for, and it cannot be told by itself what that holds.
        """
        try:
            ready = self._prepared(file, path)
        except BookMistake as error:
            return ReadExport(list(error.mistakes), error.total)
        shaped, export, fields, year = ready
        table, raw = export.table, shaped.raw
        if shaped.refused and self.how.set_aside:
            return ReadExport(shaped.refused[: self.how.limit], len(shaped.refused))
        shape_mistakes = (raw.mistakes[0] + shaped.mistakes[0], raw.mistakes[1] + shaped.mistakes[1])
        aside: SetAside | None = None
        if self.how.set_aside:
            export, aside = self._without_wrong(file, export, shaped, shape_mistakes, fields, year)
            shape_mistakes = ([], 0)
        wrong, count = export.wrong_texts(self.how.limit)
        placements: Placements = {}
        if table.is_placed:
            placements, unknown, beyond = self._placements(export, file.block, year)
            for name, texts, reason in self._checks(export, unknown, beyond):
                more, number = export.lines_with(name, sorted(texts), reason, self.how.limit)
                wrong, count = wrong + more, count + number
        refused = list(shaped.refused)
        if shape_mistakes[1] + count + len(refused):
            told = [self._told(file, each, fields) for each in sorted(wrong, key=lambda each: each.line)]
            found = (shape_mistakes[0] + told + refused)[: self.how.limit]
            return ReadExport(found, shape_mistakes[1] + count + len(refused))
        tell("writing its part", 0.6, 1)
        if table.name == "ledger":
            return self._ledger_written(
                file, _Prepared(shaped, export, fields, year), placements, aside, target, shared
            )
        if table.plan_of:
            export.write_plan(file.name, placements, target)
        else:
            export.write_plain(file.name, target)
        return self._accounted(file, shaped, export, aside, target, shared=shared)

    def _ledger_written(
        self,
        file: ExportFile,
        ready: "_Prepared",
        placements: Placements,
        aside: SetAside | None,
        target: Path,
        shared: bool,
    ) -> ReadExport:
        """Write a ledger's part, whose lines' classes can show that one of them has no place in any year."""
        export, fields, raw = ready.export, ready.fields, ready.shaped.raw
        export.write_ledger(file.name, placements, self.how.classes, target)
        rows = lines_without_place(self.engine, [str(target)], ALL if self.how.set_aside else self.how.limit)
        lost = [WrongText(line, "posted", "carried-day", str(posted)) for _, line, posted, _ in rows]
        if lost and self.how.set_aside:
            aside = self._aside(file, export, raw, fields, lost, aside)
            export = replace(export, aside=tuple(sorted({*export.aside, *(each.line for each in lost)})))
            export.write_ledger(file.name, placements, self.how.classes, target)
        elif lost:
            return ReadExport([self._told(file, each, fields) for each in lost], rows[0][-1])
        return self._accounted(file, ready.shaped, export, aside, target, shared=shared)

    def _prepared(self, file: ExportFile, path: Path) -> "_Prepared":
        """Return the lines of an export as texts, with what each is to become; raises BookMistake."""
        block, settings = file.block, self.how.book.settings
        table, form = tables_of(settings.tables)[block.table], self._number_form(block)
        limit = ALL if self.how.set_aside else self.how.limit
        tell("reading its texts", 0.1, 0.4)
        raw = RawReader(self.engine, self.work, limit).read(file, path)
        tell("checking them", 0.4, 0.6)
        shape = shape_of(file, table, raw.heads, raw.rows, self.how.conditions)
        shaped = Shaper(self.engine, self.work, self.how.calendars, limit).shaped(file, table, raw, shape, form)
        if file.stretch is not None and not (shape.plain and not numbers_lines(block, raw.heads)):
            raise NotDivided
        if table.name == "accounts":
            shaped, shape = told_chart(self.engine, self.work, file, settings, shaped, shape, self.how.conditions)
        numbered = numbers_lines(block, raw.heads)
        fields = sources(block, table, shape.columns, settings.entities, shaped.days, numbered=numbered)
        _check_types(file, raw, fields)
        bound = Binding()
        only = self._only(file, shape, bound)
        patterns = [code for pattern in block.date_patterns if (code := strptime_pattern(pattern))]
        turning = self._turning(file, table, shape, bound)
        export = ExportLines(
            self.engine,
            table,
            shaped.raw.path,
            shaped.raw.rows,
            casts(fields, patterns, form, bound, settings.book.time_zone, turning),
            bound,
            scale=form.scale,
            order_by_file=numbered,
            only=only,
            order=shaped.order,
            repeated=block.repeated,
        )
        return _Prepared(shaped, export, fields, year_told(block, file.export, file.sheet))

    def _only(self, file: ExportFile, shape: Shape, bound: Binding) -> str:
        if not file.block.only:
            return ""
        where = f"intake[{file.number}].only"
        return test_of(
            self.how.conditions[file.number, "only"],
            words_of(shape.heads, file.block.field_sources.values()),
            where,
            bound,
        )

    def _turning(
        self, file: ExportFile, table: Table, shape: Shape, bound: Binding
    ) -> Callable[[Mapping[str, str]], Turning | None]:
        """Return what turns the amounts of a block round: words in a column, kinds, the account's class, or all."""
        block = file.block

        def turned(texts: Mapping[str, str]) -> Turning | None:
            sides = block.sides
            if sides and sides.head:
                column = _found(sides.head, shape, f"intake[{file.number}].sides.head")
                return turned_by_side(column, sides.debit, sides.credit, bound)
            if block.turned_kinds:
                return turned_where(texts["kind"], block.turned_kinds, bound)
            if (block.signs, table.name == "ledger") in (("natural", True), ("ledger", False)):
                turned_accounts = [account for account, class_ in self.how.chart.items() if class_ in CREDIT_CLASSES]
                return turned_where(texts["account"], turned_accounts, bound)
            return ALL_TURNED if block.signs == "turned" else None

        return turned

    def _accounted(
        self,
        file: ExportFile,
        shaped: ShapedExport,
        export: ExportLines,
        aside: SetAside | None,
        target: Path,
        *,
        shared: bool,
    ) -> ReadExport:
        """Return what reading came to, once every record that the reader met has become of it just one thing.

        It is a line of the part, or several, was passed over or set aside, or another block takes it. Raises
        BookMistake where one was lost or taken twice on the way, whatever the reason: the net under all that reads.
        """
        raw, counted = shaped.raw, shaped.counted
        there, others, left_out = export.counted()
        taken = count_rows(self.engine, target)
        again = export.said_again()
        fates = {"taken": taken, "said again": again, "set aside": left_out, "not of this block": others}
        readable = raw.records - raw.unwritten - shaped.unfit
        rows = counted.rows if counted else there
        if readable != rows or there != (counted.lines if counted else rows) or there != sum(fates.values()):
            without = {"without shape": raw.unwritten + shaped.unfit, "passed over": counted.passed if counted else 0}
            told = ", ".join(f"{count:,} {fate}" for fate, count in {**fates, **without}.items())
            step = "this is a fault of almanac's: the load was stopped, and nothing changed"
            raise BookMistake(
                Mistake(f"{raw.records:,} records were met, and became {told}", file.name, next_step=step)
            )
        kept = None
        if shared or file.block.only:
            kept = target.with_name(f"fates-{target.stem}.parquet")
            export.write_fates(kept)
        return ReadExport(aside=aside, lines=taken, passed=counted.passed if counted else 0, again=again, fates=kept)

    def _checks(self, export: ExportLines, unknown: set[str], beyond: set[date]) -> list[tuple[str, set[str], Reason]]:
        """Return the texts that the book's calendar or chart has no place for, by field and with the reason."""
        checks: list[tuple[str, set[str], Reason]] = [
            (export.table.date, export.texts_of_days(beyond), "calendar-day"),
            ("period", unknown, "period"),
        ]
        if export.table.field("account"):
            checks.append(("account", export.accounts() - set(self.how.chart), "account"))
        return checks

    def _without_wrong(
        self,
        file: ExportFile,
        export: ExportLines,
        shaped: ShapedExport,
        shape: Found,
        fields: list[Source],
        year: int | None,
    ) -> tuple[ExportLines, SetAside | None]:
        """Return the export without its wrong lines, and those."""
        raw = shaped.raw
        wrong, _ = export.wrong_texts(ALL, each=True)
        right = replace(export, aside=tuple(sorted({each.line for each in wrong})))
        if export.table.is_placed:
            _, unknown, beyond = self._placements(right, file.block, year)
            for name, texts, reason in self._checks(right, unknown, beyond):
                wrong += right.lines_with(name, sorted(texts), reason, ALL, each=True)[0]
        if not wrong and not shape[1]:
            return export, None
        unread = raw.unwritten + shaped.unfit
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
        reasons = {each.line: self._told(file, each, fields, with_key=False) for each in reversed(wrong)}
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

    def _placements(
        self, export: ExportLines, block: IntakeBlock, year: int | None
    ) -> tuple[Placements, set[str], set[date]]:
        """Return the places, the period texts that the calendar lacks, and the days that it does not reach to."""
        plan = bool(export.table.plan_of)
        placements: dict[tuple[date | None, str | None, str | None], FiscalPosition] = {}
        unknown: set[str] = set()
        beyond: set[date] = set()
        alike = len({id(calendar) for calendar in self.how.calendars.values()}) == 1
        for posted, text, entity in export.dates_and_periods(by_entity=not alike):
            calendar = next(iter(self.how.calendars.values())) if alike else self.how.calendars.get(entity)
            if calendar is None or (posted is None and (text is None or not plan)):
                # The line has a mistake that is told of already.
                continue
            told = told_period(text, block.period, calendar, year, plan=plan)
            if text is not None and told is None:
                unknown.add(text)
                continue
            fiscal_year, number = told or (None, None)
            place = calendar.place(posted, fiscal_year, number) if posted else calendar.plan_place(fiscal_year, number)
            if place is not None:
                placements[posted, text, entity] = place
            elif posted is not None and (text is None or calendar.place(posted, None, None) is None):
                beyond.add(posted)
            elif text is not None:
                unknown.add(text)
        return placements, unknown, beyond

    def _number_form(self, block: IntakeBlock) -> NumberForm:
        decimals = {code: decimals_of(entity.currency) for code, entity in self.how.book.settings.entities.items()}
        negatives = tuple(block.negatives)
        if block.format != "csv" and "minus" not in negatives:
            # What is a number in its own right is written with a minus, whatever the texts beside it do.
            negatives = ("minus", *negatives)
        glued = block.sides if block.sides and not block.sides.head else None
        return NumberForm(
            block.decimal,
            block.thousands,
            negatives,
            decimals,
            max(2, *decimals.values()),
            tuple(block.currency_signs),
            tuple(block.numbers),
            tuple(glued.debit) if glued else (),
            tuple(glued.credit) if glued else (),
        )

    def _told(self, file: ExportFile, wrong: WrongText, fields: list[Source], *, with_key: bool = True) -> Mistake:
        choices = next((source.choices for source in fields if source.field.name == wrong.field), ())
        known = tuple(self.how.chart) if wrong.reason == "account" else choices
        mistake = line_mistake(file.name, wrong, file.block, known)
        told = replace(mistake, alike=wrong.alike, last=f"line {wrong.last:,}" if wrong.alike else "")
        key = taking_key(wrong, file.block, known) if with_key else ""
        return replace(told, next_step="; ".join(each for each in (told.next_step, key) if each)) if key else told


def with_shape(file: ExportFile, aside: SetAside | None, mistakes: Sequence[Mistake]) -> SetAside:
    """Return what was set aside of an export with further records, as far as a mistake tells of each."""
    before = aside or SetAside(file, (), (), (), 0, Decimal(0), Decimal(0))
    return replace(before, shape=(*before.shape, *mistakes), count=before.count + len(mistakes))


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


def _found(head: str, shape: Shape, where: str) -> int:
    column = column_of(head, shape.heads)
    if column is None:
        known = listed(repr(each) for each in shape.heads)
        raise BookMistake(Mistake("the export has no such head", where, repr(head), known, nearest(head, shape.heads)))
    return column
