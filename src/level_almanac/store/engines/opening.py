"""Which engine answers a book's statements, and who loads it."""

from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

from level_almanac.store.elsewhere import Elsewhere
from level_almanac.store.engine import Crew, Engine, GatheringEngine


def parts_elsewhere(address: str, settings: Mapping[str, str], uri: str, folder: Path) -> Elsewhere | None:
    """Return the parts of a store at a URI, or None where it is empty. folder: where the store would have them else."""
    if not uri:
        return None
    from level_almanac.store.engines.spark_parts import SparkParts

    return SparkParts(address, settings, uri, folder)


def open_engine(
    address: str,
    settings: Mapping[str, str],
    reach: Iterable[Path],
    spill: Path | None = None,
    elsewhere: Elsewhere | None = None,
) -> Engine:
    """Return the engine at an address: of a Spark cluster, or DuckDB in this process where there is none.

    settings: of the session; reach: the folders that may be read; spill: where DuckDB puts what is larger than memory;
    elsewhere: parts at a URI, which may be read too. Raises UsageMistake where that engine does not reach them.
    """
    if elsewhere is not None:
        elsewhere.check()
    if not address:
        from level_almanac.store.engines.duckdb_engine import DuckDBEngine

        return DuckDBEngine(reach, spill)
    from level_almanac.store.engines.spark_engine import SparkEngine

    return SparkEngine(address, settings, reach, elsewhere)


_MEMORY = "1200MB"
"""How much memory a load takes of each machine at the most, where nobody says otherwise."""


def open_loading(
    address: str, settings: Mapping[str, str], reach: Sequence[Path], work: Path, elsewhere: Elsewhere | None = None
) -> tuple[GatheringEngine, Crew]:
    """Return what a load is done with: the engine that sees all exports together, and who works at each.

    work: a folder for the meantime, which all machines see; elsewhere: as for `open_engine`.
    """
    if elsewhere is not None:
        elsewhere.check()
    if not address:
        from level_almanac.store.engines.duckdb_engine import DuckDBEngine
        from level_almanac.store.engines.threads import ThreadCrew

        engine = DuckDBEngine(reach, work, _MEMORY)
        return engine, ThreadCrew(engine, work)
    from level_almanac.store.engines.spark_crew import SparkCrew
    from level_almanac.store.engines.spark_engine import SparkEngine

    cluster = SparkEngine(address, settings, reach, elsewhere)
    return cluster, SparkCrew(cluster, reach, _MEMORY)
