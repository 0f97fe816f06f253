"""What lies behind the figures of a statement."""

from collections.abc import Iterator, Sequence

from level_almanac.core.book import Book
from level_almanac.core.columns.placed import PlacedColumn
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.statement.arrangement import EARLIER, RESULT
from level_almanac.core.reports.statement.cash_trace import CashFigure
from level_almanac.core.reports.statement.figures import COUNTED, WHOLE, Block, earlier_slices, planned_parts
from level_almanac.core.reports.statement.report import MadeStatement, block_prefix
from level_almanac.core.reports.statement.rows import RowMaker, StatementRow
from level_almanac.core.spans.windows import Window, up_to
from level_almanac.core.table.model import Column, ReportTable, Row
from level_almanac.core.table.pointing import find_row
from level_almanac.core.trace.all_rows import traced_lines
from level_almanac.core.trace.figure import trace
from level_almanac.core.trace.model import PlanPart, Term, Traced, TracedCell, TracedRow, turned
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.layouts import RowMeasure
from level_almanac.store.ledger_sums import MOVEMENT, Slice

Part = tuple[int, str, RowMeasure]


def statement_trace(book: Book, made: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the lines behind a figure of a statement; raises as `trace` does."""
    return trace(book, traced_statement(book, made, (asked.row,)), asked)


def statement_lines(book: Book, made: MadeReport) -> tuple[ReportTable, ...]:
    """Return the lines behind all figures of a statement; raises UsageMistake on the cash basis."""
    of: MadeStatement = made.of
    if of.request.basis == "cash":
        step = "`almanac trace statement` takes --basis cash"
        raise UsageMistake(Mistake("it goes with what was booked", "--with-lines", "--basis cash", next_step=step))
    return traced_lines(book, traced_statement(book, made, (), leaves=True))


def traced_statement(book: Book, report: MadeReport, names: Sequence[str], *, leaves: bool = False) -> Traced:
    """Return the statement, and what lies behind the rows that the names mean, or behind all where there are none.

    leaves: only rows that are accounts of their own. Raises UsageMistake for a name that means no row.
    """
    table, made = report.table, report.of
    traced_row = _Behind(book, table, made)
    wanted = [find_row(table, name).key for name in names]
    found = {
        row.key: traced_row.row(row, maker, block, source)
        for maker, (block, rows) in zip(made.makers, made.made, strict=True)
        for source in rows
        if (row := traced_row.shown(block, source)) is not None
        and (row.key in wanted or not wanted)
        and (source.leaf or not leaves)
    }
    selection = made.selection
    return Traced(
        table,
        [found[key] for key in (wanted or found)],
        tuple(selection.entities),
        selection.comparable,
        selection.decimals,
        tuple(rule.predicate for rule in made.conditions.rules),
    )


class _Behind:
    """Says of each row of one statement what lies behind it."""

    def __init__(self, book: Book, table: ReportTable, made: MadeStatement) -> None:
        self.book, self.table, self.made, self.request = book, table, made, made.request
        self.by_key = {row.key: row for row in table.rows if row.cells}
        self.slots = {slot.key: slot for slot in made.figures.slots if isinstance(slot, PlacedColumn)}
        self.income = tuple(code for code, account in book.chart.accounts.items() if account.is_income)

    def shown(self, block: Block, source: StatementRow) -> Row | None:
        """Return the report's row of a row in the making, where it has figures."""
        return self.by_key.get(f"{block_prefix(block, self.request.by)}{source.key}")

    def row(self, row: Row, maker: RowMaker, block: Block, source: StatementRow) -> TracedRow:
        """Return one row with all of its figures."""
        parts = None if source.percent else maker.made_of(source)
        figures: dict[str, TracedCell] = {}
        for column in self.table.columns:
            figures[column.key] = self._figure(row, column, parts, block, source, figures)
        return TracedRow(row, tuple(figures.values()))

    def _figure(
        self,
        row: Row,
        column: Column,
        parts: list[Part] | None,
        block: Block,
        source: StatementRow,
        figures: dict[str, TracedCell],
    ) -> TracedCell:
        cell = row.cells.get(column.key)
        if parts is None:
            made_of = source.source.row.ratio or source.source.row.formula if source.source else ""
            why = f"it is computed: {made_of}; trace the rows that it is made of"
            return TracedCell(column, cell, why=why)
        slot = self.slots.get(column.key)
        # Shown as stored, a row's own factor is taken back.
        turn = source.factor if self.request.signs == "stored" else 1
        if slot is not None:
            if slot.is_plan:
                return TracedCell(column, cell, plan=tuple(self._plan(parts, slot, block, turn)))
            terms = turned(self._terms(parts, slot, block), turn)
            return TracedCell(column, cell, terms, cash=self._cash(parts, slot, block, turn))
        derived = column.derived
        if derived is None or derived.percent:
            others = " and ".join(f"--column {key}" for key in ([derived.of, derived.over] if derived else []))
            why = "it is computed from other columns" + (f"; trace {others}" if others else "")
            return TracedCell(column, cell, why=why)
        of, over = figures.get(derived.of), figures.get(derived.over)
        if self.made.figures.cash:
            why = f"it compares two stretches; trace --column {derived.of} and --column {derived.over}"
            return TracedCell(column, cell, why=why)
        if of is None or over is None or of.plan or over.plan or self._is_plan(of) or self._is_plan(over):
            why = f"it compares what was booked with a plan; trace --column {derived.of} and --column {derived.over}"
            return TracedCell(column, cell, why=why)
        favourable = row.favourable if derived.favourable else 1
        return TracedCell(column, cell, (*turned(of.terms, favourable), *turned(over.terms, -favourable)))

    def _is_plan(self, figure: TracedCell) -> bool:
        slot = self.slots.get(figure.column.key)
        return slot is not None and slot.is_plan

    def _members(self, slot: PlacedColumn, block: Block) -> tuple[tuple[str, str | None], ...]:
        members = [(self.request.by, block)] if self.request.by and block != WHOLE else []
        return (*members, (slot.field, slot.member)) if slot.field else tuple(members)

    def _cash(self, parts: Sequence[Part], slot: PlacedColumn, block: Block, turn: int) -> CashFigure | None:
        cash, window = self.made.figures.cash, slot.window
        if cash is None or not isinstance(window, Window):
            return None
        factors: dict[str, int] = {}
        for factor, code, _ in parts:
            factors[code] = factors.get(code, 0) + turn * factor
        return CashFigure(cash, window, factors, self._members(slot, block))

    def _terms(self, parts: Sequence[Part], slot: PlacedColumn, block: Block) -> tuple[Term, ...]:
        window = slot.window
        if not isinstance(window, Window):
            return ()
        members = self._members(slot, block)
        accounts_by_slices: dict[tuple[int, tuple[Slice, ...]], list[str]] = {}
        for factor, code, measure in parts:
            for accounts, slices in self._slices(code, measure, window):
                accounts_by_slices.setdefault((factor, slices), []).extend(accounts)
        return tuple(
            Term(factor, tuple(dict.fromkeys(accounts)), slices, members=members)
            for (factor, slices), accounts in accounts_by_slices.items()
        )

    def _slices(
        self, code: str, measure: RowMeasure, window: Window
    ) -> Iterator[tuple[tuple[str, ...], tuple[Slice, ...]]]:
        if measure == "movement":
            yield (code,), (Slice(COUNTED, window.stretches),)
            return
        as_of = self.made.as_of
        earlier = earlier_slices(window, as_of)
        within = () if window.before else up_to(window, as_of.calendar)
        running = (Slice(MOVEMENT, within),)
        if code == EARLIER:
            yield self.income, earlier
        elif code == RESULT:
            yield self.income, running
        elif code not in self.income:
            yield (code,), (*earlier, *running)

    def _plan(self, parts: Sequence[Part], slot: PlacedColumn, block: Block, turn: int) -> Iterator[PlanPart]:
        """Yield the part of each line of a plan that a figure holds, as it is shown."""
        plans, window = self.made.figures.plans, slot.window
        if plans is None or not isinstance(window, Window):
            return
        by_name: dict[tuple[str, RowMeasure], int] = {}
        for factor, code, measure in parts:
            by_name[code, measure] = by_name.get((code, measure), 0) + factor
        made = self.made
        found = planned_parts(self.book, made.selection, made.figures, slot, made.as_of, block, self.request.by)
        for line, measure, name, amount in found:
            factor = turn * by_name.get((name, measure), 0)
            if factor:
                period = f"{line.fiscal // 100}-P{line.fiscal % 100:02d}"
                yield PlanPart(line.number, line.account, plans.places[line.number], period, factor * amount)
