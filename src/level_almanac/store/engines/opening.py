"""Which engine answers a book's statements."""

from collections.abc import Iterable, Mapping
from pathlib import Path

from level_almanac.store.engine import Engine


def open_engine(address: str, settings: Mapping[str, str], reach: Iterable[Path], spill: Path | None = None) -> Engine:
    """Return the engine at an address: of a Spark cluster, or DuckDB in this process where there is none.

    settings: of the session; reach: the folders that may be read; spill: where DuckDB puts what is larger than memory.
    """
    if not address:
        from level_almanac.store.engines.duckdb_engine import DuckDBEngine

        return DuckDBEngine(reach, spill)
    from level_almanac.store.engines.spark_engine import SparkEngine

    return SparkEngine(address, settings, reach)
