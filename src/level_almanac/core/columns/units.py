"""The unit, sign convention and currency of each column, and the refusal of arithmetic between unlike ones.

A change, variance, sum or difference has a meaning between like columns only: an amount with debits positive less one
in natural signs, or an amount less a quantity, is no figure at all (docs/columns.md, "Like with like").
"""

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from level_almanac.core.columns.pairs import Column, PairedColumn
from level_almanac.core.columns.placed import PlacedColumn
from level_almanac.core.fields import SIGNED, LineFields
from level_almanac.core.language.columns import WHERE, ComputedColumn, ShareColumn
from level_almanac.core.language.formulas import Both, Formula, Name, Negative, Number
from level_almanac.core.language.parsing import pointed
from level_almanac.core.lines.currencies import currencies_of
from level_almanac.core.lines.natural_signs import is_natural
from level_almanac.core.measures.measure import Measure
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.store.expressions import (
    Arithmetic,
    Beside,
    Constant,
    DaysBetween,
    Expression,
    FieldReference,
    Given,
    Keyed,
    OrZero,
    Rounded,
)

NATURAL_SIGNS, DEBITS, CREDITS = "natural signs", "debits positive", "credits positive"
NET, UNSIGNED = "with the sign of its kind", "all kinds positive"
_TURNED = {DEBITS: CREDITS, CREDITS: DEBITS}


class Unit(NamedTuple):
    """The unit of a column's figures.

    money, quantity, number: the powers of amounts, quantities and counts: 1, -1 and 0 for an amount per ton; all zero
        for a ratio.
    percent: whether it is a ratio in percent.
    sign: the sign convention of an amount; empty if an amount of any convention is like it.
    currency: the field with an amount's currency, or empty for the entities' currency.
    """

    money: int = 0
    quantity: int = 0
    number: int = 0
    percent: bool = False
    sign: str = ""
    currency: str = ""

    @property
    def powers(self) -> tuple[int, int, int, bool]:
        """The unit without the sign convention and the currency."""
        return self[:4]

    @property
    def words(self) -> str:
        """The unit for messages, such as `amount, debits positive`."""
        names = {(1, 0, 0): "amount", (0, 1, 0): "quantity", (0, 0, 1): "count", (0, 0, 0): "ratio"}
        name = "percent" if self.percent else names.get(self[:3], "amount per unit" if self.money else "ratio")
        in_currency = f" in {self.currency}" if self.currency else ""
        return f"{name}{in_currency}{f', {self.sign}' if self.sign else ''}"

    def is_like(self, other: "Unit") -> bool:
        """Return whether figures of both can be subtracted."""
        return self.powers == other.powers and self.agrees(other)

    def agrees(self, other: "Unit") -> bool:
        """Return whether the sign conventions and currencies of both are the same, if both are amounts."""
        if not self.money or not other.money:
            return True
        signs = self.sign == other.sign or not self.sign or not other.sign
        return signs and self.currency == other.currency


RATIO, PERCENT, AMOUNT = Unit(), Unit(percent=True), Unit(money=1)


def check_units(columns: Sequence[Column], unit_of: Callable[[PlacedColumn], Unit], text: str) -> None:
    """Raise UsageMistake if a change, variance or formula is between unlike columns.

    unit_of: returns the unit of a value column.
    text: the column words, for the message.
    """
    units: dict[str, Unit] = {}
    for column in columns:
        match column:
            case PlacedColumn():
                units[column.key] = unit_of(column)
            case PairedColumn(word, key, of, over):
                one, other = unit_of(of), unit_of(over)
                if not one.is_like(other):
                    raise _unlike(text, word.start, word.kind, (of.word, one), (over.word, other))
                # A variance is positive if it is favourable, whatever the sign convention of its columns.
                change = one if word.kind == "change" else one._replace(sign="")
                units[key] = PERCENT if word.percent else change
            case ShareColumn():
                units[column.key] = PERCENT
            case ComputedColumn():
                unit = _FormulaUnit(units, text).of(column.formula)
                units[column.key] = RATIO if unit is None else unit


class _FormulaUnit:
    """Finds the unit of a formula on columns. units: of the columns to its left, by key."""

    def __init__(self, units: Mapping[str, Unit], text: str) -> None:
        self.units, self.text = {key.lower(): unit for key, unit in units.items()}, text

    def of(self, formula: Formula) -> Unit | None:
        """Return the unit, None for a plain number, which is like everything."""
        match formula:
            case Number():
                return None
            case Name(name, _):
                return self.units.get(name.lower(), RATIO)
            case Negative(part):
                return turned(self.of(part))
            case Both(operation, left, right):
                one, other = self.of(left), self.of(right)
                if one is None or other is None:
                    return one or other if operation != "/" or other is None else divided(RATIO, other)
                if operation in "+-":
                    if not one.is_like(other):
                        raise self._unlike(operation, left, right, one, other)
                    return one if one.sign else other
                if not one.agrees(other):
                    raise self._unlike(operation, left, right, one, other)
                return multiplied(one, other) if operation == "*" else divided(one, other)
        raise AssertionError(formula)

    def _unlike(self, operation: str, left: Formula, right: Formula, one: Unit, other: Unit) -> UsageMistake:
        names = [_first_name(part) for part in (left, right)]
        pairs = [(name.name if name else "", unit) for name, unit in zip(names, (one, other), strict=True)]
        start = names[0].start if names[0] else 0
        return _unlike(self.text, start, operation, pairs[0], pairs[1])


def _first_name(formula: Formula) -> Name | None:
    match formula:
        case Name():
            return formula
        case Negative(part):
            return _first_name(part)
        case Both(_, left, right):
            return _first_name(left) or _first_name(right)
    return None


def _unlike(text: str, start: int, word: str, one: tuple[str, Unit], other: tuple[str, Unit]) -> UsageMistake:
    what = "a variance is between like columns" if word == "variance" else "a change is between like columns"
    if word not in ("change", "variance"):
        what = "only like columns are added, subtracted, multiplied or divided"
    got = f"{one[0]} ({one[1].words}) and {other[0]} ({other[1].words})"
    if one[1].powers == other[1].powers and one[1].sign != other[1].sign:
        signs = {one[1].sign, other[1].sign}
        step = (
            "write `natural` before both spans, or before neither"
            if NATURAL_SIGNS in signs
            else "name the same measure before both spans"
        )
    elif one[1].currency != other[1].currency:
        step = "name amounts in one currency before both spans"
    else:
        step = "divide them, or name columns of one unit" if word in "+-" else "name columns of one unit"
    shown = pointed(text, start, len(word) if word in ("change", "variance") else len(one[0]))
    return UsageMistake(Mistake(what, WHERE, got, next_step=step, shown=shown))


def turned(unit: Unit | None) -> Unit | None:
    """Return the unit of figures with their signs reversed."""
    return unit and unit._replace(sign=_TURNED.get(unit.sign, unit.sign))


def multiplied(one: Unit, other: Unit) -> Unit:
    """Return the unit of a product."""
    money, quantity, number = (own + its for own, its in zip(one[:3], other[:3], strict=True))
    return _made(one, other, money, quantity, number)


def divided(one: Unit, other: Unit) -> Unit:
    """Return the unit of a quotient."""
    money, quantity, number = (own - its for own, its in zip(one[:3], other[:3], strict=True))
    return _made(one, other, money, quantity, number)


def _made(one: Unit, other: Unit, money: int, quantity: int, number: int) -> Unit:
    from_ = one if one.money else other
    return Unit(money, quantity, number, sign=from_.sign if money else "", currency=from_.currency if money else "")


class MeasureUnits:
    """Finds the units of a table's measures."""

    def __init__(self, fields: LineFields) -> None:
        self.fields = fields
        self._kinds = {field.value: field.kind for field in fields.by_name.values()}
        self._found: dict[str, Unit] = {}

    def of(self, measure: Measure) -> Unit:
        """Return the unit of a measure."""
        if measure.key not in self._found:
            self._found[measure.key] = self._of(measure)
        return self._found[measure.key]

    def _of(self, measure: Measure) -> Unit:
        field = measure.field
        currency = currencies_of(self.fields.table, [field]).get(field.key)
        name = currency.column if isinstance(currency, FieldReference) else ""
        if measure.kind == "count":
            return Unit(number=1)
        if measure.percent:
            return PERCENT
        if field.ratio is not None:
            return self._ratio(field.ratio.formula, field.ratio.parts)._replace(currency=name)
        unit = self._value(field.value) if field.value is not None else RATIO
        if field.aggregate == "average":
            return divided(unit, Unit(number=1))._replace(currency=name)
        if measure.kind == "amount":
            return AMOUNT._replace(sign=unit.sign or self._sign(measure.proven), currency=name)
        return Unit(quantity=1)

    def _ratio(self, formula: Formula, parts: Mapping[str, Expression]) -> Unit:
        match formula:
            case Name(name, _):
                return self._value(parts[name])
            case Negative(part):
                return turned(self._ratio(part, parts)) or RATIO
            case Both(operation, left, right):
                one, other = self._ratio(left, parts), self._ratio(right, parts)
                if operation == "*":
                    return multiplied(one, other)
                if operation == "/":
                    return divided(one, other)
                return one if any(one[:3]) else other
        return RATIO

    def _value(self, value: Expression) -> Unit:
        kind = self._kinds.get(value)
        if kind == "amount":
            return AMOUNT._replace(sign=self._sign(value))
        if kind in ("quantity", "whole"):
            return Unit(quantity=1)
        match value:
            case DaysBetween():
                return Unit(quantity=1)
            case OrZero(Constant()):
                return Unit(number=1)
            case OrZero(part) | Rounded(part, _) | Keyed(part) | Beside(part, _):
                return self._value(part)
            case Arithmetic("*", left, right):
                return multiplied(self._value(left), self._value(right))
            case Arithmetic(operation, left, right):
                one, other = self._value(left), self._value(right)
                if any(one[:3]):
                    return one
                return (turned(other) or RATIO) if operation == "-" else other
            case Given(cases, otherwise):
                found = [self._value(each) for each in (*(each for _, each in cases), otherwise)]
                return next((unit for unit in found if any(unit[:3])), RATIO)
        return RATIO

    def _sign(self, value: Expression) -> str:
        table = self.fields.table
        if is_natural(value, table):
            return NATURAL_SIGNS
        if table.entries:
            if isinstance(value, Arithmetic) and value.operation == "-" and isinstance(value.left, Constant):
                inner = self._sign(value.right)
                return _TURNED.get(inner, inner)
            return DEBITS
        if table.name in SIGNED:
            signs = {SIGNED[table.name]: NET, FieldReference("amount"): UNSIGNED}
            return signs.get(value, "")
        return ""
