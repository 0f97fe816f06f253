"""What is asked of a part without a place in the calendar."""

from level_almanac.store.engine import Engine


def count_lines(engine: Engine, part: str) -> int:
    """Return how many lines the part holds."""
    ((lines,),) = engine.rows("select count(*) from read_parquet($part)", {"part": part})
    return int(lines)
