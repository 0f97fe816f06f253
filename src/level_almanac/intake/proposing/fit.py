"""Which table an export feeds, and which of its columns is which field: by heads, and by what the columns hold."""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from level_almanac.errors import listed
from level_almanac.files.tables import BILLING_SIGNS, DATED, SIDE_OF, Field, Table
from level_almanac.intake.formats.json_records import OUTER
from level_almanac.intake.proposing.columns import ColumnProfile, is_running
from level_almanac.intake.proposing.structure import Structure
from level_almanac.intake.proposing.words import (
    PAYABLE_WORDS,
    PLAN_WORDS,
    RECEIVABLE_WORDS,
    heads_for,
    plain,
    word_for,
)

_NOT_NEEDED = ("entity", "line", "scenario")
"""Fields that a block can set, or that have a value where they are blank."""


@dataclass(slots=True)
class Fit:
    """An export held against one table. mapped: by field the column; notes: what was unsure of a field; unfit: fields
    that a head names and whose texts are not of their kind; score: how well it fits.
    """

    table: Table
    mapped: dict[str, ColumnProfile] = field(default_factory=dict)
    notes: dict[str, str] = field(default_factory=dict)
    unfit: dict[str, ColumnProfile] = field(default_factory=dict)
    score: float = 0

    def missing(self, settled: Sequence[str] = ()) -> list[str]:
        """Return the fields that are needed and have no column. settled: those that are told in another way."""
        able = (*_NOT_NEEDED, *settled)
        return [each.name for each in self.table.fields if each.required and each.name not in (*self.mapped, *able)]


def fit_of(table: Table, found: Structure, columns: Sequence[ColumnProfile], about: str) -> Fit:
    """Return how an export fits a table. about: the words of its file's and sheet's names."""
    fit = Fit(table)
    heads = {column.head: column for column in columns}
    taken: set[str] = set()
    for each in table.fields:
        named = [heads[head] for head in heads_for(each.name, list(heads)) if head not in taken]
        fitting = [column for column in named if _fits(each, column, plan=bool(table.plan_of))]
        if not fitting:
            if named:
                fit.unfit[each.name] = named[0]
            continue
        fit.mapped[each.name] = fitting[0]
        taken.add(fitting[0].head)
        others = [column.head for column in fitting[1:] if column.head not in taken]
        if others:
            fit.notes[each.name] = f"unsure: {listed(repr(other) for other in others)} may be meant instead"
    _by_values(fit, found, columns)
    fit.score = _score(fit, columns, about)
    return fit


def _fits(each: Field, column: ColumnProfile, *, plan: bool) -> bool:
    if column.holds == "blank":
        return True
    if each.kind == "date":
        return column.date is not None
    if each.kind in ("amount", "quantity"):
        return column.number is not None and column.holds != "date"
    if each.kind == "period":
        return bool(column.period) or (plan and all(re.fullmatch(r"(19|20)\d\d", text) for text in column.texts))
    if each.name == "scenario":
        return column.number is None
    if each.name in ("account", "number", "journal", "party", "item", "line"):
        return column.holds not in ("date", "side") and not (column.is_amount and _has_decimals(column))
    return column.holds != "date" or each.kind == "text"


def _has_decimals(column: ColumnProfile) -> bool:
    return any(column.number is not None and column.number.guess.decimal in text for text in column.texts)


def _by_values(fit: Fit, found: Structure, columns: Sequence[ColumnProfile]) -> None:
    """Map what no head names and what one column alone can hold."""
    left = [column for column in columns if column not in fit.mapped.values() and column.holds != "blank"]
    names = {each.name: each for each in fit.table.fields}

    def take(name: str, column: ColumnProfile) -> None:
        fit.mapped[name] = column
        fit.unfit.pop(name, None)
        left.remove(column)
        if not _is_number_head(column.head):
            fit.notes.setdefault(name, "unsure: taken for what it holds")

    _dates_by_values(fit, names, left, take)
    if is_document(fit.table) and "date" not in fit.mapped and "posted" in fit.mapped:
        # Where one date is told, it is the document's, and the day it was booked.
        fit.mapped["date"] = fit.mapped.pop("posted")
    if fit.table.name == "ledger":
        _ledger_by_values(fit, found, names, left, take)


Take = Callable[[str, ColumnProfile], None]


def _dates_by_values(fit: Fit, names: Mapping[str, Field], left: Sequence[ColumnProfile], take: Take) -> None:
    for name, each in names.items():
        if each.kind == "date" and each.required and name not in fit.mapped and not fit.unfit.get(name):
            dates = [column for column in left if column.holds == "date"]
            if len(dates) == 1:
                take(name, dates[0])


def _ledger_by_values(
    fit: Fit, found: Structure, names: Mapping[str, Field], left: list[ColumnProfile], take: Take
) -> None:
    if not {"debit", "credit", "amount"} & fit.mapped.keys():
        _ledger_amounts(found, left, take)
    party = fit.mapped.get("party")
    if "journal" not in fit.mapped and party and party.head.startswith(OUTER):
        # What stands around all rows of a voucher is the voucher's number.
        fit.mapped["journal"] = fit.mapped.pop("party")
    for name in ("journal", "line", "account"):
        if name in names and name not in fit.mapped:
            chosen = _ledger_code(name, left)
            if chosen is not None:
                take(name, chosen)


def _ledger_amounts(found: Structure, left: list[ColumnProfile], take: Take) -> None:
    numbers = [column for column in left if column.is_amount and _has_decimals(column)]
    if len(numbers) == 2 and _are_sides(found, numbers[0], numbers[1]):
        take("debit", numbers[0])
        take("credit", numbers[1])
    elif len(numbers) == 1:
        take("amount", numbers[0])


def _are_sides(found: Structure, one: ColumnProfile, other: ColumnProfile) -> bool:
    """Tell whether each row has a number that is not zero in just one of two columns."""

    def there(text: str) -> bool:
        return bool(re.search(r"[1-9]", text))

    pairs = list(zip(found.cells(one.at), found.cells(other.at), strict=True))
    return bool(pairs) and all(there(a) != there(b) for a, b in pairs)


def _ledger_code(name: str, left: Sequence[ColumnProfile]) -> ColumnProfile | None:
    codes = [column for column in left if column.holds in ("code", "number") and column.filled > 0.5]
    if name == "account":
        able = [c for c in codes if all(re.fullmatch(r"\d{3,10}", text) for text in c.texts) and not _is_counting(c)]
        return able[0] if len(able) == 1 else None
    outer = [column for column in codes if column.head.startswith(OUTER)]
    if name == "journal" and len(outer) == 1:
        return outer[0]
    if all(_is_number_head(column.head) for column in left):
        # Without any heads the columns' order is what tells: a voucher that repeats, then small numbers within it.
        if name == "journal":
            return next((c for c in codes if 1 < c.distinct < len(c.texts) and not c.texts[0].isdigit()), None)
        return next((c for c in codes if _is_counting(c)), None)
    return None


def _is_counting(column: ColumnProfile) -> bool:
    return all(re.fullmatch(r"\d{1,3}", text) for text in column.texts)


def _is_number_head(head: str) -> bool:
    return head.isdigit() or bool(re.fullmatch(r"column \d+", head))


def _score(fit: Fit, columns: Sequence[ColumnProfile], about: str) -> float:
    table, names = fit.table, [plain(column.head) for column in columns]
    words = " ".join([*names, plain(about)])
    amounts = [column for column in columns if column.is_amount]
    score = 2.0 * len(fit.mapped) - 3 * len(fit.missing(("kind", "class")))
    match table.name:
        case "ledger":
            score += _ledger_score(fit, columns, words)
        case "budget":
            score += _plan_score(fit, columns, words)
        case "accounts":
            score += (3 if heads_for("level", [c.head for c in columns]) or "parent" in fit.mapped else 0) - 4 * bool(
                amounts
            )
            score -= 3 * any(column.holds == "date" for column in columns)
            score += 4 if "account" in fit.mapped and are_tree(set(fit.mapped["account"].texts)) else 0
        case "parties":
            score += (2 if "party" in fit.mapped else -4) - 5 * bool(amounts)
            score -= 4 * any(column.holds == "date" for column in columns)
            score -= 3 if "class" in fit.mapped or heads_for("class", names) or heads_for("level", names) else 0
            score += 2 if plain(about) and any(word in plain(about) for word in ("part", "supplier", "customer")) else 0
        case "payables" | "receivables":
            score += _document_score(fit, columns, words)
        case "billing":
            kinds = fit.mapped.get("kind")
            known = tuple(BILLING_SIGNS)
            score += 6 if kinds and all(word_for("kind", text, known) for text in set(kinds.texts)) else -4
        case "sales":
            score += 3 if "item" in fit.mapped else -4
    return score


def _ledger_score(fit: Fit, columns: Sequence[ColumnProfile], words: str) -> float:
    both = {"debit", "credit"} <= fit.mapped.keys() or any(column.holds == "side" for column in columns)
    score = 4.0 if both else 1 if {"debit", "credit", "amount"} & fit.mapped.keys() else -6
    kinds = [column for column in columns if column.texts and all(word_for("kind", text) for text in set(column.texts))]
    score -= 4 if kinds and "account" not in fit.mapped else 0
    return score - (2 if any(word in words for word in PLAN_WORDS) else 0)


def _plan_score(fit: Fit, columns: Sequence[ColumnProfile], words: str) -> float:
    wide = sum(bool(_is_period_head(column.head)) and column.number is not None for column in columns)
    score = 6.0 if wide > 1 else 0.0
    score += 4 if any(word in words.split() or word in words for word in PLAN_WORDS) else 0
    score -= 4 if {"debit", "credit"} & {plain(column.head) for column in columns} else 0
    return score - (5 if not wide and not {"period", "date"} & fit.mapped.keys() else 0)


def _document_score(fit: Fit, columns: Sequence[ColumnProfile], words: str) -> float:
    payable = fit.table.name == "payables"
    own: Sequence[str] = PAYABLE_WORDS if payable else RECEIVABLE_WORDS
    other: Sequence[str] = RECEIVABLE_WORDS if payable else PAYABLE_WORDS
    score = 3.0 * any(word in words for word in own) - 3.0 * any(word in words for word in other)
    kind = fit.mapped.get("kind")
    if kind and all(word_for("kind", text) for text in set(kind.texts)):
        score += 4
    elif kind is None and "invoice" not in words and "bill" not in words:
        score -= 5
    score += 2 if "due" in fit.mapped else 0
    return score - (4 if {"debit", "credit"} & {plain(column.head) for column in columns} else 0)


def _is_period_head(head: str) -> bool:
    from level_almanac.intake.proposing.guesses import date_guess, period_guess

    return bool(period_guess([head]) or date_guess([head])) and not re.fullmatch(r"\d{1,2}", head)


def best_fits(tables: Mapping[str, Table], found: Structure, columns: Sequence[ColumnProfile], about: str) -> list[Fit]:
    """Return how the export fits each table, the best first."""
    fits = [fit_of(table, found, columns, about) for table in tables.values()]
    return sorted(fits, key=lambda fit: -fit.score)


def balance_columns(found: Structure, fit: Fit, columns: Sequence[ColumnProfile]) -> list[ColumnProfile]:
    """Return the columns that are running balances of the amounts."""
    debit = fit.mapped.get("debit") or fit.mapped.get("amount")
    if debit is None:
        return []
    left = [column for column in columns if column not in fit.mapped.values() and column.is_amount]
    return [column for column in left if is_running(found, column, debit, fit.mapped.get("credit"))]


def are_tree(codes: set[str]) -> bool:
    """Tell whether codes are of several lengths, and most of the longer ones begin with one of the shorter."""
    lengths = sorted({len(code) for code in codes})
    under = [code for code in codes if len(code) > min(lengths, default=0)]
    figures = all(code.isdigit() for code in codes)
    return (
        figures
        and bool(under)
        and (
            sum(any(code[:length] in codes for length in lengths if length < len(code)) for code in under) * 2
            >= len(under)
        )
    )


def is_document(table: Table) -> bool:
    """Tell whether a table is of documents."""
    return table.name in SIDE_OF.values()


def numbers_its_lines(table: Table) -> bool:
    """Tell whether lines of a table are numbered in file order where no column tells them apart."""
    return table.name in ("ledger", *DATED)
