"""What ranges of days are in the store: whole fiscal positions, and the days of those that a range cuts through."""

from collections.abc import Iterable, Iterator
from datetime import date, timedelta

from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.store.predicate import FiscalRange

_ONE_DAY = timedelta(days=1)


def stretches(
    calendar: FiscalCalendar, first: date, last: date, extras: int, *, crossing: bool = True
) -> tuple[FiscalRange, ...]:
    """Return what the days from `first` through `last` are in the store.

    extras: how many extra periods count of the year that ends on `last`; those of years that end within the range
    count too, but not where `crossing` is false.
    """
    return _joined(list(_pieces(calendar, first, last, extras, crossing=crossing)))


def joined_days(found: Iterable[tuple[date, date]]) -> tuple[tuple[date, date], ...]:
    """Return ranges of days that hold the same days once each, in order."""
    joined: list[tuple[date, date]] = []
    for first, last in sorted(found):
        if joined and first <= joined[-1][1] + _ONE_DAY:
            joined[-1] = (joined[-1][0], max(joined[-1][1], last))
        else:
            joined.append((first, last))
    return tuple(joined)


def _pieces(calendar: FiscalCalendar, first: date, last: date, extras: int, *, crossing: bool) -> Iterator[FiscalRange]:
    day = first
    while day <= last:
        period = calendar.period_of(day)
        if day == period.first and period.last <= last:
            yield FiscalRange(period.fiscal, period.fiscal)
        else:
            yield FiscalRange(period.fiscal, period.fiscal, day, min(period.last, last))
        year = calendar.year(period.year)
        if period.last == year.last and period.last <= last:
            passed = year.extra_periods if crossing else ()
            counted = year.extra_periods[:extras] if period.last == last else passed
            yield from (FiscalRange(extra.fiscal, extra.fiscal) for extra in counted)
        day = period.last + _ONE_DAY


def _joined(pieces: list[FiscalRange]) -> tuple[FiscalRange, ...]:
    # Neighbours are whole positions with nothing of the calendar between them, so their ends can stand for them.
    joined: list[FiscalRange] = []
    for piece in pieces:
        before = joined[-1] if joined else None
        if before and before.first is None and piece.first is None and before.high == piece.low - 1:
            joined[-1] = FiscalRange(before.low, piece.high)
        else:
            joined.append(piece)
    return tuple(joined)
