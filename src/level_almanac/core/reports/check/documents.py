"""Checks of suppliers' and customers' documents, and of what they say beside the ledger."""

import re
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.lines.source_place import SOURCE_PLACE
from level_almanac.core.reports.check.findings import (
    KINDS,
    Checked,
    Finding,
    FoundLine,
    PlacedLines,
    item_line,
    item_lines,
)
from level_almanac.core.settlements.item import Item
from level_almanac.core.subledger.control import begun, control_accounts, unlike
from level_almanac.core.subledger.open_items import Application
from level_almanac.core.subledger.open_on_day import IS_OVER, IS_UNMATCHED, OpenOnDay, item_of, truth
from level_almanac.core.subledger.subledger import Subledger, Tally, later_words
from level_almanac.core.table.model import CountedAmount, Proof
from level_almanac.errors import how_many
from level_almanac.store.documents import alike as alike_lines
from level_almanac.store.expressions import FieldReference
from level_almanac.store.line_query import LineSource, groups, lines
from level_almanac.store.predicate import FieldTest, Not

_ZERO = Decimal(0)
_NEAR_DAYS = 10
"""How many days apart two invoices of one party and amount may be dated and still look like one."""
_NOT_TOLD = re.compile(r"[\W_]+|(?<![0-9])0+(?=[0-9])")
"""What two spellings of a number may differ in, beside small letters and capitals."""
Side = tuple[Subledger, OpenOnDay]
"""The documents of one side, and what of them was open on the day of the checks."""
_WHY = {
    "not there": "which no document has",
    "other party": "which is of another party",
    "own kind": "which is nothing that it could settle",
}


def unknown_parties(book: Book) -> Checked:
    """Return the parties that lines name and the table `parties` lacks."""
    kind = KINDS["unknown-party"]
    if not book.parts_of("parties"):
        return Checked(kind, skipped="no list of parties is loaded, as the table `parties`")
    known = {
        party
        for (party,) in lines(book.engine, book.line_source(book.line_fields("parties")), [FieldReference("party")], ())
    }
    findings = []
    for table in ("ledger", "payables", "receivables"):
        if not book.parts_of(table):
            continue
        fields = book.line_fields(table)
        name = fields.by_name.get("party_told", fields.by_name["party"])
        rules = [Not(FieldTest(name.name, "blank")), Not(FieldTest(name.name, "is", tuple(sorted(known))))]
        values = [name.value, FieldReference("amount"), FieldReference("posted"), SOURCE_PLACE]
        by_party: defaultdict[str, list[FoundLine]] = defaultdict(list)
        for party, amount, day, place in lines(book.engine, book.line_source(fields, rules), values, ()):
            by_party[party].append(FoundLine(f"a line of {table}", place, amount, day))
        for party, lines_of_party in sorted(by_party.items()):
            count = how_many(len(lines_of_party), "line")
            total = sum((abs(line.amount or _ZERO) for line in lines_of_party), _ZERO)
            findings.append(Finding(f"{table}/{party}", f"{party}: {count} of {table}", tuple(lines_of_party), total))
    return Checked(kind, findings, f"{how_many(len(known), 'party', 'parties')} on the list")


def spelt_twice(sides: Sequence[Side]) -> Checked:
    """Return the invoices of one party whose numbers differ only in signs, blanks, small letters or leading zeros."""
    by_number: defaultdict[tuple[str, str, str], list[Item]] = defaultdict(list)
    for side, _ in sides:
        for row in alike_lines.spelt_twice(side.book.engine, _invoices(side)):
            item = item_of(row, 0)
            by_number[item.entity, item.party, _bare(item.number)].append(item)
    findings = []
    for (entity, party, _), items in sorted(by_number.items()):
        numbers = sorted({item.number for item in items})
        if len(numbers) > 1:
            words = f"{entity} {party}: {' and '.join(numbers)}"
            again = sum((item.amount for item in items if item.number != items[0].number), _ZERO)
            findings.append(Finding(f"{entity}/{party}/{numbers[0]}", words, item_lines(items), again))
    return Checked(KINDS["spelt-twice"], findings, _looked(sides))


def alike(sides: Sequence[Side]) -> Checked:
    """Return the invoices of one party and amount that are dated within a few days, under different numbers."""
    pairs = [
        (near, lines_)
        for side, open_ in sides
        for lines_ in (PlacedLines(open_.at_places),)
        for near in alike_lines.near_days(side.book.engine, _invoices(side), _NEAR_DAYS)
    ]
    findings = []
    for one, lines_ in sorted(pairs, key=lambda pair: pair[0][:3]):
        if not _are_one(one.number, one.next_number):
            words = f"{one.entity} {one.party}: {one.number} of {day_words(one.dated)} and {one.next_number}"
            key = f"{one.entity}/{one.party}/{one.number}/{one.next_number}"
            told = lines_.of(one.place, one.next_place)
            findings.append(Finding(key, words, told, one.amount, "warning"))
    return Checked(KINDS["alike"], findings, _looked(sides))


def _are_one(number: str, other: str) -> bool:
    """Tell whether two numbers may be spellings of one."""
    ends = number[-1:] + other[-1:]
    # Most differ in a last sign that is always told.
    if ends.isascii() and ends.isalnum() and number[-1].lower() != other[-1].lower():
        return False
    return _bare(number) == _bare(other)


def _bare(number: str) -> str:
    """Return a number without what its spellings may differ in; itself where nothing else is in it."""
    return _NOT_TOLD.sub("", number.casefold()) or number


def _invoices(side: Subledger) -> LineSource:
    """Return the invoices of a side that are posted by its day."""
    by_then, nothing = FieldTest("posted", "at-most", (side.day,)), FieldTest("amount", "is", (_ZERO,))
    rules = (side.chosen, FieldTest("kind", "is", ("invoice",)), by_then, Not(nothing))
    return replace(side.lines.source(), rules=rules)


def looked_at(book: Book, sides: Sequence[Subledger]) -> tuple[Proof, ...]:
    """Return for each side how many of the lines that were loaded are looked at, as of the day of the checks."""
    proofs = []
    for table in dict.fromkeys(side.table for side in sides):
        loaded = sum(each.lines for each in book.state.files_of(table))
        tally = Tally(())
        for side in (each for each in sides if each.table == table):
            is_later = truth(FieldTest("posted", "over", (side.day,)))
            for later, count in side.groups([is_later], [], [side.chosen]):
                tally.add(later_words(side.day) if later else "", count, _ZERO)
        considered = CountedAmount(loaded, _ZERO)
        proofs.append(Proof("", considered, tally.shown, tally.parts, table=table, verb="looked at"))
    return tuple(proofs)


def _looked(sides: Sequence[Side]) -> str:
    counts = [groups(side.book.engine, _invoices(side), [], []) for side, _ in sides]
    return how_many(sum(count for ((count,),) in counts), "invoice")


def over_applied(sides: Sequence[Side]) -> Checked:
    """Return the documents that more was applied to than they come to."""
    findings = []
    for side, open_ in sides:
        over = {each.item.place: each for each in open_.items([IS_OVER])}
        applied: defaultdict[str, list[Application]] = defaultdict(list)
        # In the order in which more was applied to each than there was.
        order: dict[str, None] = {}
        for application in open_.applications(each.item for each in over.values()):
            place = application.to.place
            applied[place].append(application)
            if place in over and sum((each.amount for each in applied[place]), _ZERO) > over[place].item.amount:
                order[place] = None
        for place in order:
            item, by = over[place].item, [each.by for each in applied[place]]
            words = f"{item.entity} {side.request.side}: {item.kind} {item.number} of {item.party}"
            findings.append(Finding(f"{item.entity}/{item.key}", words, item_lines((item, *by)), over[place].over))
    return Checked(KINDS["over-applied"], findings, _documents(sides))


def loose(sides: Sequence[Side]) -> Checked:
    """Return the lines that settle what is not there, or is of another party, and voids that fit no payment."""
    findings = []
    for side, open_ in sides:
        unmatched = [each.item for each in open_.items([IS_UNMATCHED])]
        owners: defaultdict[tuple[str, str], list[Item]] = defaultdict(list)
        numbers = tuple(sorted({str(item.settles) for item in unmatched}))
        for each in open_.items([FieldTest("number", "is", numbers)], whole=True) if numbers else ():
            owners[each.item.entity, each.item.number].append(each.item)
        for item in sorted(unmatched, key=lambda item: (item.in_effect, item.stands)):
            same = owners[item.entity, str(item.settles)]
            others = [each for each in same if each.party != item.party]
            why = "own kind" if len(others) < len(same) else "other party" if others else "not there"
            words = (
                f"{item.entity} {side.request.side}: {item.kind} {item.number} of {item.party} settles "
                f"{item.settles}, {_WHY[why]}"
            )
            told = item_lines((item, *(others if why == "other party" else ())))
            findings.append(Finding(f"{item.entity}/{item.key}", words, told, item.amount))
        replayed = open_.replayed
        for at, taken in replayed.taken.items():
            if not taken.fits:
                item, lines = replayed.items[at], [replayed.items[to] for to in taken.lines]
                verb = "voids" if item.kind == "void" else "refunds"
                words = (
                    f"{item.entity} {side.request.side}: {item.kind} {item.number} of {item.party} names {item.settles}"
                    f", and no line of exactly its amount had settled that: it {verb} as many as its amount covers"
                )
                key = f"{item.entity}/{item.key}"
                findings.append(Finding(key, words, item_lines((item, *lines)), item.amount, "warning"))
    return Checked(KINDS["loose"], findings, _documents(sides))


def early(sides: Sequence[Side]) -> Checked:
    """Return the documents that are dated after the day on which they were settled in the books."""
    findings = []
    for side, open_ in sides:
        for application in open_.early():
            by, to = application.by, application.to
            words = (
                f"{to.entity} {side.request.side}: {to.kind} {to.number} of {to.party}, {day_words(to.dated)}, "
                f"settled by {by.kind} {by.number} of {day_words(by.in_effect)}"
            )
            key = f"{to.entity}/{to.key}/{by.number}/{by.line}"
            findings.append(Finding(key, words, item_lines((to, by)), application.amount, "warning"))
    return Checked(KINDS["early"], findings, _documents(sides))


def _documents(sides: Sequence[Side]) -> str:
    return how_many(sum(found.count_applications for _, found in sides), "application")


def control(sides: Sequence[Side]) -> Checked:
    """Return what documents and control accounts do not have alike, down to the documents or days."""
    findings = []
    looked = []
    for side, _ in sides:
        accounts = control_accounts(side.book, side.request.side)
        if not accounts:
            continue
        looked.append(f"{', '.join(accounts)} against {side.table}")
        for each in unlike(side, begun(side)):
            lines_told = [
                FoundLine(
                    f"ledger {line.journal}/{line.line} on {line.account}"
                    f"{f', {line.document}' if line.document else ''}",
                    line.place, line.amount, line.day,
                )
                for line in each.ledger
            ]  # fmt: skip
            lines_told += [item_line(item) for item in each.items]
            missing = (
                ""
                if each.ledger and each.items
                else ", in the ledger only"
                if each.ledger
                else f", in {side.table} only"
            )
            words = f"{each.entity} {side.request.side}: {each.what}{missing}"
            findings.append(
                Finding(f"{side.request.side}/{each.entity}/{each.what}", words, tuple(lines_told), each.amount)
            )
    if not looked:
        return Checked(KINDS["control"], skipped="the chart marks no control account of a side that is loaded")
    return Checked(KINDS["control"], findings, "; ".join(looked))
