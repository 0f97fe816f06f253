"""DuckDB and Spark asked the same, and their answers held against each other."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from level_almanac.store.engine import Engine, GatheringEngine, Row, Values
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from level_almanac.store.state import READ, State, Store

HASHED = ("keys", "repeated_keys")
"""Tables of hashes, which each engine makes in its own way."""
SESSION = ("local[2]", {"spark.sql.shuffle.partitions": "1", "spark.sql.codegen.wholeStage": "false"})
"""For a few thousand lines it is not worth it to compile each statement."""
CLUSTER = ("local-cluster[2,1,1024]", SESSION[1])
"""The same in two executors, each a process of its own."""
QUICK = {"JDK_JAVA_OPTIONS": "-XX:TieredStopAtLevel=1 -XX:+UseSerialGC"}
"""How Java is started here: for a few minutes it is not worth it to compile its code well."""


class BothEngines:
    """Asks DuckDB and Spark the same, holds the answers against each other, and returns them."""

    def __init__(self, one: Engine, other: Engine) -> None:
        self.engines = (one, other)
        self.called, self.asked = one.called, 0
        self.made: set[str] = set()
        self.known: set[str] = set()

    def rows(self, sql: str, values: Values | None = None) -> list[Row]:
        self.asked += 1
        if self.is_known(sql, values):
            return self.engines[0].rows(sql, values)
        one, other = (engine.rows(sql, values) for engine in self.engines)
        mine, theirs = ([tuple(map(exact, row)) for row in rows] for rows in (one, other))
        same = mine == theirs if is_ordered(sql) else Counter(map(repr, mine)) == Counter(map(repr, theirs))
        assert same, f"{sql}\n{values}\nDuckDB: {mine[:5]}\nSpark: {theirs[:5]}"
        return one

    def is_known(self, sql: str, values: Values | None) -> bool:
        """Tell whether it was asked before: reports ask much again of the same parts; what is made differs each time."""
        words = f"{sql}{values}"
        if any(table in sql for table in self.made) or words not in self.known:
            self.known.add(words)
            return False
        return True

    def columns(self, parts: Sequence[str]) -> dict[str, str]:
        one, other = (engine.columns(parts) for engine in self.engines)
        assert one == other
        return one

    def make(self, table: str, query: str, values: Values | None = None) -> None:
        self.made.add(table)
        for engine in self.engines:
            engine.make(table, query, values)
        self.rows(f"select {'count(*)' if table in HASHED else '*'} from {table}")

    def drop(self, table: str) -> None:
        for engine in self.engines:
            engine.drop(table)

    def beside(self) -> None:
        """None is there: both are asked one question after another."""

    def close(self) -> None:
        for engine in self.engines:
            engine.close()


def exact(value: Any) -> Any:
    """Return a value with its type; of a decimal its digits as they stand."""
    assert not isinstance(value, tuple), "its members have no names, by which alone Spark's are told"
    if isinstance(value, list):
        # What a group holds of different values stands in no order.
        return sorted(exact(each) for each in value)
    if isinstance(value, dict):
        return [exact(each) for each in value.values()]
    return (type(value).__name__, str(value))


def is_ordered(sql: str) -> bool:
    import sqlglot

    return bool(sqlglot.parse_one(sql, read="duckdb").args.get("order"))


class BothGathering(BothEngines):
    """The same of what a load asks: what one writes is what the other does, in its order, with its types."""

    def __init__(self, one: GatheringEngine, other: GatheringEngine) -> None:
        super().__init__(one, other)
        self.one, self.other = one, other

    def is_known(self, *_: object) -> bool:
        """A load writes other lines under the names of those before."""
        return False

    def write(self, query: str, target: Path, values: Values | None = None) -> None:
        theirs = target.with_stem(f"{target.stem}-too")
        self.one.write(query, target, values)
        self.other.write(query, theirs, values)
        written = [str(path) for path in (target, theirs)]
        assert self.one.columns(written[:1]) == self.one.columns(written[1:]), query
        mine, other = (self.one.rows("select * from read_parquet($part)", {"part": part}) for part in written)
        assert mine == other, query
        theirs.unlink()
        self.asked += 1


def state_of(book: Path) -> State:
    """Return what a book's store says that it holds."""
    state = Store(book / ".almanac").state()
    assert state
    return state


def kept(book: Path) -> tuple[Any, ...]:
    """Return what a store holds, when and from where aside: of each part its columns and its lines, in their order."""
    store, state, engine = Store(book / ".almanac"), state_of(book), DuckDBEngine([book])

    def told(name: str) -> Any:
        if not name:
            return None
        part = store.path_of(name)
        return engine.columns([part]), engine.rows("select * from read_parquet($part)", {"part": part})

    aside: dict[str, Any] = dict.fromkeys((*READ, "taken_at", "stamp", "identity"), "")
    files = [replace(file, **aside) for file in state.files]
    names = [getattr(file, name) for file in state.files for name in READ]
    parts = [told(name) for name in (*names, state.rollup, state.wide, *state.marked.values())]
    engine.close()
    return files, parts, state.bases, state.early, state.through, state.rules
