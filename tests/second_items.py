"""Documents by a second route: the demo's suppliers' and customers' exports replayed in whole cents, in plain loops.

It shares no code with the product. A line settles the lines of a number that have the opposite sign, in the order of
their line numbers; voids, and refunds of credits, go first, then all else in the order of the day on which it takes effect.
"""

import csv
from collections import defaultdict
from dataclasses import dataclass
from datetime import date
from functools import cache
from pathlib import Path

KINDS = {"INV": "invoice", "CRN": "credit", "PAY": "payment", "WOF": "write-off", "REF": "refund", "VOI": "void"}
RAISES = ("invoice", "refund", "void")
MERGED = {"V149": "V012"}


@dataclass(frozen=True)
class Doc:
    """One line of an export; cents are not signed."""

    entity: str
    party: str
    kind: str
    number: str
    line: str
    dated: date
    due: date | None
    posted: date
    cents: int
    settles: str
    applied: date | None
    reference: str

    @property
    def sign(self) -> int:
        return 1 if self.kind in RAISES else -1

    @property
    def effect(self) -> date:
        return max(self.posted, self.applied or self.posted)

    @property
    def key(self) -> str:
        return f"{self.entity}/{self.party}/{self.kind}/{self.number}/{self.line}"


def _day(text: str) -> date | None:
    return date.fromisoformat(text) if text else None


@cache
def read_docs(book: Path, name: str) -> list[Doc]:
    """Return the lines of `suppliers` or `customers`, in the order of the file."""
    with (book / "exports" / "items" / f"{name}.csv").open(encoding="utf-8", newline="") as stream:
        return [
            Doc(
                row["Company"], MERGED.get(row["Party"], row["Party"]), KINDS[row["Kind"]], row["Number"], row["Pos"],
                date.fromisoformat(row["Date"]), _day(row["Due"]), date.fromisoformat(row["Booked"]),
                int(row["Amount"].replace(".", "")), row["Settles"], _day(row["Matched"]), row["Reference"],
            )
            for row in csv.DictReader(stream)
        ]  # fmt: skip


VOIDED_SIGNS = {"payment": -1, "credit": -1, "write-off": -1, "refund": 1}


def taken_back(docs: dict[int, Doc]) -> dict[int, list[tuple[int, int]]]:  # noqa: C901  one rule after another
    """Return by its place what each void undoes, and each refund of credits: the places of lines, each with its cents."""
    left = {at: doc.cents for at, doc in docs.items()}
    found: dict[int, list[tuple[int, int]]] = {}
    takers = [at for at, doc in docs.items() if doc.kind in ("void", "refund") and doc.settles]
    takers.sort(key=lambda at: (docs[at].posted, at))
    by_document = []

    def take(at: int, lines: list[int]) -> None:
        amount, taken = min(docs[at].cents, left[at]) if docs[at].kind == "refund" else docs[at].cents, []
        for to in lines:
            part = min(amount, left[to])
            if part:
                left[to] -= part
                amount -= part
                taken.append((to, part))
                # A refund that is voided gives back what it took.
                again = part
                for credit, once in found.get(to, []) if docs[to].kind == "refund" else []:
                    back = min(again, once, docs[credit].cents - left[credit])
                    left[credit] += back
                    again -= back
        if lines and not taken:
            taken = [(lines[-1], amount)]
        elif taken and amount:
            taken[-1] = taken[-1][0], taken[-1][1] + amount
        if taken:
            found[at] = taken

    def own(at: int, kinds: tuple[str, ...]) -> list[int]:
        doc = docs[at]
        return [
            to for to, each in docs.items()
            if (each.entity, each.party) == (doc.entity, doc.party) and each.kind in kinds
        ]  # fmt: skip

    lowering = ("payment", "credit", "write-off")
    for at in takers:
        named = [to for to in own(at, lowering) if docs[to].number == docs[at].settles]
        if docs[at].kind == "void" and not named:
            named = [to for to in own(at, ("refund",)) if docs[to].number == docs[at].settles]
        if not named:
            by_document.append(at)
        elif docs[at].kind == "void" or {docs[to].kind for to in named} == {"credit"}:
            take(at, sorted(named, key=lambda to: (int(docs[to].line), to)))
    for at in by_document:
        doc = docs[at]
        kinds = (*lowering, "refund") if doc.kind == "void" else ("credit",)
        settled = [
            to for to in own(at, kinds)
            if docs[to].settles == doc.settles and docs[to].posted <= doc.posted and to != at
        ]  # fmt: skip
        # Last of all the latest; before that by kind, by reference.
        settled.sort(key=lambda to: (docs[to].posted, to), reverse=True)
        settled.sort(key=lambda to: kinds.index(docs[to].kind))
        settled.sort(key=lambda to: not doc.reference or docs[to].reference != doc.reference)
        there = [to for to in settled if left[to]]
        exact = [to for to in there if left[to] == doc.cents]
        lower = [to for to in there if docs[to].kind != "refund"]
        again = [to for to in settled if docs[to].cents == doc.cents]
        take(at, exact[:1] or lower or there or again[:1])
    return found


def signs_of(docs: dict[int, Doc], taken: dict[int, list[tuple[int, int]]]) -> dict[int, int]:
    """Return the sign of each line: a void of a refund lowers what is owed."""
    return {
        at: -VOIDED_SIGNS[docs[taken[at][0][0]].kind] if doc.kind == "void" and at in taken else doc.sign
        for at, doc in docs.items()
    }


def open_on(docs: list[Doc], day: date) -> dict[int, int]:
    """Return the signed cents that are open of each line posted by the day, by its place in the list."""
    there = {at: doc for at, doc in enumerate(docs) if doc.posted <= day}
    left = {at: doc.cents for at, doc in there.items()}
    named = defaultdict(list)
    for at, doc in sorted(there.items(), key=lambda each: (int(each[1].line), each[0])):
        named[doc.entity, doc.party, doc.number].append(at)
    acting = [at for at, doc in there.items() if doc.settles and doc.effect <= day]
    taken = taken_back(there)
    signs = signs_of(there, taken)
    turns = {at: 2 if at not in taken else 0 if there[at].kind == "void" and signs[at] < 0 else 1 for at in acting}
    for turn in (0, 1, 2):
        for at in sorted((at for at in acting if turns[at] == turn), key=lambda at: there[at].effect):
            doc = there[at]
            same = named[doc.entity, doc.party, doc.settles]
            targets = [to for to, _ in taken[at]] if turn < 2 else [to for to in same if signs[to] != signs[at]]
            if not targets:
                continue
            for to in targets:
                part = max(min(left[at], left[to]), 0)
                left[at] -= part
                left[to] -= part
            if left[at] > 0:
                left[targets[-1]] -= left[at]
                left[at] = 0
    return {at: signs[at] * cents for at, cents in left.items()}


def statuses_on(docs: list[Doc], day: date) -> dict[int, str]:
    """Return what each line posted by the day is then, by its place in the list."""
    left = open_on(docs, day)
    voided: defaultdict[int, int] = defaultdict(int)
    there = {at: docs[at] for at in left}
    taken = taken_back(there)
    signs = signs_of(there, taken)
    for at, lines in taken.items():
        for to, part in lines:
            voided[to] += part if docs[at].kind == "void" and docs[at].effect <= day else 0
    found = {}
    for at, cents in left.items():
        doc = docs[at]
        if cents * signs[at] < 0:
            found[at] = "over-applied"
        elif voided[at] == doc.cents or (doc.kind == "void" and not cents):
            found[at] = "void"
        elif not cents:
            found[at] = "settled"
        elif doc.kind != "invoice":
            found[at] = "unapplied"
        else:
            found[at] = "open" if cents == doc.cents else "part settled"
    return found


def bucket(doc: Doc, day: date) -> str:
    """Return the column of an aging that a line's open amount stands in."""
    if doc.kind != "invoice":
        return "unapplied"
    late = (day - (doc.due or doc.dated)).days
    for low, high, name in ((-99999, 0, "not-due"), (1, 30, "1-30"), (31, 60, "31-60"), (61, 90, "61-90")):
        if low <= late <= high:
            return name
    return "over-90"
