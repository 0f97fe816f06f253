"""The exports of a load, read several at a time: what of each is as before, and what became of the others."""

import os
import shutil
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import Future
from dataclasses import dataclass, field, replace
from datetime import datetime
from itertools import count
from pathlib import Path
from threading import Thread
from typing import NamedTuple

from level_almanac.files.fingerprints import reading_fingerprint
from level_almanac.files.settings import BookFile
from level_almanac.files.tables import tables_of
from level_almanac.intake.drafts import Draft, draft_of, summed_draft
from level_almanac.intake.fates import Key
from level_almanac.intake.files import ExportFile
from level_almanac.intake.formats.csv_text import fingerprint
from level_almanac.intake.formats.sql_records import SqlRecords
from level_almanac.intake.read_export import ExportReader, ReadExport
from level_almanac.progress import tell, within
from level_almanac.store.engine import WritingEngine
from level_almanac.store.state import LoadedFile, Store, identity_of, stamp_of

_AT_A_TIME = min(2, os.cpu_count() or 1)
"""How many exports are read at a time: much of what is done to one leaves a core to others."""


_PATIENCE = 5.0
"""Seconds that are waited for a reader to end that is not wanted any more."""


class Taken(NamedTuple):
    """What became of an export: `new`, `changed` or `unchanged`. read: what reading it came to, where it was read."""

    draft: Draft
    outcome: str
    read: ReadExport | None = None


@dataclass(frozen=True, slots=True)
class _Job:
    """An export to be read. words, span: how it is told of, and what share of the load it is."""

    file: ExportFile
    words: str
    span: tuple[float, float]
    taken: "Future[Taken]" = field(default_factory=Future)


@dataclass(frozen=True, slots=True)
class TakingIn:
    """The exports of one load. files: all of them; known: as they were loaded before; set_aside: whether wrong lines
    are left out; reading: what share of the load is over when all are read; written: numbers of what is written.
    """

    book: BookFile
    store: Store
    engine: WritingEngine
    work: Path
    now: datetime
    files: Sequence[ExportFile]
    known: Mapping[Key, LoadedFile]
    set_aside: bool
    reading: float
    written: "count[int]"

    def taken_in(
        self, some: Sequence[ExportFile], reader: ExportReader, done: set[Key]
    ) -> Iterator[tuple[ExportFile, Taken]]:
        """Yield what became of each of some exports, in their order. done: those that were taken in before.

        Raises what reading one raises, with nothing more read.
        """
        sizes = {file.key: file.path.stat().st_size if file.path else 0 for file in self.files}
        whole, begun = max(sum(sizes.values()), 1), sum(sizes[key] for key in done)
        jobs: list[_Job] = []
        for number, file in enumerate(some, 1):
            span = (begun / whole * self.reading, (begun + sizes[file.key]) / whole * self.reading)
            begun += sizes[file.key]
            jobs.append(_Job(file, f"{file.name}, {number:,} of {len(some):,}", span))
        engines = [self.engine.beside() for _ in range(min(_AT_A_TIME, len(jobs)))]
        waiting = deque(jobs)
        threads = [Thread(target=self._work, args=(waiting, engine, reader), daemon=True) for engine in engines]
        for thread in threads:
            thread.start()
        try:
            for job in jobs:
                yield job.file, job.taken.result()
        finally:
            # What was not begun is not wanted any more, as on Ctrl-C; nor is what runs, where there is any left.
            waiting.clear()
            for engine in engines if not all(job.taken.done() for job in jobs) else ():
                engine.interrupt()
            for thread in threads:
                # One that reads by itself, as a workbook, does not hear of it; it keeps nobody from ending.
                thread.join(_PATIENCE)

    def _work(self, waiting: "deque[_Job]", engine: WritingEngine, reader: ExportReader) -> None:
        """Read one export after another, until there is none."""
        try:
            while waiting:
                try:
                    job = waiting.popleft()
                except IndexError:
                    return
                work = self.work / f"reading-{next(self.written)}"
                try:
                    work.mkdir()
                    with within(job.words, *job.span):
                        job.taken.set_result(self._taken(job.file, replace(reader, engine=engine, work=work)))
                except BaseException as error:
                    job.taken.set_exception(error)
                finally:
                    shutil.rmtree(work, ignore_errors=True)
        finally:
            engine.close()

    def _taken(self, file: ExportFile, reader: ExportReader) -> Taken:
        """Read one export, if it is not the same as before."""
        tell("looking at it", 0, 0.1)
        # Before it is read: what changes meanwhile is seen as changed.
        stamp = stamp_of(file.path) if file.path else self.now.isoformat(timespec="seconds")
        identity = identity_of(file.path) if file.path else ""
        old = self.known.get(file.key)
        path = file.path or self._fetched(file, reader.work)
        siblings = [each for each in self.files if each.unit == file.unit]
        entry = LoadedFile(
            path=file.name,
            table=file.block.table,
            sha256=old.sha256 if old and identity and identity == old.identity else fingerprint(path),
            reading=reading_fingerprint(
                self.book, [each.number - 1 for each in siblings], file.number - 1, reader.chart
            ),
            lines=0,
            export=file.export if file.export != file.name else "",
            unit=file.unit if file.unit != file.name else "",
        )
        as_before = old is not None and old.sha256 == entry.sha256
        taken_at = old.taken_at if old and as_before else self.now.isoformat(timespec="seconds")
        entry = replace(entry, taken_at=taken_at, stamp=stamp, identity=identity)
        same = old and (old.sha256, old.reading) == (entry.sha256, entry.reading)
        # What was set aside once is asked about again, unless it is to be set aside again.
        if old and same and (self.set_aside or not old.set_aside):
            return Taken(draft_of(self.store, replace(old, stamp=stamp, identity=identity)), "unchanged")
        target = self.work / f"part-{next(self.written)}.parquet"
        read = reader.read(file, path, target, shared=len(siblings) > 1)
        draft = Draft(replace(entry, passed=read.passed), target, fresh=True, records=read.lines)
        if not read.mistakes:
            # While others are read; where lines turn out to stand in another export too, it is done again.
            draft = summed_draft(reader.engine, draft, tables_of(self.book.settings.tables), target)
        return Taken(draft, "changed" if old else "new", read)

    def _fetched(self, file: ExportFile, work: Path) -> Path:
        """Return what a database answers, fetched into a work folder."""
        path = work / f"fetched-{file.number}.csv"
        SqlRecords(file.block, file.name, self.book.root).fetch(path)
        return path
