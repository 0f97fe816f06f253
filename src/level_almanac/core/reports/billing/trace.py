"""The entries behind a figure of billing (docs/trace.md)."""

from dataclasses import replace
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.reports.billing.day import BilledDay
from level_almanac.core.reports.billing.report import Billing, BillingRequest
from level_almanac.core.reports.billing.transit import FIGURES
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.table.model import Check, Column, ReportTable, Row
from level_almanac.core.table.pointing import find_column, find_row, head_words
from level_almanac.core.trace.frame import behind
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake


def billing_trace(book: Book, report: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the entries behind one figure. Raises UsageMistake where none or several are meant."""
    if isinstance(report.of, BilledDay):
        return _of_day(book, report.table, report.of, asked)
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
    within = tuple((by.key, member) for by, member in zip(grouped, members, strict=False))
    entries = _Entries(book, request, column.key, within)
    return entries.behind(table, row, column, usual)


def _of_day(book: Book, table: ReportTable, day: BilledDay, asked: TraceRequest) -> ReportTable:
    """Return the entries behind a figure of a day's document."""
    row, column = find_row(table, asked.row), find_column(table, asked.column or "day")
    billing = next(span.billing for span in day.spans if span.key == column.key)
    if billing is None:
        raise UsageMistake(Mistake("this column has no days", "--column", repr(column.label)))
    return _Entries(book, billing.request, row.key, ()).behind(table, row, column, "net")


class _Entries(NamedTuple):
    """The entries of a figure. kind: that of the figure, `net` or `count`; within: the group that it stands in."""

    book: Book
    request: BillingRequest
    kind: str
    within: tuple[tuple[str, Any], ...]

    def behind(self, table: ReportTable, row: Row, column: Column, usual: str) -> ReportTable:
        """Return the entries, held against the figure. usual: what else than a kind's own figure they are summed by."""
        kinds = (self.kind,) if self.kind in FIGURES else ()
        inner = replace(self.request, show="", by="", lines=True, within=self.within, kinds=kinds)
        found, _ = Billing(self.book, inner).made()
        traced_amount = found.rows[-1].cells.get(self.kind if kinds else usual) or Decimal(0)
        counted = found.proof.shown.lines if found.proof else 0
        cell = row.cells.get(column.key)
        holds = counted == cell if self.kind == "count" else traced_amount == (cell or Decimal(0))
        check = Check(
            "the entries sum to the figure" if holds else f"the entries sum to the figure: {traced_amount}", holds
        )
        proof = found.proof._replace(checks=(*found.proof.checks, check)) if found.proof else None
        return behind(table, row, head_words(column), found._replace(proof=proof))
