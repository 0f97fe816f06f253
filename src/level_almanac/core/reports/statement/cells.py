"""The cells of a statement's rows: value columns, and the changes, variances, shares and arithmetic made of them."""

from collections.abc import Collection, Mapping, Sequence
from decimal import Decimal
from typing import NamedTuple

from level_almanac.core.columns.computing import computed, computed_cell
from level_almanac.core.columns.pairs import Column, PairedColumn
from level_almanac.core.columns.placed import PlacedColumn, shared_column
from level_almanac.core.language.columns import WHERE, ChangeColumn, ComputedColumn, ShareColumn
from level_almanac.core.language.parsing import pointed
from level_almanac.core.reports.statement.rows import StatementRow
from level_almanac.core.spans.windows import Window
from level_almanac.core.table.change import PERCENT_PLACES, Figure, change_percent, variance_percent
from level_almanac.core.table.exact import EXACT
from level_almanac.core.table.model import Cell
from level_almanac.errors import Mistake, UsageMistake, nearest


def _begins_within(column: PlacedColumn) -> bool:
    """Tell whether the data begins within a column's span, so that nothing is compared with it."""
    return isinstance(column.window, Window) and column.window.begins is not None


class CellMaker(NamedTuple):
    """Makes cells. text: the column words, for messages; stored: whether amounts are shown debit-positive."""

    shown: Sequence[Column]
    text: str
    decimals: int
    stored: bool

    def favourable(self, row: StatementRow) -> int:
        """Return what turns `of` less `over` into a variance, favourable positive."""
        return row.fav * (row.factor if self.stored else 1)

    def sign(self, row: StatementRow, other: StatementRow | None, sign: int) -> int:
        """Return the sign with which another row's cells, as shown, are added into this row's."""
        return sign * (row.factor * other.factor if self.stored and other else 1)

    def cells(self, row: StatementRow, rows: Mapping[str, StatementRow]) -> dict[str, Cell]:
        """Return a row's cells by column key. rows: all rows of its block by key and by label, for shares."""
        cells: dict[str, Cell] = {}
        exact: dict[str, Decimal | None] = {}
        for at, column in enumerate(self.shown):
            match column:
                case PlacedColumn():
                    cells[column.key] = self._value(row, column)
                case PairedColumn():
                    cells[column.key] = self._change(row, column.word, column.of, column.over)
                case ShareColumn():
                    cells[column.key] = self._share(row, column, at, rows)
                case ComputedColumn() if row.percent:
                    cells[column.key] = None
                case ComputedColumn():
                    exact[column.key] = computed(column, exact)
                    cells[column.key] = computed_cell(exact[column.key])
                    continue
            cell = cells[column.key]
            exact[column.key] = cell if isinstance(cell, Decimal) else None
        return cells

    def check_shares(self, rows: Collection[str]) -> None:
        """Raise UsageMistake for a share of a row that no block has, or without a value column.

        rows: the keys and labels of all rows of the report and of its layout.
        """
        for at, column in enumerate(self.shown):
            if isinstance(column, ShareColumn):
                shared_column(self.shown, column, at, self.text)
                if column.row not in rows:
                    raise UsageMistake(self._no_row(column, list(rows)))

    def _turn(self, row: StatementRow) -> int:
        return row.factor if self.stored and not row.percent else 1

    def _exact(self, amount: Decimal, row: StatementRow) -> Decimal:
        places = PERCENT_PLACES if row.percent else Decimal(1).scaleb(-self.decimals)
        # A turned zero would keep a minus; adding zero takes it off.
        return amount.quantize(places, context=EXACT) + 0

    def _value(self, row: StatementRow, slot: PlacedColumn) -> Cell:
        figure = row.figures.get(slot.key)
        if figure is None or not isinstance(slot.window, Window) or (row.percent and not figure.lines):
            return None
        return self._exact(self._turn(row) * figure.amount, row)

    def _change(self, row: StatementRow, word: ChangeColumn, of: PlacedColumn, over: PlacedColumn) -> Cell:
        one, other = row.figures.get(of.key), row.figures.get(over.key)
        if one is None or other is None or (word.kind == "change" and any(map(_begins_within, (of, over)))):
            return None
        if row.percent:
            # The change of a ratio is in points; in percent of itself it would mislead.
            if word.percent or not one.lines or not other.lines:
                return None
            return self._exact((one.amount - other.amount) * (row.fav if word.kind == "variance" else 1), row)
        if word.kind == "variance":
            return self._variance(row, word, one, other)
        turn = self._turn(row)
        one, other = Figure(turn * one.amount, one.lines), Figure(turn * other.amount, other.lines)
        return change_percent(one, other) if word.percent else self._exact(one.amount - other.amount, row)

    def _variance(self, row: StatementRow, word: ChangeColumn, of: Figure, over: Figure) -> Cell:
        if not word.percent:
            return self._exact(row.fav * (of.amount - over.amount), row)
        return variance_percent(of, over, row.fav)

    def _share(self, row: StatementRow, word: ShareColumn, at: int, rows: Mapping[str, StatementRow]) -> Cell:
        whole, slot = rows.get(word.row), shared_column(self.shown, word, at, self.text)
        if whole is None:
            # Another block has this row.
            return None
        part, total = row.figures.get(slot.key), whole.figures.get(slot.key)
        if part is None or total is None or row.percent or not part.lines:
            return None
        if not total.amount:
            return "n/m"
        share = EXACT.divide(part.amount * 100, total.amount)
        return share.quantize(PERCENT_PLACES, context=EXACT)

    def _no_row(self, word: ShareColumn, known: Sequence[str]) -> Mistake:
        start = max(self.text.find(word.row, word.start), 0)
        caret = pointed(self.text, start, len(word.row))
        what, allowed = "the statement shows no such row", "the key or the label of a row"
        return Mistake(what, WHERE, repr(word.row), allowed, nearest(word.row, known), shown=caret)
