"""The documents behind a figure of aging."""

from level_almanac.core.book import Book
from level_almanac.core.reports.aging.report import TOTAL, Aging
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.subledger.trace import TracedDocuments, documents_table
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.pointing import find_column, find_row
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake


def aging_trace(_book: Book, report: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the documents behind a figure of an aging; raises UsageMistake for a row or column that it lacks."""
    table, row = report.table, asked.row
    aging: Aging = report.of
    row_found, named = find_row(table, row), find_column(table, asked.column or TOTAL)
    if row_found.key == "percent" or named.key == "share":
        raise UsageMistake(
            Mistake("this figure is computed from others", "--row", repr(row), next_step="trace amounts")
        )
    shown = {each.key for each in table.rows}
    shares = []
    for at, item, left in aging.shown():
        key = aging.key_of(aging.member_of(item))
        in_row = row_found.key in (key, "total") or (row_found.key == "all-other" and key not in shown)
        if in_row and named.key in (TOTAL, aging.bucket_of(item)):
            shares.append((at, left))
    return documents_table(TracedDocuments(table, row_found, named, aging.subledger, aging.open, shares))
