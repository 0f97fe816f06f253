"""What is asked of a part without a place in the calendar."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal

from level_almanac.store.engine import Engine


def days_covered(engine: Engine, part: str, field: str) -> tuple[date | None, date | None]:
    """Return the first and last day that the lines of a part have in a date field, if any has one."""
    ((first, last),) = engine.rows(f'select min("{field}"), max("{field}") from read_parquet($part)', {"part": part})
    return first, last


def newest_day(engine: Engine, parts: Sequence[str], field: str, today: date) -> date | None:
    """Return the newest day that is not after today in a date field of the lines of these parts, if there is one."""
    query = f'select max("{field}") from read_parquet($parts, union_by_name = true) where "{field}" <= $today'
    ((newest,),) = engine.rows(query, {"parts": list(parts), "today": today})
    return newest if isinstance(newest, date) else None


def plain_sums(engine: Engine, part: str, measure: str, *, by_entity: bool) -> dict[str, tuple[int, Decimal, Decimal]]:
    """Return by entity, or all under an empty name, how many lines the part holds, and what they come to.

    measure: the amount that is added up, a field of the table, or empty; the third figure is always nothing.
    """
    amount = f'coalesce(sum("{measure}"), 0)::decimal(38, 4)' if measure else "0"
    entity = "entity" if by_entity else "''"
    rows = engine.rows(
        f"select {entity}, count(*), {amount} from read_parquet($part) group by 1 order by 1", {"part": part}
    )
    return {entity or "": (lines, Decimal(found), Decimal(0)) for entity, lines, found in rows}
