"""The documents behind a figure of documents."""

from level_almanac.core.book import Book
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.documents.report import Documents
from level_almanac.core.subledger.trace import TracedDocuments, documents_table
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.pointing import find_column, find_row, head_words
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake


def documents_trace(_book: Book, report: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return what a document, or all of a group, is made of; raises UsageMistake for a row or column that it lacks."""
    table = report.table
    documents: Documents = report.of
    row_found, named = find_row(table, asked.row), find_column(table, asked.column or "open")
    amounts = {
        "amount": lambda at: documents.open.items[at].signed,
        "settled": lambda at: documents.open.left[at] - documents.open.items[at].signed,
        "open": lambda at: documents.open.left[at],
    }
    if named.key not in amounts:
        step = "name amount, settled or open"
        raise UsageMistake(Mistake("no sum of documents", "--column", repr(head_words(named)), next_step=step))
    positions = {documents.subledger.key_of(documents.open.items[at]): at for at in documents.shown}
    if row_found.key in positions:
        wanted = [positions[row_found.key]]
    elif row_found.key == "total":
        wanted = documents.shown
    elif row_found.key == "shown":
        wanted = documents.shown[: documents.request.top]
    else:
        wanted = [at for at in documents.shown if documents.group_of(documents.open.items[at]) == row_found.key]
    shares = [(at, amounts[named.key](at)) for at in wanted]
    return documents_table(TracedDocuments(table, row_found, named, documents.subledger, documents.open, shares))
