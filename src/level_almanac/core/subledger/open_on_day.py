"""The documents as they stood at the end of a day: what is open of each line, and what was applied to what."""

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal
from functools import cached_property
from typing import NamedTuple

from level_almanac.core.settlements.item import Item
from level_almanac.core.subledger.open_items import Application, Number, Replayed, replay
from level_almanac.core.table.model import CountedAmount
from level_almanac.store.documents.lines import ITEM, DocumentLines
from level_almanac.store.documents.open import InChain, OpenLines
from level_almanac.store.documents.open import Number as Acted
from level_almanac.store.engine import Row
from level_almanac.store.expressions import Arithmetic, Constant, DaysBetween, Expression, FieldReference, Given
from level_almanac.store.line_query import Asked, LineSource, Order, groups, lines
from level_almanac.store.predicate import FieldTest, Not, Predicate, Some, Word

_ZERO = Decimal(0)
IS_OPEN: Predicate = Not(FieldTest("open", "is", (_ZERO,)))
IS_OVER: Predicate = FieldTest("over", "over", (_ZERO,))
IS_UNMATCHED: Predicate = FieldTest("unmatched", "over", (_ZERO,))
FALLS_DUE = "falls_due"
"""What the day is asked for by on which a line falls due, its own where it tells no other."""
_DUE: Expression = Given(((FieldTest("due", "blank"), FieldReference("dated")),), FieldReference("due"))


def truth(test: Predicate) -> Expression:
    """Return 1 of a line that meets the test, else 0."""
    return Given(((test, Constant(Decimal(1))),), Constant(_ZERO))


class OpenItem(NamedTuple):
    """A line and what is open of it, in its sign; over: how much more was applied to it than there was."""

    item: Item
    left: Decimal
    over: Decimal = _ZERO


def item_of(row: Row, further: int) -> Item:
    """Return the line that a row of the store's is. further: how many values were asked for besides."""
    return Item._make((*row[: len(ITEM)], tuple(row[len(ITEM) : len(ITEM) + further]), ()))


def chains_of(rows: Sequence[Row], further: int) -> tuple[list[Item], set[Number]]:
    """Return the lines that are in chains, and the numbers of those. rows: of `DocumentLines.in_chains`."""
    items = [item_of(row, further) for row in rows]
    numbers = {
        (item.entity, item.party, str(number))
        for item, row in zip(items, rows, strict=True)
        for number, is_chained in zip((item.number, item.settles), row[-2:], strict=True)
        if is_chained
    }
    return list(_whole_voids(items)), numbers


def _whole_voids(items: Iterable[Item]) -> Iterator[Item]:
    """Yield the lines, with the parts of each void put together again: a void acts as a whole."""
    parts: defaultdict[tuple[str, ...], list[Item]] = defaultdict(list)
    for item in items:
        key = (item.entity, item.exported_party, item.number, item.line)
        own = key if item.kind == "void" and item.void_part is not None else (item.place,)
        parts[own].append(item)
    for first, *others in parts.values():
        if others:
            every = tuple((each.place, each.amount) for each in (first, *others))
            yield first._replace(amount=sum((amount for _, amount in every), _ZERO), parts=every)
        else:
            yield first


def in_chains(replayed: Replayed) -> dict[str, InChain]:
    """Return what was found of lines in chains, by their places, where it is anything."""
    voided: defaultdict[str, Decimal] = defaultdict(Decimal)
    for each in replayed.applications:
        if each.by.kind == "void":
            voided[each.to.place] += each.amount
    found = {
        item.place: InChain(
            left - item.signed,
            replayed.over.get(at, _ZERO),
            at in replayed.unmatched,
            voided.get(item.place) == item.amount,
        )
        for at, (item, left) in enumerate(zip(replayed.items, replayed.left, strict=True))
    }
    for item in (item for item in replayed.items if item.parts):
        # A void of several lines has what is open of it on its first part.
        found[item.place] = found[item.place]._replace(change=found[item.place].change + item.signed)
        for place, amount in item.parts:
            nothing = found.get(place, InChain(_ZERO))
            found[place] = nothing._replace(change=nothing.change - item.sign * amount)
    return {place: each for place, each in found.items() if any(each)}


class OpenOnDay:
    """The state of some entities' documents on a day. chained: all lines that are in chains, and `numbers` of those
    chains; further: how many values each line brings besides its own.

    What can be asked for: the fields of a line (`store.documents.lines.ITEM`, and `f0` … for what was asked besides),
    `signed`, `open`, `over`, `unmatched`, `settled`, `FALLS_DUE`, and `late` and `old`, the days from its due date and
    its own. What is asked are the lines that something may be open of, or where it is `whole`, all that are posted by
    the day.
    """

    def __init__(
        self,
        lines_: DocumentLines,
        day: date,
        entities: Collection[str],
        chained: Iterable[Item],
        numbers: Collection[Number],
        further: int,
    ) -> None:
        self.day, self.engine, self._further = day, lines_.engine, further
        self.replayed: Replayed = replay((item for item in chained if item.entity in entities), day, numbers)
        self._lines = OpenLines(lines_, day, sorted(entities), in_chains(self.replayed))

    def source(self, rules: Sequence[Predicate] = (), *, whole: bool = False) -> LineSource:
        """Return what the store is asked of."""
        source, day = self._lines.whole() if whole else self._lines.source(), Constant(self.day)
        further: dict[str, Expression] = {
            "settled": Arithmetic("-", FieldReference("open"), FieldReference("signed")),
            FALLS_DUE: _DUE,
            "late": DaysBetween(_DUE, day),
            "old": DaysBetween(FieldReference("dated"), day),
        }
        return replace(source, places={**source.places, **further}, rules=tuple(rules))

    def beside(self, stored: LineSource) -> LineSource:
        """Return the lines of the table as they are stored, each with its state beside it (`store`'s `STATE`)."""
        return self._lines.beside(stored)

    def groups(
        self, by: Sequence[Expression], asked: Sequence[Asked], rules: Sequence[Predicate] = (), *, whole: bool = False
    ) -> list[Row]:
        """Return for each group of the lines its values of `by`, how many lines it has, and each value asked for."""
        return groups(self.engine, self.source(rules, whole=whole), by, asked)

    def items(self, rules: Sequence[Predicate], order: Sequence[Order] = (), *, whole: bool = False) -> list[OpenItem]:
        """Return the lines that meet the rules, in order, else that of the exports."""
        names = (*ITEM, *(f"f{number}" for number in range(self._further)), "open", "over")
        rows = lines(self.engine, self.source(rules, whole=whole), [FieldReference(name) for name in names], order)
        return [OpenItem(item_of(row, self._further), *row[-2:]) for row in rows]

    def last_of(
        self, first: int, name: str, rules: Sequence[Predicate], *, descending: bool, whole: bool
    ) -> Word | None:
        """Return what the last of so many of the lines that meet the rules has there, in the order of that; nothing
        where there are fewer or that is blank.
        """
        source = self.source(rules, whole=whole)
        found = lines(self.engine, source, [source.places[name]], [Order(source.places[name], descending)], first)
        value = found[-1][0] if len(found) == first else None
        return Decimal(value) if isinstance(value, int) else value

    def at_places(self, places: Collection[str]) -> dict[str, Item]:
        """Return the lines at these places of the exports."""
        if not places:
            return {}
        found = self.items([FieldTest("place", "is", tuple(sorted(places)))], whole=True)
        return {each.item.place: each.item for each in found}

    def applications(self, of: Iterable[Item]) -> list[Application]:
        """Return what was applied to what, in the order in which it was, where one of the two is one of these lines."""
        wanted = {item.place: item for item in of}
        named = dict.fromkeys(
            Acted(item.entity, item.party, number, sign * item.sign)
            for item in wanted.values()
            for number, sign in ((item.number, 1), (item.settles, -1))
            if number
        )
        rows = self._lines.applications(list(named)) if named else []
        rows = [row for row in rows if row[0] in wanted or row[1] in wanted]
        chained = [each for each in self.replayed.applications if each.by.place in wanted or each.to.place in wanted]
        return self._in_order(rows, chained, wanted)

    def early(self) -> list[Application]:
        """Return what was applied to what is dated later, in the same order; not what voids take back."""
        chained = [
            each for each in self.replayed.applications if each.by.kind != "void" and each.to.dated > each.by.in_effect
        ]
        return self._in_order(self._lines.early(), chained, {})

    def _in_order(
        self, rows: Sequence[Row], chained: Sequence[Application], known: Mapping[str, Item]
    ) -> list[Application]:
        there = dict(known) | self.at_places({place for row in rows for place in row[:2] if place not in known})
        applied = [Application(there[by], there[to], amount, day) for by, to, amount, day in rows]
        taking = {self.replayed.items[at].place for at in self.replayed.taken}
        return sorted(
            [*applied, *chained], key=lambda each: (each.by.place not in taking, each.by.in_effect, each.by.stands)
        )

    @cached_property
    def count_applications(self) -> int:
        """How many applications there are."""
        return self._lines.count_applications() + len(self.replayed.applications)

    @cached_property
    def _wrong(self) -> list[Row]:
        by = [truth(IS_OVER), truth(IS_UNMATCHED), truth(FieldTest("open", "under", (_ZERO,)))]
        asked = [Asked(FieldReference("over")), Asked(FieldReference("open"))]
        return self.groups(by, asked, [Some((IS_OVER, IS_UNMATCHED))])

    @property
    def over(self) -> CountedAmount:
        """The lines that more was applied to than there was, and by how much."""
        found = [CountedAmount(count, over) for is_over, _, _, count, over, _ in self._wrong if is_over]
        return sum(found, CountedAmount(0, _ZERO))

    @property
    def unmatched(self) -> CountedAmount:
        """The lines that settle what is not there, and what is open of them."""
        found = [CountedAmount(count, abs(left)) for _, is_one, _, count, _, left in self._wrong if is_one]
        return sum(found, CountedAmount(0, _ZERO))
