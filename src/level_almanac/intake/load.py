"""The load: every export in, or nothing changed (docs/loading.md)."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from functools import cached_property
from pathlib import Path
from typing import NamedTuple

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.engines import EngineChoice
from level_almanac.files.fingerprints import rules_fingerprint
from level_almanac.files.settings import BookFile
from level_almanac.files.tables import SIDE_OF, tables_of
from level_almanac.files.validation.findings import standing_code
from level_almanac.immutable import immutable
from level_almanac.intake.chart_checks import chart_mistakes, retained_earnings_mistakes, unknown_account_mistakes
from level_almanac.intake.copies import settled_copies, touched_parts
from level_almanac.intake.drafts import Draft, Reclassifying, Summing, new_part
from level_almanac.intake.early_ends import early_ends
from level_almanac.intake.fates import SHOWN_MISTAKES, Key, settle_fates
from level_almanac.intake.files import ExportFile, export_files
from level_almanac.intake.keeping import Keeping
from level_almanac.intake.later import later_of
from level_almanac.intake.messages import by_cause
from level_almanac.intake.periods import PlacesDays
from level_almanac.intake.read_export import ReadExport, ReadingRules
from level_almanac.intake.set_aside import aside_text, check_folder, settle_aside
from level_almanac.intake.shaping.shape import Conditions
from level_almanac.intake.taking_in import TakingIn
from level_almanac.intake.warnings import (
    cut_short,
    ends_early,
    lines_after,
    unbalanced_journals,
    unknown_codes,
    unlikely_signs,
)
from level_almanac.progress import tell
from level_almanac.store import closing, rollups
from level_almanac.store.chart_lines import account_classes
from level_almanac.store.documents.marks import write_marked
from level_almanac.store.engine import Crew, GatheringEngine, Row
from level_almanac.store.engines.opening import open_loading
from level_almanac.store.kept import keep_through, read_through
from level_almanac.store.ledger_checks import period_sums
from level_almanac.store.part_sums import parts_in
from level_almanac.store.plan_lines import accounts_planned
from level_almanac.store.predicate import Predicate
from level_almanac.store.state import LoadedFile, State, Store, digest_of


@immutable
class LoadOptions:
    """What a load is asked for.

    through: the days up to which the exports of tables are complete, under '' for all that have dates; drop_missing:
    let go of files that are gone; set_aside: leave wrong lines out, in files of their own, rather than refuse them.
    """

    through: Mapping[str, date] = field(default_factory=dict)
    drop_missing: bool = False
    set_aside: bool = False


class LoadRules(NamedTuple):
    """The conditions that the book states. classes: entry class to the condition of its lines, in the order they are
    tried; records: what intake blocks say of records, by the block's number and the key.
    """

    classes: Mapping[str, Predicate]
    records: Conditions


_READING, _SETTLING = 0.8, 0.95
"""What share of a load is over when the exports are read, and when what they have in common is settled."""


@immutable
class LoadResult:
    """The state in force after the load; per table and file whether it is `new`, `changed` or `unchanged`; and the
    warnings. was, now: what each entity's periods held before and hold after, as `period_sums` tells it, where the
    ledger changed.
    """

    state: State
    outcomes: Mapping[Key, str]
    dropped: tuple[str, ...]
    warnings: tuple[Mistake, ...]
    warned_of: int
    was: Sequence[Row] = ()
    now: Sequence[Row] = ()


class Look(NamedTuple):
    """What a load would come to. before, after: the exports as they are loaded and as they would be; outcomes: as of a
    load; gone: those that are no longer there, without which a load is refused unless it is told to drop them.
    """

    before: Mapping[Key, LoadedFile]
    after: Mapping[Key, LoadedFile]
    outcomes: Mapping[Key, str]
    gone: tuple[str, ...]
    warnings: tuple[Mistake, ...]
    warned_of: int


def load(
    book: BookFile,
    store: Store,
    calendars: Mapping[str, PlacesDays],
    rules: LoadRules,
    now: datetime,
    options: LoadOptions,
    choice: EngineChoice,
) -> LoadResult:
    """Take in every export that the book names and put the new state in force.

    calendars: per entity, what places its posting dates and periods; choice: what computes. Raises BookMistake with
    the first mistakes and their full number, EngineError and BookBusy, with nothing changed.
    """
    files = export_files(book)
    with store.writing() as work:
        engine, crew = _opened(book, store, files, work, choice)
        try:
            return _Load(book, store, engine, crew, work, _before(store), now, options).run(files, calendars, rules)
        finally:
            engine.close()


def look(
    book: BookFile,
    store: Store,
    calendars: Mapping[str, PlacesDays],
    rules: LoadRules,
    now: datetime,
    choice: EngineChoice,
) -> Look:
    """Return what a load would change. Raises as `load` does, for what a load would be refused for."""
    files = export_files(book)
    with store.writing() as work:
        engine, crew = _opened(book, store, files, work, choice)
        try:
            asked = LoadOptions()
            return _Load(book, store, engine, crew, work, _before(store), now, asked).look(files, calendars, rules)
        finally:
            engine.close()


def _before(store: Store) -> State | None:
    """Return the state in force, with its parts where the store has them now."""
    state = store.state()
    store.move_out(parts_in(state) if state else ())
    return state


def _opened(
    book: BookFile, store: Store, files: Sequence[ExportFile], work: Path, choice: EngineChoice
) -> tuple[GatheringEngine, Crew]:
    reach = (book.root, work, store.folder, *(file.path for file in files if file.path))
    return open_loading(choice.address, choice.session, reach, work, store.elsewhere)


def _stamps(state: State) -> dict[Key, str]:
    return {(entry.table, entry.path): entry.stamp for entry in state.files}


@dataclass
class _Load:
    """One load under way, the writer's lock held."""

    book: BookFile
    store: Store
    engine: GatheringEngine
    crew: Crew
    work: Path
    before: State | None
    now: datetime
    options: LoadOptions
    drafts: dict[Key, Draft] = field(default_factory=dict)
    files: list[ExportFile] = field(default_factory=list)
    unlikely: list[Mistake] = field(default_factory=list)

    def _new(self) -> Path:
        return new_part(self.work)

    def run(self, files: list[ExportFile], calendars: Mapping[str, PlacesDays], rules: LoadRules) -> LoadResult:
        """Read, check and put in force."""
        self.files = files
        if self.options.set_aside or any(loaded.set_aside for loaded in (self.before.files if self.before else ())):
            check_folder(self.book.root)
        dropped = self._gone(files)
        outcomes = self._read(files, calendars, rules)
        changed = self._settle(outcomes, changed=bool(dropped))
        before = self.before
        stamps = {key: draft.entry.stamp for key, draft in self.drafts.items()}
        as_before = before is not None and self._through() == before.through and stamps == _stamps(before)
        if not changed and before is not None and as_before and self._is_marked(before):
            settle_aside(self.book.root, self.store, (), before.files)
            keep_through(self.book.root, before.through)
            return LoadResult(before, outcomes, (), *self._warnings())
        tell("putting the new state in force", _SETTLING, 1)
        state = self._kept_state(self.now if changed or self.before is None else self.before.loaded_at)
        warnings, was, now = self._warnings(), *self._periods(state)
        self.store.put_in_force(state)
        # From here on the new state is in force; what a killed load leaves undone below, the next one does.
        settle_aside(self.book.root, self.store, self.before.files if self.before else (), state.files)
        keep_through(self.book.root, state.through)
        return LoadResult(state, outcomes, dropped, *warnings, was, now)

    def look(self, files: list[ExportFile], calendars: Mapping[str, PlacesDays], rules: LoadRules) -> Look:
        """Read and check as a load does, and return what it would come to; nothing is put in force."""
        self.files = files
        gone = self._missing(files)
        outcomes = self._read(files, calendars, rules)
        self._settle(outcomes, changed=bool(gone))
        entries = {key: draft.entry for key, draft in self.drafts.items()}
        before = {(entry.table, entry.path): entry for entry in (self.before.files if self.before else ())}
        return Look(before, entries, outcomes, gone, *self._warnings())

    def _settle(self, outcomes: Mapping[Key, str], *, changed: bool) -> bool:
        """Check what the exports have in common, and return whether anything in them changed."""
        tell("what the exports have in common", _READING, _SETTLING)
        changed = changed or any(outcome != "unchanged" for outcome in outcomes.values())
        if changed:
            for table in tables_of(self.book.settings.tables).values():
                drafts = self._of(table.name)
                touched = touched_parts(self.store, self.before, table, drafts)
                if drafts and touched != []:
                    later = later_of(self.files, table)
                    settled = settled_copies(
                        self.engine, self.crew, self.store, table, drafts, touched, later, self.work
                    )
                    for draft in settled:
                        self.drafts[table.name, draft.entry.path] = draft
        # The book file may name another retained-earnings account though no export changed.
        self._check_chart()
        if changed:
            self._settle_closing()
            self._roll_up()
            self._check_accounts()
            # While it is known which parts this load wrote.
            self.unlikely = [*self._unlikely_signs(), *self._cut_short(), *self._unknown_codes()]
        return changed

    def _missing(self, files: list[ExportFile]) -> tuple[str, ...]:
        known = self.before.files if self.before else ()
        units = {(file.block.table, file.unit) for file in files}
        exports = {(file.block.table, file.export) for file in files}
        # A file of which one sheet or block was taken, and now several are, goes on under other names.
        gone = [
            entry
            for entry in known
            if (entry.table, entry.unit or entry.path) not in units
            and ((entry.unit or entry.path) != entry.file or (entry.table, entry.file) not in exports)
        ]
        return tuple(dict.fromkeys(entry.path for entry in gone))

    def _gone(self, files: list[ExportFile]) -> tuple[str, ...]:
        gone = self._missing(files)
        if gone and not self.options.drop_missing:
            step = "put it back, or take its lines out with `almanac load --drop-missing`"
            raise BookMistake(*(Mistake("this export was loaded and is gone", name, next_step=step) for name in gone))
        return gone

    def _read(self, files: list[ExportFile], calendars: Mapping[str, PlacesDays], rules: LoadRules) -> dict[Key, str]:
        how = ReadingRules(
            self.book,
            calendars,
            rules.classes,
            SHOWN_MISTAKES,
            set_aside=self.options.set_aside,
            conditions=rules.records,
        )
        mistakes: list[Mistake] = []
        total = 0
        outcomes: dict[Key, str] = {}
        done: dict[Key, tuple[ExportFile, ReadExport]] = {}

        known = {(entry.table, entry.path): entry for entry in (self.before.files if self.before else ())}

        def take_in(some: Sequence[ExportFile], how: ReadingRules) -> None:
            nonlocal mistakes, total
            taking = TakingIn(how, self.store, self.work, self.now, files, known, _READING, self.crew.piece)
            found = taking.taken_in(some, self.crew, set(self.drafts))
            for file in some:
                taken = found[file.key]
                self.drafts[file.key], outcomes[file.key] = taken.draft, taken.outcome
                if taken.read is not None:
                    mistakes += taken.read.mistakes
                    total += taken.read.total
                    done[file.key] = (file, taken.read)

        # The chart comes first, so that a ledger line's account is held against it with all else on the line.
        take_in([file for file in files if file.block.table == "accounts"], how)
        if not mistakes:
            parts = [str(draft.part) for draft in self._of("accounts")]
            how = replace(how, chart=account_classes(self.engine, parts) if parts else {})
            take_in([file for file in files if file.block.table != "accounts"], how)
        if not mistakes:
            found, count = settle_fates(self.engine, files, done, set_aside=self.options.set_aside)
            mistakes, total = [*mistakes, *found], total + count
        if mistakes:
            raise BookMistake(*by_cause(mistakes)[:SHOWN_MISTAKES], total=total)
        self._keep_aside(done)
        return outcomes

    def _keep_aside(self, done: Mapping[Key, tuple[ExportFile, ReadExport]]) -> None:
        """Keep what was set aside of the exports that were read."""
        for key, (_, read) in done.items():
            if read.aside is None:
                continue
            sums, text = [str(read.aside.debit), str(read.aside.credit)], self._new().with_suffix(".csv")
            text.write_text(aside_text(read.aside), encoding="utf-8", newline="")
            draft = self.drafts[key]
            kept = self.store.keep(text, "aside", digest_of(text))
            entry = replace(draft.entry, set_aside=read.aside.count, aside_sums=sums, aside=kept)
            self.drafts[key] = replace(draft, entry=entry)

    def _of(self, table: str) -> list[Draft]:
        return [draft for draft in self.drafts.values() if draft.entry.table == table]

    def _settle_closing(self) -> None:
        drafts = self._of("ledger")
        if not drafts:
            return
        parts, journals = [str(draft.part) for draft in drafts], self._new()
        closing.write_closing(self.engine, parts, journals)
        names = closing.to_reclassify(self.engine, parts, journals)
        unlike = [draft for draft in drafts if draft.entry.path in names]
        self.store.at_hand(draft.part for draft in unlike)
        for draft in self.crew.each(Reclassifying(journals, self.work).reclassified, unlike):
            self.drafts["ledger", draft.entry.path] = draft

    def _roll_up(self) -> None:
        tables = tables_of(self.book.settings.tables)
        ledger = tables["ledger"]
        anew = [draft for draft in self.drafts.values() if draft.fresh and not draft.summed]
        for draft in self.crew.each(Summing(tables, self.work).summed, anew):
            self.drafts[draft.entry.table, draft.entry.path] = draft
        for draft in self.drafts.values():
            lines, copies, replaced = draft.entry.lines, draft.entry.duplicates, draft.entry.superseded
            if draft.fresh and lines + copies + replaced != draft.records:
                became = f"{lines:,}, {copies:,} copies and {replaced:,} superseded"
                what = f"{draft.records:,} lines were read, and became {became}"
                step = "this is a fault of almanac's: the load was stopped, and nothing changed"
                raise BookMistake(Mistake(what, draft.entry.path, next_step=step))
        merged = [str(draft.rollup) for draft in self._of("ledger")]
        if merged:
            fields = rollups.wide_fields(ledger)
            rollups.merge_rollups(self.engine, merged, fields, self.work / "wide.parquet")
            rollups.merge_rollups(self.engine, [str(self.work / "wide.parquet")], (), self.work / "rollup.parquet")

    def _check_chart(self) -> None:
        parts = [str(draft.part) for draft in self._of("accounts")]
        mistakes = chart_mistakes(self.engine, parts)
        mistakes += retained_earnings_mistakes(self.engine, parts, self.book.settings.entities)
        if mistakes:
            raise BookMistake(*mistakes[:SHOWN_MISTAKES], total=len(mistakes))

    def _check_accounts(self) -> None:
        accounts = [str(draft.part) for draft in self._of("accounts")]
        for table in ("ledger", "budget"):
            parts = [str(draft.part) for draft in self._of(table)]
            if not parts:
                continue
            if table == "ledger":
                used = rollups.accounts_used(self.engine, str(self.work / "rollup.parquet"))
            else:
                used = accounts_planned(self.engine, parts)
            mistakes, total = unknown_account_mistakes(self.engine, parts, accounts, used, SHOWN_MISTAKES)
            if mistakes:
                raise BookMistake(*mistakes, total=total)

    def _warnings(self) -> tuple[tuple[Mistake, ...], int]:
        drafts = self._of("ledger")
        written = all(draft.journals for draft in drafts)
        parts = [str(draft.journals if written else draft.part) for draft in drafts]
        unbalanced, count = unbalanced_journals(self.engine, rollups.Journals(parts, written), SHOWN_MISTAKES)
        more = [
            found
            for table, day in self._through().items()
            for found in lines_after(table, day, [draft.entry for draft in self._of(table)])
        ]
        more += ends_early(self._early, self._through())
        more += self.unlikely
        return (*unbalanced, *more), count + len(more)

    def _periods(self, state: State) -> tuple[Sequence[Row], Sequence[Row]]:
        """Return what periods hold before and after, where there is a state before and its ledger is another."""
        before = self.before
        if before is None or not (before.rollup and state.rollup) or before.rollup == state.rollup:
            return (), ()
        was, now = (period_sums(self.engine, self.store.path_of(part)) for part in (before.rollup, state.rollup))
        return was, now

    def _cut_short(self) -> list[Mistake]:
        """Return what this load read that seems cut short beside the other exports of its block."""
        numbers = {file.key: file.number for file in self.files}
        blocks: dict[int, list[Draft]] = {}
        for key, draft in self.drafts.items():
            blocks.setdefault(numbers[key], []).append(draft)
        fresh = [drafts for drafts in blocks.values() if any(draft.fresh for draft in drafts)]
        return [found for drafts in fresh for found in cut_short([draft.entry for draft in drafts])]

    def _unknown_codes(self) -> list[Mistake]:
        """The codes in what this load read, or that lead to it, which the table that they lead to lacks."""
        parts: dict[str, list[str]] = {}
        fresh: dict[str, list[str]] = {}
        for draft in self.drafts.values():
            if draft.entry.lines:
                parts.setdefault(draft.entry.table, []).append(str(draft.part))
                if draft.fresh:
                    fresh.setdefault(draft.entry.table, []).append(str(draft.part))
        tables = tables_of(self.book.settings.tables)
        return unknown_codes(self.engine, tables, (parts, fresh), tuple(self.book.settings.parties.same_as))

    def _unlikely_signs(self) -> list[Mistake]:
        """What this load read whose signs are the other way round, as it seems."""
        fresh: dict[str, list[str]] = {}
        for draft in self.drafts.values():
            if draft.fresh and draft.entry.lines:
                fresh.setdefault(draft.entry.table, []).append(str(draft.part))
        chart = [str(draft.part) for draft in self._of("accounts")]
        classes = account_classes(self.engine, chart) if chart else {}
        return unlikely_signs(self.engine, tables_of(self.book.settings.tables), fresh, classes)

    @cached_property
    def _early(self) -> dict[str, date]:
        tables = tuple(tables_of(self.book.settings.tables).values())
        # The days of a ledger stand in its sums of days, which are fewer than its lines.
        parts = {
            table.name: [str(draft.days or draft.part) for draft in self._of(table.name) if draft.entry.lines]
            for table in tables
        }
        return early_ends(self.engine, tables, parts, self._through(), self.now.date())

    def _through(self) -> dict[str, date]:
        through = dict(self.before.through) if self.before else read_through(self.book.root)
        told = dict(self.options.through)
        day = told.pop("", None)
        if day is not None:
            tables = tables_of(self.book.settings.tables)
            loaded = {draft.entry.table for draft in self.drafts.values()}
            dated = [name for name in sorted(loaded) if tables[name].date and not tables[name].plan_of]
            through |= dict.fromkeys(["ledger", *dated], day)
        return through | told

    def _kept_state(self, loaded_at: datetime) -> State:
        early = self._early
        keeping = Keeping(self.store, self.crew)
        for draft in keeping.kept_drafts([draft for draft in self.drafts.values() if draft.fresh]):
            self.drafts[draft.entry.table, draft.entry.path] = draft
        merged, wide = self.work / "rollup.parquet", self.work / "wide.parquet"
        fields = list(rollups.wide_fields(tables_of(self.book.settings.tables)["ledger"]))
        if merged.is_file():
            base = rollups.bases(self.engine, str(merged))
            rollup, wide_name = keeping.kept({merged: "rollup", wide: "wide"}).values()
        else:
            base = dict(self.before.bases) if self.before else {}
            rollup = self.before.rollup if self.before else ""
            wide_name = self.before.wide if self.before else ""
            fields = self.before.wide_fields if self.before else fields
        entries = (draft.entry for draft in self.drafts.values())
        files = tuple(sorted(entries, key=lambda entry: (entry.table, entry.path)))
        return State(
            loaded_at=loaded_at,
            rules=rules_fingerprint(self.book),
            files=files,
            rollup=rollup,
            wide=wide_name,
            wide_fields=fields,
            bases=base,
            through=self._through(),
            early=early,
            marked=self._marked(files, keeping),
            standing=self.book.settings.parties.same_as,
        )

    def _is_marked(self, before: State) -> bool:
        """Tell whether the documents of a state have the marks that they would have now."""
        tables = {loaded.table for loaded in before.files if loaded.lines} & set(SIDE_OF.values())
        return before.standing == self.book.settings.parties.same_as and tables == set(before.marked)

    def _marked(self, files: Sequence[LoadedFile], keeping: Keeping) -> dict[str, str]:
        """Return the part of each table of documents that has its marks, written anew where any line changed."""
        before, same_as = self.before, self.book.settings.parties.same_as
        standing = {code: standing_code(code, same_as) or code for code in same_as}
        marked = {}
        for table in SIDE_OF.values():
            parts = [loaded.part for loaded in files if loaded.table == table and loaded.lines]
            known = [loaded.part for loaded in before.files_of(table) if loaded.lines] if before else []
            if not parts:
                continue
            if before is not None and parts == known and self._is_marked(before):
                marked[table] = before.marked[table]
                continue
            target = self._new()
            write_marked(self.engine, [self.store.path_of(part) for part in parts], standing, target)
            (marked[table],) = keeping.kept({target: f"{table}-marked"}).values()
        return marked
