"""What a list shows, is grouped by and sorted by: `posted, - amount, average of amount, memo if wide`."""

import re
from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from typing import Any, Literal, NamedTuple

from level_almanac.core.fields import LineField
from level_almanac.core.language.days import unit_of
from level_almanac.core.language.parsing import Node, parse, pointed
from level_almanac.core.lines.computed import Computed, ComputedReader, Ratio
from level_almanac.errors import AlmanacError, Mistake, listed, nearest
from level_almanac.files.tables import Kind
from level_almanac.store.expressions import (
    Arithmetic,
    Beside,
    Constant,
    Expression,
    FieldReference,
    has_price,
    is_only_linked,
    is_rate,
    of_totals,
)
from level_almanac.store.line_query import Asked, Summing

Aggregate = Literal["", "sum", "average", "minimum", "maximum", "count", "values"]
_NAME = re.compile(r"[a-z][a-z0-9_]*(?:\.[a-z][a-z0-9_]*)*", re.IGNORECASE)
_PLAIN = re.compile(rf"\s*{_NAME.pattern}(?:\s*,\s*{_NAME.pattern})*\s*", re.IGNORECASE)
_PIECE = re.compile(r'(?:"[^"]*"|[^,"])+')
_LABELLED = re.compile(r'\s*(?:("[^"]*"|[a-z][\w ]*?)\s*=)?\s*(.*?)\s*', re.IGNORECASE | re.DOTALL)
_SUMMED_KINDS = ("amount", "quantity")
_NUMBERS = ("amount", "quantity", "whole")


class ShownField(NamedTuple):
    """One column of a list. key: what it is pointed with; value: of a line, None for a count or a ratio; turned:
    whether its sign is; aggregate: how the lines of a group make it, empty for what its kind is summed by; weight: what
    its average is weighted by.
    """

    key: str
    label: str
    kind: Kind
    value: Expression | None
    aggregate: Aggregate = ""
    turned: bool = False
    ratio: Ratio | None = None
    start: int = 0
    number_like: bool = False
    weight: Expression | None = None

    @property
    def is_linked(self) -> bool:
        """Whether it is of a linked table alone, and so never summed over the lines that lead to it."""
        return self.value is not None and is_only_linked(self.value)

    @property
    def is_price(self) -> bool:
        """Whether it is a price that the book declares, or an average of one."""
        return isinstance(self.value, FieldReference) and self.value.is_price

    @property
    def total_value(self) -> Expression | None:
        """What is summed over a group: of a sum or difference of several fields the same of their totals."""
        if self.value is None or self.aggregate not in ("", "sum") or self.summing != "sum":
            return self.value
        return of_totals(self.value)

    @property
    def summing(self) -> Summing:
        """How the store sums it over a group."""
        match self.aggregate:
            case "minimum" | "maximum" | "count" | "values":
                return self.aggregate
            case "":
                adds = self.kind in _SUMMED_KINDS and self.value is not None
                return summing_of(self.value) if adds and self.value is not None else "only"
            case "sum" if self.value is not None:
                return summing_of(self.value)
        return "sum"


def values_of(shown: Iterable[ShownField]) -> list[Expression]:
    """Return the values of lines that these are made of."""
    found: list[Expression] = []
    for each in shown:
        found += [each.value] if each.value is not None else []
        found += each.ratio.parts.values() if each.ratio else []
    return found


def summing_of(value: Expression) -> Summing:
    """Return how a number adds up: not at all where it is a rate or a price, and of another table alone once for each
    key of it, though it stands on many lines.
    """
    if is_rate(value):
        return "only"
    return "once" if is_only_linked(value) else "sum"


def average_parts(field: ShownField) -> tuple[Asked, Asked]:
    """Return what the average of a field's lines is made of: the one over the other.

    Of a price it is weighted, so that it is what one piece cost of all that were sold.
    """
    if field.value is None:
        raise ValueError(field.key)
    if field.weight is None:
        return Asked(field.value), Asked(field.value, "count")
    # A line that lacks either has no part in the average.
    return Asked(Arithmetic("*", field.value, field.weight)), Asked(Beside(field.weight, field.value))


def averaged_value(field: ShownField) -> Expression:
    """Return the value that lines have which count in an average."""
    value, weight = average_parts(field)
    return weight.value if field.weight is not None else value.value


def pieces(text: str) -> list[str]:
    """Return what stands between the commas of a text, those in quotes apart."""
    return [piece.strip() for piece in _PIECE.findall(text) if piece.strip()]


def labelled(piece: str) -> tuple[str, str]:
    """Return the label of `label = words`, or an empty one, and the words."""
    match = _LABELLED.fullmatch(piece)
    return ((match[1] or "").strip('"'), match[2]) if match else ("", piece)


class SortField(NamedTuple):
    """One thing that rows are put in order by. key: of a column or group, as far as it is one; field: of a line."""

    key: str
    field: ShownField
    descending: bool
    start: int


class ShownReader:
    """Reads the expressions of one list. computed: the fields that it computes, by name; reader: reads others."""

    def __init__(self, reader: ComputedReader, computed: Mapping[str, Computed], error: type[AlmanacError]) -> None:
        self.reader, self.computed, self.error = reader, computed, error

    def shown(self, text: str, where: str, yes: Sequence[str]) -> tuple[ShownField, ...]:
        """Return the columns in order. yes: the names whose columns appear; those of others do not."""
        reader = self.reader.of(text, where)
        plain = () if yes else self._plain_fields(text)
        if plain:
            return plain
        tree = parse(text, "fields", where, self.error)
        asked = {str(child.children[-1]).lower() for child in tree.children if child.children[-1] is not None}
        for name in yes:
            if name not in asked:
                hint = nearest(name, asked)
                raise self.error(
                    Mistake("no column is marked with this", "--yes", repr(name), listed(sorted(asked)), hint)
                )
        columns = []
        for child in tree.children:
            head, sign, item, _, condition = child.children
            if condition is not None and str(condition).lower() not in yes:
                continue
            field = self._item(item, reader)
            if sign is not None and str(sign) != "+":
                field = _turned(field, item, reader)
            if head is not None:
                label = str(head.children[0]).strip('"')
                field = field._replace(label=label, key=label.lower().replace(" ", "-"))
            columns.append(field)
        if not columns:
            raise self.error(Mistake("no column is left to show", where, repr(text)))
        return _unique(columns)

    def _plain_fields(self, text: str) -> tuple[ShownField, ...]:
        """Return the columns of a list that only names fields of the table; nothing where it says more."""
        if not _PLAIN.fullmatch(text):
            return ()
        # Most lists are such, and should not wait for the grammar.
        columns = []
        for match in _NAME.finditer(text):
            field = self.reader.fields.by_name.get(match[0].lower())
            if field is None or match[0].lower() in self.computed:
                return ()
            columns.append(_plain(field)._replace(start=match.start()))
        return _unique(columns)

    def one(self, words: str, label: str) -> ShownField:
        """Return the one column that words of `--show` say. label: of its head, or empty for the usual one."""
        (field,) = self.shown(words, "--show", ())
        return field._replace(label=label, key=label.lower().replace(" ", "-")) if label else field

    def check_named(self, name: str, own: Sequence[str]) -> None:
        """Raise the error for a plain name that is neither one of a report's own columns nor a field of its lines."""
        fields = self.reader.fields.by_name
        if _NAME.fullmatch(name) and name not in fields and name not in self.computed and name != "count":
            known = dict.fromkeys([*own, *(each.name for each in fields.values() if not each.link)])
            what, hint = "neither a column of the report nor a field", nearest(name, [*known, *fields])
            raise self.error(Mistake(what, "--show", repr(name), listed(known), hint))

    def grouped(self, text: str, where: str) -> tuple[ShownField, ...]:
        """Return what lines are grouped by, in order."""
        columns = self.shown(text, where, ())
        for field in columns:
            if field.aggregate or field.ratio or field.turned or field.kind in ("amount",):
                shown = pointed(text, field.start, len(field.key))
                allowed = "fields such as account, and parts of dates such as `quarter of posted`"
                raise self.error(Mistake("lines are not grouped by this", where, repr(field.key), allowed, shown=shown))
        return columns

    def sorts(self, text: str, where: str) -> tuple[SortField, ...]:
        """Return what rows are put in order by."""
        reader, tree = self.reader.of(text, where), parse(text, "sorts", where, self.error)
        sorts = []
        for child in tree.children:
            item, descending = child.children
            field = self._item(item, reader) if hasattr(item, "data") else self._labelled(item, reader)
            sorts.append(SortField(field.key, field, descending is not None, field.start))
        return tuple(sorts)

    def _labelled(self, token: Node, reader: ComputedReader) -> ShownField:
        """Return the field that the book gives this label to."""
        label = str(token).strip('"').casefold()
        known = {field.label.casefold(): field for field in reader.fields.by_name.values() if field.label}
        if label not in known:
            shown = pointed(reader.text, token.start_pos or 0, len(token))
            what, allowed = (
                "the book gives no field this label",
                listed(sorted(field.label for field in known.values())) or "the name of a field",
            )
            raise self.error(Mistake(what, reader.where, str(token), allowed, nearest(label, known), shown=shown))
        return _plain(known[label])._replace(start=int(token.start_pos or 0))

    def _item(self, tree: Node, reader: ComputedReader) -> ShownField:
        token = next(tree.scan_values(lambda _: True))
        start = int(token.start_pos or 0)
        match tree.data:
            case "count":
                return ShownField("count", "count", "whole", None, "count", start=start)
            case "aggregate":
                name, inner = (child for child in tree.children if str(child).lower() != "of")
                return _aggregated(str(name).lower(), self._item(inner, reader), inner, reader)
            case "how_many":
                field = self._item(tree.children[-1], reader)
                if field.ratio is not None:
                    raise self.error(Mistake("a ratio has no values to count", reader.where, repr(field.key)))
                words, label = f"how many {field.key}", f"how many {field.label}"
                return field._replace(key=words, label=label, kind="whole", aggregate="values", start=start)
            case "part":
                unit, *_, name = tree.children
                value = reader.part(tree)
                key = f"{unit_of(unit)} of {reader.field(name).name}"
                return ShownField(key, key, "text", value, start=start)
        name = str(tree.children[0]).lower()
        computed = self.computed.get(name)
        if computed is not None and computed.ratio is not None:
            label = self.reader.fields.table.labels.get(name, name)
            return ShownField(name, label, computed.kind, None, ratio=computed.ratio, start=start)
        return _plain(reader.field(tree))._replace(start=start)


def _aggregated(name: str, field: ShownField, tree: Node, reader: ComputedReader) -> ShownField:
    aggregate: Any = name
    able = _NUMBERS if name in ("sum", "average") else (*_NUMBERS, "date")
    if field.ratio or field.kind not in able:
        what = "a ratio is made of totals, and has none itself" if field.ratio else f"there is no {name} of {field.key}"
        token = next(tree.scan_values(lambda _: True))
        shown = pointed(reader.text, token.start_pos or 0, len(token))
        raise reader.error(Mistake(what, reader.where, repr(field.key), shown=shown))
    if field.is_linked and name == "average":
        what = "this is of another table and stands on many lines, so it has no average over them"
        raise reader.error(Mistake(what, reader.where, repr(field.key)))
    if field.value is not None and is_rate(field.value):
        _check_rate(name, field, tree, reader)
    words, label = f"{name} of {field.key}", f"{name} of {field.label}"
    kind: Kind = "quantity" if name == "average" and field.kind != "amount" else field.kind
    return field._replace(key=words, label=label, aggregate=aggregate, kind=kind)


def _check_rate(name: str, field: ShownField, tree: Node, reader: ComputedReader) -> None:
    """Raise the error for a price or rate that is summed, or that lacks what its average would be weighted by."""
    table = reader.fields.table
    quantities = [each.name for each in table.fields if each.kind == "quantity" and not each.price]
    if name == "sum":
        what, step = "a price or rate is not added up", f"`average of {field.key}`, or multiply it by a quantity"
    elif name == "average" and field.is_price and field.weight is None and quantities:
        what = "the book does not say what the average of this price is weighted by"
        step = f'say it under [tables.{table.name}], such as `weights = {{ {field.key} = "{quantities[0]}" }}`'
    elif name == "average" and not field.is_price and field.value is not None and has_price(field.value):
        what, step = "a price that is computed has no average of its own", "divide an amount by a quantity instead"
    else:
        return
    token = next(tree.scan_values(lambda _: True))
    shown = pointed(reader.text, token.start_pos or 0, len(token))
    raise reader.error(Mistake(what, reader.where, repr(field.key), next_step=step, shown=shown))


def _turned(field: ShownField, tree: Node, reader: ComputedReader) -> ShownField:
    if field.kind not in _NUMBERS or field.ratio:
        token = next(tree.scan_values(lambda _: True))
        shown = pointed(reader.text, token.start_pos or 0, len(token))
        raise reader.error(Mistake("this has no sign to turn", reader.where, repr(field.key), shown=shown))
    value = None if field.value is None else Arithmetic("-", Constant(Decimal(0)), field.value)
    return field._replace(label=f"{field.label}, sign turned", value=value, turned=True)


def _plain(field: LineField) -> ShownField:
    return ShownField(
        field.name,
        field.label or field.name,
        field.kind,
        field.value,
        number_like=field.number_like,
        weight=field.weight,
    )


def _unique(found: Sequence[ShownField]) -> tuple[ShownField, ...]:
    counts: dict[str, int] = {}
    unique = []
    for field in found:
        counts[field.key] = counts.get(field.key, 0) + 1
        again = counts[field.key]
        unique.append(field if again == 1 else field._replace(key=f"{field.key}-{again}"))
    return tuple(unique)
