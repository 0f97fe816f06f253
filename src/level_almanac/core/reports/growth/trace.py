"""The lines behind a figure of growth."""

from level_almanac.core.book import Book
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.growth.figures import Growing
from level_almanac.core.reports.growth.side_by_side import blocks_of
from level_almanac.core.reports.growth.stages import Stage
from level_almanac.core.reports.measured_trace import Meant, column_or, measured_lines, not_a_sum
from level_almanac.core.spans.windows import Missing, Window
from level_almanac.core.table.model import Column, ReportTable
from level_almanac.core.table.pointing import find_row
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake


def growth_trace(book: Book, report: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the lines behind one figure of growth. Raises UsageMistake where none or several are meant."""
    table, row_name, column_name = report.table, asked.row, asked.column
    growing: Growing = report.of
    beside = growing.request.side_by_side
    usual = next(column.key for column in table.columns if column.key.rpartition(":")[2] == "now")
    row, column = find_row(table, row_name), column_or(table, column_name, usual)
    block, _, key = column.key.rpartition(":")
    if key not in ("now", "before", "last-year"):
        raise not_a_sum(column)
    for own, member, shown in blocks_of(growing):
        if beside and own != block:
            continue
        prefix = "" if beside else growing.prefix(member, shown)
        stage = next((stage for stage in growing.stages if prefix + stage.key == row.key), None)
        if stage is None:
            continue
        measured = growing.measured
        if shown.kind == "of_per" and growing.per is not None:
            measured = growing.per.measured
        elif shown.kind in ("per", "less"):
            step = f"trace {growing.shown[0].label} and {growing.per_name} by themselves"
            raise UsageMistake(Mistake("this figure is made of two others", "--row", repr(row.key), next_step=step))
        window = _window(stage, column)
        within = tuple(zip(measured.by, member, strict=True)) if member is not None else ()
        return measured_lines(
            book, measured, table, Meant(row, column, window, within, shown.number, row.cells.get(column.key))
        )
    raise AssertionError(row.key)


def _window(stage: Stage, column: Column) -> Window:
    key = column.key.rpartition(":")[2]
    window = {"now": stage.now, "before": stage.before, "last-year": stage.last_year}[key]
    if isinstance(window, Missing):
        raise UsageMistake(Mistake(f"the figure is blank: {window.why}", "--column", repr(column.key)))
    return window
