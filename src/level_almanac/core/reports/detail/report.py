"""Account detail: opening, each line with the running balance, and closing, equal to `trial` (docs/detail.md)."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.fields import LineField
from level_almanac.core.header import as_of_for, as_of_notes, data_facts, data_words, early_notes, selection_facts
from level_almanac.core.language.days import DayExpression
from level_almanac.core.lines.account_words import chosen_accounts
from level_almanac.core.lines.asked import ledger_conditions
from level_almanac.core.lines.computed import ComputedReader
from level_almanac.core.lines.selected import ShownField, ShownReader
from level_almanac.core.reports.trial.range import TRIAL_FREE, TRIAL_SHOWN, trial_measures, trial_range
from level_almanac.core.reports.trial.report import SIDES
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.requests.options import Request, inner, option
from level_almanac.core.requests.shared import (
    condition_options,
    dated_option,
    dated_words,
    entity_option,
    first_option,
    last_option,
)
from level_almanac.core.spans.as_of import COVERS, AsOfRequest
from level_almanac.core.table.exact import off_words
from level_almanac.core.table.model import (
    Cell,
    Check,
    Column,
    CountedAmount,
    Covered,
    Part,
    Proof,
    ReportTable,
    Row,
    heading,
)
from level_almanac.errors import Mistake, UsageMistake, how_many
from level_almanac.immutable import immutable
from level_almanac.store.expressions import Expression, FieldReference
from level_almanac.store.ledger_sums import UNMET, Sums, considered
from level_almanac.store.line_query import Order, lines
from level_almanac.store.predicate import Every, FieldTest, FiscalRange, Predicate, Within

_ZERO = Decimal(0)
_DEFAULT_SHOWN = "document, party, memo"
AccountSums = Mapping[tuple[str, str], Mapping[str, Sums]]


@immutable(kw_only=True)
class DetailRequest(Request):
    """What an account detail is asked for. accounts: words that name them; first, last: a range of days, both or
    neither; show: further fields of the lines; subtotals: a row for each period; carried: carried lines too, apart.
    """

    accounts: tuple[str, ...] = option(
        "accounts", "", "texts", metavar="ACCOUNT...", offers="account", argument=True, required=True
    )
    show: str = option("show", "Fields of the lines.  [default: document, party, memo]", metavar="FIELDS", listed=True)
    subtotals: bool = option("subtotals", "A row for what each period moved.", "flag")
    carried: bool = option("carried", "The carried lines of the year too, apart.", "flag")
    after_closing: bool = option("after-closing", "With the closing lines of the year shown.", "flag")
    dated: str = dated_option()
    when: AsOfRequest = inner(AsOfRequest, without=("compare",), helps=COVERS)
    first: DayExpression | None = first_option()
    last: DayExpression | None = last_option()
    conditions: Conditions = condition_options()
    entities: tuple[str, ...] = entity_option()


class _Line(NamedTuple):
    """One ledger line. name: journal and line, the entity before them where there are several; fiscal: its position."""

    account: str
    name: str
    posted: date
    debit: Decimal
    credit: Decimal
    fiscal: int
    cells: dict[str, Cell]


@dataclass(slots=True)
class _Account:
    """One account's figures from the store's sums: what its lines are held against."""

    opening: Decimal = _ZERO
    debit: Decimal = _ZERO
    credit: Decimal = _ZERO
    lines: int = 0

    @property
    def closing(self) -> Decimal:
        return self.opening + self.debit - self.credit


def detail(book: Book, request: DetailRequest) -> ReportTable:
    """Return the accounts one after another, debits positive: opening, lines in order, running and closing balance.

    Raises UsageMistake for words that name no account, and where the range is none or reaches over a year's end.
    """
    return _Detail(book, request).table()


class _Detail:
    """One account detail in the making."""

    def __init__(self, book: Book, request: DetailRequest) -> None:
        self.book, self.request = book, request
        self.selection = book.select(request.entities, "ledger")
        self.accounts = chosen_accounts(request.accounts, book.chart)
        self.shown = self._shown()
        calendar = self.selection.calendar
        self.range = trial_range(book, calendar, request.when, (request.first, request.last))
        self.range.check(self.accounts, book.chart)
        self.fields = book.line_fields("ledger")
        self.as_of = as_of_for(book, calendar, request.when)
        self.conditions = ledger_conditions(book, request.conditions, self.as_of)
        self.columns = self._read_columns()
        self.places = Decimal(1).scaleb(-self.selection.decimals)
        self.checks: list[Check] = []

    def _shown(self) -> str:
        return self.request.show or _DEFAULT_SHOWN

    def _read_columns(self) -> tuple[ShownField, ...]:
        def no_labels(columns: LineField, _unit: Any) -> None:
            what = "parts of dates are for `almanac list`"
            raise UsageMistake(Mistake(what, "--show", repr(columns.name)))

        reader = ComputedReader(self.fields, "--show", UsageMistake, self.as_of, no_labels)
        columns = ShownReader(reader, {}, UsageMistake).shown(self.shown, "--show", ())
        for each in columns:
            if each.aggregate or each.key in ("posted", "debit", "credit", "balance"):
                what = "this is shown already" if not each.aggregate else "only fields of lines are shown here"
                raise UsageMistake(Mistake(what, "--show", repr(each.key)))
        return columns

    def table(self) -> ReportTable:
        """Ask the store, and return the report."""
        filter_ = self.conditions.filter_of(self.book, TRIAL_FREE, TRIAL_SHOWN)
        sums = self.book.sums(trial_measures(self.range, self.request.after_closing), filter_)
        figures = self._figures(sums)
        by_account = self._lines()
        rows = [row for code in figures for row in self._account_rows(code, figures[code], by_account.get(code, []))]
        if len(figures) > 1:
            rows += self._total(figures)
        columns = self._table_columns(rows)
        if self.request.carried:
            rows = list(self._with_carried(rows))
        selection, range_ = self.selection, self.range
        closing = "after closing" if self.request.after_closing else "before closing"
        return ReportTable(
            title="Account detail",
            facts={
                **selection_facts(selection),
                "accounts": ", ".join(self.request.accounts),
                "from": range_.first.isoformat(),
                "through": range_.last.isoformat(),
                "range": range_.words,
                "closing_lines": closing,
                "signs": "debit positive",
                **({"dates": "posted"} if self.request.dated == "posted" else {}),
                **({"conditions": " · ".join(self.conditions.words)} if self.conditions.words else {}),
                **data_facts(self.book),
            },
            subtitle=(
                f"{selection.words} · {selection.currency} · debits positive",
                " · ".join(
                    [
                        range_.words,
                        *dated_words(self.request.dated),
                        closing,
                        f"accounts: {', '.join(self.request.accounts)}",
                        *self.conditions.balance_words,
                    ]
                ),
                data_words(self.book),
            ),
            columns=columns,
            rows=tuple(rows),
            key_label="entity/journal/line" if self._several else "journal/line",
            proof=self._proof(sums, figures),
            notes=(
                *self.conditions.slips(self.book, {} if self.request.after_closing else {"closing": "--after-closing"}),
                *self.conditions.edge_notes(
                    self.book,
                    selection,
                    [(range_.first, range_.last)] if self.request.first else [],
                    self._rules(FieldTest("entry", "is", range_.classes(self.request.after_closing)))[:2],
                ),
                *self._notes(figures),
            ),
        )

    @property
    def _several(self) -> bool:
        return len(self.selection.entities) > 1

    def _figures(self, sums: AccountSums) -> dict[str, _Account]:
        """Return each chosen account that has an opening or lines."""
        accounts: dict[str, _Account] = {}
        for (entity, code), measured in sums.items():
            if entity not in self.selection.entities or code not in self.accounts:
                continue
            account = accounts.setdefault(code, _Account())
            account.opening += measured["before"].amount
            if not self.book.chart[code].is_income:
                account.opening += measured["earlier"].amount
            moved = measured["within"]
            account.debit += moved.debit
            account.credit += moved.credit
            account.lines += moved.lines
        return {
            code: accounts[code]
            for code in self.accounts
            if code in accounts and (accounts[code].opening or accounts[code].lines)
        }

    # Lines.

    def _rules(self, shown: Predicate) -> list[Predicate]:
        return [
            FieldTest("account", "is", self.accounts),
            shown,
            FieldTest("entity", "is", tuple(self.selection.entities)),
            *(rule.predicate for rule in self.conditions.rules),
        ]

    def _lines(self) -> dict[str, list[_Line]]:
        return self._asked(self._rules(self.range.line_rule(self.request.after_closing)), self.range.within)

    def _asked(self, rules: Sequence[Predicate], stretches: tuple[FiscalRange, ...]) -> dict[str, list[_Line]]:
        parts, _ = self.book.ledger_parts(stretches, ())
        source = self.book.line_source(self.fields, rules, parts)
        named = [
            self.fields.by_name[name] for name in ("account", "entity", "journal", "line", "posted", "debit", "credit")
        ]
        values: list[Expression] = [each.value for each in named]
        values += [source.places["place"]]
        wanted = [(column.key, column.value) for column in self.columns if column.value is not None]
        # Extra periods count on the year's last day, after all lines of its last period.
        order = [Order(source.places[name]) for name in ("place_day", "place")]
        order += [Order(FieldReference("posted"))]
        order += [Order(self.fields.by_name[name].value, as_number=True) for name in ("journal", "line")]
        by_account: dict[str, list[_Line]] = {}
        for row in lines(self.book.engine, source, [*values, *(value for _, value in wanted)], order):
            account, entity, journal, line, posted, debit, credit, fiscal, *others = row
            name = f"{entity}/{journal}/{line}" if self._several else f"{journal}/{line}"
            cells = dict(zip((key for key, _ in wanted), others, strict=True))
            by_account.setdefault(account, []).append(_Line(account, name, posted, debit, credit, fiscal, cells))
        return by_account

    # Rows.

    def _account_rows(self, code: str, figures: _Account, found: Sequence[_Line]) -> Iterator[Row]:
        name = f"{code} {self.book.chart[code].name}"
        yield heading(code, name)
        words = (
            "Opening, before the adjustments"
            if self.range.adjustments_only
            else f"Opening, {day_words(self.range.first)}"
        )
        yield Row(f"{code}/opening", words, 1, "line", {"balance": figures.opening.quantize(self.places)})
        balance, debit, credit = figures.opening, _ZERO, _ZERO
        keys = [f"{code}/opening"]
        period: list[_Line] = []
        for line in found:
            if self.request.subtotals and period and period[-1].fiscal != line.fiscal:
                yield self._subtotal(code, period, balance)
                period = []
            balance += line.debit - line.credit
            debit, credit = debit + line.debit, credit + line.credit
            period.append(line)
            keys.append(f"{code}/{line.name}")
            yield Row(keys[-1], line.name, 1, "line", self._cells(line, balance))
        if self.request.subtotals and period:
            yield self._subtotal(code, period, balance)
        same = (debit, credit, balance, len(found)) == (figures.debit, figures.credit, figures.closing, figures.lines)
        if not same:
            self.checks.append(
                Check(
                    f"{code}: the last balance is off the trial balance by {off_words(balance - figures.closing, 2)}",
                    holds=False,
                )
            )
        cells: dict[str, Cell] = {
            "debit": figures.debit.quantize(self.places),
            "credit": figures.credit.quantize(self.places),
            "balance": figures.closing.quantize(self.places),
        }
        yield Row(
            code, f"Closing, {day_words(self.range.last)}", 0, "subtotal", cells, adds=tuple((1, key) for key in keys)
        )

    def _subtotal(self, code: str, period: Sequence[_Line], balance: Decimal) -> Row:
        fiscal = period[0].fiscal
        name = f"{fiscal // 100}-P{fiscal % 100:02d}"
        cells: dict[str, Cell] = {
            "debit": sum((line.debit for line in period), _ZERO).quantize(self.places),
            "credit": sum((line.credit for line in period), _ZERO).quantize(self.places),
            "balance": balance.quantize(self.places),
        }
        adds = tuple((1, f"{code}/{line.name}") for line in period)
        return Row(f"{code}/{name}", f"In {name}", 1, "subtotal", cells, adds=adds)

    def _cells(self, line: _Line, balance: Decimal | None) -> dict[str, Cell]:
        # The side that a line is not on stays blank, so that the eye finds the other.
        sides = {"debit": line.debit, "credit": line.credit}
        cells: dict[str, Cell] = {"posted": line.posted, **line.cells}
        cells |= {name: side.quantize(self.places) for name, side in sides.items() if side}
        if balance is not None:
            cells["balance"] = balance.quantize(self.places)
        return cells

    def _total(self, figures: Mapping[str, _Account]) -> Iterator[Row]:
        cells: dict[str, Cell] = {
            "debit": sum((each.debit for each in figures.values()), _ZERO).quantize(self.places),
            "credit": sum((each.credit for each in figures.values()), _ZERO).quantize(self.places),
            "balance": sum((each.closing for each in figures.values()), _ZERO).quantize(self.places),
        }
        adds = tuple((1, code) for code in figures)
        yield Row("total", f"Total of {len(figures)} accounts", 0, "total", cells, adds=adds)

    def _with_carried(self, rows: Sequence[Row]) -> Iterator[Row]:
        """Yield the rows with the carried lines of the year beneath each account's closing: they are in no figure."""
        years = range(self.range.since, self.range.year + 1)
        opens = tuple(FiscalRange(year * 100 + 1, year * 100 + 1) for year in years)
        carried = Every((FieldTest("entry", "is", ("carried",)), Within(opens)))
        found = self._asked(self._rules(carried), opens)
        bases = self.book.state.bases
        is_base = any(bases.get(entity, 0) // 100 in years for entity in self.selection.entities)
        words = "in the opening, as the base" if is_base else "in no figure: the opening is computed"
        for row in rows:
            yield row
            code = row.key
            for number, line in enumerate(found.get(code, [])):
                if not number:
                    yield heading(f"{code}/carried", f"Carried into {' and '.join(map(str, years))}, {words}", 1)
                yield Row(f"{code}/carried/{line.name}", line.name, 2, "line", self._cells(line, None))

    def _table_columns(self, rows: Sequence[Row]) -> tuple[Column, ...]:
        kinds: dict[str, Any] = {"amount": "amount", "quantity": "number", "whole": "count", "date": "date"}
        columns = []
        for column in self.columns:
            cells = [row.cells.get(column.key) for row in rows]
            # What nobody asked for and no line has would only take room.
            if self.request.show or any(cell is not None for cell in cells):
                decimals = self.selection.decimals if column.kind in ("amount", "quantity") else 0
                columns.append(Column(column.key, column.label, kinds.get(column.kind, "text"), decimals))
        through = self.book.data_through()
        complete = through is not None and through >= self.range.last
        decimals = self.selection.decimals
        first, last = self.range.first, self.range.last
        moved = Covered(first, last, complete if through else None, self.range.whole)
        days = f"{self.range.year} adjustments" if self.range.adjustments_only else range_words(first, last)
        return (
            Column("posted", "posted", "date"),
            *columns,
            Column("debit", "debit", "amount", decimals, first, last, complete, days, covered=moved),
            Column("credit", "credit", "amount", decimals, first, last, complete, days, covered=moved),
            Column("balance", "balance", "amount", decimals, adds=False, covered=moved._replace(first=None)),
        )

    # Proof.

    def _proof(self, sums: AccountSums, figures: Mapping[str, _Account]) -> Proof:
        debits, *others = (self._side_proof(sums, figures, side) for side in SIDES)
        return debits._replace(further=tuple(each._replace(checks=()) for each in others))

    def _side_proof(self, sums: AccountSums, figures: Mapping[str, _Account], side: str) -> Proof:
        amount_of = SIDES[side]

        def counted(found: AccountSums, name: str) -> CountedAmount:
            own = [measured[name] for measured in found.values()]
            return CountedAmount(sum(each.lines for each in own), sum(map(amount_of, own), _ZERO))

        selection = self.selection
        own = {key: measured for key, measured in sums.items() if key[0] in selection.entities}
        asked = {key: measured for key, measured in own.items() if key[1] in self.accounts}
        others = {key: measured for key, measured in own.items() if key not in asked}
        aside = {key: measured for key, measured in sums.items() if key not in own and key[0] in selection.comparable}
        chart = self.book.chart
        income = {key: measured for key, measured in asked.items() if chart[key[1]].is_income}
        balance = {key: measured for key, measured in asked.items() if key not in income}
        opened = counted(balance, "earlier") + counted(asked, "before")
        moved = counted(asked, "within")
        left_out = (
            Part("other entities", counted(aside, "all")),
            Part(
                "other accounts",
                sum((counted(others, name) for name in ("earlier", "before", "within")), CountedAmount(0, _ZERO)),
            ),
            Part("earlier years of income and expense", counted(income, "earlier")),
            Part("carried in later years", counted(own, "carried")),
            Part("closing lines of the year", counted(own, "closing")),
            Part("adjustment periods", counted(own, "adjustments")),
            Part("later dates", counted(own, "later")),
            *(Part(rule.words, counted(own, f"{UNMET}{number}")) for number, rule in enumerate(self.conditions.rules)),
        )
        everything = considered(self.book.state, selection.comparable)
        count = sum(each.lines for each in figures.values())
        leads = "line leads" if count == 1 else "lines lead"
        checks = self.checks or [Check(f"{count:,} {leads} to the closing of the trial balance", holds=True)]
        return Proof(
            measure=side,
            considered=CountedAmount(everything.lines, amount_of(everything)),
            shown=opened + moved,
            shown_as=(Part("in openings", opened), Part("line by line", moved)),
            left_out=tuple(each for each in left_out if each.counted.lines),
            checks=tuple(checks),
            decimals=selection.decimals,
        )

    def _notes(self, figures: Mapping[str, _Account]) -> Iterator[str]:
        yield from self.selection.notes
        yield from as_of_notes(self.as_of, self.range.last)
        yield from early_notes(self.book, "ledger", self.selection, self.range.last)
        yield from self.conditions.balance_notes()
        empty = len(self.accounts) - len(figures)
        if empty:
            words = how_many(empty, "account")
            yield f"{words} of those asked for {'has' if empty == 1 else 'have'} neither an opening nor lines"
