"""The date and period patterns of intake blocks, such as `DD.MM.YYYY` and `YYYY-PP`, turned into what readers use."""

import re

_DATE_TOKENS = {"YYYY": "%Y", "YY": "%y", "MM": "%m", "DD": "%d", "hh": "%H", "mm": "%M", "ss": "%S", "Z": "%z"}
_PERIOD_TOKENS = {"YYYY": r"(?P<year>\d{4})", "PPP": r"P(?P<number>\d{2})", "PP": r"(?P<number>\d{1,2})"}

READ = (_DATE_TOKENS, _PERIOD_TOKENS)
"""What patterns are made of: how an export is read depends on it."""


def _replaced(pattern: str, tokens: dict[str, str], others: str) -> tuple[str, set[str]] | None:
    """Return the pattern with its tokens replaced and the tokens met, or None where it holds anything else."""
    either = "|".join(sorted(tokens, key=len, reverse=True))
    used = set(re.findall(either, pattern))
    rest = re.sub(either, "", pattern)
    if re.search(rf"[^{others}]", rest):
        return None
    # Escaped part by part, since a token's replacement is itself a pattern.
    parts = re.split(f"({either})", pattern)
    return "".join(tokens.get(part, re.escape(part) if tokens is _PERIOD_TOKENS else part) for part in parts), used


def strptime_pattern(pattern: str) -> str | None:
    """Return the date pattern in strptime's codes, or None where it does not name one day each of DD, MM and a year."""
    found = _replaced(pattern, _DATE_TOKENS, r"\s./:T,-")
    if found is None or not {"MM", "DD"} <= found[1] or not {"YYYY", "YY"} & found[1]:
        return None
    return found[0]


def period_pattern(pattern: str) -> re.Pattern[str] | None:
    """Return the period pattern as an expression with the groups `number` and, where it has one, `year`, or None."""
    found = _replaced(pattern, _PERIOD_TOKENS, r"\s./:_A-OQ-XZa-z-")
    if found is None or len({"PPP", "PP"} & found[1]) != 1:
        return None
    return re.compile(found[0])
