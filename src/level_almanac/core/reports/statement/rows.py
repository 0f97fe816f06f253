"""The rows of a statement, from an arranged layout and its figures (docs/layouts.md)."""

from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from types import MappingProxyType
from typing import NamedTuple

from level_almanac.core.accounts import Account, ChartOfAccounts
from level_almanac.core.columns.placed import PlacedColumn
from level_almanac.core.language.formulas import Formula, names_in, signed_names, value_of
from level_almanac.core.reports.statement.arrangement import EARLIER, RESULT, RESULTS, ArrangedRow, Arrangement
from level_almanac.core.reports.statement.figures import Block, Figures
from level_almanac.core.spans.windows import Window
from level_almanac.core.table.change import Figure
from level_almanac.core.table.model import RowKind, heading_key
from level_almanac.files.layouts import RowMeasure

_RESULT_LABELS = {EARLIER: "Earlier results not transferred", RESULT: "Result of the year"}
_ZERO = Decimal(0)


class StatementRow(NamedTuple):
    """One row in the making. figures: by slot, as shown; leaf: whether it is accounts of its own, not the sum of other
    rows; factor: from stored amounts to shown ones; adds: the rows it is the sum of, each with a sign; source: the
    layout's row that it belongs to; codes: the accounts it is of, where it is not made of other rows.
    """

    key: str
    label: str
    level: int
    kind: RowKind
    figures: Mapping[str, Figure] = MappingProxyType({})
    leaf: bool = False
    factor: int = 1
    fav: int = 1
    percent: bool = False
    adds: tuple[tuple[int, str], ...] = ()
    source: ArrangedRow | None = None
    codes: tuple[str, ...] = ()


class RowMaker:
    """Makes the rows of one block. level: how deep account trees are shown; folded: the rows shown as one line."""

    def __init__(
        self,
        arrangement: Arrangement,
        chart: ChartOfAccounts,
        figures: Figures,
        block: Block,
        level: int | None = None,
        folded: frozenset[str] = frozenset(),
    ) -> None:
        self.arrangement, self.chart, self.figures, self.block = arrangement, chart, figures, block
        self.level, self.folded = level, folded
        self.slots = [
            slot for slot in figures.slots if isinstance(slot, PlacedColumn) and isinstance(slot.window, Window)
        ]
        self._by_key = {row.key: row for row in arrangement.rows}
        # A statement can have hundreds of columns, and a row is asked for by many others.
        self._totals: dict[str, dict[str, Figure]] = {}

    def rows(self) -> Iterator[StatementRow]:
        """Yield the rows in the layout's order, and last what no row takes."""
        totals = {row.key: self._of(row.key) for row in self.arrangement.rows}
        keys_shown: dict[str, tuple[tuple[int, str], ...]] = {}
        for row in self.arrangement.rows:
            if row.row.only_with and row.row.only_with not in keys_shown:
                continue
            made = list(self._made(row, totals, keys_shown))
            if made:
                keys_shown[row.key] = ((1, row.key),)
            yield from made
        left = self.arrangement.not_placed
        figures = self._sum(left, -1 if self.arrangement.layout.scope == "income" else 1)
        if any(figure.lines for figure in figures.values()):
            factor = -1 if self.arrangement.layout.scope == "income" else 1
            words = "Accounts that no row takes"
            yield StatementRow("not-placed", words, 0, "line", figures, leaf=True, factor=factor, codes=tuple(left))

    def _made(
        self, row: ArrangedRow, totals: Mapping[str, Mapping[str, Figure]], shown: Mapping[str, object]
    ) -> Iterator[StatementRow]:
        settings, key = row.row, row.key
        if settings.blank:
            yield StatementRow(key, "", settings.level, "blank")
        elif row.roots or row.codes or settings.results or settings.classes:
            yield from self._accounts(row, totals[key])
        elif settings.sum_of or row.formula:
            label = settings.label or key
            kind: RowKind = settings.kind or ("line" if settings.ratio else "subtotal")
            signed = [(1, name) for name in settings.sum_of]
            if row.formula and not settings.ratio:
                signed = signed_names(row.formula) or []
            adds = tuple((sign, name) for sign, name in signed if name in shown)
            yield StatementRow(
                key,
                label,
                settings.level,
                kind,
                totals[key],
                factor=row.factor,
                fav=row.fav,
                percent=bool(settings.ratio),
                adds=adds,
                source=row,
            )
        else:
            yield StatementRow(heading_key(key), settings.heading, settings.level, "heading")

    def _accounts(self, row: ArrangedRow, total: Mapping[str, Figure]) -> Iterator[StatementRow]:
        """Yield the row of some accounts: their sum alone, or each of them between a heading and a total."""
        settings, key, level = row.row, row.key, row.row.level
        label = settings.label or settings.heading
        alone = settings.show == "sum" and not settings.results
        if alone or key in self.folded:
            kind: RowKind = settings.kind or "line"
            total_row = StatementRow(
                key, label, level, kind, total, leaf=not settings.memo, factor=row.factor, fav=row.fav
            )
            yield total_row._replace(source=row, codes=row.taken)
            return
        members = list(self._members(row))
        if not members:
            return
        rows = [member for member, _ in members]
        if settings.heading:
            yield StatementRow(heading_key(key), settings.heading, level, "heading")
        yield from rows
        if settings.heading:
            words = settings.total or f"Total {settings.heading[:1].lower()}{settings.heading[1:]}"
            adds = tuple((1, member.key) for member, outer in members if outer)
            kind = settings.kind or "subtotal"
            total_row = StatementRow(key, words, level, kind, total, factor=row.factor, fav=row.fav, adds=adds)
            yield total_row._replace(source=row, codes=row.taken)

    def _members(self, row: ArrangedRow) -> Iterator[tuple[StatementRow, bool]]:
        """Yield the rows between a heading and its total, each with whether it is part of that total by itself."""
        settings, indent = row.row, row.row.level + (1 if row.row.heading else 0)
        if settings.show == "tree":
            roots: Sequence[Account] = [root for root in row.roots if self._has_lines(row, root.code)]
            if len(roots) == 1 and self._opens(roots[0]) and not self._lines(self._own(row, [roots[0].code])):
                # The heading and total say what those of the only root would say.
                roots = self.chart.children(roots[0].code)
            for root in roots:
                yield from self._branch(row, root, indent)
        elif settings.show == "each":
            for code in row.codes:
                own = self._own(row, [code])
                if self._lines(own):
                    yield self._line(row, code, self.chart[code].name, indent, own, [code]), True
        if settings.results:
            for code in RESULTS:
                own = self._own(row, [code])
                if self._lines(own):
                    yield self._line(row, code, _RESULT_LABELS[code], indent, own, [code]), True

    def _line(
        self, row: ArrangedRow, key: str, label: str, level: int, figures: Mapping[str, Figure], codes: Sequence[str]
    ) -> StatementRow:
        leaf = not row.row.memo
        made = StatementRow(key, label, level, "line", figures, leaf=leaf, factor=row.factor, fav=row.fav)
        return made._replace(source=row, codes=tuple(codes))

    def _branch(self, row: ArrangedRow, account: Account, indent: int) -> Iterator[tuple[StatementRow, bool]]:
        if not self._has_lines(row, account.code):
            return
        codes = self.chart.below(account.code)
        figures = self._own(row, codes)
        if not self._opens(account):
            yield self._line(row, account.code, account.name, indent, figures, codes), True
            return
        yield StatementRow(heading_key(account.code), account.name, indent, "heading"), False
        below: list[tuple[StatementRow, bool]] = []
        own = self._own(row, [account.code])
        if self._lines(own):
            words = f"{account.name}, posted directly"
            below.append((self._line(row, f"{account.code}:own", words, indent + 1, own, [account.code]), True))
        for child in self.chart.children(account.code):
            below += self._branch(row, child, indent + 1)
        # One line needs no total beneath it.
        if len(below) == 1:
            yield from below
            return
        yield from ((each, False) for each, _ in below)
        label = f"Total {account.name[:1].lower()}{account.name[1:]}"
        adds = tuple((1, each.key) for each, outer in below if outer)
        made = StatementRow(account.code, label, indent, "subtotal", figures, factor=row.factor, fav=row.fav, adds=adds)
        yield made._replace(source=row, codes=tuple(codes)), True

    def _opens(self, account: Account) -> bool:
        closed = account.level == self.level or account.code in self.folded
        return bool(self.chart.children(account.code)) and not closed

    def _has_lines(self, row: ArrangedRow, code: str) -> bool:
        return self._lines(self._own(row, self.chart.below(code)))

    @staticmethod
    def _lines(figures: Mapping[str, Figure]) -> bool:
        return any(figure.lines for figure in figures.values())

    def _own(self, row: ArrangedRow, codes: Sequence[str]) -> dict[str, Figure]:
        return self._sum(codes, row.factor, row)

    def _sum(self, codes: Sequence[str], factor: int, row: ArrangedRow | None = None) -> dict[str, Figure]:
        measure = row.measure if row else self.arrangement.layout.measure
        figures = {}
        for slot in self.slots:
            amounts = self.figures.of(self.block, slot.key, measure)
            total = Figure()
            for code in codes:
                if code in amounts:
                    total += amounts[code]
            figures[slot.key] = Figure(factor * total.amount, total.lines)
        return figures

    def _total(self, row: ArrangedRow) -> dict[str, Figure]:
        """Return what a row comes to in each column, whichever way it is made."""
        if row.row.sum_of:
            parts = [self._of(name) for name in row.row.sum_of]
            return {slot.key: sum((part[slot.key] for part in parts), Figure()) for slot in self.slots}
        if row.formula is not None:
            return {slot.key: self._computed(row, row.formula, slot.key) for slot in self.slots}
        return self._own(row, row.taken)

    def _of(self, name: str) -> dict[str, Figure]:
        if name not in self._totals:
            self._totals[name] = self._total(self._by_key[name])
        return self._totals[name]

    def _computed(self, row: ArrangedRow, formula: Formula, slot: str) -> Figure:
        figures = {name.name: self._of(name.name)[slot] for name in names_in(formula)}
        lines = sum(figure.lines for figure in figures.values())
        value = value_of(formula, lambda name: figures[name].amount)
        if row.row.ratio:
            # A ratio that has nothing to divide by has no value, which is not the same as zero.
            return Figure(value * 100, max(lines, 1)) if value is not None else Figure()
        return Figure(value if value is not None else _ZERO, lines)

    def made_of(self, row: StatementRow) -> list[tuple[int, str, RowMeasure]] | None:
        """Return the accounts that a row adds up, each with the sign of its stored amount and what of it is shown.

        None where the row is computed in another way, as a ratio is.
        """
        if row.codes or row.source is None:
            measure = row.source.measure if row.source else self.arrangement.layout.measure
            return [(row.factor, code, measure) for code in row.codes]
        return self._made_of(row.source)

    def _made_of(self, row: ArrangedRow) -> list[tuple[int, str, RowMeasure]] | None:
        signed: list[tuple[int, str]] | None = [(1, name) for name in row.row.sum_of]
        if row.row.ratio:
            return None
        if row.formula is not None:
            signed = signed_names(row.formula)
        elif not row.row.sum_of:
            return [(row.factor, code, row.measure) for code in row.taken]
        pieces: list[tuple[int, str, RowMeasure]] = []
        for sign, name in signed or []:
            inner = self._made_of(self._by_key[name])
            if inner is None:
                return None
            pieces += [(sign * factor, code, measure) for factor, code, measure in inner]
        return pieces if signed is not None else None

    def comes_to(self, formula: Formula, slot: str) -> Decimal:
        """Return what a formula on rows comes to in one column."""
        value = value_of(formula, lambda name: self._of(name)[slot].amount)
        return _ZERO if value is None else value
