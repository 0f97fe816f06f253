"""The exports of a load: what of each is as before, and what became of the others."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from itertools import islice
from pathlib import Path
from typing import NamedTuple

from level_almanac.errors import how_many
from level_almanac.files.fingerprints import reading_fingerprint
from level_almanac.files.tables import tables_of
from level_almanac.immutable import immutable
from level_almanac.intake.dividing import (
    Counted,
    counted,
    is_divisible,
    ranges_of,
    rows_together,
    stretches_of,
)
from level_almanac.intake.drafts import Draft, draft_of, new_part, summed_draft
from level_almanac.intake.fates import Key
from level_almanac.intake.files import ExportFile
from level_almanac.intake.formats.csv_text import fingerprint
from level_almanac.intake.formats.sql_records import SqlRecords
from level_almanac.intake.raw_export import NotDivided
from level_almanac.intake.read_export import ExportReader, ReadExport, ReadingRules
from level_almanac.progress import Step, tell
from level_almanac.store.engine import Crew, EngineError, WritingEngine
from level_almanac.store.exports import group_sizes
from level_almanac.store.lines import join_parts
from level_almanac.store.state import LoadedFile, Store, identity_of, stamp_of


class Taken(NamedTuple):
    """What became of an export: `new`, `changed` or `unchanged`. read: what reading it came to, where it was read;
    to_divide: whether it is to be read in stretches, and nothing of it was read yet.
    """

    draft: Draft
    outcome: str
    read: ReadExport | None = None
    to_divide: bool = False


class _Reading(NamedTuple):
    """An export to be taken in. path: what it is read from; whole: whether it is not to be divided."""

    file: ExportFile
    path: Path
    whole: bool = False


@immutable
class TakingIn:
    """The exports of one load, each taken in by whoever of the crew is free.

    how: they are read; folder: where parts go; files: all of them; known: as they were loaded before; reading: what
    share of the load is over when all are read; piece: from which size on one is divided, or 0.
    """

    how: ReadingRules
    store: Store
    folder: Path
    now: datetime
    files: Sequence[ExportFile]
    known: Mapping[Key, LoadedFile]
    reading: float
    piece: int = 0

    def taken_in(self, some: Sequence[ExportFile], crew: Crew, done: set[Key]) -> dict[Key, Taken]:
        """Return what became of each of some exports, in their order. done: those that were taken in before.

        Raises what reading one raises, with nothing more read.
        """
        sizes = {file.key: self._to_read(file) for file in self.files}
        whole, begun = max(sum(sizes.values()), 1), sum(sizes[key] for key in done)
        steps = []
        # The largest first, so that at the end nobody waits long for the last.
        order = sorted(some, key=lambda file: -sizes[file.key])
        for number, file in enumerate(order, 1):
            ended = begun + sizes[file.key]
            words = f"{file.name}, {number:,} of {len(some):,}"
            steps.append(Step(words, begun / whole * self.reading, ended / whole * self.reading))
            begun = ended
        # A database is asked from here, where its secrets are.
        items = [_Reading(file, file.path or self._fetched(file)) for file in order]
        taken = list(crew.each(self.taken, items, steps, [sizes[file.key] for file in order]))
        if any(each.to_divide for each in taken):
            taken = self._with_large(items, taken, crew)
        found = dict(zip((file.key for file in order), taken, strict=True))
        return {file.key: found[file.key] for file in some}

    def _to_read(self, file: ExportFile) -> int:
        """Return how many bytes of an export are to be read, as far as that can be told before."""
        old = self.known.get(file.key)
        if file.path is None or (old and old.identity and old.identity == identity_of(file.path)):
            return 0
        return file.path.stat().st_size

    def taken(self, engine: WritingEngine, work: Path, item: _Reading) -> Taken:
        """Read one export, if it is not the same as before."""
        file, path, whole = item
        tell("looking at it", 0, 0.1)
        # Before it is read: what changes meanwhile is seen as changed.
        stamp = stamp_of(file.path) if file.path else self.now.isoformat(timespec="seconds")
        identity = identity_of(file.path) if file.path else ""
        old, book = self.known.get(file.key), self.how.book
        siblings = [each for each in self.files if each.unit == file.unit]
        entry = LoadedFile(
            path=file.name,
            table=file.block.table,
            sha256=old.sha256 if old and identity and identity == old.identity else fingerprint(path),
            reading=reading_fingerprint(book, [each.number - 1 for each in siblings], file.number - 1, self.how.chart),
            lines=0,
            export=file.export if file.export != file.name else "",
            unit=file.unit if file.unit != file.name else "",
        )
        as_before = old is not None and old.sha256 == entry.sha256
        taken_at = old.taken_at if old and as_before else self.now.isoformat(timespec="seconds")
        entry = replace(entry, taken_at=taken_at, stamp=stamp, identity=identity)
        same = old and (old.sha256, old.reading) == (entry.sha256, entry.reading)
        # What was set aside once is asked about again, unless it is to be set aside again.
        if old and same and (self.how.set_aside or not old.set_aside):
            return Taken(draft_of(self.store, replace(old, stamp=stamp, identity=identity)), "unchanged")
        target = new_part(self.folder)
        outcome = "changed" if old else "new"
        if not whole and self.piece and path.stat().st_size >= 2 * self.piece and is_divisible(file, siblings):
            return Taken(Draft(entry, target), outcome, to_divide=True)
        read = ExportReader(engine, work, self.how).read(file, path, target, shared=len(siblings) > 1)
        draft = Draft(replace(entry, passed=read.passed), target, fresh=True, records=read.lines)
        if not read.mistakes:
            # While others are read; where lines turn out to stand in another export too, it is done again.
            draft = summed_draft(engine, draft, tables_of(book.settings.tables), target)
        return Taken(draft, outcome, read)

    def _with_large(self, items: Sequence[_Reading], taken: list[Taken], crew: Crew) -> list[Taken]:
        """Return what became of exports, with those read that were to be divided: in stretches, or whole where that
        cannot be, since what is wrong is told of the whole.
        """
        large = {at: items[at] for at, each in enumerate(taken) if each.to_divide}
        stretches = self._stretches(large, crew)
        tell(f"{how_many(len(large), 'large export')} in {how_many(len(stretches), 'stretch', 'stretches')}")
        read = crew.each(self.read_stretch, [_Reading(stretch, large[at].path) for at, stretch in stretches])
        parts: dict[int, list[tuple[Path, ReadExport] | None]] = {at: [] for at in large}
        for (at, _), part in zip(stretches, read, strict=True):
            parts[at].append(part)
        whole = [at for at, found in parts.items() if not found or None in found]
        to_join = {at: [part for part in parts[at] if part] for at in large if at not in whole}
        drafts = {
            at: replace(taken[at].draft, records=sum(found.lines for _, found in of), fresh=True)
            for at, of in to_join.items()
        }
        joined = crew.each(self.joined, [(drafts[at], [str(part) for part, _ in of]) for at, of in to_join.items()])
        for at, draft in zip(to_join, joined, strict=True):
            taken[at] = Taken(draft, taken[at].outcome, ReadExport(lines=draft.records))
        anew = crew.each(self.taken, [large[at]._replace(whole=True) for at in whole])
        for at, one in zip(whole, anew, strict=True):
            taken[at] = one
        return taken

    def _stretches(self, large: Mapping[int, _Reading], crew: Crew) -> list[tuple[int, ExportFile]]:
        """Return the stretches of each large export, or none of one that cannot be divided."""
        csv = {at: item for at, item in large.items() if item.file.block.format == "csv"}
        ranges = {at: ranges_of(item.path.stat().st_size, self.piece) for at, item in csv.items()}
        asked = [(large[at].path, *each) for at, of in ranges.items() for each in of]
        counts = crew.each(_counted, asked)
        cut = {at: stretches_of(of, list(islice(counts, len(of)))) for at, of in ranges.items()}
        typed = [at for at in large if at not in csv]
        for at, groups in zip(typed, crew.each(_group_sizes, [large[at].path for at in typed]), strict=True):
            cut[at] = rows_together(groups, large[at].path.stat().st_size, self.piece)
        return [(at, replace(large[at].file, stretch=stretch)) for at in large for stretch in cut[at]]

    def read_stretch(self, engine: WritingEngine, work: Path, item: _Reading) -> tuple[Path, ReadExport] | None:
        """Write the part of a stretch, or return None where it cannot be, or anything is wrong in it."""
        target = new_part(self.folder)
        try:
            read = ExportReader(engine, work, self.how).read(item.file, item.path, target)
        except NotDivided:
            return None
        return None if read.mistakes or read.aside else (target, read)

    def joined(self, engine: WritingEngine, _: Path, item: tuple[Draft, Sequence[str]]) -> Draft:
        """Return the draft of an export with the part that the parts of its stretches make, and what it comes to."""
        draft, parts = item
        tables = tables_of(self.how.book.settings.tables)
        join_parts(engine, tables[draft.entry.table], parts, draft.part)
        return summed_draft(engine, draft, tables, draft.part)

    def _fetched(self, file: ExportFile) -> Path:
        """Return what a database answers, fetched into a file."""
        path = self.folder / f"fetched-{file.number}.csv"
        SqlRecords(file.block, file.name, self.how.book.root).fetch(path)
        return path


def _counted(_: WritingEngine, _scratch: Path, item: tuple[Path, int, int]) -> Counted:
    return counted(*item)


def _group_sizes(engine: WritingEngine, _: Path, path: Path) -> list[int]:
    try:
        return group_sizes(engine, path)
    except EngineError:
        # What is wrong with it is told by who reads it.
        return []
