"""The days that the lines of a table have, to see where its data ends."""

from collections.abc import Sequence
from datetime import date

from level_almanac.store.engine import Engine


def days_by_entity(
    engine: Engine, parts: Sequence[str], field: str, today: date, *, by_entity: bool
) -> dict[str, list[date]]:
    """Return the different days up to today in a date field of these parts, in order, by entity or under ''."""
    entity = "entity" if by_entity else "''"
    rows = engine.rows(
        f"""select distinct {entity}, "{field}"::date from read_parquet($parts, union_by_name = true)
            where "{field}" <= $today order by 1, 2""",
        {"parts": list(parts), "today": today},
    )
    found: dict[str, list[date]] = {}
    for code, day in rows:
        found.setdefault(code or "", []).append(day)
    return found
