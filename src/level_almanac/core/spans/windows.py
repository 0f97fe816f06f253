"""From spans and shifts to the days and periods that a column covers (docs/columns.md, "Spans")."""

from datetime import date, timedelta
from typing import NamedTuple

from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.calendar.fiscal import FiscalCalendar, FiscalPeriod, FiscalQuarter, FiscalYear
from level_almanac.core.calendar.positions import stretches
from level_almanac.core.language.columns import NO_SHIFT, Shift, Span
from level_almanac.core.language.days import Unit, day_of, moved, unit_days
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.table.model import Covered
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.store.predicate import FiscalRange

_ONE_DAY = timedelta(days=1)
_TO_DATE: dict[str, Unit] = {"wtd": "week", "mtd": "month", "ptd": "period", "qtd": "quarter", "ytd": "year"}
EVERYTHING = "everything"
"""The unit of what reaches back to the first line there is."""
_WITHOUT_EXTENT = ("day", "", "adjustments", EVERYTHING)
_NOT_BY_WEEKDAY = ("id", "range", "opening", "closing", "to date", "rest", "week", "wtd")
"""Balances, what is named, and weeks, which have the same weekdays as it is."""
_WEEK = 7
_SHORT_UNITS = ("day", "week", "month")
"""Units that never hold extra periods, not even where they reach over a year's end."""


class Window(NamedTuple):
    """The days that a column covers, and what they are out of.

    first, last: the days covered; whole_last: the last day of what they are part of; unit: its name; stretches: the
    same in the store; extras: how many extra periods of a year count in a balance at the end of that year's last day;
    cut, cut_last: the name and last day of the compared unit that was cut at the same day, if one was; before: whether
    a balance is that of the day before `first`, as an opening is; begins: the first day of the data, where that lies
    within: nothing is compared with such a span.
    """

    first: date
    last: date
    whole_last: date
    unit: str
    stretches: tuple[FiscalRange, ...]
    extras: int
    cut: str = ""
    cut_last: date | None = None
    before: bool = False
    begins: date | None = None

    @property
    def is_part(self) -> bool:
        """Whether it covers less than the whole of a unit that has an extent."""
        if self.begins:
            return True
        return self.last != self.whole_last and self.unit not in _WITHOUT_EXTENT

    @property
    def extent(self) -> str:
        """How much of its unit it covers: `17/30 days` or `whole period`."""
        if self.begins:
            whole = (self.whole_last - self.first).days + 1
            return f"{(self.last - self.begins).days + 1}/{whole} days, data begins {day_words(self.begins)}"
        if not self.is_part:
            return "" if self.unit in _WITHOUT_EXTENT else f"whole {self.unit}"
        return f"{(self.last - self.first).days + 1}/{(self.whole_last - self.first).days + 1} days"

    @property
    def covers(self) -> str:
        """The days in words."""
        if self.unit == EVERYTHING:
            return f"through {day_words(self.last)}"
        return range_words(self.first, self.last)

    @property
    def balance_day(self) -> date:
        """The day at whose end a balance stands."""
        return self.first - _ONE_DAY if self.before else self.last


class Missing(NamedTuple):
    """A column without days, and why it has none: `2025 has no week 53`.

    later: as it lies after the as-of day; early: as it lies before the data, or reaches there.
    """

    why: str
    later: bool = False
    early: bool = False


class Anchor(NamedTuple):
    """The day that a span is taken at, and whether that is the last day of what it was moved from.

    shifted: whether it was moved, so that a part span is a cut one.
    """

    day: date
    shifted: bool = False


def window_of(span: Span, shift: Shift, as_of: AsOf) -> Window | Missing:
    """Return the days that a span covers as of a day, or why there are none.

    A shifted part span is cut at the same day of its period: on a period's last day at the other period's last day, and
    a day that the other period lacks is its last (docs/columns.md, "Shifts"). Where years are compared by weekday, a
    span of last year is moved whole. Raises UsageMistake where a told calendar does not reach there.
    """
    calendar = as_of.calendar
    if shift.kind == "last year" and as_of.compare == "weekday" and span.name not in _NOT_BY_WEEKDAY:
        now = window_of(span, NO_SHIFT, as_of)
        return now if isinstance(now, Missing) else same_weekdays(now, shift.number, as_of)
    match span.name:
        case "id":
            return _of_id(span.id, as_of)
        case "range" if span.first is not None and span.last is not None:
            context = as_of.context
            first, last = day_of(span.first, context), day_of(span.last, context)
            if last < first:
                got = f"{first} through {last}"
                raise UsageMistake(Mistake("the range ends before it starts", "--columns", got))
            return window_of_days(first, last, last, "", as_of)
        case "opening" | "closing" | "to date":
            return _balance(span, shift, as_of)
        case "last":
            return _last(span, shift, as_of)
        case "rest":
            return _rest(span, shift, as_of)
    to_date = _TO_DATE.get(span.name)
    unit: Unit = to_date or span.name  # type: ignore[assignment]  # the other spans were taken above
    anchor = _moved_anchor(unit, shift, as_of)
    if isinstance(anchor, Missing):
        return anchor
    first, whole_last = unit_days(anchor.day, unit, calendar)
    if not to_date:
        return window_of_days(first, whole_last, whole_last, unit, as_of)
    return _part(first, anchor, whole_last, unit, as_of)


def same_weekdays(now: Window, years: int, as_of: AsOf) -> Window:
    """Return as many days some years before: from the same weekday on, that is nearest to the same day of that year.

    Raises UsageMistake where a told calendar does not reach there.
    """
    back = (now.last - moved(now.last, -years, "year", as_of.calendar)).days
    days = timedelta(days=(back + _WEEK // 2) // _WEEK * _WEEK)
    first, last = now.first - days, now.last - days
    return window_of_days(first, last, last, "", as_of)


def _part(first: date, anchor: Anchor, whole_last: date, unit: Unit, as_of: AsOf) -> Window:
    """Return a span up to the anchor's day, which is a cut one where it was moved."""
    last = anchor.day
    inner: Unit = unit if unit in _SHORT_UNITS else "period"
    _, inner_last = unit_days(last, inner, as_of.calendar)
    if anchor.shifted and as_of.compare == "whole":
        last = inner_last
    window = window_of_days(first, last, whole_last, unit, as_of)
    if not anchor.shifted or last == inner_last:
        return window
    return window._replace(cut=_named(last, inner, as_of.calendar), cut_last=inner_last)


def _named(day: date, unit: Unit, calendar: FiscalCalendar) -> str:
    if unit == "week":
        return str(calendar.week_of(day))
    return f"{day:%Y-%m}" if unit == "month" else str(calendar.period_of(day))


def _moved_anchor(unit: Unit, shift: Shift, as_of: AsOf) -> Anchor | Missing:
    """Return the as-of day moved back as the shift says, in steps of the unit."""
    calendar, day = as_of.calendar, as_of.day
    if not shift.kind:
        return Anchor(day)
    if shift.kind == "back":
        return Anchor(_at_same_end(day, moved(day, -shift.number, unit, calendar), unit, calendar), shifted=True)
    if unit == "week":
        week = calendar.week_of(day)
        weeks = calendar.weeks(calendar.year(week.year - shift.number))
        if week.number > len(weeks):
            return Missing(f"{week.year - shift.number} has no week {week.number}")
        return Anchor(weeks[week.number - 1].first + (day - week.first), shifted=True)
    if unit == "month":
        return Anchor(
            _at_same_end(day, moved(day, -12 * shift.number, "month", calendar), unit, calendar), shifted=True
        )
    period = as_of.period
    if period.number > len(calendar.year(period.year - shift.number).periods):
        return Missing(f"{period.year - shift.number} has no P{period.number:02d}")
    return Anchor(moved(day, -shift.number, "year", calendar), shifted=True)


def _at_same_end(day: date, there: date, unit: Unit, calendar: FiscalCalendar) -> date:
    # A month's last day compares with the other month's last day, as a period's does.
    if unit != "month" or day != unit_days(day, unit, calendar)[1]:
        return there
    return unit_days(there, unit, calendar)[1]


def _rest(span: Span, shift: Shift, as_of: AsOf) -> Window | Missing:
    anchor = _moved_anchor(span.unit, shift, as_of)
    if isinstance(anchor, Missing):
        return anchor
    _, whole_last = unit_days(anchor.day, span.unit, as_of.calendar)
    if anchor.day == whole_last:
        return Missing(f"nothing is left of the {span.unit}")
    return window_of_days(anchor.day + _ONE_DAY, whole_last, whole_last, f"rest of {span.unit}", as_of)


def _last(span: Span, shift: Shift, as_of: AsOf) -> Window | Missing:
    calendar, unit = as_of.calendar, span.unit
    # One step of `prior` is the whole length, so that the spans lie end to end.
    steps = shift._replace(number=shift.number * span.number) if shift.kind == "back" else shift
    anchor = _moved_anchor(unit, steps, as_of)
    if isinstance(anchor, Missing):
        return anchor
    first_of_last, whole_last = unit_days(anchor.day, unit, calendar)
    first, _ = unit_days(moved(first_of_last, 1 - span.number, unit, calendar), unit, calendar)
    # Several periods hold extra ones as a quarter does, so that the last twelve at a year's end are the year.
    like: Unit = "quarter" if unit == "period" and span.number > 1 else unit
    window = _part(first, anchor, whole_last, like, as_of)
    many = f"{span.number} {unit}s" if span.number > 1 else unit
    return window._replace(unit="" if unit == "day" else many)


def _balance(span: Span, shift: Shift, as_of: AsOf) -> Window | Missing:
    """Return an opening, a closing or all to date: a day that a balance stands at, and what led up to it."""
    calendar = as_of.calendar
    if span.name == "opening":
        back = shift.number if shift.kind else 0
        first = calendar.year(as_of.period.year - back).first
        return Window(first, first, first, "", (), 0, before=True)
    if shift.kind == "back":
        # What a balance is compared with is that of a period's end, not of some day within one.
        last = calendar.moved(as_of.period, -shift.number).last
    else:
        anchor = _moved_anchor("period", shift, as_of)
        if isinstance(anchor, Missing):
            return anchor
        last = anchor.day
    first = calendar.year_of(last).first
    window = window_of_days(first, last, last, "", as_of)
    if span.name == "closing":
        return window
    before = FiscalRange(0, calendar.year_of(last).periods[0].fiscal - 1)
    return window._replace(unit=EVERYTHING, stretches=(before, *window.stretches))


def _of_id(text: str, as_of: AsOf) -> Window:
    found = as_of.calendar.find(text, "--columns", UsageMistake)
    if isinstance(found, FiscalPeriod):
        return window_of_period(found, as_of, min(found.number - _ordinary(found, as_of), as_of.extras))
    unit = {FiscalYear: "year", FiscalQuarter: "quarter"}.get(type(found), "week")
    return window_of_days(found.first, found.last, found.last, unit, as_of)


def _ordinary(period: FiscalPeriod, as_of: AsOf) -> int:
    return len(as_of.calendar.year(period.year).periods)


def window_of_period(period: FiscalPeriod, as_of: AsOf, extras: int) -> Window:
    """Return a period on its own, an extra one too. extras: those that a balance at its end holds."""
    extras = max(extras, 0)
    if period.extra:
        whole = (FiscalRange(period.fiscal, period.fiscal),)
        return Window(period.first, period.last, period.last, "adjustments", whole, extras)
    return window_of_days(period.first, period.last, period.last, "period", as_of)._replace(extras=extras)


def window_of_days(first: date, last: date, whole_last: date, unit: str, as_of: AsOf) -> Window:
    """Return the days from first through last of a unit that ends on whole_last."""
    if unit.removeprefix("rest of ") in ("period", *_SHORT_UNITS):
        within = stretches(as_of.calendar, first, last, 0, crossing=False)
    else:
        within = stretches(as_of.calendar, first, last, as_of.extras)
    return Window(first, last, whole_last, unit, within, as_of.extras)


def as_booked(window: Window | Missing, as_of: AsOf) -> Window | Missing:
    """Return what of a span was booked by the as-of day, as nothing later counts in what is told relative to it."""
    if isinstance(window, Missing) or window.last <= as_of.day:
        return window
    if window.first > as_of.day:
        return Missing(f"after {day_words(as_of.day)}", later=True)
    return window_of_days(window.first, as_of.day, window.whole_last, window.unit, as_of)


def since(window: Window | Missing, begins: date | None, calendar: FiscalCalendar) -> Window | Missing:
    """Return a span marked where it reaches back before the first day of the data, or missing where it ends there.

    Where only Saturdays, Sundays and holidays lie between, it is whole: nothing would have been booked on them.
    """
    if begins is None or isinstance(window, Missing) or window.first >= begins or window.unit == EVERYTHING:
        return window
    if window.last < begins:
        return Missing(f"data begins {day_words(begins)}", early=True)
    days = (window.first + timedelta(days=number) for number in range((begins - window.first).days))
    idle = all(day.weekday() >= 5 or day in calendar.holidays for day in days)
    return window if idle else window._replace(begins=begins)


def covered(window: Window, through: date | None, *, plan: bool = False) -> Covered:
    """Return what a span covers. through: up to when the data goes; plan: whether of a plan, which is all there."""
    complete = plan or (None if through is None else through >= window.last)
    return Covered(window.first, window.last, complete, not window.is_part)


def rest_of_cut(window: Window) -> tuple[date, date] | None:
    """Return the days of the compared unit after the cut, or None where nothing was cut."""
    return (window.last + _ONE_DAY, window.cut_last) if window.cut_last else None


def up_to(window: Window, calendar: FiscalCalendar) -> tuple[FiscalRange, ...]:
    """Return all that a balance at the window's end holds since the fiscal year of that day began."""
    day = window.balance_day
    return stretches(calendar, calendar.year_of(day).first, day, window.extras)
