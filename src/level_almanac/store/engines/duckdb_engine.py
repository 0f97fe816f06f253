"""DuckDB, within this process: the engine that the store's SQL is written for."""

import glob
import os
import re
from collections.abc import Iterable, Sequence
from contextlib import suppress
from copy import copy
from importlib import import_module
from pathlib import Path
from typing import Any
from uuid import uuid4

from level_almanac.errors import Mistake, UsageMistake
from level_almanac.progress import gauged, is_heard
from level_almanac.store.engine import ROW_GROUP, EngineError, Row, UnboundError, Values

_READ = re.compile(r"\b(read_(?:parquet|csv))\(\s*\$(\w+)")
_PACKED = "compression zstd, compression_level 1"
"""How parts are packed: the least level is as small as others here, and the quickest."""
_FULL = "No space left on device"
MEMORY = "ALMANAC_MEMORY"
"""The environment's name for how much memory the engine may take."""
_SIZE = re.compile(r"[1-9]\d{0,6} ?[MG]B", re.IGNORECASE)


class DuckDBEngine:
    """DuckDB in memory: the tables are Parquet files named in the statements.

    reach: the folders and files that statements may read and write, and nothing else, all links followed; spill: where
    goes what is larger than memory, made and removed as it is needed; memory: how much may be taken, or empty for most
    of what there is; threads: how many it computes with, or 0 for as many as there are cores; among: how many share
    that memory. What `ALMANAC_MEMORY` says counts before `memory`; raises UsageMistake where it says nothing readable.
    """

    def __init__(
        self, reach: Iterable[Path], spill: Path | None = None, memory: str = "", *, threads: int = 0, among: int = 1
    ) -> None:
        duckdb = _duckdb_module()
        self.called = f"DuckDB {duckdb.__version__}"
        self._connection = duckdb.connect(":memory:")
        self._errors = duckdb.Error
        self._ended = False
        self._reach, self._spill, self._memory = tuple(reach), spill, memory
        if is_heard():
            # Somebody asks meanwhile how far a statement is, and says it in other words.
            self.run("set enable_progress_bar = true")
            self.run("set enable_progress_bar_print = false")
            self.run("set progress_bar_time = 0")
        # Nothing may be fetched behind the user's back.
        self.run("set autoinstall_known_extensions = false")
        self.run("set autoload_known_extensions = false")
        if told := told_memory() or memory:
            self.run("set memory_limit = $memory", {"memory": _shared(told, among)})
        if threads:
            self.run("set threads = $threads", {"threads": threads})
        if spill is not None:
            self.run("set temp_directory = $spill", {"spill": str(spill)})
        # Reads are asked for by patterns that fit one name, and held against these as they are written.
        whole = [name for path in self._reach for name in (str(path.resolve()), glob.escape(str(path.resolve())))]
        self._connection.execute("set allowed_directories = $whole", {"whole": whole})
        self._connection.execute("set allowed_paths = $whole", {"whole": whole})
        # Whatever a statement came to be made of, it reaches nothing else, and cannot change that.
        self.run("set enable_external_access = false")
        self.run("set lock_configuration = true")

    def rows(self, sql: str, values: Values | None = None) -> list[Row]:
        """Run one statement and return all of its rows."""
        rows: list[Row] = self._execute(sql, values).fetchall()
        return rows

    def columns(self, parts: Sequence[str]) -> dict[str, str]:
        """Return the columns that parts have together, each with its type."""
        query = "describe select * from read_parquet($parts, union_by_name = true)"
        return {row[0]: row[1] for row in self.rows(query, {"parts": list(parts)})}

    def make(self, table: str, query: str, values: Values | None = None) -> None:
        """Make a temporary table of what a query gives."""
        self.run(f'create or replace temporary table "{table}" as {query}', values)

    def write(self, query: str, target: Path, values: Values | None = None) -> None:
        """Write what a query gives into one Parquet file, in its order."""
        self.run(
            f"copy ({query}) to $target (format parquet, {_PACKED}, row_group_size {ROW_GROUP})",
            {**(values or {}), "target": str(target)},
        )

    def run(self, sql: str, values: Values | None = None) -> None:
        """Run one statement for its effect."""
        self._execute(sql, values)

    def _progress(self) -> float:
        """Return how far the statement is that runs, in percent; -1 where that is not known or nothing runs now."""
        with suppress(self._errors):
            percent: float = self._connection.query_progress()
            return percent
        return -1.0

    def _execute(self, sql: str, values: Values | None) -> Any:
        if self._ended:
            raise KeyboardInterrupt
        try:
            with gauged(self._progress):
                return self._connection.execute(*_literal_reads(sql, _asked_for(sql, values)))
        except RuntimeError as error:
            # The engine takes Ctrl-C for itself and tells of it in its own way.
            if "interrupted" in str(error).lower():
                raise KeyboardInterrupt from error
            raise
        except self._errors as error:
            if self._ended:
                raise KeyboardInterrupt from error
            step = "if the command does the same again, delete the folder .almanac and run `almanac load`"
            first = str(error).splitlines()[0]
            if first.startswith("Out of Range"):
                raise EngineError(Mistake("a number becomes too large to be exact", got=first[:90])) from error
            if first.startswith("Permission Error"):
                what = "a file of the book or its store leads out of it, and was not read"
                raise EngineError(Mistake(what, got=first[:200])) from error
            if first.startswith("Out of Memory"):
                what = f"there is not memory enough, with {told_memory() or 'what there is'}"
                step = f"give more with {MEMORY}=4GB, or ask for less at a time; nothing was changed"
                raise EngineError(Mistake(what, got=first[:120], next_step=step)) from error
            if _FULL in first:
                step = "make room on it, and run the command again; nothing was changed"
                raise EngineError(Mistake("the disk is full", next_step=step)) from error
            kind = UnboundError if first.startswith("Binder Error") else EngineError
            raise kind(Mistake("the store's engine had to stop", got=first[:300], next_step=step)) from error

    def drop(self, table: str) -> None:
        """Let go of a table that was made here."""
        with suppress(self._errors):
            self._connection.execute(f'drop table if exists "{table}"')

    def beside(self) -> "DuckDBEngine":
        """Return an engine of the same database, whose temporary tables are its own."""
        other = copy(self)
        other._connection = self._connection.cursor()
        return other

    def apart(self, among: int) -> "DuckDBEngine":
        """Return an engine of one core with the same reach, as one of so many that share the memory of this one."""
        spill = self._spill / f"spill-{uuid4().hex}" if self._spill else None
        return DuckDBEngine(self._reach, spill, self._memory, threads=1, among=among)

    def interrupt(self) -> None:
        """End the statement that is running, if one is; it and any after it raise KeyboardInterrupt."""
        self._ended = True
        with suppress(self._errors):
            self._connection.interrupt()

    def close(self) -> None:
        """Close the connection."""
        self._connection.close()


def _shared(memory: str, among: int) -> str:
    """Return a share of an amount of memory, as `600MB` of `1200MB`."""
    amount = int(memory[:-2]) * (1000 if memory[-2:].upper() == "GB" else 1)
    return memory if among == 1 else f"{max(amount // among, 1)}MB"


def told_memory() -> str:
    """Return what `ALMANAC_MEMORY` says, or nothing; raise UsageMistake where it is no amount."""
    told = os.environ.get(MEMORY, "").strip()
    if told and not _SIZE.fullmatch(told):
        raise UsageMistake(Mistake("not an amount of memory", MEMORY, repr(told), "such as 500MB or 4GB"))
    return told


def _duckdb_module() -> Any:
    """Return DuckDB's compiled half where it stands on its own, since the rest takes three times as long to import."""
    try:
        module = import_module("_duckdb")
        _ = module.connect, module.Error
    except (ImportError, AttributeError):
        return import_module("duckdb")
    return module


def _literal_reads(sql: str, values: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    """Return a statement whose reads of files take each path as it is.

    The engine else takes signs in a path for a pattern, and a folder named `field=value` for that field of every line.
    """
    names = {match[2] for match in _READ.finditer(sql)}
    literal = {name: _literal(value) if name in names else value for name, value in values.items()}
    return _READ.sub(r"\1($\2, hive_partitioning = false", sql), literal


def _literal(path: Any) -> Any:
    return [glob.escape(each) for each in path] if isinstance(path, list) else glob.escape(path)


def _asked_for(sql: str, values: Values | None) -> dict[str, Any]:
    return {name: (values or {})[name] for name in set(re.findall(r"\$([a-z]\w*)", sql))}
