"""Documents and what is applied to them, replayed line by line up to a day (docs/open-items.md, "What is open").

What is open on a day follows from the lines posted by then and the applications in effect by then, and from nothing
that came later. Each line belongs to one party of one entity; a line that settles a number settles the lines of that
number whose sign is opposite, in the order of their line numbers. This is the rule. Reports replay only what is in
chains by it; all else the store gives out by sums, which come to the same (`store/documents/open.py`).
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Sequence
from datetime import date
from decimal import Decimal
from typing import NamedTuple

from level_almanac.core.settlements.item import Item, natural
from level_almanac.core.settlements.voids_and_refunds import UndoneSettlement, undone_settlements
from level_almanac.immutable import immutable

_ZERO = Decimal(0)
Number = tuple[str, str, str]
"""An entity, a party and the number of a document."""


class Application(NamedTuple):
    """So much of one line applied to another, from a day on."""

    by: Item
    to: Item
    amount: Decimal
    day: date


@immutable
class Replayed:
    """The state of the documents on a day. items: those posted by then; left: of each what is still open, in its sign;
    over: how much more was applied than there was; unmatched: lines that settle what was not found; taken: what voids
    and refunds take back. All but applications go by the position of a line in the items.
    """

    items: Sequence[Item]
    left: Sequence[Decimal]
    applications: Sequence[Application]
    over: dict[int, Decimal]
    unmatched: set[int]
    taken: dict[int, UndoneSettlement]


def replay(items: Iterable[Item], day: date, only: Collection[Number] | None = None) -> Replayed:
    """Return what is open on a day, from the lines posted by then and what was applied by then.

    only: the numbers whose settling is wanted, or None for all.
    """
    return _Replay([item for item in items if item.posted <= day], day, only).made()


class _Replay:
    """One replay under way."""

    def __init__(self, items: list[Item], day: date, only: Collection[Number] | None) -> None:
        self.items, self.day, self.only = items, day, only
        self.applications: list[Application] = []
        self.over: defaultdict[int, Decimal] = defaultdict(Decimal)
        self.unmatched: set[int] = set()
        self.taken = undone_settlements(items)
        for at, undone in self.taken.items():
            if items[at].kind == "void":
                items[at] = items[at]._replace(void_of=items[undone.lines[0]].kind)
        self.left = [item.signed for item in items]
        self.by_number: defaultdict[Number, list[int]] = defaultdict(list)
        for at, item in enumerate(items):
            self.by_number[item.entity, item.party, item.number].append(at)
        for positions in self.by_number.values():
            if len(positions) > 1:
                positions.sort(key=lambda at: natural(items[at].line))

    def made(self) -> Replayed:
        """Apply each line to what it settles."""
        acting = [
            at
            for at, item in enumerate(self.items)
            if item.settles
            and item.in_effect <= self.day
            and (self.only is None or (item.entity, item.party, item.settles) in self.only)
        ]
        # Undo first, so that the document which a voided payment or a refunded credit had settled is open again. A
        # voided refund undoes nothing.
        acting.sort(key=lambda at: (self._turn(at), self.items[at].in_effect, at))
        for at in acting:
            self._apply(at)
        return Replayed(self.items, self.left, self.applications, dict(self.over), self.unmatched, self.taken)

    def _turn(self, at: int) -> int:
        if self.items[at].void_of == "refund":
            return 0
        return 1 if at in self.taken else 2

    def _apply(self, at: int) -> None:
        item = self.items[at]
        rest = max(item.sign * self.left[at], _ZERO)
        targets = self.by_number.get((item.entity, item.party, str(item.settles)), [])
        taken = self.taken.get(at)
        wanted = list(taken.lines) if taken else [to for to in targets if self.items[to].sign != item.sign]
        if not wanted:
            self.unmatched.add(at)
            return
        for to in wanted:
            part = min(rest, max(self.items[to].sign * self.left[to], _ZERO))
            rest -= part
            self._settle(at, to, part)
        if rest:
            self.over[wanted[-1]] += rest
            self._settle(at, wanted[-1], rest)

    def _settle(self, at: int, to: int, amount: Decimal) -> None:
        if not amount:
            return
        by, other = self.items[at], self.items[to]
        self.left[at] -= by.sign * amount
        self.left[to] -= other.sign * amount
        self.applications.append(Application(by, other, amount, max(by.in_effect, other.posted)))
