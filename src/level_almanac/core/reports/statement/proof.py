"""The proof of a statement and its notes: every line accounted for, every choice told."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import TYPE_CHECKING

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.columns.placed import PlacedColumn, last_years
from level_almanac.core.lines.asked import LedgerConditions
from level_almanac.core.reports.statement.arrangement import Arrangement, nature
from level_almanac.core.reports.statement.figures import WHOLE, Block, Figures
from level_almanac.core.reports.statement.rows import RowMaker, StatementRow
from level_almanac.core.selection import Selection
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.spans.compared import holiday_notes
from level_almanac.core.spans.windows import Missing, Window, rest_of_cut
from level_almanac.core.table.exact import off_words
from level_almanac.core.table.model import Check, CountedAmount, Note, Part, Proof
from level_almanac.store.ledger_sums import UNMET, SumKey, Sums, considered

if TYPE_CHECKING:
    from level_almanac.core.measures.plans import Plans
    from level_almanac.core.reports.statement.cash_basis import CashBasis

_ZERO = Decimal(0)
_MOST_NAMED = 5
AccountSums = Mapping[SumKey, Mapping[str, Sums]]
Made = Sequence[tuple[Block, list[StatementRow]]]


def proof_of(
    book: Book,
    selection: Selection,
    figures: Figures,
    arrangement: Arrangement,
    made: Made,
    whole: RowMaker,
    conditions: LedgerConditions,
) -> Proof:
    """Return the accounting of every ledger line, and of every plan line where plans are shown."""
    sums, scope = figures.sums, arrangement.layout.scope
    chosen = {place: measured for place, measured in sums.items() if place[0] in selection.entities}
    others = {
        place: measured for place, measured in sums.items() if place not in chosen and place[0] in selection.comparable
    }

    def in_scope(place: SumKey) -> bool:
        return scope != "income" or book.chart[str(place[1])].is_income

    within = {place: measured for place, measured in chosen.items() if in_scope(place)}
    unmet = [f"{UNMET}{number}" for number in range(len(conditions.rules))]
    beside = {place: measured for place, measured in chosen.items() if place not in within}
    left_out = (
        Part("other entities", counted(others, "all lines")),
        Part("carried", counted(chosen, "carried")),
        Part("closing", counted(chosen, "closing")),
        Part(
            "balance-sheet accounts",
            sum((counted(beside, name) for name in (*unmet, "other dates")), counted(beside, "shown")),
        ),
        Part("other dates", counted(within, "other dates")),
        *(Part(rule.words, counted(within, name)) for rule, name in zip(conditions.rules, unmet, strict=True)),
    )
    everything = considered(book.state, selection.comparable)
    return Proof(
        measure="amount, debits positive",
        considered=CountedAmount(everything.lines, everything.amount),
        shown=counted(within, "shown"),
        left_out=tuple(each for each in left_out if each.counted.lines),
        checks=tuple(_checks(book, figures, arrangement, made, whole, conditions)),
        decimals=selection.decimals,
        further=(_plan_proof(book, selection, figures, arrangement, figures.plans),) if figures.plans else (),
    )


def counted(sums: AccountSums, name: str) -> CountedAmount:
    """Return the lines and the amount of one measure over all of these accounts."""
    found = [measured[name] for measured in sums.values()]
    return CountedAmount(sum(each.lines for each in found), sum((each.amount for each in found), _ZERO))


def _checks(
    book: Book, figures: Figures, arrangement: Arrangement, made: Made, whole: RowMaker, conditions: LedgerConditions
) -> Iterator[Check]:
    """Hold the rows as shown against the movement or balance of all accounts, and the blocks against the whole."""
    measure, scope = arrangement.layout.measure, arrangement.layout.scope
    rows = [row for row in arrangement.rows if not row.row.memo]
    own = {code for row in rows if row.measure == measure for code in row.taken}
    # An account that only a row of the other measure takes is shown there, and has no part in what is added up here.
    elsewhere = {code for row in rows if row.measure != measure for code in row.taken} - own
    off = []
    for slot in whole.slots:
        amounts = figures.of(WHOLE, slot.key, measure)
        moved = sum(
            (
                figure.amount
                for code, figure in amounts.items()
                if code not in elsewhere
                and (scope != "income" or (code in book.chart.accounts and book.chart[code].is_income))
            ),
            _ZERO,
        )
        leaves = _leaves(made[-1][1], slot.key, arrangement)
        if leaves != moved:
            off.append(f"{slot.key} by {off_words(leaves - moved, 2)}")
    words = f"in each column the rows sum to the accounts' {measure}"
    yield Check(words if not off else f"{words}: not in {', '.join(off)}", not off)
    if figures.cash:
        yield from _bridge(figures, figures.cash, book)
    if len(made) > 1:
        off = [
            slot.key
            for slot in whole.slots
            if sum((_leaves(rows, slot.key, arrangement) for _, rows in made[:-1]), _ZERO)
            != _leaves(made[-1][1], slot.key, arrangement)
        ]
        words = "the blocks sum to the whole"
        yield Check(words if not off else f"{words}: not in {', '.join(off)}", not off)
    # What must come to nothing of all lines need not of some.
    for text, formula in () if conditions.rules else arrangement.zero:
        amounts_off = [
            f"{slot.key} by {off_words(value, 2)}"
            for slot in whole.slots
            if not slot.is_plan and (value := whole.comes_to(formula, slot.key))
        ]
        words = f"{text} = 0"
        yield Check(words if not amounts_off else f"{words}: not in {', '.join(amounts_off)}", not amounts_off)


def _bridge(figures: Figures, cash: "CashBasis", book: Book) -> Iterator[Check]:
    """Yield for each column how the result as booked becomes the one on the cash basis."""
    places = cash.selection.decimals
    for slot in figures.slots:
        if not isinstance(slot, PlacedColumn) or slot.is_plan or slot.field or not isinstance(slot.window, Window):
            continue
        measured = counted(
            {
                place: sums
                for place, sums in figures.sums.items()
                if place[0] in cash.selection.entities and book.chart[str(place[1])].is_income
            },
            f"m:{slot.asked}",
        )
        booked = sum((each.booked.amount for each in cash.changes(slot.window)), _ZERO)
        paid = sum((each.paid.amount for each in cash.changes(slot.window)), _ZERO)
        shown_amount = sum(
            (
                figure.amount
                for code, figure in figures.of(WHOLE, slot.key, "movement").items()
                if book.chart[code].is_income
            ),
            _ZERO,
        )
        words = (
            f"{slot.label} {slot.window.covers}: result as booked {-measured.amount:,.{places}f}, less what documents "
            f"were booked {-booked:,.{places}f}, plus what was paid of documents {-paid:,.{places}f}, "
            f"comes to {-shown_amount:,.{places}f}"
        )
        words = words.replace(" -", " −")
        yield Check(words, measured.amount - booked + paid == shown_amount)


def _leaves(rows: Iterable[StatementRow], slot: str, arrangement: Arrangement) -> Decimal:
    # Rows of another measure than the layout's stand beside what is added up.
    other = {row.key for row in arrangement.rows if row.measure != arrangement.layout.measure}
    return sum(
        (row.factor * row.figures[slot].amount for row in rows if row.leaf and row.key not in other and row.figures),
        _ZERO,
    )


def _plan_proof(book: Book, selection: Selection, figures: Figures, arrangement: Arrangement, plans: "Plans") -> Proof:
    from level_almanac.core.measures.plan_proof import plan_proof

    slots = [slot for slot in figures.slots if isinstance(slot, PlacedColumn) and slot.is_plan]
    scenarios = {slot.scenario for slot in slots}
    shown = _planned_lines(slots, plans, arrangement, book)

    def rule_of(number: int, scenario: str, account: str) -> str:
        if scenario not in scenarios:
            return "other scenarios"
        if arrangement.layout.scope == "income" and not book.chart[account].is_income:
            return "balance-sheet accounts"
        if number in plans.unmet:
            return "conditions"
        return "" if number in shown else "other dates"

    measure = "whole amount of lines shown in whole or part, natural signs"
    rules = ("other scenarios", "balance-sheet accounts", "other dates", "conditions")
    return plan_proof(book, plans, selection, measure, rules, rule_of)


def _planned_lines(slots: Sequence[PlacedColumn], plans: "Plans", arrangement: Arrangement, book: Book) -> set[int]:
    """Return the numbers of the plan lines that a column shows, in whole or in part."""
    numbers = set()
    for slot in slots:
        if not isinstance(slot.window, Window):
            continue
        period = plans.calendar.period_of(slot.window.balance_day)
        for line in plans.lines:
            if line.scenario != slot.scenario:
                continue
            if "balance" in arrangement.measures:
                income = book.chart[line.account].is_income
                low = period.year * 100 if income else period.fiscal
                if low <= line.fiscal <= period.fiscal:
                    numbers.add(line.number)
            if "movement" in arrangement.measures and plans.within(line, slot.window.stretches) is not None:
                numbers.add(line.number)
    return numbers


def notes_of(
    book: Book,
    selection: Selection,
    figures: Figures,
    arrangement: Arrangement,
    as_of: AsOf,
    begins: date | None,
) -> Iterator[Note | str]:
    """Yield what a reader must know: what a cut left out, columns without days, weeks that reach over a year's edge."""
    slots = [slot for slot in figures.slots if isinstance(slot, PlacedColumn)]
    for slot in slots:
        # What lies after the day of the report says so in its head.
        if isinstance(slot.window, Missing) and not (slot.window.later or slot.window.early):
            yield f"{slot.label}: {slot.window.why}, so there is nothing to show or compare"
    yield from holiday_notes(last_years([slot for slot in slots if not slot.is_plan], as_of), as_of)
    if arrangement.layout.scope == "income":
        yield from _cut_notes(book, selection, figures, slots)
        if "movement" in arrangement.measures:
            yield from _gap_notes(book, selection, figures, slots)
    if begins and any(
        slot.window.early if isinstance(slot.window, Missing) else slot.window.begins is not None for slot in slots
    ):
        yield f"The data begins on {day_words(begins)}: nothing is compared with what reaches back before it"
    yield from _week_notes(slots, as_of)
    yield from _not_placed_notes(book, figures, arrangement, slots)
    if figures.plans:
        yield from figures.plans.remarks
    if figures.cash:
        yield (
            f"{figures.cash.count:,} ledger lines belong to documents booked or open in these days; all others count "
            "as booked"
        )


def _cut_notes(book: Book, selection: Selection, figures: Figures, slots: Sequence[PlacedColumn]) -> Iterator[Note]:
    told_years = set()
    for slot in slots:
        if slot.is_plan or not isinstance(slot.window, Window):
            continue
        rest = rest_of_cut(slot.window)
        if rest is None or rest in told_years:
            continue
        told_years.add(rest)
        _, income, result = _moved(book, selection, figures, f"r:{slot.asked}")
        yield Note(
            f"{slot.window.cut} holds a further {{}} of income and {{}} of result after the cut, {range_words(*rest)}"
            + (", as booked" if figures.cash else ""),
            (income, result),
            selection.decimals,
        )


def _gap_notes(book: Book, selection: Selection, figures: Figures, slots: Sequence[PlacedColumn]) -> Iterator[Note]:
    """Yield by what the parts of a span do not come to the whole that stands beside them, and why."""
    booked = [slot for slot in slots if not slot.is_plan and not slot.field and isinstance(slot.window, Window)]
    parts: dict[str, list[PlacedColumn]] = {}
    for slot in booked:
        if slot.divided:
            parts.setdefault(slot.word, []).append(slot)
    for own in parts.values():
        whole = next((slot for slot in booked if not slot.divided and slot.spanned[:2] == own[0].spanned[:2]), None)
        if whole is None:
            continue
        all_of, *moved = (_moved(book, selection, figures, f"m:{slot.asked}") for slot in (whole, *own))
        lines = all_of[0] - sum(each[0] for each in moved)
        income = all_of[1] - sum((each[1] for each in moved), _ZERO)
        result = all_of[2] - sum((each[2] for each in moved), _ZERO)
        if lines or income or result:
            each = own[0].value.each if own[0].value else None
            is_week = each is not None and each.unit == "week"
            why = (
                "whole weeks do not begin and end with it"
                if is_week
                else "adjustment periods have no days of their own"
            )
            parts_words = f"the parts of {own[0].word.replace('-', ' ')}"
            words = f"{whole.label} less {parts_words} is {{}} of income and {{}} of result, as {why}"
            words += "; both as booked" if figures.cash else ""
            yield Note(words, (income, result), selection.decimals)


def _moved(book: Book, selection: Selection, figures: Figures, measure: str) -> tuple[int, Decimal, Decimal]:
    """Return the lines of income and costs in a measure of the store's sums, and their income and their result."""
    found = [
        (book.chart[str(place[1])], measured[measure])
        for place, measured in figures.sums.items()
        if place[0] in selection.entities and book.chart[str(place[1])].is_income
    ]
    income = -sum((each.amount for account, each in found if nature(account) < 0), _ZERO)
    return sum(each.lines for _, each in found), income, -sum((each.amount for _, each in found), _ZERO)


def _week_notes(slots: Sequence[PlacedColumn], as_of: AsOf) -> Iterator[str]:
    told_years = set()
    for slot in slots:
        window = slot.window
        if not isinstance(window, Window) or window.unit != "week":
            continue
        year = as_of.calendar.year_of(window.first)
        if year.first <= window.first and window.last > year.last and year.year not in told_years:
            told_years.add(year.year)
            after = (window.last - year.last).days
            days = f"{after} day{'s' if after > 1 else ''}"
            weeks = ((window.last - window.first).days + 1) // 7
            name = "The week" if weeks == 1 else f"The {weeks} weeks"
            yield f"{name} from {day_words(window.first)} reach{'es' if weeks == 1 else ''} {days} into {year.year + 1}"


def _not_placed_notes(
    book: Book, figures: Figures, arrangement: Arrangement, slots: Sequence[PlacedColumn]
) -> Iterator[str]:
    measure = arrangement.layout.measure
    unplaced = [
        code for code in arrangement.not_placed if any(code in figures.of(WHOLE, slot.key, measure) for slot in slots)
    ]
    if not unplaced:
        return
    names = [f"{code} {book.chart[code].name}" if code in book.chart.accounts else code for code in unplaced]
    more = f" and {len(names) - _MOST_NAMED} more" if len(names) > _MOST_NAMED else ""
    yield f"No row of the layout takes {', '.join(names[:_MOST_NAMED])}{more}"
