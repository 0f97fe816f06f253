"""Income and costs when they are paid rather than when they are booked (docs/cash-basis.md).

A ledger line is linked to a document by entity, document number and party. It counts by the share of its document that
was settled: by the end of a day that share of its amount, rounded, so that what counts in a stretch of days is the
difference of its two ends. Stretches add up, and the last settlement brings the line to its whole amount.
"""

from collections import defaultdict
from collections.abc import Sequence
from datetime import date, timedelta
from decimal import Decimal
from functools import cached_property
from typing import NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.lines.asked import LedgerConditions
from level_almanac.core.selection import Selection
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.spans.windows import Window
from level_almanac.core.subledger.open_items import replay
from level_almanac.core.subledger.subledger import Subledger, SubledgerRequest, SubledgerSide
from level_almanac.core.table.exact import EXACT
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.tables import INCOME_CLASSES, SIDE_OF
from level_almanac.store.engine import Row
from level_almanac.store.expressions import Constant, Expression, FieldReference, Joined
from level_almanac.store.line_query import Order, lines
from level_almanac.store.predicate import FieldTest, Not, Predicate

_ZERO = Decimal(0)
_ONE_DAY = timedelta(days=1)
_LINKED_KINDS = ("invoice", "credit")
COUNTED = ("ordinary", "adjusting")

Document = tuple[SubledgerSide, str, str, str, str]
"""A side, an entity, a party, a kind and a number."""


class LinkedLine(NamedTuple):
    """A ledger line of income or cost, and the document it belongs to. amount: debit-positive; members: the values of
    the fields that the statement tells apart; name: entity, journal and line; place: file and line of the export.
    """

    entity: str
    account: str
    amount: Decimal
    counted: date
    fiscal: int
    document: Document
    members: tuple[str | None, ...]
    name: str
    place: str
    memo: str | None


class Settled(NamedTuple):
    """How much of a document was settled by the end of a day, and what it comes to."""

    settled: Decimal
    amount: Decimal


class CashBasis:
    """The lines of one report that are linked to documents, and what counts of them by when."""

    def __init__(
        self, book: Book, selection: Selection, as_of: AsOf, conditions: LedgerConditions, fields: Sequence[str]
    ) -> None:
        self.book, self.selection, self.as_of, self.fields = book, selection, as_of, tuple(fields)
        self.conditions = conditions
        sides: tuple[SubledgerSide, ...] = ("payable", "receivable")
        self.sides = [
            Subledger(book, SubledgerRequest(side=side, entities=tuple(selection.entities)))
            for side in sides
            if book.parts_of(SIDE_OF[side])
        ]
        if not self.sides:
            step = "load payables or receivables, or leave --basis out"
            raise UsageMistake(
                Mistake("the cash basis needs documents and what settled them", "--basis", next_step=step)
            )
        self._by_day: dict[date, dict[Document, Settled]] = {}
        self._changes: dict[Window, Sequence[tuple[LinkedLine, Decimal, Decimal]]] = {}
        self.places = Decimal(1).scaleb(-selection.decimals)

    @cached_property
    def lines(self) -> list[LinkedLine]:
        """The ledger lines of income and cost that belong to a document."""
        by_party, by_number = self._documents()
        lines_found = []
        for row in self._ledger():
            entity, account, amount, counted, fiscal, number, party, journal, line, place, memo, *members = row
            period = self.as_of.calendar.period(fiscal // 100, fiscal % 100)
            if period is not None and period.extra:
                # An adjustment at a year's end has no day that a payment could be on.
                continue
            standing = self.sides[0].standing(party) if party else None
            document = by_party.get((entity, standing, number)) if standing else None
            if document is None and party is None:
                # A line without a party is told by its number alone, where that is one document's only.
                same = by_number.get((entity, number), [])
                document = same[0] if len(same) == 1 else None
            if document is not None:
                name = f"{entity}/{journal}/{line}"
                lines_found.append(
                    LinkedLine(
                        entity, account, Decimal(amount), counted, fiscal, document, tuple(members), name, place, memo
                    )
                )
        return lines_found

    def _documents(self) -> tuple[dict[tuple[str, str, str], Document], dict[tuple[str, str], list[Document]]]:
        by_party: dict[tuple[str, str, str], Document] = {}
        by_number: defaultdict[tuple[str, str], list[Document]] = defaultdict(list)
        for side in self.sides:
            for item in side.chosen:
                key = (item.entity, item.party, item.number)
                if item.kind in _LINKED_KINDS and (key not in by_party or item.kind == "invoice"):
                    by_party[key] = (side.request.side, item.entity, item.party, item.kind, item.number)
        for (entity, _, number), document in by_party.items():
            by_number[entity, number].append(document)
        return by_party, by_number

    def _ledger(self) -> list[Row]:
        fields = self.book.line_fields("ledger")
        rules: list[Predicate] = [
            FieldTest("entity", "is", tuple(self.selection.entities)),
            FieldTest("account.class", "is", INCOME_CLASSES),
            FieldTest("entry", "is", COUNTED),
            Not(FieldTest("document", "blank")),
            *(rule.predicate for rule in self.conditions.rules),
        ]
        own = ("entity", "account", "amount", "counted", "fiscal", "document", "party", "journal", "line")
        place = Joined((FieldReference("file"), Constant(":"), FieldReference("file_line")))
        values: list[Expression] = [*(FieldReference(name) for name in own), place, FieldReference("memo")]
        values += [FieldReference(name) for name in self.fields]
        order = [Order(FieldReference(name)) for name in ("counted", "journal")]
        return lines(self.book.engine, self.book.line_source(fields, rules), values, order)

    @cached_property
    def linked(self) -> set[Document]:
        """The documents that lines belong to."""
        return {line.document for line in self.lines}

    def settled_by(self, day: date) -> dict[Document, Settled]:
        """Return of every linked document posted by a day how much of it was settled by its end."""
        if day not in self._by_day:
            amounts: defaultdict[Document, tuple[Decimal, Decimal]] = defaultdict(lambda: (_ZERO, _ZERO))
            for side in self.sides:
                state = replay(side.chosen, day)
                for item, left in zip(state.items, state.left, strict=True):
                    if item.kind not in _LINKED_KINDS:
                        continue
                    key: Document = (side.request.side, item.entity, item.party, item.kind, item.number)
                    if key in self.linked:
                        settled, amount = amounts[key]
                        amounts[key] = (settled + item.amount - item.sign * left, amount + item.amount)
            self._by_day[day] = {
                # More applied than there was settles no more than the whole.
                key: Settled(min(max(settled, _ZERO), amount), amount)
                for key, (settled, amount) in amounts.items()
            }
        return self._by_day[day]

    def by(self, line: LinkedLine, day: date) -> Decimal:
        """Return what counts of a line by the end of a day, rounded; it cannot count before it is booked."""
        amounts = self.settled_by(day).get(line.document)
        if amounts is None or line.counted > day:
            return _ZERO
        if amounts.settled == amounts.amount:
            return line.amount
        share = EXACT.divide(line.amount * amounts.settled, amounts.amount)
        return share.quantize(self.places, context=EXACT)

    def within(self, line: LinkedLine, window: Window) -> Decimal:
        """Return what counts of a line in a stretch of days; an extra period has no days of its own."""
        if window.unit == "adjustments":
            return _ZERO
        return self.by(line, window.last) - self.by(line, window.first - _ONE_DAY)

    @staticmethod
    def is_booked(line: LinkedLine, window: Window) -> bool:
        """Tell whether a line is booked in a stretch."""
        return any(each.holds(line.fiscal, line.counted) for each in window.stretches)

    def changes(self, window: Window) -> Sequence[tuple[LinkedLine, Decimal, Decimal]]:
        """Return each line that is booked or paid in a stretch, with what is booked and what counts in it."""
        if window not in self._changes:
            changes = []
            for line in self.lines:
                booked = line.amount if self.is_booked(line, window) else _ZERO
                paid = self.within(line, window)
                if booked or paid:
                    changes.append((line, booked, paid))
            self._changes[window] = changes
        return self._changes[window]
