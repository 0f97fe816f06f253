"""A layout held against a chart of accounts: which row takes which account, what each is the sum of, and what is wrong.

Signs: an account's amounts are stored debit-positive; each row has one factor, 1 or -1, that turns them into what it
shows (docs/layouts.md, "Signs").
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, NamedTuple

from level_almanac.core.accounts import Account, ChartOfAccounts
from level_almanac.core.language.formulas import Formula, Name, names_in, read_formula, unknown_name
from level_almanac.core.lines.account_conditions import accounts_that
from level_almanac.errors import BookMistake, Mistake, listed, nearest
from level_almanac.files.layouts import Layout, LayoutRow, RowMeasure
from level_almanac.files.tables import INCOME_CLASSES

EARLIER = "earlier-results"
RESULT = "result"
RESULTS = (EARLIER, RESULT)
"""Stand-ins for accounts: what finished years left on income and expense, and what the running one has."""
CREDIT_CLASSES = ("income", "liability", "equity")


class ArrangedRow(NamedTuple):
    """One row of a layout. roots: the accounts that head its tree; codes: all accounts it takes; factor: from stored
    amounts to shown ones; fav: -1 where less is better, 1 where more is or neither.
    """

    row: LayoutRow
    number: int
    measure: RowMeasure
    roots: tuple[Account, ...] = ()
    codes: tuple[str, ...] = ()
    formula: Formula | None = None
    factor: Literal[1, -1] = 1
    fav: Literal[1, -1] = 1

    @property
    def key(self) -> str:
        """Its key, or one made of its number where it has none."""
        return self.row.key or f"row-{self.number}"

    @property
    def taken(self) -> tuple[str, ...]:
        """The accounts it takes, results among them."""
        return self.codes + (RESULTS if self.row.results else ())


class Arrangement(NamedTuple):
    """All rows of a layout, the formulas that must come to nothing, and the accounts in its scope that no row takes."""

    layout: Layout
    rows: tuple[ArrangedRow, ...]
    zero: tuple[tuple[str, Formula], ...]
    not_placed: tuple[str, ...]

    @property
    def measures(self) -> set[RowMeasure]:
        """Whether its rows show movements, balances, or both."""
        return {self.layout.measure, *(row.measure for row in self.rows if row.codes)}


def nature(account: Account) -> Literal[1, -1]:
    """Return what turns a stored amount of this account into its class's natural sign."""
    return -1 if account.account_class in CREDIT_CLASSES else 1


def arranged(layout: Layout, chart: ChartOfAccounts) -> Arrangement:
    """Return the layout's rows with their accounts and formulas; raise BookMistake with every mistake there is."""
    return _Arranger(layout, chart).arrange()


class _Arranger:
    """Arranges one layout."""

    def __init__(self, layout: Layout, chart: ChartOfAccounts) -> None:
        self.layout, self.chart = layout, chart
        self.mistakes: list[Mistake] = []
        self.numbers: dict[str, int] = {}
        self.figured = [row.key for row in layout.rows if row.key and (row.sources or row.results)]

    def arrange(self) -> Arrangement:
        for number, row in enumerate(self.layout.rows, 1):
            if row.key in self.numbers:
                other = f"rows[{self.numbers[row.key]}]"
                self.mistakes.append(Mistake(f"{other} has this key too", self.layout.where(number, "key"), row.key))
            elif row.key:
                self.numbers[row.key] = number
        rows: dict[str, ArrangedRow] = {}
        for number, row in enumerate(self.layout.rows, 1):
            found = self._row(number, row)
            rows[found.key] = found
        self._check_circles(rows)
        zero = [(text, formula) for text in self.layout.zero if (formula := self._formula(text, "zero", text))]
        self._check_twice(list(rows.values()))
        for found in rows.values():
            if found.row.only_with and found.row.only_with not in self.figured:
                where = self.layout.where(found.number, "only_with")
                self.mistakes.append(self._unknown(found.row.only_with, where))
        if self.mistakes:
            raise BookMistake(*dict.fromkeys(self.mistakes))
        signed = {key: self._signed(row, rows) for key, row in rows.items()}
        taken = {code for row in rows.values() if not row.row.memo for code in row.taken}
        return Arrangement(self.layout, tuple(signed.values()), tuple(zero), tuple(self._left(taken)))

    def _unknown(self, name: str, where: str) -> Mistake:
        hint = nearest(name, self.figured)
        return Mistake("no row with figures has this key", where, repr(name), listed(self.figured), hint)

    def _row(self, number: int, row: LayoutRow) -> ArrangedRow:
        measure: RowMeasure = row.measure or self.layout.measure
        roots, codes = self._accounts(number, row)
        formula = None
        for name in ("formula", "ratio"):
            if text := getattr(row, name):
                formula = self._formula(text, self.layout.where(number, name), text)
        for name in row.sum_of:
            if name not in self.figured:
                self.mistakes.append(self._unknown(name, self.layout.where(number, "sum_of")))
        if measure == "balance" and any(self.chart[code].is_income for code in codes):
            what = "income and expense have no balance"
            step = "results = true shows what they come to, measure = 'movement' what they moved"
            self.mistakes.append(Mistake(what, self.layout.where(number), row.key, next_step=step))
        return ArrangedRow(row, number, measure, roots, codes, formula, self._factor(number, row, codes))

    def _formula(self, text: str, where: str, shown: str) -> Formula | None:
        if where == "zero":
            where = f"layouts/{self.layout.name}.toml: zero"
        try:
            formula = read_formula(text, where, BookMistake)
        except BookMistake as error:
            self.mistakes += error.mistakes
            return None
        for name in names_in(formula):
            if name.name not in self.figured:
                what, hint = "no row with figures has this key", nearest(name.name, self.figured)
                self.mistakes.append(unknown_name(shown, name, what, where, listed(self.figured), hint))
        return formula

    def _accounts(self, number: int, row: LayoutRow) -> tuple[tuple[Account, ...], tuple[str, ...]]:
        if row.accounts:
            where = self.layout.where(number, "accounts")
            try:
                codes = accounts_that(row.accounts, self.chart, where)
            except BookMistake as error:
                self.mistakes += error.mistakes
                return (), ()
            if not codes:
                self.mistakes.append(Mistake("no account of the chart meets this", where, row.accounts))
            if row.show == "tree":
                what, allowed = "a condition makes no tree", "show = 'each' or 'sum', or classes or branch"
                self.mistakes.append(Mistake(what, self.layout.where(number, "show"), allowed=allowed))
            return tuple(self.chart[code] for code in codes), codes
        roots: list[Account] = []
        for name in [row.classes] if isinstance(row.classes, str) else row.classes:
            roots += self.chart.roots(name) if name else []
        for code in [row.branch] if isinstance(row.branch, str) else row.branch:
            if code and code not in self.chart.accounts:
                hint = nearest(code, self.chart.accounts)
                where = self.layout.where(number, "branch")
                self.mistakes.append(Mistake("the chart lacks this account", where, repr(code), next_step=hint))
            elif code:
                roots.append(self.chart[code])
        return tuple(roots), tuple(code for root in roots for code in self.chart.below(root.code))

    def _factor(self, number: int, row: LayoutRow, codes: Sequence[str]) -> Literal[1, -1]:
        if row.sign in ("debit", "credit"):
            return 1 if row.sign == "debit" else -1
        natures = {nature(self.chart[code]) for code in codes} or ({-1} if row.results else {1})
        if len(natures) > 1:
            what = "the row takes accounts that are positive on either side"
            self.mistakes.append(Mistake(what, self.layout.where(number, "sign"), row.sign, "'debit' or 'credit'"))
        factor = natures.pop()
        turned: Literal[1, -1] = -1 if factor == 1 else 1
        return turned if row.sign == "turned" else factor

    def _check_circles(self, rows: Mapping[str, ArrangedRow]) -> None:
        def leads_to(key: str, sought: str, seen: set[str]) -> bool:
            if key in seen or key not in rows:
                return False
            seen.add(key)
            return any(name == sought or leads_to(name, sought, seen) for name in _names(rows[key]))

        for key, row in rows.items():
            if leads_to(key, key, set()):
                name = "formula" if row.row.formula else "ratio" if row.row.ratio else "sum_of"
                told = getattr(row.row, name)
                what = f"the row {key} is made of itself, at once or by others"
                self.mistakes.append(Mistake(what, self.layout.where(row.number, name), str(told)))

    def _check_twice(self, rows: Sequence[ArrangedRow]) -> None:
        taken: dict[tuple[RowMeasure, str], ArrangedRow] = {}
        for row in rows:
            clashes = [code for code in row.taken if not row.row.memo and (row.measure, code) in taken]
            if clashes:
                first = taken[row.measure, clashes[0]]
                code = clashes[0]
                many = f" and {len(clashes) - 1} more" if len(clashes) > 1 else ""
                what = f"rows[{first.number}] ({first.key}) takes account {code}{many} too"
                step = "let one row take it, or set memo = true on one that is only shown beside the statement"
                where = f"{self.layout.where(row.number)} ({row.key})"
                self.mistakes.append(Mistake(what, where, next_step=step))
            if not row.row.memo:
                taken.update({(row.measure, code): row for code in row.taken})

    def _signed(self, row: ArrangedRow, rows: Mapping[str, ArrangedRow]) -> ArrangedRow:
        """Return the row with the factor and the favourable side that it takes from what it is made of."""
        named = [name for name in _names(row) if name in rows]
        factor = row.factor
        if named:
            factor = self._signed(rows[named[0]], rows).factor
        return ArrangedRow(
            row.row, row.number, row.measure, row.roots, row.codes, row.formula, factor, self._favourable(row, rows)
        )

    def _favourable(self, row: ArrangedRow, rows: Mapping[str, ArrangedRow]) -> Literal[1, -1]:
        if row.row.better:
            return -1 if row.row.better == "less" else 1
        if row.row.sum_of:
            sides = {self._favourable(rows[name], rows) for name in row.row.sum_of}
            return sides.pop() if len(sides) == 1 else 1
        if isinstance(row.formula, Name):
            return self._favourable(rows[row.formula.name], rows)
        # Where costs are positive less is better, in a row that takes income off them too.
        costs = any(self.chart[code].account_class in ("direct-cost", "expense") for code in row.codes)
        return -1 if costs and row.factor == 1 else 1

    def _left(self, taken: set[str]) -> Iterator[str]:
        scope = self.layout.scope
        for code, account in self.chart.accounts.items():
            wanted = scope == "all" or (account.account_class in INCOME_CLASSES) == (scope == "income")
            if wanted and code not in taken:
                yield code
        if scope in ("balance", "all") and self.layout.measure == "balance":
            yield from (result for result in RESULTS if result not in taken)


def _names(row: ArrangedRow) -> list[str]:
    return row.row.sum_of or ([name.name for name in names_in(row.formula)] if row.formula else [])
