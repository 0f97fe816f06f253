"""The day a report is made for, and how it was chosen (docs/calendar.md)."""

from dataclasses import dataclass
from datetime import date
from typing import Literal, NamedTuple

from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.calendar.fiscal import FiscalCalendar, FiscalPeriod, FiscalQuarter, FiscalWeek, FiscalYear
from level_almanac.core.language.days import DayContext, DayExpression, day_of
from level_almanac.core.requests.options import Request, option
from level_almanac.errors import Mistake, UsageMistake

ALL_EXTRA = 99


@dataclass(frozen=True, slots=True, kw_only=True)
class AsOfRequest(Request):
    """What was asked for: at most one of a day, a period, a quarter or a year, the latter three as ids.

    adjustments: whether extra periods may count at all; compare: whether a shifted part span is cut at the same day.
    """

    as_of: DayExpression | None = option(
        "as-of", "As of this day.  [default: where the data ends]", "day", metavar="DAY"
    )
    period: str = option("period", "As of a period's end, such as 2026-P08.", metavar="ID", offers="period")
    quarter: str = option("quarter", "As of a quarter's end, such as 2026-Q2.", metavar="ID", offers="quarter")
    year: str = option("year", "As of a fiscal year's end, such as 2025.", metavar="ID", offers="year")
    adjustments: Literal["with", "without"] = option(
        "adjustments", "Whether extra periods count at a year's end.", "choice", "with", choices=("with", "without"),
        show_default=True,
    )  # fmt: skip
    compare: Literal["same-days", "whole"] = option(
        "compare", "Cut a compared part period at the same day, or leave it whole.", "choice", "same-days",
        choices=("same-days", "whole"), show_default=True,
    )  # fmt: skip


COVERS = {
    "period": "This period, such as 2026-P08.",
    "quarter": "This quarter, such as 2026-Q2.",
    "year": "This fiscal year, such as 2025.",
}
"""The help of those options in reports that cover what is named, not only its end."""


class AsOf(NamedTuple):
    """The day, the period it lies in, the calendar that is used, and how it was chosen, in words.

    extras: the highest extra period that counts, as how many there are of it (0: none, 1: P13 …); named: the period,
    quarter or year that was asked for, if one was; today: the day it is, by the book's clock.
    """

    day: date
    period: FiscalPeriod
    calendar: FiscalCalendar
    how: str
    extras: int
    compare: Literal["same-days", "whole"]
    named: FiscalYear | FiscalQuarter | FiscalPeriod | None
    today: date

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
) -> AsOf:
    """Return the day that was asked for, or else the one that the book's data suggests.

    through: up to when the exports are complete, where that was told; newest: the newest date that is not after today,
    if there is one; what: the table and the date in words. Raises UsageMistake where more than one way of asking is
    used.
    """
    asked = [name for name in ("as_of", "period", "quarter", "year") if getattr(request, name)]
    if len(asked) > 1:
        options = " and ".join(f"--{name.replace('_', '-')}" for name in asked)
        raise UsageMistake(Mistake("more than one way to say when", got=options, allowed="one of them"))
    named: FiscalYear | FiscalQuarter | FiscalPeriod | None = None
    extras = ALL_EXTRA
    if request.as_of:
        day, how = day_of(request.as_of, DayContext(calendar, today, through or newest or today)), "as asked"
    elif asked:
        option = f"--{asked[0]}"
        named = _named(calendar, str(getattr(request, asked[0])), option)
        day, how = named.last, f"the end of {named}, as asked"
        extras = _extras_of(calendar, named)
        if isinstance(named, FiscalPeriod) and named.extra and request.adjustments == "without":
            raise UsageMistake(
                Mistake("an adjustment period without adjustments", option, f"{named} and --adjustments")
            )
    elif through:
        day, how = through, f"{what[0]} complete through this day"
    elif newest:
        day, how = newest, f"the newest {what[1]}"
    else:
        day, how = today, "today"
    if request.adjustments == "without":
        extras = 0
    # What is asked for as of P13 is, within its year, as of the last ordinary period's end.
    return AsOf(day, calendar.period_of(day), calendar, how, extras, request.compare, named, today)


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
    if as_of.named is None or as_of.named == as_of.period:
        return f"{as_of.period}, {day}, {state}"
    return f"{as_of.named} ({as_of.period}, {day}), {state}"


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
    return words


def through_words(as_of: AsOf) -> str:
    """Return `through 17 Jun 2026`."""
    return f"through {day_words(as_of.day)}"
