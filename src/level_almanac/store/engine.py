"""The engine that answers the store's SQL: one small interface, and what it says where it cannot."""

from collections.abc import Mapping, Sequence
from typing import Any, Protocol

from level_almanac.errors import AlmanacError

Values = Mapping[str, Any]
Row = tuple[Any, ...]


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
        """Make a table of the engine's own, by this name, of what a query gives."""

    def drop(self, table: str) -> None:
        """Let go of a table that was made here; nothing happens where the engine is closed."""

    def close(self) -> None:
        """Give back what the engine holds."""


class WritingEngine(Engine, Protocol):
    """What loads ask of an engine besides: to read exports, and to write parts."""

    def run(self, sql: str, values: Values | None = None) -> None:
        """Run one statement for its effect."""

    def beside(self) -> "WritingEngine":
        """Return an engine with the same reach and tables of its own, to be used at the same time."""

    def interrupt(self) -> None:
        """End the statement that is running, if one is; it and any after it raise KeyboardInterrupt."""
