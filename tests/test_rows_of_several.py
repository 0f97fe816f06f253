"""Documents of which several stand in one row of an export: each is told from the others by its key."""

from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

from conftest import run_almanac

SETTINGS = """
[book]
name = "Wide"
time_zone = "UTC"
[calendar]
year_start = "10-01"
[entities.LINE]
name = "Line"
currency = "EUR"
[[intake]]
table = "payables"
files = "ap.csv"
across = { heads = ["Freight", "Fees"] }
set = { entity = "LINE" }
[intake.fields]
party = "party"
kind = "kind"
number = "number"
line = "<head>"
date = "date"
posted = "date"
amount = "<cell>"
settles = "settles"
"""
# N1 is paid but for 30, fees first, as its lines are in order of their names; what was paid of N3 is taken back.
EXPORT = """party,kind,number,date,Freight,Fees,settles
V1,invoice,N1,2026-01-05,100.00,50.00,
V1,invoice,N2,2026-01-06,100.00,50.00,
V1,payment,P1,2026-01-10,120.00,,N1
V2,invoice,N3,2026-01-07,40.00,10.00,
V2,payment,P3,2026-01-11,50.00,,N3
V2,void,X3,2026-01-12,50.00,,P3
"""
OPEN = {"N1/Fees": "0", "N1/Freight": "30", "N2/Fees": "50", "N2/Freight": "100", "N3/Fees": "10", "N3/Freight": "40"}


@pytest.fixture(scope="module")
def book(tmp_path_factory: pytest.TempPathFactory) -> Path:
    root = tmp_path_factory.mktemp("wide")
    (root / "almanac.toml").write_text(SETTINGS)
    (root / "ap.csv").write_text(EXPORT)
    assert run_almanac("load", book=root).code == 0
    return root


def rows(book: Path, *words: str) -> list[dict[str, Any]]:
    ran = run_almanac(*words, "--print", "json", book=book)
    assert ran.code in (0, 1), ran.err
    assert ran.json["proof"]["balances"], ran.json["proof"]
    found: list[dict[str, Any]] = ran.json["rows"]
    return found


def test_what_is_open_of_each_and_what_settled_it(book: Path) -> None:
    told = [row for row in rows(book, "documents", "payable", "--settled", "--as-of", "2026-01-31") if row["level"]]
    assert [(row["key"], row["cells"]["settled"]) for row in told] == [
        ("V1/invoice/N1/Fees>V1/payment/P1/Freight", "-50.00"),
        ("V1/invoice/N1/Freight>V1/payment/P1/Freight", "-70.00"),
    ]
    found = {row["label"]: row["cells"] for row in rows(book, "documents", "payable", "--as-of", "2026-01-31")}
    total = found.pop(next(label for label in found if label.startswith("Total")))
    assert {label: Decimal(cells["open"]) for label, cells in found.items()} == {
        label: Decimal(amount) for label, amount in OPEN.items()
    }
    assert Decimal(total["open"]) == sum(map(Decimal, OPEN.values()))
    (aged,) = (row for row in rows(book, "aging", "payable", "--as-of", "2026-01-31") if row["key"] == "total")
    assert Decimal(aged["cells"]["total"]) == 230
    listed = rows(book, "list", "payables", "--show", "open", "--only", "kind is invoice", "--as-of", "2026-01-31")
    assert sorted(row["cells"]["open"] for row in listed if row["key"] != "total") == sorted(
        f"{Decimal(amount):.2f}" for amount in OPEN.values()
    )


def test_a_trace_tells_each_with_the_row_that_it_came_from(book: Path) -> None:
    words = ("aging", "payable", "--row", "V1", "--column", "total", "--as-of", "2026-01-31")
    traced = [row["cells"] for row in rows(book, "trace", *words) if row["cells"].get("export")]
    assert [(cells["amount"], cells["export"]) for cells in traced] == [
        ("100.00", "ap.csv:2"), ("-70.00", "ap.csv:4"), ("100.00", "ap.csv:3"), ("50.00", "ap.csv:3"),
    ]  # fmt: skip


def test_invoices_that_look_alike_are_told_with_their_own_lines(book: Path) -> None:
    found = rows(book, "check", "alike", "--as-of", "2026-01-31")
    lines = [(row["label"], row["cells"]["amount"]) for row in found if row["level"] == 2]
    assert lines == [
        ("invoice N1/Fees of V1", "50.00"), ("invoice N2/Fees of V1", "50.00"),
        ("invoice N1/Freight of V1", "100.00"), ("invoice N2/Freight of V1", "100.00"),
    ]  # fmt: skip
