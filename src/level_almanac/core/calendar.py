"""The fiscal calendar: years, quarters and periods, their ids, and where a posting date stands (docs/calendar.md)."""

import re
from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache

from level_almanac.book.settings import CalendarSettings
from level_almanac.errors import AlmanacError, Mistake
from level_almanac.store.place import Place

PERIODS_A_YEAR = 12
_ID = re.compile(r"(?:FY)?(\d{4})(?:-(?:Q(\d)|P(\d{1,2})))?", re.IGNORECASE)


@dataclass(frozen=True, slots=True, order=True)
class FiscalPeriod:
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


@dataclass(frozen=True, slots=True)
class FiscalQuarter:
    """Three periods of a year."""

    year: int
    number: int
    first: date
    last: date

    def __str__(self) -> str:
        return f"{self.year}-Q{self.number}"


@dataclass(frozen=True, slots=True)
class FiscalYear:
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
        """The year's four quarters."""
        starts = range(0, PERIODS_A_YEAR, 3)
        return tuple(
            FiscalQuarter(self.year, start // 3 + 1, self.periods[start].first, self.periods[start + 2].last)
            for start in starts
        )

    def __str__(self) -> str:
        return str(self.year)


class FiscalCalendar:
    """The calendar that `almanac.toml` describes."""

    def __init__(self, settings: CalendarSettings) -> None:
        self._month, self._day = (int(part) for part in settings.year_start.split("-"))
        # A year that starts with the calendar year has one name, however it is named.
        starts_in = 0 if (self._month, self._day) == (1, 1) or settings.year_named_by == "start" else 1
        self._named_after_start = starts_in
        self._extra = settings.extra_periods
        self.year = lru_cache(maxsize=None)(self._year)

    def _year(self, year: int) -> FiscalYear:
        """Return the fiscal year of this name."""
        starts = [self._month_start(year, number) for number in range(PERIODS_A_YEAR + 1)]
        periods = tuple(
            FiscalPeriod(year, number + 1, starts[number], starts[number + 1] - timedelta(days=1))
            for number in range(PERIODS_A_YEAR)
        )
        last = periods[-1].last
        extra = tuple(
            FiscalPeriod(year, PERIODS_A_YEAR + number, last, last, extra=True) for number in range(1, self._extra + 1)
        )
        return FiscalYear(year, periods, extra)

    def _month_start(self, year: int, number: int) -> date:
        months = self._month - 1 + number
        return date(year - self._named_after_start + months // 12, months % 12 + 1, self._day)

    def year_of(self, day: date) -> FiscalYear:
        """Return the fiscal year that holds the day."""
        for name in (day.year, day.year + 1, day.year - 1):
            year = self.year(name)
            if year.first <= day <= year.last:
                return year
        raise AssertionError(day)

    def period_of(self, day: date) -> FiscalPeriod:
        """Return the ordinary period that holds the day."""
        return next(period for period in self.year_of(day).periods if period.first <= day <= period.last)

    def period(self, year: int, number: int) -> FiscalPeriod | None:
        """Return a period by its number, extra ones too, or None where the year has no such period."""
        periods = self.year(year).periods + self.year(year).extra_periods
        return periods[number - 1] if 1 <= number <= len(periods) else None

    def place(self, posted: date, year: int | None, number: int | None) -> Place | None:
        """Return where a line with this posting date stands, or None where the calendar has no such period.

        year, number: the line's own period, where the export tells it; a number alone is one of the date's year. A
        date outside its line's own period counts at that period's nearest end (docs/figures.md, "The period of a
        line").
        """
        if number is None:
            period = self.period_of(posted)
        else:
            found = self.period(self.year_of(posted).year if year is None else year, number)
            if found is None:
                return None
            period = found
        held_by = self.year_of(posted)
        opened = None
        if posted == held_by.last:
            opened = self.year(held_by.year + 1)
        elif posted == held_by.first:
            opened = held_by
        return Place(
            period.fiscal,
            min(max(posted, period.first), period.last),
            opened.periods[0].fiscal if opened else None,
            opened.first if opened else None,
        )

    def find(self, text: str, where: str, error: type[AlmanacError]) -> FiscalYear | FiscalQuarter | FiscalPeriod:
        """Return the year, quarter or period of this id; raise `error` where the calendar has none.

        where: the option or key that the text comes from.
        """
        match = _ID.fullmatch(text)
        if match:
            year = self.year(int(match[1])) if 1900 <= int(match[1]) <= 2199 else None
            if year and match[2] is None and match[3] is None:
                return year
            if year and match[2] and 1 <= int(match[2]) <= 4:
                return year.quarters[int(match[2]) - 1]
            if year and match[3] and (period := self.period(year.year, int(match[3]))):
                return period
        last = f"P{PERIODS_A_YEAR + self._extra}"
        raise error(
            Mistake("the calendar has no such id", where, repr(text), f"2026, 2026-Q2 or 2026-P09, P01 through {last}")
        )
