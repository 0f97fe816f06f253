"""A span and the same one a fiscal year before it, for reports that set one beside the other."""

import re
from collections import Counter
from collections.abc import Iterable, Iterator
from datetime import date
from typing import NamedTuple

from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.calendar.fiscal import FiscalPeriod, FiscalQuarter, FiscalWeek, FiscalYear
from level_almanac.core.language.columns import LAST_YEAR, NO_SHIFT, Shift, Span, SpanName, ValueColumn, read_columns
from level_almanac.core.language.days import moved
from level_almanac.core.spans.as_of import AsOf, span_end
from level_almanac.core.spans.labels import SPAN_LABELS
from level_almanac.core.spans.windows import (
    Missing,
    Window,
    rest_of_cut,
    same_weekdays,
    window_of,
    window_of_days,
)
from level_almanac.errors import Mistake, UsageMistake

WHERE = "--span"
_MOST_NAMED = 6
_ID = re.compile(r"(?:FY)?\d{4}(?:-[QPW]\d{1,2})?", re.IGNORECASE)


class Compared(NamedTuple):
    """A span and the one that it is compared with, and what it is called."""

    name: str
    now: Window
    before: Window | Missing

    @property
    def windows(self) -> tuple[Window, ...]:
        """Those of the two that have days."""
        return (self.now, self.before) if isinstance(self.before, Window) else (self.now,)


def compared_spans(text: str, days: tuple[date, date] | None, as_of: AsOf) -> Compared:
    """Return the span that is asked for beside last year's.

    text: a span such as `ytd` or `2026-Q2`, or empty; days: a range that was asked for instead; else the period,
    quarter or year that was named, or else the year to date. Raises UsageMistake for what is no span.
    """
    if days:
        if text:
            raise UsageMistake(Mistake("two ways to say which days", WHERE, repr(text), "one of them"))
        return _days(*days, as_of)
    if not text and as_of.named is not None:
        return _named(as_of.named, as_of, as_of.named_last, "--period")
    if _ID.fullmatch(text.strip()):
        named = as_of.calendar.find(text.strip(), WHERE, UsageMistake)
        return _named(named, as_of, span_end(named, as_of, WHERE), WHERE)
    words = read_columns(text or "ytd")
    if len(words) != 1 or not isinstance(words[0], ValueColumn) or words[0].each or words[0].shift != NO_SHIFT:
        allowed = "one span, such as ytd, last 3 periods or 2026-Q2"
        raise UsageMistake(Mistake("not one span", WHERE, repr(text), allowed))
    span = words[0].span
    if span.name in ("opening", "closing", "to date", "rest"):
        raise UsageMistake(
            Mistake("nothing moves in this span", WHERE, repr(text), "one such as ytd, quarter, 2026-Q2")
        )
    if span.name == "range":
        window = window_of(span, NO_SHIFT, as_of)
        assert isinstance(window, Window)  # noqa: S101  a range always has days
        return _days(window.first, window.last, as_of)
    return _span(span, SPAN_LABELS.get(text or "ytd", text), as_of)


_NAMED = {FiscalPeriod: "period", FiscalQuarter: "quarter", FiscalYear: "year"}


_TO_DATE: dict[str, SpanName] = {"week": "wtd", "month": "mtd", "period": "ptd", "quarter": "qtd", "year": "ytd"}


def _span(span: Span, name: str, as_of: AsOf) -> Compared:
    if span.name in _TO_DATE and not as_of.ahead:
        # What is not finished ends on the as-of day, so that it is compared on the same days.
        window = window_of(span, NO_SHIFT, as_of)
        if isinstance(window, Window) and window.last > as_of.day:
            span = Span(_TO_DATE[span.name])
    now = window_of(span, NO_SHIFT, as_of)
    if isinstance(now, Missing):
        raise UsageMistake(Mistake(now.why, WHERE, repr(span.name)))
    return Compared(name, now, moved_window(span, LAST_YEAR, as_of))


def moved_window(span: Span, shift: Shift, as_of: AsOf) -> Window | Missing:
    """Return the days of a span moved back, or why it has none, a told calendar that does not reach there included."""
    try:
        return window_of(span, shift, as_of)
    except UsageMistake:
        return Missing("the calendar does not reach back there")


def _named(
    named: FiscalYear | FiscalQuarter | FiscalPeriod | FiscalWeek, as_of: AsOf, last: date | None, where: str
) -> Compared:
    """Return what is named as far as its last day that counts."""
    if isinstance(named, FiscalPeriod) and named.extra:
        step = f"ask for --year {named.year}" if where == "--period" else f"ask for the year {named.year}"
        raise UsageMistake(Mistake("an extra period has no days of its own", where, str(named), next_step=step))
    unit = _NAMED.get(type(named), "week")
    day = last or named.last
    at = as_of._replace(day=day, period=as_of.calendar.period_of(day))
    return _span(Span(unit), str(named), at)  # type: ignore[arg-type]  # one of its words


def _days(first: date, last: date, as_of: AsOf) -> Compared:
    now = window_of_days(first, last, last, "", as_of)
    calendar = as_of.calendar
    try:
        if as_of.compare == "weekday":
            return Compared("these days", now, same_weekdays(now, 1, as_of))
        low, high = (moved(day, -1, "year", calendar) for day in (first, last))
    except UsageMistake:
        return Compared("these days", now, Missing("the calendar does not reach back there"))
    return Compared("these days", now, window_of_days(low, high, high, "", as_of))


def compared_notes(now: Window, before: Window | Missing) -> Iterator[str]:
    """Yield what a reader has to know of two spans that are compared: unlike lengths, a day that the other lacks."""
    if isinstance(before, Missing):
        yield f"Nothing to compare {now.covers} with: {before.why}"
        return
    yield from lacking_day_notes(now, before)
    days, others = ((window.last - window.first).days + 1 for window in (now, before))
    if days != others:
        yield f"{now.covers} has {days:,} days, and {before.covers} has {others:,}"


def holiday_notes(pairs: Iterable[tuple[Window, Window | Missing]], as_of: AsOf) -> Iterator[str]:
    """Yield which holidays lie in one of two spans that are compared by weekday, and not as often in the other."""
    if as_of.compare != "weekday":
        return
    names, found = as_of.calendar.holiday_names, dict[str, None]()
    for spans in pairs:
        for one, other in (spans, spans[::-1]):
            if isinstance(one, Missing) or isinstance(other, Missing):
                continue
            here, there = ([day for day in sorted(names) if span.first <= day <= span.last] for span in (one, other))
            likes = Counter(names[day] for day in there)
            for day in here:
                if likes[names[day]]:
                    likes[names[day]] -= 1
                else:
                    told = f"{names[day] or 'a holiday'} on {day_words(day)} ({one.covers}, not {other.covers})"
                    found[told] = None
    if found:
        told_first, more = list(found)[:_MOST_NAMED], len(found) - _MOST_NAMED
        others = f" and {more:,} more" if more > 0 else ""
        yield f"Holidays of one span only, of two that are compared: {'; '.join(told_first)}{others}"


def lacking_day_notes(now: Window, before: Window) -> Iterator[str]:
    """Yield that the year compared with has no 29 February, where that is the day."""
    if (now.last.month, now.last.day) == (2, 29) and (before.last.month, before.last.day) == (2, 28):
        yield f"{day_words(now.last)} is compared with {day_words(before.last)}, as that year has no such day"


def rest_words(before: Window) -> str:
    """Return what the compared part span leaves out, as the beginning of a note, or nothing where nothing was cut."""
    if rest_of_cut(before) is None:
        return ""
    return f"{before.cut} holds a further {{}} after {day_words(before.last)}"
