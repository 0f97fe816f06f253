"""What the columns of an export hold, by their texts: days, amounts, codes, words, a running balance, keys."""

import re
from collections.abc import Sequence
from decimal import Decimal
from itertools import combinations
from typing import Literal

from level_almanac.files.patterns import day_pattern
from level_almanac.immutable import immutable
from level_almanac.intake.proposing.guesses import (
    DateGuess,
    NumberStyle,
    date_guess,
    number_style,
    period_guess,
    serial_guess,
)
from level_almanac.intake.proposing.structure import Structure
from level_almanac.intake.proposing.words import SIDES, plain

Holds = Literal["blank", "date", "number", "code", "text", "side"]


@immutable
class ColumnProfile:
    """One column. head: its head; texts: those that are not blank; filled: how much of it is not blank; date, number,
    period: how its texts can be read, where they can; holds: what it most likely holds.
    """

    at: int
    head: str
    texts: tuple[str, ...]
    filled: float
    date: DateGuess | None
    number: NumberStyle | None
    period: str
    holds: Holds

    @property
    def distinct(self) -> int:
        """How many different texts it has."""
        return len(set(self.texts))

    @property
    def is_amount(self) -> bool:
        """Whether it holds numbers that amounts can be: with decimals, signs or thousands, or not codes at least."""
        return self.number is not None and self.holds == "number"

    def values(self) -> list[Decimal]:
        """Return its numbers, negative ones with their sign; no words for the sides are minded."""
        return [number_of(text, self.number) for text in self.number.numbers] if self.number else []


def number_of(text: str, style: NumberStyle) -> Decimal:
    """Return the number that a text is, in this style."""
    guess = style.guess
    negative = text.startswith(("-", "−", "(")) or text.endswith(("-", "−")) or text.upper().endswith("CR")
    plain_text = re.sub(r"[^0-9.,]", "", text.replace(guess.thousands, "") if guess.thousands else text)
    value = Decimal(plain_text.replace(guess.decimal, ".") or "0")
    return -value if negative else value


def profiles_of(found: Structure) -> list[ColumnProfile]:
    """Return what each column of an export holds."""
    return [_profile(found, at, head) for at, head in enumerate(found.heads)]


def _profile(found: Structure, at: int, head: str) -> ColumnProfile:
    texts = tuple(found.texts(at))
    filled = len(texts) / len(found.rows) if found.rows else 0.0
    # What each different text is says all; an export repeats its days and its amounts.
    different = tuple(dict.fromkeys(texts))
    date = date_guess(different) if texts else None
    named_day = any(word in plain(head).split() for word in ("date", "datum", "fecha", "data", "day"))
    if date is None and texts and named_day:
        date = serial_guess(different)
    number = number_style(different) if texts else None
    if (
        date
        and number
        and not named_day
        and (told := day_pattern(date.pattern))
        and not (told.has_year and told.has_day)
    ):
        # Ten and ten hundredths is no tenth of October.
        date = None
    period = period_guess(different) if texts else ""
    return ColumnProfile(at, head, texts, filled, date, number, period, _holds(texts, date, number))


def _holds(texts: Sequence[str], date: DateGuess | None, number: NumberStyle | None) -> Holds:
    if not texts:
        return "blank"
    if any(set(texts) <= set(pair) and len(set(texts)) == 2 for pair in SIDES):
        return "side"
    if date is not None and not (
        number and all(re.fullmatch(r"\d{8}", text) for text in texts) and not _are_days(texts)
    ):
        return "date"
    if number is None:
        return "code" if _are_codes(texts) else "text"
    signed = number.guess.negatives or number.ways or number.currency_signs or number.sides or number.guess.thousands
    if signed or any(number.guess.decimal in text for text in texts):
        return "number"
    return "code" if _are_codes(texts) else "number"


def _are_days(texts: Sequence[str]) -> bool:
    return all(text[:2] in ("19", "20") for text in texts)


def _are_codes(texts: Sequence[str]) -> bool:
    """Tell whether texts are codes: without spaces, of few letters, with a figure in most."""
    return all(" " not in text and len(text) <= 24 for text in texts) and (
        sum(any(letter.isdigit() for letter in text) for text in texts) * 2 >= len(texts)
    )


def key_of(found: Structure, columns: Sequence[ColumnProfile]) -> list[ColumnProfile]:
    """Return the first of the columns, or combination of two or three, that tells every row from every other."""
    able = [column for column in columns if column.filled == 1 and column.holds in ("code", "text", "date")][:8]
    rows = range(len(found.rows))
    cells = {column.at: found.cells(column.at) for column in able}
    for many in (1, 2, 3):
        for chosen in combinations(able, many):
            if len({tuple(cells[column.at][row] for column in chosen) for row in rows}) == len(found.rows):
                return list(chosen)
    return []


def is_running(found: Structure, balance: ColumnProfile, debit: ColumnProfile, credit: ColumnProfile | None) -> bool:
    """Tell whether a column of numbers is what the amounts come to row by row, within each stretch of rows."""
    if not (balance.number and debit.number):
        return False
    steps = right = 0
    before: Decimal | None = None
    for row in found.rows:
        cells = row.cells
        if max(balance.at, debit.at) >= len(cells) or not cells[balance.at]:
            return False
        now = number_of(cells[balance.at], balance.number)
        moved = number_of(cells[debit.at] or "0", debit.number)
        if credit and credit.number and credit.at < len(cells):
            moved -= number_of(cells[credit.at] or "0", credit.number)
        if before is not None:
            steps += 1
            right += now in (before + moved, moved)
        before = now
    return steps > 1 and right == steps
