"""From spans and shifts to the days and periods that a column covers (docs/calendar.md)."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta

from level_almanac.core.as_of import AsOf
from level_almanac.core.calendar import FiscalCalendar, FiscalPeriod
from level_almanac.core.day_words import range_words
from level_almanac.core.words.columns import ValueColumn
from level_almanac.store.ledger_sums import Stretch

_LABELS = {"ptd": "period to date", "qtd": "quarter to date", "ytd": "year to date"}
_UNITS = {"p": "period", "q": "quarter", "y": "year"}
_ONE_DAY = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Window:
    """The days that a column covers, and what they are out of.

    first, last: the days covered; whole_last: the last day of the period, quarter or year that they are part of;
    unit: its name; extras: how many extra periods of a year count where the window ends on that year's last day;
    cut_period: the compared period that was cut at the same day, or None.
    """

    first: date
    last: date
    whole_last: date
    unit: str
    extras: int
    cut_period: FiscalPeriod | None = None

    @property
    def extent(self) -> str:
        """How much of its unit it covers: `17/30 days` or `whole period`."""
        if self.last == self.whole_last:
            return f"whole {self.unit}"
        return f"{(self.last - self.first).days + 1}/{(self.whole_last - self.first).days + 1} days"

    @property
    def covers(self) -> str:
        """The days in words."""
        return range_words(self.first, self.last)


def label_of(column: ValueColumn) -> str:
    """Return the head of a value column; the days beneath it tell what it is one back of."""
    if column.shift == "prior":
        return f"prior {_UNITS[column.span[0]]}"
    return column.shift or _LABELS.get(column.span, column.span)


def window_of(column: ValueColumn, as_of: AsOf, calendar: FiscalCalendar) -> Window:
    """Return the days that a value column covers as of a day.

    A shifted part span is cut at the same day of its period: on a period's last day at the other period's last day, and
    a day that the other period lacks is its last (docs/calendar.md, "Shifts").
    """
    period = _shifted(column, as_of, calendar)
    year = calendar.year(period.year)
    quarter = year.quarters[(period.number - 1) // 3]
    units = {
        "p": (period.first, period.last, "period"),
        "q": (quarter.first, quarter.last, "quarter"),
        "y": (year.first, year.last, "year"),
    }
    first, whole_last, unit = units[column.span[0]]
    # Extra periods belong to the year and its last quarter, never to a period.
    extras = as_of.extras if unit != "period" else 0
    if column.span in ("period", "quarter", "year"):
        return Window(first, whole_last, whole_last, unit, extras)
    last = as_of.day
    if column.shift:
        last = period.last if as_of.compare == "whole" else _same_day(as_of, period)
    cut = period if column.shift and last < period.last else None
    return Window(first, last, whole_last, unit, extras, cut)


def _shifted(column: ValueColumn, as_of: AsOf, calendar: FiscalCalendar) -> FiscalPeriod:
    year, number = as_of.period.year, as_of.period.number
    back = {"": 0, "last year": 12, "prior": {"p": 1, "q": 3, "y": 12}[column.span[0]]}[column.shift]
    position = year * 12 + number - 1 - back
    return calendar.year(position // 12).periods[position % 12]


def _same_day(as_of: AsOf, period: FiscalPeriod) -> date:
    if as_of.day == as_of.period.last:
        return period.last
    return min(period.first + (as_of.day - as_of.period.first), period.last)


def stretches(calendar: FiscalCalendar, first: date, last: date, extras: int) -> tuple[Stretch, ...]:
    """Return what the days from `first` through `last` are in the store.

    extras: how many extra periods count of the year that ends on `last`; those of years that end within the range
    count anyway.
    """
    return _joined(list(_pieces(calendar, first, last, extras)))


def _pieces(calendar: FiscalCalendar, first: date, last: date, extras: int) -> Iterator[Stretch]:
    day = first
    while day <= last:
        period = calendar.period_of(day)
        if day == period.first and period.last <= last:
            yield Stretch(period.fiscal, period.fiscal)
        else:
            yield Stretch(period.fiscal, period.fiscal, day, min(period.last, last))
        year = calendar.year(period.year)
        if period.last == year.last and period.last <= last:
            counted = year.extra_periods if period.last < last else year.extra_periods[:extras]
            yield from (Stretch(extra.fiscal, extra.fiscal) for extra in counted)
        day = period.last + _ONE_DAY


def _joined(pieces: list[Stretch]) -> tuple[Stretch, ...]:
    # Neighbours are whole positions with nothing of the calendar between them, so their ends can stand for them.
    joined: list[Stretch] = []
    for piece in pieces:
        before = joined[-1] if joined else None
        if before and before.first is None and piece.first is None and before.high // 100 == piece.low // 100:
            joined[-1] = Stretch(before.low, piece.high)
        else:
            joined.append(piece)
    return tuple(joined)


def stretches_of(calendar: FiscalCalendar, window: Window) -> tuple[Stretch, ...]:
    """Return what a window is in the store."""
    return stretches(calendar, window.first, window.last, window.extras)


def rest_of_cut(window: Window) -> Stretch | None:
    """Return the days of the compared period after the cut, or None where nothing was cut."""
    if window.cut_period is None:
        return None
    period = window.cut_period
    return Stretch(period.fiscal, period.fiscal, window.last + _ONE_DAY, period.last)
