"""A statement: the rows of a layout, and any spans, plans and changes in columns (docs/statement.md)."""

from collections.abc import Callable, Iterator, Sequence
from datetime import date
from typing import TYPE_CHECKING, Literal, NamedTuple

from level_almanac.core.accounts import ChartOfAccounts
from level_almanac.core.book import Book
from level_almanac.core.columns.heads import head_of, share_head
from level_almanac.core.columns.pairs import Column as AnyColumn
from level_almanac.core.columns.pairs import PairedColumn, head_over, pair_words, paired, unlike_notes
from level_almanac.core.columns.placed import (
    PlacedColumn,
    Shown,
    check_field,
    ledger_ground,
    place_columns,
    with_beginning,
)
from level_almanac.core.columns.units import AMOUNT, check_units
from level_almanac.core.header import (
    as_of_facts,
    as_of_for,
    as_of_notes,
    as_of_words,
    data_facts,
    data_words,
    early_notes,
    ledger_begins,
    selection_facts,
)
from level_almanac.core.language.columns import (
    WHERE,
    ColumnWords,
    ComputedColumn,
    GroupedColumns,
    ShareColumn,
    ValueColumn,
    read_columns,
)
from level_almanac.core.language.formulas import divides, made_of
from level_almanac.core.language.parsing import pointed
from level_almanac.core.lines.asked import LedgerConditions, ledger_conditions
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.statement.arrangement import Arrangement, arranged
from level_almanac.core.reports.statement.cells import CellMaker
from level_almanac.core.reports.statement.figures import WHOLE, Block, Figures, figures_of
from level_almanac.core.reports.statement.proof import notes_of, proof_of
from level_almanac.core.reports.statement.rows import RowMaker, StatementRow
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.requests.options import Request, inner, option
from level_almanac.core.requests.shared import condition_options, dated_option, dated_words, entity_option, level_option
from level_almanac.core.selection import Selection
from level_almanac.core.spans.as_of import AsOf, AsOfRequest
from level_almanac.core.spans.windows import Window
from level_almanac.core.table.model import Column, Derived, ReportTable, Row, Slip
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.files.layouts import Layout
from level_almanac.files.tables import INCOME_CLASSES, SIDE_OF
from level_almanac.immutable import immutable
from level_almanac.store.predicate import FieldTest

if TYPE_CHECKING:
    from level_almanac.core.reports.statement.cash_basis import CashBasis

CASH_WORDS = "cash basis: documents by what was settled of them, all else as booked"


@immutable(kw_only=True)
class StatementRequest(Request):
    """What a statement is asked for. layout: its name; columns: column words, or empty for the layout's own; by: the
    field that it is in blocks by; level: roll account trees up to this level; fold: keys of rows to show as one line;
    signs: amounts in their natural sign, or as stored, debits positive; basis: income and costs when they are booked,
    or when they are paid.
    """

    layout: str = option(
        "layout", "", default="income", metavar="LAYOUT", offers="layout", argument=True, required=True
    )
    columns: str = option(
        "columns", "Columns, between semicolons.  [default: the layout's own]", metavar="WORDS", joint="; ", listed=True
    )
    level: int | None = level_option()
    fold: tuple[str, ...] = option("fold", "Show this row's branch as one line; repeatable.", "texts", metavar="ROW")
    by: str = option("by", "A block for each member of this field, and one of all.", metavar="FIELD", offers="field")
    signs: Literal["natural", "stored"] = option(
        "signs", "Amounts in their class's natural sign, or debits positive.", "choice", "natural",
        choices=("natural", "stored"), show_default=True,
    )  # fmt: skip
    basis: Literal["booked", "cash"] = option(
        "basis", "Income and costs when they are booked, or when they are paid.", "choice", "booked",
        choices=("booked", "cash"), show_default=True,
    )  # fmt: skip
    dated: str = dated_option()
    when: AsOfRequest = inner(AsOfRequest)
    conditions: Conditions = condition_options()
    entities: tuple[str, ...] = entity_option()


class MadeStatement(NamedTuple):
    """What a statement was made from, so that its figures can be traced."""

    request: StatementRequest
    selection: Selection
    as_of: AsOf
    figures: Figures
    makers: tuple[RowMaker, ...]
    made: tuple[tuple[Block, list[StatementRow]], ...]
    conditions: LedgerConditions


def statement(book: Book, request: StatementRequest) -> MadeReport:
    """Return the statement: amounts in their natural sign, closing lines never among movements.

    Raises UsageMistake for what the book, calendar or layout lacks, BookMistake where the layout is not right.
    """
    layout = book.layout(request.layout)
    text = request.columns or layout.columns
    words = read_columns(text)
    _check_measures(words, text)
    selection = book.select(request.entities, "ledger")
    documents = tuple(SIDE_OF.values()) if request.basis == "cash" else ()
    as_of = as_of_for(book, selection.calendar, request.when, documents)
    if request.by:
        check_field(request.by, "", 0, "--by", book)
    arrangement = arranged(layout, book.chart)
    folded = _folded(request.fold, arrangement, book)
    shown = place_columns(words, text, as_of, ledger_ground(book, text))
    begins = ledger_begins(book, selection)
    shown = with_beginning(shown, begins, layout.measure, selection.calendar)
    conditions = ledger_conditions(book, request.conditions, as_of)
    make_cash = _cash_maker(book, request, layout, selection, as_of, conditions)
    figures = figures_of(book, selection, shown, arrangement.measures, as_of, request.by, conditions, make_cash)
    makers = [
        RowMaker(arrangement, book.chart, figures, block, request.level, folded) for block in (*figures.blocks, WHOLE)
    ]
    blocks = [(maker.block, list(maker.rows())) for maker in makers]
    columns = paired(figures.slots, text)
    check_units(columns, lambda _: AMOUNT, text)
    cells = CellMaker(columns, text, selection.decimals, stored=request.signs == "stored")
    cells.check_shares(_named_rows(blocks, arrangement))
    through = book.data_through()

    def head(column: AnyColumn) -> Column:
        made = _head(column, cells, figures, as_of, arrangement, through)
        return made._replace(group=head_over(column))

    rows = tuple(_rows(blocks, cells, request.by))
    of_balances = "balance" in arrangement.measures
    condition_words = conditions.balance_words if of_balances else conditions.words
    basis = CASH_WORDS if request.basis == "cash" else "as booked (accrual)"
    signs = ["debits positive"] if request.signs == "stored" else []
    table = ReportTable(
        title=layout.title,
        facts={
            "layout": layout.name,
            **selection_facts(selection),
            **as_of_facts(book, as_of),
            "basis": basis,
            **({"dates": "posted"} if request.dated == "posted" else {}),
            **({"signs": "debit positive"} if signs else {}),
            **({"by": request.by} if request.by else {}),
            **({"conditions": " · ".join(conditions.words)} if conditions.words else {}),
            **data_facts(book),
        },
        subtitle=(
            " · ".join([selection.words, selection.currency, *signs]),
            " · ".join([as_of_words(book, as_of), basis, *dated_words(request.dated), *condition_words]),
            data_words(book),
        ),
        columns=tuple(map(head, columns)),
        rows=rows,
        proof=proof_of(book, selection, figures, arrangement, blocks, makers[-1], conditions),
        notes=(
            *conditions.slips(book, {"closing": "", "carried": ""} if layout.measure == "movement" else None),
            *_layout_slips(layout, book.chart),
            *conditions.edge_notes(book, selection, _ranges(shown), _shown_lines(layout)),
            *selection.notes,
            *(conditions.balance_notes() if of_balances else ()),
            *as_of_notes(as_of),
            *early_notes(book, "ledger", selection, as_of.day),
            *notes_of(book, selection, figures, arrangement, as_of, begins),
            *(unlike_notes(columns) if layout.measure == "movement" else ()),
        ),
    )
    return MadeReport(
        table, MadeStatement(request, selection, as_of, figures, tuple(makers), tuple(blocks), conditions)
    )


def _check_measures(words: ColumnWords, text: str) -> None:
    """Raise UsageMistake for a column that names a measure: what a statement is of, its layout says."""
    values = [each for word in words for each in (word.columns if isinstance(word, GroupedColumns) else (word,))]
    for word in values:
        if isinstance(word, ValueColumn) and word.measure:
            what, step = "a statement is of the ledger's amounts", "leave it out; `list ledger --columns` takes it"
            shown = pointed(text, word.start, len(word.measure))
            raise UsageMistake(Mistake(what, WHERE, repr(word.measure), next_step=step, shown=shown))


def _shown_lines(layout: Layout) -> list[FieldTest]:
    classes = [FieldTest("entry", "is", ("ordinary", "adjusting"))]
    return [*classes, FieldTest("account.class", "is", INCOME_CLASSES)] if layout.scope == "income" else classes


def _ranges(shown: Sequence[Shown]) -> list[tuple[date, date]]:
    """Return the ranges of days that columns were asked for by."""
    placed = [slot for slot in shown if isinstance(slot, PlacedColumn) and slot.value is not None]
    asked = [slot for slot in placed if slot.value and slot.value.span.name == "range"]
    windows = [slot.window for slot in asked if isinstance(slot.window, Window)]
    return list(dict.fromkeys((window.first, window.last) for window in windows))


def _layout_slips(layout: Layout, chart: ChartOfAccounts) -> Iterator[Slip]:
    if any(row.accounts for row in layout.rows):
        # Most layouts have no conditions, and should not wait for what reads them.
        from level_almanac.core.lines.slips import account_slips

        yield from account_slips(layout, chart)


def _cash_maker(
    book: Book,
    request: StatementRequest,
    layout: Layout,
    selection: Selection,
    as_of: AsOf,
    conditions: LedgerConditions,
) -> "Callable[[Sequence[str], Sequence[Window]], CashBasis] | None":
    if request.basis == "booked":
        return None
    if request.dated == "posted":
        what, step = "the cash basis goes by when documents are settled", "leave --date out"
        raise UsageMistake(Mistake(what, "--date", "posted with --basis cash", next_step=step))
    if layout.measure != "movement" or layout.scope != "income":
        what, step = "the cash basis is for income and costs alone", "leave --basis out"
        raise UsageMistake(Mistake(what, "--basis", f"cash with the layout {layout.name}", next_step=step))
    from level_almanac.core.reports.statement.cash_basis import CashBasis

    return lambda fields, windows: CashBasis(book, selection, as_of, conditions, fields, windows)


def _folded(fold: Sequence[str], arrangement: Arrangement, book: Book) -> frozenset[str]:
    keys = {row.key for row in arrangement.rows if row.codes}
    for key in fold:
        if key not in keys and key not in book.chart.accounts:
            known = [*sorted(keys), *book.chart.accounts]
            what, allowed = "no row has this key", f"{listed(sorted(keys))}, or an account with others below it"
            raise UsageMistake(Mistake(what, "--fold", repr(key), allowed, nearest(key, known)))
        if key not in keys and not book.chart.children(key):
            raise UsageMistake(Mistake("there is nothing to fold below this account", "--fold", repr(key)))
    return frozenset(fold)


def block_prefix(block: Block, by: str) -> str:
    """Return what the keys of a block's rows begin with."""
    if not by:
        return ""
    return f"{'all' if block == WHOLE else block if block is not None else f'{by}-blank'}/"


def _named_rows(made: Sequence[tuple[Block, list[StatementRow]]], arrangement: Arrangement) -> dict[str, None]:
    """Return the keys and labels of all rows, and the keys of those of the layout that have nothing to show."""
    shown = [row for _, rows in made for row in rows]
    layout = [key for row in arrangement.rows for key in (row.key, *row.codes)]
    return dict.fromkeys([*(row.key for row in shown), *(row.label for row in shown if row.figures), *layout])


def _rows(made: Sequence[tuple[Block, list[StatementRow]]], cells: CellMaker, by: str) -> Iterator[Row]:
    for block, rows in made:
        prefix = block_prefix(block, by)
        if by:
            name = "All" if block == WHOLE else block if block is not None else f"(no {by})"
            yield Row(f"{prefix}heading", str(name), 0, "group")
        by_key = {row.key: row for row in rows} | {row.label: row for row in rows if row.figures}
        for row in rows:
            yield Row(
                f"{prefix}{row.key}",
                row.label,
                row.level,
                row.kind,
                cells.cells(row, by_key) if row.figures or row.leaf else {},
                row.percent,
                tuple((cells.sign(row, by_key.get(key), sign), f"{prefix}{key}") for sign, key in row.adds),
                cells.favourable(row),
            )


def _head(
    column: AnyColumn,
    cells: CellMaker,
    figures: Figures,
    as_of: AsOf,
    arrangement: Arrangement,
    through: date | None,
) -> Column:
    columns, decimals = cells.shown, cells.decimals
    match column:
        case PlacedColumn():
            return head_of(column, decimals, as_of, arrangement.layout.measure, through, figures.plans)
        case PairedColumn():
            return _change_column(column, decimals, arrangement)
        case ShareColumn():
            return share_head(column, columns, cells.text)
        case ComputedColumn():
            kind: Literal["number", "amount"] = "number" if divides(column.formula) else "amount"
            places = 2 if kind == "number" else decimals
            made = made_of(column.formula, {each.key.lower(): each.key for each in columns})
            return Column(column.key, column.label or text_of(column, cells.text), kind, places, made=made)
    raise AssertionError(column)


def _change_column(pair: PairedColumn, decimals: int, arrangement: Arrangement) -> Column:
    word, of, over = pair.word, pair.of, pair.over
    name: str = word.kind
    says = any(row.row.better in ("more", "less") for row in arrangement.rows)
    if name == "variance" and arrangement.layout.measure == "balance" and not says:
        # Of what is owned and owed, neither more nor less is better unless the layout says so.
        name = "difference"
    label = word.label or (f"{name} %" if word.percent else name)
    derived = Derived(of.key, over.key, word.percent, favourable=word.kind == "variance")
    # What stands right beside it needs no name.
    covers = "" if pair.beside else pair_words(pair)
    key, label = pair.key, f"{label} {pair.label}".strip()
    if word.percent:
        return Column(key, label, "percent", 1, covers=covers, derived=derived)
    return Column(key, label, "amount", decimals, covers=covers, derived=derived)


def text_of(column: ComputedColumn, text: str) -> str:
    """Return the part of the column words that a computed column was read from, for its head."""
    before = text[: column.start]
    opened = len(before) - len(before.rstrip(" (\t\n"))
    return " ".join(text[column.start - opened :].split(";", maxsplit=1)[0].split())
