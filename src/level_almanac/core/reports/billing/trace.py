"""The entries behind a figure of billing (docs/trace.md)."""

from dataclasses import replace
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.reports.billing.report import Billing
from level_almanac.core.reports.billing.transit import FIGURES
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.table.model import Check, ReportTable
from level_almanac.core.table.pointing import find_column, find_row, head_words
from level_almanac.core.trace.frame import behind
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake


def billing_trace(book: Book, report: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the entries behind one figure. Raises UsageMistake where none or several are meant."""
    made: Billing = report.of[0]
    request, row_name, column_name = made.request, asked.row, asked.column
    if request.lines:
        made = Billing(book, replace(request, lines=False))
    table, rows = made.made() if request.lines else (report.table, report.of[1])
    row = find_row(table, row_name)
    usual = "net" if any(column.key == "net" for column in table.columns) else "charge"
    column = find_column(table, column_name or usual)
    if column.key not in (*FIGURES, "net", "entries", "count"):
        raise UsageMistake(Mistake("this column is no sum of entries", "--column", repr(column.key)))
    members = () if row.key == "total" else rows.members.get(row.key, ())
    grouped = [by for by in made.by if by.key != "in-transit"]
    if request.view == "in-transit" and (members or row.kind == "line"):
        raise UsageMistake(Mistake("these entries are listed already", "--row", repr(row_name)))
    inner = replace(
        request,
        show="",
        by="",
        lines=True,
        within=tuple((by.key, member) for by, member in zip(grouped, members, strict=False)),
        kinds=(column.key,) if column.key in FIGURES else (),
    )
    found, _ = Billing(book, inner).made()
    key = column.key if column.key in FIGURES else usual
    traced_amount = found.rows[-1].cells.get(key) or Decimal(0)
    counted = found.proof.shown.lines if found.proof else 0
    holds = (
        counted == row.cells.get("count")
        if column.key == "count"
        else traced_amount == (row.cells.get(column.key) or Decimal(0))
    )
    check = Check(
        "the entries sum to the figure" if holds else f"the entries sum to the figure: {traced_amount}", holds
    )
    proof = found.proof._replace(checks=(*found.proof.checks, check)) if found.proof else None
    return behind(table, row, head_words(column), found._replace(proof=proof))
