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
    made: Documents = report.of
    found, named = find_row(table, asked.row), find_column(table, asked.column or "open")
    amounts = {
        "amount": lambda at: made.open.items[at].signed,
        "settled": lambda at: made.open.left[at] - made.open.items[at].signed,
        "open": lambda at: made.open.left[at],
    }
    if named.key not in amounts:
        step = "name amount, settled or open"
        raise UsageMistake(Mistake("no sum of documents", "--column", repr(head_words(named)), next_step=step))
    positions = {made.subledger.key_of(made.open.items[at]): at for at in made.shown}
    if found.key in positions:
        wanted = [positions[found.key]]
    elif found.key == "total":
        wanted = made.shown
    elif found.key == "shown":
        wanted = made.shown[: made.request.top]
    else:
        wanted = [at for at in made.shown if made.group_of(made.open.items[at]) == found.key]
    shares = [(at, amounts[named.key](at)) for at in wanted]
    return documents_table(TracedDocuments(table, found, named, made.subledger, made.open, shares))
