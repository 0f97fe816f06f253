"""Amounts in currencies of their own, which are never added to those in another."""

from collections import defaultdict
from collections.abc import Mapping, Sequence

from level_almanac.core.lines.selected import ShownField
from level_almanac.files.tables import Table
from level_almanac.store.expressions import Constant, Expression, FieldReference, parts_of


def currencies_of(table: Table, columns: Sequence[ShownField]) -> Mapping[str, Expression]:
    """Return what tells the currencies apart of each column that adds up amounts in any, by the column's key."""
    found: dict[str, Expression] = {}
    nowhere: defaultdict[str, Expression] = defaultdict(lambda: Constant(""))
    for column in columns:
        values = list(column.ratio.parts.values()) if column.ratio else [column.value] if column.value else []
        for part in (part for value in values for part in parts_of(value, nowhere)):
            if isinstance(part, FieldReference) and not part.link and part.column in table.foreign:
                found[column.key] = FieldReference(table.foreign[part.column])
    return {key: value for key, value in found.items() if _adds(columns, key)}


def _adds(columns: Sequence[ShownField], key: str) -> bool:
    column = next(each for each in columns if each.key == key)
    return column.ratio is not None or column.summing == "sum"
