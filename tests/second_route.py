"""The figures by a second route: plain loops over the demo's exports, sharing no code with the product.

It reads the two companies' files with Python's own csv module, decides anew where each line stands, and adds up.
"""

import csv
import re
from collections import defaultdict
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from datetime import date, datetime
from decimal import Decimal
from functools import cache
from pathlib import Path

ZERO = Decimal(0)


@dataclass(frozen=True)
class Line:
    """One line of an export. year, period: what it counts in; day: when; amount: debits positive; key: its name."""

    entity: str
    account: str
    year: int
    period: int
    day: date
    debit: Decimal
    credit: Decimal
    source: str
    posted: date
    key: str = ""
    department: str = ""

    @property
    def amount(self) -> Decimal:
        return self.debit - self.credit

    @property
    def is_movement(self) -> bool:
        return self.source != "CF"

    @property
    def is_income(self) -> bool:
        return self.account >= "40"


def fiscal(day: date) -> tuple[int, int]:
    """Return the fiscal year and period of a day in a year that starts on 1 October."""
    return (day.year + 1, day.month - 9) if day.month > 9 else (day.year, day.month + 3)


def period_edges(year: int, period: int) -> tuple[date, date]:
    """Return the first and last day of a period; P13 is the year's last day."""
    if period == 13:
        return date(year, 9, 30), date(year, 9, 30)
    first = date(year - 1, period + 9, 1) if period <= 3 else date(year, period - 3, 1)
    lengths = (31, 30, 31, 31, 29 if year % 4 == 0 else 28, 31, 30, 31, 30, 31, 31, 30)
    return first, first.replace(day=lengths[period - 1])


@cache
def read(book: Path) -> list[Line]:
    """Return the demo's ledger lines, each key once."""
    lines = {}
    for path in sorted(book.glob("exports/line/*.csv")):
        with path.open(encoding="utf-8", newline="") as stream:
            for row in csv.DictReader(stream):
                debit, credit = Decimal(row["Debit"] or 0), Decimal(row["Credit"] or 0)
                key = ("LINE", row["Journal"], row["Line"])
                posted, period = date.fromisoformat(row["Posted"]), row["Period"].split("-")
                line = _placed("LINE", row["Account"], posted, period, debit, credit, row["Source"])
                lines[key] = replace(line, department=row["Department"])
    for path in sorted(book.glob("exports/yard/*.csv")):
        with path.open(encoding="latin-1", newline="") as stream:
            for row in csv.DictReader(stream, delimiter=";"):
                size = Decimal(re.sub("[.-]", "", row["Value"]).replace(",", "."))
                sides = (ZERO, size) if row["Value"].endswith("-") else (size, ZERO)
                key = ("YARD", row["Voucher"], row["Pos"])
                posted = datetime.strptime(row["Date"], "%d.%m.%Y").date()  # noqa: DTZ007  a day has no zone
                period = row["Per"].split("/")[::-1]
                line = _placed("YARD", row["Acct"], posted, period, *sides, row["Kind"])
                lines[key] = replace(line, department=row["Dept"])
    return [replace(line, key="/".join(key)) for key, line in lines.items()]


def _placed(
    entity: str, account: str, posted: date, period: list[str], debit: Decimal, credit: Decimal, source: str
) -> Line:
    year, number = int(period[0]), int(period[1])
    if source == "CF":
        # All of the demo's carried lines are dated 30 September and open the year after.
        return Line(entity, account, posted.year + 1, 1, date(posted.year, 10, 1), debit, credit, source, posted)
    first, last = period_edges(year, number)
    return Line(entity, account, year, number, min(max(posted, first), last), debit, credit, source, posted)


Within = Callable[[Line], bool]


def days(first: date, last: date, extra: bool = True) -> Within:
    """Return the test for lines that count from `first` through `last`, period 13 among them or not."""
    return lambda line: first <= line.day <= last and (extra or line.period != 13)


@dataclass
class TrialLine:
    """One account's trial balance."""

    opening: Decimal = ZERO
    debit: Decimal = ZERO
    credit: Decimal = ZERO

    @property
    def closing(self) -> Decimal:
        return self.opening + self.debit - self.credit


def trial(
    lines: Iterable[Line], year: int, before: Within, within: Within, after_closing: bool = False
) -> tuple[dict[str, TrialLine], Decimal]:
    """Return each account's line, and what finished years left on income and expense.

    before, within: which lines of the year lie before the range and in it.
    """
    accounts: defaultdict[str, TrialLine] = defaultdict(TrialLine)
    earlier = ZERO
    for line in lines:
        base = line.source == "CF" and line.year == 2024
        if (line.source == "CF" and not base) or line.year > year:
            continue
        if line.source == "CL" and line.year == year and not after_closing:
            continue
        if base or line.year < year:
            if line.is_income:
                earlier += line.amount
            else:
                accounts[line.account].opening += line.amount
        elif within(line):
            accounts[line.account].debit += line.debit
            accounts[line.account].credit += line.credit
        elif before(line):
            accounts[line.account].opening += line.amount
    return accounts, earlier


def income(lines: Iterable[Line], within: Within) -> dict[str, Decimal]:
    """Return the movement of each income-statement account in its natural sign, closing and carried lines left out."""
    moved: defaultdict[str, Decimal] = defaultdict(lambda: ZERO)
    for line in lines:
        if line.source not in ("CF", "CL") and line.is_income and within(line):
            moved[line.account] += -line.amount if line.account < "50" else line.amount
    return moved
