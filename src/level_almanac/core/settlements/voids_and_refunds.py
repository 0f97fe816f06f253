"""Match voids and refunds with the lines that they undo (docs/open-items.md, "Voids and refunds")."""

from collections import defaultdict
from collections.abc import Sequence
from decimal import Decimal
from typing import NamedTuple

from level_almanac.core.settlements.item import Item, natural

_VOIDABLE = ("payment", "credit", "write-off", "refund")
"""The kinds that a void can undo. The order decides between lines that fit a void equally well."""
_ZERO = Decimal(0)
_Number = tuple[str, str, str | None]
"""An entity, a party and a document number."""


class UndoneSettlement(NamedTuple):
    """The lines that one void or refund undoes.

    lines: positions of the lines, in the order in which they are undone.
    amounts: the part of the void or refund for each line. The last part includes any excess.
    by_document: whether the void or refund names the document that the lines had settled.
    fits: whether a line has exactly its amount. Always true if it names the lines themselves.
    """

    lines: tuple[int, ...]
    amounts: tuple[Decimal, ...]
    by_document: bool = False
    fits: bool = True


def undone_settlements(items: Sequence[Item]) -> dict[int, UndoneSettlement]:
    """Return the lines that each void, and each refund of a credit, undoes, by position in the items.

    A void or refund that names a line undoes that line. One that names a document undoes a line that had settled the
    document. A void chooses in this order:

    1. lines of exactly its amount, then all others;
    2. of several: those with its reference, then payments, credits, write-offs and refunds, then the latest line.

    If no line has its amount, it undoes as many lines as its amount covers. If all lines are undone already, it is a
    second void of the latest line of its amount.
    """
    acting = [at for at, item in enumerate(items) if item.kind in ("void", "refund") and item.settles]
    return _Matching(items, acting).found if acting else {}


class _Matching:
    """Matches voids and refunds one after another. A line that is undone is not available for the next one."""

    def __init__(self, items: Sequence[Item], acting: Sequence[int]) -> None:
        self.items = items
        wanted = {self._names(at) for at in acting}
        self.named: defaultdict[_Number, list[int]] = defaultdict(list)
        self.settling: defaultdict[_Number, list[int]] = defaultdict(list)
        self.rest: dict[int, Decimal] = {}
        for at, item in enumerate(items):
            if item.kind in _VOIDABLE:
                for by, number in ((self.named, item.number), (self.settling, item.settles)):
                    if (item.entity, item.party, number) in wanted:
                        by[item.entity, item.party, number].append(at)
                self.rest[at] = item.amount
        self.found: dict[int, UndoneSettlement] = {}
        ordered = sorted(acting, key=lambda at: (items[at].posted, at))
        # A line that is named is undone first, so that no other void or refund takes it.
        for at in [at for at in ordered if not self._undo_named(at)]:
            self._undo_settling(at)

    def _names(self, at: int) -> _Number:
        item = self.items[at]
        return item.entity, item.party, item.settles

    def _undo_named(self, at: int) -> bool:
        """Undo the lines whose number is named. Return whether there are any."""
        item = self.items[at]
        lines = sorted(self.named.get(self._names(at), []), key=lambda to: natural(self.items[to].line))
        lowering = [to for to in lines if self.items[to].kind != "refund"]
        if item.kind == "refund":
            if lowering and all(self.items[to].kind == "credit" for to in lowering):
                self._undo(at, lowering)
            return bool(lowering)
        # A number that a refund shares with a payment or credit means the payment or credit.
        if lines:
            self._undo(at, lowering or lines)
        return bool(lines)

    def _undo_settling(self, at: int) -> None:
        """Undo lines that had settled the document that is named."""
        item = self.items[at]
        kinds = ("credit",) if item.kind == "refund" else _VOIDABLE
        before = [
            to
            for to in self.settling.get(self._names(at), [])
            if self.items[to].posted <= item.posted and self.items[to].kind in kinds and to != at
        ]
        before.sort(key=lambda to: self._preference(at, to))
        there = [to for to in before if self.rest[to]]
        fitting = [to for to in there if self.rest[to] == item.amount]
        if fitting:
            self._undo(at, fitting[:1], by_document=True)
        elif there:
            lowering = [to for to in there if self.items[to].kind != "refund"]
            self._undo(at, lowering or there, by_document=True, fits=False)
        else:
            again = [to for to in before if self.items[to].amount == item.amount]
            self._undo(at, again[:1], by_document=True)

    def _preference(self, at: int, to: int) -> tuple[bool, int, int, int]:
        """Return the sort key of a line for a void or refund; see `undone_settlements`."""
        item, line = self.items[at], self.items[to]
        alike = bool(item.reference) and line.reference == item.reference
        return not alike, _VOIDABLE.index(line.kind), -line.posted.toordinal(), -to

    def _undo(self, at: int, lines: Sequence[int], *, by_document: bool = False, fits: bool = True) -> None:
        if not lines:
            return
        # A refund that was voided before it is matched undoes less, or nothing.
        amount = self.rest.get(at, self.items[at].amount)
        parts: dict[int, Decimal] = {}
        for to in lines:
            part = min(amount, self.rest[to])
            if part:
                parts[to] = part
                self.rest[to] -= part
                amount -= part
                self._reinstate(to, part)
        if amount or not parts:
            last = next(reversed(parts), lines[-1])
            parts[last] = parts.get(last, _ZERO) + amount
        self.found[at] = UndoneSettlement(tuple(parts), tuple(parts.values()), by_document, fits)

    def _reinstate(self, refund: int, amount: Decimal) -> None:
        """Make credits available again if the refund that undid them is voided."""
        undone = self.found.get(refund)
        for to, part in zip(undone.lines, undone.amounts, strict=True) if undone else ():
            again = min(amount, part, self.items[to].amount - self.rest[to])
            self.rest[to] += again
            amount -= again
