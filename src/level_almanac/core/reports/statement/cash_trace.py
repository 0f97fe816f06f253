"""The lines behind a figure on the cash basis: what was paid of each document's, and all others as booked."""

from collections.abc import Iterator, Mapping
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.lines.shape import is_member
from level_almanac.core.lines.source_place import SOURCE_PLACE
from level_almanac.core.reports.statement.cash_basis import CashBasis
from level_almanac.core.spans.windows import Window
from level_almanac.core.table.change import percent
from level_almanac.core.table.model import Column, CountedAmount, Part, Proof, ReportTable, Row
from level_almanac.core.table.pointing import head_words
from level_almanac.core.trace.frame import framed, sum_check, total_row
from level_almanac.core.trace.model import Traced, TracedCell, TracedRow, predicate_of
from level_almanac.store.expressions import Expression, FieldReference
from level_almanac.store.ledger_sums import considered
from level_almanac.store.line_query import Order, lines
from level_almanac.store.predicate import Some

_ZERO = Decimal(0)


class CashFigure(NamedTuple):
    """What a figure on the cash basis is made of. factors: of each account's debit-positive amounts; members: fields
    that must have a value, as in `behind.Term`.
    """

    cash: CashBasis
    window: Window
    factors: Mapping[str, int]
    members: tuple[tuple[str, Any], ...]

    def holds(self, entity: str, values: tuple[str | None, ...]) -> bool:
        """Tell whether a line with these values is one of the members."""
        told = dict(zip(self.cash.fields, values, strict=True), entity=entity)
        return all(is_member(told[field], member) for field, member in self.members)

    def traced(self, book: Book, traced: Traced, traced_row: TracedRow, figure: TracedCell) -> ReportTable:
        """Return the lines that are booked or paid in the days of a figure, each with what counts of it."""
        return cash_trace(book, traced, traced_row, figure, self)


class _Line(NamedTuple):
    name: str
    cells: dict[str, object]
    counts: Decimal


def cash_trace(
    book: Book, traced: Traced, traced_row: TracedRow, figure: TracedCell, made_of: CashFigure
) -> ReportTable:
    """Return the lines that are booked or paid in the days of a figure, each with what counts of it."""
    column, decimals = figure.column, traced.decimals
    lines_found = [*_paid(made_of), *_as_booked(book, traced, figure, made_of)]
    rows = [Row(line.name, line.name, 0, "line", {**line.cells, "counts": line.counts}) for line in lines_found]  # type: ignore[dict-item]
    total = sum((line.counts for line in lines_found), _ZERO)
    rows.append(total_row("counts", total, [row.key for row in rows]))
    everything = considered(book.state, traced.comparable)
    counted, shown = CountedAmount(everything.lines, total), CountedAmount(len(lines_found), total)
    return framed(
        traced.table,
        traced_row.row,
        head_words(column),
        (
            Column("posted", "booked on", "date"),
            Column("account", "account", "text"),
            Column("document", "document", "text"),
            Column("memo", "memo", "text"),
            Column("booked", "as booked", "amount", decimals, adds=False),
            Column("settled", "% settled by the end", "percent", 1, adds=False),
            column._replace(key="counts"),
            Column("export", "line of the export", "text"),
        ),
        rows,
        "entity/journal/line",
        Proof(
            measure="counted on the cash basis",
            considered=counted,
            shown=shown,
            left_out=(Part("not behind it", CountedAmount(everything.lines - len(lines_found), _ZERO)),),
            checks=(sum_check("the lines sum to the figure", total, figure.cell),),
            decimals=decimals,
        ),
    )


def _paid(made_of: CashFigure) -> Iterator[_Line]:
    """Yield the lines of documents of which something counts in these days, or that are booked in them."""
    factors = {account: factor for account, factor in made_of.factors.items() if factor}
    for line in made_of.cash.lines_of(made_of.window, factors):
        if not made_of.holds(line.entity, line.members):
            continue
        factor = factors[line.account]
        cells = {
            "posted": line.counted,
            "account": line.account,
            "document": line.document,
            "memo": line.memo,
            "booked": factor * line.amount,
            "settled": None if line.settled is None or line.whole is None else percent(line.settled, line.whole),
            "export": line.place,
        }
        yield _Line(line.name, cells, factor * line.paid)


def _as_booked(book: Book, traced: Traced, figure: TracedCell, made_of: CashFigure) -> Iterator[_Line]:
    """Yield the lines of the days that belong to no document."""
    rule = Some(tuple(predicate_of(term, book.state.bases, traced.entities, traced.rules) for term in figure.terms))
    linked = made_of.cash.names_of([rule])
    names = ("entity", "journal", "line", "counted", "account", "document", "memo", "amount")
    values: list[Expression] = [*(FieldReference(name) for name in names), SOURCE_PLACE]
    source = book.line_source(book.line_fields("ledger"), [rule])
    order = [Order(FieldReference(name)) for name in ("counted", "journal")]
    for entity, journal, line, posted, account, document, memo, amount, at in lines(book.engine, source, values, order):
        name = f"{entity}/{journal}/{line}"
        factor = made_of.factors.get(account, 0)
        if name not in linked and factor:
            cells = {
                "posted": posted,
                "account": account,
                "document": document,
                "memo": memo,
                "booked": factor * amount,
                "export": at,
            }
            yield _Line(name, cells, factor * amount)
