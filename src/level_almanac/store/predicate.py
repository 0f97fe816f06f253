"""Conditions on the lines of a table as values, and the SQL that tests them. The words for them are read in core."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

Operator = Literal["is", "begins", "ends", "contains", "blank", "through"]


@dataclass(frozen=True, slots=True)
class FieldTest:
    """One field held against words: `is` any of them, `begins`/`ends`/`contains` any, `blank`, or from `through` to."""

    field: str
    operator: Operator
    words: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Not:
    """True where its part is not."""

    part: "Predicate"


@dataclass(frozen=True, slots=True)
class Every:
    """True where all of its parts are."""

    parts: tuple["Predicate", ...]


@dataclass(frozen=True, slots=True)
class Some:
    """True where at least one of its parts is."""

    parts: tuple["Predicate", ...]


Predicate = FieldTest | Not | Every | Some

_SQL: dict[Operator, str] = {
    "is": "{f} = {v}",
    "begins": "starts_with({f}, {v})",
    "ends": "ends_with({f}, {v})",
    "contains": "contains(lower({f}), lower({v}))",
}
_PERIOD_NUMBER = re.compile(r"P(\d{1,2})", re.IGNORECASE)
_PERIOD = re.compile(r"(?:FY)?(\d{4})-P(\d{1,2})", re.IGNORECASE)


def fields_in(predicate: Predicate) -> set[str]:
    """Return the names of the fields that the condition asks for."""
    match predicate:
        case FieldTest(field, _, _):
            return {field}
        case Not(part):
            return fields_in(part)
        case Every(parts) | Some(parts):
            return set().union(*(fields_in(part) for part in parts))


def sql_of(predicate: Predicate, bind: Callable[[object], str]) -> str:
    """Return the condition as SQL that is true or false, never null.

    bind: takes a value and returns the name it is bound under. The fields must be known ones of the table; a blank
    field is true for `blank` only.
    """
    match predicate:
        case FieldTest("period", "is", words):
            return "(" + " or ".join(_period_sql(word, bind) for word in words) + ")"
        case FieldTest(field, "blank", _):
            return f'("{field}" is null)'
        case FieldTest(field, "through", (low, high)):
            return f'coalesce("{field}" between {bind(low)} and {bind(high)}, false)'
        case FieldTest(field, operator, words):
            tests = [_SQL[operator].format(f=f'"{field}"', v=bind(word)) for word in words]
            return f"coalesce({' or '.join(tests)}, false)"
        case Not(part):
            return f"(not {sql_of(part, bind)})"
        case Every(parts):
            return "(" + " and ".join(sql_of(part, bind) for part in parts) + ")"
        case Some(parts):
            return "(" + " or ".join(sql_of(part, bind) for part in parts) + ")"


def is_period_word(word: str) -> bool:
    """Tell whether the word can stand after `period is`: `P13` for that period of any year, or `2025-P13`."""
    return bool(_PERIOD_NUMBER.fullmatch(word) or _PERIOD.fullmatch(word))


def _period_sql(word: str, bind: Callable[[object], str]) -> str:
    if number := _PERIOD_NUMBER.fullmatch(word):
        return f"fiscal % 100 = {bind(int(number[1]))}"
    whole = _PERIOD.fullmatch(word)
    if whole is None:
        raise ValueError(word)
    return f"fiscal = {bind(int(whole[1]) * 100 + int(whole[2]))}"
