"""The lines behind all figures of a report, in one table: what a page's links and a workbook's sheet lead to."""

from collections.abc import Sequence
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.lines.rows import ListRows
from level_almanac.core.lines.selected import ShownField
from level_almanac.core.lines.shape import ListShape
from level_almanac.core.lines.source_place import EXPORT
from level_almanac.core.table.exact import off_words
from level_almanac.core.table.model import Check, Column, CountedAmount, Part, Proof, ReportTable, Row
from level_almanac.core.table.pointing import head_words
from level_almanac.core.trace.figure import LINE_FIELDS, counted_traced, headed
from level_almanac.core.trace.model import Traced, TracedRow, predicate_of, value_of
from level_almanac.store.expressions import Constant, Expression, Given, Summed
from level_almanac.store.ledger_sums import considered
from level_almanac.store.line_query import Order
from level_almanac.store.predicate import Predicate, Some

_ZERO = Decimal(0)


def traced_lines(book: Book, traced: Traced) -> tuple[ReportTable, ...]:
    """Return one table with the lines behind every row given, in groups by row key; none where no row has lines."""
    bases = book.state.bases
    columns: dict[str, list[tuple[Predicate, Expression]]] = {}
    cases: list[tuple[Predicate, Expression]] = []
    heads: dict[str, Column] = {}
    for traced_row in traced.rows:
        for figure in traced_row.figures:
            if figure.why or not figure.terms or figure.column.derived:
                continue
            heads[figure.column.key] = figure.column
            for term in figure.terms:
                test = predicate_of(term, bases, traced.entities, traced.rules)
                columns.setdefault(figure.column.key, []).append((test, value_of(term)))
                cases.append((test, Constant(traced_row.row.key)))
    if not cases:
        return ()
    fields = book.line_fields("ledger")
    source = book.line_source(fields, [Some(tuple(test for test, _ in cases))])
    row_key = Given(tuple(cases), Constant(""))
    several = len(traced.entities) > 1
    names = [*(["entity"] if several else []), "journal", "line"]
    columns_shown = [
        ShownField(name, name, fields.by_name[name].kind, fields.by_name[name].value) for name in LINE_FIELDS
    ]
    columns_shown += [
        ShownField(key, heads[key].label, "amount", Summed(tuple(parts))) for key, parts in columns.items()
    ]
    columns_shown.append(EXPORT)
    order = [Order(fields.by_name[name].value) for name in ("counted", "posted")]
    order += [Order(fields.by_name[name].value, as_number=True) for name in names]
    shape = ListShape(
        by=(ShownField("row", "row", "text", row_key),),
        shown=tuple(columns_shown),
        sorts=(),
        limits=(),
        key=tuple(fields.by_name[name] for name in names),
        order=tuple(order),
        lines=True,
        first=None,
        measure=None,
        decimals=traced.decimals,
        exclusions=0,
    )
    rows_made = ListRows(book.engine, source, shape).made()
    shown_columns = headed(rows_made.columns, list(heads.values()))
    labels = {traced_row.row.key: traced_row.row.label for traced_row in traced.rows}
    rows = [_with_label(row, labels) for row in rows_made.rows if row.kind != "total"]
    off = _off(rows, traced.rows, list(columns))
    check = Check("the lines of each row sum to its figures" + (f": not in {', '.join(off)}" if off else ""), not off)
    shown_lines, others = counted_traced(book, traced, source.rules[0])
    everything = considered(book.state, traced.comparable)
    proof = Proof(
        measure="amount, debits positive",
        considered=CountedAmount(everything.lines, everything.amount),
        shown=shown_lines,
        left_out=(Part("behind none of them", others),) if others.lines else (),
        checks=(check, *rows_made.checks),
        decimals=traced.decimals,
    )
    title = f"Lines behind {traced.table.title}"
    label = "/".join(names)
    return (
        ReportTable(title, traced.table.facts, traced.table.subtitle, shown_columns, tuple(rows), label, proof=proof),
    )


def _with_label(row: Row, labels: dict[str, str]) -> Row:
    key = row.group
    if key in labels:
        name = f"{key} {labels[key]}" if key[:1].isdigit() else labels[key]
        return row._replace(label=name if row.kind == "heading" else f"Total {name}")
    return row


def _off(rows: Sequence[Row], traced_row: Sequence[TracedRow], columns: Sequence[str]) -> list[str]:
    totals = {row.key: row.cells for row in rows if row.kind == "subtotal"}
    off = []
    for each in traced_row:
        for figure in each.figures:
            if figure.column.key in columns and figure.terms:
                sum_told = totals.get(each.row.key, {}).get(figure.column.key)
                sum_ = sum_told if isinstance(sum_told, Decimal) else _ZERO
                if isinstance(figure.cell, Decimal) and sum_ != figure.cell:
                    off.append(f"{each.row.label}, {head_words(figure.column)} by {off_words(sum_ - figure.cell)}")
    return off
