"""What a line has in a field, or what is computed from its fields, as values; and the SQL of them.

Nothing here divides: on decimals that would make binary floats. What divides is made of sums, in core.
"""

from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping
from datetime import date
from decimal import Decimal
from typing import Literal

from level_almanac.immutable import immutable
from level_almanac.store.predicate import Bind, Predicate, looked_up, sql_of


@immutable
class FieldReference:
    """A column of the table's parts, or of a linked table's, reached through the field `link`.

    is_price: whether it is a price, which means nothing when it is added to others.
    """

    column: str
    link: str = ""
    is_price: bool = False


@immutable
class PeriodId:
    """The id of the fiscal period that a line stands in, such as 2026-P03."""


@immutable
class Constant:
    """The same text, number or day on every line."""

    value: str | Decimal | date


@immutable
class Labelled:
    """The label of a day, such as the quarter it lies in.

    number: position in the labels that are given with the question.
    tested: whether a void has the day of the line that it voids.
    """

    of: "Expression"
    number: int
    tested: bool = False


@immutable
class Arithmetic:
    """One part added to, taken from, or multiplied by another."""

    operation: Literal["+", "-", "*"]
    left: "Expression"
    right: "Expression"


@immutable
class DaysBetween:
    """How many days from one day to another."""

    first: "Expression"
    last: "Expression"


@immutable
class Given:
    """The value of the first case whose condition holds, or else another."""

    cases: tuple[tuple[Predicate, "Expression"], ...]
    otherwise: "Expression"


@immutable
class Joined:
    """Texts one after another; blank parts add nothing."""

    parts: tuple["Expression", ...]


@immutable
class Piece:
    """The first or last so many letters of a text."""

    end: Literal["first", "last"]
    length: int
    of: "Expression"


@immutable
class Summed:
    """The values of all cases whose conditions hold, added up; blank where none does."""

    cases: tuple[tuple[Predicate, "Expression"], ...]


@immutable
class Rounded:
    """A number with so many decimals, half away from zero."""

    part: "Expression"
    places: int


@immutable
class OrZero:
    """A number, or nought where it is blank."""

    part: "Expression"


@immutable
class Keyed:
    """A number of a linked table together with the keys that lead to it, so that it is told from an equal one."""

    part: "Expression"


@immutable
class Beside:
    """A number where another is there too, and blank where that one is."""

    part: "Expression"
    other: "Expression"


Expression = (
    OrZero
    | Beside
    | Keyed
    | Rounded
    | Summed
    | FieldReference
    | PeriodId
    | Constant
    | Labelled
    | Arithmetic
    | DaysBetween
    | Given
    | Joined
    | Piece
)


_NOUGHT = Constant(Decimal(0))


def parts_of(expression: Expression, places: Mapping[str, "Expression"]) -> Iterator["Expression"]:
    """Yield the expression and all that it is made of. places: of the names that its conditions may speak of."""
    yield expression
    inner: tuple[Expression, ...] = ()
    match expression:
        case Labelled(of, _, _) | Piece(_, _, of) | OrZero(of) | Rounded(of, _) | Keyed(of):
            inner = (of,)
        case Arithmetic(_, one, other) | DaysBetween(one, other) | Beside(one, other):
            inner = (one, other)
        case Given(cases, otherwise):
            tested = [places[name] for condition, _ in cases for name in sorted(looked_up(condition))]
            inner = (*tested, *(value for _, value in cases), otherwise)
        case Summed(cases):
            tested = [places[name] for condition, _ in cases for name in sorted(looked_up(condition))]
            inner = (*tested, *(value for _, value in cases))
        case Joined(parts):
            inner = parts
    for part in inner:
        yield from parts_of(part, places)


def terms_of(expression: Expression) -> list[Expression]:
    """Return what a sum or difference is made of; the expression itself where it is none."""
    if isinstance(expression, Arithmetic) and expression.operation != "*":
        left = [] if expression.left == _NOUGHT else terms_of(expression.left)
        return [*left, *terms_of(expression.right)]
    return [expression]


def of_totals(expression: Expression) -> Expression:
    """Return what is to be summed so that a sum or difference of several numbers is that of their totals.

    A line that lacks one of them counts with the others. Where a constant is one, each line counts by itself.
    """
    terms = terms_of(expression)
    if len(terms) < 2 or any(isinstance(term, Constant) for term in terms):
        return expression
    return _or_zero(expression)


def _or_zero(expression: Expression) -> Expression:
    if isinstance(expression, Arithmetic) and expression.operation != "*":
        left = expression.left if expression.left == _NOUGHT else _or_zero(expression.left)
        return Arithmetic(expression.operation, left, _or_zero(expression.right))
    return OrZero(expression)


LINE = OrZero(Constant(Decimal(1)))
"""One of each line: summed, it is how many there are."""


def is_rate(expression: Expression) -> bool:
    """Tell whether a value means nothing when it is added up: a price, or one of several numbers that conditions pick.

    A price times a quantity is an amount; a price times another, or a number, still is a price.
    """
    match expression:
        case FieldReference():
            return expression.is_price
        case Rounded(part, _) | OrZero(part):
            return is_rate(part)
        case Arithmetic("*", left, right):
            factors = [each for each in (left, right) if not isinstance(each, Constant)]
            return bool(factors) and all(is_rate(each) for each in factors)
        case Arithmetic(_, left, right):
            return is_rate(left) or is_rate(right)
        case Given(cases, otherwise):
            values = [*(value for _, value in cases), otherwise]
            return any(is_rate(value) for value in values) or all(_is_number(value) for value in values)
    return False


def _is_number(expression: Expression) -> bool:
    return isinstance(expression, Constant) and isinstance(expression.value, Decimal)


def links_in(expression: Expression, places: Mapping[str, "Expression"]) -> set[str]:
    """Return the fields through which the expression reaches other tables."""
    return {part.link for part in parts_of(expression, places) if isinstance(part, FieldReference) and part.link}


def links_of(expression: Expression) -> set[str]:
    """Return the fields through which a value is reached, those of conditions within it apart."""
    return {part.link for part in _columns_of(expression) if part.link}


def is_only_linked(expression: Expression) -> bool:
    """Tell whether a value is of another table alone: standing on many lines, it would multiply if it were summed."""
    columns = _columns_of(expression)
    return bool(columns) and all(part.link for part in columns)


def has_price(expression: Expression) -> bool:
    """Tell whether a price is among what a value is made of."""
    return any(part.is_price for part in _columns_of(expression))


def _columns_of(expression: Expression) -> list[FieldReference]:
    # What a condition within it asks of decides which value is taken, and is no part of one.
    nowhere: defaultdict[str, Expression] = defaultdict(lambda: Constant(""))
    return [part for part in parts_of(expression, nowhere) if isinstance(part, FieldReference)]


def link_sql(link: str) -> str:
    """Return the SQL of the value that leads to a linked table, of the last hop where there are several."""
    before, _, last = link.rpartition(".")
    return f'"link_{before}"."{last}"' if before else f'line."{last}"'


def labels_in(expression: Expression, places: Mapping[str, "Expression"]) -> list[Labelled]:
    """Return the labels of days that the expression holds."""
    return [part for part in parts_of(expression, places) if isinstance(part, Labelled)]


def expression_sql(expression: Expression, bind: Bind, field_sql: Callable[[str], str]) -> str:  # noqa: C901, PLR0912  one case a kind
    """Return the SQL of the expression's value. field_sql: of a field by its name, for conditions within it."""

    def sql(part: Expression) -> str:
        return expression_sql(part, bind, field_sql)

    match expression:
        case FieldReference(column, link, _):
            return f'"link_{link}"."{column}"' if link else f'line."{column}"'
        case PeriodId():
            return "((line.fiscal // 100)::varchar || '-P' || lpad((line.fiscal % 100)::varchar, 2, '0'))"
        case Constant(value):
            return _number_sql(value, bind) if isinstance(value, Decimal) else bind(value)
        case Labelled():
            return f"{labels_name(expression)}.label"
        case Arithmetic("*", left, right):
            return f"({_wide(left, sql(left))} * {_wide(right, sql(right))})"
        case Arithmetic(operation, left, right):
            return f"({sql(left)} {operation} {sql(right)})"
        case DaysBetween(first, last):
            return f"date_diff('day', {sql(first)}::date, {sql(last)}::date)::decimal(18, 0)"
        case Given(cases, otherwise):
            whens = " ".join(f"when {sql_of(test, bind, field_sql)} then {sql(value)}" for test, value in cases)
            return f"(case {whens} else {sql(otherwise)} end)"
        case Summed(cases):
            tests = [(sql_of(test, bind, field_sql), sql(value)) for test, value in cases]
            if not tests:
                return "null::decimal(18, 2)"
            if len(tests) == 1:
                return f"(case when {tests[0][0]} then {tests[0][1]} end)"
            added = " + ".join(f"(case when {test} then {value} else 0 end)" for test, value in tests)
            return f"(case when {' or '.join(test for test, _ in tests)} then {added} end)"
        case OrZero(part):
            return f"coalesce({sql(part)}, 0)"
        case Beside(part, other):
            return f"(case when {sql(other)} is not null then {sql(part)} end)"
        case Keyed(part):
            keys = ", ".join(link_sql(link) for link in sorted(links_of(part)))
            value = sql(part)
            return f"(case when {value} is not null then struct_pack(keys := [{keys}], number := {value}) end)"
        case Rounded(part, places):
            return f"round({sql(part)}, {int(places)})"
        case Joined(parts):
            return f"nullif(concat({', '.join(sql(part) for part in parts)}), '')"
        case Piece(end, length, of):
            return f"{'left' if end == 'first' else 'right'}({sql(of)}, {bind(length)})"


def labels_name(labelled: Labelled) -> str:
    """Return the name of the joined labels of days."""
    return f"labels_{labelled.number}{'_tested' if labelled.tested else ''}"


def _wide(part: Expression, sql: str) -> str:
    # The engine makes a product no wider than its parts; stored numbers have four decimals at the most.
    return f"{sql}::decimal(38, 4)" if isinstance(part, FieldReference) else sql


def _number_sql(value: Decimal, bind: Bind) -> str:
    # No wider than it must be: the engine adds widths up where it multiplies.
    digits, exponent = value.as_tuple().digits, int(value.as_tuple().exponent)
    scale = max(-exponent, 0)
    width = max(len(digits) + max(exponent, 0), scale) + 1
    return f"{bind(value)}::decimal({min(width, 38)}, {scale})"
