"""The lines behind one figure of a list in columns, of the table or of a plan."""

from collections.abc import Sequence

from level_almanac.core.book import Book
from level_almanac.core.columns.placed import PlacedColumn
from level_almanac.core.columns.plan_sums import PlannedLine, PlanSums
from level_almanac.core.columns.sums import Members
from level_almanac.core.lines.shape import Others
from level_almanac.core.reports.list.columned import ColumnedList
from level_almanac.core.reports.measured_trace import Meant, column_or, measured_lines, not_a_sum
from level_almanac.core.spans.windows import Missing
from level_almanac.core.table.model import Column, ReportTable, Row
from level_almanac.core.table.pointing import find_row
from level_almanac.core.trace.frame import plan_trace
from level_almanac.core.trace.model import PlanPart
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake


def columned_trace(book: Book, table: ReportTable, made: ColumnedList, asked: TraceRequest) -> ReportTable:
    """Return the lines behind one figure. Raises UsageMistake where none or several are meant."""
    row = find_row(table, asked.row)
    column = column_or(table, asked.column, made.made.slots[0].key)
    slot = made.slot(column.key)
    if slot is None:
        raise not_a_sum(column)
    if isinstance(slot.window, Missing):
        raise UsageMistake(Mistake(f"the column has no figures: {slot.window.why}", "--column", repr(column.key)))
    if row.key not in made.rows_behind:
        what, step = "this row is a part of all that is there", "trace its groups one by one, or the total"
        raise UsageMistake(Mistake(what, "--row", repr(row.key), next_step=step))
    members, others = made.rows_behind[row.key]
    if made.limits and (others is not None or len(members) < len(made.by)):
        what, step = "a total of groups that a limit picked", "trace its groups one by one"
        raise UsageMistake(Mistake(what, "--row", repr(row.key), next_step=step))
    if slot.is_plan and made.made.plans is not None:
        return _planned(table, row, column, made, slot, members, others)
    within = list(zip(made.by, members, strict=False))
    if others is not None:
        within.append((made.by[-1], others))
    within += [(field, slot.member) for field in made.made.across if field.key == slot.field]
    number = next(at for at, each in enumerate(made.measured.measures) if each.key == slot.measure)
    meant = Meant(row, column, slot.window, tuple(within), number, row.cells[column.key])
    return measured_lines(book, made.measured, table, meant)


def _planned(
    table: ReportTable,
    row: Row,
    column: Column,
    made: ColumnedList,
    slot: PlacedColumn,
    members: Members,
    others: Others | None,
) -> ReportTable:
    """Return the parts of the lines of a plan."""
    plans: PlanSums = made.made.plans  # type: ignore[assignment]  # asked of columns of plans alone
    holding = made.made.plan_tables[slot.scenario]
    places = plans.plans[holding].places
    parts = [
        PlanPart(each.line.number, _called(each.members), places[each.line.number], _period(each), amount)
        for each, amount in plans.parts(slot)
        if _is_within(each.members, members, others)
    ]
    of = Column("members", " / ".join(by.label for by in made.by) or "of", "text")
    lines = sum(loaded.lines for loaded in made.book.state.files_of(holding))
    return plan_trace(table, row, column, of, parts, (holding, lines), made.measured.decimals)


def _called(members: Sequence[str | None]) -> str:
    return ", ".join("" if member is None else member for member in members)


def _period(planned: PlannedLine) -> str:
    return f"{planned.line.fiscal // 100}-P{planned.line.fiscal % 100:02d}"


def _is_within(own: Members, members: Members, others: Others | None) -> bool:
    if own[: len(members)] != members:
        return False
    return others is None or others.holds(own[-1])
