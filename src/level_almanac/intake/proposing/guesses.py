"""What the texts of an export's columns look like: dates in which order, numbers with which signs, or neither.

More than one reading can fit all of them; then each is named, and the person who knows says which it is.
"""

import re
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import NamedTuple

from level_almanac.files.patterns import SERIAL, day_pattern, period_pattern, strptime_pattern
from level_almanac.intake.proposing.words import SIDES
from level_almanac.store.casting import NumberForm, number_pattern

DATE_PATTERNS = (
    "YYYY-MM-DD", "DD.MM.YYYY", "DD/MM/YYYY", "MM/DD/YYYY", "DD-MM-YYYY", "MM-DD-YYYY", "YYYY/MM/DD", "YYYYMMDD",
    "DD.MM.YY", "DD/MM/YY", "MM/DD/YY", "YYYY-MM-DD hh:mm:ss", "YYYY-MM-DDThh:mm:ss", "DD.MM.YYYY hh:mm:ss",
    "DD/MM/YYYY hh:mm",
    "MM/DD/YYYY hh:mm", "YYYY-MM-DDThh:mm:ssZ",
)  # fmt: skip
FURTHER_DATE_PATTERNS = (
    "D.M.YYYY", "D/M/YYYY", "M/D/YYYY", "D-M-YYYY", "D.M.YY", "D/M/YY", "M/D/YY",
    "D-Mon-YYYY", "D-Mon-YY", "D Mon YYYY", "D. Mon. YYYY",
    "D Month YYYY", "D. Month YYYY", "Mon D, YYYY", "Month D, YYYY", "D 'de' Month 'de' YYYY", "YYYY-Mon-DD",
    "YYYY-MM-DDThh:mm:ss.fff", "YYYY-MM-DD hh:mm:ss.fff", "M/D/YYYY h:mm:ss AM", "M/D/YYYY h:mm AM",
    "D/M/YYYY h:mm:ss AM", "D/M/YYYY hh:mm:ss", "M/D/YYYY hh:mm:ss", "D.M.YYYY hh:mm", "YYYY-MM-DD hh:mm",
    "DD.MM.", "DD.MM", "DD/MM", "D Mon", "MM/YYYY", "MM.YYYY", "YYYY-MM", "Mon YYYY", "Month YYYY", "Mon-YYYY",
    "Mon-YY",
)  # fmt: skip
"""Patterns that are tried where none of the others fits, with one figure, a month's name, no year or no day."""
PERIOD_PATTERNS = (
    "YYYY-PPP", "YYYY-PP", "PP/YYYY", "YYYY/PP", "YYYYPP", "PP-YYYY", "PP.YYYY", "PPP", "PP", "'FY'YYYY-PP",
    "'FY'YYYY-PPP",
    "'FY'YYYYPPP", "'FY'YYYY PPP", "Mon YYYY", "Month YYYY", "Mon", "Month",
)  # fmt: skip
_SIGNS = ((".", ""), (".", ","), (",", ""), (",", "."), (",", " "), (".", " "), (".", "'"))
_NEGATIVES: Mapping[str, Callable[[str], bool]] = {
    "minus": lambda text: text.startswith(("-", "−")),
    "trailing-minus": lambda text: text.endswith(("-", "−")),
    "parentheses": lambda text: text.startswith("("),
    "crdr": lambda text: text.upper().endswith(("CR", "DR")),
}
_DASHES = ("-", "--", "–", "—", "−")
_CURRENCY = re.compile(r"(€|\$|£|¥|zł|Kč|Fr\.?|kr\.?|[A-Z]{3})")
_WORD = re.compile(r"^\s*(?P<before>[^\W\d_]+)\s*[-(\d]|[\d)-]\s*(?P<after>[^\W\d_]+)\s*$")


class DateGuess(NamedTuple):
    """A date pattern that fits all texts, and the others that do too; sample: a text that shows it."""

    pattern: str
    others: tuple[str, ...]
    sample: str


class NumberGuess(NamedTuple):
    """How numbers are written; others: other signs that fit all texts as well; sample: a text that shows it."""

    decimal: str
    thousands: str
    negatives: tuple[str, ...]
    others: tuple[tuple[str, str], ...]
    sample: str


class NumberStyle(NamedTuple):
    """How numbers are written, with what stands about them: currency signs, words for the sides, and the ways that
    `numbers` names; numbers: without all that.
    """

    guess: NumberGuess
    currency_signs: tuple[str, ...] = ()
    sides: tuple[tuple[str, ...], tuple[str, ...]] | None = None
    ways: tuple[str, ...] = ()
    numbers: tuple[str, ...] = ()


def date_guess(texts: Sequence[str]) -> DateGuess | None:
    """Return the pattern that all texts are dates by, or None where there is none."""
    fitting = [pattern for pattern in DATE_PATTERNS if texts and all(_is_date(text, pattern) for text in texts)]
    return DateGuess(fitting[0], tuple(fitting[1:]), texts[0]) if fitting else _further_guess(texts)


def _further_guess(texts: Sequence[str]) -> DateGuess | None:
    """Return the same of the further patterns; others are those that read some text as another day."""
    fitting: list[tuple[str, list[object]]] = []
    for pattern in FURTHER_DATE_PATTERNS if texts else ():
        found = day_pattern(pattern)
        days: list[object] = [found.read(text, 2000) if found else None for text in texts]
        if all(days) and not any(days == known for _, known in fitting):
            fitting.append((pattern, days))
    return DateGuess(fitting[0][0], tuple(each for each, _ in fitting[1:]), texts[0]) if fitting else None


def serial_guess(texts: Sequence[str]) -> DateGuess | None:
    """Return the pattern of day numbers, where all texts can be such of the years from 2000 to 2060."""
    if texts and all(re.fullmatch(r"\d{5}(\.0+)?", text) and 36526 <= int(text[:5]) <= 58806 for text in texts):
        return DateGuess(SERIAL, (), texts[0])
    return None


def _is_date(text: str, pattern: str) -> bool:
    code = strptime_pattern(pattern)
    # Python reads a day of one figure where the pattern says two, so the length is held against it.
    try:
        day = datetime.strptime(text, str(code))  # noqa: DTZ007  only whether it can be read
    except ValueError:
        return False
    return len(text) == len(pattern) and 1900 <= day.year < 2200


def number_guess(texts: Sequence[str]) -> NumberGuess | None:
    """Return how all of the texts are numbers, or None where they are none."""
    if not texts:
        return None
    negatives = tuple(name for name, is_so in _NEGATIVES.items() if any(is_so(text) for text in texts))
    fitting = []
    for decimal, thousands in _SIGNS:
        form = NumberForm(decimal, thousands, negatives, {}, 2)
        pattern = re.compile(number_pattern(form), re.IGNORECASE)
        if all(pattern.fullmatch(text) for text in texts):
            fitting.append((decimal, thousands))
    if not fitting:
        return None
    decimal, thousands = fitting[0]
    # Where no text holds a sign, or both readings say the same of each, there is nothing to be unsure of.
    others = tuple(
        each for each in fitting[1:] if any(_value(text, each) != _value(text, fitting[0]) for text in texts)
    )
    sample = next(
        (text for text in texts for each in others if _value(text, each) != _value(text, fitting[0])), texts[0]
    )
    return NumberGuess(decimal, thousands, negatives, others, sample)


def number_style(texts: Sequence[str]) -> NumberStyle | None:
    """Return how all of the texts are numbers with what stands about them, or None where they are none."""
    ways: list[str] = []
    kept = [text for text in texts if text not in _DASHES]
    if len(kept) < len(texts):
        ways.append("dash-zero")
    if not kept or not all(any(letter.isdigit() for letter in text) for text in kept):
        return None
    if any(text.endswith("%") for text in kept):
        ways.append("percent")
        kept = [text.removesuffix("%").rstrip() for text in kept]
    sides = _sides_at(kept)
    if sides == ("", ""):
        return None
    signs: list[str] = []
    if sides:
        either = "|".join(map(re.escape, sides))
        kept = [re.sub(rf"^({either})\s*|\s*({either})$", "", text) for text in kept]
    else:
        signs = sorted({sign for text in kept for sign in _CURRENCY.findall(text)} - {"CR", "DR"})
        for sign in signs:
            kept = [text.replace(sign, "") for text in kept]
    tight = [re.sub(r"(^|[^0-9.,'])\s+|\s+([^0-9.,']|$)", r"\1\2", text) for text in kept]
    if any(" " in text.strip() and text != other for text, other in zip(kept, tight, strict=True)):
        ways.append("spaces")
    tight = [text.strip() for text in tight]
    guess = number_guess(tight)
    if guess is None:
        return None
    decimals = [text.partition(guess.decimal)[2].rstrip(")-CRD ") for text in tight]
    if any(len(each) > 2 for each in decimals) and all(not each[2:].strip("0") for each in decimals):
        ways.append("extra-zeros")
    return NumberStyle(guess, tuple(signs), _letters(texts, sides), tuple(ways), tuple(tight))


def _letters(texts: Sequence[str], sides: tuple[str, str] | None) -> tuple[tuple[str, ...], tuple[str, ...]] | None:
    """Return the words of both sides as a block says them; no word of a debit where none stands there."""
    if sides is None:
        return None
    debit, credit = sides
    used = {match["before"] or match["after"] for text in texts if (match := _WORD.search(text))}
    return (debit,) if debit in used else (), (credit,)


def _sides_at(texts: Sequence[str]) -> tuple[str, str] | None:
    """Return the words of both sides that stand at numbers, if any do; empty ones where the texts are codes."""
    found = {match["before"] or match["after"] for text in texts if (match := _WORD.search(text))}
    sides = next(
        (pair for pair in SIDES if found and found <= set(pair) and not found <= {"CR", "DR", "Cr", "Dr"}), None
    )
    # A letter and a figure alone are a code; beside an amount stand its decimals, or the word of the other side.
    if sides and len(found) < 2 and not any(letter in ".,'" for text in texts for letter in text):
        return "", ""
    return sides


def _value(text: str, signs: tuple[str, str]) -> str:
    decimal, thousands = signs
    plain = text.replace(thousands, "") if thousands else text
    whole, _, rest = plain.partition(decimal)
    return f"{whole}.{rest.rstrip('0')}"


def period_guess(texts: Sequence[str]) -> str:
    """Return the pattern of periods that all texts fit, or nothing."""
    from level_almanac.files.patterns import month_of

    for pattern in PERIOD_PATTERNS:
        expression = period_pattern(pattern)
        if expression and texts and all(_is_period(expression, text) for text in texts):
            words = [
                match["word"]
                for text in texts
                if "word" in expression.groupindex and (match := expression.fullmatch(text))
            ]
            if all(month_of(word) for word in words):
                return pattern
    return ""


def _is_period(expression: re.Pattern[str], text: str) -> bool:
    match = expression.fullmatch(text)
    if match is None:
        return False
    return "number" not in expression.groupindex or 1 <= int(match["number"]) <= 20
