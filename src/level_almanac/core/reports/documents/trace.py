"""The documents behind a figure of documents."""

from collections.abc import Callable
from decimal import Decimal
from functools import partial

from level_almanac.core.book import Book
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.documents.report import Documents
from level_almanac.core.subledger.open_on_day import OpenItem
from level_almanac.core.subledger.subledger import Subledger
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.pointing import find_column, find_row, head_words
from level_almanac.core.trace.documents import TracedDocuments, documents_table
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake, listed


def documents_trace(_book: Book, report: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return what a document, or all of a group, is made of; raises UsageMistake for a row or column that it lacks."""
    table = report.table
    documents: Documents = report.of
    row_found, named = find_row(table, asked.row), find_column(table, asked.column or "open")
    amounts: dict[str, Callable[[OpenItem], Decimal]] = {
        "amount": lambda each: each.item.signed,
        "settled": lambda each: each.left - each.item.signed,
        "open": lambda each: each.left,
    }
    beside = documents.subledger.beside
    for key in beside.sums:
        amounts[key] = partial(_share, documents.subledger, key)
    if named.key not in amounts:
        step = f"name {listed(amounts)}"
        raise UsageMistake(Mistake("no sum of documents", "--column", repr(head_words(named)), next_step=step))
    by_key = {documents.subledger.key_of(each.item): each for each in documents.top}
    if row_found.key in by_key:
        wanted = [by_key[row_found.key]]
    elif row_found.key == "total":
        wanted = documents.every()
    elif row_found.key == "shown":
        wanted = documents.top
    else:
        wanted = [each for each in documents.top if documents.group_of(each.item) == row_found.key]
    shares = [(each.item, amounts[named.key](each)) for each in wanted]
    return documents_table(TracedDocuments(table, row_found, named, documents.subledger, documents.open, shares))


def _share(subledger: Subledger, key: str, each: OpenItem) -> Decimal:
    return subledger.share_of(each.item, key)
