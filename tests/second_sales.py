"""Sales, billing and plans by a second route: plain loops over the demo's exports with `decimal`.

It shares no code with the product.
"""

import csv
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction
from functools import cache
from pathlib import Path

from second_route import fiscal, period_edges

CENT = Decimal("0.01")
KINDS = {"CHG": "charge", "PPY": "payer-payment", "CPY": "customer-payment", "ADJ": "adjustment"}


@dataclass(frozen=True)
class Sold:
    """One line of sales."""

    day: date
    terminal: str
    route: str
    vessel: str
    item: str
    range: str
    quantity: Decimal
    amount: Decimal
    cost: Decimal | None


@dataclass(frozen=True)
class Billed:
    """One line of billing."""

    key: str
    kind: str
    served: date | None
    posted: date | None
    checked: date | None
    deposited: date | None
    office: str
    payer: str
    amount: Decimal

    def on(self, charges_by: str, payments_by: str) -> date | None:
        by = charges_by if self.kind == "charge" else "posted" if self.kind == "adjustment" else payments_by
        found: date | None = getattr(self, by)
        return found


def _rows(book: Path, pattern: str) -> Iterator[dict[str, str]]:
    for path in sorted((book / "exports").glob(pattern)):
        with path.open(encoding="utf-8", newline="") as stream:
            yield from csv.DictReader(stream)


@cache
def sales(book: Path) -> list[Sold]:
    """Return every line of sales with the range of its item."""
    ranges = {row["Item"]: row["Range"] for row in _rows(book, "items.csv")}
    return [
        Sold(
            date.fromisoformat(row["Day"]), row["Terminal"], row["Route"], row["Vessel"], row["Item"],
            ranges[row["Item"]], Decimal(row["Sold"]), Decimal(row["Takings"]),
            Decimal(row["Cost of goods"]) if row["Cost of goods"] else None,
        )
        for row in _rows(book, "sales/*.csv")
    ]  # fmt: skip


@cache
def billing(book: Path) -> list[Billed]:
    """Return every line of billing."""

    def day(text: str) -> date | None:
        return date.fromisoformat(text) if text else None

    return [
        Billed(
            f"{row['Bill']}/{row['Pos']}", KINDS[row["What"]], day(row["Served"]), day(row["Booked"]),
            day(row["Cheque dated"]), day(row["Banked"]), row["Site"], row["Payer"], Decimal(row["Amount"]),
        )
        for row in _rows(book, "billing/*.csv")
    ]  # fmt: skip


def year_before(day: date) -> date:
    """Return the same day of the same period a fiscal year earlier; its last day where it is the last or there is none."""
    year, period = fiscal(day)
    first, last = period_edges(year - 1, period)
    if day == period_edges(year, period)[1]:
        return last
    return min(first + timedelta((day - period_edges(year, period)[0]).days), last)


def summed(lines: Iterable[Sold], first: date, last: date, by: Callable[[Sold], str]) -> dict[str, Decimal]:
    """Return the takings of each member in the days from first through last."""
    found: defaultdict[str, Decimal] = defaultdict(Decimal)
    for line in lines:
        if first <= line.day <= last:
            found[by(line)] += line.amount
    return dict(found)


def share_of_plan(amount: Decimal, done: int, days: int) -> Decimal:
    """Return what of an amount falls on so many of its days, to the cent."""
    return (amount * done / days).quantize(CENT, ROUND_HALF_UP)


def exact_due(book: Path, year: int, through: date) -> dict[tuple[str, str], Fraction]:
    """Return by (entity, account) what of the year's budget is due by a day, shared out by days and never rounded."""
    found: defaultdict[tuple[str, str], Fraction] = defaultdict(Fraction)
    for row in _rows(book, f"plans/budget-{year}.csv"):
        first, last = period_edges(year, int(row["Month"][-2:]))
        days = (last - first).days + 1
        gone = min(max((through - first).days + 1, 0), days)
        found[row["Company"], row["Account"]] += Fraction(row["Planned"]) * Fraction(gone, days)
    return found


def budgets(book: Path, year: int, through: date) -> dict[tuple[str, str, str], tuple[Decimal, Decimal]]:
    """Return by (entity, account, department) the year's budget and what of it is due by a day, shared out by days."""
    lines: defaultdict[tuple[str, str, int], list[tuple[str, Decimal]]] = defaultdict(list)
    for row in _rows(book, f"plans/budget-{year}.csv"):
        period = int(row["Month"][-2:])
        lines[row["Company"], row["Account"], period].append((row["Dept"], Decimal(row["Planned"])))
    found: defaultdict[tuple[str, str, str], list[Decimal]] = defaultdict(lambda: [Decimal(0), Decimal(0)])
    for (entity, account, period), planned in lines.items():
        first, last = period_edges(year, period)
        days, done = (last - first).days + 1, min(max((through - first).days + 1, 0), (last - first).days + 1)
        gone = Decimal(0)
        # Departments' parts are rounded one after another, so that they come to the account's.
        for department, amount in sorted(planned, key=lambda each: (not each[0], each[0])):
            before, after = share_of_plan(gone, done, days), share_of_plan(gone + amount, done, days)
            found[entity, account, department][0] += amount
            found[entity, account, department][1] += after - before
            gone += amount
    return {key: (budget, due) for key, (budget, due) in found.items()}
