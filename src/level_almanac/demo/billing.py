"""The demo's billing desks: trips that others pay for, what they and the travellers paid, and what was let go.

Each bill is served on one day, posted some days later, paid by cheque or card and banked later still, so that what was
done by a day differs with the date that is asked for. A few bills were never posted.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date, timedelta

from level_almanac.demo.ledger import FIRST_DAY, LAST_DAY, Chance, fiscal_period
from level_almanac.immutable import immutable

BILLING_HEADS = (
    "Site", "Desk", "Bill", "Pos", "What", "Served", "Booked", "Cheque dated", "Banked", "Customer", "Payer", "Why",
    "Amount",
)  # fmt: skip
KIND_WORDS = {"charge": "CHG", "payer-payment": "PPY", "customer-payment": "CPY", "adjustment": "ADJ"}
"""The kinds as the demo's export calls them."""
_SITES = ("Kelsay", "Ardholm", "Norwick", "Quenvey")
_PAYERS = (
    ("Concession Fund", 74, 16),
    ("Schools Desk", 88, 5),
    ("Patient Travel", 81, 12),
    ("Round Skell Tours", 92, 3),
    ("Freight Cover", 60, 22),
)
"""Who pays for travellers: what per cent of a bill, and what per cent is let go as agreed."""
_WHY = ("agreed rate", "claimed too late", "goodwill", "billed twice")
_SEASON = {1: 50, 2: 52, 3: 70, 4: 90, 5: 110, 6: 135, 7: 165, 8: 170, 9: 120, 10: 85, 11: 60, 12: 55}


@immutable
class BillLine:
    """One line of a bill. cents: an adjustment's have a sign of their own."""

    site: str
    desk: str
    number: str
    line: int
    kind: str
    served: date | None
    posted: date | None
    checked: date | None
    deposited: date | None
    party: str
    payer: str
    reason: str
    cents: int


@dataclass
class DemoBilling:
    """The bills of all days."""

    chance: Chance = field(default_factory=lambda: Chance(1721))
    lines: list[BillLine] = field(default_factory=list)
    numbers: dict[str, int] = field(default_factory=dict)

    def made(self) -> list[BillLine]:
        """Return the lines of all bills in the order they were served."""
        for number in range((LAST_DAY - FIRST_DAY).days + 1):
            day = FIRST_DAY + timedelta(days=number)
            for place, site in enumerate(_SITES):
                often = (780, 520, 640, 380)[place] * _SEASON[day.month] // 100
                often = often * (100 + 4 * (fiscal_period(day)[0] - 2024)) // 100
                for _ in range(2):
                    if self.chance.happens(often if day.weekday() < 5 else often // 2):
                        self._bill(site, day)
        return self.lines

    def _bill(self, site: str, served: date) -> None:
        chance = self.chance
        desk = f"{site} {chance.between(1, 3 if site in ('Kelsay', 'Norwick') else 2)}"
        prefix = f"{site[0]}{fiscal_period(served)[0] % 100}"
        self.numbers[prefix] = self.numbers.get(prefix, 0) + 1
        number = f"{prefix}-{self.numbers[prefix]:05d}"
        payer, pays, agreed = _PAYERS[min(chance.between(0, 4), chance.between(0, 4))]
        alone = chance.happens(180)
        cents = chance.about(9_400 if not alone else 3_900, 70)
        party = f"C{chance.between(1, 80):03d}"
        posted = served + timedelta(days=chance.between(0, 2) if chance.happens(860) else chance.between(3, 21))
        if chance.happens(6):
            posted = date.max
        made: list[tuple[str, date, int, str]] = [("charge", posted, cents, "")]
        if posted != date.max:
            made += self._settled(posted, cents, pays, agreed, alone=alone)
        count = 0
        for kind, booked, amount, reason in made:
            if kind != "charge" and booked > LAST_DAY:
                continue
            count += 1
            paid = kind.endswith("payment")
            cheque = booked - timedelta(days=chance.between(0, 6)) if paid and chance.happens(700) else None
            banked = booked + timedelta(days=chance.between(0, 4)) if paid else None
            self.lines.append(
                BillLine(
                    site, desk, number, count, kind, served if kind == "charge" else None,
                    booked if booked <= LAST_DAY else None, cheque,
                    banked if banked and banked <= LAST_DAY else None, party, "" if alone else payer, reason, amount,
                )
            )  # fmt: skip

    def _settled(
        self, posted: date, cents: int, pays: int, agreed: int, *, alone: bool
    ) -> list[tuple[str, date, int, str]]:
        """Return (kind, day, cents, reason) of all that settles a bill."""
        chance, made = self.chance, []
        left = cents
        if not alone and chance.happens(930):
            day = posted + timedelta(days=chance.between(12, 48))
            part = cents * pays // 100
            made.append(("payer-payment", day, part, ""))
            off = cents * agreed // 100
            why = _WHY[0] if chance.happens(880) else chance.one_of(_WHY[1:])
            made.append(("adjustment", day, -off, why))
            left -= part + off
        if left > 0 and chance.happens(900):
            made.append(("customer-payment", posted + timedelta(days=chance.between(0, 35)), left, ""))
        if chance.happens(9):
            made.append(
                ("adjustment", posted + timedelta(days=chance.between(30, 60)), chance.between(150, 900), "put right")
            )
        return made


def billing_rows(lines: list[BillLine], year: int) -> Iterator[tuple[object, ...]]:
    """Yield the export of the bills of a fiscal year."""
    for line in lines:
        if line.number[1:3] == f"{year % 100}":
            size = abs(line.cents)
            yield (
                line.site, line.desk, line.number, line.line, KIND_WORDS[line.kind], line.served or "",
                line.posted or "", line.checked or "", line.deposited or "", line.party, line.payer, line.reason,
                f"{'-' if line.cents < 0 else ''}{size // 100}.{size % 100:02d}",
            )  # fmt: skip
