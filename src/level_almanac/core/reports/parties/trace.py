"""The documents behind a figure of parties."""

from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.parties.report import COLUMNS, IS_OVERDUE, STANDING, Parties
from level_almanac.core.settlements.item import SIGN_OF
from level_almanac.core.subledger.open_on_day import IS_OPEN
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.pointing import find_column, find_row, head_words
from level_almanac.core.trace.documents import Share, TracedDocuments, documents_table
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.store.predicate import FieldTest


def parties_trace(_book: Book, report: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the documents behind a party's total; raises UsageMistake for a row or column that it lacks."""
    table = report.table
    parties: Parties = report.of
    row_found = find_row(table, asked.row)
    named = find_column(table, asked.column or next(each.key for each in table.columns if each.kind == "amount"))
    beside = parties.subledger.beside
    if named.kind not in ("amount", "count") or (
        named.key in beside.names and named.key not in (*beside.sums, *COLUMNS)
    ):
        step = "name a column of amounts or numbers"
        raise UsageMistake(Mistake("no sum of documents", "--column", repr(head_words(named)), next_step=step))
    totals = {"total": parties.kept, "shown": parties.kept[: parties.request.top]}
    # A line is one of its party, whose lines are asked for.
    of_line = parties.party_of_line.get(row_found.key)
    if of_line is not None and row_found.cells.get(named.key) is None:
        step = "name a column that this line has a figure in, or the total of its party"
        raise UsageMistake(Mistake("the figure is blank", "--column", repr(head_words(named)), next_step=step))
    wanted = set(totals.get(row_found.key, (of_line or row_found.key,)))
    shares: list[Share] = []
    of_parties = FieldTest("party", "is", tuple(sorted(wanted)))
    open_ = parties.open
    if named.key in STANDING:
        overdue = [IS_OVERDUE] if named.key == "overdue" else []
        shares = [(each.item, each.left) for each in open_.items([IS_OPEN, of_parties, *overdue])]
    else:
        by_itself = named.key in beside.sums
        kinds = SIGN_OF if by_itself else COLUMNS[named.key].kinds
        subledger, within = parties.subledger, FieldTest(parties.counting, "through", parties.days)
        of_kinds = FieldTest("kind", "is", tuple({kind.partition(" ")[0] for kind in kinds}))
        found = subledger.items([subledger.chosen, subledger.met, within, of_parties, of_kinds])
        items = sorted((item for item in found if item.counted_kind in kinds), key=lambda item: item.party)
        # By their own date, documents can be in the days that were posted after them.
        open_ = subledger.open_on(max([parties.day, *(item.posted for item in items)]))
        counted: set[tuple[str, str, str]] = set()
        for item in items:
            name = (item.entity, item.party, item.number)
            # A number over several lines is counted once.
            share = kinds[item.counted_kind] * item.amount if named.kind == "amount" else Decimal(name not in counted)
            share = subledger.share_of(item, named.key) if by_itself else share
            counted.add(name)
            if of_line is None or subledger.key_of(item) == row_found.key:
                shares.append((item, share))
    return documents_table(TracedDocuments(table, row_found, named, parties.subledger, open_, shares))
