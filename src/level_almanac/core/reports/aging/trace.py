"""The documents behind a figure of aging."""

from level_almanac.core.book import Book
from level_almanac.core.reports.aging.report import TOTAL, Aging
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.subledger.open_on_day import IS_OPEN
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.pointing import find_column, find_row, head_words
from level_almanac.core.trace.documents import TracedDocuments, documents_table
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.store.predicate import Every, Not, Predicate, Some


def aging_trace(_book: Book, report: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the documents behind a figure of an aging; raises UsageMistake for a row or column that it lacks."""
    table, row = report.table, asked.row
    aging: Aging = report.of
    row_found, named = find_row(table, row), find_column(table, asked.column or TOTAL)
    if row_found.key == "percent" or named.key == "share":
        raise UsageMistake(
            Mistake("this figure is computed from others", "--row", repr(row), next_step="trace amounts")
        )
    beside = aging.subledger.beside
    if named.key in beside.names and named.key not in (*beside.sums, *aging.own):
        step = "name a column of amounts"
        raise UsageMistake(Mistake("no sum of documents", "--column", repr(head_words(named)), next_step=step))
    shown = {each.key for each in table.rows}
    members = {aging.key_of(member): aging.in_row(member) for member in aging.values}
    in_row: Predicate = Every(())
    if row_found.key == "all-other":
        in_row = Not(Some(tuple(test for key, test in members.items() if key in shown)))
    elif row_found.key != "total":
        in_row = members[row_found.key]
    lines = aging.open.items([aging.subledger.met, IS_OPEN, in_row, aging.in_column(named.key)])
    by_itself = named.key in beside.sums
    shares = [(each.item, aging.subledger.share_of(each.item, named.key) if by_itself else each.left) for each in lines]
    return documents_table(TracedDocuments(table, row_found, named, aging.subledger, aging.open, shares))
