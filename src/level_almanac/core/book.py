"""An open book: its settings, calendar and rules, and the state of its store. The library's way in."""

import os
from collections.abc import Collection, Sequence
from copy import copy
from datetime import date, datetime, timedelta
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Self
from zoneinfo import ZoneInfo

from level_almanac.core.accounts import ChartOfAccounts
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.selection import Selection
from level_almanac.errors import BookMistake, Mistake, UsageMistake, listed, nearest
from level_almanac.files.engines import EngineChoice, chosen_engine
from level_almanac.files.fingerprints import rules_fingerprint
from level_almanac.files.layout_reading import read_layout
from level_almanac.files.layouts import Layout
from level_almanac.files.outside import place_of
from level_almanac.files.period_file import read_period_file
from level_almanac.files.reading import find_book, read_book
from level_almanac.files.settings import BookFile, CalendarSettings
from level_almanac.files.stamps import STORE_FOLDER
from level_almanac.files.tables import SIDE_OF, Table, tables_of
from level_almanac.files.validation.findings import standing_code
from level_almanac.progress import tell
from level_almanac.store.chart_lines import chart_lines
from level_almanac.store.day_places import PLACE, PLACE_DAY, DayPlaces
from level_almanac.store.engine import Engine, Row
from level_almanac.store.engines.opening import open_engine, parts_elsewhere
from level_almanac.store.ledger_checks import newest_posting
from level_almanac.store.ledger_sums import Filter, Measures, SumKey, Sums, ledger_sums
from level_almanac.store.plain_checks import newest_day
from level_almanac.store.plan_lines import plan_lines, scenarios
from level_almanac.store.rollups import Journals
from level_almanac.store.state import SPILL, SQL, State, Store, parts_of, stamp_of

_STORED = {"text": "VARCHAR", "date": "DATE", "amount": "DECIMAL", "quantity": "DECIMAL", "whole": "BIGINT"}
"""What the engine keeps fields of each kind as."""

if TYPE_CHECKING:
    from level_almanac.core.fields import LineFields
    from level_almanac.store.documents.voids import VoidPart
    from level_almanac.store.line_query import LineSource
    from level_almanac.store.predicate import FiscalRange, Predicate


class Book:
    """A book, open for reading. Reports see the one state that was in force when the book was opened.

    frozen: the time that an edition was issued at, where it is the book that one keeps: its clock stands still then;
    as_placed: whether lines are taken as they were placed and classed, though under other rules than the book's;
    choice: the engine that computes it, as the person chose it, and where its store lies;
    traced_within: the parts that lines behind a figure of the ledger are looked for in, where not in all; day_places:
    where each day stands, where ledger lines are placed by their date alone.
    """

    def __init__(
        self,
        file: BookFile,
        store: Store | None = None,
        frozen: datetime | None = None,
        *,
        as_placed: bool = False,
        choice: EngineChoice | None = None,
    ) -> None:
        self.file = file
        self.frozen = frozen
        self.as_placed = as_placed
        self.traced_within: frozenset[str] | None = None
        self.day_places: DayPlaces | None = None
        self.settings = file.settings
        self.calendars = {
            "": self._calendar("", file.settings.calendar),
            **{name: self._calendar(name, each) for name, each in file.settings.calendars.items()},
        }
        self.choice = chosen_engine(file.root) if choice is None else choice
        self.store = store or _store(file.root, self.choice)
        if store is None and self.choice.store:
            self.store.is_of(self.named)
        self.zone = ZoneInfo(file.settings.book.time_zone)
        self._void_parts: dict[str, tuple[VoidPart, ...]] = {}

    @classmethod
    def open(cls, folder: Path | str = ".", engine: str = "") -> Self:
        """Open the book at or above this folder; raise BookMistake where there is none or it has mistakes.

        engine: the address of the one that computes it, or empty for what the person chose otherwise; raises
        UsageMistake for one of no known kind.
        """
        root = find_book(Path(folder))
        return cls(read_book(root), choice=chosen_engine(root, engine))

    def traced_in(self, parts: Collection[str]) -> Self:
        """Return the same book for tracing alone, which looks for ledger lines behind a figure in these parts only."""
        found = copy(self)
        found.traced_within = frozenset(parts)
        return found

    def asked_of(self, engine: Engine) -> Self:
        """Return the same book, of which another engine answers what is asked."""
        found = copy(self)
        found.engine = engine
        return found

    def placed_by_date(self, codes: Sequence[str]) -> Self:
        """Return the same book with ledger lines placed by their posting date alone, whatever period they tell.

        codes: of the entities whose calendar places them; raises UsageMistake as `select` does.
        """
        calendar = self.select(codes).calendar
        files = [loaded for loaded in self.ledger_state.files_of("ledger") if loaded.first and loaded.last]
        first = min(loaded.first for loaded in files if loaded.first)
        last = max(loaded.last for loaded in files if loaded.last)
        days = tuple(first + timedelta(days=number) for number in range((last - first).days + 1))
        found = copy(self)
        found.calendars = {name: each.without_extra_periods() for name, each in self.calendars.items()}
        found.day_places = DayPlaces(days, tuple(calendar.period_of(day).fiscal for day in days))
        return found

    def _calendar(self, name: str, settings: CalendarSettings) -> FiscalCalendar:
        told = (
            read_period_file(place_of(self.file.root, settings.file, "calendar.file"), settings.file)
            if settings.file
            else ()
        )
        calendar = FiscalCalendar(settings, told, name)
        _ = calendar.closed_through
        return calendar

    @property
    def named(self) -> str:
        """What the book is called and which entities it is of: the same wherever its folder stands."""
        return f"{self.settings.book.name} ({', '.join(self.settings.entities)})"

    @property
    def calendar_by_entity(self) -> dict[str, FiscalCalendar]:
        """The calendar that each entity keeps."""
        return {code: self.calendars[entity.calendar] for code, entity in self.settings.entities.items()}

    @property
    def now(self) -> datetime:
        """The time by the book's clock."""
        return self.frozen or datetime.now(self.zone)

    @property
    def today(self) -> date:
        """The day by the book's clock."""
        return self.now.date()

    @cached_property
    def state(self) -> State:
        """The state in force; raises BookMistake where nothing is loaded or it was loaded under other rules."""
        state = self.store.state()
        if state is None or not any(loaded.lines for loaded in state.files):
            raise BookMistake(Mistake("nothing is loaded yet", str(self.file.root), next_step="run `almanac load`"))
        if state.rules != rules_fingerprint(self.file) and not self.as_placed:
            what = "the calendar, the entry classes or a currency changed since the exports were loaded"
            raise BookMistake(Mistake(what, "almanac.toml", next_step="run `almanac load`"))
        return state

    @property
    def ledger_state(self) -> State:
        """The same, for what is asked of the ledger; raises BookMistake where no ledger line is loaded."""
        if not self.state.rollup:
            step = "add an [[intake]] block for the table ledger, and load"
            raise BookMistake(Mistake("no ledger is loaded", str(self.file.root), next_step=step))
        return self.state

    @cached_property
    def engine(self) -> Engine:
        """The engine that answers this book's queries."""
        # An edition's folder holds what was issued, and nothing else, not even for a while.
        spill = None if self.frozen else self.store.folder / f"{SPILL}{os.getpid()}"
        reach = (self.file.root, self.store.folder, self.store.parts)
        return open_engine(self.choice.address, self.choice.session, reach, spill, self.store.elsewhere)

    @cached_property
    def chart(self) -> ChartOfAccounts:
        """The chart of accounts."""
        parts = [self.store.path_of(loaded.part) for loaded in self.state.files_of("accounts")]
        exported = self.settings.chart.order == "export"
        if not parts:
            return ChartOfAccounts(())
        return ChartOfAccounts((*line[:4], line[6]) for line in chart_lines(self.engine, parts, as_exported=exported))

    @cached_property
    def account_places(self) -> dict[str, int]:
        """Where each account stands in reports, if the chart's export says so rather than its code."""
        exported = self.settings.chart.order == "export"
        return {code: place for place, code in enumerate(self.chart.accounts)} if exported else {}

    @cached_property
    def tables(self) -> dict[str, Table]:
        """Every table by name."""
        return tables_of(self.settings.tables)

    def declared_since(self, words: str) -> BookMistake | None:
        """Return that fields are declared otherwise than the loaded lines have them, or None where none is.

        words: the engine's, which name one of them; where they name none, all are told.
        """
        found: dict[tuple[str, bool], list[str]] = {}
        for name, table in self.tables.items():
            parts = self.parts_of(name)
            stored = self.engine.columns(parts) if parts else {}
            for field in table.fields if parts else ():
                kind = stored.get(field.name, "")
                if field.kind != "period" and not kind.startswith(_STORED[field.kind]):
                    found.setdefault((field.name, bool(kind)), []).append(name)
        named = {key: tables for key, tables in found.items() if f"'{key[0]}'" in words or f'"{key[0]}"' in words}
        mistakes = [
            Mistake(
                "declared otherwise since the last load" if other else "declared after the last load",
                f"the field {field} of {', '.join(tables)}",
                next_step="run `almanac load`",
            )
            for (field, other), tables in (named or found).items()
        ]
        return BookMistake(*mistakes) if mistakes else None

    def line_fields(self, table: str) -> "LineFields":
        """Return what can be asked of a table's lines; raise UsageMistake for a table that the book lacks."""
        from level_almanac.core.fields import line_fields

        if table not in self.tables:
            hint = nearest(table, self.tables)
            raise UsageMistake(Mistake("the book has no such table", "TABLE", repr(table), listed(self.tables), hint))
        sides_told = self.settings.parties.same_as
        same_as = {code: standing_code(code, sides_told) or code for code in sides_told}
        return line_fields(table, self.tables, same_as)

    def parts_of(self, table: str) -> tuple[str, ...]:
        """Return the parts that hold a table's lines."""
        return tuple(self.store.path_of(loaded.part) for loaded in self.state.files_of(table) if loaded.lines)

    @property
    def journals(self) -> Journals:
        """The ledger's journals."""
        files = [loaded for loaded in self.state.files_of("ledger") if loaded.lines]
        written = all(loaded.journals for loaded in files)
        return Journals([self.store.path_of(each.journals if written else each.part) for each in files], written)

    @property
    def day_parts(self) -> tuple[str, ...] | None:
        """The parts with the sums of the ledger's days, or None in a store that does not have them of all exports."""
        files = [loaded for loaded in self.state.files_of("ledger") if loaded.lines]
        return tuple(self.store.path_of(loaded.days) for loaded in files) if all(each.days for each in files) else None

    def marked_parts(self, table: str) -> tuple[str, ...]:
        """Return the part that holds a table of documents with its marks (`store.documents.marks`), or none where the
        state has none, or they were made while other codes of parties stood for one another.
        """
        part = self.state.marked.get(table, "")
        return (self.store.path_of(part),) if part and self.state.standing == self.settings.parties.same_as else ()

    def ledger_parts(self, stretches: "Sequence[FiscalRange]", entities: Sequence[str]) -> tuple[tuple[str, ...], Sums]:
        """Return the ledger's parts that may hold lines of these stretches, and what the entities have elsewhere."""
        within: list[str] = []
        beyond = Sums()
        for loaded in self.state.files_of("ledger"):
            wanted = self.traced_within is None or loaded.part in self.traced_within
            if wanted and self.day_places is not None:
                # Their place in the calendar is not that of the days they are posted on.
                within.append(self.store.path_of(loaded.part))
            elif wanted and any(
                loaded.fiscal_low <= each.high and each.low <= loaded.fiscal_high for each in stretches
            ):
                within.append(self.store.path_of(loaded.part))
            else:
                beyond = sum((Sums(*sums) for code, sums in loaded.sums.items() if code in entities), beyond)
        return tuple(within), beyond

    def void_parts(self, table: str) -> "tuple[VoidPart, ...]":
        """Return each line that a void undoes, of all voids of payables or receivables."""
        from level_almanac.core.void_conditions import void_parts

        if table not in self._void_parts:
            marked, sides_told = self.marked_parts(table), self.settings.parties.same_as
            parts = marked or self.parts_of(table)
            standing = {code: standing_code(code, sides_told) or code for code in sides_told}
            found = void_parts(self.engine, parts, standing, marked=bool(marked)) if parts else ()
            self._void_parts[table] = found
        return self._void_parts[table]

    def line_source(
        self,
        fields: "LineFields",
        rules: Sequence["Predicate"] = (),
        parts: Sequence[str] | None = None,
        *,
        by_void: bool = False,
    ) -> "LineSource":
        """Return the lines of a table and the rules to test them by.

        parts: the parts to read, if not all.
        by_void: whether documents bring the kind that each void undoes, as totals by kind need it.
        """
        from level_almanac.core.fields import links_from
        from level_almanac.store.expressions import FieldReference
        from level_almanac.store.line_query import LineSource, LinkedParts

        links = {}
        for link, name in links_from(fields.table.name, self.tables).items() if fields.table.links else ():
            target = self.tables[name]
            names = tuple(field.name for field in target.fields)
            links[link] = LinkedParts(target.key[0], self.parts_of(name), names)
        found = self.parts_of(fields.table.name) if parts is None else tuple(parts)
        if self.day_places is None or not fields.table.entries:
            source = LineSource(found, links, fields.places, tuple(rules))
            source = fields.further.of(source) if fields.further else source
            if fields.table.name in SIDE_OF.values() and found:
                from level_almanac.core.void_conditions import with_voids

                source = with_voids(source, self.void_parts(fields.table.name), by_kind=by_void)
            return fields.labelled(source) if fields.labelled else source
        places = {**fields.places, **{name: FieldReference(name) for name in (PLACE, PLACE_DAY)}}
        source = LineSource(found, links, places, tuple(rules), day_places=self.day_places)
        return fields.labelled(source) if fields.labelled else source

    def layout(self, name: str) -> Layout:
        """Return a layout of the book, or a built-in one; raise UsageMistake or BookMistake where it is not right."""
        return read_layout(self.file.root, name)

    def sums(self, measures: Measures, filter_: Filter | None = None) -> dict[tuple[str, str], dict[str, Sums]]:
        """Return the sums of each measure by (entity, account)."""
        found = ledger_sums(self.engine, self.store, self.ledger_state, measures, (), filter_, self.day_places)
        return {(str(entity), str(account)): sums for (entity, account), sums in found.items()}

    def sums_by(
        self, measures: Measures, fields: Sequence[str], filter_: Filter | None = None
    ) -> dict[SumKey, dict[str, Sums]]:
        """Return the sums of each measure by (entity, account, the values of these fields of the ledger)."""
        tell("adding up the ledger")
        return ledger_sums(self.engine, self.store, self.ledger_state, measures, fields, filter_, self.day_places)

    def not_loaded(self) -> tuple[list[str], list[str], list[str]]:
        """Return which exports are new, changed or gone since the load, by size and time; none of an edition's."""
        if self.frozen or self.as_placed:
            return [], [], []
        from level_almanac.files.reaches import fitting

        stamps = {loaded.file: loaded.stamp for loaded in self.state.files if not loaded.path.startswith(SQL)}
        there = {
            path.relative_to(self.file.root).as_posix(): path
            for block in self.settings.intake
            for pattern in block.file_patterns
            for path in fitting(self.file.root, pattern)
        }
        # A load of an earlier version kept no stamps.
        changed = [name for name, path in there.items() if stamps.get(name) and stamp_of(path) != stamps[name]]
        return [name for name in there if name not in stamps], changed, [name for name in stamps if name not in there]

    @property
    def plan_parts(self) -> list[str]:
        """The parts of the `budget` table."""
        return [self.store.path_of(loaded.part) for loaded in self.state.files_of("budget")]

    @cached_property
    def scenarios(self) -> list[str]:
        """The names of all plans that are loaded."""
        return scenarios(self.engine, self.plan_parts) if self.plan_parts else []

    def plan_lines(self, fields: Sequence[str], rules: Sequence["Predicate"] = (), table: str = "budget") -> list[Row]:
        """Return the lines of all plans of a table, with the values of these fields last (see `store.plan_lines`)."""
        known = self.line_fields(table)
        values = [known.by_name[field].value if field in known.by_name else None for field in fields]
        source = self.line_source(known, rules)
        return plan_lines(self.engine, source, values, known.table.key) if source.parts else []

    def scenarios_in(self, table: str) -> list[str]:
        """Return the names of all plans that a table holds."""
        parts = self.parts_of(table)
        return scenarios(self.engine, parts) if parts else []

    @property
    def told_through(self) -> date | None:
        """The day up to which the ledger was said to be complete, if it was said."""
        return self.state.through.get("ledger")

    def newest_posting(self) -> date | None:
        """Return the newest posting date that is not after today, if there is one."""
        files = self.state.files_of("ledger")
        newest = max((loaded.last for loaded in files if loaded.last), default=None)
        if newest is None or newest <= self.today:
            return newest
        return newest_posting(self.engine, [self.store.path_of(loaded.part) for loaded in files], self.today)

    def newest_document(self, table: str) -> date | None:
        """Return the newest posting date of a table of documents that is not after today, if there is one."""
        newest = max((loaded.last for loaded in self.state.files_of(table) if loaded.last), default=None)
        if newest is None or newest <= self.today:
            return newest
        return newest_posting(self.engine, self.parts_of(table), self.today)

    def newest_day(self, table: str, dated: str) -> date | None:
        """Return the newest day in a date of a table's lines that is not after today, if there is one."""
        if table == "ledger" and dated == "posted":
            return self.newest_posting()
        parts = self.parts_of(table)
        if not parts or "." not in dated:
            return newest_day(self.engine, parts, dated, self.today) if parts else None
        from level_almanac.store.line_query import Asked, groups
        from level_almanac.store.predicate import FieldTest

        fields = self.line_fields(table)
        source = self.line_source(fields, (FieldTest(dated, "at-most", (self.today,)),))
        ((_, newest),) = groups(self.engine, source, (), [Asked(fields.by_name[dated].value, "maximum")])
        return newest if isinstance(newest, date) else None

    def data_through(self) -> date | None:
        """Return the day up to which the ledger reaches: the day told at loading, or else the newest posting date."""
        return self.told_through or self.newest_posting()

    def select(self, codes: Sequence[str], table: str = "") -> Selection:
        """Return the entities of these codes, or all; raise UsageMistake for an unknown one or unlike currencies.

        table: whose lines the report is of, so that entities without any are not named where all are meant.
        """
        entities = self.settings.entities
        for code in codes:
            if code not in entities:
                hint = nearest(code, entities)
                raise UsageMistake(Mistake("unknown entity", "--entity", repr(code), listed(entities), hint))
        chosen = {code: entity for code, entity in entities.items() if not codes or code in codes}
        currencies = sorted({entity.currency for entity in chosen.values()})
        if len(currencies) > 1:
            step = f"ask for entities of one currency with --entity {listed(chosen)}"
            what = "amounts in different currencies are not added"
            raise UsageMistake(Mistake(what, got=", ".join(currencies), next_step=step))
        calendars = {entity.calendar for entity in chosen.values()}
        if len(calendars) > 1:
            got = ", ".join(sorted(self.calendars[name].section for name in calendars))
            step = f"ask for entities of one calendar with --entity {listed(chosen)}"
            raise UsageMistake(Mistake("one report uses one calendar", got=got, next_step=step))
        unlike = tuple(code for code, entity in entities.items() if entity.currency != currencies[0])
        comparable = tuple(code for code in entities if code not in unlike)
        sums = [loaded.sums for loaded in self.state.files_of(table)] if table and not codes else []
        having = frozenset(code for found in sums for code, (lines, *_) in found.items() if lines)
        return Selection(chosen, currencies[0], self.calendars[calendars.pop()], comparable, unlike, having)


def _store(root: Path, choice: EngineChoice) -> Store:
    """Return the store of the book in this folder, where the person chose to have it and its parts."""
    folder = choice.store or root / STORE_FOLDER
    elsewhere = parts_elsewhere(choice.address, choice.session, choice.parts, parts_of(folder))
    return Store(folder, elsewhere=elsewhere)
