"""How the columns of a list are asked of the store, and what their cells are made of and look like."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal
from types import MappingProxyType
from typing import Any

from level_almanac.core.language.formulas import value_of
from level_almanac.core.lines.folding import added_up, alone, folded
from level_almanac.core.lines.natural_signs import by_side, joined_sides, sides_of
from level_almanac.core.lines.selected import ShownField, average_parts, averaged_value, summing_of
from level_almanac.core.table.exact import EXACT, rounded
from level_almanac.core.table.model import Cell, Column, ColumnKind
from level_almanac.store.expressions import Expression, Keyed
from level_almanac.store.line_query import Asked, Summing

_ZERO = Decimal(0)
_MOST_DECIMALS = 6
_PRICE_DECIMALS = 4
"""Of an average price: a hundredth of a cent, as fuel or power is told in."""
_COLUMN_KINDS: dict[str, ColumnKind] = {
    "amount": "amount",
    "quantity": "number",
    "whole": "count",
    "date": "date",
    "text": "text",
    "period": "text",
}


class CellPlan:
    """Which values are asked of the store for some columns, and how a cell is made of them.

    measure: a further value that is summed, for a proof.
    apart: by the key of a column the currency of its amounts, which are summed only if it is the same.
    is_split: returns whether a value is an amount in natural signs, summed by side.
    """

    def __init__(
        self,
        columns: Sequence[ShownField],
        measure: Expression | None = None,
        apart: Mapping[str, Expression] = MappingProxyType({}),
        is_split: Callable[[Expression], bool] = lambda _: False,
    ) -> None:
        self.asked: list[Asked] = []
        self.places: dict[str, tuple[int, ...]] = {}
        self.widths: dict[str, tuple[int, ...]] = {}
        for column in columns:
            split = [
                by_side(each) if each.summing == "sum" and is_split(each.value) else (each,)
                for each in _asked_for(column)
            ]
            self.places[column.key] = tuple(self._ask(each) for parts in split for each in parts)
            self.widths[column.key] = tuple(map(len, split))
        self.averaged = {
            column.key: (column.label, self._ask(Asked(averaged_value(column), "count")))
            for column in columns
            if column.aggregate == "average"
        }
        self.measure = self._ask(Asked(measure)) if measure is not None else None
        self.currencies = {
            key: (self._ask(Asked(value, "minimum")), self._ask(Asked(value, "maximum")))
            for key, value in apart.items()
        }

    def _ask(self, asked: Asked) -> int:
        if asked not in self.asked:
            self.asked.append(asked)
        return self.asked.index(asked)

    def amount(self, sums: Sequence[Any]) -> Decimal:
        """Return what the lines come to in a proof."""
        return _ZERO if self.measure is None or sums[self.measure] is None else Decimal(sums[self.measure])

    def cell(self, column: ShownField, lines_: int, sums: Sequence[Any]) -> Cell:
        """Return the cell of a group."""
        places = self.places[column.key]
        if column.key in self.currencies:
            low, high = self.currencies[column.key]
            if sums[low] != sums[high]:
                return None
        if column.aggregate == "count" and not places:
            return lines_
        values = joined_sides([added_up(sums[place]) for place in places], self.widths[column.key])
        return value_made(column, list(values))

    def result(self, column: ShownField, sums: Sequence[Any]) -> Decimal | None:
        """Return credits less debits of a cell that is blank, because both have natural amounts; None if it is not."""
        if self.widths[column.key] != (2,):
            return None
        credit, debit = sides_of([sums[place] for place in self.places[column.key]])
        return credit - debit if credit and debit else None

    def folded(self, groups_: Sequence[Sequence[Any]]) -> tuple[Any, ...]:
        """Return the sums of some groups together, each as the store gave them."""
        return tuple(
            folded(asked.summing, [sums[number] for sums in groups_]) for number, asked in enumerate(self.asked)
        )

    def alone(self, values: Sequence[Any]) -> tuple[Any, ...]:
        """Return the values of one line by itself as those of a group."""
        return tuple(alone(asked.summing, value) for asked, value in zip(self.asked, values, strict=True))


def _asked_for(column: ShownField) -> Iterator[Asked]:
    if column.ratio is not None:
        for part in column.ratio.parts.values():
            yield _adding(part, summing_of(part))
    elif column.aggregate == "average":
        yield from average_parts(column)
    elif column.value is not None and column.total_value is not None:
        yield _adding(column.total_value, column.summing)


def _adding(value: Expression, summing: Summing) -> Asked:
    return Asked(Keyed(value) if summing == "once" else value, summing)


def value_made(column: ShownField, values: Sequence[Any]) -> Cell:
    """Return the cell of a column that these values of what it is asked for make."""
    if column.ratio is not None:
        parts = dict(zip(column.ratio.parts, values, strict=True))
        return value_of(column.ratio.formula, lambda name: None if parts[name] is None else Decimal(parts[name]))
    if column.aggregate == "average":
        total, count = values
        return EXACT.divide(Decimal(total), Decimal(count)) if count and total is not None else None
    value: Cell = values[0]
    return value


def column_of(column: ShownField, cells: Sequence[Cell], decimals: int) -> Column:
    """Return the column, with as many decimals as its cells need. decimals: of amounts at least."""
    kind = _COLUMN_KINDS[column.kind]
    places = 0
    if kind in ("amount", "number"):
        needed = max((_places(cell) for cell in cells if isinstance(cell, Decimal)), default=0)
        # What divides has no last decimal; two tell enough.
        endless = column.ratio is not None or column.aggregate == "average"
        least = decimals if kind == "amount" or column.is_price else 0
        places = max(least, (_PRICE_DECIMALS if column.is_price else 2) if endless else needed)
    adds = column.ratio is None and column.aggregate in ("", "sum", "count") and column.summing != "once"
    return Column(column.key, column.label, kind, min(places, _MOST_DECIMALS), adds=adds)


def _places(number: Decimal) -> int:
    return max(-int(number.normalize().as_tuple().exponent), 0)


def tidied(cell: Cell, column: Column) -> Cell:
    """Return an amount with as many decimals as its column has, where it is no longer than that."""
    if isinstance(cell, Decimal) and column.kind == "count":
        return int(cell)
    if isinstance(cell, Decimal):
        if _places(cell) <= column.decimals:
            return rounded(cell, column.decimals)
        return cell
    if isinstance(cell, date) or cell is None or isinstance(cell, str):
        return cell
    return Decimal(cell) if column.kind in ("amount", "number") else int(cell)
