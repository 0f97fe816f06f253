"""Condition words: `source is CF`, `amount over 5000 and not (memo contains "dock")`, `posted in ytd last year`."""

from collections.abc import Sequence
from datetime import date, timedelta
from decimal import Decimal, InvalidOperation
from typing import TYPE_CHECKING, Any, Literal

from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.calendar.fiscal import FiscalPeriod
from level_almanac.core.fields import LineField, LineFields
from level_almanac.core.language.days import DayReader, day_of
from level_almanac.core.language.parsing import SPANS, Node, parse, pointed
from level_almanac.errors import AlmanacError, Mistake, UsageMistake, listed, nearest
from level_almanac.files.numbers import exact_number
from level_almanac.store.predicate import (
    Every,
    FieldTest,
    Not,
    Operator,
    Predicate,
    Some,
    Word,
    fiscal_of,
    is_period_word,
)

if TYPE_CHECKING:
    from lark import Token

    from level_almanac.core.spans.as_of import AsOf

_ONE_DAY = timedelta(days=1)
Edge = Literal["first", "last", "both"]
_COMPARED: dict[str, Operator] = {"begins": "begins", "ends": "ends", "contains": "contains"}
_THAN: dict[str, Operator] = {"over": "over", "under": "under", "least": "at-least", "most": "at-most"}
_DATES = ("before", "after", "since")
_NUMBERS = ("amount", "quantity", "whole")
_PERIODS = "`period is P13` for that period of any year, `period is 2025-P13`, or `period from ID through ID`"


def read_condition(
    text: str, fields: LineFields, where: str, error: type[AlmanacError], reach: "AsOf | None" = None
) -> Predicate:
    """Return the condition on lines with these fields.

    where: the option or key the text comes from; error: what to raise for a mistake, with the word at fault; reach:
    the day that words of days are relative to, or None where only days that are written out can stand.
    """
    return read_dated_condition(text, fields, where, error, reach)[0]


def read_dated_condition(
    text: str, fields: LineFields, where: str, error: type[AlmanacError], reach: "AsOf | None" = None
) -> tuple[Predicate, str]:
    """Return the condition, and its text with the dates of each relative day or span after it in parentheses."""
    tree = parse(text, "condition", where, error)
    reader = ConditionReader(text, fields, where, error, reach)
    predicate = reader.read(tree)
    dated = text
    for end, words in sorted(reader.dates, reverse=True):
        dated = f"{dated[:end]} ({words}){dated[end:]}"
    return predicate, dated


class ConditionReader:
    """Turns the parse tree of one condition into a predicate. The text may hold other words around it.

    dates: for each relative day or span that was read, the position of its end in the text, and its dates.
    """

    def __init__(
        self, text: str, fields: LineFields, where: str, error: type[AlmanacError], reach: "AsOf | None"
    ) -> None:
        self.text, self.fields, self.where, self.error, self.reach = text, fields, where, error, reach
        self.dates: list[tuple[int, str]] = []

    def read(self, tree: Node) -> Predicate:
        """Return the predicate of a condition or of one of its parts."""
        from lark import Tree

        match tree.data:
            case "some":
                parts = [self.read(child) for child in tree.children if isinstance(child, Tree)]
                return Some(tuple(parts)) if len(parts) > 1 else parts[0]
            case "every":
                parts = [self.read(child) for child in tree.children if isinstance(child, Tree)]
                return Every(tuple(parts)) if len(parts) > 1 else parts[0]
            case "negated":
                return Not(self.read(tree.children[1]))
        test = self._test(tree)
        turned = any(getattr(child, "type", "") == "NOT" for child in tree.children)
        return Not(test) if turned else test

    def _test(self, tree: Node) -> Predicate:
        named, *others = tree.children
        field = self.field(named.children[0])
        tokens = [child for child in others if getattr(child, "type", None)]
        phrases = [phrase for child in others if hasattr(child, "data") for phrase in _phrases(child)]
        word = str(tokens[-1]).lower() if tokens else ""
        if tree.data == "blank":
            return FieldTest(field.name, "blank")
        if field.kind == "period":
            return self._period(field, tree.data, tokens[0] if tokens else named, phrases)
        if field.kind == "date":
            return self._date(field, tree.data, word, tokens[0], phrases)
        if tree.data == "than" and word in _DATES:
            raise self.error(self._not_for(field, tokens[0], "a date"))
        number = field.kind in _NUMBERS
        if tree.data == "compared" and number:
            raise self.error(self._not_for(field, tokens[0], "a text"))
        if tree.data in ("than", "between") and not number and not field.number_like:
            raise self.error(self._not_for(field, tokens[0], "a number"))
        as_number = field.number_like and tree.data != "compared"
        words = tuple(self._number(each) if number or as_number else self.words(each) for each in phrases)
        operator: Operator
        match tree.data:
            case "from_through" | "between":
                self._check_order(words, phrases)
                operator = "through"
            case "than":
                operator = _THAN[word]
            case "compared":
                operator = _COMPARED[word]
            case _:
                operator = "is"
        return FieldTest(field.name, operator, words, as_number)

    def field(self, token: "Token") -> LineField:
        """Return the field that a word names; raise the error with where there is one of that name."""
        name = str(token).lower()
        field = self.fields.by_name.get(name)
        if field is None:
            raise self.error(unknown_field(name, self.fields, self.where, self._shown(token, len(token))))
        return field

    def _period(self, field: LineField, kind: str, token: Any, phrases: Sequence[Node]) -> Predicate:
        if kind not in ("is_word", "in_words", "from_through"):
            raise self.error(self._mistake(token, "a period cannot be asked for in this way", _PERIODS))
        words = tuple(self.words(phrase) for phrase in phrases)
        for word, phrase in zip(words, phrases, strict=True):
            if not is_period_word(word) or (kind == "from_through" and fiscal_of(word) is None):
                raise self.error(self._mistake(phrase, "not a period", _PERIODS))
        if kind == "from_through":
            self._check_order(tuple(Decimal(fiscal_of(word) or 0) for word in words), phrases)
        return FieldTest(field.name, "through" if kind == "from_through" else "is", words)

    def _date(self, field: LineField, kind: str, word: str, token: Any, phrases: Sequence[Node]) -> Predicate:
        if kind == "compared" or (kind == "than" and word not in _DATES):
            what = "dates are compared with before, after, since, in and from … through"
            raise self.error(self._mistake(token, what))
        if kind in ("from_through", "between"):
            days = [self._days(phrases[0], "first")[0], self._days(phrases[1], "last")[1]]
            self._check_order(days, phrases)
            return FieldTest(field.name, "through", tuple(days))
        edge: Edge = "both" if kind != "than" else "last" if word == "after" else "first"
        spans = [self._days(phrase, edge) for phrase in phrases]
        if kind == "than":
            first, last = spans[0]
            if word == "before":
                return FieldTest(field.name, "under", (first,))
            return FieldTest(
                field.name, "over" if word == "after" else "at-least", (last if word == "after" else first,)
            )
        tests = tuple(FieldTest(field.name, "through", span) for span in spans)
        return tests[0] if len(tests) == 1 else Some(tests)

    def _days(self, phrase: Node, edge: "Edge") -> tuple[date, date]:
        """Return the first and last day of what the words say: a day, a span, or a unit of the calendar by its id.

        edge: which of them the condition uses.
        """
        first, last = self._read_days(phrase)
        if not self._raw(phrase)[:4].isdigit():
            words = {"first": day_words(first), "last": day_words(last), "both": range_words(first, last)}
            self.dates.append((int(phrase.children[-1].end_pos), words[edge]))
        return first, last

    def _read_days(self, phrase: Node) -> tuple[date, date]:
        text = self._raw(phrase)
        if self._is_span(text):
            return self._span(text, phrase)
        tree = self._parsed(text, phrase)
        reader = DayReader(text, self.where, self.error)
        words = reader.read(tree)
        if self.reach is None:
            if not isinstance(words, date):
                raise self.error(self._mistake(phrase, "there is no day here to count from", "a day as YYYY-MM-DD"))
            return words, words
        day = day_of(words, self.reach.context)
        return day, day

    def _is_span(self, text: str) -> bool:
        first = text.split(maxsplit=1)[0].lower()
        return (
            (first in (*SPANS, "to") or text[:2].lower() == "fy" or (len(text) <= 8 and text[:4].isdigit()))
            or first in ("last", "rest")
        ) and not text.lower().startswith(("start", "end"))

    def _span(self, text: str, phrase: Node) -> tuple[date, date]:
        from level_almanac.core.language.columns import ValueColumn, read_columns
        from level_almanac.core.spans.windows import Missing, window_of

        if self.reach is None:
            raise self.error(self._mistake(phrase, "there is no day here to count from", "a day as YYYY-MM-DD"))
        calendar = self.reach.calendar
        if text[:4].isdigit() or text[:2].lower() == "fy":
            unit = calendar.find(text, self.where, UsageMistake)
            if isinstance(unit, FiscalPeriod) and unit.extra:
                step = f"ask for `period is {unit}`"
                raise self.error(self._mistake(phrase, "an extra period has no days of its own", next_step=step))
            return unit.first, unit.last
        try:
            words = read_columns(text)
        except UsageMistake:
            words = ()
        word = words[0] if len(words) == 1 else None
        allowed = "a day, a span such as `ytd` or `ptd last year`, or an id such as 2026-Q2"
        if not isinstance(word, ValueColumn) or word.each or word.scenario != "actual":
            raise self.error(self._mistake(phrase, "not days", allowed))
        window = window_of(word.span, word.shift, self.reach)
        if isinstance(window, Missing):
            raise self.error(self._mistake(phrase, window.why, allowed))
        return window.first, window.last

    def _parsed(self, text: str, phrase: Node) -> Node:
        try:
            return parse(text, "day", self.where, UsageMistake)
        except UsageMistake:
            allowed = "a day as YYYY-MM-DD, day words such as `end of last period`, a span, or an id such as 2026-Q2"
            hint = ""
            parts = text.replace(".", "/").split("/")
            if len(parts) == 3 and all(part.isdigit() for part in parts):
                hint = "a day is written year first, so that it cannot be read in two ways"
            raise self.error(self._mistake(phrase, "not a day", allowed, hint)) from None

    def words(self, phrase: Node) -> str:
        """Return the one word or quoted text of a phrase; raise the error where there are several words."""
        if len(phrase.children) > 1:
            step = f'put a text of several words in quotes: "{self._raw(phrase)}"'
            raise self.error(self._mistake(phrase, "several words", next_step=step))
        return str(phrase.children[0]).strip('"')

    def _number(self, phrase: Node) -> Decimal:
        text = self.words(phrase)
        try:
            number = exact_number(text)
        except InvalidOperation:
            number = Decimal("NaN")
        if not number.is_finite() or abs(number) >= Decimal("1e18"):
            raise self.error(self._mistake(phrase, "not a number", "one such as 5000 or -12.50"))
        return number

    def _check_order(self, words: Sequence[Word], phrases: Sequence[Node]) -> None:
        if _is_after(words[0], words[1]):
            what = f"the range ends before it starts: {words[1]} is before {words[0]}"
            if not isinstance(words[0], date):
                what = f"the range ends below its start: {self._raw(phrases[0])} through {self._raw(phrases[1])}"
            raise self.error(self._mistake(phrases[1], what))

    def _not_for(self, field: LineField, token: Any, needed: str) -> Mistake:
        article = {"text": "a text", "date": "a date"}.get(field.kind, f"a number ({field.kind})")
        step = ""
        if needed == "a number" and field.kind == "text":
            name = field.name.split(".")[-1]
            step = f'if its values are numbers, say number_like = ["{name}"] in [tables.{field.table}]'
        what = f"{field.name} is {article}, and `{str(token).lower()}` asks for {needed}"
        return self._mistake(token, what, next_step=step)

    def _raw(self, phrase: Node) -> str:
        first, last = phrase.children[0], phrase.children[-1]
        return self.text[first.start_pos : last.end_pos]

    def _shown(self, node: Any, length: int) -> str:
        return pointed(self.text, node.start_pos or 0, length)

    def _mistake(self, node: Any, what: str, allowed: str = "", next_step: str = "") -> Mistake:
        if hasattr(node, "data"):
            while hasattr(node.children[0], "data"):
                node = node.children[0]
            raw = self._raw(node)
            return Mistake(
                what, self.where, repr(raw), allowed, next_step, shown=self._shown(node.children[0], len(raw))
            )
        return Mistake(what, self.where, repr(str(node)), allowed, next_step, shown=self._shown(node, len(node)))


def _is_after(one: Any, other: Any) -> bool:
    return bool(one > other)


def _phrases(tree: Node) -> list[Node]:
    return [tree] if tree.data == "phrase" else list(tree.children)


def unknown_field(name: str, fields: LineFields, where: str, shown: str) -> Mistake:
    """Return the mistake for a name that no field has: the nearest one, and which tables have a field of this name."""
    hint = nearest(name, fields.by_name)
    if there := fields.elsewhere.get(name.rsplit(".", maxsplit=1)[-1]):
        hint = f"{hint}; " if hint else ""
        hint += f"there is one in {listed(there)}"
    links = sorted({field.link for field in fields.by_name.values() if field.link})
    own = [field.name for field in fields.by_name.values() if not field.link]
    allowed = listed([*own, *(f"{link}.…" for link in links)])
    return Mistake(f"the table {fields.table.name} has no such field", where, repr(name), allowed, hint, shown=shown)
