"""The documents behind a figure of aging."""

from datetime import date

from level_almanac.core.book import Book
from level_almanac.core.reports.aging.report import TOTAL, Aging, AgingRequest
from level_almanac.core.subledger.trace import TracedDocuments, documents_table
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.pointing import find_column, find_row
from level_almanac.errors import Mistake, UsageMistake


def aging_behind(book: Book, request: AgingRequest, row: str, column: str, today: date) -> ReportTable:
    """Return the documents behind a figure of an aging; raises UsageMistake for a row or column that it lacks."""
    made = Aging(book, request, today)
    table = made.table()
    found, named = find_row(table, row), find_column(table, column or TOTAL)
    if found.key == "percent" or named.key == "share":
        raise UsageMistake(
            Mistake("this figure is computed from others", "--row", repr(row), next_step="trace amounts")
        )
    shown = {each.key for each in table.rows}
    shares = []
    for at, item, left in made.shown():
        key = made.key_of(made.member_of(item))
        in_row = found.key in (key, "total") or (found.key == "all-other" and key not in shown)
        if in_row and named.key in (TOTAL, made.bucket_of(item)):
            shares.append((at, left))
    return documents_table(TracedDocuments(table, found, named, made.subledger, made.open, shares))
