"""Ledger lines by their bare date: placed in the calendar by the day that they are posted, whatever period they tell.

Carried lines stay where they open a year, as nothing was booked on their day.
"""

from collections.abc import Sequence
from datetime import date
from typing import NamedTuple

from level_almanac.store.binding import Binding

PLACE, PLACE_DAY = "place", "place_day"
"""What a line has more when it is placed by its date."""


class DayPlaces(NamedTuple):
    """The fiscal position of each day that lines may be posted on."""

    days: tuple[date, ...]
    fiscals: tuple[int, ...]


def placed_lines(parts: Sequence[str], places: DayPlaces | None, bind: Binding) -> str:
    """Return the SQL of the lines in these parts, as `line`. places: where each day stands, or None for their own."""
    read = f"read_parquet({bind(list(parts))}, union_by_name = true)"
    if places is None:
        return f"{read} as line"
    days = bind.table({"day": "date", "fiscal": "integer"}, zip(places.days, places.fiscals, strict=True))
    return f"""(
        select lines.*,
            case when lines.entry_class = 'carried' then lines.fiscal else days.fiscal end as {PLACE},
            case when lines.entry_class = 'carried' then lines.counted else lines.posted end as {PLACE_DAY}
        from {read} as lines
        join {days} as days on days.day = lines.posted) as line"""
