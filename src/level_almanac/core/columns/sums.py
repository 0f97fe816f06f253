"""What the members of a table come to in each of several spans, asked of the store in one question.

A member's sums can be put together with others', so that groups, totals and all other are made of what was asked once.
"""

from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.lines.folding import folded
from level_almanac.core.lines.natural_signs import sides_of
from level_almanac.core.lines.rule import Rule
from level_almanac.core.lines.selected import ShownField
from level_almanac.core.lines.shape import is_member
from level_almanac.core.measures.measure import Measure
from level_almanac.core.measures.table_measures import TableMeasures
from level_almanac.core.spans.windows import Window
from level_almanac.store.expressions import Constant, Expression
from level_almanac.store.line_query import Asked, groups

Members = tuple[Any, ...]
_ONE = Constant(Decimal(1))


class ValueSlot(NamedTuple):
    """One figure that is asked of every member. window: its days, None where it has none; across: the field that it is
    of one member of, if it is, and which.
    """

    key: str
    measure: Measure
    window: Window | None
    across: tuple[str, Any] | None = None


class SlotSum(NamedTuple):
    """How many lines a slot has, and the sums of its measure's parts."""

    lines: int
    sums: tuple[Any, ...]


class MemberSums(NamedTuple):
    """A member, or several together. lines: that it has in any span; proven: what these come to, as proofs count it;
    slots: by place.
    """

    members: Members
    lines: int
    proven: tuple[Any, ...]
    slots: tuple[SlotSum, ...]


class SlotSums:
    """Asks for slots and reads the answer. proven: what proofs add up of all lines; across: fields whose members stand
    beside one another in columns.
    """

    def __init__(
        self,
        measured: TableMeasures,
        slots: Sequence[ValueSlot],
        proven: Sequence[Expression] = (),
        across: Sequence[ShownField] = (),
    ) -> None:
        self.measured, self.slots, self.across = measured, tuple(slots), tuple(across)
        self.places = {slot.key: place for place, slot in enumerate(self.slots)}
        # Members of a field beside one another are told by groups of their own, so that each span is asked for once.
        self.bare = list({(slot.window, slot.measure.key): (slot.window, slot.measure) for slot in self.slots}.values())
        self.windows = list(dict.fromkeys(window for window, _ in self.bare))
        named = [(window, measure.key) for window, measure in self.bare]
        self._bare_of = [named.index((slot.window, slot.measure.key)) for slot in self.slots]
        self._window_of = [self.windows.index(window) for window, _ in self.bare]
        self.proven = [Asked(value) for value in proven]
        self.asked = list(self.proven)
        self.asked += [Asked(measured.in_window(window, _ONE), "count") for window in self.windows]
        for window, measure in self.bare:
            self.asked += [Asked(measured.in_window(window, part.value), part.summing) for part in measure.parts]

    def of_members(self, rules: Sequence[Rule]) -> list[MemberSums]:
        """Return what each member of the report's fields comes to, in no order. rules: what its lines must meet."""
        by = [each.value for each in self.measured.by if each.value is not None]
        keys = [*by, *(each.value for each in self.across if each.value is not None)]
        rows = groups(self.measured.book.engine, self.measured.source(rules), keys, self.asked)
        found: dict[Members, list[MemberSums]] = {}
        for row in rows:
            members = tuple(row[: len(by)])
            across = dict(zip((each.key for each in self.across), row[len(by) : len(keys)], strict=True))
            found.setdefault(members, []).append(self._read(members, row[len(keys) :], across))
        return [parts[0] if len(parts) == 1 else self.together(parts, members) for members, parts in found.items()]

    def whole(self, rules: Sequence[Rule]) -> MemberSums:
        """Return what all lines come to that meet these rules, not told apart by any member."""
        keys = [each.value for each in self.across if each.value is not None]
        rows = groups(self.measured.book.engine, self.measured.source(rules), keys, self.asked)
        names = [each.key for each in self.across]
        parts = [self._read((), row[len(keys) :], dict(zip(names, row[: len(keys)], strict=True))) for row in rows]
        return self.together(parts, ())

    def _read(self, members: Members, values: Sequence[Any], across: Mapping[str, Any]) -> MemberSums:
        count, *rest = values
        proven, rest = rest[: len(self.proven)], rest[len(self.proven) :]
        at, bare = len(self.windows), list[SlotSum]()
        for place, (_, measure) in enumerate(self.bare):
            sums = tuple(rest[at : at + len(measure.parts)])
            pairs = zip(sums, measure.parts, strict=True)
            counted = tuple(0 if value is None and part.summing == "count" else value for value, part in pairs)
            bare.append(SlotSum(int(rest[self._window_of[place]] or 0), counted))
            at += len(measure.parts)
        slots = tuple(
            bare[place]
            if slot.across is None or is_member(across[slot.across[0]], slot.across[1])
            else _nothing(slot.measure)
            for slot, place in zip(self.slots, self._bare_of, strict=True)
        )
        return MemberSums(members, int(count), tuple(proven), slots)

    def none(self, members: Members) -> MemberSums:
        """Return a member without lines."""
        return MemberSums(members, 0, (None,) * len(self.proven), tuple(_nothing(slot.measure) for slot in self.slots))

    def together(self, found: Iterable[MemberSums], members: Members = ()) -> MemberSums:
        """Return several members as one."""
        all_ = list(found)
        if not all_:
            return self.none(members)
        proven = tuple(folded("sum", values) for values in zip(*(each.proven for each in all_), strict=True))
        slots = []
        for place, slot in enumerate(self.slots):
            sums = [each.slots[place] for each in all_]
            parts = zip(*(each.sums for each in sums), strict=True)
            slots.append(
                SlotSum(
                    sum(each.lines for each in sums),
                    tuple(folded(part.summing, values) for part, values in zip(slot.measure.parts, parts, strict=True)),
                )
            )
        return MemberSums(members, sum(each.lines for each in all_), proven, tuple(slots))

    def lines(self, of: MemberSums, key: str) -> int:
        """Return how many lines a slot has."""
        return of.slots[self.places[key]].lines

    def amount(self, of: MemberSums, key: str) -> Decimal | None:
        """Return a slot's figure: zero if it has no lines and is no ratio, None if it has none."""
        is_ratio = self.slots[self.places[key]].measure.kind == "ratio"
        return self.value(of, key) if is_ratio or self.lines(of, key) else Decimal(0)

    def sides(self, of: MemberSums, key: str) -> tuple[Decimal, Decimal]:
        """Return the amounts of credit and of debit classes in a slot whose measure has sides."""
        return sides_of(of.slots[self.places[key]].sums)

    def result(self, of: MemberSums, key: str) -> Decimal | None:
        """Return credits less debits of a figure that is blank, because it has natural amounts of both."""
        if not self.slots[self.places[key]].measure.has_sides:
            return None
        credit, debit = self.sides(of, key)
        return credit - debit if credit and debit else None

    def value(self, of: MemberSums, key: str) -> Decimal | None:
        """Return a slot's figure; None if it has no lines, or natural amounts of both sides."""
        place = self.places[key]
        found = of.slots[place]
        return self.slots[place].measure.value(found.sums) if found.lines else None


def _nothing(measure: Measure) -> SlotSum:
    return SlotSum(0, tuple(0 if part.summing == "count" else None for part in measure.parts))


def natural(member: Any) -> tuple[bool, str]:
    """Return what puts members in the order of their keys, numbers as numbers, blank ones last."""
    return (member is None, str(member).zfill(30) if str(member).isdigit() else str(member))
