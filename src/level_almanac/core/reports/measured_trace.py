"""The lines behind a figure of growth, a ranking or pace (docs/trace.md)."""

from collections.abc import Sequence
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.lines.rule import Rule
from level_almanac.core.lines.selected import ShownField
from level_almanac.core.measures.measure import Measure
from level_almanac.core.measures.table_measures import TableMeasures
from level_almanac.core.reports.list.report import Listing
from level_almanac.core.reports.list.request import ListRequest
from level_almanac.core.spans.windows import Window
from level_almanac.core.table.model import Cell, Check, Column, ReportTable, Row
from level_almanac.core.table.pointing import find_column, head_words
from level_almanac.core.trace.frame import SUMMED, behind
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.store.expressions import Expression, FieldReference


class Meant(NamedTuple):
    """A figure that is traced. within: the group whose lines it is of; number: of its measure."""

    row: Row
    column: Column
    window: Window
    within: tuple[tuple[ShownField, Any], ...]
    number: int
    cell: Cell


def column_or(table: ReportTable, name: str, usual: str) -> Column:
    """Return the column of this name, or the usual one where none is named."""
    return find_column(table, name) if name else next(each for each in table.columns if each.key == usual)


def not_a_sum(column: Column) -> UsageMistake:
    """Return the mistake of a column that is made of others."""
    step = "trace the figures that it is made of"
    return UsageMistake(Mistake("this column is no sum of lines", "--column", repr(column.key), next_step=step))


def measured_lines(
    book: Book, measured: TableMeasures, table: ReportTable, meant: Meant, more: Sequence[Rule] = ()
) -> ReportTable:
    """Return the lines that a figure is of, with what each adds to it, and whether they sum to it."""
    asked = measured.request
    measure = measured.measures[meant.number]
    sums = tuple(_sums(measure))
    request = ListRequest(
        table=measured.own.name,
        compute=asked.compute,
        conditions=asked.conditions,
        when=asked.when,
        entities=asked.entities,
    )
    days = Rule("other dates", measured.test([meant.window]))
    before = [rule for rule in measured.before_days() if rule.code != "entity"]
    lines, _ = Listing(
        book, request, meant.within, sums, measured.labels.asked, (*before, days, *measured.of_kind, *more)
    ).made()
    total = lines.rows[-1]
    values = [total.cells.get(column.key) for column in sums if column.aggregate]
    if measure.has_sides:
        values.append(None)
    figure = measure.value([*values] if measure.parts and sums else [_count(lines)])
    traced_value = measure.cell(figure, measured.decimals)
    cell = Decimal(str(meant.cell)) if isinstance(meant.cell, Decimal | int) else None
    off = (traced_value or Decimal(0)) != (cell or Decimal(0))
    words = "the lines sum to the figure" if measure.adds else "the lines come to the figure"
    check = Check(f"{words}: not to {cell}, but to {traced_value}" if off else words, not off)
    proof = lines.proof._replace(checks=(*lines.proof.checks, check)) if lines.proof else None
    # Which of a trace's columns sums to the figure, for whoever tells what lines moved it.
    facts = (
        {**lines.facts, SUMMED: "count" if measure.kind == "count" else sums[0].key} if measure.adds else lines.facts
    )
    return behind(table, meant.row, head_words(meant.column), lines._replace(proof=proof, facts=facts))


def _sums(measure: Measure) -> list[ShownField]:
    """Return the columns of what a line adds to each part of a measure."""
    if measure.field.aggregate == "values":
        # Each line's own value, beneath which stands how many different ones there are.
        plain = measure.field._replace(
            key=f"{measure.key} of", label=measure.key.removeprefix("how many "), aggregate=""
        )
        return [plain, measure.field]
    if measure.kind == "count":
        return []
    if measure.kind != "ratio":
        return [measure.field._replace(aggregate="sum")]
    columns = []
    for number, part in enumerate(measure.parts, 1):
        name = _name_of(part.value) or f"part {number}"
        aggregate: Any = "count" if part.summing == "count" else "sum"
        columns.append(ShownField(f"part-{number}", name, "amount", part.value, aggregate))
    return columns


def _name_of(value: Expression) -> str:
    return value.column if isinstance(value, FieldReference) else ""


def _count(table: ReportTable) -> int:
    return table.proof.shown.lines if table.proof else 0
