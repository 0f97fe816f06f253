"""What growth, rankings and pace are of: amounts, quantities, counts, and ratios, which are made of totals."""

import re
from collections.abc import Iterator, Sequence
from decimal import Decimal
from typing import Any, Literal, NamedTuple

from level_almanac.core.language.formulas import value_of
from level_almanac.core.lines.folding import added_up
from level_almanac.core.lines.natural_signs import by_side, is_natural, joined_sides
from level_almanac.core.lines.selected import ShownField, ShownReader, average_parts
from level_almanac.core.table.change import PERCENT_PLACES, Figure, change_percent
from level_almanac.core.table.exact import EXACT, rounded
from level_almanac.core.table.model import Cell
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.tables import Table
from level_almanac.store.expressions import Constant, Expression, is_only_linked, is_rate
from level_almanac.store.line_query import Asked

_ONE = Constant(Decimal(1))
WHERE = "--of"


class Measure(NamedTuple):
    """One measure.

    key: its name in `--of` and in column words.
    kind: what its figures are.
    percent: whether a ratio is shown in percent.
    field: the field as it was read.
    parts: the sums that the store is asked for.
    widths: for each sum of the measure whether it is one of `parts`, or two: of credit and of debit classes.
    """

    key: str
    label: str
    kind: Literal["amount", "quantity", "count", "ratio"]
    percent: bool
    field: ShownField
    parts: tuple[Asked, ...]
    widths: tuple[int, ...] = ()

    @property
    def has_sides(self) -> bool:
        """Whether it is an amount in natural signs, whose two parts are the sums of credit and of debit classes."""
        return self.kind != "ratio" and self.widths == (2,)

    @property
    def proven(self) -> Expression:
        """The value of a line that a proof sums."""
        value = self.field.total_value or self.field.value
        return self.parts[0].value if value is None else value

    @property
    def adds(self) -> bool:
        """Whether its figures of some lines and of others add up to that of both."""
        return self.kind != "ratio" and self.field.aggregate != "values"

    def value(self, sums: Sequence[Any]) -> Decimal | None:
        """Return the figure that these sums of its parts make, not rounded; None if it has none.

        An amount in natural signs has none if both credit and debit classes have an amount.
        """
        if self.has_sides and all(sums):
            return None
        if self.widths:
            sums = tuple(joined_sides(sums, self.widths))
        if self.field.aggregate == "values":
            return Decimal(added_up(sums[0]) or 0)
        if self.kind != "ratio":
            return Decimal(0) if sums[0] is None else Decimal(sums[0])
        figure: Decimal | None
        if self.field.ratio is not None:
            parts = dict(zip(self.field.ratio.parts, sums, strict=True))
            figure = value_of(
                self.field.ratio.formula, lambda name: None if parts[name] is None else Decimal(parts[name])
            )
        else:
            total, count = sums
            figure = EXACT.divide(Decimal(total), Decimal(count)) if count and total is not None else None
        if figure is None:
            return None
        # It is rounded when it is shown, so that a change of two ratios is that of the exact ones.
        return EXACT.multiply(figure, Decimal(100)) if self.percent else figure

    def cell(self, value: Decimal | None, decimals: int) -> Cell:
        """Return a figure of this measure, or a difference of two, as a cell. decimals: of amounts."""
        if value is None:
            return None
        if self.kind == "amount":
            return padded(value, decimals)
        if self.kind == "quantity":
            return value.quantize(Decimal(1)) if value == value.to_integral_value() else value.normalize()
        return int(value) if self.kind == "count" else value.quantize(PERCENT_PLACES, context=EXACT)

    def change(self, of: Decimal | None, over: Decimal | None) -> Decimal | None:
        """Return the change of one figure over another, in points where they are percents."""
        return None if of is None or over is None else EXACT.subtract(of, over)

    def change_percent(self, of: tuple[int, Decimal | None], over: tuple[int, Decimal | None]) -> Cell:
        """Return the change in percent of the latter's size, or the word for it; each is (lines, figure)."""
        if (
            self.percent
            or (of[1] is None and over[1] is None)
            or any(lines and value is None for lines, value in (of, over))
        ):
            return None
        return change_percent(Figure(of[1] or Decimal(0), of[0]), Figure(over[1] or Decimal(0), over[0]))


def padded(value: Decimal | None, places: int) -> Decimal | None:
    """Return an amount with at least as many decimals as its currency has, so that a nought is told like any other."""
    if value is None or int(value.as_tuple().exponent) <= -places:
        return value
    return rounded(value, places)


def read_measures(
    text: str, reader: ShownReader, where: str = WHERE, *, one_sided: bool = False
) -> tuple[Measure, ...]:
    """Return the measures that `amount, quantity, margin %` names; raise UsageMistake for a field that has no sum.

    where: the option that they come from.
    one_sided: whether all lines are of credit classes, or all of debit classes.
    """
    table = reader.reader.fields.table
    plain = re.sub(r"\s*%(?=\s*(?:,|$))", lambda columns: " " * len(columns[0]), text)
    percents = [piece.rstrip().endswith("%") for piece in _pieces(text)]
    columns = reader.shown(plain, where, ())
    if len(percents) != len(columns):
        percents = [False] * len(columns)
    pairs = zip(columns, percents, strict=True)
    found = (_measure(_labelled(field), where, percent=percent) for field, percent in pairs)
    return tuple(measure if one_sided else _by_side(measure, table) for measure in found)


def _by_side(measure: Measure, table: Table) -> Measure:
    """Return the measure with its sums of amounts in natural signs as two sums each."""
    split = [
        by_side(part) if part.summing == "sum" and is_natural(part.value, table) else (part,) for part in measure.parts
    ]
    widths = tuple(map(len, split))
    parts = tuple(part for parts in split for part in parts)
    return measure._replace(parts=parts, widths=widths if len(parts) > len(split) else ())


def _labelled(field: ShownField) -> ShownField:
    word = {"natural": "natural amount", "signed": "net amount"}.get(field.key)
    return field._replace(label=word) if word and field.label == field.key else field


def _pieces(text: str) -> Iterator[str]:
    yield from re.findall(r'(?:"[^"]*"|[^,"])+', text)


def _unfit(value: Expression) -> str:
    """Return why the members of a ranking, and the rest, have no sum of a value; empty where they have."""
    if is_rate(value):
        return "a price or rate is not added up"
    return (
        "this is of another table and stands on many lines, so it is not added up over them"
        if is_only_linked(value)
        else ""
    )


def _measure(field: ShownField, where: str, *, percent: bool) -> Measure:
    def refused(what: str, step: str = "") -> UsageMistake:
        return UsageMistake(Mistake(what, where, repr(field.key), next_step=step))

    if field.aggregate in ("minimum", "maximum"):
        raise refused("what is largest or smallest does not add up, so members and the rest have no total of it")
    if field.ratio is not None:
        if unfit := next(filter(None, map(_unfit, field.ratio.parts.values())), ""):
            raise refused(unfit)
        parts = tuple(Asked(part) for part in field.ratio.parts.values())
        label = f"{field.label} %" if percent else field.label
        return Measure(field.key, label, "ratio", percent, field, parts)
    if percent:
        raise refused("only a ratio is shown in percent", "compute one, such as --compute 'margin = (a - b) / a'")
    if field.aggregate in ("count", "values"):
        part = Asked(_ONE, "count") if field.value is None else Asked(field.value, "values")
        return Measure(field.key, field.label, "count", percent, field, (part,))
    if field.kind not in ("amount", "quantity", "whole") or field.value is None:
        raise refused(f"{field.key} is no number to add up")
    if field.aggregate == "average":
        return Measure(field.key, field.label, "ratio", percent, field, average_parts(field))
    if unfit := _unfit(field.value):
        raise refused(unfit, f"`average of {field.key}`" if is_rate(field.value) else "")
    kind: Literal["amount", "quantity"] = "amount" if field.kind == "amount" else "quantity"
    return Measure(field.key, field.label, kind, percent, field, (Asked(field.total_value or field.value),))
