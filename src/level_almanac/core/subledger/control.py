"""Documents held against the ledger's control accounts: what both have on a day (docs/open-items.md)."""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.calendar.positions import stretches
from level_almanac.core.subledger.item import Item
from level_almanac.core.subledger.open_items import OpenItems
from level_almanac.core.subledger.subledger import Subledger, SubledgerSide
from level_almanac.core.table.exact import off_words
from level_almanac.core.table.model import Check, CountedAmount, Note
from level_almanac.store.expressions import Constant, Expression, FieldReference, Joined
from level_almanac.store.ledger_sums import MOVEMENT, Slice
from level_almanac.store.line_query import Order, lines
from level_almanac.store.predicate import Every, FieldTest, FiscalRange, Not, Predicate, Some, Within

_ZERO = Decimal(0)


class ControlLine(NamedTuple):
    """One ledger line on a control account. amount: positive where it raises what is owed; day: the day it counts."""

    entity: str
    journal: str
    line: str
    account: str
    day: date
    document: str | None
    amount: Decimal
    place: str
    memo: str | None = None
    carried: bool = False


class Difference(NamedTuple):
    """What the ledger and the documents of an entity do not have alike: under one number, or on one day."""

    entity: str
    what: str
    ledger: tuple[ControlLine, ...]
    items: tuple[Item, ...]

    @property
    def amount(self) -> Decimal:
        """By how much the documents are more."""
        return sum((each.signed for each in self.items), _ZERO) - sum((each.amount for each in self.ledger), _ZERO)


def control_accounts(book: Book, side: SubledgerSide) -> tuple[str, ...]:
    """Return the accounts that the chart marks as control accounts of this side."""
    return tuple(code for code, account in book.chart.accounts.items() if account.control == side)


def natural_sign(side: SubledgerSide) -> int:
    """Return what turns a debit-positive amount into what is owed to suppliers, or by customers."""
    return -1 if side == "payable" else 1


def until(calendar: FiscalCalendar, day: date, extras: int) -> tuple[Slice, ...]:
    """Return all that a balance at the end of a day holds, the base among it."""
    year = calendar.year_of(day)
    return (
        Slice(MOVEMENT, (FiscalRange(0, year.year * 100), *stretches(calendar, year.first, day, extras))),
        Slice(("base",), (FiscalRange(0, calendar.period_of(day).fiscal),)),
    )


def control_balances(subledger: Subledger) -> dict[str, Decimal]:
    """Return per entity of the report what its control accounts hold on its day, as owed."""
    book, as_of, side = subledger.book, subledger.as_of, subledger.request.side
    accounts = set(control_accounts(book, side))
    balances = dict.fromkeys(subledger.selection.entities, _ZERO)
    if accounts:
        for (entity, account), sums in book.sums({"held": until(as_of.calendar, as_of.day, as_of.extras)}).items():
            if account in accounts and entity in balances:
                balances[entity] += natural_sign(side) * sums["held"].amount
    return balances


def begun(subledger: Subledger) -> set[str]:
    """Return the entities of the report whose ledger has begun by its day: before its base it holds nothing."""
    fiscal = subledger.as_of.calendar.period_of(subledger.day).fiscal
    bases = subledger.book.state.bases
    return {entity for entity in subledger.selection.entities if bases.get(entity, 0) <= fiscal}


def control_lines(subledger: Subledger) -> list[ControlLine]:
    """Return the ledger lines on control accounts that count by the report's day, base lines as one with the rest."""
    book, as_of = subledger.book, subledger.as_of
    sign = natural_sign(subledger.request.side)
    fields = book.line_fields("ledger")
    accounts = control_accounts(book, subledger.request.side)
    if not accounts:
        return []
    rules: list[Predicate] = [
        FieldTest("account", "is", accounts),
        FieldTest("entity", "is", tuple(subledger.selection.entities)),
        Some(tuple(_of_slice(each, book.state.bases) for each in until(as_of.calendar, as_of.day, as_of.extras))),
    ]
    names = ("entity", "journal", "line", "account", "counted", "document", "amount")
    place = Joined((FieldReference("file"), Constant(":"), FieldReference("file_line")))
    values: list[Expression] = [
        *(FieldReference(name) for name in names),
        place,
        FieldReference("memo"),
        FieldReference("entry_class"),
    ]
    found = lines(book.engine, book.line_source(fields, rules), values, [Order(FieldReference("counted"))])
    return [
        ControlLine(entity, journal, line, account, day, document, sign * amount, at, memo, kind == "carried")
        for entity, journal, line, account, day, document, amount, at, memo, kind in found
    ]


def _of_slice(part: Slice, bases: Mapping[str, int]) -> Predicate:
    if part.classes == ("base",):
        based = [
            Every((FieldTest("entity", "is", (entity,)), Within((FiscalRange(fiscal, fiscal),))))
            for entity, fiscal in bases.items()
            if fiscal
        ]
        return Every((FieldTest("entry", "is", ("carried",)), Some(tuple(based)), Within(part.stretches)))
    return Every((Not(FieldTest("entry", "is", ("carried",))), Within(part.stretches)))


def differences(ledger: Sequence[ControlLine], items: Iterable[Item]) -> list[Difference]:
    """Return what does not agree: by document where both sides know it, and what is left day by day.

    items: those posted by the same day. The differences come to the documents' balance less the ledger's.
    """
    items = list(items)
    by_document: defaultdict[tuple[str, str], tuple[list[ControlLine], list[Item]]] = defaultdict(lambda: ([], []))
    for line in ledger:
        if line.document:
            by_document[line.entity, line.document][0].append(line)
    for item in items:
        # A credit note that came with its invoice is posted with it, in one journal and net.
        number = item.number
        if item.kind == "credit" and item.settles and (item.entity, item.settles) in by_document:
            number = item.settles
        by_document[item.entity, number][1].append(item)
    agreed: set[tuple[str, str]] = set()
    for lines_, found in by_document.values():
        if lines_ and found and _balance(lines_, found) == 0:
            agreed |= {("ledger", each.place) for each in lines_} | {("items", each.place) for each in found}
    left_lines = [each for each in ledger if ("ledger", each.place) not in agreed]
    left_items = [each for each in items if ("items", each.place) not in agreed]
    return list(_by_day(left_lines, left_items))


def _balance(ledger: Iterable[ControlLine], items: Iterable[Item]) -> Decimal:
    return sum((each.signed for each in items), _ZERO) - sum((each.amount for each in ledger), _ZERO)


def _by_day(ledger: Sequence[ControlLine], items: Sequence[Item]) -> Iterator[Difference]:
    base: dict[str, date] = {}
    for line in ledger:
        if line.carried:
            base[line.entity] = max(line.day, base.get(line.entity, line.day))
    days: defaultdict[tuple[str, date], tuple[list[ControlLine], list[Item]]] = defaultdict(lambda: ([], []))
    for line in ledger:
        days[line.entity, line.day][0].append(line)
    for item in items:
        # What was open when the books began is carried into them by one line, on their first day.
        first = base.get(item.entity)
        days[item.entity, max(item.posted, first) if first else item.posted][1].append(item)
    for (entity, day), (lines_, found) in sorted(days.items()):
        if _balance(lines_, found) == 0:
            continue
        yield from _by_number(entity, day, lines_, found)


def _by_number(entity: str, day: date, ledger: list[ControlLine], items: list[Item]) -> Iterator[Difference]:
    """Yield a day's differences: under each number that both or one of them has, the rest together."""
    numbers = {each.document for each in ledger if each.document} & {each.number for each in items}
    for number in sorted(numbers):
        yield Difference(
            entity,
            number,
            tuple(each for each in ledger if each.document == number),
            tuple(each for each in items if each.number == number),
        )
    lines_ = [each for each in ledger if each.document not in numbers]
    unnumbered = [each for each in items if each.number not in numbers]
    if _balance(lines_, unnumbered) == 0:
        return
    if lines_ and unnumbered:
        yield Difference(entity, f"on {day_words(day)}", tuple(lines_), tuple(unnumbered))
    for line in lines_ if not unnumbered else ():
        yield Difference(entity, line.document or f"{line.journal}/{line.line}", (line,), ())
    for item in unnumbered if not lines_ else ():
        yield Difference(entity, item.number, (), (item,))


def over_notes(found: OpenItems, decimals: int) -> Iterator[Note]:
    """Yield what is said of lines that settle more than there is, or what is not there."""
    if found.over:
        words = (
            f"{len(found.over):,} with more applied than there was, {{}} in all, stand below zero (see `almanac check`)"
        )
        yield Note(words, (sum(found.over.values(), _ZERO),), decimals)
    if found.unmatched:
        amount = sum((abs(found.left[at]) for at in found.unmatched), _ZERO)
        words = (
            f"{len(found.unmatched):,} settle what is not there, {{}} in all, and are unapplied (see `almanac check`)"
        )
        yield Note(words, (amount,), decimals)


def control_checks(subledger: Subledger, found: OpenItems) -> Iterator[Check]:
    """Yield for each entity whether all its documents come to what its control accounts hold."""
    accounts = control_accounts(subledger.book, subledger.request.side)
    if not accounts:
        return
    held, there = control_balances(subledger), begun(subledger)
    for entity, balance in held.items():
        if entity not in there:
            yield Check(f"{entity}: its ledger begins after this day, and so there is nothing to hold against", True)
            continue
        open_ = sum((left for item, left in zip(found.items, found.left, strict=True) if item.entity == entity), _ZERO)
        counted = CountedAmount(0, open_ - balance)
        places = subledger.selection.decimals
        words = f"{entity}: all documents {open_:,.{places}f}, control accounts in the ledger {balance:,.{places}f}"
        if counted.amount:
            words += f", differ by {off_words(counted.amount, places)} (`almanac check` tells by what)"
        yield Check(words, not counted.amount)
