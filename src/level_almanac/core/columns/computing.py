"""Arithmetic on the columns of a row, computed from figures that are not rounded yet."""

from collections.abc import Mapping
from decimal import Decimal

from level_almanac.core.language.columns import ComputedColumn
from level_almanac.core.language.formulas import value_of
from level_almanac.core.table.change import PERCENT_PLACES
from level_almanac.core.table.exact import EXACT


def computed(column: ComputedColumn, figures: Mapping[str, Decimal | None]) -> Decimal | None:
    """Return the figure of a column, not rounded; None if a column of its formula is blank or it divides by zero.

    figures: those of the columns to the left by key, not rounded.
    """
    by_name = {key.lower(): figure for key, figure in figures.items()}
    return value_of(column.formula, lambda name: figures.get(name, by_name.get(name.lower())))


def computed_cell(figure: Decimal | None) -> Decimal | None:
    """Return a computed figure as a cell, with ten decimals at most."""
    return None if figure is None else figure.quantize(PERCENT_PLACES, context=EXACT).normalize() + 0
