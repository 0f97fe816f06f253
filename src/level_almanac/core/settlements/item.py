"""One line of payables or receivables."""

from datetime import date
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.files.tables import KIND_SIGNS

BEHIND_EXPORT = "\n"
"""What stands in a line's place behind the export's line, where its key follows."""


class Item(NamedTuple):
    """One line of payables or receivables.

    party: the code that stands for it; exported_party: the code on the line.
    amount: not signed.
    place: the unique key of the line; file and line of the export come first.
    failed_rule: the number of the first rule that it does not meet, or the number of rules if it meets all.
    void_of: of a void, the kind of the line that it voids, or blank if it voids none.
    void_part: of a void that is split over the lines that it voids, the number of this part.
    further: values that a report asked for.
    parts: of a void that is split over the lines that it voids, the place and amount of each part.
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
    void_of: str | None = None
    void_part: int | Decimal | None = None
    further: tuple[Any, ...] = ()
    parts: tuple[tuple[str, Decimal], ...] = ()

    @property
    def sign(self) -> int:
        """1 if it adds to the amount that is owed, -1 if it lowers it. A void of a refund lowers it."""
        return -1 if self.void_of == "refund" else KIND_SIGNS[self.kind]

    @property
    def counted_kind(self) -> str:
        """The kind; of a void also the kind that it voids, as `void of payment`."""
        return counted_kind(self.kind, self.void_of)

    @property
    def signed(self) -> Decimal:
        """What it does to the party's balance."""
        return self.sign * self.amount

    @property
    def key(self) -> str:
        """The key of its row in reports."""
        part = f"/part-{int(self.void_part)}" if self.void_part is not None and self.void_part > 1 else ""
        return f"{self.party}/{self.kind}/{self.number}/{self.line}{part}"

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


def counted_kind(kind: str, void_of: str | None) -> str:
    """Return the kind that a line counts as in totals: of a void, `void of` and the kind that it voids."""
    return f"{kind} of {void_of}" if void_of else kind


SIGN_OF = {
    **KIND_SIGNS,
    **{f"void of {kind}": -sign for kind, sign in KIND_SIGNS.items() if kind not in ("invoice", "void")},
}
"""The sign of each kind as lines count in totals (see `counted_kind`)."""


def natural(text: str) -> tuple[int, int, str]:
    """Return what a number is put in order by: digits as a number, before what is none."""
    return (0, int(text), "") if text.isascii() and text.isdigit() else (1, 0, text)
