"""The documents behind a figure of parties."""

from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.parties.report import COLUMNS, STANDING, Parties
from level_almanac.core.subledger.open_items import replay
from level_almanac.core.subledger.trace import Share, TracedDocuments, documents_table
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.pointing import find_column, find_row, head_words
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake


def parties_trace(_book: Book, report: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the documents behind a party's total; raises UsageMistake for a row or column that it lacks."""
    table = report.table
    parties: Parties = report.of
    row_found = find_row(table, asked.row)
    named = find_column(table, asked.column or next(each.key for each in table.columns if each.kind == "amount"))
    if named.kind not in ("amount", "count"):
        step = "name a column of amounts or numbers"
        raise UsageMistake(Mistake("no sum of documents", "--column", repr(head_words(named)), next_step=step))
    totals = {"total": parties.kept, "shown": parties.kept[: parties.request.top]}
    wanted = set(totals.get(row_found.key, (row_found.key,)))
    shares: list[Share] = []
    open_ = parties.open
    if named.key in STANDING:
        shares = [
            (at, left)
            for at, (item, left) in enumerate(zip(parties.open.items, parties.open.left, strict=True))
            if left and item.party in wanted and (named.key == "open" or parties.is_overdue(item))
        ]
    else:
        kinds = COLUMNS[named.key].kinds
        items = [item for party in sorted(wanted) for item in parties.by_party[party].met if item.kind in kinds]
        # By their own date, documents can be in the days that were posted after them.
        posted = max([parties.day, *(item.posted for item in items)])
        open_ = parties.open if posted == parties.day else replay(parties.subledger.chosen, posted)
        places = {item.place: at for at, item in enumerate(open_.items)}
        counted: set[tuple[str, str, str]] = set()
        for item in items:
            name = (item.entity, item.party, item.number)
            # A number over several lines is counted once.
            share = kinds[item.kind] * item.amount if named.kind == "amount" else Decimal(name not in counted)
            counted.add(name)
            shares.append((places[item.place], share))
    return documents_table(TracedDocuments(table, row_found, named, parties.subledger, open_, shares))
