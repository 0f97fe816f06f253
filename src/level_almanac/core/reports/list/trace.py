"""The lines behind one group of a list."""

from dataclasses import replace

from level_almanac.core.book import Book
from level_almanac.core.lines.shape import MadeRows
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.list.report import Listing
from level_almanac.core.table.model import Check, ReportTable
from level_almanac.core.table.pointing import find_column, find_row
from level_almanac.core.trace.frame import behind
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake


def list_trace(book: Book, listing: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the lines behind one row of a list in groups, and whether they sum to its figures; of a list in columns
    those behind one figure.

    Raises UsageMistake for a row that the list lacks or that is a line itself.
    """
    row_name, table = asked.row, listing.table
    if not isinstance(listing.of, tuple):
        from level_almanac.core.reports.list.columned_trace import columned_trace

        return columned_trace(book, table, listing.of, asked)
    if asked.column:
        # One trace tells all columns of a row, so that a column only has to be there.
        find_column(table, asked.column)
    whole: Listing = listing.of[0]
    rows: MadeRows = listing.of[1]
    request = whole.request
    row = find_row(table, row_name)
    members = () if row.key == "total" else rows.members.get(row.key)
    if members is None:
        raise UsageMistake(Mistake("this row is a line itself", "--row", repr(row_name), next_step="name a group"))
    if len(members) < len(whole.by) and whole.limits:
        what, step = "a total of groups that a threshold picked", "trace its groups one by one"
        raise UsageMistake(Mistake(what, "--row", repr(row_name), next_step=step))
    within = tuple(zip(whole.by, members, strict=False))
    each = tuple(limit for limit in request.thresholds if limit.each)
    sums = [
        column
        for column in whole.shown
        if column.summing == "sum" and column.aggregate in ("", "sum") and column.ratio is None
    ]
    inner_request = replace(request, by="", sort="", show="", lines=False, thresholds=each, first_rows=asked.first)
    inner = Listing(book, inner_request, within, tuple(sums), whole.labels.asked)
    lines, _ = inner.made()
    total = lines.rows[-1]
    off = [each.label for each in sums if (total.cells.get(each.key) or 0) != (row.cells.get(each.key) or 0)]
    words = "the lines sum to the figures" if sums else "no figure of the row is a sum of its lines"
    check = Check(words if not off else f"{words}: not to {', '.join(off)}", not off)
    proof = lines.proof._replace(checks=(*lines.proof.checks, check)) if lines.proof else None
    return behind(table, row, "", lines._replace(proof=proof))
