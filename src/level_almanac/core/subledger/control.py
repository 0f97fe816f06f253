"""Documents held against the ledger's control accounts: what both have on a day (docs/open-items.md)."""

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.calendar.positions import stretches
from level_almanac.core.fields import TURNED
from level_almanac.core.lines.source_place import SOURCE_PLACE
from level_almanac.core.settlements.item import Item
from level_almanac.core.subledger.open_on_day import OpenOnDay, item_of, truth
from level_almanac.core.subledger.subledger import Subledger, SubledgerSide
from level_almanac.core.table.exact import off_words
from level_almanac.core.table.model import Check, CountedAmount, Note
from level_almanac.store.documents.control import LEDGER, unlike_days
from level_almanac.store.expressions import Expression, FieldReference
from level_almanac.store.ledger_sums import MOVEMENT, Slice
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


def unlike(subledger: Subledger, entities: Collection[str]) -> list[Difference]:
    """Return what the documents and the control accounts of some entities do not have alike on the report's day: by
    document where both sides know it, and what is left day by day. All of it comes to what their balances differ by.
    """
    book, as_of = subledger.book, subledger.as_of
    accounts = control_accounts(book, subledger.request.side)
    if not accounts:
        return []
    rules: list[Predicate] = [
        FieldTest("account", "is", accounts),
        FieldTest("entity", "is", tuple(subledger.selection.entities)),
        Some(tuple(_of_slice(each, book.state.bases) for each in until(as_of.calendar, as_of.day, as_of.extras))),
    ]
    values: dict[str, Expression] = {name: FieldReference(name) for name in LEDGER if name not in ("day", "carried")}
    values |= {
        "day": FieldReference("counted"),
        "place": SOURCE_PLACE,
        "carried": truth(FieldTest("entry", "is", ("carried",))),
    }
    if natural_sign(subledger.request.side) < 0:
        values["amount"] = TURNED
    source = book.line_source(book.line_fields("ledger"), rules)
    ledger, items = unlike_days(subledger.lines, subledger.day, sorted(entities), source, values)
    lines_ = [ControlLine._make((*row[:-1], bool(row[-1]))) for row in ledger]
    return list(by_day(lines_, [item_of(row, len(subledger.values)) for row in items]))


def _of_slice(part: Slice, bases: Mapping[str, int]) -> Predicate:
    if part.classes == ("base",):
        based = [
            Every((FieldTest("entity", "is", (entity,)), Within((FiscalRange(fiscal, fiscal),))))
            for entity, fiscal in bases.items()
            if fiscal
        ]
        return Every((FieldTest("entry", "is", ("carried",)), Some(tuple(based)), Within(part.stretches)))
    return Every((Not(FieldTest("entry", "is", ("carried",))), Within(part.stretches)))


def _balance(ledger: Iterable[ControlLine], items: Iterable[Item]) -> Decimal:
    return sum((each.signed for each in items), _ZERO) - sum((each.amount for each in ledger), _ZERO)


def by_day(ledger: Sequence[ControlLine], items: Sequence[Item]) -> Iterator[Difference]:
    """Yield the differences of each day on which documents and ledger lines do not come to the same."""
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


def over_notes(found: OpenOnDay, decimals: int) -> Iterator[Note]:
    """Yield what is said of lines that settle more than there is, or what is not there."""
    over, unmatched = found.over, found.unmatched
    if over.lines:
        words = f"{over.lines:,} with more applied than there was, {{}} in all, stand below zero (see `almanac check`)"
        yield Note(words, (over.amount,), decimals)
    if unmatched.lines:
        words = f"{unmatched.lines:,} settle what is not there, {{}} in all, and are unapplied (see `almanac check`)"
        yield Note(words, (unmatched.amount,), decimals)


def control_checks(subledger: Subledger, open_by_entity: Mapping[str, Decimal]) -> Iterator[Check]:
    """Yield for each entity whether all its documents come to what its control accounts hold."""
    accounts = control_accounts(subledger.book, subledger.request.side)
    if not accounts:
        return
    held, there = control_balances(subledger), begun(subledger)
    for entity, balance in held.items():
        if entity not in there:
            yield Check(f"{entity}: its ledger begins after this day, and so there is nothing to hold against", True)
            continue
        open_ = open_by_entity.get(entity, _ZERO)
        counted = CountedAmount(0, open_ - balance)
        places = subledger.selection.decimals
        words = f"{entity}: all documents {open_:,.{places}f}, control accounts in the ledger {balance:,.{places}f}"
        if counted.amount:
            words += f", differ by {off_words(counted.amount, places)} (`almanac check` tells by what)"
        yield Check(words, not counted.amount)
