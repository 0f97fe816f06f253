"""The rows of a list: lines as the store has them, and groups folded from the smallest up to the whole."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from level_almanac.core.language.formulas import made_of
from level_almanac.core.lines.cells import CellPlan, column_of, tidied, value_made
from level_almanac.core.lines.natural_signs import UNADDED
from level_almanac.core.lines.selected import ShownField
from level_almanac.core.lines.shape import ListShape, MadeRows
from level_almanac.core.table.model import Cell, Check, CountedAmount, Made, Note, Row, heading
from level_almanac.errors import how_many
from level_almanac.store.engine import Engine
from level_almanac.store.expressions import Arithmetic, Constant, Expression
from level_almanac.store.line_query import LineSource, Order, groups, lines

_ZERO = Decimal(0)
_MOST_NAMED = 5


@dataclass(slots=True)
class _Group:
    """Some lines that agree in the first fields of `by`. sums: as the store gave them, or folded from inner ones."""

    members: tuple[Any, ...]
    lines: int
    sums: tuple[Any, ...]
    inner: "list[_Group]" = field(default_factory=list)
    rows: list[Row] = field(default_factory=list)


class ListRows:
    """Makes the rows of one list."""

    def __init__(self, engine: Engine, source: LineSource, shape: ListShape) -> None:
        self.engine, self.source, self.shape = engine, source, shape
        self.plan = CellPlan(shape.shown, shape.measure, shape.apart, shape.is_split)
        self.notes: list[Note | str] = []
        self.members: dict[str, tuple[Any, ...]] = {}

    def made(self) -> MadeRows:
        """Ask the store and return the rows."""
        if not self.shape.by:
            return self._finished(self._plain(), CountedAmount(0, _ZERO), ())
        groups_ = self._groups()
        kept = [group for group in groups_ if self._holds(group)]
        below_threshold = [group for group in groups_ if not self._holds(group)]
        out = sum(
            (CountedAmount(group.lines, self.plan.amount(group.sums)) for group in below_threshold),
            CountedAmount(0, _ZERO),
        )
        if self.shape.exclusions and self.shape.limits:
            self.notes += self._short_notes({group.members for group in kept})
        if self.shape.lines:
            self._give_lines({group.members: group for group in kept})
        whole = self._nested(kept, 0, ())
        top = self._sorted(whole.inner, 0)
        shown_groups = top if self.shape.first is None else top[: self.shape.first]
        rows: list[Row] = []
        for group in shown_groups:
            rows += self._group_rows(group, 0)
        keys = [self._key(group.members) for group in shown_groups]
        rows += self._totals(
            whole, len(shown_groups), len(top), self._folded((), shown_groups), keys, how_many(len(kept), "group")
        )
        lines_ = sum(len(group.rows) for group in kept)
        checks = (Check("every line of the groups is shown", lines_ == whole.lines),) if self.shape.lines else ()
        return self._finished(rows, out, checks)

    # Lines.

    def _plain(self) -> list[Row]:
        sums = groups(self.engine, self.source, (), self.plan.asked)
        row: tuple[Any, ...] = sums[0] if sums else (0, *([None] * len(self.plan.asked)))
        count = int(row[0])
        whole = _Group((), count, tuple(row[1:]))
        rows = [made for _, made in self._lines(self.shape.first)]
        part = whole
        if self.shape.first is not None and len(rows) < count:
            part = self._part(len(rows))
        rows += self._totals(whole, len(rows), count, part, [row.key for row in rows], how_many(count, "line"))
        return rows

    def _part(self, count: int) -> _Group:
        """Return the group of the first lines, folded one by one."""
        values = lines(self.engine, self.source, [each.value for each in self.plan.asked], self._line_order(), count)
        single = [_Group((), 1, self.plan.alone(row)) for row in values]
        return self._folded((), single)

    def _line_order(self) -> tuple[Order, ...]:
        sorts = tuple(
            Order(sort.field.value, sort.descending, sort.field.number_like)
            for sort in self.shape.sorts
            if sort.field.value is not None
        )
        return (*sorts, *self.shape.order)

    def _lines(self, first: int | None = None) -> Iterator[tuple[tuple[Any, ...], Row]]:
        """Yield each line's values of `by`, and its row."""
        shape, by, key = self.shape, len(self.shape.by), len(self.shape.key)
        wanted = [each.value for each in shape.by if each.value is not None] + [each.value for each in shape.key]
        places: dict[str, list[int]] = {}
        for column in shape.shown:
            parts = list(column.ratio.parts.values()) if column.ratio else [column.value] if column.value else []
            places[column.key] = list(range(len(wanted), len(wanted) + len(parts)))
            wanted += parts
        plain = [
            (column.key, places[column.key][0])
            for column in shape.shown
            if column.ratio is None and places[column.key] and column.aggregate in ("", "sum")
        ]
        ratios = [column for column in shape.shown if column.ratio is not None]
        for row in lines(self.engine, self.source, wanted, self._line_order(), first):
            cells: dict[str, Cell] = {key: row[place] for key, place in plain}
            for column in ratios:
                cells[column.key] = value_made(column, [row[place] for place in places[column.key]])
            if ratios:
                cells = {column.key: cells[column.key] for column in shape.shown if column.key in cells}
            name = "/".join(str(each) for each in row[by : by + key] if each is not None)
            members = row[:by]
            prefix = f"{self._key(members)}/" if members else ""
            yield members, Row(f"{prefix}{name}", name, by, "line", cells)

    def _give_lines(self, by_members: "dict[tuple[Any, ...], _Group]") -> None:
        for members, row in self._lines():
            if members in by_members:
                by_members[members].rows.append(row)

    # Groups.

    def _groups(self, less: int = 0) -> list[_Group]:
        by = [each.value for each in self.shape.by if each.value is not None]
        found = groups(self.engine, self.source, by, self.plan.asked, less)
        return [_Group(tuple(row[: len(by)]), row[len(by)], tuple(row[len(by) + 1 :])) for row in found]

    def _folded(self, members: tuple[Any, ...], inner: "list[_Group]") -> _Group:
        """Return the group of some groups."""
        sums = self.plan.folded([group.sums for group in inner])
        return _Group(members, sum(group.lines for group in inner), sums, inner)

    def _holds(self, group: _Group) -> bool:
        for limit, column in self.shape.limits:
            cell = self.plan.cell(column, group.lines, group.sums)
            if not limit.holds(Decimal(cell) if isinstance(cell, int | Decimal) else None):
                return False
        return True

    def _short_notes(self, kept: set[tuple[Any, ...]]) -> Iterator[Note | str]:
        """Name the groups that fall short only because of what was excepted."""
        short = [
            group for group in self._groups(self.shape.exclusions) if group.members not in kept and self._holds(group)
        ]
        if not short:
            return
        column = self.shape.limits[0][1]
        ordered = sorted(short, key=lambda group: self._key(group.members))
        names = [f"{self._name(group.members)} with {{}}" for group in ordered[:_MOST_NAMED]]
        more = f" and {len(short) - _MOST_NAMED} more" if len(short) > _MOST_NAMED else ""
        amounts = [self.plan.cell(column, group.lines, group.sums) for group in ordered[:_MOST_NAMED]]
        values = tuple(Decimal(cell) if isinstance(cell, int | Decimal) else _ZERO for cell in amounts)
        words = f"Only because of --except these are not shown: {', '.join(names)}{more}"
        yield Note(words, values, self.shape.decimals if column.kind == "amount" else 0)

    def _nested(self, found: "list[_Group]", depth: int, members: tuple[Any, ...]) -> _Group:
        if depth == len(self.shape.by):
            return found[0]
        inner: dict[Any, list[_Group]] = {}
        for group in found:
            inner.setdefault(group.members[depth], []).append(group)
        return self._folded(
            members, [self._nested(each, depth + 1, (*members, member)) for member, each in inner.items()]
        )

    def _sorted(self, found: "list[_Group]", depth: int) -> "list[_Group]":
        by = self.shape.by[depth]
        places = self.shape.places if by.key == "account" else {}
        ordered = _in_order(found, lambda group: _natural(group.members[depth], by), descending=False)
        if places:
            ordered = _in_order(found, lambda group: places.get(group.members[depth]), descending=False)
        for sort in reversed(self.shape.sorts):
            if sort.key == by.key:
                ordered = _in_order(
                    ordered, lambda group: _natural(group.members[depth], by), descending=sort.descending
                )
            elif sort.key in self.plan.places:
                ordered = _in_order(ordered, self._value_in(sort.key), descending=sort.descending)
        return ordered

    def _value_in(self, key: str) -> Callable[[_Group], Cell]:
        column = next(each for each in self.shape.shown if each.key == key)
        return lambda group: self.plan.cell(column, group.lines, group.sums)

    def _group_rows(self, group: _Group, depth: int) -> Iterator[Row]:
        key, label = self._key(group.members), self._member(group.members[-1], self.shape.by[depth])
        self.members[key] = group.members
        deepest = depth == len(self.shape.by) - 1
        if deepest and not self.shape.lines:
            yield Row(key, label, depth, "line", self._cells(group, total=False))
            return
        cells = self._cells(group)
        yield heading(key, label, depth)
        below: list[Row] = list(group.rows)
        keys = [row.key for row in below]
        if not deepest:
            for inner in self._sorted(group.inner, depth + 1):
                inner_rows = list(self._group_rows(inner, depth + 1))
                keys.append(inner_rows[-1].key)
                below += inner_rows
        yield from below
        yield Row(key, f"Total {label}", depth, "subtotal", cells, adds=tuple((1, each) for each in keys))

    def _totals(
        self, whole: _Group, shown_count: int, there: int, part: _Group, keys: Sequence[str], what: str
    ) -> Iterator[Row]:
        """Yield the rows below all. there: how many there are of those shown; what: what the total is of, in words."""
        adds = tuple((1, key) for key in keys)
        self._note_results(whole)
        if self.shape.first == 0:
            # Nothing but the total was asked for.
            yield Row("total", "Total", 0, "total", self._cells(whole))
            return
        if shown_count < there:
            self.notes.append(f"First {shown_count:,} of {there:,} shown; the total is of all of them")
            yield Row("shown", f"Total of the first {shown_count:,}", 0, "subtotal", self._cells(part), adds=adds)
            yield Row("total", f"Total of all {there:,}", 0, "total", self._cells(whole))
            return
        yield Row("total", f"Total, {what}", 0, "total", self._cells(whole), adds=adds)
        yield from self._currency_totals()

    def _note_results(self, whole: _Group) -> None:
        """Note credits less debits of each total that is blank, because natural amounts of both are not added."""
        results = [(column, self.plan.result(column, whole.sums)) for column in self.shape.shown]
        found = [(column, amount) for column, amount in results if amount is not None]
        if found:
            named = ", ".join(f"{column.label} {{}}" for column, _ in found)
            values = tuple(amount for _, amount in found)
            words = f"{UNADDED}. {self.shape.result_words} in all: {named}"
            self.notes.append(Note(words, values, self.shape.decimals))
        elif any(2 in widths for widths in self.plan.widths.values()):
            self.notes.append(UNADDED)

    def _currency_totals(self) -> Iterator[Row]:
        """Yield what amounts of several currencies come to in each, as they are never added."""
        for value in dict.fromkeys(self.shape.apart.values() if not self.shape.limits else ()):
            found = groups(self.engine, self.source, [value], self.plan.asked)
            if len(found) > 1:
                self.notes.append("Amounts in different currencies are not added: each has a total of its own")
                for currency, count, *sums in sorted(found, key=lambda row: (row[0] is None, str(row[0]))):
                    group = _Group((), count, tuple(sums))
                    cells = {
                        key: cell for key, cell in self._cells(group).items() if self.shape.apart.get(key) == value
                    }
                    name = "(no currency)" if currency is None else str(currency)
                    yield Row(f"total/{currency or 'blank'}", f"of which in {name}", 0, "subtotal", cells)

    def _cells(self, group: _Group, *, total: bool = True) -> dict[str, Cell]:
        """Return the cells of a group; what its lines have in common is not told beneath them, as if it were a sum."""
        return {
            column.key: self.plan.cell(column, group.lines, group.sums)
            for column in self.shape.shown
            if not total or column.ratio is not None or column.summing != "only"
        }

    def _key(self, members: Sequence[Any]) -> str:
        named = zip(members, self.shape.by, strict=False)
        return "/".join(f"{by.key}-blank" if member is None else str(member) for member, by in named)

    def _name(self, members: Sequence[Any]) -> str:
        named = zip(members, self.shape.by, strict=False)
        return ", ".join(self._member(member, by) for member, by in named)

    @staticmethod
    def _member(member: Any, by: ShownField) -> str:
        return f"(no {by.label})" if member is None else str(member)

    def _made(self, column: ShownField) -> Made | None:
        """Return the arithmetic on other columns that gives a column, where all that it is made of is shown."""
        shown = {
            each.total_value: each.key
            for each in self.shape.shown
            if each is not column and each.ratio is None and each.aggregate in ("", "sum") and each.value is not None
            and each.summing in ("sum", "once")
        }  # fmt: skip
        if column.ratio is not None:
            keys = {name: shown[part] for name, part in column.ratio.parts.items() if part in shown}
            return made_of(column.ratio.formula, keys)
        if column.value is None or column.aggregate not in ("", "sum") or column.summing != "sum":
            return None
        return _difference(column.value, shown)

    def _finished(self, rows: list[Row], below_threshold: CountedAmount, checks: tuple[Check, ...]) -> MadeRows:
        columns = []
        for column in self.shape.shown:
            cells = [row.cells.get(column.key) for row in rows]
            columns.append(column_of(column, cells, self.shape.decimals)._replace(made=self._made(column)))
        numbers = [column for column in columns if column.kind in ("amount", "number", "count")]
        tidy = [
            row._replace(cells={**row.cells, **{
                column.key: tidied(row.cells[column.key], column) for column in numbers if column.key in row.cells
            }})
            for row in rows
        ]  # fmt: skip
        return MadeRows(tuple(columns), tuple(tidy), below_threshold, checks, tuple(self.notes), self.members)


def _difference(value: Expression, shown: Mapping[Expression | None, str]) -> Made | None:
    """Return a sum or difference of values that are all shown, on their columns; None for any other."""
    match value:
        case Arithmetic("+" | "-" as operation, left, right):
            one = Decimal(0) if left == Constant(Decimal(0)) else _difference(left, shown) or shown.get(left)
            other = _difference(right, shown) or shown.get(right)
            return None if one is None or other is None else (operation, one, other)
    return None


def _natural(member: Any, by: ShownField) -> Any:
    if by.number_like and isinstance(member, str) and member.isdigit():
        return member.zfill(30)
    return member


def _in_order(found: list[_Group], value: Callable[[_Group], Any], *, descending: bool) -> list[_Group]:
    """Return the groups in order of a value, those without one last; equal ones stay as they were."""
    there = [group for group in found if value(group) is not None]
    without = [group for group in found if value(group) is None]
    return [*sorted(there, key=value, reverse=descending), *without]
