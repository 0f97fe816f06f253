"""A list of groups as a flat table: one row a combination, each grouping field in a column of its own."""

from collections.abc import Mapping, Sequence
from typing import Any

from level_almanac.core.lines.selected import ShownField
from level_almanac.core.table.model import Cell, Column, ColumnKind, ReportTable, Row

_KINDS: Mapping[str, ColumnKind] = {"date": "date", "whole": "count", "quantity": "number"}


def flattened(
    table: ReportTable,
    by: Sequence[ShownField],
    members: Mapping[str, tuple[Any, ...]],
    names: Sequence[Mapping[str, str]],
) -> ReportTable:
    """Return the table with the smallest groups alone, the codes of their members and the names of these side by side.

    The first field stands where labels do. members: by the key of a row, one for each field, that of all other its
    words; names: of each field, by code, where it has any.
    """
    first, *others = by
    columns = [_name_column(first)] if names[0] else []
    for field, named in zip(others, names[1:], strict=True):
        columns.append(Column(field.key, field.label, _KINDS.get(field.kind, "text"), adds=False))
        columns += [_name_column(field)] if named else []
    rows = [_row(row, by, members[row.key], names) for row in table.rows if row.kind == "line" and row.key in members]
    return table._replace(
        rows=tuple(rows), columns=(*columns, *table.columns), key_label=first.label, show_keys=False, flat=True
    )


def _name_column(field: ShownField) -> Column:
    return Column(f"{field.key}-name", f"{field.label} name", "text", adds=False)


def _row(row: Row, by: Sequence[ShownField], members: Sequence[Any], names: Sequence[Mapping[str, str]]) -> Row:
    cells: dict[str, Cell] = {}
    for place, (field, member, named) in enumerate(zip(by, members, names, strict=True)):
        if place:
            cells[field.key] = member
        if named:
            cells[f"{field.key}-name"] = named.get(str(member))
    label = "" if members[0] is None else str(members[0])
    return row._replace(label=label, level=0, cells=cells | dict(row.cells), adds=())
