"""The fiscal calendar: years, quarters, periods and weeks, their ids, and where a date stands (docs/calendar.md)."""

import re
from collections.abc import Sequence
from copy import copy
from datetime import date, timedelta
from functools import cached_property
from itertools import pairwise
from typing import NamedTuple, Self

from level_almanac.core.calendar.year_shapes import quarter_sizes, shape_of
from level_almanac.errors import AlmanacError, BookMistake, Mistake, UsageMistake
from level_almanac.files.period_file import ToldPeriod
from level_almanac.files.settings import CalendarSettings
from level_almanac.files.year_ends import WEEKDAYS
from level_almanac.store.place import FiscalPosition

_ID = re.compile(r"(?:FY)?(\d{4})(?:-(?:Q(\d)|P(\d{1,2})|W(\d{1,2})))?", re.IGNORECASE)
_ONE_DAY = timedelta(days=1)


class FiscalPeriod(NamedTuple):
    """One period, first and last day included. An extra period lies on its year's last day."""

    year: int
    number: int
    first: date
    last: date
    extra: bool = False

    @property
    def fiscal(self) -> int:
        """The position in the store: year × 100 + number."""
        return self.year * 100 + self.number

    @property
    def days(self) -> int:
        """How many days the period has."""
        return (self.last - self.first).days + 1

    def __str__(self) -> str:
        return f"{self.year}-P{self.number:02d}"


class FiscalQuarter(NamedTuple):
    """Some periods of a year, mostly three."""

    year: int
    number: int
    periods: tuple[FiscalPeriod, ...]

    @property
    def first(self) -> date:
        """The quarter's first day."""
        return self.periods[0].first

    @property
    def last(self) -> date:
        """The quarter's last day."""
        return self.periods[-1].last

    def __str__(self) -> str:
        return f"{self.year}-Q{self.number}"


class FiscalWeek(NamedTuple):
    """Seven days. W01 is the week that holds the year's first day, so it can start before the year does."""

    year: int
    number: int
    first: date

    @property
    def last(self) -> date:
        """The week's last day."""
        return self.first + timedelta(days=6)

    def __str__(self) -> str:
        return f"{self.year}-W{self.number:02d}"


class FiscalYear(NamedTuple):
    """A year, with its ordinary periods and its extra ones."""

    year: int
    periods: tuple[FiscalPeriod, ...]
    extra_periods: tuple[FiscalPeriod, ...]

    @property
    def first(self) -> date:
        """The year's first day."""
        return self.periods[0].first

    @property
    def last(self) -> date:
        """The year's last day."""
        return self.periods[-1].last

    @property
    def quarters(self) -> tuple[FiscalQuarter, ...]:
        """The year's four quarters, or none where its periods cannot be shared out."""
        quarters: list[FiscalQuarter] = []
        start = 0
        for number, size in enumerate(quarter_sizes(len(self.periods)), 1):
            quarters.append(FiscalQuarter(self.year, number, self.periods[start : start + size]))
            start += size
        return tuple(quarters)

    def quarter_of(self, period: FiscalPeriod) -> FiscalQuarter:
        """Return the quarter that holds the period, an extra one the last; raise UsageMistake where there are none."""
        for quarter in self.quarters:
            if period.number <= quarter.periods[-1].number or (period.extra and quarter.number == 4):
                return quarter
        what = f"a year of {len(self.periods)} periods has no quarters"
        raise UsageMistake(Mistake(what, next_step="ask for periods or the year"))

    def __str__(self) -> str:
        return str(self.year)


class FiscalCalendar:
    """One calendar of a book. name: what the book calls it, empty for `[calendar]`; told: its period file's periods."""

    def __init__(self, settings: CalendarSettings, told: Sequence[ToldPeriod] = (), name: str = "") -> None:
        self.name = name
        self.settings = settings
        self._shape = shape_of(settings, told)
        self._extra = settings.extra_periods
        self._years: dict[int, FiscalYear] = {}
        # A year of weeks starts with its weeks; another one's weeks start where the book says.
        self._week_starts = (
            self.year(2000).first.weekday() if settings.year_ends else WEEKDAYS.index(settings.week_starts or "monday")
        )
        told_holidays = (day.partition(" ") for day in settings.holidays)
        self.holiday_names = {date.fromisoformat(day): name.strip() for day, _, name in told_holidays}
        self.holidays = frozenset(self.holiday_names)

    def without_extra_periods(self) -> Self:
        """Return the same calendar with no extra periods, for lines that are placed by their date alone."""
        found = copy(self)
        found._extra = 0
        found._years = {}
        return found

    @property
    def section(self) -> str:
        """The section of `almanac.toml` that describes it."""
        return f"calendars.{self.name}" if self.name else "calendar"

    @cached_property
    def closed_through(self) -> FiscalPeriod | None:
        """The last period that is closed, if the book names one; raises BookMistake where it names something else."""
        text, where = self.settings.closed_through, f"{self.section}.closed_through"
        if not text:
            return None
        closed = self.find(text, where, BookMistake)
        if not isinstance(closed, FiscalPeriod):
            raise BookMistake(Mistake("not a period", where, repr(text), "one such as 2026-P08"))
        return closed

    def is_closed(self, period: FiscalPeriod) -> bool:
        """Tell whether the book calls this period closed."""
        return self.closed_through is not None and period.fiscal <= self.closed_through.fiscal

    def year(self, year: int) -> FiscalYear:
        """Return the fiscal year of this name; raise UsageMistake where a told calendar lacks it."""
        if year not in self._years:
            self._years[year] = self._year(year)
        return self._years[year]

    def _year(self, year: int) -> FiscalYear:
        starts = self._shape.starts(year)
        periods = tuple(
            FiscalPeriod(year, number, first, after - _ONE_DAY)
            for number, (first, after) in enumerate(pairwise(starts), 1)
        )
        last = periods[-1].last
        extra = tuple(
            FiscalPeriod(year, len(periods) + number, last, last, extra=True) for number in range(1, self._extra + 1)
        )
        return FiscalYear(year, periods, extra)

    def year_of(self, day: date) -> FiscalYear:
        """Return the fiscal year that holds the day; raise UsageMistake where a told calendar does not reach to it."""
        likely = self.year(self._shape.likely_year(day))
        if day < likely.first:
            return self.year(likely.year - 1)
        return likely if day <= likely.last else self.year(likely.year + 1)

    def period_of(self, day: date) -> FiscalPeriod:
        """Return the ordinary period that holds the day."""
        return next(period for period in self.year_of(day).periods if period.first <= day <= period.last)

    def period(self, year: int, number: int) -> FiscalPeriod | None:
        """Return a period by its number, extra ones too, or None where the year has no such period."""
        try:
            periods = self.year(year).periods + self.year(year).extra_periods
        except UsageMistake:
            return None
        return periods[number - 1] if 1 <= number <= len(periods) else None

    def moved(self, period: FiscalPeriod, by: int) -> FiscalPeriod:
        """Return the ordinary period so many after this one, or before it where `by` is negative."""
        year, number = period.year, period.number + by
        while number < 1:
            year -= 1
            number += len(self.year(year).periods)
        while number > len(self.year(year).periods):
            number -= len(self.year(year).periods)
            year += 1
        return self.year(year).periods[number - 1]

    def week_of(self, day: date) -> FiscalWeek:
        """Return the week that holds the day; it is of the year whose first day it holds, or else that it lies in."""
        first = self._week_start(day)
        year = self.year_of(day)
        if first + timedelta(days=6) > year.last:
            return FiscalWeek(year.year + 1, 1, first)
        return FiscalWeek(year.year, (first - self._week_start(year.first)).days // 7 + 1, first)

    def weeks(self, year: FiscalYear) -> tuple[FiscalWeek, ...]:
        """Return the year's weeks: from the one that holds its first day to the one before the next year's first."""
        first = self._week_start(year.first)
        count = (self._week_start(year.last + _ONE_DAY) - first).days // 7
        return tuple(FiscalWeek(year.year, number + 1, first + timedelta(days=7 * number)) for number in range(count))

    def _week_start(self, day: date) -> date:
        return day - timedelta(days=(day.weekday() - self._week_starts) % 7)

    def place(self, posted: date, year: int | None, number: int | None) -> FiscalPosition | None:
        """Return where a line with this posting date stands, or None where the calendar has no such period.

        year, number: the line's own period, where the export tells it; a number alone is one of the date's year. A
        date outside its line's own period counts at that period's nearest end (docs/figures.md, "The period of a
        line").
        """
        try:
            held_by = self.year_of(posted)
            if number is None:
                period = self.period_of(posted)
            else:
                place = self.period(held_by.year if year is None else year, number)
                if place is None:
                    return None
                period = place
        except UsageMistake:
            return None
        opened = None
        if posted == held_by.last:
            first = self.period(held_by.year + 1, 1)
            opened = self.year(first.year) if first else None
        elif posted == held_by.first:
            opened = held_by
        return FiscalPosition(
            period.fiscal,
            min(max(posted, period.first), period.last),
            opened.periods[0].fiscal if opened else None,
            opened.first if opened else None,
        )

    def plan_place(self, year: int | None, number: int | None) -> FiscalPosition | None:
        """Return where a plan for a period stands, or for a whole year where there is no number.

        None where the calendar has no such year or period, or the year is not told.
        """
        first = self.period(year, 1) if year is not None else None
        if first is None or year is None:
            return None
        period = self.period(year, number) if number is not None else first
        if period is None:
            return None
        return FiscalPosition(period.fiscal if number is not None else year * 100, period.first, None, None)

    def month_place(self, year: int, month: int, *, fiscal: bool) -> tuple[int, int] | None:
        """Return the fiscal year and the number of the period that is a month, or None where months are no periods.

        fiscal: whether the year is a fiscal one, rather than the calendar's.
        """
        if self.settings.periods != "months" or not 1 <= month <= 12:
            return None
        if not fiscal:
            period = self.period_of(date(year, month, 1))
            return period.year, period.number
        return next(((year, each.number) for each in self.year(year).periods if each.first.month == month), None)

    def last_day(self, year: int, number: int) -> date | None:
        """Return the last day of a period, or None where the calendar has no such period."""
        period = self.period(year, number)
        return period.last if period else None

    def find(
        self, text: str, where: str, error: type[AlmanacError]
    ) -> FiscalYear | FiscalQuarter | FiscalPeriod | FiscalWeek:
        """Return the year, quarter, period or week of this id; raise `error` where the calendar has none.

        where: the option or key that the text comes from.
        """
        match = _ID.fullmatch(text)
        found: FiscalYear | FiscalQuarter | FiscalPeriod | FiscalWeek | None = None
        allowed = "an id such as 2026, 2026-Q2, 2026-P09 or 2026-W07"
        if match and 1900 <= int(match[1]) <= 2199:
            try:
                year = self.year(int(match[1]))
            except UsageMistake as mistake:
                allowed = mistake.mistakes[0].allowed
            else:
                found = self._part(year, *match.groups()[1:])
                weeks = len(self.weeks(year)) if match[4] else 0
                last = len(year.periods) + self._extra
                allowed = (
                    f"{year}-W01 to W{weeks}" if weeks else f"{year}, {year}-Q2 or {year}-P09, P01 through P{last}"
                )
        if found is None:
            raise error(Mistake("the calendar has no such id", where, repr(text), allowed))
        return found

    def _part(
        self, year: FiscalYear, quarter: str | None, period: str | None, week: str | None
    ) -> FiscalYear | FiscalQuarter | FiscalPeriod | FiscalWeek | None:
        if quarter:
            return next((each for each in year.quarters if each.number == int(quarter)), None)
        if week:
            return next((each for each in self.weeks(year) if each.number == int(week)), None)
        return self.period(year.year, int(period)) if period else year
