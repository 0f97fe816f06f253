"""The lines behind a figure of pace, of the table or of the plan."""

from collections.abc import Iterable, Iterator
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.measures.plans import PlanLine
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.measured_trace import Meant, column_or, measured_lines, not_a_sum
from level_almanac.core.reports.pace.figures import Pacing
from level_almanac.core.table.model import Column, ReportTable
from level_almanac.core.table.pointing import find_row
from level_almanac.core.trace.frame import plan_trace
from level_almanac.core.trace.model import PlanPart
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake


def pace_trace(book: Book, report: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the lines behind one figure of pace, of the table or of the plan.

    Raises UsageMistake where none or several are meant.
    """
    table, row_name, column_name = report.table, asked.row, asked.column
    pacing: Pacing = report.of
    if pacing.request.by_period:
        raise UsageMistake(
            Mistake("periods are traced by their own report", "--by-period", next_step="say --period ID")
        )
    row, column = find_row(table, row_name), column_or(table, column_name, "spent")
    members = next((each for each in pacing.members if pacing.key(each) == row.key and row.key != "total"), None)
    if members is None and row.key != "total":
        raise UsageMistake(Mistake("nothing lies behind what no member has", "--row", repr(row.key)))
    if column.key in ("budget", "expected"):
        if row.key == "total" and pacing.gap:
            raise UsageMistake(
                Mistake("the whole's limit was told, and is no sum of lines", "--column", repr(column.key))
            )
        lines = pacing.members[members] if members is not None else pacing.all_lines
        window = pacing.whole if column.key == "budget" else pacing.to_date
        found = [(line, pacing.plans.within(line, window.stretches)) for line in lines]
        plan = (pacing.plan_table, sum(loaded.lines for loaded in pacing.book.state.files_of(pacing.plan_table)))
        of = Column("members", " / ".join(pacing.fields) or "of", "text")
        column = column._replace(scenario=pacing.scenario)
        return plan_trace(table, row, column, of, [*_plan_parts(pacing, found)], plan, pacing.measured.decimals)
    if column.key != "spent":
        raise not_a_sum(column)
    within = tuple(zip(pacing.measured.by, members, strict=True)) if members is not None else ()
    classes = tuple(rule for rule in pacing.rules if rule.code == "nature")
    meant = Meant(row, column, pacing.to_date, within, 0, row.cells[column.key])
    return measured_lines(book, pacing.measured, table, meant, classes)


def _plan_parts(made: Pacing, found: Iterable[tuple[PlanLine, Decimal | None]]) -> Iterator[PlanPart]:
    for line, amount in found:
        if amount is not None:
            members = ", ".join("" if each is None else each for each in line.members)
            period = f"{line.fiscal // 100}-P{line.fiscal % 100:02d}"
            yield PlanPart(line.number, members, made.plans.places[line.number], period, amount)
