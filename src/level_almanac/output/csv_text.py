"""CSV: plain numbers, ISO dates, UTF-8, a head line and one line a row, and nothing that a spreadsheet would run."""

import csv
import io
from datetime import date
from decimal import Decimal

from level_almanac.core.table.exact import exact_text
from level_almanac.core.table.model import Cell, Column, ReportTable
from level_almanac.shown_text import inert


def csv_text(table: ReportTable) -> str:
    """Return the rows of the report as CSV; its facts, proof and notes are for the other formats."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(_heads(table))
    for row in table.rows:
        cells = [_cell(row.cells.get(column.key)) for column in table.columns]
        front = [inert(row.label)] if table.flat else [inert(row.key), inert(row.label), row.level, row.told_kind]
        writer.writerow([*front, *cells])
    return stream.getvalue()


def _heads(table: ReportTable) -> list[str]:
    """Return the heads, each once: one that stands twice has its column's key behind it."""
    told = [inert(table.key_label)] if table.flat else ["key", "label", "level", "kind"]
    heads = [_head(column) for column in table.columns]
    for head, column in zip(heads, table.columns, strict=True):
        alone = (*told, *heads).count(head) == 1
        told.append(head if alone else f"{head} ({column.key})")
    return told


def _head(column: Column) -> str:
    days = f" {column.first} through {column.through}" if column.first and column.through else ""
    over = f"{column.group}: " if column.group else ""
    return inert(f"{over}{column.label}{days}")


def _cell(cell: Cell) -> str | int:
    if cell is None:
        return ""
    if isinstance(cell, Decimal):
        return exact_text(cell)
    if isinstance(cell, date):
        return cell.isoformat()
    return inert(cell) if isinstance(cell, str) else cell
