"""The day a report is made for, and how it was chosen (docs/calendar.md)."""

from datetime import date
from typing import Literal, NamedTuple

from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.calendar.fiscal import FiscalCalendar, FiscalPeriod, FiscalQuarter, FiscalWeek, FiscalYear
from level_almanac.core.language.days import DayContext, DayExpression, day_of
from level_almanac.core.requests.options import Request, option
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.immutable import immutable

ALL_EXTRA = 99
Compare = Literal["same-days", "whole", "weekday"]


@immutable(kw_only=True)
class AsOfRequest(Request):
    """What was asked for: a day, or a period, a quarter or a year by its id, which a day within it may stand beside.

    adjustments: whether extra periods may count at all; compare: whether a part span moved to another year is cut at
    the same day, or left whole, or whether any takes the same weekdays there.
    """

    as_of: DayExpression | None = option(
        "as-of", "As of this day.  [default: where the data ends]", "day", metavar="DAY"
    )
    period: str = option(
        "period", "As of a period's end, or of where the data ends, such as 2026-P08.", metavar="ID", offers="period"
    )
    quarter: str = option(
        "quarter", "As of a quarter's end, or of where the data ends, such as 2026-Q2.", metavar="ID", offers="quarter"
    )
    year: str = option(
        "year", "As of a fiscal year's end, or of where the data ends, such as 2025.", metavar="ID", offers="year"
    )
    adjustments: Literal["with", "without"] = option(
        "adjustments", "Whether extra periods count at a year's end.", "choice", "with", choices=("with", "without"),
        show_default=True,
    )  # fmt: skip
    compare: Compare = option(
        "compare", "Last year's part span cut at the same day, or left whole, or moved to the same weekdays.", "choice",
        "same-days", choices=("same-days", "whole", "weekday"), show_default=True,
    )  # fmt: skip


COVERS = {
    "period": "This period, as far as the data goes, such as 2026-P08.",
    "quarter": "This quarter, as far as the data goes, such as 2026-Q2.",
    "year": "This fiscal year, as far as the data goes, such as 2025.",
}
"""The help of those options in reports that cover what is named, not only its end."""


class AsOf(NamedTuple):
    """The day, the period it lies in, the calendar that is used, and how it was chosen, in words.

    extras: the highest extra period that counts, as how many there are of it (0: none, 1: P13 …); named: the period,
    quarter or year that was asked for, if one was; today: the day it is, by the book's clock; data_end: the day that
    the data ends on, where it has any; ahead: whether the date that counts may lie after it, as a due date does, so
    that what is named holds all it names.
    """

    day: date
    period: FiscalPeriod
    calendar: FiscalCalendar
    how: str
    extras: int
    compare: Compare
    named: FiscalYear | FiscalQuarter | FiscalPeriod | None
    today: date
    data_end: date | None = None
    ahead: bool = False

    @property
    def is_cut(self) -> bool:
        """Whether what was named is not finished: it ends on the day, and not on its own last one."""
        return self.named is not None and self.day < self.named.last and not self.ahead

    @property
    def named_last(self) -> date | None:
        """The last day that counts of what was named, if anything was."""
        return None if self.named is None else self.day if self.is_cut else self.named.last

    @property
    def context(self) -> DayContext:
        """What words of days are relative to."""
        return DayContext(self.calendar, self.today, self.day)

    @property
    def day_number(self) -> int:
        """Which day of the period it is, from 1."""
        return (self.day - self.period.first).days + 1


def choose_as_of(
    calendar: FiscalCalendar,
    request: AsOfRequest,
    through: date | None,
    newest: date | None,
    today: date,
    what: tuple[str, str] = ("the ledger is", "posting date"),
    *,
    ahead: bool = False,
) -> AsOf:
    """Return the day that was asked for, or else the one that the book's data suggests.

    What is named and not finished ends where the data ends, unless a day is asked for beside it.

    through: up to when the exports are complete, where that was told; newest: the newest date that is not after today,
    if there is one; what: the table and the date in words; ahead: as of `AsOf`. Raises UsageMistake where more than one
    way of asking is used, a day lies outside what is named beside it, and for a span that lies wholly after the data.
    """
    data_end = through or newest
    asked = _asked(calendar, request)
    named, extras = asked[1:] if asked else (None, ALL_EXTRA)
    if request.as_of:
        day, how = day_of(request.as_of, DayContext(calendar, today, data_end or today)), "as asked"
        if asked is not None and not asked.named.first <= day <= asked.named.last:
            got, allowed = f"{day} beside {asked.option} {named}", range_words(asked.named.first, asked.named.last)
            raise UsageMistake(Mistake("the day lies outside what is named", "--as-of", got, allowed))
    elif asked is not None:
        day, how = _end_of(calendar, asked.named, data_end), f"the end of {named}, as asked"
        if day < asked.named.first and not ahead:
            complete = f"{what[0]} complete through" if through else ""
            raise _after_the_data(asked.named, asked.option, complete, day)
        if day < asked.named.last:
            how = "where the data ends" if ahead else f"where the data ends, within {named}, as asked"
    elif through:
        day, how = through, f"{what[0]} complete through this day"
    elif newest:
        day, how = newest, f"the newest {what[1]}"
    else:
        day, how = today, "today"
    if request.adjustments == "without":
        extras = 0
    # What is asked for as of P13 is, within its year, as of the last ordinary period's end.
    at = calendar.period_of(day)
    return AsOf(day, at, calendar, how, extras, request.compare, named, today, data_end, ahead)


class _Asked(NamedTuple):
    """A period, quarter or year that was asked for. extras: how many extra periods count with it."""

    option: str
    named: FiscalYear | FiscalQuarter | FiscalPeriod
    extras: int


def _asked(calendar: FiscalCalendar, request: AsOfRequest) -> _Asked | None:
    """Return what was asked for by its id; raise UsageMistake for several and for what is none."""
    asked = [name for name in ("period", "quarter", "year") if getattr(request, name)]
    if not asked:
        return None
    if len(asked) > 1:
        options = " and ".join(f"--{name}" for name in asked)
        raise UsageMistake(Mistake("more than one way to say when", got=options, allowed="one of them"))
    option = f"--{asked[0]}"
    named = _named(calendar, str(getattr(request, asked[0])), option)
    if isinstance(named, FiscalPeriod) and named.extra and request.adjustments == "without":
        raise UsageMistake(Mistake("an adjustment period without adjustments", option, f"{named} and --adjustments"))
    return _Asked(option, named, _extras_of(calendar, named))


Named = FiscalYear | FiscalQuarter | FiscalPeriod | FiscalWeek


def _end_of(calendar: FiscalCalendar, named: Named, data_end: date | None) -> date:
    """Return the last day that is there of a span, or an earlier one: of a closed one all is there."""
    if data_end is None or calendar.is_closed(calendar.period_of(named.last)):
        return named.last
    return min(data_end, named.last)


def span_end(named: Named, as_of: AsOf, where: str) -> date:
    """Return the last day that counts of a span named by its id: where the data ends, unless a later one was asked for.

    Raises UsageMistake for a span that lies wholly after the data.
    """
    if as_of.ahead or as_of.day >= named.last:
        return named.last
    end = _end_of(as_of.calendar, named, as_of.data_end)
    last = max(as_of.day, end)
    if last < named.first:
        raise _after_the_data(named, where, "", end)
    return last


def _after_the_data(named: Named, option: str, complete: str, data_end: date) -> UsageMistake:
    got = f"{named}, {range_words(named.first, named.last)}"
    ends = f"{complete or 'the data ends on'} {day_words(data_end)}"
    step = f"{ends}; to look past it, add --as-of {named.last}"
    return UsageMistake(Mistake("nothing is there of this yet", option, got, next_step=step))


def _named(calendar: FiscalCalendar, text: str, option: str) -> FiscalYear | FiscalQuarter | FiscalPeriod:
    kinds: dict[type, str] = {FiscalYear: "--year", FiscalQuarter: "--quarter", FiscalPeriod: "--period"}
    named = calendar.find(text, option, UsageMistake)
    if isinstance(named, FiscalWeek):
        step = f"write --as-of {named.last}"
        raise UsageMistake(Mistake("this is the id of something else", option, repr(str(named)), next_step=step))
    if kinds[type(named)] != option:
        step = f"write {kinds[type(named)]} {named}"
        raise UsageMistake(Mistake("this is the id of something else", option, repr(str(named)), next_step=step))
    return named


def _extras_of(calendar: FiscalCalendar, named: FiscalYear | FiscalQuarter | FiscalPeriod) -> int:
    if not isinstance(named, FiscalPeriod):
        return ALL_EXTRA
    ordinary = calendar.year(named.year).periods
    if named.extra:
        return named.number - len(ordinary)
    return 0 if named == ordinary[-1] else ALL_EXTRA


def how_far_words(as_of: AsOf, data_through: date | None) -> str:
    """Return the header's words: `2026-P09, day 17 of 30, part`."""
    closed = as_of.calendar.is_closed(as_of.period)
    state = "closed" if closed else "complete" if data_through and data_through >= as_of.period.last else "part"
    if state != "part" and as_of.day < as_of.period.last:
        state = "part of a closed period" if closed else "part of a complete period"
    day = f"day {as_of.day_number} of {as_of.period.days}"
    if as_of.is_cut and as_of.day == as_of.data_end:
        state += "; the data ends here"
    if as_of.named is None or as_of.named == as_of.period or as_of.ahead:
        return f"{as_of.period}, {day}, {state}"
    return f"{as_of.named} ({as_of.period}, {day}), {state}"


def named_words(as_of: AsOf, days: tuple[date, date]) -> str:
    """Return days that were asked for by a name, if they were: `2026-P09, 1–17 Jun 2026, part; the data ends here`."""
    if as_of.named is None:
        return range_words(*days)
    ends = "; the data ends here" if as_of.day == as_of.data_end else ""
    return f"{as_of.named}, {range_words(*days)}" + (f", part{ends}" if as_of.is_cut else "")


def adjustment_words(year: FiscalYear, last: date, extras: int) -> list[str]:
    """Return which extra periods count and which do not in what ends on `last`, where that is the year's last day."""
    if last != year.last:
        return []
    groups = (("with", year.extra_periods[:extras]), ("without", year.extra_periods[extras:]))
    return [f"{how} adjustments of {', '.join(f'P{each.number}' for each in group)}" for how, group in groups if group]


def choice_words(as_of: AsOf) -> list[str]:
    """Return the choices taken that change what columns hold: extra periods at a year's end, compared spans whole."""
    words = adjustment_words(as_of.calendar.year(as_of.period.year), as_of.day, as_of.extras)
    if as_of.compare == "whole":
        words.append("compared periods whole")
    if as_of.compare == "weekday":
        words.append("last year by the same weekdays")
    return words


def through_words(as_of: AsOf) -> str:
    """Return `through 17 Jun 2026`."""
    return f"through {day_words(as_of.day)}"
