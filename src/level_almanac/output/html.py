"""HTML: one file that needs no network, whose levels fold and which prints well."""

import base64
from decimal import Decimal
from typing import TYPE_CHECKING, Any

from level_almanac.core.table.exact import exact_text
from level_almanac.core.table.model import Cell, Column, ReportTable, Row
from level_almanac.output.logo import png_of
from level_almanac.output.template import template
from level_almanac.output.terminal import page_lines
from level_almanac.output.text import (
    figure_words,
    group_runs,
    is_negative,
    mark_words,
    notes,
    prepared_words,
    proof_lines,
)

if TYPE_CHECKING:
    from level_almanac.output.drawing import Draw, Picture

_PRINTED_COLUMNS = 8
"""Columns from which a page is turned and its type made smaller."""
_LONG_LABEL = 48
"""Letters from which a label goes on on a line below."""


def html(table: ReportTable, *, sortable: bool = False, draw: "Draw | None" = None) -> str:
    """Return the report as one HTML page. sortable: whether each cell tells what it is put in order by; draw: draws its
    chart.
    """
    page, wide = table.look.page, len(table.columns) >= _PRINTED_COLUMNS
    within = folds(table.rows)
    foldable = {name for names in within.values() for name in names}
    linked = {row.key for each in table.traced_lines for row in each.rows if row.kind == "subtotal"}
    orientation = page.orientation if page.orientation != "auto" else "landscape" if wide else "portrait"
    below = [("proof", *line) for line in proof_lines(table)]
    below += [("note", line, False) for line in notes(table)]
    prepared = f"{prepared_words(table.look)} {table.look.prepared:%H:%M}" if table.look.prepared else ""
    made: str = template("report.html.j2").render(
        title=table.title,
        over=page.title,
        facts=[line for line in page_lines(table) if line != page.title],
        logo=_logo(table),
        chart=_picture(table, draw),
        heads=[_head(column) for column in table.columns],
        key_label=table.key_label,
        grouped=_grouped(table),
        keys=table.show_keys,
        rows=[
            _row(row, table, within[row.key], foldable, linked)
            | ({"sorts": [_sort(row.cells.get(each.key)) for each in table.columns]} if sortable else {})
            for row in table.rows
        ],
        behind=[_behind(each, table) for each in table.traced_lines],
        sheets=[_sheet(each, number) for number, each in enumerate(table.all_sheets[1:], 1)],
        width=len(table.columns) + 1 + table.show_keys,
        levels=max((row.level for row in table.rows if f"{row.key}" in foldable), default=-1) + 2,
        below=below,
        stand=[words for words in (page.header, page.footer, prepared) if words],
        paper={"a4": "A4", "a3": "A3"}.get(page.paper, page.paper),
        orientation=orientation,
        margins=page.margins,
        print_size=page.font_size - 2 * (len(table.columns) > _PRINTED_COLUMNS),
    )
    return made


def _picture(table: ReportTable, draw: "Draw | None") -> str:
    """Return the report's own chart, as the source of an image, or nothing where it has none."""
    if table.chart is None:
        return ""
    from level_almanac.output.drawing import drawn_here

    svg = (draw or drawn_here)(picture_of(table))
    return f"data:image/svg+xml;base64,{base64.b64encode(svg).decode('ascii')}"


def picture_of(table: ReportTable) -> "Picture":
    """Return the chart that stands on the page of a report."""
    from level_almanac.output.drawing import Picture

    return Picture(table, "svg", bare=True)


def _sheet(sheet: ReportTable, number: int) -> dict[str, Any]:
    """Return a sheet that belongs to the report, as a table of its own after it."""
    made = _behind(sheet, sheet, f"sheet{number}-")
    below = [*made["below"], *(("note", line, False) for line in notes(sheet))]
    return made | {"facts": page_lines(sheet), "show_keys": sheet.show_keys, "below": below}


def _behind(lines: ReportTable, table: ReportTable, prefix: str = "behind-") -> dict[str, Any]:
    """Return the lines behind the report's figures, as a second table whose groups are what the figures link to."""
    within = folds(lines.rows)
    foldable = {name for names in within.values() for name in names}
    dressed = lines._replace(look=table.look)
    return {
        "title": lines.title,
        "heads": [_head(column) for column in lines.columns],
        "grouped": _grouped(lines),
        "key_label": lines.key_label,
        "rows": [_row(row, dressed, within[row.key], foldable, set(), prefix) for row in lines.rows],
        "below": [("proof", *line) for line in proof_lines(dressed)],
    }


def _grouped(table: ReportTable) -> list[tuple[str, int]]:
    """Return the heads over several columns, each with how many it stands over; none where no column has one."""
    runs = group_runs(table.columns)
    return [(head, last - first) for head, first, last in runs] if any(head for head, _, _ in runs) else []


def _head(column: Column) -> dict[str, Any]:
    return {
        "label": column.label,
        "below": [words for words in (column.covers, column.extent) if words],
        "align": "text" if column.kind == "text" else "",
    }


def folds(rows: tuple[Row, ...]) -> dict[str, list[str]]:
    """Return per row the keys of the headings that it lies within, those only that have a total to stand for them."""
    totals = {row.key for row in rows if row.kind in ("subtotal", "total")}
    within: dict[str, list[str]] = {}
    open_headings: list[Row] = []
    for row in rows:
        while open_headings and (row.level <= open_headings[-1].level or row.key == open_headings[-1].group):
            open_headings.pop()
        within[row.key] = [heading.key for heading in open_headings if heading.group in totals]
        if row.kind == "heading":
            open_headings.append(row)
    return within


def _row(
    row: Row, table: ReportTable, within: list[str], foldable: set[str], linked: set[str], prefix: str = ""
) -> dict[str, Any]:
    """Return one row for the template. linked: the rows with lines behind them; prefix: of the names that fold."""
    links = f"behind-{_name(row.key)}" if row.key in linked else ""
    return {
        "kind": row.kind,
        "level": row.level,
        "key": row.key,
        "code": row.key if row.kind == "line" else "",
        "label": row.label,
        # A group, or a heading without figures, has the line to itself.
        "spans": row.kind == "group" or (row.kind == "heading" and not row.cells),
        "long": len(row.label) > _LONG_LABEL,
        "name": prefix + _name(row.group),
        "within": " ".join(prefix + _name(key) for key in within),
        "folds": prefix + _name(row.key) if row.key in foldable else "",
        "cells": [_cell(row, column, table) | {"link": links} for column in table.columns],
    }


def _sort(cell: Cell) -> str:
    """Return what a cell is put in order by, as a script reads it."""
    return "" if cell is None else exact_text(cell) if isinstance(cell, Decimal) else str(cell)


def _name(key: str) -> str:
    # Names stand in a list with spaces between, which a key may hold itself.
    return "".join(letter if letter.isalnum() or letter in "-_" else f".{ord(letter):x}." for letter in key)


def _cell(row: Row, column: Column, table: ReportTable) -> dict[str, str]:
    cell = row.cells.get(column.key)
    looks = ["text"] if column.kind == "text" else []
    if cell is not None and not isinstance(cell, str) and not cell:
        looks.append("zero")
    if table.look.style.negatives == "red" and is_negative(cell, column, row, table):
        looks.append("red")
    words = figure_words(cell, column, row, table).strip()
    return {"words": words, "look": " ".join(looks), "mark": mark_words(column, row, table).strip()}


def _logo(table: ReportTable) -> str:
    logo = table.look.logo
    if logo is None:
        return ""
    return f"data:image/png;base64,{base64.b64encode(png_of(logo)).decode('ascii')}"
