"""The engine that answers the store's SQL: one small interface, and what it says where it cannot."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any, Protocol, TypeVar

from level_almanac.errors import AlmanacError
from level_almanac.progress import Step

Values = Mapping[str, Any]
Row = tuple[Any, ...]
Item = TypeVar("Item")
Made = TypeVar("Made")
ROW_GROUP = 40960
"""How many lines of a part are read at the least, where any are."""


class EngineError(AlmanacError):
    """A statement that the engine could not run, as on a full disk or a damaged store. Nothing was changed by it."""

    exit_code = 3


class UnboundError(EngineError):
    """A statement that names what the parts lack, or takes it for another kind, as after the book declared more."""


class Engine(Protocol):
    """What reports ask of a database engine.

    Values are bound by name, written `$name` in the SQL; a value that the statement does not name is passed over.
    """

    @property
    def called(self) -> str:
        """What the engine is, of which version and where, in words."""

    def rows(self, sql: str, values: Values | None = None) -> list[Row]:
        """Run one statement and return all of its rows; decimals come as Decimal, dates as date."""

    def columns(self, parts: Sequence[str]) -> dict[str, str]:
        """Return the columns that parts have together, each with its type as DuckDB names it, such as DECIMAL(18,2)."""

    def make(self, table: str, query: str, values: Values | None = None) -> None:
        """Make a table of the engine's own, by this name, of what a query gives; one that is there gives way."""

    def drop(self, table: str) -> None:
        """Let go of a table that was made here; nothing happens where the engine is closed."""

    def beside(self) -> "EngineBeside | None":
        """Return an engine with the same reach and tables of its own, to be used at the same time; None where there is
        none.
        """

    def close(self) -> None:
        """Give back what the engine holds."""


class EngineBeside(Engine, Protocol):
    """An engine that is asked by another thread than the one that hears of Ctrl-C."""

    def interrupt(self) -> None:
        """End the statement that is running, if one is; it and any after it raise KeyboardInterrupt."""


class GatheringEngine(Engine, Protocol):
    """What loads ask of the engine that sees all exports together."""

    def write(self, query: str, target: Path, values: Values | None = None) -> None:
        """Write what a query gives into one Parquet file, in its order, `ROW_GROUP` lines or so to a group."""


class WritingEngine(GatheringEngine, EngineBeside, Protocol):
    """What loads ask of the engine that reads an export and writes its part."""

    def run(self, sql: str, values: Values | None = None) -> None:
        """Run one statement for its effect."""

    def beside(self) -> "WritingEngine":
        """Return an engine with the same reach and tables of its own, to be used at the same time."""

    def apart(self, among: int) -> "WritingEngine":
        """Return an engine of one core with the same reach, as one of so many that share the memory of this one."""


Work = Callable[[WritingEngine, Path, Item], Made]
"""Takes an engine, a folder that is gone afterwards, and what the work is to be done to."""


class Crew(Protocol):
    """Who works at one export after another, several at a time: threads of this process, or executors of a cluster.

    piece: from how many bytes on an export is worth being divided among them, or 0 where none is.
    """

    piece: int

    def each(
        self, work: Work[Item, Made], items: Sequence[Item], steps: Sequence[Step] = (), sizes: Sequence[int] = ()
    ) -> Iterator[Made]:
        """Yield what is made of each item, in their order; raise what the first raises that fails, with no more begun.

        Work may be begun twice, and in another process: it writes nothing but files with names of their own, and is,
        like its items and what it makes, made of what can be pickled. steps: of the items, as they are told of; sizes:
        in bytes, of items of which the largest come first.
        """
