"""The trial balance: opening, debit, credit and closing of every account (docs/trial.md)."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from decimal import Decimal
from typing import NamedTuple

from level_almanac.core.accounts import Account, ChartOfAccounts
from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.header import as_of_for, as_of_notes, data_facts, data_words, early_notes, selection_facts
from level_almanac.core.language.days import DayExpression
from level_almanac.core.lines.asked import LedgerConditions, ledger_conditions
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.trial.range import TRIAL_FREE, TRIAL_SHOWN, TrialRange, trial_measures, trial_range
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.requests.options import Request, inner, option
from level_almanac.core.requests.shared import (
    condition_options,
    dated_option,
    dated_words,
    entity_option,
    first_option,
    last_option,
    level_option,
)
from level_almanac.core.selection import Selection
from level_almanac.core.spans.as_of import COVERS, AsOfRequest
from level_almanac.core.table.exact import off_words
from level_almanac.core.table.model import Check, Column, CountedAmount, Covered, Part, Proof, ReportTable, Row
from level_almanac.immutable import immutable
from level_almanac.store.ledger_sums import UNMET, Measures, Sums, considered
from level_almanac.store.predicate import FieldTest

_ZERO = Decimal(0)
_ONE_DAY = timedelta(days=1)


@immutable(kw_only=True)
class TrialRequest(Request):
    """What a trial balance is asked for. first, last: a range of days, both or neither; level: roll accounts up to."""

    after_closing: bool = option("after-closing", "With the closing lines of the year shown.", "flag")
    level: int | None = level_option()
    dated: str = dated_option()
    when: AsOfRequest = inner(AsOfRequest, without=("compare",), helps=COVERS)
    first: DayExpression | None = first_option()
    last: DayExpression | None = last_option()
    conditions: Conditions = condition_options()
    entities: tuple[str, ...] = entity_option()


@dataclass(slots=True)
class _Line:
    """The sums of one row in the making."""

    opening: Decimal = _ZERO
    debit: Decimal = _ZERO
    credit: Decimal = _ZERO
    lines: int = 0

    def add(self, opening: Decimal, moved: Sums, lines: int) -> None:
        self.opening += opening
        self.debit += moved.debit
        self.credit += moved.credit
        self.lines += lines

    @property
    def closing(self) -> Decimal:
        return self.opening + self.debit - self.credit

    @property
    def is_empty(self) -> bool:
        return not (self.opening or self.debit or self.credit or self.lines)

    def cells(self, places: Decimal) -> dict[str, Decimal]:
        amounts = {"opening": self.opening, "debit": self.debit, "credit": self.credit, "closing": self.closing}
        return {key: amount.quantize(places) for key, amount in amounts.items()}


class MadeTrial(NamedTuple):
    """What a trial balance was made from, so that its figures can be traced."""

    request: TrialRequest
    selection: Selection
    measures: Measures
    conditions: LedgerConditions


def trial(book: Book, request: TrialRequest) -> MadeReport:
    """Return the trial balance: one row an account with its opening, debit, credit and closing, debits positive.

    Raises UsageMistake where the range is none or reaches over a year's end.
    """
    selection = book.select(request.entities, "ledger")
    range_ = trial_range(book, selection.calendar, request.when, (request.first, request.last))
    as_of = as_of_for(book, selection.calendar, request.when)
    conditions = ledger_conditions(book, request.conditions, as_of)
    filter_ = conditions.filter_of(book, TRIAL_FREE, TRIAL_SHOWN)
    measures = trial_measures(range_, request.after_closing)
    sums = book.sums(measures, filter_)
    range_.check(_with_lines(sums, selection), book.chart)
    lines, earlier, result, hidden = _lines(book.chart, sums, selection, request.level)
    total = _Line()
    for line in [*lines.values(), earlier]:
        total.add(line.opening, Sums(0, line.debit, line.credit), line.lines)
    closing = "after closing" if request.after_closing else "before closing"
    places = Decimal(1).scaleb(-selection.decimals)
    rows = [Row(account.code, account.name, 0, "line", line.cells(places)) for account, line in lines.items()]
    if earlier.lines:
        rows.append(Row("earlier-results", "Earlier results not transferred", 0, "line", earlier.cells(places)))
    rows.append(Row("total", "Total", 0, "total", total.cells(places)))
    # With debits positive a profit has a minus, so the words say which it is.
    outcome = f" ({'loss' if result.closing > 0 else 'profit'})" if result.closing else ""
    if result.lines or not conditions.rules:
        rows.append(Row("result", f"of which result of the year{outcome}", 0, "subtotal", result.cells(places)))
    table = ReportTable(
        title="Trial balance",
        facts={
            **selection_facts(selection),
            "from": range_.first.isoformat(),
            "through": range_.last.isoformat(),
            "range": range_.words,
            "closing_lines": closing,
            "signs": "debit positive",
            **({"dates": "posted"} if request.dated == "posted" else {}),
            **({"conditions": " · ".join(conditions.words)} if conditions.words else {}),
            **data_facts(book),
        },
        subtitle=(
            f"{selection.words} · {selection.currency} · debits positive",
            " · ".join([range_.words, *dated_words(request.dated), closing, *conditions.balance_words]),
            data_words(book),
        ),
        columns=_columns(book, range_, selection),
        rows=tuple(rows),
        key_label="account",
        show_keys=True,
        proof=_proof(book, selection, sums, total, conditions),
        notes=(
            *conditions.slips(book, {} if request.after_closing else {"closing": "--after-closing"}),
            *conditions.edge_notes(
                book,
                selection,
                [(range_.first, range_.last)] if request.first else [],
                [FieldTest("entry", "is", range_.classes(request.after_closing))],
            ),
            *_notes(book, selection, total, hidden, conditions),
            *as_of_notes(as_of, range_.last),
            *early_notes(book, "ledger", selection, range_.last),
        ),
    )
    return MadeReport(table, MadeTrial(request, selection, measures, conditions))


def _with_lines(sums: Mapping[tuple[str, str], Mapping[str, Sums]], selection: Selection) -> Iterator[str]:
    """Yield the accounts that lines of the report are on."""
    for (entity, code), measured in sums.items():
        if entity in selection.entities and any(measured[name].lines for name in TRIAL_SHOWN):
            yield code


def _lines(
    chart: ChartOfAccounts, sums: Mapping[tuple[str, str], Mapping[str, Sums]], selection: Selection, level: int | None
) -> tuple[dict[Account, _Line], _Line, _Line, int]:
    """Return the accounts' lines in the order of their codes, the earlier results, the result, and the empty ones."""
    lines: dict[Account, _Line] = {}
    earlier, result = _Line(), _Line()
    for (entity, code), measured in sums.items():
        if entity not in selection.entities:
            continue
        line = lines.setdefault(chart.at_level(code, level), _Line())
        opened, moved = measured["before"], measured["within"]
        if chart[code].is_income:
            # What finished years left on income and expense counts in a row of its own.
            earlier.add(measured["earlier"].amount, Sums(), 1 if measured["earlier"].amount else 0)
            line.add(opened.amount, moved, opened.lines + moved.lines)
            result.add(opened.amount, moved, opened.lines + moved.lines)
        else:
            balance = opened.amount + measured["earlier"].amount
            line.add(balance, moved, moved.lines)
    lines_shown = {account: lines[account] for account in sorted(lines, key=lambda each: chart.place(each.code))}
    kept = {account: line for account, line in lines_shown.items() if not line.is_empty}
    return kept, earlier, result, len(lines_shown) - len(kept)


def _columns(book: Book, shown: TrialRange, selection: Selection) -> tuple[Column, ...]:
    through = book.data_through()
    complete = through is not None and through >= shown.last
    covers = f"{shown.year} adjustments" if shown.adjustments_only else range_words(shown.first, shown.last)
    start = f"before {covers}" if shown.adjustments_only else f"{day_words(shown.first)}, start of day"
    decimals = selection.decimals
    moved = Covered(shown.first, shown.last, complete if through else None, shown.whole)
    opened = moved._replace(first=None, through=shown.first - _ONE_DAY, whole=True)
    return (
        Column("opening", "opening", "amount", decimals, covers=start, covered=opened),
        Column("debit", "debit", "amount", decimals, shown.first, shown.last, complete, covers, covered=moved),
        Column("credit", "credit", "amount", decimals, shown.first, shown.last, complete, covers, covered=moved),
        Column(
            "closing", "closing", "amount", decimals, covers=f"{day_words(shown.last)}, end of day",
            covered=moved._replace(first=None),
        ),
    )  # fmt: skip


SIDES: Mapping[str, Callable[[Sums], Decimal]] = {
    "debits": lambda sums: sums.debit,
    "credits": lambda sums: sums.credit,
    "net, debits less credits": lambda sums: sums.amount,
}
"""What a trial balance and a detail show, and so what their proofs are of."""


def _proof(
    book: Book,
    selection: Selection,
    sums: Mapping[tuple[str, str], Mapping[str, Sums]],
    total: _Line,
    conditions: LedgerConditions,
) -> Proof:
    debits, *others = (_side_proof(book, selection, sums, total, conditions, side) for side in SIDES)
    return debits._replace(further=tuple(each._replace(checks=()) for each in others))


def _side_proof(
    book: Book,
    selection: Selection,
    sums: Mapping[tuple[str, str], Mapping[str, Sums]],
    total: _Line,
    conditions: LedgerConditions,
    side: str,
) -> Proof:
    amount_of = SIDES[side]

    def added(found: Sequence[Sums]) -> CountedAmount:
        return CountedAmount(sum(each.lines for each in found), sum(map(amount_of, found), _ZERO))

    def counted(name: str) -> CountedAmount:
        return added([measured[name] for (entity, _), measured in sums.items() if entity in selection.entities])

    aside = set(selection.comparable) - selection.entities.keys()
    left_out = (
        Part("other entities", added([measured["all"] for (entity, _), measured in sums.items() if entity in aside])),
        Part("carried in later years", counted("carried")),
        Part("closing lines of the year", counted("closing")),
        Part("adjustment periods", counted("adjustments")),
        Part("later dates", counted("later")),
        *(Part(rule.words, counted(f"{UNMET}{number}")) for number, rule in enumerate(conditions.rules)),
    )
    everything = considered(book.state, selection.comparable)
    opened, moved = counted("earlier") + counted("before"), counted("within")
    return Proof(
        measure=side,
        considered=CountedAmount(everything.lines, amount_of(everything)),
        shown=opened + moved,
        shown_as=(Part("in openings", opened), Part("in movement", moved)),
        left_out=tuple(each for each in left_out if each.counted.lines),
        # A condition may take one side of a journal and not the other.
        checks=()
        if conditions.rules
        else (
            _check("openings sum to zero", total.opening),
            _check("debits equal credits", total.debit - total.credit),
            _check("closings sum to zero", total.closing),
        ),
        decimals=selection.decimals,
    )


def _check(words: str, difference: Decimal) -> Check:
    return Check(
        words if not difference else f"{words}: they do not, by {off_words(difference, 2)}",
        not difference,
    )


def _notes(book: Book, selection: Selection, total: _Line, hidden: int, conditions: LedgerConditions) -> list[str]:
    notes = [*selection.notes, *conditions.balance_notes()]
    if conditions.rules:
        notes.append("Only some lines are asked for, so debits and credits need not be equal")
    for code, entity in selection.entities.items():
        if not book.state.bases.get(code) and code in book.state.bases:
            notes.append(f"{entity.name} has no carried lines in its first year: balances before it are taken as zero")
    if total.opening and not conditions.rules:
        notes.append("The openings do not balance: look for a base or a journal that does not")
    if hidden:
        what = (
            "1 account at zero without movement is"
            if hidden == 1
            else f"{hidden} accounts at zero without movement are"
        )
        notes.append(f"{what} not shown")
    return notes
