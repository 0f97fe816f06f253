"""The spans that growth is told of: each unit of the calendar, the one before it, and last year's."""

from collections.abc import Iterator
from datetime import date, timedelta
from typing import NamedTuple

from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.language.columns import LAST_YEAR, NO_SHIFT, Shift, Span, SpanName
from level_almanac.core.language.days import Unit, unit_days
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.spans.compared import moved_window
from level_almanac.core.spans.divided import unit_id
from level_almanac.core.spans.windows import Missing, Window, window_of, window_of_period
from level_almanac.errors import Mistake, UsageMistake, listed, nearest

UNITS: tuple[Unit, ...] = ("year", "quarter", "period", "month", "week", "day")
_TO_DATE: dict[Unit, SpanName] = {
    "year": "ytd", "quarter": "qtd", "period": "ptd", "month": "mtd", "week": "wtd", "day": "day",
}  # fmt: skip
_LAST: dict[Unit, int] = {"year": 5, "quarter": 8, "period": 13, "month": 13, "week": 13, "day": 14}
"""How many rows of each unit are shown unless more are asked for."""
_MOST_ROWS = 2_000


class Stage(NamedTuple):
    """One row: a span, the one before it and last year's. unit: of the calendar, or empty for a span to date."""

    key: str
    label: str
    unit: Unit
    now: Window
    before: Window | Missing
    last_year: Window | Missing
    to_date: bool = False

    @property
    def windows(self) -> tuple[Window, ...]:
        """Those of the three that have days."""
        return tuple(each for each in (self.now, self.before, self.last_year) if isinstance(each, Window))


class Spans(NamedTuple):
    """What spans are asked for. each: units; last: how many of each; days: a range instead; as_of: the day they end on
    else; first_day: the first day that the table has a line on; in_periods: whether extra periods have lines.
    """

    each: tuple[Unit, ...]
    last: int | None
    days: tuple[date, date] | None
    as_of: AsOf
    first_day: date | None
    in_periods: bool


def stages_of(spans: Spans) -> Iterator[Stage]:
    """Yield the spans to date, and the units asked for in order; raise UsageMistake where they are too many."""
    if spans.days is None:
        units: list[Unit] = ["year", "quarter", "period"]
        if not spans.as_of.calendar.year(spans.as_of.period.year).quarters:
            units.remove("quarter")
        for unit in units:
            yield _stage(_TO_DATE[unit], f"{unit.capitalize()} to date", unit, spans.as_of, to_date=True)
    count = 0
    for unit in spans.each:
        for stage in _stages_of(spans, unit):
            count += 1
            if count > _MOST_ROWS:
                raise UsageMistake(Mistake("too many rows", "--each", allowed=f"{_MOST_ROWS:,} at the most"))
            yield stage


def _stages_of(spans: Spans, unit: Unit) -> Iterator[Stage]:
    calendar, stages = spans.as_of.calendar, list[Stage]()
    first_day = spans.first_day or spans.as_of.day
    low, high = spans.days or (first_day, spans.as_of.day)
    most = None if spans.days else spans.last or _LAST[unit]
    day, units = high, 0
    while day >= low and (most is None or units < most):
        first, last = unit_days(day, unit, calendar)
        if last < first_day:
            break
        end = min(last, high)
        at = spans.as_of._replace(day=end, period=calendar.period_of(end))
        if unit == "period" and end == last:
            stages += reversed(list(_extra_stages(spans, at)))
        label = day_words(end) if unit == "day" else unit_id(end, unit, calendar)
        stages.append(_stage(unit_id(end, unit, calendar), label, unit, at))
        day, units = first - timedelta(days=1), units + 1
    yield from reversed(stages)


def _extra_stages(spans: Spans, at: AsOf) -> Iterator[Stage]:
    """Yield the extra periods of a year after its last period."""
    year = at.calendar.year(at.period.year)
    if not spans.in_periods or at.day != year.last:
        return
    for count, extra in enumerate(year.extra_periods[: at.extras], 1):
        last = at.calendar.period(extra.year - 1, extra.number)
        before = Missing("an extra period is compared with last year's only")
        last_year = window_of_period(last, at, count) if last and last.extra else Missing(f"{extra.year - 1} has none")
        yield Stage(str(extra), str(extra), "period", window_of_period(extra, at, count), before, last_year)


def _stage(key: str, label: str, unit: Unit, at: AsOf, *, to_date: bool = False) -> Stage:
    span = Span(_TO_DATE[unit])
    now = window_of(span, NO_SHIFT, at)
    assert isinstance(now, Window)  # noqa: S101  a span to date always has days
    # A day's own last year is the same day of its period, which the period's span knows to find.
    last_year = _day_last_year(at) if unit == "day" else moved_window(span, LAST_YEAR, at)
    before: Window | Missing = Missing("the year before is last year")
    if unit != "year":
        before = moved_window(span, Shift("back", 1), at)
    return Stage(key, label, unit, now, before, last_year, to_date)


def _day_last_year(at: AsOf) -> Window | Missing:
    if at.compare == "weekday":
        return moved_window(Span("day"), LAST_YEAR, at)
    found = moved_window(Span("ptd"), LAST_YEAR, at)
    if isinstance(found, Missing):
        return found
    return window_of(Span("range", first=found.last, last=found.last), NO_SHIFT, at)


def request_units(text: str) -> tuple[Unit, ...]:
    """Return the units that `year, period` names, one or more between commas."""
    units: list[Unit] = []
    for word in (word.strip().lower() for word in text.split(",") if word.strip()):
        unit = next((unit for unit in UNITS if unit == word), None)
        if unit is None:
            what, hint = "not a unit of the calendar", nearest(word, UNITS)
            raise UsageMistake(Mistake(what, "--each", repr(word), listed(UNITS), hint))
        units.append(unit)
    if not units:
        raise UsageMistake(Mistake("no unit of the calendar", "--each", repr(text), listed(UNITS)))
    return tuple(dict.fromkeys(units))
