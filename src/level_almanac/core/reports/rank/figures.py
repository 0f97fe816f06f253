"""Which members a ranking has, in which order, and what each comes to in both spans (docs/rank.md)."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from decimal import Decimal
from functools import cached_property
from typing import Literal, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.columns.ranking import apart_from_blank, goes_by_size, ranked
from level_almanac.core.columns.sums import Members, MemberSums, SlotSums, ValueSlot, natural
from level_almanac.core.columns.table_columns import measure_kind, measure_places
from level_almanac.core.language.days import DayExpression
from level_almanac.core.lines.selected import ShownField
from level_almanac.core.lines.shape import Others
from level_almanac.core.measures.measure import Measure
from level_almanac.core.measures.table_measures import MeasuredRequest, TableMeasures
from level_almanac.core.requests.options import Request, inner, option
from level_almanac.core.requests.shared import first_option, last_option
from level_almanac.core.spans.as_of import COVERS
from level_almanac.core.spans.asked_range import asked_days
from level_almanac.core.spans.compared import Compared, compared_spans
from level_almanac.core.spans.windows import Window, covered
from level_almanac.core.table.change import are_offset, percent
from level_almanac.core.table.model import Cell, Column, Derived
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.immutable import immutable

OTHER = "all-other"


@immutable(kw_only=True)
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
            "compare": "Last year's part span cut at the same day, or left whole, or moved to the same weekdays.",
        },
    )
    first: DayExpression | None = first_option()
    last: DayExpression | None = last_option()


class Parted(NamedTuple):
    """One group's members as a ranking shows them, and its lines without a member, one or none."""

    shown: list[MemberSums]
    others: list[MemberSums]
    blank: list[MemberSums]


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
        kind = measure_kind(measure)
        places = self.places(measure)
        now, before = self.spans.now, self.spans.before
        yield Column(
            measure.key, measure.label, kind, places, now.first, now.last, self._reached(now), now.covers,
            self.measured.extent(now),
            adds=measure.adds, covered=covered(now, self.measured.through),
        )  # fmt: skip
        last = _last_year(measure)
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
        keys = (measure.key, _last_year(measure))
        values = (self.sums.value(each, key) for each in self.standings for key in keys)
        return measure_places(measure, self.measured.decimals, values)

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
    def sums(self) -> SlotSums:
        """What the store is asked for: each measure in both spans."""
        slots = []
        for measure in self.measures:
            for key, window in ((measure.key, self.spans.now), (_last_year(measure), self.spans.before)):
                slots.append(ValueSlot(key, measure, window if isinstance(window, Window) else None))
        return SlotSums(self.measured, slots)

    @cached_property
    def standings(self) -> list[MemberSums]:
        """Every member that has a line in either span, in the order of its key."""
        found = self.sums.of_members(self.rules)
        return sorted(found, key=lambda each: tuple(natural(member) for member in each.members))

    def member_name(self, each: MemberSums) -> str:
        """Return what a member is called."""
        return self.measured.name_of(len(self.measured.by) - 1, each.members[-1])

    def offset(self, members: Sequence[MemberSums], whole: MemberSums) -> bool:
        """Return whether shares of a group mean nothing, because amounts of both signs offset each other."""
        if self.shared is None or not self.sums.lines(whole, self.shared.key):
            return False
        key = self.shared.key
        figures = [self.sums.value(each, key) for each in members]
        total = self.sums.value(whole, key)
        return total is not None and are_offset([each for each in figures if each is not None], total)

    def cells(self, each: MemberSums, whole: MemberSums, gone: Decimal, *, offset: bool = False) -> dict[str, Cell]:
        """Return the cells of a row.

        whole: the group that it stands in.
        gone: the shares of the rows above, added up.
        offset: whether its shares are n/m.
        """
        cells: dict[str, Cell] = {}
        for measure in self.measures:
            keys = (measure.key, _last_year(measure))
            now, before = (self.sums.value(each, key) for key in keys)
            one, other = (self.sums.amount(each, key) for key in keys)
            if not isinstance(self.spans.before, Window):
                other = None
            cells[keys[0]], cells[keys[1]] = self._cell(one, measure), self._cell(other, measure)
            if self.begins_within:
                other = None
            cells[f"{measure.key}-change"] = self._cell(measure.change(one, other), measure)
            if not measure.percent and other is not None:
                cells[f"{measure.key}-change-pct"] = measure.change_percent(
                    *((self.sums.lines(each, key), value) for key, value in zip(keys, (now, before), strict=True))
                )
            if measure is self.shared:
                total = self.sums.value(whole, measure.key)
                share = None if one is None or total is None else percent(one, total)
                if offset:
                    cells["share"] = cells["cumulated-share"] = "n/m"
                    continue
                cells["share"] = share
                cells["cumulated-share"] = None if share is None else share + gone
        return cells

    def _cell(self, value: Decimal | None, measure: Measure) -> Cell:
        return measure.cell(value, self.measured.decimals)

    # Order.

    @property
    def most(self) -> int:
        """How many members are shown in each group."""
        return self.request.top or self.request.bottom or 10

    def ranked(self, found: Sequence[MemberSums]) -> list[MemberSums]:
        """Return members in the order that the ranking column makes; equal ones in the order of their keys."""
        if not found:
            return []
        whole = self.sums.together(found)
        rising = self.request.bottom is not None
        return ranked(
            found,
            lambda each: self.cells(each, whole, Decimal(0)).get(self.ranking),
            rising=rising,
            by_size=self.by_size,
        )

    @cached_property
    def by_size(self) -> bool:
        """Whether no member is above zero in the ranking column, so that the largest are those furthest below it."""
        whole = self.whole
        return goes_by_size([self.cells(each, whole, Decimal(0)).get(self.ranking) for each in self.standings])

    @cached_property
    def parted(self) -> dict[Members, Parted]:
        """The members shown, all other members and the lines without a member, by group.

        Groups are in the order of the ranking column, the one without a member last.
        """
        by_group: dict[Members, list[MemberSums]] = {}
        for each in self.standings:
            by_group.setdefault(each.members[:-1], []).append(each)
        totals = [self.sums.together(found, group) for group, found in by_group.items()]
        ordered = self.ranked(totals) if self.groups_by else totals
        if self.groups_by:
            named, blank = apart_from_blank(ordered, lambda each: each.members[0])
            ordered = [*named, *blank]
        found = {}
        for group in ordered:
            ranked = self.ranked(by_group[group.members])
            named, blank = apart_from_blank(ranked, lambda each: each.members[-1])
            found[group.members] = Parted(named[: self.most], named[self.most :], blank)
        return found

    @cached_property
    def whole(self) -> MemberSums:
        """All members together."""
        return self.sums.together(self.standings)

    @cached_property
    def behind(self) -> dict[str, tuple[Members, Others | None]]:
        """By the key of a row the members that its lines have, or which of a group they do not have."""
        by_key: dict[str, tuple[Members, Others | None]] = {}
        for group, (shown, others, blank) in self.parted.items():
            prefix = f"{self.key(group)}/" if group else ""
            of_member = {self.key(each.members[-1:], self.by): each.members for each in (*shown, *blank)}
            by_key |= {f"{prefix}{key}": (members, None) for key, members in of_member.items()}
            if others:
                than = tuple(str(each.members[-1]) for each in shown)
                by_key[f"{prefix}{OTHER}"] = (group, Others(than, blank=True))
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


def _last_year(measure: Measure) -> str:
    return f"{measure.key}-last-year"
