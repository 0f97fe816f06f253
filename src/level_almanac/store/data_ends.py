"""The days that the lines of a table have, to see where its data ends."""

from collections.abc import Sequence
from datetime import date
from typing import NamedTuple

from level_almanac.store.binding import Binding
from level_almanac.store.engine import Engine


class Dated(NamedTuple):
    """A table whose days are looked at. parts: of its lines, some at least; field: the date; by_entity: whether its
    lines are of entities.
    """

    table: str
    parts: Sequence[str]
    field: str
    by_entity: bool


def days_by_entity(engine: Engine, tables: Sequence[Dated], today: date) -> dict[str, dict[str, list[date]]]:
    """Return by table the different days up to today in its date field, in order, by entity or under ''."""
    if not tables:
        return {}
    bind = Binding()
    days = [
        f"""select distinct {bind(each.table)}::varchar as name, {"entity" if each.by_entity else "''"} as entity,
                "{each.field}"::date as day
            from read_parquet({bind(list(each.parts))}, union_by_name = true) where "{each.field}" <= {bind(today)}"""
        for each in tables
    ]
    found: dict[str, dict[str, list[date]]] = {}
    for name, code, day in engine.rows(f"{' union all '.join(days)} order by name, entity, day", bind.values):
        found.setdefault(name, {}).setdefault(code or "", []).append(day)
    return found
