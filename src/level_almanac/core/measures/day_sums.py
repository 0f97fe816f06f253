"""What a table's lines come to day by day, so that any spans can be made of one question to the store."""

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Iterator, Sequence
from datetime import date
from typing import Any, NamedTuple

from level_almanac.core.lines.folding import folded
from level_almanac.core.lines.rule import Rule
from level_almanac.core.measures.table_measures import TableMeasures
from level_almanac.core.spans.windows import Window
from level_almanac.store.expressions import FieldReference
from level_almanac.store.line_query import groups

Members = tuple[Any, ...]


class Day(NamedTuple):
    """The lines of one day: their position in the fiscal calendar (0 where they have none), how many, and their sums of
    each measure's parts, one after another.
    """

    fiscal: int
    day: date
    lines: int
    sums: tuple[Any, ...]


class Sum(NamedTuple):
    """Lines and their sums, of any days."""

    lines: int
    sums: tuple[Any, ...]


class DaySums:
    """The days of each member. measured: the lines; rules: all that they must meet."""

    def __init__(self, measured: TableMeasures, rules: Sequence[Rule]) -> None:
        self.measured = measured
        parts = [part for measure in measured.measures for part in measure.parts]
        self.summings = [part.summing for part in parts]
        placed = [FieldReference("fiscal")] if measured.in_periods else []
        by = [each.value for each in measured.by if each.value is not None]
        keys = [*placed, measured.day, *by]
        at, self.by_member = len(placed), dict[Members, list[Day]]()
        for row in groups(measured.book.engine, measured.source(rules), keys, parts):
            members = tuple(row[at + 1 : len(keys)])
            fiscal = int(row[0]) if placed else 0
            self.by_member.setdefault(members, []).append(
                Day(fiscal, row[at], row[len(keys)], tuple(row[len(keys) + 1 :]))
            )
        for days in self.by_member.values():
            days.sort(key=_place)

    @property
    def members(self) -> list[Members]:
        """Every member that has a line, blank ones last."""
        return in_order(self.by_member)

    def within(self, window: Window, members: Members | None = None) -> Sum:
        """Return what the lines of a window come to, of one member or of all."""
        lines, sums = 0, list[tuple[Any, ...]]()
        for days in self.by_member.values() if members is None else [self.by_member.get(members, [])]:
            for low, high in self._edges(window):
                # Days stand in order, so that only those of the window are looked at.
                for day in days[bisect_left(days, low, key=_place) : bisect_right(days, high, key=_place)]:
                    lines += day.lines
                    sums.append(day.sums)
        found = tuple(folded(how, [each[at] for each in sums]) for at, how in enumerate(self.summings))
        return Sum(lines, found)

    def _edges(self, window: Window) -> Iterator[tuple[tuple[int, date], tuple[int, date]]]:
        """Yield from which place through which a window's days stand, where it has gaps more than once."""
        if not self.measured.in_periods:
            yield (0, window.first), (0, window.last)
            return
        for stretch in window.stretches:
            yield (stretch.low, stretch.first or date.min), (stretch.high, stretch.last or date.max)

    def value(self, found: Sum, number: int) -> Any:
        """Return the figure of a measure by its number; None where there are no lines."""
        at = sum(len(measure.parts) for measure in self.measured.measures[:number])
        measure = self.measured.measures[number]
        return measure.value(found.sums[at : at + len(measure.parts)]) if found.lines else None


def in_order(found: Iterable[Members]) -> list[Members]:
    """Return members in the order of their keys, blank ones last."""
    return sorted(found, key=lambda members: tuple((each is None, str(each)) for each in members))


def _place(day: Day) -> tuple[int, date]:
    return day.fiscal, day.day
