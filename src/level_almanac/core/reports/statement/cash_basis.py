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
from level_almanac.progress import tell
from level_almanac.store.documents.cash import LINE, LinkedLines
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


def _days(window: Window) -> tuple[date, date] | None:
    """Return the day before a stretch, and its last; None of extra periods, which have no days of their own."""
    return None if window.unit == "adjustments" else (window.first - _ONE_DAY, window.last)


class CashBasis:
    """The lines of one report that are linked to documents, and what counts of them by when. windows: the days of its
    columns.
    """

    def __init__(
        self,
        book: Book,
        selection: Selection,
        as_of: AsOf,
        conditions: LedgerConditions,
        fields: Sequence[str],
        windows: Sequence[Window],
    ) -> None:
        self.book, self.selection, self.as_of, self.fields = book, selection, as_of, tuple(fields)
        self.conditions, self.windows = conditions, windows
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
        columns = [days for window in windows if (days := _days(window))]
        self.days = sorted({day for days in columns for day in days}) or [as_of.day]

    @cached_property
    def _linked(self) -> LinkedLines:
        tell("linking ledger lines to documents")
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
        linked = LinkedLines(
            {side: subledger.lines for side, subledger in self.sides.items()},
            tuple(self.selection.entities),
            self.book.line_source(known, rules),
            values,
            [known.by_name[field].value for field in self.fields],
            self.selection.decimals,
            # What is booked before, and settled before too, changes nothing in any column.
            self.days[0],
            self.days[-1],
        )
        linked.settle(self.days, {side: subledger.open_on_days(self.days) for side, subledger in self.sides.items()})
        return linked

    def _extra_periods(self) -> tuple[FiscalRange, ...]:
        calendar, files = self.as_of.calendar, self.book.state.files_of("ledger")
        fiscals = [each for loaded in files if loaded.lines for each in (loaded.fiscal_low, loaded.fiscal_high)]
        years = range(min(fiscals) // 100, max(fiscals) // 100 + 1) if fiscals else ()
        return tuple(
            FiscalRange(each.fiscal, each.fiscal) for year in years for each in calendar.year(year).extra_periods
        )

    @property
    def count(self) -> int:
        """How many ledger lines belong to documents that were booked or open in the days of the columns."""
        return self._linked.count()

    def changes(self, window: Window) -> Sequence[Change]:
        """Return what the lines that are booked or paid in the days of a column come to."""
        return self._by_window[window]

    @cached_property
    def _by_window(self) -> dict[Window, list[Change]]:
        windows = list(dict.fromkeys(self.windows))
        found: dict[Window, list[Change]] = {window: [] for window in windows}
        for row in self._linked.changes([(window.stretches, _days(window)) for window in windows]):
            at, entity, account, *members, lines, paid_lines, booked, paid = row
            change = Change(
                entity, account, tuple(members), CountedAmount(lines, booked), CountedAmount(paid_lines, paid)
            )
            found[windows[at]].append(change)
        return found

    def lines_of(self, window: Window, accounts: Collection[str]) -> Iterator[LinkedLine]:
        """Yield the lines of some accounts that are booked or paid in a stretch."""
        further = {name: FieldReference(name) for name in ("journal", "line", "memo")}
        rules = [FieldTest("account", "is", tuple(sorted(accounts)))]
        for row in self._linked.lines_of(window.stretches, _days(window), rules, {**further, "place": SOURCE_PLACE}):
            entity, account, amount, counted, document, *members, journal, line, memo, place, settled, whole, paid = row
            name = f"{entity}/{journal}/{line}"
            yield LinkedLine(
                entity, account, amount, counted, document, tuple(members), name, place, memo, settled, whole, paid
            )

    def names_of(self, rules: Sequence[Predicate]) -> set[str]:
        """Return what the linked lines that meet the rules are called."""
        return {"/".join(key) for key in self._linked.keys(rules)}
