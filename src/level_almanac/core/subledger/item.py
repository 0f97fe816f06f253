"""One line of payables or receivables."""

from datetime import date
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.files.tables import KIND_SIGNS

BEHIND_EXPORT = "\n"
"""What stands in a line's place behind the export's line, where its key follows."""


class Item(NamedTuple):
    """One line of payables or receivables. party: the code that stands for it, and `exported_party` the one on the
    line; amount: not signed; place: what tells it from all others, file and line of the export first; failed_rule: the
    number of the condition that it does not meet, or how many there are; further: values that a report asked for.
    """

    entity: str
    party: str
    kind: str
    number: str
    line: str
    dated: date
    due: date | None
    posted: date
    amount: Decimal
    settles: str | None = None
    applied: date | None = None
    reference: str | None = None
    place: str = ""
    exported_party: str = ""
    failed_rule: int = 0
    further: tuple[Any, ...] = ()

    @property
    def sign(self) -> int:
        """1 where it adds to what the party owes or is owed, -1 where it takes from it."""
        return KIND_SIGNS[self.kind]

    @property
    def signed(self) -> Decimal:
        """What it does to the party's balance."""
        return self.sign * self.amount

    @property
    def key(self) -> str:
        """What a person points with."""
        return f"{self.party}/{self.kind}/{self.number}/{self.line}"

    @property
    def export(self) -> str:
        """The file that it came from, and its line there, which several of one row have in common."""
        return self.place.partition(BEHIND_EXPORT)[0]

    @property
    def stands(self) -> tuple[str, int]:
        """The file that it came from, and where it stands there."""
        file, _, line = self.export.rpartition(":")
        return file, int(line or 0)

    @property
    def in_effect(self) -> date:
        """The day that it settles something on, at the earliest: no application comes before its payment."""
        return max(self.posted, self.applied) if self.applied else self.posted


def natural(text: str) -> tuple[int, int, str]:
    """Return what a number is put in order by: digits as a number, before what is none."""
    return (0, int(text), "") if text.isascii() and text.isdigit() else (1, 0, text)
