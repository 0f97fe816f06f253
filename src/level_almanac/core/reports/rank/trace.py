"""The lines behind a figure of a ranking."""

from level_almanac.core.book import Book
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.measured_trace import Meant, column_or, measured_lines, not_a_sum
from level_almanac.core.reports.rank.figures import Ranking
from level_almanac.core.spans.windows import Missing
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.pointing import find_row
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake


def rank_trace(book: Book, report: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the lines behind one figure of a ranking. Raises UsageMistake where none or several are meant."""
    table, row_name, column_name = report.table, asked.row, asked.column
    ranking: Ranking = report.of
    row, column = find_row(table, row_name), column_or(table, column_name, ranking.columns[0].key)
    number = next(
        (at for at, each in enumerate(ranking.measures) if column.key in (each.key, f"{each.key}-last-year")), None
    )
    if number is None:
        raise not_a_sum(column)
    before = column.key.endswith("-last-year")
    window = ranking.spans.before if before else ranking.spans.now
    if isinstance(window, Missing):
        raise UsageMistake(Mistake(f"the column has no figures: {window.why}", "--column", repr(column_name)))
    members, others = ranking.behind.get(row.key, ((), None))
    within = list(zip(ranking.measured.by, members, strict=False))
    if others is not None:
        within.append((ranking.by, others))
    return measured_lines(
        book, ranking.measured, table, Meant(row, column, window, tuple(within), number, row.cells[column.key])
    )
