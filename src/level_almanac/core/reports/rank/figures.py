"""Which members a ranking has, in which order, and what each comes to in both spans (docs/rank.md)."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import cached_property
from typing import Any, Literal, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.language.days import DayExpression
from level_almanac.core.lines.selected import ShownField
from level_almanac.core.lines.shape import Others
from level_almanac.core.measures.measure import Measure, padded
from level_almanac.core.measures.table_measures import MeasuredRequest, TableMeasures
from level_almanac.core.requests.options import Request, inner, option
from level_almanac.core.requests.shared import first_option, last_option
from level_almanac.core.spans.as_of import COVERS
from level_almanac.core.spans.asked_range import asked_days
from level_almanac.core.spans.compared import Compared, compared_spans
from level_almanac.core.spans.windows import Window, covered
from level_almanac.core.table.change import percent
from level_almanac.core.table.model import Cell, Column, ColumnKind, Derived
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.store.expressions import Constant
from level_almanac.store.line_query import Asked, groups

Members = tuple[Any, ...]
OTHER = "all-other"
_ONE = Constant(Decimal(1))
_KINDS: dict[str, ColumnKind] = {"amount": "amount", "quantity": "number", "count": "count", "ratio": "number"}


@dataclass(frozen=True, slots=True, kw_only=True)
class RankRequest(Request):
    """What a ranking is asked for. of: the lines and measures, `by` the field whose members are ranked; within: a field
    in whose groups they are; span: column words of one span; first, last: a range of days instead; top, bottom: how
    many members; rank_by: the column that decides, or empty for the first; show: which rows.
    """

    within: str = option("within", "Rank within each group of this field.", metavar="FIELD")
    span: str = option("span", "Which days: `qtd`, `last 3 periods`.  [default: ytd]", metavar="SPAN")
    top: int | None = option("top", "The largest so many.  [default: 10]", "count", metavar="N")
    bottom: int | None = option("bottom", "The smallest so many.", "count", metavar="N")
    rank_by: str = option("rank-by", "The one column that decides the order of all.", metavar="COLUMN")
    show: Literal["all", "members", "all-other"] = option(
        "show", "Members and all other, or one of the two.", "choice", "all", choices=("all", "members", "all-other"),
        show_default=True,
    )  # fmt: skip
    of: MeasuredRequest = inner(
        MeasuredRequest,
        required=True,
        helps={
            **COVERS,
            "by": "The field whose members are ranked.",
            "compare": "Cut last year's part span at the same day, or leave it whole.",
        },
    )
    first: DayExpression | None = first_option()
    last: DayExpression | None = last_option()


class RankedSpan(NamedTuple):
    """What some lines come to in one span: how many they are, and the sums of each measure's parts."""

    lines: int
    sums: tuple[tuple[Any, ...], ...]

    def __add__(self, other: object) -> "RankedSpan":
        if not isinstance(other, RankedSpan):
            return NotImplemented
        pairs = zip(self.sums, other.sums, strict=True)
        sums = tuple(tuple(_added(*each) for each in zip(one, two, strict=True)) for one, two in pairs)
        return RankedSpan(self.lines + other.lines, sums)


class Standing(NamedTuple):
    """A member, or several of them together, in both spans."""

    members: Members
    name: str
    now: RankedSpan
    before: RankedSpan


def _added(one: Any, other: Any) -> Any:
    return other if one is None else one if other is None else one + other


class Ranking:
    """One ranking in the making: its spans, columns, members and their order."""

    def __init__(self, book: Book, request: RankRequest) -> None:
        self.request = request
        within = f"{request.within}, " if request.within else ""
        if not request.of.by:
            raise UsageMistake(Mistake("nothing to rank", "--by", next_step="name a field whose members are ranked"))
        of = request.of
        self.measured = TableMeasures(book, replace(of, by=within + of.by))
        if len(self.measured.by) != 1 + bool(within):
            step = "name one field, and with --within one whose groups are ranked each"
            raise UsageMistake(Mistake("members of one field are ranked", "--by", repr(of.by), next_step=step))
        self.groups_by, self.by = self.measured.by[: len(self.measured.by) - 1], self.measured.by[-1]
        as_of = self.measured.as_of
        # What was named says which day it is as of, and is the span itself only where none is asked for.
        ranged = request.first is not None or request.last is not None
        days = asked_days(request.first, request.last, as_of) if ranged else None
        self.spans = self._with_lines(compared_spans(request.span, days, as_of))
        self.windows = self.spans.windows
        self.rules = self.measured.rules(self.windows)
        self.columns = tuple(self._columns())
        self.ranking = self._ranking()
        if request.top is not None and request.bottom is not None:
            raise UsageMistake(Mistake("--top and --bottom are two rankings", allowed="one of them"))

    def _with_lines(self, spans: Compared) -> Compared:
        """Return the spans with the beginning of the data marked; last year's may end before it."""
        now = self.measured.since(spans.now)
        return spans._replace(
            now=now if isinstance(now, Window) else spans.now, before=self.measured.since(spans.before)
        )

    @property
    def begins_within(self) -> bool:
        """Whether the data begins within one of the spans, so that they are not compared: nobody is new by that."""
        return any(window.begins for window in self.windows)

    # Columns.

    @property
    def measures(self) -> tuple[Measure, ...]:
        """What is ranked, and what stands beside it."""
        return self.measured.measures

    @property
    def shared(self) -> Measure | None:
        """The measure that shares are of: the first that adds up."""
        return next((measure for measure in self.measures if measure.adds), None)

    def _columns(self) -> Iterator[Column]:
        for measure in self.measures:
            yield from self._measure_columns(measure)
            if measure is self.shared:
                told = covered(self.spans.now, self.measured.through)
                yield Column("share", f"share of {measure.label}, %", "percent", 1, adds=False, covered=told)
                yield Column("cumulated-share", "cumulated, %", "percent", 1, adds=False, covered=told)

    def _measure_columns(self, measure: Measure) -> Iterator[Column]:
        several = len(self.measures) > 1
        prefix = f"{measure.label} " if several else ""
        kind: ColumnKind = "percent" if measure.percent else _KINDS[measure.kind]
        places = self.places(measure)
        now, before = self.spans.now, self.spans.before
        yield Column(
            measure.key, measure.label, kind, places, now.first, now.last, self._reached(now), now.covers,
            self.measured.extent(now),
            adds=measure.adds, covered=covered(now, self.measured.through),
        )  # fmt: skip
        last = f"{measure.key}-last-year"
        if isinstance(before, Window):
            yield Column(
                last, f"{prefix}last year", kind, places, before.first, before.last, self._reached(before),
                before.covers, self.measured.extent(before),
                adds=measure.adds, covered=covered(before, self.measured.through),
            )  # fmt: skip
        else:
            yield Column(last, f"{prefix}last year", kind, places, covers=before.why, adds=measure.adds)
        if measure.percent:
            yield Column(f"{measure.key}-change", f"{prefix}change, points", "number", 1, adds=False)
            return
        derived = Derived(measure.key, last) if measure.kind == "amount" else None
        yield Column(f"{measure.key}-change", f"{prefix}change", kind, places, derived=derived, adds=measure.adds)
        derived = Derived(measure.key, last, percent=True) if measure.kind == "amount" else None
        yield Column(f"{measure.key}-change-pct", f"{prefix}change %", "percent", 1, derived=derived, adds=False)

    def _reached(self, window: Window) -> bool:
        return self.measured.through is not None and self.measured.through >= window.last

    def places(self, measure: Measure) -> int:
        """Return how many decimals a measure is shown with."""
        if measure.percent:
            return 1
        if measure.kind == "amount":
            return self.measured.decimals
        if measure.kind == "ratio":
            return 2
        return 0 if measure.kind == "count" or self._is_whole(measure) else 2

    def _is_whole(self, measure: Measure) -> bool:
        values = (self.value(side, measure) for each in self.standings for side in (each.now, each.before))
        return all(value is None or value == value.to_integral_value() for value in values)

    def _ranking(self) -> str:
        known = [column.key for column in self.columns if column.kind != "text" and "share" not in column.key]
        if not self.request.rank_by:
            return known[0]
        if self.request.rank_by not in known:
            what, hint = "no column that can rank has this name", nearest(self.request.rank_by, known)
            raise UsageMistake(Mistake(what, "--rank-by", repr(self.request.rank_by), listed(known), hint))
        return self.request.rank_by

    # Figures.

    @cached_property
    def standings(self) -> list[Standing]:
        """Every member that has a line in either span, in the order of its key."""
        values = [each.value for each in self.measured.by if each.value is not None]
        rows = groups(self.measured.book.engine, self.measured.source(self.rules), values, self.asked)
        width = len(values)
        standings = []
        for row in rows:
            members = tuple(row[:width])
            now, before = self.sides(row[width + 1 :])
            standings.append(Standing(members, self.measured.name_of(width - 1, members[-1]), now, before))
        return sorted(standings, key=lambda each: tuple(_natural(member) for member in each.members))

    @cached_property
    def asked(self) -> list[Asked]:
        """What the store is asked for each member: for both spans the number of lines and each part of a measure."""
        columns = []
        in_window = self.measured.in_window
        for each in (self.spans.now, self.spans.before):
            window = each if isinstance(each, Window) else None
            columns.append(Asked(in_window(window, _ONE), "count"))
            columns += [
                Asked(in_window(window, part.value), part.summing)
                for measure in self.measures
                for part in measure.parts
            ]
        return columns

    def sides(self, values: Sequence[Any]) -> tuple[RankedSpan, RankedSpan]:
        """Return both spans of one row of what the store was asked for."""
        half = len(self.asked) // 2
        return self._side(values[:half]), self._side(values[half:])

    def _side(self, values: Sequence[Any]) -> RankedSpan:
        at, sums = 1, []
        for measure in self.measures:
            found = values[at : at + len(measure.parts)]
            pairs = zip(found, measure.parts, strict=True)
            sums.append(tuple(0 if value is None and part.summing == "count" else value for value, part in pairs))
            at += len(measure.parts)
        return RankedSpan(int(values[0] or 0), tuple(sums))

    def value(self, side: RankedSpan, measure: Measure) -> Decimal | None:
        """Return a measure's figure; nothing where it has no lines."""
        return measure.value(side.sums[self.measures.index(measure)]) if side.lines else None

    def cells(self, each: Standing, whole: Standing, gone: Decimal) -> dict[str, Cell]:
        """Return the cells of a row. whole: of its group; gone: what the shares of the rows above come to."""
        cells: dict[str, Cell] = {}
        for measure in self.measures:
            now, before = self.value(each.now, measure), self.value(each.before, measure)
            # Who has no lines has nothing, where what is asked for adds up.
            zero = Decimal(0) if measure.adds else None
            one, other = (zero if value is None else value for value in (now, before))
            if not isinstance(self.spans.before, Window):
                other = None
            cells[measure.key], cells[f"{measure.key}-last-year"] = self._cell(one, measure), self._cell(other, measure)
            if self.begins_within:
                other = None
            cells[f"{measure.key}-change"] = self._cell(measure.change(one, other), measure)
            if not measure.percent and other is not None:
                cells[f"{measure.key}-change-pct"] = measure.change_percent(
                    (each.now.lines, now), (each.before.lines, before)
                )
            if measure is self.shared:
                share = percent(one or Decimal(0), self.value(whole.now, measure) or Decimal(0))
                cells["share"] = share
                cells["cumulated-share"] = None if share is None else share + gone
        return cells

    def _cell(self, value: Decimal | None, measure: Measure) -> Cell:
        if measure.kind == "amount":
            return padded(value, self.measured.decimals)
        return int(value) if value is not None and measure.kind == "count" else value

    # Order.

    @property
    def most(self) -> int:
        """How many members are shown in each group."""
        return self.request.top or self.request.bottom or 10

    def ranked(self, found: Sequence[Standing]) -> list[Standing]:
        """Return members in the order that the ranking column makes; equal ones in the order of their keys."""
        if not found:
            return []
        whole = folded(found)
        cells = {each.members: self.cells(each, whole, Decimal(0)).get(self.ranking) for each in found}
        there = [each for each in found if isinstance(cells[each.members], Decimal | int)]
        without = [each for each in found if not isinstance(cells[each.members], Decimal | int)]
        rising = self.request.bottom is not None
        # A sort keeps what is equal in its order, and a reversed one would turn that around.
        sign = 1 if rising else -1
        if self.by_size:
            sign = -sign
        return [*sorted(there, key=lambda each: sign * Decimal(str(cells[each.members]))), *without]

    @cached_property
    def by_size(self) -> bool:
        """Whether no member is above zero in the ranking column, so that the largest are those furthest below it."""
        whole = self.whole
        cells = [self.cells(each, whole, Decimal(0)).get(self.ranking) for each in self.standings]
        numbers = [Decimal(cell) for cell in cells if isinstance(cell, Decimal | int)]
        return any(number < 0 for number in numbers) and all(number <= 0 for number in numbers)

    @cached_property
    def parted(self) -> dict[Members, tuple[list[Standing], list[Standing]]]:
        """The members shown and the other ones, by group, groups in the order of the ranking column."""
        by_group: dict[Members, list[Standing]] = {}
        for each in self.standings:
            by_group.setdefault(each.members[:-1], []).append(each)
        totals = [folded(found)._replace(members=group) for group, found in by_group.items()]
        ordered = self.ranked(totals) if self.groups_by else totals
        found = {}
        for group in ordered:
            ranked = self.ranked(by_group[group.members])
            found[group.members] = (ranked[: self.most], ranked[self.most :])
        return found

    @cached_property
    def whole(self) -> Standing:
        """All members together."""
        return folded(self.standings) if self.standings else Standing((), "", *self.sides([None] * len(self.asked)))

    @cached_property
    def behind(self) -> dict[str, tuple[Members, Others | None]]:
        """By the key of a row the members that its lines have, or which of a group they do not have."""
        by_key: dict[str, tuple[Members, Others | None]] = {}
        for group, (shown, others) in self.parted.items():
            prefix = f"{self.key(group)}/" if group else ""
            by_key |= {f"{prefix}{self.key(each.members[-1:], self.by)}": (each.members, None) for each in shown}
            if others:
                members = [each.members[-1] for each in shown]
                than = tuple(str(member) for member in members if member is not None)
                by_key[f"{prefix}{OTHER}"] = (group, Others(than, None in members))
            if group:
                by_key[self.key(group)] = (group, None)
        return by_key

    def key(self, members: Members, *by: ShownField) -> str:
        """Return the key of a group, or of a member where its field is told."""
        named = zip(members, by or self.groups_by, strict=True)
        return "/".join(f"{field.key}-blank" if member is None else str(member) for member, field in named)

    def name(self, group: Members) -> str:
        """Return what a group is called."""
        return ", ".join(self.measured.called(at, member) for at, member in enumerate(group))


def folded(found: Sequence[Standing]) -> Standing:
    """Return several members together."""
    now, before = found[0].now, found[0].before
    for each in found[1:]:
        now, before = now + each.now, before + each.before
    return Standing((), "", now, before)


def _natural(member: Any) -> tuple[bool, str]:
    return (member is None, str(member).zfill(30) if str(member).isdigit() else str(member))
