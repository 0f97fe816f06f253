"""Day words: `today - 10 days`, `end of last period`, `3 months from 2026-02-10` (docs/columns.md, "Days")."""

from calendar import monthrange
from datetime import date, timedelta
from decimal import Decimal
from typing import Any, Literal

from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.language.parsing import Node, parse, pointed
from level_almanac.errors import AlmanacError, Mistake, UsageMistake
from level_almanac.immutable import immutable

Unit = Literal["day", "week", "month", "period", "quarter", "year"]
_ONE_DAY = timedelta(days=1)


@immutable
class NamedDay:
    """The day it is, or the day that the report is made for."""

    name: Literal["today", "as-of"]


@immutable
class Edge:
    """The first or last day of a week, month, period, quarter or year: the one that holds a day, or the one next to it.

    which: how many such units further on, from the one that holds `of`; id: the unit's own id instead.
    """

    end: bool
    unit: Unit
    of: "DayExpression"
    which: int = 0
    id: str = ""


@immutable
class Moved:
    """A day so many units on, or back where the number is negative; a day that a month lacks is its last."""

    day: "DayExpression"
    number: int
    unit: Unit


@immutable
class LengthFrom:
    """The last day of a length of time that starts on a day."""

    number: int
    unit: Unit
    day: "DayExpression"


DayExpression = date | NamedDay | Edge | Moved | LengthFrom


@immutable
class DayContext:
    """What day words are relative to: the calendar, the day it is, and the day that the report is made for."""

    calendar: FiscalCalendar
    today: date
    as_of: date


def read_day(text: str, where: str, error: type[AlmanacError]) -> DayExpression:
    """Return what the text says; raise `error` with the word at fault where it says no day.

    where: the option or key that it comes from.
    """
    if len(text) == 10 and text[:1].isdecimal():
        # The plain form is told of plainly, and needs no grammar.
        try:
            return _checked(date.fromisoformat(text))
        except ValueError:
            allowed = "a day from 1900 to 2199 such as 2026-06-17, or words such as `end of last period`"
            raise error(Mistake("not a day", where, repr(text), allowed)) from None
    return DayReader(text, where, error).read(parse(text, "day", where, error))


class DayReader:
    """Turns the parse tree of a day into day words."""

    def __init__(self, text: str, where: str, error: type[AlmanacError]) -> None:
        self.text, self.where, self.error = text, where, error

    def read(self, tree: Node) -> DayExpression:
        """Return the day words of one `day` or one of its parts."""
        parts = tree.children
        match tree.data:
            case "day":
                day = self.read(parts[0])
                for sign, number, unit in zip(parts[1::3], parts[2::3], parts[3::3], strict=True):
                    turned = 1 if sign == "+" else -1
                    day = Moved(day, turned * self.whole(number), unit_of(unit))
                return day
            case "fixed_day":
                return self._fixed(parts[0])
            case "today":
                return NamedDay("today")
            case "as_of":
                return NamedDay("as-of")
            case "edge":
                return self._edge(parts)
            case _:
                number, unit, _, day_tree = parts
                return LengthFrom(self.whole(number), unit_of(unit), self.read(day_tree))

    def _fixed(self, token: Node) -> date:
        try:
            return _checked(date.fromisoformat(str(token)))
        except ValueError:
            raise self.error(self.mistake(token, "not a day", "a day from 1900 to 2199 as YYYY-MM-DD")) from None

    def _edge(self, parts: list[Node]) -> Edge:
        from lark import Token

        end = str(parts[0]).lower() == "end"
        tokens = [part for part in parts[1:] if isinstance(part, Token)]
        if tokens[0].type == "ID":
            return Edge(end, "period", NamedDay("as-of"), id=str(tokens[0]))
        if tokens[0].type == "WHICH":
            which = {"last": -1, "this": 0, "next": 1}[str(tokens[0]).lower()]
            return Edge(end, unit_of(tokens[1]), NamedDay("as-of"), which)
        return Edge(end, unit_of(tokens[0]), self.read(parts[-1]))

    def whole(self, token: Node) -> int:
        """Return the whole number, at least 1, that a token is."""
        number = Decimal(str(token))
        if number != int(number) or not 1 <= number <= 9999:
            raise self.error(self.mistake(token, "not a number that can be counted", "a whole number from 1 to 9999"))
        return int(number)

    def mistake(self, token: Node, what: str, allowed: str = "", hint: str = "") -> Mistake:
        """Return the mistake with a caret under the token."""
        shown = pointed(self.text, token.start_pos or 0, len(token))
        return Mistake(what, self.where, repr(str(token)), allowed, hint, shown=shown)


def unit_of(token: Node | str) -> Unit:
    """Return the unit that a word such as `weeks` names."""
    word: Any = str(token).lower().removesuffix("s")
    unit: Unit = word
    return unit


def _checked(day: date) -> date:
    if not 1900 <= day.year <= 2199:
        raise ValueError(day)
    return day


def day_of(words: DayExpression, context: DayContext) -> date:
    """Return the day that the words mean. Raises UsageMistake where the calendar does not reach to it."""
    try:
        return _day_of(words, context)
    except (ValueError, OverflowError):
        raise UsageMistake(Mistake("a day that no calendar has", allowed="one from 1900 to 2199")) from None


def _day_of(words: DayExpression, context: DayContext) -> date:
    match words:
        case date():
            return words
        case NamedDay(name):
            return context.today if name == "today" else context.as_of
        case Moved(day, number, "month") if _ends_a_month(day, context):
            # A month after the end of February is the end of March, not the 28th.
            first = month_moved(_day_of(day, context).replace(day=1), number)
            return unit_days(first, "month", context.calendar)[1]
        case Moved(day, number, unit):
            return moved(_day_of(day, context), number, unit, context.calendar)
        case LengthFrom(number, unit, day):
            return moved(_day_of(day, context), number, unit, context.calendar) - _ONE_DAY
        case Edge(end, unit, of, which, name):
            if name:
                named = context.calendar.find(name, "the day", UsageMistake)
                return named.last if end else named.first
            first, last = unit_days(moved(_day_of(of, context), which, unit, context.calendar), unit, context.calendar)
            return last if end else first


def _ends_a_month(words: DayExpression, context: DayContext) -> bool:
    """Tell whether words name the end of some unit, or one moved by whole units, that is the last day of a month."""
    named = words
    while isinstance(named, Moved) and named.unit in ("month", "period", "quarter", "year"):
        named = named.day
    day = _day_of(words, context) if isinstance(named, Edge) and named.end else None
    return day is not None and day == unit_days(day, "month", context.calendar)[1]


def month_moved(day: date, by: int) -> date:
    """Return the same day so many calendar months on; a day that the month lacks is its last."""
    months = day.year * 12 + day.month - 1 + by
    year, month = months // 12, months % 12 + 1
    return date(year, month, min(day.day, monthrange(year, month)[1]))


def moved(day: date, by: int, unit: Unit, calendar: FiscalCalendar) -> date:
    """Return the day so many units on. In periods and longer ones it is the same day of the period, or its last."""
    if unit in ("day", "week"):
        return day + timedelta(days=by * (7 if unit == "week" else 1))
    if unit == "month":
        return month_moved(day, by)
    period = calendar.period_of(day)
    if unit == "year":
        year = calendar.year(period.year + by)
        there = year.periods[min(period.number, len(year.periods)) - 1]
    elif unit == "quarter":
        quarter = calendar.year(period.year).quarter_of(period)
        place = period.year * 4 + quarter.number - 1 + by
        periods = calendar.year(place // 4).quarters[place % 4].periods
        there = periods[min(period.number - quarter.periods[0].number, len(periods) - 1)]
    else:
        there = calendar.moved(period, by)
    return same_day(day, period.first, there.first, there.last, at_end=day == period.last)


def same_day(day: date, first: date, other_first: date, other_last: date, *, at_end: bool) -> date:
    """Return the day as far into the other stretch as `day` is into the one that starts at `first`.

    A day that the other lacks is its last, and so is the last day itself (at_end).
    """
    return other_last if at_end else min(other_first + (day - first), other_last)


def unit_days(day: date, unit: Unit, calendar: FiscalCalendar) -> tuple[date, date]:
    """Return the first and last day of the unit that holds the day."""
    if unit == "day":
        return day, day
    if unit == "week":
        week = calendar.week_of(day)
        return week.first, week.last
    if unit == "month":
        return day.replace(day=1), day.replace(day=monthrange(day.year, day.month)[1])
    period = calendar.period_of(day)
    if unit == "period":
        return period.first, period.last
    year = calendar.year(period.year)
    if unit == "year":
        return year.first, year.last
    quarter = year.quarter_of(period)
    return quarter.first, quarter.last
