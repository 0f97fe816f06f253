"""Documents by a second route: the demo's suppliers' and customers' exports replayed in whole cents, in plain loops.

It shares no code with the product. A line settles the lines of a number that have the opposite sign, in the order of
their line numbers; voids go first, then all else in the order of the day on which it takes effect.
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


def open_on(docs: list[Doc], day: date) -> dict[int, int]:
    """Return the signed cents that are open of each line posted by the day, by its place in the list."""
    there = {at: doc for at, doc in enumerate(docs) if doc.posted <= day}
    left = {at: doc.cents for at, doc in there.items()}
    named = defaultdict(list)
    for at, doc in sorted(there.items(), key=lambda each: (int(each[1].line), each[0])):
        named[doc.entity, doc.party, doc.number].append(at)
    acting = [at for at, doc in there.items() if doc.settles and doc.effect <= day]
    for voids in (True, False):
        for at in sorted((at for at in acting if (there[at].kind == "void") is voids), key=lambda at: there[at].effect):
            doc = there[at]
            targets = [to for to in named[doc.entity, doc.party, doc.settles] if there[to].sign != doc.sign]
            if not targets:
                continue
            for to in targets:
                part = max(min(left[at], left[to]), 0)
                left[at] -= part
                left[to] -= part
            if left[at] > 0:
                left[targets[-1]] -= left[at]
                left[at] = 0
    return {at: there[at].sign * cents for at, cents in left.items()}


def bucket(doc: Doc, day: date) -> str:
    """Return the column of an aging that a line's open amount stands in."""
    if doc.kind != "invoice":
        return "unapplied"
    late = (day - (doc.due or doc.dated)).days
    for low, high, name in ((-99999, 0, "not-due"), (1, 30, "1-30"), (31, 60, "31-60"), (61, 90, "61-90")):
        if low <= late <= high:
            return name
    return "over-90"
