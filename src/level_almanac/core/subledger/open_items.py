"""Documents and what is applied to them, replayed up to a day (docs/open-items.md, "What is open on a day").

What is open on a day follows from the lines posted by then and the applications in effect by then, and from nothing
that came later. Each line belongs to one party of one entity; a line that settles a number settles the lines of that
number whose sign is opposite, in the order of their line numbers.
"""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from functools import cached_property
from typing import Literal, NamedTuple

from level_almanac.core.subledger.item import Item, natural
from level_almanac.core.subledger.taken_back import TakenBack, taken_back

_ZERO = Decimal(0)
Unmatched = Literal["not there", "other party", "own kind"]
"""Why what a line settles was not found: no line has the number, one of another party has it, or the sign is alike."""


class Application(NamedTuple):
    """So much of one line applied to another, by their positions, from a day on."""

    by: int
    to: int
    amount: Decimal
    day: date


@dataclass(frozen=True, slots=True)
class OpenItems:
    """The state of the documents on a day. items: those posted by then; left: of each what is still open, in its sign;
    over: how much more was applied than there was; unmatched: lines that settle what was not found, and why; taken:
    what voids and refunds take back.
    """

    day: date
    items: Sequence[Item]
    left: Sequence[Decimal]
    applications: Sequence[Application]
    over: dict[int, Decimal] = field(default_factory=dict)
    unmatched: dict[int, Unmatched] = field(default_factory=dict)
    taken: dict[int, TakenBack] = field(default_factory=dict)


def replay(items: Iterable[Item], day: date) -> OpenItems:
    """Return what is open on a day, from the lines posted by then and what was applied by then."""
    return _Replay([item for item in items if item.posted <= day], day).made()


class _Replay:
    """One replay under way."""

    def __init__(self, items: list[Item], day: date) -> None:
        self.items, self.day = items, day
        self.left = [item.signed for item in items]
        self.applications: list[Application] = []
        self.over: defaultdict[int, Decimal] = defaultdict(Decimal)
        self.unmatched: dict[int, Unmatched] = {}
        self.taken = taken_back(items)
        # Most lines settle something and are settled by nothing, so only numbers that are settled are looked up.
        settled = {(item.entity, item.party, item.settles) for item in items if item.settles}
        self.by_number: defaultdict[tuple[str, str, str], list[int]] = defaultdict(list)
        for at, item in enumerate(items):
            key = (item.entity, item.party, item.number)
            if key in settled:
                self.by_number[key].append(at)
        for positions in self.by_number.values():
            if len(positions) > 1:
                positions.sort(key=lambda at: natural(items[at].line))

    @cached_property
    def numbers(self) -> set[tuple[str, str]]:
        """Every number there is, by entity."""
        return {(item.entity, item.number) for item in self.items}

    def made(self) -> OpenItems:
        """Apply each line to what it settles."""
        acting = [at for at, item in enumerate(self.items) if item.settles and item.in_effect <= self.day]
        # A void takes its payment back before that is applied, and so reopens what it had settled; a refund its credit.
        acting.sort(key=lambda at: (at not in self.taken, self.items[at].in_effect, at))
        for at in acting:
            self._apply(at)
        return OpenItems(
            self.day, self.items, self.left, self.applications, dict(self.over), self.unmatched, self.taken
        )

    def _apply(self, at: int) -> None:
        item = self.items[at]
        rest = max(item.sign * self.left[at], _ZERO)
        targets = self.by_number.get((item.entity, item.party, str(item.settles)), [])
        taken = self.taken.get(at)
        wanted = list(taken.lines) if taken else [to for to in targets if self.items[to].sign != item.sign]
        if not wanted:
            there = (item.entity, str(item.settles)) in self.numbers
            self.unmatched[at] = "own kind" if targets else "other party" if there else "not there"
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
        self.left[at] -= self.items[at].sign * amount
        self.left[to] -= self.items[to].sign * amount
        day = max(self.items[at].in_effect, self.items[to].posted)
        self.applications.append(Application(at, to, amount, day))


class Bucket(NamedTuple):
    """A stretch of days late, both ends included; None where it is open on that side."""

    key: str
    label: str
    low: int | None
    high: int | None

    def holds(self, days: int) -> bool:
        """Tell whether so many days late lie within."""
        return (self.low is None or days >= self.low) and (self.high is None or days <= self.high)


def buckets_of(ends: Sequence[int]) -> tuple[Bucket, ...]:
    """Return `not due`, then a bucket up to each of these days late, then the rest. ends: rising, from 1."""
    buckets = [Bucket("not-due", "not due", None, 0)]
    low = 1
    for end in ends:
        label = f"{low}–{end}" if low < end else str(end)
        buckets.append(Bucket(f"{low}-{end}", label, low, end))
        low = end + 1
    return (*buckets, Bucket(f"over-{ends[-1]}", f"over {ends[-1]}", low, None))
