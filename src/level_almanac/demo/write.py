"""Write the demo book: the files that are shipped, and the exports of both companies by two unlike systems."""

import csv
import shutil
from collections.abc import Iterable
from contextlib import ExitStack
from datetime import date
from importlib import resources
from pathlib import Path
from typing import Any

from level_almanac.demo.billing import BILLING_HEADS, DemoBilling, billing_rows
from level_almanac.demo.items import ITEM_HEADS, DemoItem, DemoItems
from level_almanac.demo.ledger import BASE_LINES, DemoLine, demo_lines
from level_almanac.demo.parties import party_rows
from level_almanac.demo.plans import BUDGET_HEADS, FORECAST_HEADS, PlanSums
from level_almanac.demo.sales import ITEM_HEADS as SOLD_HEADS
from level_almanac.demo.sales import SALES_HEADS, TARGET_HEADS, DemoSales, item_rows, target_rows

COMPLETE_THROUGH = date(2026, 6, 17)
YEARS = (2024, 2025, 2026)
KIND_WORDS = {
    "invoice": "INV", "credit": "CRN", "payment": "PAY", "write-off": "WOF", "refund": "REF", "void": "VOI",
}  # fmt: skip
"""The kinds as the demo's export calls them."""
_LINE_HEADS = (
    "Journal", "Line", "Posted", "Period", "Account", "Debit", "Credit", "Source", "Document", "Reference", "Party",
    "Partner", "Text", "Department", "Vessel",
)  # fmt: skip
_YARD_HEADS = (
    "Voucher", "Pos", "Date", "Per", "Acct", "Value", "Kind", "Doc", "Ref", "Counterpart", "Group", "Narration", "Dept",
)  # fmt: skip


def write_demo(folder: Path, lines: int = BASE_LINES) -> list[Path]:
    """Write the demo book into a folder, which is made if need be, and return the exports written.

    lines: about how many ledger lines there are to be.
    """
    for name in ("billing", "items", "line", "plans", "sales", "yard"):
        (folder / "exports" / name).mkdir(parents=True)
    # What does not come of chance is shipped as the files it is: the book's own texts, its chart and its vessels.
    with resources.as_file(resources.files(__package__) / "book") as shipped:
        for path in shipped.rglob("*.*"):
            target = folder / path.relative_to(shipped)
            target.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(path, target)
    chart, vessels = (folder / "exports" / name for name in ("chart.csv", "vessels.csv"))
    sold = _write_csv(folder / "exports" / "items.csv", SOLD_HEADS, item_rows())
    sums, items, sales = PlanSums(), DemoItems(), DemoSales()
    ledgers = _write_ledgers(folder / "exports", sales.seen(items.seen(sums.seen(demo_lines(lines)))))
    plans = _write_plans(folder / "exports" / "plans", sums)
    documents = _write_items(folder / "exports" / "items", items)
    return [chart, vessels, sold, *ledgers, *plans, *documents, *_write_desks(folder / "exports", sales)]


def _write_desks(folder: Path, sales: DemoSales) -> list[Path]:
    bills = DemoBilling().made()
    written = []
    for year in YEARS:
        written += [
            _write_csv(folder / "sales" / f"sales-{year}.csv", SALES_HEADS, sales.rows(year)),
            _write_csv(folder / "billing" / f"billing-{year}.csv", BILLING_HEADS, billing_rows(bills, year)),
        ]
    return written


def _write_items(folder: Path, items: DemoItems) -> list[Path]:
    files: list[tuple[str, tuple[str, ...], Iterable[tuple[object, ...]]]] = [
        ("parties.csv", ("Code", "Name", "Side"), party_rows()),
        ("suppliers.csv", ITEM_HEADS, map(_item_row, items.items(payable=True))),
        ("customers.csv", ITEM_HEADS, map(_item_row, items.items(payable=False))),
    ]
    return [_write_csv(folder / name, heads, rows) for name, heads, rows in files]


def _write_csv(path: Path, heads: tuple[str, ...], rows: Iterable[tuple[object, ...]]) -> Path:
    with path.open("w", encoding="utf-8", newline="") as stream:
        writer = csv.writer(stream, lineterminator="\n")
        writer.writerow(heads)
        writer.writerows(rows)
    return path


def _item_row(item: DemoItem) -> tuple[object, ...]:
    amount = f"{item.cents // 100}.{item.cents % 100:02d}"
    return (
        item.entity, item.party, KIND_WORDS[item.kind], item.number, item.line, item.dated, item.due or "", item.posted,
        amount, item.settles, item.applied or "", item.reference, item.payee, item.memo,
    )  # fmt: skip


def _write_plans(folder: Path, sums: PlanSums) -> list[Path]:
    plans: list[tuple[str, tuple[str, ...], Iterable[tuple[object, ...]]]] = [
        ("budget-2025.csv", BUDGET_HEADS, sums.budget(2025)),
        ("budget-2026.csv", BUDGET_HEADS, sums.budget(2026)),
        ("forecast-2026.csv", FORECAST_HEADS, sums.forecast(2026)),
        ("target-2026.csv", TARGET_HEADS, target_rows(2026)),
    ]
    return [_write_csv(folder / name, heads, rows) for name, heads, rows in plans]


def _write_ledgers(exports: Path, lines: Iterable[DemoLine]) -> list[Path]:
    writers: dict[str, Any] = {}
    with ExitStack() as open_files:
        for line in lines:
            latin = line.entity == "YARD"
            row = _yard_row(line) if latin else _line_row(line)
            for name in _files_of(line):
                if name not in writers:
                    encoding, delimiter = ("latin-1", ";") if latin else ("utf-8", ",")
                    stream = open_files.enter_context((exports / name).open("w", encoding=encoding, newline=""))
                    writers[name] = csv.writer(stream, delimiter=delimiter, lineterminator="\n")
                    writers[name].writerow(_YARD_HEADS if latin else _LINE_HEADS)
                writers[name].writerow(row)
    return [exports / name for name in writers]


def _files_of(line: DemoLine) -> list[str]:
    year, number = line.period
    if line.source == "CF":
        # A carried line stands in the export of the year it opens.
        year, number = year + 1, 1
    if line.entity == "YARD":
        return [f"yard/yard-{year}.csv"]
    if year < 2026:
        return [f"line/line-{year}.csv"]
    files = [f"line/line-2026-{number:02d}.csv"]
    # June was exported from 29 May on, so a few days stand in two files.
    if number == 8 and line.posted >= date(2026, 5, 29):
        files.append("line/line-2026-09.csv")
    return files


def _line_row(line: DemoLine) -> tuple[object, ...]:
    year, number = line.period
    size = f"{abs(line.cents) // 100}.{abs(line.cents) % 100:02d}"
    debit, credit = (size, "") if line.cents > 0 else ("", size)
    return (
        line.journal, line.line, line.posted, f"{year}-{number:02d}", line.account, debit, credit, line.source,
        line.document, line.reference, line.party, line.partner, line.memo, line.department, line.vessel,
    )  # fmt: skip


def _yard_row(line: DemoLine) -> tuple[object, ...]:
    year, number = line.period
    whole = f"{abs(line.cents) // 100:,}".replace(",", ".")
    value = f"{whole},{abs(line.cents) % 100:02d}{'-' if line.cents < 0 else ''}"
    day = line.posted
    return (
        line.journal, line.line, f"{day.day:02d}.{day.month:02d}.{day.year}", f"{number:02d}/{year}", line.account,
        value, line.source, line.document, line.reference, line.party, line.partner, line.memo, line.department,
    )  # fmt: skip
