"""Tables, or the lines of one entity in them, whose data ends clearly before that of the others."""

from collections.abc import Iterator, Mapping, Sequence
from datetime import date, timedelta
from itertools import pairwise

from level_almanac.files.tables import Table
from level_almanac.store.data_ends import Dated, days_by_entity
from level_almanac.store.engine import Engine

_LOOKED_AT = timedelta(days=366)
_AT_LEAST = 7
"""A week-end with holidays about it is no end."""


def early_ends(
    engine: Engine,
    tables: Sequence[Table],
    parts: Mapping[str, Sequence[str]],
    through: Mapping[str, date],
    today: date,
) -> dict[str, date]:
    """Return the newest day of each table whose data ends early, or as `table/ENTITY` of one entity's lines in it.

    parts: by table; through: the days told, per table. A day is early where it is longer before the day told, or else
    before the newest of all tables, than twice the longest time between two days that had lines in the year before it.
    Days that stand in another table say nothing of when a table's own lines end.
    """
    dated = [
        Dated(table.name, parts[table.name], table.date, table.field("entity") is not None)
        for table in tables
        if parts.get(table.name) and table.date and "." not in table.date and not table.plan_of
    ]
    found_of = days_by_entity(engine, dated, today)
    days = {each.table: found_of.get(each.table, {}) for each in dated}
    newest = max((each[-1] for found in days.values() for each in found.values()), default=None)
    if newest is None:
        return {}
    return {key: day for name, found in days.items() for key, day in _early(name, found, through.get(name, newest))}


def _early(name: str, found: Mapping[str, Sequence[date]], told: date) -> Iterator[tuple[str, date]]:
    early = {entity: days[-1] for entity, days in found.items() if _is_early(days, told)}
    if len(early) == len(found):
        yield name, max(early.values())
    else:
        yield from ((f"{name}/{entity}", day) for entity, day in early.items())


def _is_early(days: Sequence[date], told: date) -> bool:
    recent = [day for day in days if day > days[-1] - _LOOKED_AT]
    gaps = [(later - day).days for day, later in pairwise(recent)]
    # Where lines stand once in a year or less, nobody can tell that one is missing.
    return bool(gaps) and (told - days[-1]).days > max(_AT_LEAST, 2 * max(gaps))
