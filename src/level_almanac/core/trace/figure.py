"""The lines behind one figure, or one row of figures, of a report (docs/trace.md)."""

from collections.abc import Iterator, Sequence
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.fields import LineField
from level_almanac.core.lines.rows import ListRows
from level_almanac.core.lines.selected import ShownField
from level_almanac.core.lines.shape import ListShape
from level_almanac.core.lines.source_place import EXPORT
from level_almanac.core.table.exact import off_words
from level_almanac.core.table.model import Check, Column, CountedAmount, Part, Proof, ReportTable, Row
from level_almanac.core.table.pointing import find_column, head_words
from level_almanac.core.trace.frame import framed, plan_trace
from level_almanac.core.trace.model import Traced, TracedCell, TracedRow, amount_of, predicate_of
from level_almanac.core.trace.request import Level, TraceRequest
from level_almanac.errors import Mistake, UsageMistake, listed
from level_almanac.store.expressions import Constant, FieldReference, Joined
from level_almanac.store.ledger_sums import considered
from level_almanac.store.line_query import LineSource, Order, groups, left_out
from level_almanac.store.predicate import Every, FieldTest, Predicate, Some

_ZERO = Decimal(0)
LINE_FIELDS = ("posted", "document", "party", "memo")


def trace(book: Book, traced: Traced, request: TraceRequest) -> ReportTable:
    """Return the lines behind a figure, and whether they sum to it.

    Raises UsageMistake for a column that the report lacks, and for a figure that is no sum of lines, saying why.
    """
    traced_row = traced.rows[0]
    figures = _wanted(traced_row, traced.table, request.column)
    if figures[0].plan or (not figures[0].terms and _is_plan(figures[0].column)):
        lines = sum(loaded.lines for loaded in book.state.files_of("budget"))
        row, column, parts = traced_row.row, figures[0].column, figures[0].plan
        return plan_trace(
            traced.table, row, column, Column("account", "account", "text"), parts, ("budget", lines), traced.decimals
        )
    if any(figure.cash for figure in figures):
        return _cash_trace(book, traced, traced_row, figures)
    return _Trace(book, traced, traced_row, figures, request).table()


def _cash_trace(book: Book, traced: Traced, traced_row: TracedRow, figures: Sequence[TracedCell]) -> ReportTable:
    if len(figures) > 1 or figures[0].cash is None:
        allowed = listed(str(number) for number, column in enumerate(traced.table.columns, 1) if not column.derived)
        raise UsageMistake(Mistake("a figure on the cash basis is traced by itself", "--column", allowed=allowed))
    return figures[0].cash.traced(book, traced, traced_row, figures[0])


def _is_plan(column: Column) -> bool:
    return bool(column.scenario)


def _wanted(traced_row: TracedRow, table: ReportTable, name: str) -> list[TracedCell]:
    """Return the figure of the column asked for, or those of all columns that are sums of lines."""
    if name:
        column = find_column(table, name)
        figure = next(each for each in traced_row.figures if each.column.key == column.key)
        if figure.why:
            got = f"{traced_row.row.label}, {head_words(column)}"
            raise UsageMistake(Mistake("this figure is no sum of lines", "--column", got, next_step=figure.why))
        return [figure]
    figures = [
        each for each in traced_row.figures if not each.why and not _is_plan(each.column) and not each.column.derived
    ]
    if not figures:
        step = next((each.why for each in traced_row.figures if each.why), "name a plan's column with --column")
        raise UsageMistake(
            Mistake("no figure of this row is a sum of ledger lines", "--row", traced_row.row.label, next_step=step)
        )
    return figures


class _Trace:
    """One trace over the ledger in the making."""

    def __init__(
        self, book: Book, traced: Traced, traced_row: TracedRow, figures: Sequence[TracedCell], request: TraceRequest
    ) -> None:
        self.book, self.traced, self.traced_row, self.figures, self.request = book, traced, traced_row, figures, request
        self.fields = book.line_fields("ledger")
        bases = book.state.bases
        self.amounts = [amount_of(figure.terms, bases, traced.entities, traced.rules) for figure in figures]
        terms = dict.fromkeys(term for figure in figures for term in figure.terms)
        self.rule: Predicate = Some(tuple(predicate_of(term, bases, traced.entities, traced.rules) for term in terms))
        self.accounts = {account for term in terms for account in term.accounts}
        stretches = [each for term in terms for part in term.slices for each in part.stretches]
        self.parts, self.beyond = book.ledger_parts(stretches, traced.comparable)

    def table(self) -> ReportTable:
        """Ask the store, and return the report."""
        source = self.book.line_source(self.fields, [self.rule], self.parts)
        shown, others = counted_traced(self.book, self.traced, self.rule, self.parts)
        others += CountedAmount(self.beyond.lines, self.beyond.amount)
        level = self.request.level or self._level(source)
        wanted = self._journals(source) if self.request.journals else source
        rows_made = ListRows(self.book.engine, wanted, self._shape(level)).made()
        everything = considered(self.book.state, self.traced.comparable)
        heads = (
            " and ".join(head_words(figure.column) for figure in self.figures)
            if len(self.figures) < 2
            else "all columns"
        )
        return framed(
            self.traced.table,
            self.traced_row.row,
            heads,
            headed(rows_made.columns, [figure.column for figure in self.figures]),
            rows_made.rows,
            self._key_label(level),
            Proof(
                measure="amount, debits positive",
                considered=CountedAmount(everything.lines, everything.amount),
                shown=shown,
                left_out=(Part("not behind it", others),) if others.lines else (),
                checks=(*self._checks(rows_made.rows), *rows_made.checks),
                decimals=self.traced.decimals,
            ),
            (*rows_made.notes, *self._notes(level)),
        )

    def _level(self, source: LineSource) -> Level:
        if len(self.accounts) > 1 and len(groups(self.book.engine, source, [FieldReference("account")], [])) > 1:
            return "account"
        return "line"

    def _key_label(self, level: Level) -> str:
        line = "entity/journal/line" if len(self.traced.entities) > 1 else "journal/line"
        labels = {"class": "class", "account": "account", "journal": "journal"}
        return line if self.request.journals else labels.get(level, line)

    def _journals(self, source: LineSource) -> LineSource:
        """Return the lines of every journal that has one behind the figure."""
        found = groups(self.book.engine, source, [FieldReference("entity"), FieldReference("journal")], [])
        by_entity: dict[str, list[str]] = {}
        for entity, journal, _ in found:
            by_entity.setdefault(entity, []).append(journal)
        tests = [
            Every((FieldTest("entity", "is", (entity,)), FieldTest("journal", "is", tuple(journals))))
            for entity, journals in by_entity.items()
        ]
        return self.book.line_source(self.fields, [Some(tuple(tests))])

    def _shape(self, level: Level) -> ListShape:
        several = len(self.traced.entities) > 1
        names = [*(["entity"] if several else []), "journal", "line"]
        order = [Order(self.fields.by_name[name].value) for name in ("counted", "posted")]
        order += [Order(self.fields.by_name[name].value, as_number=True) for name in names]
        journals = self.request.journals
        by: tuple[str, ...] = {
            "class": ("account.class",),
            "account": ("account",),
            "journal": ("account", "journal") if len(self.accounts) > 1 else ("journal",),
            "line": ("account",) if len(self.accounts) > 1 else (),
        }[level]
        lines = journals or level == "line"
        return ListShape(
            by=(self._journal(several=several),) if journals else tuple(self._field(name) for name in by),
            shown=tuple(self._shown(level, lines=lines)),
            sorts=(),
            limits=(),
            key=tuple(self.fields.by_name[name] for name in names),
            order=tuple(order),
            lines=lines,
            first=self.request.first,
            measure=None,
            decimals=self.traced.decimals,
            exclusions=0,
        )

    def _journal(self, *, several: bool) -> ShownField:
        """Return a journal as one thing to group by, its entity before it where there are several."""
        value = (
            Joined((FieldReference("entity"), Constant("/"), FieldReference("journal")))
            if several
            else FieldReference("journal")
        )
        return ShownField("journal", "journal", "text", value)

    def _field(self, name: str) -> ShownField:
        field: LineField = self.fields.by_name[name]
        return ShownField(name, name, field.kind, field.value)

    def _shown(self, level: Level, *, lines: bool) -> Iterator[ShownField]:
        if self.request.journals:
            yield from (self._field(name) for name in ("posted", "account", "account.name", "memo"))
        elif lines:
            yield from (self._field(name) for name in LINE_FIELDS)
        elif level == "account":
            yield self._field("account.name")._replace(label="name")
        elif level == "journal":
            yield from (self._field(name) for name in ("posted", "memo"))
        if not lines:
            yield ShownField("count", "lines", "whole", None, "count")
        if self.request.journals:
            yield self._field("amount")._replace(label="whole journal")
        for figure, amount in zip(self.figures, self.amounts, strict=True):
            yield ShownField(figure.column.key, figure.column.label, "amount", amount)
        if lines:
            yield EXPORT

    def _checks(self, rows: Sequence[Row]) -> Iterator[Check]:
        total = next(row for row in reversed(rows) if row.kind == "total")
        off = []
        for figure in self.figures:
            sum_told = total.cells.get(figure.column.key)
            sum_ = sum_told if isinstance(sum_told, Decimal) else _ZERO
            cell = figure.cell if isinstance(figure.cell, Decimal) else _ZERO
            if sum_ != cell:
                off.append(f"{head_words(figure.column)} by {off_words(sum_ - cell)}")
        words = "the lines sum to the figure" if len(self.figures) == 1 else "the lines sum to the figures"
        yield Check(words if not off else f"{words}: not to {', '.join(off)}", not off)

    def _notes(self, level: Level) -> Iterator[str]:
        if level in ("class", "account") and not self.request.journals:
            yield "Step down further with --down-to journal or --down-to line"


def counted_traced(
    book: Book, traced: Traced, rule: Predicate, parts: Sequence[str] | None = None
) -> tuple[CountedAmount, CountedAmount]:
    """Return how many lines meet a rule and how many do not, of entities whose amounts can be added to the report's.

    parts: only the lines in these.
    """
    comparable = FieldTest("entity", "is", traced.comparable)
    source = book.line_source(book.line_fields("ledger"), [comparable, rule], parts)
    counted = {
        each.rule: CountedAmount(each.lines, each.amount)
        for each in left_out(book.engine, source, FieldReference("amount"))
    }
    nothing = CountedAmount(0, _ZERO)
    return counted.get(None, nothing), counted.get(1, nothing)


def headed(columns: Sequence[Column], figures: Sequence[Column]) -> tuple[Column, ...]:
    """Return the columns of a trace with the heads that its figures have in their report."""
    heads = {column.key: column for column in figures}
    return tuple(
        column._replace(covers=heads[column.key].covers, extent=heads[column.key].extent)
        if column.key in heads
        else column
        for column in columns
    )
