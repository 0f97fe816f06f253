"""Column words: `ptd; budget ptd; variance; each period; margin = sales - cost` (docs/columns.md)."""

import re
from collections.abc import Sequence
from dataclasses import field
from typing import Any, Literal, NamedTuple

from level_almanac.core.language.days import DayExpression, DayReader, Unit, unit_of
from level_almanac.core.language.formulas import Formula, formula_of, names_in, unknown_name
from level_almanac.core.language.parsing import SPANS, Node, parse, pointed
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.immutable import immutable

SpanName = Literal[
    "day", "wtd", "mtd", "ptd", "qtd", "ytd", "week", "month", "period", "quarter", "year", "opening", "closing",
    "to date", "last", "rest", "id", "range",
]  # fmt: skip
WHERE = "--columns"
ACTUAL = "actual"


class Span(NamedTuple):
    """A stretch of the calendar. number, unit: of `last 3 periods` and `rest of year`; id: of a period, quarter, week
    or year by name; first, last: of a range of days.
    """

    name: SpanName
    number: int = 0
    unit: Unit = "day"
    id: str = ""
    first: DayExpression | None = None
    last: DayExpression | None = None


class Shift(NamedTuple):
    """How far a span is moved back: so many of its own kind, or so many fiscal years."""

    kind: Literal["", "back", "last year"] = ""
    number: int = 0


NO_SHIFT = Shift()


class Each(NamedTuple):
    """What a span is divided by: units of the calendar, so many at a time, or the members of a field, or the largest so
    many of these and all other together.
    """

    unit: Unit | None = None
    number: int = 1
    field: str = ""
    start: int = 0
    top: int = 0


@immutable
class ValueColumn:
    """A span of the calendar, moved or not, in one scenario. key: unique among the columns; measure: what is summed, or
    empty for what a report sums anyway; start: for messages.

    A single name before the span stands as the scenario here, though it may be a measure: the table tells.
    """

    key: str
    span: Span
    shift: Shift = NO_SHIFT
    scenario: str = ACTUAL
    each: Each | None = None
    label: str = ""
    start: int = field(default=0, compare=False)
    measure: str = ""


@immutable
class ChangeColumn:
    """The change of one value column over another, or the variance from a plan, as an amount or in percent.

    of, over: their keys, or empty for the two value columns to the left of it.
    """

    key: str
    percent: bool
    kind: Literal["change", "variance"] = "change"
    of: str = ""
    over: str = ""
    label: str = ""
    start: int = field(default=0, compare=False)
    group: str = ""
    head: str = ""


@immutable
class ShareColumn:
    """The share of a row in percent. row: its key or label; of: the value column's key, or empty for the one left."""

    key: str
    row: str
    of: str = ""
    label: str = ""
    start: int = field(default=0, compare=False)
    group: str = ""
    head: str = ""


@immutable
class ComputedColumn:
    """Arithmetic on other columns."""

    key: str
    formula: Formula
    label: str = ""
    start: int = field(default=0, compare=False)
    group: str = ""
    head: str = ""


@immutable
class GroupedColumns:
    """Columns that each member of a field has, under one head. columns: with keys that no other of them has."""

    key: str
    each: Each
    columns: "tuple[ValueColumn | ChangeColumn | ShareColumn | ComputedColumn, ...]"
    start: int = field(default=0, compare=False)


ColumnWord = ValueColumn | ChangeColumn | ShareColumn | ComputedColumn | GroupedColumns
ColumnWords = tuple[ColumnWord, ...]

LAST_YEAR = Shift("last year", 1)
DEFAULT_TEXT = "ptd; ptd last year; change; change %; ytd; ytd last year; change; change %"
DEFAULT_COLUMNS: ColumnWords = (
    ValueColumn("ptd", Span("ptd")),
    ValueColumn("ptd-last-year", Span("ptd"), LAST_YEAR),
    ChangeColumn("change", percent=False),
    ChangeColumn("change-pct", percent=True),
    ValueColumn("ytd", Span("ytd")),
    ValueColumn("ytd-last-year", Span("ytd"), LAST_YEAR),
    ChangeColumn("change-2", percent=False),
    ChangeColumn("change-pct-2", percent=True),
)
"""What `DEFAULT_TEXT` reads as, written out so that the report asked for most need not load the grammar."""
BALANCE_TEXT = "closing; closing prior; change; opening; change of closing over opening"
BALANCE_COLUMNS: ColumnWords = (
    ValueColumn("closing", Span("closing")),
    ValueColumn("closing-prior", Span("closing"), Shift("back", 1)),
    ChangeColumn("change", percent=False),
    ValueColumn("opening", Span("opening")),
    ChangeColumn("change-of-closing-over-opening", percent=False, of="closing", over="opening"),
)
"""The same for a balance sheet's own columns."""
_KNOWN = {DEFAULT_TEXT: DEFAULT_COLUMNS, BALANCE_TEXT: BALANCE_COLUMNS}
_DEFAULT_EACH_SPAN: dict[Unit, SpanName] = {"day": "period"}


def read_columns(text: str) -> ColumnWords:
    """Return the columns that the expression names, in its order. Raises UsageMistake with the word at fault."""
    if text in _KNOWN:
        return _KNOWN[text]
    return _Reader(text).columns()


class _Reader:
    """Turns the parse tree of column words into columns, and gives each its key."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.days = DayReader(text, WHERE, UsageMistake)
        self.keys: dict[str, int] = {}
        self.read: list[ColumnWord] = []

    def columns(self) -> ColumnWords:
        """Return the columns of the whole text."""
        self.take(parse(self.text, "columns", WHERE, UsageMistake).children)
        return tuple(self.read)

    def take(self, children: Sequence[Node]) -> None:
        """Read columns one after another; raise UsageMistake where one names what is not there."""
        from lark import Tree

        for child in children:
            if isinstance(child, Tree):
                label, item = child.children
                name = _text(label.children[0]) if isinstance(label, Tree) else ""
                self.read.append(self._column(item, name))
        self._check_names()

    def _column(self, tree: Node, label: str) -> ColumnWord:
        tokens = _tokens(tree)
        start = tokens[0].start_pos or 0
        slug = "-".join(" ".join(_text(token).lower().split()) for token in tokens)
        key = self._key(label.lower() or re.sub(r"[^\w.]+", "-", slug.replace("%", "pct")).strip("-"))
        match tree.data:
            case "value" | "each":
                return self._value(tree, key, label, start)
            case "grouped":
                return self._grouped(tree, key, label, start)
            case "change":
                return self._change(tree, key, label, start)
            case "share":
                row, _, operand = [*tree.children, None, None][2:5]
                return ShareColumn(key, _text(row), _operand(operand), label, start)
            case _:
                return ComputedColumn(key, formula_of(tree), label, start)

    def _key(self, slug: str) -> str:
        self.keys[slug] = self.keys.get(slug, 0) + 1
        return slug if self.keys[slug] == 1 else f"{slug}-{self.keys[slug]}"

    def _value(self, tree: Node, key: str, label: str, start: int) -> ValueColumn:
        parts = {str(child.data): child for child in tree.children if child is not None and hasattr(child, "data")}
        named = [child for child in tree.children if str(getattr(child, "data", "")) in ("lines_of", "aggregated_of")]
        if len(named) > 1:
            what, allowed = "what is summed is said twice", "once, before `each` or after it"
            raise UsageMistake(self.days.mistake(_tokens(named[1])[0], what, allowed))
        measure, scenario = self._lines_of(named[0] if named else None)
        each = self._each(parts["unit"]) if "unit" in parts else None
        most = next((token for token in tree.children if getattr(token, "type", "") == "NUMBER"), None)
        if each is not None and most is not None:
            if not each.field:
                what, allowed = "units of the calendar have no largest ones", "a field, such as `each party top 5 ytd`"
                raise UsageMistake(self.days.mistake(most, what, allowed))
            each = each._replace(top=self.days.whole(most))
        span_tree = next((part for name, part in parts.items() if name.endswith("_span")), None)
        if span_tree is not None:
            span = self._span(span_tree)
        else:
            unit = each.unit if each else None
            span = Span(_DEFAULT_EACH_SPAN.get(unit, "year") if unit else "ytd")
        shift = self._shift(parts["shift"]) if "shift" in parts else Shift()
        if shift.kind and span.name in ("id", "range"):
            token = _tokens(parts["shift"])[0]
            what = "a span of named days cannot be moved"
            raise UsageMistake(self.days.mistake(token, what, "the days that are meant"))
        return ValueColumn(key, span, shift, scenario, each, label, start, measure)

    def _grouped(self, tree: Node, key: str, label: str, start: int) -> GroupedColumns:
        """Return columns under the heads of a field's members, their names and operands their own."""
        _, unit, _, number, *inner = tree.children
        each = self._each(unit)
        allowed = "a field, such as `each department (now = ytd; budget ytd; variance)`"
        if not each.field:
            raise UsageMistake(
                self.days.mistake(_tokens(unit)[0], "columns are grouped by the members of a field", allowed)
            )
        if label:
            what = "a group of columns is headed by its members"
            raise UsageMistake(Mistake(what, WHERE, repr(label), "columns with labels within the parentheses"))
        reader = _Reader(self.text)
        reader.take(inner)
        for column in reader.read:
            if isinstance(column, GroupedColumns) or (isinstance(column, ValueColumn) and column.each):
                shown = pointed(self.text, column.start, len("each"))
                what = "a group of columns is not divided again"
                raise UsageMistake(Mistake(what, WHERE, "each", "a span such as ytd", shown=shown))
        top = self.days.whole(number) if number is not None else 0
        columns: Any = tuple(reader.read)
        return GroupedColumns(key, each._replace(top=top), columns, start)

    def _lines_of(self, tree: Node | None) -> tuple[str, str]:
        """Return the measure and the plan that are named before a span; a single name as the latter."""
        if tree is None:
            return "", ACTUAL
        first, second, last = tree.children
        plan = _text(last) if last is not None else ACTUAL
        if tree.data == "aggregated_of":
            return f"{' '.join(str(first).lower().split())} {str(second).lower()}", plan
        if second is None and last is None:
            return "", _text(first)
        return f"{_text(first).lower()}{' %' if second is not None else ''}", plan

    def _each(self, tree: Node) -> Each:
        tokens = _tokens(tree)
        if tokens[0].type in ("NAME", "LINKED"):
            return Each(field=str(tokens[0]).lower(), start=tokens[0].start_pos or 0)
        number = self.days.whole(tokens[0]) if len(tokens) > 1 else 1
        return Each(unit_of(tokens[-1]), number, start=tokens[0].start_pos or 0)

    def _span(self, tree: Node) -> Span:
        parts = tree.children
        match tree.data:
            case "plain_span":
                word: Any = " ".join(str(parts[0]).lower().split())
                return Span(word)
            case "last_span":
                return Span("last", self.days.whole(parts[1]), unit_of(parts[2]))
            case "rest_span":
                return Span("rest", unit=unit_of(parts[-1]))
            case "id_span":
                return Span("id", id=str(parts[0]).upper())
            case _:
                first, _, last = parts
                return Span("range", first=self.days.read(first), last=self.days.read(last))

    def _shift(self, tree: Node) -> Shift:
        token = tree.children[0]
        if token.type == "LAST_YEAR":
            return LAST_YEAR
        return Shift("back", 1 if token.type == "PRIOR" else self.days.whole(token))

    def _change(self, tree: Node, key: str, label: str, start: int) -> ChangeColumn:
        word, percent, _, of, _, over = tree.children
        values = sum(2 if column.each else 1 for column in self.read if isinstance(column, ValueColumn))
        values += sum(2 for column in self.read if isinstance(column, GroupedColumns))
        if of is None and values < 2:
            allowed = "two value columns to the left of it"
            raise UsageMistake(self.days.mistake(word, "nothing to compare", allowed))
        kind: Literal["change", "variance"] = "variance" if str(word).lower() == "variance" else "change"
        return ChangeColumn(key, percent is not None, kind, _operand(of), _operand(over), label, start)

    def _check_names(self) -> None:
        known = [column.key for column in self.read if isinstance(column, ValueColumn)]
        for number, column in enumerate(self.read):
            if isinstance(column, ComputedColumn):
                left = [each.key for each in self.read[:number] if not isinstance(each, GroupedColumns)]
                self._check_number(column)
                for name in names_in(column.formula):
                    if name.name.lower() not in left:
                        what, hint = (
                            "no span and no column to the left has this name",
                            nearest(name.name, [*left, *SPANS]),
                        )
                        allowed = listed(left) or "a span such as ptd or ytd"
                        raise UsageMistake(unknown_name(self.text, name, what, WHERE, allowed, hint))
            for operand in _operands(column) if isinstance(column, ChangeColumn | ShareColumn) else []:
                if operand not in known:
                    at = self.text.lower().rfind(operand, column.start)
                    shown = pointed(self.text, max(at, 0), len(operand))
                    what, hint = "no value column has this name", nearest(operand, known)
                    raise UsageMistake(Mistake(what, WHERE, repr(operand), listed(known), hint, shown=shown))

    def _check_number(self, column: ComputedColumn) -> None:
        """Raise UsageMistake for arithmetic on numbers alone, which holds nothing of the book."""
        if any(True for _ in names_in(column.formula)):
            return
        word = re.split(r"[;\s]", self.text[column.start :], maxsplit=1)[0]
        hint = f"for the fiscal year write FY{word}" if re.fullmatch(r"(19|20)\d\d", word) else ""
        shown = pointed(self.text, column.start, len(word))
        raise UsageMistake(Mistake("a number is no column", WHERE, repr(word), "a span", hint, shown=shown))


def _operands(column: ChangeColumn | ShareColumn) -> list[str]:
    names = (column.of, column.over) if isinstance(column, ChangeColumn) else (column.of,)
    return [name for name in names if name]


def _operand(tree: Node | None) -> str:
    return _text(_tokens(tree)[0]).lower() if tree is not None else ""


def _text(token: Node) -> str:
    return str(token).strip('"')


def _tokens(tree: Node) -> list[Node]:
    from lark import Token

    return list(tree.scan_values(lambda value: isinstance(value, Token)))
