"""Arithmetic on names: `income - direct-cost`, `(a - b) / c`. It can only compute."""

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import field
from decimal import Decimal
from typing import Any, Literal

from level_almanac.core.language.parsing import Node, parse, pointed
from level_almanac.core.table.exact import EXACT
from level_almanac.core.table.model import Made
from level_almanac.errors import AlmanacError, Mistake
from level_almanac.immutable import immutable

Operation = Literal["+", "-", "*", "/"]
_NAME = r"[a-z][a-z0-9_]*(?:-[a-z0-9_]+)*"
_PLAIN_SUM = re.compile(rf"{_NAME}(?: [+-] {_NAME})*", re.IGNORECASE)


@immutable
class Number:
    """A number as it is written."""

    value: Decimal


@immutable
class Name:
    """What the name stands for. start: where in the text it is, for messages."""

    name: str
    start: int = field(default=0, compare=False)


@immutable
class Negative:
    """The part with its sign turned."""

    part: "Formula"


@immutable
class Both:
    """Two parts with one operation between them."""

    operation: Operation
    left: "Formula"
    right: "Formula"


Formula = Number | Name | Negative | Both


def read_formula(text: str, where: str, error: type[AlmanacError]) -> Formula:
    """Return the formula; raise `error` with the word at fault where it is none."""
    if _PLAIN_SUM.fullmatch(text):
        # Most layouts hold nothing else, and a report should not wait for the grammar because of them.
        first, *rest = re.finditer(r"\S+", text)
        formula: Formula = Name(first[0], first.start())
        for sign, name in zip(rest[::2], rest[1::2], strict=True):
            formula = Both("-" if sign[0] == "-" else "+", formula, Name(name[0], name.start()))
        return formula
    return formula_of(parse(text, "formula", where, error).children[0])


def formula_of(tree: Node) -> Formula:
    """Return the formula that a parse tree of a sum, or a part of one, says."""
    parts = tree.children
    match tree.data:
        case "number":
            return Number(Decimal(str(parts[0])))
        case "name":
            token = parts[0]
            return Name(str(token).strip('"'), token.start_pos or 0)
        case "signed":
            part = formula_of(parts[1])
            return part if str(parts[0]) == "+" else Negative(part)
        case _:
            formula = formula_of(parts[0])
            for operation, part in zip(parts[1::2], parts[2::2], strict=True):
                sign: Any = "-" if str(operation) == "−" else str(operation)
                formula = Both(sign, formula, formula_of(part))
            return formula


def renamed(formula: Formula, names: Mapping[str, str]) -> Formula:
    """Return the formula with some of its names replaced. names: the new ones, by the old ones in small letters."""
    match formula:
        case Name(name, start):
            return Name(names.get(name.lower(), name), start)
        case Negative(part):
            return Negative(renamed(part, names))
        case Both(operation, left, right):
            return Both(operation, renamed(left, names), renamed(right, names))
    return formula


def made_of(formula: Formula, keys: Mapping[str, str]) -> Made | None:
    """Return the formula on columns by their keys, or None where a name is of no column. keys: of names."""
    match formula:
        case Number(value):
            return value
        case Name(name, _):
            return keys.get(name.lower())
        case Negative(part):
            inner = made_of(part, keys)
            return None if inner is None else ("-", Decimal(0), inner)
        case Both(operation, left, right):
            one, other = made_of(left, keys), made_of(right, keys)
            return None if one is None or other is None else (operation, one, other)


def names_in(formula: Formula) -> Iterator[Name]:
    """Yield every name that the formula holds, in order."""
    match formula:
        case Name():
            yield formula
        case Negative(part):
            yield from names_in(part)
        case Both(_, left, right):
            yield from names_in(left)
            yield from names_in(right)


def value_of(formula: Formula, of_name: Callable[[str], Decimal | None]) -> Decimal | None:
    """Return what the formula comes to, or None where a name has no value or a divisor is zero."""
    match formula:
        case Number(value):
            return value
        case Name(name, _):
            return of_name(name)
        case Negative(part):
            inner = value_of(part, of_name)
            return None if inner is None else EXACT.minus(inner)
        case Both(operation, left, right):
            one, other = value_of(left, of_name), value_of(right, of_name)
            if one is None or other is None:
                return None
            if operation == "/":
                return EXACT.divide(one, other) if other else None
            if operation == "*":
                return EXACT.multiply(one, other)
            return EXACT.add(one, other) if operation == "+" else EXACT.subtract(one, other)


def divides(formula: Formula) -> bool:
    """Tell whether the formula makes a ratio, which is no longer an amount."""
    match formula:
        case Both(operation, left, right):
            return operation == "/" or divides(left) or divides(right)
        case Negative(part):
            return divides(part)
    return False


def signed_names(formula: Formula) -> list[tuple[int, str]] | None:
    """Return the names with their signs where the formula only adds and subtracts them, else None."""
    match formula:
        case Name(name, _):
            return [(1, name)]
        case Negative(part):
            inner = signed_names(part)
            return None if inner is None else [(-sign, name) for sign, name in inner]
        case Both("+" | "-" as operation, left, right):
            one, other = signed_names(left), signed_names(right)
            if one is None or other is None:
                return None
            turned = 1 if operation == "+" else -1
            return [*one, *((turned * sign, name) for sign, name in other)]
    return None


def unknown_name(text: str, name: Name, what: str, where: str, allowed: str, hint: str) -> Mistake:
    """Return the mistake for a name that stands for nothing, with a caret under it."""
    return Mistake(what, where, repr(name.name), allowed, hint, shown=pointed(text, name.start, len(name.name)))
