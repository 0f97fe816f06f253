"""The date and period patterns of intake blocks, such as `DD.MM.YYYY` and `YYYY-PP`, turned into what readers use."""

import calendar
import re
from collections.abc import Mapping, Sequence
from datetime import date, timedelta
from functools import cache
from typing import NamedTuple

from level_almanac.files.month_names import MONTHS, letters_of

_DATE_TOKENS = {"YYYY": "%Y", "YY": "%y", "MM": "%m", "DD": "%d", "hh": "%H", "mm": "%M", "ss": "%S", "Z": "%z"}
_PERIOD_TOKENS = {"YYYY": r"(?P<year>\d{4})", "PPP": r"P(?P<number>\d{2})", "PP": r"(?P<number>\d{1,2})"}

READ = (_DATE_TOKENS, _PERIOD_TOKENS)
"""What patterns are made of: how an export is read depends on it."""

SERIAL = "serial"
"""The pattern of the day numbers that spreadsheets hold: 1 is the first of January 1900."""
_BEFORE_SERIAL = date(1899, 12, 30)
_QUOTED = re.compile(r"'([^']*)'")
_MONTH_WORD = r"(?P<word>[^\W\d_]{3,})\.?"
_FURTHER = {
    "YYYY": r"(?P<year>\d{4})", "YY": r"(?P<short>\d{2})", "Month": _MONTH_WORD, "Mon": _MONTH_WORD,
    "MM": r"(?P<month>\d{2})", "M": r"(?P<month>\d{1,2})", "DD": r"(?P<day>\d{2})", "D": r"(?P<day>\d{1,2})",
    "hh": r"(?P<hour>\d{2})", "h": r"(?P<hour>\d{1,2})", "mm": r"(?P<minute>\d{2})", "ss": r"(?P<second>\d{2})",
    "fff": r"\d{1,9}", "AM": r"(?P<half>[AaPp]\.?[Mm]\.?)",
}  # fmt: skip
"""Tokens of days beside those that an engine reads by itself, each with the expression of what it stands for."""
_PERIOD_FURTHER = {**_PERIOD_TOKENS, "Month": _MONTH_WORD, "Mon": _MONTH_WORD, "MM": r"(?P<month>\d{1,2})"}


def _replaced(pattern: str, tokens: dict[str, str], others: str) -> tuple[str, set[str]] | None:
    """Return the pattern with its tokens replaced and the tokens met, or None where it holds anything else."""
    either = "|".join(sorted(tokens, key=len, reverse=True))
    used = set(re.findall(either, pattern))
    rest = re.sub(either, "", pattern)
    if re.search(rf"[^{others}]", rest):
        return None
    # Escaped part by part, since a token's replacement is itself a pattern.
    parts = re.split(f"({either})", pattern)
    return "".join(tokens.get(part, re.escape(part) if tokens is not _DATE_TOKENS else part) for part in parts), used


def strptime_pattern(pattern: str) -> str | None:
    """Return the date pattern in strptime's codes, or None where it does not name one day each of DD, MM and a year."""
    found = _replaced(pattern, _DATE_TOKENS, r"\s./:T,-")
    if found is None or not {"MM", "DD"} <= found[1] or not {"YYYY", "YY"} & found[1]:
        return None
    return found[0]


class DayPattern(NamedTuple):
    """A pattern of days that is read one text at a time. expression: None for serial numbers; tokens: that it has."""

    expression: re.Pattern[str] | None
    tokens: frozenset[str]

    @property
    def has_year(self) -> bool:
        """Whether it tells the year."""
        return self.expression is None or bool({"YYYY", "YY"} & self.tokens)

    @property
    def has_day(self) -> bool:
        """Whether it tells the day of the month."""
        return self.expression is None or bool({"DD", "D"} & self.tokens)

    def read(self, text: str, year: int | None = None, *, last: bool = True) -> date | None:
        """Return the day that a text is, or None. year: where the text tells none; last: whether a month without a day
        is its last day, or its first.
        """
        if self.expression is None:
            return _BEFORE_SERIAL + timedelta(days=int(text.split(".", maxsplit=1)[0])) if _is_serial(text) else None
        match = self.expression.fullmatch(text)
        if match is None:
            return None
        told = match.groupdict()
        short = int(told["short"]) if told.get("short") else None
        own = (
            int(told["year"]) if told.get("year") else None if short is None else short + (2000 if short < 69 else 1900)
        )
        month = month_of(told["word"]) if told.get("word") else int(told["month"])
        found_year = own if own is not None else year
        if month is None or found_year is None or not 1 <= month <= 12 or not _is_time(told):
            return None
        days = calendar.monthrange(found_year, month)[1]
        day = int(told["day"]) if told.get("day") else days if last else 1
        return date(found_year, month, day) if 1 <= day <= days else None


def _is_serial(text: str) -> bool:
    # Before March 1900 spreadsheets count a day that never was; after 2199 no book has a day.
    return bool(re.fullmatch(r"\d{1,6}(\.\d+)?", text)) and 61 <= int(text.split(".", maxsplit=1)[0]) <= 109_575


def _is_time(told: Mapping[str, str | None]) -> bool:
    hour, minute, second = (int(told.get(each) or 0) for each in ("hour", "minute", "second"))
    most = 12 if told.get("half") else 23
    return hour <= most and minute <= 59 and second <= 59 and (not told.get("half") or hour >= 1)


@cache
def day_pattern(pattern: str) -> DayPattern | None:
    """Return a pattern of days, or None where it names no month: `D. Month YYYY`, `M/D/YYYY h:mm AM`, `MM/YYYY`,
    `serial`; letters that stand for themselves are in single quotes, as in `D 'de' Month`.
    """
    if pattern == SERIAL:
        return DayPattern(None, frozenset())
    found = _expression(pattern, _FURTHER)
    if found is None or len({"MM", "M", "Mon", "Month"} & found[1]) != 1:
        return None
    if len({"DD", "D"} & found[1]) > 1 or len({"YYYY", "YY"} & found[1]) > 1:
        return None
    return DayPattern(re.compile(found[0], re.IGNORECASE), frozenset(found[1]))


def _expression(pattern: str, tokens: Mapping[str, str]) -> tuple[str, set[str]] | None:
    """Return the pattern as an expression and the tokens met; None where a token stands twice, or a letter for none."""
    either = re.compile("|".join(sorted(tokens, key=len, reverse=True)))
    written, used = "", []
    for at, part in enumerate(_QUOTED.split(pattern)):
        if at % 2:
            written += re.escape(part)
            continue
        place = 0
        for match in either.finditer(part):
            written += _plain_signs(part[place : match.start()])
            written += tokens[match[0]]
            used.append(match[0])
            place = match.end()
        written += _plain_signs(part[place:])
        if re.search(r"[^\s./:,_T-]", either.sub("", part)):
            return None
    return (written, set(used)) if len(set(used)) == len(used) else None


def _plain_signs(text: str) -> str:
    return r"\s+".join(re.escape(piece) for piece in re.split(r"\s+", text))


def month_of(word: str) -> int | None:
    """Return the number of a month by its name, whole or short, in one of the languages of `month_names`."""
    return MONTHS.get(letters_of(word))


def is_plain_day(patterns: Sequence[str]) -> bool:
    """Tell whether an engine can read all of these by itself."""
    return all(strptime_pattern(pattern) is not None for pattern in patterns)


@cache
def period_pattern(pattern: str) -> re.Pattern[str] | None:
    """Return the period pattern as an expression, or None: it has the group `number`, or `month` or `word` of one, and
    `year` where it tells one. Letters that could be read as something else stand in single quotes: `'FY'YYYY-PP`.
    """
    plain = _replaced(pattern, _PERIOD_TOKENS, r"\s./:_A-OQ-XZa-z-")
    if plain is not None and len({"PPP", "PP"} & plain[1]) == 1 and "Mon" not in pattern and "MM" not in pattern:
        return re.compile(plain[0])
    found = _expression(pattern, _PERIOD_FURTHER)
    if found is None or len({"PPP", "PP", "Mon", "Month", "MM"} & found[1]) != 1:
        return None
    return re.compile(found[0], re.IGNORECASE)
