"""Computed fields: `late = days from due to as-of`, `size = give small if amount under 100; else large`, arithmetic.

What divides is not a value of a line: it is made of sums, so that a ratio is never summed or averaged.
"""

import re
from collections.abc import Callable, Mapping
from datetime import date
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.fields import LineField, LineFields
from level_almanac.core.language.days import DayReader, Unit, day_of, unit_of
from level_almanac.core.language.formulas import Both, Formula, Name, Negative, Number
from level_almanac.core.language.parsing import Node, parse, pointed
from level_almanac.core.lines.conditions import ConditionReader, unknown_field
from level_almanac.core.spans.as_of import AsOf
from level_almanac.errors import AlmanacError, Mistake, listed
from level_almanac.files.tables import Kind
from level_almanac.store.expressions import (
    LINE,
    Arithmetic,
    Constant,
    DaysBetween,
    Expression,
    Given,
    Joined,
    Labelled,
    Piece,
    Rounded,
    is_only_linked,
    terms_of,
)

_NAMED = re.compile(r"\s*([a-z][a-z0-9_]*)\s*=(.*)", re.IGNORECASE | re.DOTALL)
_NUMBERS: tuple[Kind, ...] = ("amount", "quantity", "whole")
_MOST_PLACES = 6
Labels = Callable[[LineField, Unit], Labelled | None]
"""Takes a date and a unit of the calendar and returns the label of the unit that each day lies in; None where the unit
is a fiscal period and the line has one of its own."""


class Ratio(NamedTuple):
    """A formula with a division in it, and the values that it is of, each summed before it is computed."""

    formula: Formula
    parts: Mapping[str, Expression]


class Computed(NamedTuple):
    """A computed field: its name and kind, and its value on a line or the ratio that it is."""

    name: str
    kind: Kind
    value: Expression | None
    ratio: Ratio | None = None


class ComputedReader:
    """Reads computed fields, and parts of dates, of one table's lines."""

    def __init__(
        self, fields: LineFields, where: str, error: type[AlmanacError], reach: AsOf, labels: Labels, text: str = ""
    ) -> None:
        self.fields, self.where, self.error, self.reach, self.labels = fields, where, error, reach, labels
        self.text = text

    def of(self, text: str, where: str) -> "ComputedReader":
        """Return what reads parts of this text. where: the option or key that it comes from."""
        return ComputedReader(self.fields, where, self.error, self.reach, self.labels, text)

    def read(self, text: str) -> Computed:
        """Return the field that `name = words` says; raise the error with the word at fault."""
        named = _NAMED.fullmatch(text)
        if named is None:
            allowed = "a name, `=`, and what it is, as in `late = days from due to as-of`"
            raise self.error(Mistake("a computed field needs a name", self.where, repr(text), allowed))
        name = named[1].lower()
        if name in self.fields.by_name:
            shown = pointed(text, named.start(1), len(name))
            raise self.error(Mistake("the table has a field of this name", self.where, repr(name), shown=shown))
        # Blanks in place of the name keep the carets of messages where they belong.
        blanked = " " * named.start(2) + named[2]
        tree = parse(blanked, "computed", self.where, self.error).children[0]
        return self.of(text, self.where)._read(name, tree)

    def _read(self, name: str, tree: Node) -> Computed:
        match tree.data:
            case "give":
                kind, value = self._give(tree.children)
            case "text":
                kind, value = "text", Joined(tuple(self._text(part) for part in tree.children))
            case "days":
                kind, value = "whole", self._days(tree.children)
            case "piece":
                kind, value = "text", self._text(tree)
            case "part":
                kind, value = "text", self.part(tree)
            case _:
                return self._arithmetic(name, tree)
        return Computed(name, kind, value)

    def field(self, tree: Node) -> LineField:
        """Return the field that a `field_name` names."""
        token = tree.children[0]
        name = str(token).lower()
        field = self.fields.by_name.get(name)
        if field is None:
            shown = pointed(self.text, token.start_pos or 0, len(token))
            raise self.error(unknown_field(name, self.fields, self.where, shown))
        return field

    def part(self, tree: Node) -> Expression:
        """Return the label of the unit of the calendar that a date lies in: `quarter of posted`."""
        unit, *_, name = tree.children
        field = self.field(name)
        if field.kind != "date":
            what = f"{field.name} is no date, so it has no {unit_of(unit)}"
            raise self.error(self._mistake(name.children[0], what))
        labelled = self.labels(field, unit_of(unit))
        return labelled if labelled is not None else self.fields.by_name["period"].value

    def _give(self, children: list[Any]) -> tuple[Kind, Expression]:
        reader = ConditionReader(self.text, self.fields, self.where, self.error, self.reach)
        trees = [child for child in children if hasattr(child, "data")]
        tests, results = trees[1::2], trees[0::2]
        if len(results) == len(tests):
            what = "a line that meets none of these conditions would have no value"
            step = "end with `; else VALUE`"
            shown = pointed(self.text, len(self.text.rstrip()), 1)
            raise self.error(Mistake(what, self.where, next_step=step, shown=shown))
        branches = [self._branch(result) for result in results]
        kinds = {kind for kind, _ in branches}
        if kinds <= {*_NUMBERS}:
            kind: Kind = "amount" if "amount" in kinds else "quantity"
        elif len(kinds) == 1:
            kind = kinds.pop()
        else:
            what, allowed = "the values are of several kinds", "all texts, all numbers or all dates"
            raise self.error(Mistake(what, self.where, listed(sorted(kinds)), allowed))
        cases = tuple((reader.read(test), value) for test, (_, value) in zip(tests, branches, strict=False))
        return kind, Given(cases, branches[-1][1])

    def _branch(self, tree: Node) -> tuple[Kind, Expression]:
        """Return the kind and value of what is given: a text in quotes, a field, or arithmetic on numbers."""
        while tree.data in ("sum", "product") and len(tree.children) == 1:
            # Arithmetic on one thing alone is that thing.
            tree = tree.children[0]
        if tree.data == "quoted":
            return "text", Constant(str(tree.children[0]).strip('"'))
        if tree.data == "field_name":
            token = tree.children[0]
            if str(token).lower() not in self.fields.by_name:
                step = f'a text needs quotes: "{token}"'
                raise self.error(self._mistake(token, "the table has no such field", next_step=step))
            field = self.field(tree)
            if field.kind not in _NUMBERS:
                return ("text" if field.kind == "period" else field.kind), field.value
        kinds: set[Kind] = set()
        figure = self._figure(tree, kinds, {})
        if isinstance(figure, _Ratio):
            what, step = "a ratio is made of totals, and no line has one", "divide what is given instead"
            raise self.error(Mistake(what, self.where, next_step=step))
        return ("amount" if "amount" in kinds else "quantity"), figure

    def _text(self, tree: Node) -> Expression:
        match tree.data:
            case "quoted":
                return Constant(str(tree.children[0]).strip('"'))
            case "piece":
                end, number, *_, name = tree.children
                last = str(end).lower() == "last"
                return Piece("last" if last else "first", int(Decimal(str(number))), self._texted(name))
            case "part":
                return self.part(tree)
        return self._texted(tree)

    def _texted(self, tree: Node) -> Expression:
        field = self.field(tree)
        if field.kind not in ("text", "period"):
            what = f"{field.name} is no text"
            raise self.error(self._mistake(tree.children[0], what))
        return field.value

    def _days(self, children: list[Any]) -> Expression:
        unit, *moments = [child for child in children if getattr(child, "type", "") not in ("FROM", "TO")]
        if unit_of(unit) != "day":
            raise self.error(self._mistake(unit, "time is counted in days here", "`days from A to B`"))
        first, last = (self._moment(moment) for moment in moments)
        return DaysBetween(first, last)

    def _moment(self, tree: Node) -> Expression:
        if tree.data != "field_name":
            reader = DayReader(self.text, self.where, self.error)
            day: date = day_of(reader.read(tree), self.reach.context)
            return Constant(day)
        field = self.field(tree)
        if field.kind != "date":
            raise self.error(self._mistake(tree.children[0], f"{field.name} is no date"))
        return field.value

    def _arithmetic(self, name: str, tree: Node) -> Computed:
        kinds: set[Kind] = set()
        parts: dict[str, Expression] = {}
        figure = self._figure(tree, kinds, parts)
        kind: Kind = "amount" if "amount" in kinds else "quantity"
        if not isinstance(figure, _Ratio):
            terms = terms_of(figure)
            if len({is_only_linked(term) for term in terms if not isinstance(term, Constant)}) > 1:
                # A number of another table stands on many lines: a group takes it once, beside the totals of others.
                return Computed(name, kind, None, Ratio(_summed(figure, parts), parts))
            return Computed(name, kind, figure)
        return Computed(name, "quantity", None, Ratio(figure.formula, parts))

    def _figure(self, tree: Node, kinds: set[Kind], parts: dict[str, Expression]) -> "Expression | _Ratio":
        match tree.data:
            case "number":
                return Constant(Decimal(str(tree.children[0])))
            case "lines":
                return LINE
            case "rounded":
                return self._rounded(tree, kinds, parts)
            case "field_name":
                return self._number_of(tree, kinds)
            case "signed":
                sign, inner = tree.children
                figure = self._figure(inner, kinds, parts)
                if str(sign) == "+":
                    return figure
                if isinstance(figure, _Ratio):
                    return _Ratio(Negative(figure.formula))
                return Arithmetic("-", Constant(Decimal(0)), figure)
        left = self._figure(tree.children[0], kinds, parts)
        for sign, each in zip(tree.children[1::2], tree.children[2::2], strict=True):
            operation: Any = "-" if str(sign) == "−" else str(sign)
            right = self._figure(each, kinds, parts)
            if operation == "/" or isinstance(left, _Ratio) or isinstance(right, _Ratio):
                left = _Ratio(Both(operation, _summed(left, parts), _summed(right, parts)))
            else:
                left = Arithmetic(operation, left, right)
        return left

    def _rounded(self, tree: Node, kinds: set[Kind], parts: dict[str, Expression]) -> Expression:
        word, part, _, places = tree.children
        figure, number = self._figure(part, kinds, parts), int(Decimal(str(places)))
        if isinstance(figure, _Ratio) or number > _MOST_PLACES:
            what = "lines are rounded one by one, and a ratio is of totals"
            if number > _MOST_PLACES:
                what = f"not rounded to more than {_MOST_PLACES} decimals"
            raise self.error(self._mistake(word, what, "such as `round amount * 0.2 to 2`"))
        return Rounded(figure, number)

    def _number_of(self, tree: Node, kinds: set[Kind]) -> Expression:
        field = self.field(tree)
        if field.kind not in _NUMBERS:
            hint = "write `days from A to B` for the days between two dates" if field.kind == "date" else ""
            what = f"{field.name} is a {field.kind}, which cannot be computed with"
            raise self.error(self._mistake(tree.children[0], what, next_step=hint))
        kinds.add(field.kind)
        return field.value

    def _mistake(self, token: Any, what: str, allowed: str = "", next_step: str = "") -> Mistake:
        shown = pointed(self.text, token.start_pos or 0, len(token))
        return Mistake(what, self.where, repr(str(token)), allowed, next_step, shown=shown)


class _Ratio(NamedTuple):
    """A formula with a division in it, in the making."""

    formula: Formula


def _summed(value: "Expression | _Ratio", parts: dict[str, Expression]) -> Formula:
    if isinstance(value, _Ratio):
        return value.formula
    if isinstance(value, Constant) and isinstance(value.value, Decimal):
        return Number(value.value)
    if isinstance(value, Arithmetic) and value.operation != "*":
        left, right = value.left, value.right
        if left == Constant(Decimal(0)) and value.operation == "-":
            return Negative(_summed(right, parts))
        if not isinstance(left, Constant) and not isinstance(right, Constant):
            # Each is summed by itself: a line that lacks one of the two still counts with the other.
            return Both(value.operation, _summed(left, parts), _summed(right, parts))
    for name, known in parts.items():
        if known == value:
            return Name(name)
    name = f"part-{len(parts)}"
    parts[name] = value
    return Name(name)
