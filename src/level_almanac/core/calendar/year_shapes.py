"""The shapes a fiscal year can have: on which days its periods start (docs/calendar.md, "Kinds of calendars")."""

from calendar import monthrange
from collections import defaultdict
from collections.abc import Sequence
from datetime import date, timedelta
from typing import Protocol

from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.period_file import ToldPeriod
from level_almanac.files.settings import CalendarSettings
from level_almanac.files.year_ends import MONTH_NAMES, WEEKDAYS, YEAR_ENDS

WEEKS_OF_A_QUARTER = {"4-4-5": (4, 4, 5), "4-5-4": (4, 5, 4), "5-4-4": (5, 4, 4)}
_WEEK = timedelta(days=7)
_ONE_DAY = timedelta(days=1)


class YearShape(Protocol):
    """How the ordinary periods of a year lie."""

    def starts(self, year: int) -> list[date]:
        """Return the first day of each ordinary period of the year, and last the first day of the next year.

        Raises UsageMistake where the calendar does not reach to this year.
        """

    def likely_year(self, day: date) -> int:
        """Return the name of the year that holds the day, or of one next to it."""


class MonthsShape:
    """Twelve months from any day up to the 28th."""

    def __init__(self, settings: CalendarSettings) -> None:
        self._month, self._day = (int(part) for part in settings.year_start.split("-"))
        # A year that starts with the calendar year has one name, however it is named.
        starts_with_it = (self._month, self._day) == (1, 1)
        self._named_after_start = 0 if starts_with_it or settings.year_named_by == "start" else 1

    def starts(self, year: int) -> list[date]:
        """Return the thirteen first days of months."""
        months = range(self._month - 1, self._month + 12)
        return [date(year - self._named_after_start + month // 12, month % 12 + 1, self._day) for month in months]

    def likely_year(self, day: date) -> int:
        """Return the calendar year of the day."""
        return day.year


class WeeksShape:
    """Whole weeks: quarters of 4-4-5, 4-5-4 or 5-4-4, or thirteen periods of four; a 53rd week goes to the last one."""

    def __init__(self, settings: CalendarSettings) -> None:
        match = YEAR_ENDS.fullmatch(settings.year_ends)
        if match is None:
            raise ValueError(settings.year_ends)
        self._nearest = match["nearest"] is not None
        self._weekday = WEEKDAYS.index((match["last"] or match["nearest"]).lower())
        self._month = MONTH_NAMES.index(match["month"].lower()) + 1
        self._named_by_end = settings.year_named_by == "end"
        quarter = WEEKS_OF_A_QUARTER.get(settings.periods)
        self._weeks = quarter * 4 if quarter else (4,) * 13

    def _last_day(self, year: int) -> date:
        # December's end closes a year that starts with January's, so both ways of naming agree there.
        of = year if self._named_by_end or self._month == 12 else year + 1
        month_end = date(of, self._month, monthrange(of, self._month)[1])
        back = (month_end.weekday() - self._weekday) % 7
        if self._nearest and back > 3:
            back -= 7
        return month_end - timedelta(days=back)

    def starts(self, year: int) -> list[date]:
        """Return the first days, the last period a week longer in a year of 53 weeks."""
        starts = [self._last_day(year - 1) + _ONE_DAY]
        for weeks in self._weeks:
            starts.append(starts[-1] + weeks * _WEEK)
        starts[-1] = self._last_day(year) + _ONE_DAY
        return starts

    def likely_year(self, day: date) -> int:
        """Return the calendar year of the day."""
        return day.year


class ToldShape:
    """Periods as the book's period file tells them, one after another without a gap."""

    def __init__(self, periods: Sequence[ToldPeriod]) -> None:
        self._starts: dict[int, list[date]] = defaultdict(list)
        for period in periods:
            self._starts[period.year].append(period.first)
        self._ends = {period.year: period.last + _ONE_DAY for period in periods}
        self._first, self._last = periods[0], periods[-1]

    def starts(self, year: int) -> list[date]:
        """Return the first days as told."""
        if year not in self._ends:
            raise UsageMistake(beyond(self._first, self._last, str(year)))
        return [*self._starts[year], self._ends[year]]

    def likely_year(self, day: date) -> int:
        """Return the year that holds the day."""
        for year, end in self._ends.items():
            if self._starts[year][0] <= day < end:
                return year
        raise UsageMistake(beyond(self._first, self._last, str(day)))


def beyond(first: ToldPeriod, last: ToldPeriod, got: str) -> Mistake:
    """Return the mistake of asking for what lies outside the period file."""
    return Mistake(
        "the calendar does not reach there",
        "the period file",
        got,
        f"a day from {first.first} through {last.last}, of the years {first.year} to {last.year}",
        "add the periods to the file",
    )


def shape_of(settings: CalendarSettings, told: Sequence[ToldPeriod]) -> YearShape:
    """Return the shape that the settings describe. told: the periods of the period file, where there is one."""
    if settings.periods == "months":
        return MonthsShape(settings)
    return ToldShape(told) if settings.periods == "file" else WeeksShape(settings)


def quarter_sizes(periods: int) -> tuple[int, ...]:
    """Return how many periods each quarter has, or nothing where a year of so many periods has no quarters."""
    if periods == 13:
        return (3, 3, 3, 4)
    return (periods // 4,) * 4 if periods % 4 == 0 else ()
