"""A span divided by units of the calendar: each period, each week (docs/columns.md, "Each")."""

from collections.abc import Iterator
from datetime import date, timedelta

from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.calendar.positions import stretches
from level_almanac.core.language.days import Unit, unit_days
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.spans.windows import Window, window_of_days, window_of_period
from level_almanac.errors import Mistake, UsageMistake

_ONE_DAY = timedelta(days=1)


def divided(window: Window, unit: Unit, number: int, as_of: AsOf) -> Iterator[tuple[str, Window]]:
    """Yield the id and the days of each unit of the calendar that lies in a window, so many at a time.

    Periods and quarters are counted from the fiscal year's start, weeks from W01; the last one ends where the window
    does. Weeks are whole: those at a year's edges reach over them (docs/columns.md, "Each").
    """
    calendar = as_of.calendar
    if unit == "period":
        yield from _periods(window, number, as_of)
        return
    day = window.first
    while day <= window.last:
        first, last = unit_days(day, unit, calendar)
        name = unit_id(first, unit, calendar)
        if number > 1:
            first, last, name = _several(first, unit, number, calendar)
        if unit == "week" and window.unit == "year" and calendar.week_of(first).year > calendar.year_of(day).year:
            # The week that holds the next year's first day is that year's.
            return
        whole_weeks = unit == "week" and window.last == window.whole_last
        begin = first if unit == "week" else max(first, window.first)
        end = last if whole_weeks else min(last, window.last)
        yield name, window_of_days(begin, end, last, unit if begin == first else f"rest of {unit}", as_of)
        day = last + _ONE_DAY


def _several(first: date, unit: Unit, number: int, calendar: FiscalCalendar) -> tuple[date, date, str]:
    """Return the group of so many weeks or days that a first one stands in, as groups are counted in its year."""
    if unit != "week":
        raise UsageMistake(Mistake("only weeks and periods are grouped", "--columns", f"each {number} {unit}s"))
    week = calendar.week_of(first)
    weeks = calendar.weeks(calendar.year(week.year))
    start = (week.number - 1) // number * number
    group = weeks[start : start + number]
    return group[0].first, group[-1].last, f"{group[0]}–W{group[-1].number:02d}" if len(group) > 1 else str(group[0])


def _periods(window: Window, number: int, as_of: AsOf) -> Iterator[tuple[str, Window]]:
    calendar = as_of.calendar
    period = calendar.period_of(window.first)
    while period.first <= window.last:
        group = [period]
        year = calendar.year(period.year)
        while len(group) < number and group[-1] is not year.periods[-1]:
            group.append(year.periods[group[-1].number])
        first, last = max(period.first, window.first), min(group[-1].last, window.last)
        at_year_end = group[-1] == year.periods[-1]
        extras = 0 if at_year_end and year.extra_periods else as_of.extras
        name = f"{period}–P{group[-1].number:02d}" if len(group) > 1 else str(period)
        within = stretches(calendar, first, last, 0, crossing=False)
        unit = "period" if len(group) == 1 else f"{len(group)} periods"
        if first > period.first:
            unit = f"rest of {unit}"
        yield name, Window(first, last, group[-1].last, unit, within, extras)
        if at_year_end and last == year.last:
            for count, extra in enumerate(year.extra_periods[: as_of.extras], 1):
                yield str(extra), window_of_period(extra, as_of, count)
        if last == window.last:
            return
        period = calendar.moved(group[-1], 1)


def unit_id(day: date, unit: Unit, calendar: FiscalCalendar) -> str:
    """Return the id of the unit of the calendar that a day lies in."""
    if unit == "day":
        return day.isoformat()
    if unit == "week":
        return str(calendar.week_of(day))
    if unit == "month":
        return f"{day:%Y-%m}"
    period = calendar.period_of(day)
    year = calendar.year(period.year)
    if unit == "period":
        return str(period)
    return str(year) if unit == "year" else str(year.quarter_of(period))
