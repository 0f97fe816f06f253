"""What lies behind a figure: which lines it adds up, with which sign, told by the report that made it (docs/trace.md).

A report says of each of its rows and columns which terms its figures are sums of, or why they are none; the lines are
then asked of the store by the same slices that the figure was.
"""

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any, Literal, NamedTuple, Protocol

from level_almanac.core.book import Book
from level_almanac.core.lines.shape import member_test
from level_almanac.core.table.model import Cell, Column, ReportTable, Row
from level_almanac.store.expressions import Arithmetic, Constant, Expression, FieldReference, Summed
from level_almanac.store.ledger_sums import Slice
from level_almanac.store.predicate import Every, FieldTest, FiscalRange, Not, Predicate, Some, Within

LedgerSide = Literal["amount", "debit", "credit"]


class Term(NamedTuple):
    """Some ledger lines that a figure adds up. factor: 1 or -1, on their stored amounts; slices: which lines of the
    accounts; side: what of each line; members: fields that must have a value, None where they must be blank.
    """

    factor: int
    accounts: tuple[str, ...]
    slices: tuple[Slice, ...]
    side: LedgerSide = "amount"
    members: tuple[tuple[str, Any], ...] = ()


class PlanPart(NamedTuple):
    """A line of a plan, and the part of it that a figure holds. line: its number in the plan; of: the account or
    members that it is of; place: file and line of its export, of which several lines of the plan may come.
    """

    line: int
    of: str
    place: str
    period: str
    amount: Decimal


class CountedApart(Protocol):
    """What of the lines of a figure counts, where that is not all of each; it tells of them itself."""

    def traced(self, book: Book, traced: "Traced", traced_row: "TracedRow", figure: "TracedCell") -> ReportTable:
        """Return the lines behind the figure, each with what counts of it."""


class TracedCell(NamedTuple):
    """One cell and what it is made of: terms over the ledger, or parts of a plan, or why it is no sum of lines.

    cash: what counts of the terms' lines, where that is not all of each.
    """

    column: Column
    cell: Cell
    terms: tuple[Term, ...] = ()
    plan: tuple[PlanPart, ...] = ()
    why: str = ""
    cash: CountedApart | None = None


class TracedRow(NamedTuple):
    """One row of a report and all of its figures, in the order of the columns."""

    row: Row
    figures: tuple[TracedCell, ...]


class Traced(NamedTuple):
    """The report whose figures are traced, and the rows that were found in it. rules: its conditions."""

    table: ReportTable
    rows: Sequence[TracedRow]
    entities: tuple[str, ...]
    comparable: tuple[str, ...]
    decimals: int
    rules: tuple[Predicate, ...] = ()


def predicate_of(
    term: Term, bases: Mapping[str, int], entities: Sequence[str], rules: Sequence[Predicate]
) -> Predicate:
    """Return the condition of the lines that a term adds up.

    bases: per entity the position that its first year's carried lines open; entities: those of the report; rules: its
    conditions.
    """
    tests: list[Predicate] = [
        FieldTest("entity", "is", tuple(entities)),
        FieldTest("account", "is", term.accounts),
        _any([_slice_test(each, bases) for each in term.slices]),
    ]
    if term.side != "amount":
        # A line on the other side adds nothing here, and is not behind the figure.
        tests.append(Not(FieldTest(term.side, "is", (Decimal(0),))))
    for field, member in term.members:
        tests.append(member_test(field, member))
    return Every((*tests, *rules))


def _slice_test(part: Slice, bases: Mapping[str, int]) -> Predicate:
    plain = tuple(name for name in part.classes if name not in ("base", "carried"))
    kinds: list[Predicate] = [FieldTest("entry", "is", plain)] if plain else []
    based = _any(
        [
            Every((FieldTest("entity", "is", (entity,)), Within((FiscalRange(fiscal, fiscal),))))
            for entity, fiscal in bases.items()
            if fiscal
        ]
    )
    if "base" in part.classes:
        kinds.append(Every((FieldTest("entry", "is", ("carried",)), based)))
    if "carried" in part.classes:
        kinds.append(Every((FieldTest("entry", "is", ("carried",)), Not(based))))
    within: Predicate = Within(part.stretches)
    return Every((_any(kinds), Not(within) if part.outside else within))


def _any(tests: Sequence[Predicate]) -> Predicate:
    return tests[0] if len(tests) == 1 else Some(tuple(tests)) if tests else Within(())


def amount_of(
    terms: Sequence[Term], bases: Mapping[str, int], entities: Sequence[str], rules: Sequence[Predicate]
) -> Expression:
    """Return what a line adds to a figure of these terms; blank where it is not behind it."""
    return Summed(tuple((predicate_of(term, bases, entities, rules), value_of(term)) for term in terms))


def value_of(term: Term) -> Expression:
    """Return what a line that a term adds up has in it."""
    value = FieldReference(term.side)
    return value if term.factor > 0 else Arithmetic("-", Constant(Decimal(0)), value)


def turned(terms: Sequence[Term], factor: int) -> tuple[Term, ...]:
    """Return the terms with their signs turned where the factor is -1."""
    return tuple(term._replace(factor=factor * term.factor) for term in terms)
