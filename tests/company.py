"""Skellan Yard's exports as another system writes them: a chart in a workbook, the ledger of a quarter as a listing of
accounts in blocks, later months in files whose heads drift, a plan with months side by side, suppliers with signed amounts.
"""

from datetime import date
from decimal import Decimal
from pathlib import Path

import openpyxl

CHART = [
    ("1", "Assets", "1", "Asset"), ("1000", "Bank", "2", "Asset"), ("1200", "Customers", "2", "Asset"),
    ("2", "Liabilities", "1", "Liability"), ("2000", "Suppliers", "2", "Liability"),
    ("3", "Equity", "1", "Equity"), ("3000", "Share capital", "2", "Equity"), ("3100", "Retained earnings", "2", "Equity"),
    ("4", "Income", "1", "Income"), ("4000", "Refits", "2", "Income"), ("4100", "Storage", "2", "Income"),
    ("6", "Costs", "1", "Expense"), ("6000", "Timber", "2", "Expense"), ("6100", "Wages", "2", "Expense"),
]  # fmt: skip
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun")


def entries() -> list[tuple[str, int, int, str, Decimal, str]]:
    """Return (voucher, month, day, account, amount with debits positive, text) of each line."""
    lines = []
    for month in range(1, 7):
        for number in range(1, 9):
            voucher = f"V{month}{number:02d}"
            amount = Decimal(month * 1000 + number * 111) / 4
            account = ("4000", "4100", "6000", "6100")[number % 4]
            sign = -1 if account.startswith("4") else 1
            lines.append((voucher, month, number * 3, account, sign * amount, f"Work {number}"))
            other = "1200" if sign < 0 else "2000" if number % 3 else "1000"
            lines.append((voucher, month, number * 3, other, -sign * amount, f"Work {number}"))
    return lines


def german(amount: Decimal) -> str:
    """Return an amount as `1.234,50`."""
    return f"{amount:,.2f}".translate(str.maketrans(",.", ".,"))


PLAN = {"4000": 4200, "4100": 900, "6000": 2100, "6100": 1500}
SUPPLIERS = [
    ("S1", "Isle Timber", "Invoice", "R100", (2025, 1, 10), (2025, 2, 9), "1200.00"),
    ("S1", "Isle Timber", "Invoice", "R101", (2025, 3, 10), (2025, 4, 9), "800.50"),
    ("S1", "Isle Timber", "Payment", "Z1", (2025, 2, 20), None, "-1200.00"),
    ("S2", "Tar & Rope", "Invoice", "R200", (2025, 5, 2), (2025, 6, 1), "310.00"),
    ("S2", "Tar & Rope", "Credit note", "G1", (2025, 5, 20), None, "-10.00"),
]


def write_company(root: Path) -> None:
    """Write the exports of the company into a folder."""
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.append(["Chart of accounts of Skellan Yard"])
    sheet.append([])
    sheet.append(["Account", "Description", "Level", "Type"])
    for code, name, level, kind in CHART:
        sheet.append([code, name, int(level), kind])
    book.save(root / "chart.xlsx")
    _write_blocks(root / "listing 2025 Q1.xlsx")
    for month in range(4, 7):
        extra = month > 5
        head = (
            "Voucher no;Posting Date;Account;Debit;Credit;Text;User"
            if extra
            else "Voucher;Posting date;Account;Debit;Credit;Text"
        )
        rows = [line for line in entries() if line[1] == month]
        body = [
            f"{voucher};{day:02d}.{month:02d}.2025;{account};{german(amount) if amount > 0 else ''};{german(-amount) if amount < 0 else ''};{text}{';ab' * extra}"
            for voucher, _, day, account, amount, text in rows
        ]
        debit = german(sum((line[4] for line in rows if line[4] > 0), Decimal(0)))
        total = f"Total;;;{debit};{debit};{';' * extra}"
        (root / f"ledger-2025-{month:02d}.csv").write_text("\n".join([head, *body, total]) + "\n")
    plan = openpyxl.Workbook()
    plan.active.append(["Account", "Name", *MONTHS, "Total"])
    for code, amount in PLAN.items():
        name = next(name for account, name, *_ in CHART if account == code)
        plan.active.append([code, name, *[amount] * 6, amount * 6])
    plan.save(root / "budget-2025.xlsx")
    lines = ["Supplier,Supplier name,Type,Number,Date,Due date,Amount"]
    for party, name, kind, number, day, due, owed in SUPPLIERS:
        days = [f"{each[2]:02d}/{each[1]:02d}/{each[0]}" if each else "" for each in (day, due)]
        lines.append(f"{party},{name},{kind},{number},{days[0]},{days[1]},{owed}")
    (root / "suppliers.csv").write_text("\n".join(lines) + "\n")


def _write_blocks(path: Path) -> None:
    """Write the ledger of a quarter as a listing: a row that names each account, its lines with a running balance, its
    total.
    """
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.append(["Skellan Yard, account listing, January to March 2025"])
    sheet.append([])
    sheet.append(["Date", "Voucher", "Text", "Debit", "Credit", "Balance"])
    for code, name, *_ in CHART:
        lines = [line for line in entries() if line[1] < 4 and line[3] == code]
        if not lines:
            continue
        sheet.append([f"Account {code} {name}"])
        balance = debit = credit = Decimal(0)
        for voucher, month, day, _, amount, text in lines:
            balance += amount
            debit, credit = debit + max(amount, Decimal(0)), credit + max(-amount, Decimal(0))
            sides = [float(amount) if amount > 0 else None, float(-amount) if amount < 0 else None]
            sheet.append([date(2025, month, day), voucher, text, *sides, float(balance)])
        sheet.append([f"Total {code}", None, None, float(debit) or None, float(credit) or None, None])
    book.save(path)
