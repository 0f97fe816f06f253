"""What lies behind a figure: which lines it adds up, with which sign, told by the report that made it (docs/trace.md).

A report says of each of its rows and columns which terms its figures are sums of, or why they are none; the lines are
then asked of the store by the same slices that the figure was.
"""

from collections.abc import Mapping, Sequence
from decimal import Decimal
from itertools import takewhile
from typing import TYPE_CHECKING, Literal, NamedTuple

from level_almanac.core.report_table import Cell, Column, ReportTable, Row
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.store.expressions import Arithmetic, Constant, Expression, Summed
from level_almanac.store.expressions import Column as Place
from level_almanac.store.ledger_sums import Slice
from level_almanac.store.predicate import Every, FieldTest, Not, Predicate, Some, Stretch, Within

if TYPE_CHECKING:
    from level_almanac.core.cash_behind import CashFigure

Side = Literal["amount", "debit", "credit"]
NO_SUCH_ROW = "the report has no such row"


class Term(NamedTuple):
    """Some ledger lines that a figure adds up. factor: 1 or -1, on their stored amounts; slices: which lines of the
    accounts; side: what of each line; members: fields that must have a value, None where they must be blank.
    """

    factor: int
    accounts: tuple[str, ...]
    slices: tuple[Slice, ...]
    side: Side = "amount"
    members: tuple[tuple[str, str | None], ...] = ()


class PlanPart(NamedTuple):
    """A line of a plan, and the part of it that a figure holds. place: file and line of its export."""

    account: str
    place: str
    period: str
    amount: Decimal


class Figure(NamedTuple):
    """One cell and what it is made of: terms over the ledger, or parts of a plan, or why it is no sum of lines.

    cash: what counts of the terms' lines, where that is not all of each.
    """

    column: Column
    cell: Cell
    terms: tuple[Term, ...] = ()
    plan: tuple[PlanPart, ...] = ()
    why: str = ""
    cash: "CashFigure | None" = None


class BehindRow(NamedTuple):
    """One row of a report and all of its figures, in the order of the columns."""

    row: Row
    figures: tuple[Figure, ...]


class Traced(NamedTuple):
    """The report whose figures are traced, and the rows that were found in it. rules: its conditions."""

    table: ReportTable
    rows: Sequence[BehindRow]
    entities: tuple[str, ...]
    comparable: tuple[str, ...]
    decimals: int
    rules: tuple[Predicate, ...] = ()


def find_row(table: ReportTable, name: str) -> Row:
    """Return the row that a person means by its key, or by its label or how that begins.

    Raises UsageMistake where none or several are meant.
    """
    rows = [row for row in table.rows if row.cells]
    exact = [row for row in rows if row.key == name]
    folded = name.casefold().strip()
    found = exact or [row for row in rows if row.label.casefold() == folded]
    found = found or _below_heading(table, folded)
    found = found or [row for row in rows if row.label.casefold().startswith(folded) and folded]
    if len(found) == 1:
        return found[0]
    if found:
        step = f"name it by its key: {listed(row.key for row in found[:8])}"
        raise UsageMistake(Mistake(f"{len(found)} rows are called this", "--row", repr(name), next_step=step))
    known = [*(row.key for row in rows), *(row.label for row in rows)]
    allowed = "a row's label, or its key as -o FILE.csv tells it"
    raise UsageMistake(Mistake(NO_SUCH_ROW, "--row", repr(name), allowed, nearest(name, known)))


def _below_heading(table: ReportTable, folded: str) -> list[Row]:
    """Return the total of the headings with this label, or where one has none the rows beneath it."""
    totals = {row.key: row for row in table.rows if row.cells}
    found: list[Row] = []
    for at, row in enumerate(table.rows):
        if row.kind != "heading" or row.label.casefold() != folded:
            continue
        total = totals.get(row.key.removesuffix(":heading"))
        within = takewhile(lambda below: below.level > row.level, table.rows[at + 1 :])  # noqa: B023  used at once
        found += [total] if total else [below for below in within if below.cells]
    return found


def find_column(table: ReportTable, name: str) -> Column:
    """Return the column that a person means by its key, its label, or its number from the left, counted from 1.

    Raises UsageMistake where none or several are meant.
    """
    columns = table.columns
    if name.isdigit() and 1 <= int(name) <= len(columns) and name not in {column.key for column in columns}:
        return columns[int(name) - 1]
    exact = [column for column in columns if column.key == name.lower()]
    found = exact or [column for column in columns if column.label.casefold() == name.casefold().strip()]
    if len(found) == 1:
        return found[0]
    numbered = [f"{number} ({head_words(column)})" for number, column in enumerate(columns, 1)]
    if found:
        step = "name it by its number: " + listed(
            words for words, column in zip(numbered, columns, strict=True) if column in found
        )
        raise UsageMistake(Mistake(f"{len(found)} columns are called this", "--column", repr(name), next_step=step))
    hint = nearest(name, [*(column.key for column in columns), *(column.label for column in columns)])
    what = "the report has no such column"
    raise UsageMistake(Mistake(what, "--column", repr(name), listed(numbered), hint))


def head_words(column: Column) -> str:
    """Return a column's head on one line."""
    return " ".join(part for part in (column.label, column.covers) if part)


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
        tests.append(FieldTest(field, "blank") if member is None else FieldTest(field, "is", (member,)))
    return Every((*tests, *rules))


def _slice_test(part: Slice, bases: Mapping[str, int]) -> Predicate:
    plain = tuple(name for name in part.classes if name not in ("base", "carried"))
    kinds: list[Predicate] = [FieldTest("entry", "is", plain)] if plain else []
    based = _any(
        [
            Every((FieldTest("entity", "is", (entity,)), Within((Stretch(fiscal, fiscal),))))
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
    value = Place(term.side)
    return value if term.factor > 0 else Arithmetic("-", Constant(Decimal(0)), value)


def turned(terms: Sequence[Term], factor: int) -> tuple[Term, ...]:
    """Return the terms with their signs turned where the factor is -1."""
    return tuple(term._replace(factor=factor * term.factor) for term in terms)
