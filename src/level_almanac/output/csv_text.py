"""CSV: plain numbers, ISO dates, UTF-8, a head line and one line a row, and nothing that a spreadsheet would run."""

import csv
import io
import re
from datetime import date
from decimal import Decimal

from level_almanac.core.table.model import Cell, Column, ReportTable

_RUNS_AS_FORMULA = re.compile(r"[=+\-@\t\r]")


def csv_text(table: ReportTable) -> str:
    """Return the rows of the report as CSV; its facts, proof and notes are for the other formats."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(["key", "label", "level", "kind", *(_head(column) for column in table.columns)])
    for row in table.rows:
        cells = [_cell(row.cells.get(column.key)) for column in table.columns]
        writer.writerow([_inert(row.key), _inert(row.label), row.level, row.kind, *cells])
    return stream.getvalue()


def _head(column: Column) -> str:
    days = f" {column.first} through {column.through}" if column.first and column.through else ""
    return f"{column.label}{days}"


def _cell(cell: Cell) -> str | int:
    if cell is None:
        return ""
    if isinstance(cell, Decimal):
        return f"{cell:f}"
    if isinstance(cell, date):
        return cell.isoformat()
    return _inert(cell) if isinstance(cell, str) else cell


def _inert(text: str) -> str:
    # A bare carriage return would end the record for some readers.
    plain = text.replace("\r\n", "\n").replace("\r", "\n")
    return f"'{plain}" if _RUNS_AS_FORMULA.match(text) else plain
