"""What the lines of a table have in one field: how many have anything, and the values that stand there most often."""

from collections.abc import Sequence

from level_almanac.store.engine import Engine, Row


def filled_counts(engine: Engine, parts: Sequence[str], columns: Sequence[str]) -> list[int]:
    """Return how many lines there are, and then how many have a value in each of the columns."""
    counts = "".join(f', count("{column}")' for column in columns)
    rows = engine.rows(
        f"select count(*){counts} from read_parquet($parts, union_by_name = true)", {"parts": list(parts)}
    )
    return [int(count) for count in rows[0]]


def commonest(engine: Engine, parts: Sequence[str], column: str, limit: int) -> list[Row]:
    """Return the values that stand most often in a column, the first ones in order among those as frequent."""
    return engine.rows(
        f"""select "{column}" from read_parquet($parts, union_by_name = true) where "{column}" is not null
            group by 1 order by count(*) desc, 1 limit {int(limit)}""",
        {"parts": list(parts)},
    )


def extremes(engine: Engine, parts: Sequence[str], column: str) -> Row:
    """Return the least and the greatest value of a column."""
    rows = engine.rows(
        f'select min("{column}"), max("{column}") from read_parquet($parts, union_by_name = true)',
        {"parts": list(parts)},
    )
    return rows[0]
