"""States of a book: which parts hold its lines, written whole and swapped in one step (docs/store.md).

Parts and manifests are never changed once written. The file `current` names the manifest in force; it is replaced
only when all that the new manifest names is on disk, so whoever opens the book sees the old state or the new one.
"""

import hashlib
import json
import os
import re
import shutil
import time
from collections.abc import Container, Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import asdict, field, replace
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

from level_almanac.errors import BookBusy, BookMistake, Mistake
from level_almanac.files.outside import leads_out
from level_almanac.files.stamps import STORE_FOLDER
from level_almanac.immutable import immutable
from level_almanac.store.elsewhere import NEW, Elsewhere
from level_almanac.whole_file import sync_file, sync_folder, write_whole

FORMAT = 4
_KEPT_FOR_READERS = 24 * 3600
"""Seconds that a replaced state stays on disk, for readers that opened it before."""


SPILL = "spill-"
"""What the name of a folder begins with where reports put what does not fit into memory."""
SQL = "sql:"
"""What the name of a database's answer begins with, in place of a path."""


@immutable(kw_only=True)
class LoadedFile:
    """One export in one table, as it was taken in.

    path: relative to the book; sha256: of the export; reading: of how it was read; part: the lines that count; shadow:
    the lines that stand in an earlier file too, or empty; days: of a ledger, its sums by day, which are also by the
    fields of days_by; journals: what each of its journals comes to; sums: in a ledger, the lines and exact debit and
    credit of each entity, since entities may differ in currency, in other tables the lines, the sum of the amounts
    given and nothing, by entity or, where the table has none, under an empty name; first, last: the dates covered;
    fiscal_low, fiscal_high: the fiscal positions covered; set_aside, aside_sums: how many lines were left out as wrong,
    and their debits and credits, or amounts and nothing, as far as those can be read; aside: those lines, as they stand
    in the book's folder; taken_at: when the export was first loaded as it is now; stamp: the size and time of its file
    at the last load, by which a change is seen without reading it, or when a database was asked last; identity: of its
    file, by which it is known to be unchanged; export: the file's name where path tells its sheet or member, or the
    block, too; unit: with the sheet or member; passed: rows that were passed over as no lines; superseded: lines that a
    later export's stand in for.
    """

    path: str
    table: str
    sha256: str
    reading: str
    lines: int
    duplicates: int = 0
    part: str = ""
    shadow: str = ""
    rollup: str = ""
    sums: dict[str, tuple[int, Decimal, Decimal]] = field(default_factory=dict)
    first: date | None = None
    last: date | None = None
    fiscal_low: int = 0
    fiscal_high: int = 0
    set_aside: int = 0
    aside_sums: list[str] = field(default_factory=list)
    aside: str = ""
    taken_at: str = ""
    stamp: str = ""
    identity: str = ""
    export: str = ""
    unit: str = ""
    passed: int = 0
    superseded: int = 0
    days: str = ""
    days_by: list[str] = field(default_factory=list)
    journals: str = ""

    @property
    def file(self) -> str:
        """The name of the file that the lines came from."""
        return self.export or self.path

    @property
    def asked_at(self) -> datetime | None:
        """When a database was asked for these lines; None for those of a file."""
        return datetime.fromisoformat(self.stamp) if self.path.startswith(SQL) and self.stamp else None


def stamp_of(path: Path) -> str:
    """Return the size and time of a file, by which a change of it is seen."""
    told = path.stat()
    return f"{told.st_size}/{told.st_mtime_ns}"


SETTLED = 2.0
"""Seconds after which a file that changes once more has another time, however coarse the file system's are."""


def identity_of(path: Path) -> str:
    """Return what stays as it is only while nobody writes to a file: its place on the disk, its size, its time, and
    the time of any change to it, which no program can set. Nothing where that is not certain.
    """
    told = path.stat()
    if os.name == "nt" or time.time() - max(told.st_mtime, told.st_ctime) < SETTLED:
        # There, the last one is the time when the file was made.
        return ""
    return f"{told.st_dev}/{told.st_ino}/{told.st_size}/{told.st_mtime_ns}/{told.st_ctime_ns}"


@immutable(kw_only=True)
class State:
    """One state of a book.

    rollup: the part with all roll-ups merged into a thin one; wide: into one that is also by wide_fields; bases: per
    entity the fiscal position that its carried lines open, or 0 where its first year has none; through: per
    table the day up to which its exports are complete; early: by table, or `table/ENTITY`, the newest day of what ends
    clearly before the others; marked: per table of documents the part with all of its lines and their marks, which were
    made while the parties of `standing` were taken for others.
    """

    loaded_at: datetime
    rules: str
    files: tuple[LoadedFile, ...] = ()
    rollup: str = ""
    wide: str = ""
    wide_fields: list[str] = field(default_factory=list)
    bases: dict[str, int] = field(default_factory=dict)
    through: dict[str, date] = field(default_factory=dict)
    early: dict[str, date] = field(default_factory=dict)
    marked: dict[str, str] = field(default_factory=dict)
    standing: dict[str, str] = field(default_factory=dict)

    def files_of(self, table: str) -> tuple[LoadedFile, ...]:
        """Return the files of one table, in the order of their paths."""
        return tuple(loaded for loaded in self.files if loaded.table == table)


_OF_LINES = ".parquet"
_OWNER = "book"
"""The file that says whose a store is that lies outside of its book."""
_MANIFEST = re.compile(r"[0-9a-f]{32}\.json")
_PART = re.compile(r"[\w-]+-[0-9a-f]{32}\.(?:parquet|csv)|")
_KEPT_ELSEWHERE = re.compile(rf"[\w-]+-[0-9a-f]{{32}}\.parquet({re.escape(NEW)}.*)?")
"""What a store lets go of, of what lies at a URI; all else there is somebody's own."""
_TABLE = re.compile(r"\w+")
READ = ("part", "shadow", "rollup", "days", "journals")
"""What of an export reports and loads read."""
_PARTS = (*READ, "aside")


class Store:
    """The folder `.almanac` of a book, or the data of an edition. parts: where its parts are, if not within; elsewhere:
    those that lie at a URI, where they do.
    """

    def __init__(self, folder: Path, parts: Path | None = None, elsewhere: Elsewhere | None = None) -> None:
        self.folder, self.elsewhere = folder, elsewhere
        self._at_hand: set[Path] = set()
        self.parts = parts or parts_of(folder)
        self.manifests = folder / "manifests"
        self.current = folder / "current"

    @property
    def mended_by(self) -> str:
        """What to do where something of it is damaged, in words."""
        if self.parts.parent == self.folder:
            name = self.folder.name if self.folder.name == STORE_FOLDER else self.folder
            return f"delete the folder {name} and run `almanac load`"
        return "it is an edition's: compute it with the version that issued it, or from a copy"

    def path_of(self, part: str) -> str:
        """Return the path of a part, to be bound in a statement."""
        return str(self.parts / part)

    def has(self, part: Path) -> bool:
        """Tell whether a part of this store, or one that is being made, is there."""
        if self.elsewhere is not None and part.parent == self.parts:
            return part.name in self.elsewhere.names()
        return part.is_file()

    def copy(self, part: str, target: Path) -> None:
        """Copy a part into a file."""
        if self.elsewhere is not None:
            self.elsewhere.fetch(part, target)
        else:
            shutil.copyfile(self.parts / part, target)

    def move_out(self, parts: Iterable[str]) -> None:
        """Have parts of the folder lie at the URI, where they were loaded before it was told."""
        if self.elsewhere is not None:
            for part in parts:
                if part not in self.elsewhere.names() and (self.parts / part).is_file():
                    self.elsewhere.put(self.parts / part, part)

    def at_hand(self, parts: Iterable[Path]) -> None:
        """Have parts stand as files in their folder, for who reads files, until the work on the store ends."""
        for part in parts if self.elsewhere is not None else ():
            if part.parent == self.parts and not part.is_file():
                self._at_hand.add(part)
                self.copy(part.name, part)

    def damaged(self, parts: Sequence[str]) -> list[str]:
        """Return which parts are not there or are not what their name says."""
        if self.elsewhere is not None:
            digests = self.elsewhere.digests(parts)
            return [part for part in parts if not _is_named_by(part, digests.get(part, ""))]
        return [part for part in parts if not (self.parts / part).is_file() or not is_whole(self.parts / part, part)]

    def is_of(self, book: str, *, claim: bool = False) -> None:
        """Raise BookMistake where the store, in a folder outside of books, is another's. claim: note whose it is."""
        note = self.folder / _OWNER
        if note.is_file() and (owner := note.read_text(encoding="utf-8", errors="replace")) != book:
            step = f"name a folder of its own in your settings; if it is the same book, renamed, delete {note}"
            raise BookMistake(Mistake("this store is another book's", str(self.folder), owner, book, step))
        if claim:
            self.folder.mkdir(parents=True, exist_ok=True)
            write_whole(note, book)

    def claim_parts(self, book: str) -> None:
        """Note whose the parts at the URI are; raise BookMistake where they are another store's: each lets go of what
        it does not name.
        """
        if self.elsewhere is None:
            return
        # Since this store was opened, another process may have loaded into it.
        self.elsewhere.look_anew()
        self.folder.mkdir(parents=True, exist_ok=True)
        owner, note = f"{book}, {self.folder.resolve()}", self.folder / f"{_OWNER}-of-parts"
        try:
            if _OWNER in self.elsewhere.names():
                self.elsewhere.fetch(_OWNER, note)
                told = note.read_text(encoding="utf-8", errors="replace")
                if told != owner:
                    step = "name a place of its own in your settings; if it is the same store, moved, delete that note"
                    where = f"{self.elsewhere.uri}/{_OWNER}"
                    raise BookMistake(Mistake("these parts are another store's", where, told, owner, step))
            else:
                write_whole(note, owner)
                self.elsewhere.put(note, _OWNER)
        finally:
            note.unlink(missing_ok=True)

    def state(self) -> State | None:
        """Return the state in force, or None where nothing was loaded."""
        try:
            name = self.current.read_text(encoding="ascii", errors="replace").strip()
        except FileNotFoundError:
            return None
        try:
            if not _MANIFEST.fullmatch(name):
                raise ValueError("not the name of a manifest")
            raw = (self.manifests / name).read_bytes()
            if not hashlib.sha256(raw).hexdigest().startswith(name.removesuffix(".json")):
                raise ValueError("it is not what was written")
            plain = json.loads(raw)
            if plain["format"] != FORMAT:
                raise ValueError(f"format {plain['format']}")
            return _checked(_state(plain))
        except (OSError, ValueError, KeyError, TypeError) as error:
            raise BookMistake(
                Mistake(
                    "the store's manifest cannot be read",
                    where=str(self.manifests / name),
                    got=str(error),
                    next_step=self.mended_by,
                )
            ) from error

    @contextmanager
    def writing(self) -> Iterator[Path]:
        """Hold the writer's lock and give a folder for work in progress, removed at the end.

        Raises BookBusy at once where another process holds the lock.
        """
        from filelock import FileLock, Timeout

        for folder in (self.parts, self.manifests):
            folder.mkdir(parents=True, exist_ok=True)
        lock = FileLock(self.folder / "lock")
        try:
            lock.acquire(timeout=0)
        except Timeout:
            raise BookBusy(
                Mistake("another load is writing to this book", str(self.folder), next_step="wait until it has ended")
            ) from None
        work = self.folder / "work"
        try:
            # What a killed load left behind belongs to nobody once the lock is ours.
            shutil.rmtree(work, ignore_errors=True)
            work.mkdir()
            yield work
        finally:
            # Whatever happens while it is cleared up, as Ctrl-C does.
            try:
                shutil.rmtree(work, ignore_errors=True)
                for copied in self._at_hand:
                    _unlink(copied)
                self._at_hand.clear()
            finally:
                lock.release()

    def keep(self, written: Path, table: str, digest: str) -> str:
        """Move a finished part into the store, named by the hash of its bytes, and return its name.

        digest: as `digest_of` returned it.
        """
        name = f"{table}-{digest[:32]}{written.suffix}"
        if self.elsewhere is not None and written.suffix == _OF_LINES:
            # Where it is there and whole, somebody may be reading it.
            if name not in self.elsewhere.names() or self.damaged([name]):
                self.elsewhere.put(written, name)
        else:
            written.replace(self.parts / name)
        return name

    def put_in_force(self, state: State) -> None:
        """Write the state's manifest and make it the one in force, in one step; then let go of what is long replaced.

        Takes a state all of whose parts are kept already; the writer's lock must be held.
        """
        name, text = manifest_of(state)
        write_whole(self.manifests / name, text)
        sync_folder(self.parts)
        self._begin_to_age()
        write_whole(self.current, name)
        self._let_go(name)

    def _begin_to_age(self) -> None:
        """Let the state in force count as old from now on, however long it was in force."""
        if self.current.exists():
            before = self.current.read_text(encoding="ascii", errors="replace").strip()
            if _MANIFEST.fullmatch(before) and (self.manifests / before).is_file():
                (self.manifests / before).touch()

    def _let_go(self, current: str) -> None:
        limit = time.time() - _KEPT_FOR_READERS
        kept: set[str] = set()
        for manifest in self.manifests.glob("*.json"):
            if manifest.name != current and manifest.stat().st_mtime < limit:
                _unlink(manifest)
                continue
            try:
                plain = json.loads(manifest.read_text(encoding="utf-8"))
                kept.update((plain["rollup"], plain.get("wide", ""), *plain.get("marked", {}).values()))
                kept.update(entry.get(part, "") for entry in plain["files"] for part in _PARTS)
            except (ValueError, KeyError, TypeError, AttributeError):
                # Nobody can read by a manifest that is damaged, and what it named is in no other's way.
                _unlink(manifest)
        for left in self.folder.glob(f"{SPILL}*"):
            # What a report that was killed left of what did not fit into memory.
            if left.stat().st_mtime < limit:
                shutil.rmtree(left, ignore_errors=True)
        self._let_go_of_parts(kept, limit)

    def _let_go_of_parts(self, kept: Container[str], limit: float) -> None:
        """Let go of parts that are not kept and of what was begun of others, last changed before the limit."""
        there = dict(self.elsewhere.names()) if self.elsewhere is not None else {}
        for part in (*self.parts.glob(f"*{_OF_LINES}"), *self.parts.glob("aside-*.csv")):
            # What a killed load had at hand lies at the URI all the same.
            if (part.name not in kept or part.name in there) and part.stat().st_mtime < limit:
                _unlink(part)
        if self.elsewhere is not None:
            for name, changed_at in there.items():
                if name not in kept and _KEPT_ELSEWHERE.fullmatch(name) and changed_at < limit:
                    self.elsewhere.remove(name)


def parts_of(folder: Path) -> Path:
    """Return the folder of the parts in that of a store."""
    return folder / "parts"


def is_whole(path: Path, part: str) -> bool:
    """Tell whether a file is what the name of a part says, which ends in the hash of its bytes."""
    with path.open("rb") as stream:
        return _is_named_by(part, hashlib.file_digest(stream, "sha256").hexdigest())


def _is_named_by(part: str, digest: str) -> bool:
    return digest.startswith(part.removesuffix(_OF_LINES).rpartition("-")[2]) and bool(digest)


def digest_of(written: Path) -> str:
    """Return the hash of a finished part, which is on the disk then, whatever happens to the machine."""
    with written.open("rb") as stream:
        digest = hashlib.file_digest(stream, "sha256").hexdigest()
    sync_file(written)
    return digest


def _unlink(path: Path) -> None:
    # Where a reader has it open, some systems refuse, and the next load lets go of it.
    with suppress(PermissionError):
        path.unlink(missing_ok=True)


def manifest_of(state: State) -> tuple[str, str]:
    """Return the name and the text of a state's manifest."""
    text = json.dumps({"format": FORMAT, **asdict(state)}, default=str, indent=1)
    return f"{hashlib.sha256(text.encode()).hexdigest()[:32]}.json", text


def _checked(state: State) -> State:
    """Return a state that names nothing outside the store and the book; raise ValueError for another."""
    parts = [getattr(loaded, part) for loaded in state.files for part in _PARTS]
    if not all(_PART.fullmatch(part) for part in (*parts, state.rollup, state.wide, *state.marked.values())):
        raise ValueError("not the name of a part")
    if not all(_TABLE.fullmatch(loaded.table) and not leads_out(loaded.path) for loaded in state.files):
        raise ValueError("not the name of an export")
    return state


def _day(text: str | None) -> date | None:
    return None if text in (None, "None") else date.fromisoformat(str(text))


def _state(plain: dict[str, Any]) -> State:
    files = tuple(
        replace(
            LoadedFile(**entry),
            sums={
                entity: (lines, Decimal(debit), Decimal(credit))
                for entity, (lines, debit, credit) in entry["sums"].items()
            },
            first=_day(entry["first"]),
            last=_day(entry["last"]),
        )
        for entry in plain["files"]
    )
    return State(
        loaded_at=datetime.fromisoformat(plain["loaded_at"]),
        rules=plain["rules"],
        files=files,
        rollup=plain["rollup"],
        wide=plain["wide"],
        wide_fields=plain["wide_fields"],
        bases=plain["bases"],
        through={table: date.fromisoformat(day) for table, day in plain["through"].items()},
        early={key: date.fromisoformat(day) for key, day in plain.get("early", {}).items()},
        marked=plain.get("marked", {}),
        standing=plain.get("standing", {}),
    )
