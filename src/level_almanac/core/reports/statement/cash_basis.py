"""Income and costs when they are paid rather than when they are booked (docs/cash-basis.md).

A ledger line is linked to a document by entity, document number and party. It counts by the share of its document that
was settled: by the end of a day that share of its amount, rounded, so that what counts in a stretch of days is the
difference of its two ends. Stretches add up, and the last settlement brings the line to its whole amount.
"""

from collections.abc import Collection, Iterator, Sequence
from datetime import date, timedelta
from decimal import Decimal
from functools import cached_property
from typing import NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.lines.asked import LedgerConditions
from level_almanac.core.lines.source_place import SOURCE_PLACE
from level_almanac.core.selection import Selection
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.spans.windows import Window
from level_almanac.core.subledger.subledger import Subledger, SubledgerRequest, SubledgerSide
from level_almanac.core.table.model import CountedAmount
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.tables import INCOME_CLASSES, SIDE_OF
from level_almanac.files.validation.findings import standing_code
from level_almanac.store.documents.cash import LINE, LinkedLines
from level_almanac.store.documents.open import OpenLines
from level_almanac.store.expressions import Constant, Expression, FieldReference, Given
from level_almanac.store.predicate import FieldTest, FiscalRange, Not, Predicate, Within

_ONE_DAY = timedelta(days=1)
COUNTED = ("ordinary", "adjusting")


class Change(NamedTuple):
    """What lines of one account and entity, with the same members, come to in a stretch of days: what is booked in it,
    and what counts.
    """

    entity: str
    account: str
    members: tuple[str | None, ...]
    booked: CountedAmount
    paid: CountedAmount


class LinkedLine(NamedTuple):
    """A ledger line that is linked to a document, and what counts of it in a stretch of days. amount: debit-positive;
    name: entity, journal and line; place: file and line of the export; settled, whole: of its document by the end.
    """

    entity: str
    account: str
    amount: Decimal
    counted: date
    document: str
    members: tuple[str | None, ...]
    name: str
    place: str
    memo: str | None
    settled: Decimal | None
    whole: Decimal | None
    paid: Decimal


class CashBasis:
    """The lines of one report that are linked to documents, and what counts of them by when."""

    def __init__(
        self, book: Book, selection: Selection, as_of: AsOf, conditions: LedgerConditions, fields: Sequence[str]
    ) -> None:
        self.book, self.selection, self.as_of, self.fields = book, selection, as_of, tuple(fields)
        self.conditions = conditions
        sides: tuple[SubledgerSide, ...] = ("payable", "receivable")
        self.sides = {
            side: Subledger(book, SubledgerRequest(side=side, entities=tuple(selection.entities)))
            for side in sides
            if book.parts_of(SIDE_OF[side])
        }
        if not self.sides:
            step = "load payables or receivables, or leave --basis out"
            raise UsageMistake(
                Mistake("the cash basis needs documents and what settled them", "--basis", next_step=step)
            )
        self._changes: dict[Window, list[Change]] = {}

    @cached_property
    def _linked(self) -> LinkedLines:
        known = self.book.line_fields("ledger")
        rules: list[Predicate] = [
            FieldTest("entity", "is", tuple(self.selection.entities)),
            FieldTest("account.class", "is", INCOME_CLASSES),
            FieldTest("entry", "is", COUNTED),
            Not(FieldTest("document", "blank")),
            # An adjustment at a year's end has no day that a payment could be on.
            Not(Within(self._extra_periods())),
            *(rule.predicate for rule in self.conditions.rules),
        ]
        values: dict[str, Expression] = {name: FieldReference(name) for name in LINE}
        same_as = self.book.settings.parties.same_as
        cases = tuple(
            (FieldTest("party", "is", (code,)), Constant(standing_code(code, same_as) or code)) for code in same_as
        )
        values["party"] = Given(cases, FieldReference("party")) if cases else FieldReference("party")
        return LinkedLines(
            {side: subledger.lines for side, subledger in self.sides.items()},
            tuple(self.selection.entities),
            self.book.line_source(known, rules),
            values,
            [known.by_name[field].value for field in self.fields],
            self.selection.decimals,
        )

    def _extra_periods(self) -> tuple[FiscalRange, ...]:
        calendar, files = self.as_of.calendar, self.book.state.files_of("ledger")
        fiscals = [each for loaded in files if loaded.lines for each in (loaded.fiscal_low, loaded.fiscal_high)]
        years = range(min(fiscals) // 100, max(fiscals) // 100 + 1) if fiscals else ()
        return tuple(
            FiscalRange(each.fiscal, each.fiscal) for year in years for each in calendar.year(year).extra_periods
        )

    @property
    def count(self) -> int:
        """How many ledger lines are linked to documents."""
        return self._linked.count()

    def _days(self, window: Window) -> tuple[date, date] | None:
        """Return the day before a stretch, and its last; None of extra periods, which have no days of their own."""
        if window.unit == "adjustments":
            return None
        days = (window.first - _ONE_DAY, window.last)
        for day in days:
            open_: dict[str, OpenLines] = {side: subledger.open_on(day).lines for side, subledger in self.sides.items()}
            self._linked.settle(day, open_)
        return days

    def changes(self, window: Window) -> Sequence[Change]:
        """Return what the lines that are booked or paid in a stretch come to."""
        if window not in self._changes:
            self._changes[window] = [
                Change(entity, account, tuple(members), CountedAmount(lines, booked), CountedAmount(paid_lines, paid))
                for entity, account, *members, lines, paid_lines, booked, paid in self._linked.changes(
                    window.stretches, self._days(window)
                )
            ]
        return self._changes[window]

    def lines_of(self, window: Window, accounts: Collection[str]) -> Iterator[LinkedLine]:
        """Yield the lines of some accounts that are booked or paid in a stretch."""
        further = {name: FieldReference(name) for name in ("journal", "line", "memo")}
        rules = [FieldTest("account", "is", tuple(sorted(accounts)))]
        for row in self._linked.lines_of(
            window.stretches, self._days(window), rules, {**further, "place": SOURCE_PLACE}
        ):
            entity, account, amount, counted, document, *members, journal, line, memo, place, settled, whole, paid = row
            name = f"{entity}/{journal}/{line}"
            yield LinkedLine(
                entity, account, amount, counted, document, tuple(members), name, place, memo, settled, whole, paid
            )

    def names_of(self, rules: Sequence[Predicate]) -> set[str]:
        """Return the places of the linked lines that meet the rules."""
        return {f"{file}:{line}" for file, line in self._linked.places(rules)}
