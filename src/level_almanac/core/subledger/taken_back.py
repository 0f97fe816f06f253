"""What voids and refunds take back: a payment or a credit, named itself or by the document that it had settled.

A void belongs to its payment, and so does a refund to its credit: docs/open-items.md, "What takes back".
"""

from collections import defaultdict
from collections.abc import Sequence
from decimal import Decimal
from typing import NamedTuple

from level_almanac.core.subledger.item import Item, natural

_TAKES: dict[str, tuple[str, ...]] = {"void": ("payment", "credit", "write-off"), "refund": ("credit",)}
"""What each kind takes back where the document is named, the first kind that had settled it."""


class TakenBack(NamedTuple):
    """The lines that one line takes back, by their positions, in the order in which they are taken; by_document:
    whether it names the document that they had settled; fits: whether one of them is of its amount.
    """

    lines: tuple[int, ...]
    by_document: bool = False
    fits: bool = True


def taken_back(items: Sequence[Item]) -> dict[int, TakenBack]:
    """Return what each void takes back, and each refund of credits, by position in the items.

    One that names a payment or credit takes that. One that names a document takes what had settled it: of several the
    one of its amount, else of its reference, else the latest before it; what none fits by amount takes the newest, as
    far as its amount goes.
    """
    acting = [at for at, item in enumerate(items) if item.kind in _TAKES and item.settles]
    return _Taking(items, acting).found if acting else {}


class _Taking:
    """Finds what some lines take back, one after another: what is taken once is not there for the next."""

    def __init__(self, items: Sequence[Item], acting: Sequence[int]) -> None:
        self.items = items
        wanted = {(items[at].entity, items[at].party, items[at].settles) for at in acting}
        self.named: defaultdict[tuple[str, str, str | None], list[int]] = defaultdict(list)
        self.settling: defaultdict[tuple[str, str, str | None], list[int]] = defaultdict(list)
        self.rest: dict[int, Decimal] = {}
        for at, item in enumerate(items):
            if item.sign < 0:
                for by, number in ((self.named, item.number), (self.settling, item.settles)):
                    if (item.entity, item.party, number) in wanted:
                        by[item.entity, item.party, number].append(at)
                        self.rest[at] = item.amount
        self.found: dict[int, TakenBack] = {}
        ordered = sorted(acting, key=lambda at: (items[at].posted, at))
        # What is named itself is taken first, so that no other takes it too.
        for at in [at for at in ordered if not self._takes_named(at)]:
            self._take_settling(at)

    def _takes_named(self, at: int) -> bool:
        """Take the lines of the number that is named, and tell whether there are any."""
        item = self.items[at]
        lines = self.named.get((item.entity, item.party, item.settles), [])
        if item.kind == "void" or all(self.items[to].kind in _TAKES[item.kind] for to in lines):
            self._take(at, sorted(lines, key=lambda to: natural(self.items[to].line)))
        return bool(lines)

    def _take_settling(self, at: int) -> None:
        """Take what had settled the document that is named."""
        item = self.items[at]
        found = self.settling.get((item.entity, item.party, item.settles), [])
        before = [to for to in found if self.items[to].posted <= item.posted and self.rest[to]]
        kinds = [kind for kind in _TAKES[item.kind] if any(self.items[to].kind == kind for to in before)]
        newest = [to for to in before if self.items[to].kind in kinds[:1]]
        newest.sort(key=lambda to: (self.items[to].posted, to), reverse=True)
        fitting = [to for to in newest if self.rest[to] == item.amount]
        alike = [to for to in fitting or newest if item.reference and self.items[to].reference == item.reference]
        if fitting:
            self._take(at, (alike or fitting)[:1], by_document=True)
        else:
            others = [to for to in newest if to not in alike]
            self._take(at, [*alike, *others], by_document=True, fits=False)

    def _take(self, at: int, lines: Sequence[int], *, by_document: bool = False, fits: bool = True) -> None:
        if not lines:
            return
        amount = self.items[at].amount
        for to in lines:
            part = min(amount, self.rest[to])
            self.rest[to] -= part
            amount -= part
        self.found[at] = TakenBack(tuple(lines), by_document, fits)
