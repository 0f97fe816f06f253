"""What is drawn of a list in columns: each member's first column, beside the one that it is compared with."""

from collections.abc import Sequence
from decimal import Decimal
from typing import Literal

from level_almanac.core.columns.pairs import PairedColumn
from level_almanac.core.columns.placed import PlacedColumn
from level_almanac.core.columns.table_columns import TableColumns
from level_almanac.core.spans.windows import Window
from level_almanac.core.table.chart_data import Bar, Bars, BarsChart, Place
from level_almanac.core.table.model import Cell, Column, Row


def bars_of(made: TableColumns, heads: Sequence[Column], rows: Sequence[Row]) -> BarsChart | None:
    """Return the chart of a list in columns, a panel for each of its outermost groups where it has several levels."""
    slots = [slot for slot in made.slots if isinstance(slot.window, Window)]
    if not slots or not made.measured.by:
        return None
    first = slots[0]
    beside, change, rate = _compared(made, first, slots)
    by_key = {head.key: head for head in heads}
    drawn = [each.key for each in (first, beside) if each is not None] + [key for key in (change, rate) if key]
    undrawn = tuple(_named(head) for head in heads if head.key not in drawn)
    measure = made.measure_of_slot(first)
    unit: Literal["", "currency"] = "currency" if measure.kind == "amount" else ""
    panels = tuple(_panels(made, rows, (first.key, beside.key if beside else "", change, rate)))
    if not panels:
        return None
    words = [_words(by_key[each.key]) if each is not None else "" for each in (first, beside)]
    named = tuple(by_key[key].label if key else "" for key in (change, rate))
    ratio = measure.kind == "ratio" and not measure.percent
    return BarsChart(words[0], words[1], unit, measure.percent, panels, "", undrawn, (named[0], named[1]), ratio)


def _words(head: Column) -> str:
    return ": ".join(part for part in (_named(head), head.covers) if part)


def _named(head: Column) -> str:
    return f"{head.group} {head.label}" if head.group else head.label


def _compared(
    made: TableColumns, first: PlacedColumn, slots: Sequence[PlacedColumn]
) -> tuple[PlacedColumn | None, str, str]:
    """Return the column that the first one is compared with, if any is, and the keys of its change and that in %."""
    pairs = [each for each in made.columns if isinstance(each, PairedColumn) and first in (each.of, each.over)]
    beside = next((each.over if each.of == first else each.of for each in pairs), None)
    if beside is None:
        same = [slot for slot in slots[1:] if slot.measure == first.measure]
        return (same[0] if same else None), "", ""
    keys = {each.word.percent: each.key for each in reversed(pairs) if beside in (each.of, each.over)}
    return beside, keys.get(False, ""), keys.get(True, "")


def _panels(made: TableColumns, rows: Sequence[Row], keys: tuple[str, str, str, str]) -> list[Bars]:
    deepest = len(made.measured.by) - 1
    panels: dict[str, tuple[str, list[Bar], list[Bar]]] = {}
    path: list[str] = []
    for row in rows:
        if row.kind == "heading":
            path = [*path[: row.level], row.label]
        elif row.kind == "line" and row.level == deepest:
            name = ", ".join(path[:deepest])
            _, bars, others = panels.setdefault(name, (name, [], []))
            # Rows after all other have no member.
            (others if others or row.told_kind == "all-other" else bars).append(_bar(row, keys))
    return [Bars(name, tuple(bars), tuple(others)) for name, bars, others in panels.values()]


def _bar(row: Row, keys: tuple[str, str, str, str]) -> Bar:
    now, before, change = (_number(row.cells.get(key)) for key in keys[:3])
    rate = row.cells.get(keys[3])
    told = rate if isinstance(rate, Decimal | str) else None
    return Bar(row.label, now, before, change, told, Place(row.key, keys[0], keys[1]))


def _number(cell: Cell) -> Decimal | None:
    return Decimal(cell) if isinstance(cell, Decimal | int) else None
