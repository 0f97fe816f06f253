"""The income statement: classes and the account tree in rows, spans and changes in columns (docs/statement.md)."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from level_almanac.book.tables import INCOME_CLASSES
from level_almanac.core.accounts import Account, Chart
from level_almanac.core.as_of import AsOfRequest
from level_almanac.core.book import Book, Selection
from level_almanac.core.change import Figure, change_percent
from level_almanac.core.day_words import range_words
from level_almanac.core.facts import as_of_facts, as_of_for, as_of_words, data_facts, data_words, selection_facts
from level_almanac.core.report_table import Cell, Check, Column, Counted, Part, Proof, ReportTable, Row
from level_almanac.core.windows import Window, label_of, rest_of_cut, stretches_of, window_of
from level_almanac.core.words.columns import DEFAULT_TEXT, ChangeColumn, ColumnWords, ValueColumn, read_columns
from level_almanac.store.ledger_sums import EntryClass, Measures, Slice, Sums, considered

_COUNTED: tuple[EntryClass, ...] = ("ordinary", "adjusting")
_SECTIONS = {"income": "Income", "direct-cost": "Direct costs", "expense": "Expenses"}
_ZERO = Decimal(0)
_ALL_LINES = "all lines"
_REST = "rest of "

Figures = Mapping[str, Figure]
"""One row's figures by the keys of the value columns."""
AccountSums = Mapping[tuple[str, str], Mapping[str, Sums]]


@dataclass(frozen=True, slots=True, kw_only=True)
class StatementRequest:
    """What an income statement is asked for. columns: column words; level: roll the account tree up to this level."""

    when: AsOfRequest = field(default_factory=AsOfRequest)
    columns: str = DEFAULT_TEXT
    entities: tuple[str, ...] = ()
    level: int | None = None


def income_statement(book: Book, request: StatementRequest, today: date) -> ReportTable:
    """Return the income statement: income, costs and result in their natural signs, closing lines never among them."""
    words = read_columns(request.columns)
    selection = book.select(request.entities)
    as_of = as_of_for(book, request.when, today)
    windows = {
        column.key: window_of(column, as_of, book.calendar) for column in words if isinstance(column, ValueColumn)
    }
    sums = book.sums(_measures(book, windows))
    own = _figures_by_account(book.chart, sums, selection, list(windows))
    rows = tuple(_Rows(book.chart, own, words, selection.decimals, request.level).all())
    return ReportTable(
        title="Income statement",
        facts={
            **selection_facts(selection),
            **as_of_facts(book, as_of, today),
            "basis": "as booked (accrual)",
            **data_facts(book),
        },
        subtitle=(
            f"{selection.words} · {selection.currency}",
            f"{as_of_words(book, as_of, today)} · as booked (accrual)",
            data_words(book),
        ),
        columns=tuple(_columns(words, windows, selection, book.data_through(today))),
        rows=rows,
        proof=_proof(book, selection, sums, rows, windows),
        notes=(*selection.notes, *_notes(book, selection, sums, windows)),
    )


def _measures(book: Book, windows: Mapping[str, Window]) -> Measures:
    covered = {key: stretches_of(book.calendar, window) for key, window in windows.items()}
    any_column = tuple(stretch for each in covered.values() for stretch in each)
    rests = {key: rest for key, window in windows.items() if (rest := rest_of_cut(window))}
    return {
        **{key: (Slice(_COUNTED, each),) for key, each in covered.items()},
        **{f"{_REST}{key}": (Slice(_COUNTED, (rest,)),) for key, rest in rests.items()},
        "any column": (Slice(_COUNTED, any_column),),
        "other dates": (Slice(_COUNTED, any_column, outside=True),),
        "carried": (Slice(("base", "carried")),),
        "closing": (Slice(("closing",)),),
        _ALL_LINES: (Slice((*_COUNTED, "closing", "base", "carried")),),
    }


def _figures_by_account(
    chart: Chart, sums: AccountSums, selection: Selection, keys: list[str]
) -> dict[str, dict[str, Figure]]:
    figures: dict[str, dict[str, Figure]] = {}
    for (entity, code), measured in sums.items():
        if entity not in selection.entities or not chart[code].is_income:
            continue
        sign = -1 if chart[code].account_class == "income" else 1
        row = figures.setdefault(code, dict.fromkeys(keys, Figure()))
        for key in keys:
            row[key] += Figure(sign * measured[key].amount, measured[key].lines)
    return figures


@dataclass(frozen=True, slots=True)
class _Rows:
    """Makes the rows. own: each account's own figures; level: how deep the tree is shown."""

    chart: Chart
    own: Mapping[str, Figures]
    words: ColumnWords
    decimals: int
    level: int | None

    def all(self) -> Iterator[Row]:
        """Yield the three classes with their totals, the gross result between them, and the result."""
        totals: dict[str, Figures] = {}
        for account_class in INCOME_CLASSES:
            title = _SECTIONS[account_class]
            below = list(self._tree(account_class))
            totals[account_class] = self._sum(self._of(account.code) for account in self.chart.roots(account_class))
            if below:
                yield Row(f"{account_class}:heading", title, 0, "heading")
                yield from below
                yield self._row(account_class, f"Total {title.lower()}", 0, "subtotal", totals[account_class])
            if account_class == "direct-cost" and below:
                yield self._row("gross-result", "Gross result", 0, "subtotal", self._less(totals, "direct-cost"))
        yield self._row("result", "Result", 0, "total", self._less(totals, "direct-cost", "expense"))

    def _tree(self, account_class: str) -> Iterator[Row]:
        roots = [root for root in self.chart.roots(account_class) if self._has_lines(self._of(root.code))]
        if len(roots) == 1 and self._opens(roots[0]) and roots[0].code not in self.own:
            # The class's own heading and total say what those of its only root would say.
            roots = self.chart.children(roots[0].code)
        for root in roots:
            yield from self._branch(root, 1)

    def _opens(self, account: Account) -> bool:
        return bool(self.chart.children(account.code)) and account.level != self.level

    @staticmethod
    def _has_lines(figures: Figures) -> bool:
        return any(figure.lines for figure in figures.values())

    def _branch(self, account: Account, indent: int) -> Iterator[Row]:
        figures = self._of(account.code)
        if not self._has_lines(figures):
            return
        if not self._opens(account):
            yield self._row(account.code, account.name, indent, "line", figures)
            return
        yield Row(f"{account.code}:heading", account.name, indent, "heading")
        below = []
        own = self.own.get(account.code, {})
        if self._has_lines(own):
            below.append(self._row(f"{account.code}:own", f"{account.name}, posted directly", indent + 1, "line", own))
        for child in self.chart.children(account.code):
            below += self._branch(child, indent + 1)
        yield from below
        # One line needs no total beneath it.
        if len(below) > 1:
            label = f"Total {account.name[:1].lower()}{account.name[1:]}"
            yield self._row(account.code, label, indent, "subtotal", figures)

    def _of(self, code: str) -> Figures:
        below = [self._of(child.code) for child in self.chart.children(code)]
        return self._sum([self.own[code], *below] if code in self.own else below)

    def _keys(self) -> list[str]:
        return [column.key for column in self.words if isinstance(column, ValueColumn)]

    def _sum(self, parts: "Iterator[Figures] | list[Figures]") -> Figures:
        total = dict.fromkeys(self._keys(), Figure())
        for part in parts:
            for key, figure in part.items():
                total[key] += figure
        return total

    def _less(self, totals: Mapping[str, Figures], *costs: str) -> Figures:
        result = dict(totals["income"])
        for cost in costs:
            for key, figure in totals[cost].items():
                result[key] -= figure
        return result

    def _row(self, key: str, label: str, indent: int, kind: str, figures: Figures) -> Row:
        places = Decimal(1).scaleb(-self.decimals)
        cells: dict[str, Cell] = {}
        for column in self.words:
            if isinstance(column, ValueColumn):
                cells[column.key] = figures[column.key].amount.quantize(places)
                continue
            of, over = figures[column.of], figures[column.over]
            cells[column.key] = (
                change_percent(of, over) if column.percent else (of.amount - over.amount).quantize(places)
            )
        return Row(key, label, indent, kind, cells)  # type: ignore[arg-type]  # callers name one of the four kinds


def _columns(
    words: ColumnWords, windows: Mapping[str, Window], selection: Selection, through: date | None
) -> Iterator[Column]:
    labels = {column.key: label_of(column) for column in words if isinstance(column, ValueColumn)}
    for column in words:
        if isinstance(column, ChangeColumn):
            label = "change %" if column.percent else "change"
            kind, decimals = ("percent", 1) if column.percent else ("amount", selection.decimals)
            yield Column(column.key, label, kind, decimals)  # type: ignore[arg-type]  # one of two kinds
            continue
        window = windows[column.key]
        complete = through is not None and through >= window.last
        yield Column(
            column.key,
            labels[column.key],
            "amount",
            selection.decimals,
            window.first,
            window.last,
            complete,
            window.covers,
            window.extent if complete or through is None else f"data to {range_words(through, through)[:-5]}",
        )


def _proof(
    book: Book, selection: Selection, sums: AccountSums, rows: tuple[Row, ...], windows: Mapping[str, Window]
) -> Proof:
    chart = book.chart
    chosen = {place: measured for place, measured in sums.items() if place[0] in selection.entities}
    income = {place: measured for place, measured in chosen.items() if chart[place[1]].is_income}
    balance = {place: measured for place, measured in chosen.items() if place not in income}
    others = {
        place: measured for place, measured in sums.items() if place not in chosen and place[0] in selection.comparable
    }
    left_out = (
        Part("other entities", _counted(others, _ALL_LINES)),
        Part("carried", _counted(chosen, "carried")),
        Part("closing", _counted(chosen, "closing")),
        Part("balance-sheet accounts", _counted(balance, "any column") + _counted(balance, "other dates")),
        Part("other dates", _counted(income, "other dates")),
    )
    everything = considered(book.state, selection.comparable)
    return Proof(
        measure="amount, debits positive",
        considered=Counted(everything.lines, everything.amount),
        shown=_counted(income, "any column"),
        left_out=tuple(each for each in left_out if each.counted.lines),
        checks=(_rows_check(rows, income, windows),),
        decimals=selection.decimals,
    )


def _counted(sums: AccountSums, name: str) -> Counted:
    found = [measured[name] for measured in sums.values()]
    return Counted(sum(each.lines for each in found), sum((each.amount for each in found), _ZERO))


def _rows_check(rows: tuple[Row, ...], income: AccountSums, windows: Mapping[str, Window]) -> Check:
    """Hold the sum of the rows as shown, added up section by section, against the movement of the accounts."""
    off = []
    for key in windows:
        shown, sign = _ZERO, 1
        for row in rows:
            if row.key.endswith(":heading") and row.level == 0:
                sign = 1 if row.key == "income:heading" else -1
            cell = row.cells.get(key)
            if row.kind == "line" and isinstance(cell, Decimal):
                shown += sign * cell
        moved = -sum((measured[key].amount for measured in income.values()), _ZERO)
        if shown != moved:
            off.append(f"{key} by {shown - moved:+,.2f}")
    words = "in each column the rows sum to the accounts' movement"
    return Check(words if not off else f"{words}: not in {', '.join(off)}", not off)


def _notes(book: Book, selection: Selection, sums: AccountSums, windows: Mapping[str, Window]) -> Iterator[str]:
    told = set()
    for key, window in windows.items():
        rest = rest_of_cut(window)
        if rest is None or rest.first is None or rest.last is None or (rest.first, rest.last) in told:
            continue
        told.add((rest.first, rest.last))
        found = [
            (book.chart[code].account_class, measured[f"{_REST}{key}"])
            for (entity, code), measured in sums.items()
            if entity in selection.entities and book.chart[code].is_income
        ]
        income = -sum((each.amount for class_, each in found if class_ == "income"), _ZERO)
        result = -sum((each.amount for _, each in found), _ZERO)
        places = selection.decimals
        yield (
            f"{window.cut_period} holds a further {_minus(income, places)} of income and {_minus(result, places)} of"
            f" result after the cut, {range_words(rest.first, rest.last)}"
        )


def _minus(amount: Decimal, decimals: int) -> str:
    return f"{amount:,.{decimals}f}".replace("-", "−")
