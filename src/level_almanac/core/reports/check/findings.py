"""What a check finds: what is wrong, how bad it is, by how much, the lines, and what to do."""

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Generic, Literal, NamedTuple, TypeVar, overload

from level_almanac.core.settlements.item import Item
from level_almanac.core.table.model import Proof
from level_almanac.immutable import immutable

Severity = Literal["error", "warning"]
Of = TypeVar("Of")


class CheckKind(NamedTuple):
    """One thing that is checked. key: what it is called on the command line; title: what is found, in the plural; step:
    what to do about it.
    """

    key: str
    title: str
    step: str


class FoundLine(NamedTuple):
    """One line behind a finding. words: what it is; place: file and line of its export."""

    words: str
    place: str
    amount: Decimal | None = None
    day: date | None = None


class Finding(NamedTuple):
    """One thing found. key: what tells it from others of its kind, the same from run to run; amount: by how much, or
    None where that says nothing; carried: of a balance what was carried and what is computed.
    """

    key: str
    words: str
    lines: Sequence[FoundLine]
    amount: Decimal | None = None
    severity: Severity = "error"
    carried: tuple[Decimal, Decimal] | None = None


@immutable
class Checked:
    """What a check came to. looked_at: how much it looked at, in words; skipped: why it could not look, or empty;
    proofs: that what it looked at is all that was loaded.
    """

    kind: CheckKind
    findings: Sequence[Finding] = ()
    looked_at: str = ""
    skipped: str = ""
    proofs: tuple[Proof, ...] = ()


KINDS: Mapping[str, CheckKind] = {
    kind.key: kind
    for kind in (
        CheckKind(
            "unbalanced",
            "Journals out of balance",
            "find what is missing in the source system; a journal's debits and credits must be equal",
        ),
        CheckKind(
            "closed",
            "Postings into closed periods",
            "post them into an open period, or reopen the period and issue its reports anew",
        ),
        CheckKind(
            "outside",
            "Lines dated outside their period",
            "see whether the date or the period is wrong; they count at their period's nearest end",
        ),
        CheckKind(
            "carried",
            "Carried balances unlike the computed ones",
            "carry the balance anew; reports go by the computed one",
        ),
        CheckKind("gaps", "Gaps in numbering", "find what had the missing numbers, or why they were not used"),
        CheckKind("unknown-party", "Parties that are on no list", "add the party to its list, or correct the code"),
        CheckKind(
            "spelt-twice",
            "Invoice numbers spelt in more than one way",
            "see whether one invoice was taken in twice, and cancel one of them",
        ),
        CheckKind(
            "alike", "Invoices alike in party, amount and about the day", "see whether one invoice was taken in twice"
        ),
        CheckKind(
            "over-applied",
            "Documents with more applied than there was",
            "take the application back, ask for the money back, or apply it to another document",
        ),
        CheckKind(
            "loose",
            "Lines that settle what is not there",
            "correct the number or the party that is settled; until then they are unapplied",
        ),
        CheckKind(
            "early",
            "Documents dated after what settled them",
            "see whether a payment was made in advance, or a date is wrong",
        ),
        CheckKind(
            "control",
            "Documents unlike the ledger's control accounts",
            "take in what one side lacks, or correct the amount on the side that is wrong",
        ),
        CheckKind("agree", "Sums that were to agree", "find what one of the sides lacks, key by key"),
        CheckKind(
            "superseded",
            "Lines that a later export's stand in for",
            "see that the later export is the right one; no report counts these",
        ),
        CheckKind(
            "store", "Parts of the store that are not what was loaded", "delete the folder .almanac and load again"
        ),
    )
}
"""Every check, in the order of the report."""


def told_apart(findings: Sequence[Finding]) -> Sequence[Finding]:
    """Return findings of which no two have one key: where several have, as of invoices that are alike line by line or
    of a party that both buys and sells, each after the first has behind it which of them it is.
    """
    if len({each.key for each in findings}) == len(findings):
        return findings
    seen: Counter[str] = Counter()
    told = []
    for each in findings:
        seen[each.key] += 1
        which = seen[each.key]
        told.append(each if which == 1 else each._replace(key=f"{each.key}/{which}"))
    return told


def item_line(item: Item) -> FoundLine:
    """Return a document or payment as a line behind a finding."""
    line = "" if item.line == "1" else f"/{item.line}"
    settles = f" settling {item.settles}" if item.settles else ""
    return FoundLine(f"{item.kind} {item.number}{line} of {item.party}{settles}", item.export, item.signed, item.posted)


class LazyLines(Sequence[FoundLine], Generic[Of]):
    """Lines behind a finding, each told when it is asked for: few of many findings are shown.

    of: what each is of; told: takes that, and returns the line.
    """

    def __init__(self, of: Iterable[Of], told: Callable[[Of], FoundLine]) -> None:
        self._of, self._told = tuple(of), told

    def __len__(self) -> int:
        return len(self._of)

    @overload
    def __getitem__(self, at: int) -> FoundLine: ...
    @overload
    def __getitem__(self, at: slice) -> tuple[FoundLine, ...]: ...
    def __getitem__(self, at: int | slice) -> FoundLine | tuple[FoundLine, ...]:
        return tuple(map(self._told, self._of[at])) if isinstance(at, slice) else self._told(self._of[at])


def item_lines(items: Iterable[Item]) -> Sequence[FoundLine]:
    """Return documents and payments as lines behind a finding."""
    return LazyLines(items, item_line)


class PlacedLines:
    """Documents behind many findings, known by their places in the exports: they are read when lines of the first
    findings are asked for, and ever more at once as more are, since few findings may be shown, or all.

    read: takes places, and returns the documents there.
    """

    _FIRST = 2000

    def __init__(self, read: Callable[[Collection[str]], Mapping[str, Item]]) -> None:
        self._read, self._many = read, self._FIRST
        self._places: list[str] = []
        self._items: dict[str, Item] = {}

    def of(self, *places: str) -> Sequence[FoundLine]:
        """Return the lines behind the next finding."""
        self._places.extend(places)
        return LazyLines(places, self._at)

    def _at(self, place: str) -> FoundLine:
        if place not in self._items:
            start = self._places.index(place)
            self._items |= self._read(self._places[start : start + self._many])
            self._many *= 2
        return item_line(self._items[place])
