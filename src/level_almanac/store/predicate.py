"""Conditions on the lines of a table as values, and the SQL that tests them. The words for them are read in core."""

import re
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from typing import Literal, NamedTuple

from level_almanac.immutable import immutable

Operator = Literal["is", "begins", "ends", "contains", "blank", "through", "over", "at-least", "under", "at-most"]
Word = str | Decimal | date
Bind = Callable[[object], str]
"""Takes a value and returns the name it is bound under."""


@immutable
class FieldTest:
    """One field held against words: `is` any of them, `begins`/`ends`/`contains` any, `blank`, from `through` to, or
    `over`, `at-least`, `under`, `at-most` one. as_number: whether the text of the field is compared as a number.
    """

    field: str
    operator: Operator
    words: tuple[Word, ...] = ()
    as_number: bool = False


@immutable
class Not:
    """True where its part is not."""

    part: "Predicate"


@immutable
class Every:
    """True where all of its parts are."""

    parts: tuple["Predicate", ...]


@immutable
class Some:
    """True where at least one of its parts is."""

    parts: tuple["Predicate", ...]


class FiscalRange(NamedTuple):
    """The fiscal positions from `low` through `high`, or of one position the days from `first` through `last`."""

    low: int
    high: int
    first: date | None = None
    last: date | None = None

    def holds(self, fiscal: int, counted: date) -> bool:
        """Tell whether a line at this position, that counts on this day, lies within."""
        if self.first is None or self.last is None:
            return self.low <= fiscal <= self.high
        return fiscal == self.low and self.first <= counted <= self.last


@immutable
class Within:
    """True where a line stands in one of the stretches of the fiscal calendar."""

    stretches: tuple[FiscalRange, ...]


@immutable
class OnVoidedLine:
    """A condition that is tested on a void with values of the line that it voids (docs/conditions.md, "Voids").

    followed: the fields that take the value of the voided line. A void keeps all others as its own.
    """

    part: "Predicate"
    followed: frozenset[str]


Predicate = FieldTest | Not | Every | Some | Within | OnVoidedLine

_SQL: dict[Operator, str] = {
    "is": "{f} = {v}",
    "begins": "starts_with({f}, {v})",
    "ends": "ends_with({f}, {v})",
    "contains": "contains(lower({f}), lower({v}))",
    "over": "{f} > {v}",
    "at-least": "{f} >= {v}",
    "under": "{f} < {v}",
    "at-most": "{f} <= {v}",
}
_PERIOD_NUMBER = re.compile(r"P(\d{1,2})", re.IGNORECASE)
_PERIOD = re.compile(r"(?:FY)?(\d{4})-P(\d{1,2})", re.IGNORECASE)
_MANY_WORDS = 50
"""Words from which they are met as a set; one by one, the engine's planning grows with each."""
_PLAIN = r"'^ *[+-]?([0-9]+[.]?[0-9]*|[.][0-9]+) *$'"
_AS_NUMBER = f"try_cast(case when regexp_matches({{f}}, {_PLAIN}) then {{f}} end as decimal(38, 6))"
"""What else engines take for numbers, each in its own way, is none: 1e3 and 1_000 are texts."""


def fields_in(predicate: Predicate) -> set[str]:
    """Return the names of the fields that the condition asks for."""
    match predicate:
        case FieldTest(field, _, _, _):
            return {field}
        case Not(part):
            return fields_in(part)
        case Every(parts) | Some(parts):
            return set().union(*(fields_in(part) for part in parts))
        case Within():
            return set()
        case OnVoidedLine(part, _):
            return fields_in(part)


def looked_up(predicate: Predicate) -> set[str]:
    """Return the names that the condition's SQL looks up: fields, and `tested` names for those of a voided line."""
    match predicate:
        case OnVoidedLine(part, followed):
            return {tested_name(name) if name in followed else name for name in looked_up(part)}
        case Not(part):
            return looked_up(part)
        case Every(parts) | Some(parts):
            return set().union(*(looked_up(part) for part in parts))
    return fields_in(predicate)


def tested_name(field: str) -> str:
    """Return the name under which a void has the value of the line that it voids. No field can have such a name."""
    return f"tested {field}"


def own_values(predicate: Predicate) -> Predicate:
    """Return the condition without `OnVoidedLine`: every line is tested with its own values."""
    match predicate:
        case OnVoidedLine(part, _):
            return own_values(part)
        case Not(part):
            return Not(own_values(part))
        case Every(parts) | Some(parts):
            return type(predicate)(tuple(own_values(part) for part in parts))
    return predicate


def quoted(field: str) -> str:
    """Return a field's name as it is written in SQL."""
    return f'"{field}"'


def sql_of(predicate: Predicate, bind: Bind, field_sql: Callable[[str], str] = quoted) -> str:
    """Return the condition as SQL that is true or false, never null.

    field_sql: takes a field's name and returns the SQL of its value. The fields must be known ones of the table; a
    blank field is true for `blank` only.
    """
    match predicate:
        case FieldTest("period", operator, words) if operator in ("is", "through"):
            return _periods_sql(operator, words, bind, field_sql("fiscal"))
        case FieldTest(field, "blank", _):
            return f"({field_sql(field)} is null)"
        case FieldTest(field, operator, words, as_number):
            value = _AS_NUMBER.format(f=field_sql(field)) if as_number else field_sql(field)
            return f"coalesce({_test_sql(value, operator, words, bind)}, false)"
        case Not(part):
            return f"(not {sql_of(part, bind, field_sql)})"
        case Every(parts):
            return "(" + (" and ".join(sql_of(part, bind, field_sql) for part in parts) or "true") + ")"
        case Some(parts):
            return "(" + (" or ".join(sql_of(part, bind, field_sql) for part in parts) or "false") + ")"
        case Within(stretches):
            place, day = field_sql("place"), field_sql("place_day")
            tests = [stretch_sql(stretch, bind, place, day) for stretch in stretches]
            return f"coalesce({' or '.join(tests) or 'false'}, false)"
        case OnVoidedLine(part, followed):
            return sql_of(part, bind, lambda name: field_sql(tested_name(name) if name in followed else name))


def filter_sql(predicate: Predicate, bind: Bind, field_sql: Callable[[str], str] = quoted) -> str:
    """Return the condition as SQL to stand in a `where`, where what is null is as good as false.

    An engine looks for parts of its files by such tests, and not by those that are never null.
    """
    match predicate:
        case FieldTest("period", "is" | "through", _) | FieldTest(_, "blank", _) | FieldTest(_, _, _, True):
            return sql_of(predicate, bind, field_sql)
        case FieldTest(field, operator, words):
            return _test_sql(field_sql(field), operator, words, bind)
        case Every(parts):
            return "(" + (" and ".join(filter_sql(part, bind, field_sql) for part in parts) or "true") + ")"
        case Within(stretches):
            place, day = field_sql("place"), field_sql("place_day")
            return f"({' or '.join(stretch_sql(each, bind, place, day) for each in stretches) or 'false'})"
    return sql_of(predicate, bind, field_sql)


def _test_sql(value: str, operator: Operator, words: tuple[Word, ...], bind: Bind) -> str:
    if operator == "is" and len(words) > _MANY_WORDS and all(isinstance(word, str) for word in words):
        return f"{value} in (select unnest({bind(list(words))}::varchar[]))"
    bound = [_typed(word, bind) for word in words]
    if operator == "through":
        return f"{value} between {bound[0]} and {bound[1]}"
    tests = [_SQL[operator].format(f=value, v=word) for word in bound]
    return f"({' or '.join(tests)})"


def _typed(word: Word, bind: Bind) -> str:
    # A number is told its type, so that no engine compares it as a binary float.
    return f"{bind(word)}::decimal(38, 6)" if isinstance(word, Decimal) else bind(word)


def stretch_sql(stretch: FiscalRange, bind: Bind, fiscal: str = "fiscal", counted: str = "counted") -> str:
    """Return the SQL that tells whether a line lies in the stretch. fiscal, counted: the SQL of where it stands."""
    if stretch.first is None or stretch.last is None:
        return f"{fiscal} between {bind(stretch.low)} and {bind(stretch.high)}"
    return f"({fiscal} = {bind(stretch.low)} and {counted} between {bind(stretch.first)} and {bind(stretch.last)})"


def is_period_word(word: str) -> bool:
    """Tell whether the word can stand after `period is`: `P13` for that period of any year, or `2025-P13`."""
    return bool(_PERIOD_NUMBER.fullmatch(word) or _PERIOD.fullmatch(word))


def fiscal_of(word: str) -> int | None:
    """Return the fiscal position that a period's id names, or None where it is not one of a certain year."""
    whole = _PERIOD.fullmatch(word)
    return int(whole[1]) * 100 + int(whole[2]) if whole else None


def _periods_sql(operator: Operator, words: tuple[Word, ...], bind: Bind, fiscal: str) -> str:
    if operator == "through":
        low, high = (fiscal_of(str(word)) for word in words)
        return f"({fiscal} between {bind(low)} and {bind(high)})"
    return "(" + " or ".join(_period_sql(str(word), bind, fiscal) for word in words) + ")"


def _period_sql(word: str, bind: Bind, fiscal: str) -> str:
    if number := _PERIOD_NUMBER.fullmatch(word):
        return f"{fiscal} % 100 = {bind(int(number[1]))}"
    return f"{fiscal} = {bind(fiscal_of(word))}"
