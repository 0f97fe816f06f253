"""Days that were asked for one day off the edge of a fiscal period, with what that day holds: often a day forgotten."""

from collections.abc import Iterator, Sequence
from datetime import date, timedelta
from typing import NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.fields import SIGNED, LineFields
from level_almanac.core.lines.rule import Rule
from level_almanac.core.table.model import Note
from level_almanac.errors import how_many
from level_almanac.store.expressions import Expression, FieldReference
from level_almanac.store.line_query import left_out
from level_almanac.store.predicate import Every, FieldTest, Not, OnVoidedLine, Predicate, Some

_ONE_DAY = timedelta(days=1)
_LONG = 20
"""Days from which a range is meant to be whole periods, though it begins at no edge of one."""


class AskedDays(NamedTuple):
    """Days that were asked for, None for an open end. dated: the date that they are of, or empty for the table's."""

    first: date | None
    last: date | None
    dated: str = ""


def off_by_a_day(calendar: FiscalCalendar, asked: AskedDays) -> Iterator[tuple[str, date]]:
    """Yield in words each end of the days that is one day off a period's edge, with the day that it turns on."""
    first, last, _ = asked
    whole = first is None or last is None or (last - first).days >= _LONG
    if last is not None and (whole or (first is not None and first == calendar.period_of(first).first)):
        period = calendar.period_of(last)
        if last + _ONE_DAY == period.last:
            yield f"stops a day before {period} ends", last + _ONE_DAY
        elif last == period.first and first != last:
            yield f"goes a day past the end of {calendar.moved(period, -1)}", last
    if first is not None and (whole or (last is not None and last == calendar.period_of(last).last)):
        period = calendar.period_of(first)
        if first - _ONE_DAY == period.first:
            yield f"begins a day after {period} does", first - _ONE_DAY
        elif first == period.last and first != last:
            yield f"begins a day before {calendar.moved(period, 1)} does", first


def edge_notes(
    book: Book,
    fields: LineFields,
    calendar: FiscalCalendar,
    asked: AskedDays | None,
    rules: Sequence[Rule],
    decimals: int,
) -> Iterator[Note]:
    """Yield what of the days asked for, and of days in conditions, is one day off a period's edge, with what it holds.

    asked: the days of the report, if it was asked for a range; rules: what its lines must meet beside lying in them.
    """
    for words, day in off_by_a_day(calendar, asked) if asked else ():
        dated = (asked.dated if asked else "") or ("counted" if fields.table.entries else fields.table.date)
        tests = [*(rule.predicate for rule in rules), FieldTest(dated, "through", (day, day))]
        yield from _held(book, fields, f"The range {words}", day, tests, decimals)
    for rule in rules:
        others = [each.predicate for each in rules if each is not rule]
        for test in _day_tests(rule.predicate):
            days = [word for word in test.words if isinstance(word, date)]
            found = _asked(test, days) if days else None
            name = rule.words.removeprefix("not: ")
            for words, day in off_by_a_day(calendar, found) if found else ():
                within = _replaced(rule.predicate, test, FieldTest(test.field, "through", (day, day)))
                yield from _held(book, fields, f"`{name}` {words}", day, [*others, within], decimals)


def _asked(test: FieldTest, days: Sequence[date]) -> AskedDays | None:
    match test.operator:
        case "over":
            return AskedDays(days[0] + _ONE_DAY, None)
        case "at-least":
            return AskedDays(days[0], None)
        case "under":
            return AskedDays(None, days[0] - _ONE_DAY)
        case "at-most":
            return AskedDays(None, days[0])
        case "through":
            return AskedDays(days[0], days[1])
    return None


def _day_tests(predicate: Predicate) -> Iterator[FieldTest]:
    match predicate:
        case FieldTest():
            yield predicate
        case Not(part) | OnVoidedLine(part, _):
            yield from _day_tests(part)
        case Every(parts) | Some(parts):
            for part in parts:
                yield from _day_tests(part)


def _replaced(predicate: Predicate, test: FieldTest, other: FieldTest) -> Predicate:
    """Return a condition with one test in it replaced, and so asked of one day alone."""
    match predicate:
        case Every(parts) | Some(parts):
            return type(predicate)(tuple(_replaced(part, test, other) for part in parts))
        case Not(part):
            # What is excepted up to a day, or from it on, is asked for on that day.
            return _replaced(part, test, other) if test in _day_tests(part) else predicate
        case OnVoidedLine(part, followed):
            return OnVoidedLine(_replaced(part, test, other), followed)
    return other if predicate == test else predicate


def _held(
    book: Book, fields: LineFields, words: str, day: date, tests: Sequence[Predicate], decimals: int
) -> Iterator[Note]:
    """Yield what a day holds under these tests; where that is nothing, nothing was forgotten."""
    measure, called = _measure(fields)
    source = book.line_source(fields, tests)
    for found in left_out(book.engine, source, measure):
        if found.rule is None and found.lines:
            held = f"{words}: {day_words(day)} has {how_many(found.lines, 'line')}"
            more = f", {called} {{}}" if measure is not None else ""
            yield Note(f"{held}{more}", (found.amount,) if more else (), decimals)


def _measure(fields: LineFields) -> tuple[Expression | None, str]:
    table = fields.table
    if table.entries:
        return FieldReference("debit"), "debits"
    if table.name in SIGNED:
        return SIGNED[table.name], "net amount"
    return (FieldReference(table.measure), table.measure) if table.measure else (None, "")
