"""Which columns of an export are lines: months, periods or plans side by side, and their total."""

from collections.abc import Sequence
from typing import Any

from level_almanac.errors import listed
from level_almanac.files.patterns import month_of, period_pattern
from level_almanac.intake.proposing.columns import ColumnProfile, number_of
from level_almanac.intake.proposing.days_told import period_of
from level_almanac.intake.proposing.draft import Draft, scenario_columns, wide_columns_of
from level_almanac.intake.proposing.guesses import period_guess
from level_almanac.intake.proposing.words import plain
from level_almanac.intake.shaping.head_words import CELL, HEAD


def wide_columns(draft: Draft) -> None:
    """Say which columns are lines, and which column totals them."""
    wide = wide_columns_of(draft.columns) if draft.table.name in ("ledger", "budget") or draft.table.plan_of else []
    plans = [] if wide else scenario_columns(draft.columns, draft.fit)
    if not wide and not plans:
        return
    columns = wide or plans
    heads = [column.head for column in columns]
    across: dict[str, Any] = {"heads": heads}
    pattern = period_guess(heads)
    if wide and pattern and not _others_fit(draft, pattern, heads):
        across["heads"] = pattern
    total = _row_total(draft, columns)
    if total is not None:
        across["total"] = total.head
        draft.taken.add(total.head)
    draft.keys["across"] = across
    draft.taken |= set(heads)
    for name in ("amount", "share", "debit", "credit", "period", "date"):
        if draft.fields.get(name) in (*heads, total.head if total else ""):
            draft.fields.pop(name)
    draft.fields["amount"] = CELL
    draft.settled |= {"amount"}
    if plans:
        draft.fields["scenario"] = HEAD
        words = {head: _plan_word(head) for head in heads}
        draft.extra_values["scenario"] = words
        draft.unsure.append(f"scenario: what {listed(repr(head) for head in heads)} stand for")
        return
    draft.fields["period"] = HEAD
    period_of(draft, heads, pattern)
    if draft.table.name == "ledger":
        draft.fields["journal"] = HEAD
        draft.set["posted"] = "end of period"
        draft.settled |= {"journal", "posted"}


def _others_fit(draft: Draft, pattern: str, heads: Sequence[str]) -> bool:
    expression = period_pattern(pattern)
    for head in draft.heads:
        match = expression.fullmatch(head) if expression else None
        if match and head not in heads and ("word" not in match.groupdict() or month_of(match["word"])):
            return True
    return False


def _row_total(draft: Draft, columns: Sequence[ColumnProfile]) -> ColumnProfile | None:
    """Return the column of numbers that is in each row what these come to."""
    for other in draft.columns:
        if other in columns or other.number is None or (other.holds != "number" and not other.number):
            continue
        rows = [row.cells for row in draft.found.rows if other.at < len(row.cells) and row.cells[other.at]]
        if rows and all(
            sum(
                number_of(row[column.at], column.number)
                for column in columns
                if column.number and column.at < len(row) and row[column.at]
            )
            == number_of(row[other.at], other.number)
            for row in rows
        ):
            return other
    return None


def _plan_word(head: str) -> str:
    words = plain(head)
    return "budget" if words in ("plan", "budget", "begroting", "budzet", "presupuesto") else words.replace(" ", "-")
