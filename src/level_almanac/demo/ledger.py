"""Makes the demo ledger: the same lines each time, as many as asked for, every journal in balance.

Amounts are whole cents. Only `random()` of the standard generator is used, whose sequence is the same in every Python.
"""

import random
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import NamedTuple

from level_almanac.demo.chart import INCOME_WORDS, chart_rows

FIRST_DAY = date(2023, 10, 1)
LAST_DAY = date(2026, 6, 17)
BASE_LINES = 25_000
RETAINED = "30200"
_SEASON = {1: 52, 2: 55, 3: 70, 4: 92, 5: 112, 6: 138, 7: 178, 8: 182, 9: 118, 10: 84, 11: 60, 12: 59}
"""Traffic by month, in per cent of an average one."""
_GROWTH = {2024: 100, 2025: 104, 2026: 107}
_VESSELS = ("Brae", "Corran", "Merlin", "Tern")
_TERMINALS = ("Kelsay", "Norwick")
_CLOSED = frozenset(code for code, _, word, _, _ in chart_rows() if word in INCOME_WORDS)

Posting = tuple[str, int]
"""An account and cents, debits positive."""


class DemoLine(NamedTuple):
    """One ledger line. period: (fiscal year, period number) as the export tells it; cents: debits positive."""

    entity: str
    journal: str
    line: int
    posted: date
    period: tuple[int, int]
    account: str
    cents: int
    source: str
    document: str
    reference: str
    party: str
    partner: str
    memo: str
    department: str
    vessel: str


def fiscal_period(day: date) -> tuple[int, int]:
    """Return the demo's fiscal year and period number of a day: years run from 1 October, named by their end."""
    return (day.year + 1, day.month - 9) if day.month >= 10 else (day.year, day.month + 3)


@dataclass
class _Books:
    """The journals of one company in the making, with the balance of each account."""

    entity: str
    lines: list[DemoLine] = field(default_factory=list)
    balances: defaultdict[str, int] = field(default_factory=lambda: defaultdict(int))
    numbers: defaultdict[str, int] = field(default_factory=lambda: defaultdict(int))

    def post(
        self,
        day: date,
        source: str,
        memo: str,
        postings: Sequence[Posting],
        *,
        period: tuple[int, int] | None = None,
        document: str = "",
        reference: str = "",
        party: str = "",
        partner: str = "",
        department: str = "",
        vessel: str = "",
    ) -> None:
        """Post one journal; its postings must balance. Carried lines restate balances and so add nothing to them."""
        if sum(cents for _, cents in postings):
            raise ValueError(f"{memo} on {day} does not balance")
        year = (period or fiscal_period(day))[0]
        self.numbers[f"{source}{year}"] += 1
        journal = f"{source}{year % 100}-{self.numbers[f'{source}{year}']:05d}"
        for number, (account, cents) in enumerate((posting for posting in postings if posting[1]), 1):
            self.lines.append(
                DemoLine(
                    self.entity, journal, number, day, period or fiscal_period(day), account, cents, source,
                    document, reference, party, partner, memo,
                    department if account in _CLOSED else "", vessel if account in _CLOSED else "",
                )
            )  # fmt: skip
            if source != "CF":
                self.balances[account] += cents

    def carry(self, day: date, year: int, wrong: dict[str, int] | None = None) -> None:
        """Carry the balances into a new year, dated the old one's last day. wrong: what is planted on accounts."""
        balances = [(code, cents) for code, cents in sorted(self.balances.items()) if code not in _CLOSED]
        if wrong:
            balances = [(code, cents + wrong.get(code, 0)) for code, cents in balances]
        self.post(day, "CF", f"Balances carried into {year}", balances, period=fiscal_period(day))

    def close(self, day: date, year: int) -> None:
        """Transfer the year's income and expense to retained earnings."""
        balances = [(code, -cents) for code, cents in sorted(self.balances.items()) if code in _CLOSED and cents]
        result = sum(cents for _, cents in balances)
        self.post(day, "CL", f"Result of {year} transferred", [*balances, (RETAINED, -result)], period=(year, 13))


class Chance:
    """Chance that is the same each time."""

    def __init__(self, seed: int) -> None:
        self._random = random.Random(seed)

    def between(self, low: int, high: int) -> int:
        """Return a whole number from the one through the other."""
        return low + int(self._random.random() * (high - low + 1))

    def about(self, cents: int, spread: int = 20) -> int:
        """Return cents near these. spread: how many per cent they may be off."""
        return cents * self.between(100 - spread, 100 + spread) // 100 + self.between(0, 99)

    def one_of(self, choices: Sequence[str]) -> str:
        """Return one of the choices."""
        return choices[self.between(0, len(choices) - 1)]

    def passes(self) -> None:
        """Take a draw that decides nothing, so that all later ones stay what they were."""
        self._random.random()

    def happens(self, per_mille: int) -> bool:
        """Tell whether what happens so often in a thousand does."""
        return self.between(1, 1000) <= per_mille


def _supplier(chance: Chance) -> str:
    """Return a supplier's code; those whose bills are all the same are kept for what the sub-ledger shows with them."""
    number = chance.between(1, 150)
    return f"V{number + 4 if number in (141, 142, 143) else number:03d}"


def demo_lines(lines: int = BASE_LINES) -> Iterator[DemoLine]:
    """Yield about so many ledger lines of both companies, in the order they were posted in each company.

    More lines are the same companies with more and smaller daily journals; fewer than the base there cannot be.
    """
    copies = max(1, round((lines - BASE_LINES) / 18_100) + 1)
    yield from _line_company(Chance(1701), copies).lines
    yield from _yard_company(Chance(1702), max(1, copies // 4)).lines


def _days() -> Iterator[date]:
    for number in range((LAST_DAY - FIRST_DAY).days + 1):
        yield FIRST_DAY + timedelta(days=number)


def _is_month_end(day: date) -> bool:
    return (day + timedelta(days=1)).day == 1


def _year_ends(books: _Books, day: date, adjustments: Sequence[tuple[str, Sequence[Posting]]]) -> None:
    year = day.year
    for memo, postings in adjustments:
        books.post(day, "AJ", memo, postings, period=(year, 13), document=f"YE{year}")
    books.close(day, year)
    # The yard's second carrying forward was keyed by hand, and one figure slipped.
    slip = {"12120": -124_000, "12310": 124_000} if (books.entity, year) == ("YARD", 2025) else None
    books.carry(day, year + 1, slip)


def _line_company(chance: Chance, copies: int) -> _Books:
    books = _Books("LINE")
    opening = {
        "10110": 2_640_000_000, "10119": -980_000_000, "10120": 310_000_000, "10129": -96_000_000,
        "12110": 41_862_015, "12190": -2_400_000, "12210": 18_240_300, "12220": 6_120_450,
        "12310": 148_720_060, "12320": 60_000_000, "12330": 1_864_200, "12410": 14_400_000,
        "20110": -38_214_590, "20210": -2_118_440, "20220": -11_930_770, "20310": -780_000_000,
        "20320": -214_000_000, "20410": -9_640_000, "30100": -500_000_000,
    }  # fmt: skip
    books.balances.update(opening)
    books.balances[RETAINED] = -sum(opening.values())
    books.carry(date(2023, 9, 30), 2024)
    for day in _days():
        year, number = fiscal_period(day)
        traffic = _SEASON[day.month] * _GROWTH[year] // 100
        for terminal in _TERMINALS:
            for _ in range(copies):
                _takings(books, chance, day, terminal, traffic, copies)
        if day.weekday() < 5:
            _freight(books, chance, day, traffic, copies)
            _suppliers(books, chance, day, traffic)
        if day.weekday() in (0, 3):
            _bunkers(books, chance, day, traffic)
        if _is_month_end(day):
            _line_month_end(books, chance, day, traffic, number)
        if day == date(2026, 6, 2):
            # A May bill that came in June and belongs to May by its period.
            books.post(
                day, "OB", "Quay lighting, May", [("61320", 318_240), ("20110", -318_240)], period=(2026, 8),
                document="NW-4471", party="V031", department="TERM",
            )  # fmt: skip
        if (day.month, day.day) == (9, 30):
            _year_ends(books, day, _line_adjustments(books, chance, day))
    return books


def _takings(books: _Books, chance: Chance, day: date, terminal: str, traffic: int, copies: int) -> None:
    sound = terminal == "Kelsay"
    foot, cars = ("40111", "40112") if sound else ("40121", "40122")
    busy = traffic * (125 if day.weekday() >= 4 else 88) // 100
    size = (100 if sound else 62) * busy // copies
    sold = {
        foot: chance.about(40 * size), cars: chance.about(57 * size),
        "40310": chance.about(7 * size), "40320": chance.about(9 * size),
    }  # fmt: skip
    tax = (sold["40310"] + sold["40320"]) * 8 // 100
    total = sum(sold.values()) + tax
    cash = total * chance.between(6, 14) // 100
    postings = [("12340", total - cash), ("12330", cash), *((code, -cents) for code, cents in sold.items())]
    department = "SEA"
    books.post(
        day, "TK", f"Takings {terminal}", [*postings, ("20210", -tax)], document=f"Z{day:%y%m%d}{terminal[0]}",
        department=department, vessel=_VESSELS[(day.toordinal() + (0 if sound else 2)) % 4],
    )  # fmt: skip
    if chance.happens(60):
        back = chance.between(1_200, 16_000) // copies + 1
        books.post(
            day, "TK", f"Refund, sailing cancelled, {terminal}", [("40190", back), ("12330", -back)],
            department=department, vessel=chance.one_of(_VESSELS),
        )  # fmt: skip


def _freight(books: _Books, chance: Chance, day: date, traffic: int, copies: int) -> None:
    for _ in range(2 * copies):
        customer = f"C{chance.between(1, 80):03d}"
        lorries = chance.about(2_600 * traffic // copies, 60)
        livestock = chance.about(260 * traffic // copies, 80) if chance.happens(350) else 0
        number = f"F{day:%y%m}{chance.between(1000, 9999)}"
        books.post(
            day, "SF", "Freight on account",
            [("12110", lorries + livestock), ("40210", -lorries), ("40220", -livestock)],
            document=number, party=customer, department="SEA", vessel=chance.one_of(_VESSELS),
        )  # fmt: skip
    owed = books.balances["12110"]
    if owed > 30_000_000:
        paid = chance.about(owed * 5 // 100, 40)
        chance.passes()
        books.post(day, "RC", "Freight customers paid", [("12310", paid), ("12110", -paid)], reference=f"T{day:%y%m%d}")


def _suppliers(books: _Books, chance: Chance, day: date, traffic: int) -> None:
    kinds = (
        ("61220", "Running repairs", 172_000, "SEA"), ("50210", "Harbour dues", 96_000, "SEA"),
        ("50220", "Harbour dues", 71_000, "SEA"), ("50320", "Galley provisions", 940 * traffic, "SEA"),
        ("61320", "Heat, light and water", 74_000, "TERM"), ("62130", "Telephones and post", 31_000, "OFF"),
        ("62220", "Timetables printed", 58_000, "OFF"), ("60320", "Safety drill", 83_000, "SEA"),
    )  # fmt: skip
    for _ in range(chance.between(0, 2)):
        account, memo, cents, department = kinds[chance.between(0, len(kinds) - 1)]
        cents = chance.about(cents, 45)
        books.post(
            day, "OB", memo, [(account, cents), ("20110", -cents)], document=f"P{chance.between(10_000, 99_999)}",
            party=_supplier(chance), department=department,
            vessel=chance.one_of(_VESSELS) if department == "SEA" else "",
        )  # fmt: skip
    owed = -books.balances["20110"]
    if day.weekday() == 4 and owed > 20_000_000:
        for share in (28, 19, 12):
            paid = owed * share // 100
            cheque = chance.happens(220)
            chance.passes()
            books.post(
                day, "PY", "Suppliers paid by cheque" if cheque else "Suppliers paid",
                [("20110", paid), ("12310", -paid)],
                reference=f"{chance.between(300_000, 399_999)}" if cheque else f"T{day:%y%m%d}-{share}",
            )  # fmt: skip


def _bunkers(books: _Books, chance: Chance, day: date, traffic: int) -> None:
    oil, grease = chance.about(17_600 * traffic, 12), chance.about(61_000, 50)
    books.post(
        day, "OB", "Bunkers", [("50110", oil), ("50120", grease), ("20110", -oil - grease)],
        document=f"B{day:%y%m%d}", party="V007", department="SEA", vessel=chance.one_of(_VESSELS),
    )  # fmt: skip


def _line_month_end(books: _Books, chance: Chance, day: date, traffic: int, number: int) -> None:
    wages = (
        ("60110", 16_450_000, "SEA"), ("60120", 9_900 * traffic, "SEA"), ("60210", 6_240_000, "TERM"),
        ("60230", 5_180_000, "OFF"),
    )  # fmt: skip
    for account, cents, department in wages:
        gross = chance.about(cents * _GROWTH[fiscal_period(day)[0]] // 100, 3)
        social, withheld = gross * 14 // 100, gross * 24 // 100
        books.post(
            day, "PR", "Pay of the month",
            [(account, gross), ("60310", social), ("20220", -social - withheld), ("12310", withheld - gross)],
            document=f"PAY{day:%y%m}", department=department,
        )  # fmt: skip
    for account, cents, against, memo, department in (
        ("63110", 13_920_000, "10119", "Depreciation, vessels", "SEA"),
        ("63110", 1_040_000, "10129", "Depreciation, quays", "TERM"),
        ("61310", 1_200_000, "12410", "Insurance of the month", "SEA"),
        ("61110", 4_250_000, "12310", "Lease of the Tern", "SEA"),
        ("61120", 1_860_000, "12310", "Terminal rents", "TERM"),
        ("62110", 940_000, "20110", "Booking system", "OFF"),
        ("50130", 11_200 * traffic // 10, "20110", "Shore power", "SEA"),
        ("64110", 2_730_000, "12310", "Loan interest", "OFF"),
    ):
        books.post(
            day, "GJ", memo, [(account, cents), (against, -cents)], document=f"ME{day:%y%m}", department=department
        )
    used = chance.about(2_300_000, 10)
    goods = chance.about(3_050 * traffic, 8)
    restock = goods + chance.between(-90_000, 90_000)
    takings = books.balances["12340"] - chance.between(900_000, 1_900_000)
    fees = takings * 11 // 1000
    till = max(books.balances["12330"] - 1_500_000, 0)
    tax, pay = -books.balances["20210"], -books.balances["20220"]
    for memo, postings, department in (
        ("Season tickets sold", [("12310", used + 180_000), ("20410", -used - 180_000)], "SEA"),
        ("Season tickets used", [("20410", used), ("40130", -used)], "SEA"),
        ("Shop goods sold", [("50310", goods), ("12220", -goods)], "SEA"),
        ("Shop goods bought", [("12220", restock), ("20110", -restock)], "SEA"),
        ("Card takings received", [("12310", takings - fees), ("62210", fees), ("12340", -takings)], "OFF"),
        ("Tills paid in", [("12310", till), ("12330", -till)], "TERM"),
        ("Taxes paid", [("20210", tax), ("20220", pay), ("12310", -tax - pay)], "OFF"),
        ("Lifeline route grant", [("12310", 9_600_000), ("49110", -9_600_000)], "SEA"),
        ("Quay rents", [("12310", 1_240_000), ("49120", -1_240_000)], "TERM"),
        ("Vessel loan repaid", [("20310", 6_500_000), ("12310", -6_500_000)], "OFF"),
    ):
        books.post(day, "GJ", memo, postings, document=f"ME{day:%y%m}", department=department)
    if number in (2, 3):
        dock = _dry_dock(day)
        books.post(
            day, "OB", "Dry dock, hull and engines", [("61210", dock), ("20510", -dock)], document=f"YD{day:%y%m}",
            partner="YARD", department="SEA", vessel=_VESSELS[number],
        )  # fmt: skip
        books.post(day, "PY", "Dry dock settled", [("20510", dock), ("12310", -dock)], partner="YARD")
    if number == 1:
        books.post(day, "OB", "Insurance for the year", [("12410", 14_400_000), ("20110", -14_400_000)], party="V012")


def _dry_dock(day: date) -> int:
    """Return what the yard bills the line for the winter's dry dock: the same cents in both companies' books."""
    return 19_400_000 + (day.year * 7919 + day.month * 104_729) % 3_000_000


def _line_adjustments(books: _Books, chance: Chance, day: date) -> list[tuple[str, list[Posting]]]:
    doubtful = chance.about(640_000, 40)
    oil = chance.about(1_100_000, 60)
    result = -sum(cents for code, cents in books.balances.items() if code in _CLOSED)
    tax = max(result * 19 // 100, 0)
    due = -books.balances["20230"]
    steps: list[tuple[str, list[Posting]]] = [
        ("Debts written down", [("62290", doubtful), ("12190", -doubtful)]),
        ("Fuel in tanks counted", [("12210", oil), ("50110", -oil)]),
        (f"Audit of {day.year}, bill to come", [("62120", 2_850_000), ("20190", -2_850_000)]),
        ("Corporation tax", [("64210", tax), ("20230", -tax)]),
    ]
    if due > 0:
        steps.append(("Corporation tax of last year paid", [("20230", due), ("12310", -due)]))
    return steps


def _yard_company(chance: Chance, copies: int) -> _Books:
    books = _Books("YARD")
    opening = {
        "10210": 214_000_000, "10219": -88_400_000, "12120": 16_420_880, "12230": 9_310_240, "12310": 31_866_410,
        "20110": -8_214_330, "20210": 0, "20220": -2_940_110, "20320": -24_000_000, "30100": -60_000_000,
    }  # fmt: skip
    books.balances.update(opening)
    books.balances[RETAINED] = -sum(opening.values())
    books.carry(date(2023, 9, 30), 2024)
    for day in _days():
        year, number = fiscal_period(day)
        if day.weekday() < 5:
            for _ in range(copies):
                _yard_day(books, chance, day, copies)
        if _is_month_end(day):
            _yard_month_end(books, chance, day, number, _GROWTH[year])
        if (day.month, day.day) == (9, 30):
            scrap = chance.about(310_000, 50)
            steps = [
                ("Steel counted", [("50410", scrap), ("12230", -scrap)]),
                ("Audit, bill to come", [("62120", 690_000), ("20190", -690_000)]),
            ]
            _year_ends(books, day, steps)
    return books


def _yard_day(books: _Books, chance: Chance, day: date, copies: int) -> None:
    winter = 150 if day.month in (11, 12, 1, 2, 3) else 74
    if chance.happens(640):
        work = chance.about(4_300 * winter // copies, 55)
        slip = chance.about(940 * winter // copies, 60)
        # Two of the yard's own words hold a letter that its old export writes in Latin-1.
        memo = chance.one_of(("Hull cleaned", "Engine överhauled", "Mast stepped", "Café boat refitted"))
        if chance.happens(12):
            memo = f"{memo}\nas agreed on the slip"
        books.post(
            day, "YI", memo, [("12120", work + slip), ("45110", -work), ("45210", -slip)],
            document=f"Y{day:%y%m}{chance.between(100, 999)}", party=f"C{chance.between(81, 110):03d}",
            department="SLIP",
        )  # fmt: skip
    if chance.happens(480):
        account, memo, cents = (
            ("50410", "Steel plate", 310_000),
            ("50420", "Divers", 205_000),
            ("61220", "Crane upkeep", 88_000),
        )[chance.between(0, 2)]
        cents = chance.about(cents // copies, 50)
        books.post(
            day, "OB", memo, [(account, cents), ("20110", -cents)], document=f"P{chance.between(1000, 9999)}",
            party=_supplier(chance), department="SLIP",
        )  # fmt: skip
    for account, bank, memo in (("12120", 1, "Customer paid"), ("20110", -1, "Supplier paid")):
        owed = books.balances[account] * bank
        if day.weekday() == 2 and owed > 6_000_000:
            paid = owed * chance.between(16, 34) // 100
            books.post(day, "BK", memo, [("12310", bank * paid), (account, -bank * paid)], reference=f"B{day:%y%m%d}")


def _yard_month_end(books: _Books, chance: Chance, day: date, number: int, growth: int) -> None:
    gross = chance.about(5_650_000 * growth // 100, 6)
    social, withheld = gross * 14 // 100, gross * 24 // 100
    pay = -books.balances["20220"]
    storage = 1_420_000 if number <= 6 else 210_000
    for memo, postings in (
        (
            "Pay of the month",
            [("60220", gross), ("60310", social), ("20220", -social - withheld), ("12310", withheld - gross)],
        ),
        ("Payroll tax paid", [("20220", pay), ("12310", -pay)]),
        ("Depreciation, slip", [("63120", 890_000), ("10219", -890_000)]),
        ("Winter storage", [("12120", storage), ("45220", -storage)]),
        ("Heat and light", [("61320", 236_000), ("12310", -236_000)]),
        ("Insurance", [("61310", 184_000), ("12310", -184_000)]),
        ("Office", [("62130", 57_000), ("12310", -57_000)]),
    ):
        books.post(day, "GJ", memo, postings, document=f"M{day:%y%m}", department="SLIP")
    if number in (2, 3):
        billed = _dry_dock(day)
        books.post(
            day, "YI", "Dry dock for Skellan Line", [("20510", billed), ("45120", -billed)], document=f"YD{day:%y%m}",
            partner="LINE", department="SLIP",
        )  # fmt: skip
        books.post(day, "BK", "Dry dock settled", [("12310", billed), ("20510", -billed)], partner="LINE")
