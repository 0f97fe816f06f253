"""Lines of which several stand in one row of an export: each is told from the others by its key."""

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
retained_earnings = "3000"
"""
PAYABLES = """
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
    return loaded(root, PAYABLES, {"ap.csv": EXPORT})


def loaded(root: Path, intake: str, exports: dict[str, str]) -> Path:
    (root / "almanac.toml").write_text(SETTINGS + intake)
    for name, text in exports.items():
        (root / name).write_text(text)
    ran = run_almanac("load", book=root)
    assert ran.code == 0, ran.err
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


LEDGER_AND_PLAN = """
[[intake]]
table = "accounts"
files = "accounts.csv"
fields = { account = "account", name = "name", class = "class", control = "control" }
[[intake]]
table = "ledger"
files = "gl.csv"
across = { heads = ["1000", "2000", "6000", "6100"] }
set = { entity = "LINE" }
fields = { journal = "journal", line = "<head>", posted = "posted", account = "<head>", amount = "<cell>", document = "document", party = "party" }
[[intake]]
table = "ledger"
files = "by-document.csv"
across = { heads = ["N1", "Z9"] }
set = { entity = "LINE", party = "V1" }
fields = { journal = "journal", line = { join = ["account", "<head>"] }, posted = "posted", account = "account", amount = "<cell>", document = "<head>" }
[[intake]]
table = "budget"
files = "plan.csv"
across = { heads = ["6000", "6100"] }
set = { entity = "LINE", scenario = "budget" }
fields = { account = "<head>", period = "period", amount = "<cell>" }
"""
WIDE = {
    "accounts.csv": "account,name,class,control\n1000,Bank,asset,\n2000,Payables,liability,payable\n3000,Kept,equity,\n6000,Fuel,expense,\n6100,Fees,expense,\n",
    "gl.csv": """journal,posted,1000,2000,6000,6100,document,party
J1,2026-01-05,,-150.00,100.00,50.00,N1,V1
J2,2026-01-06,,-150.00,110.00,40.00,N2,V1
J3,2026-01-10,-120.00,120.00,,,P1,V1
J4,2026-02-28,-7.00,,7.00,,,
""",
    "by-document.csv": "journal,posted,account,N1,Z9\nJ5,2026-01-20,6000,10.00,5.00\nJ5,2026-01-20,1000,-10.00,-5.00\n",
    "plan.csv": "period,6000,6100\n2026-P04,90.00,50.00\n2026-P05,80.00,40.00\n2026-P06,70.00,30.00\n",
    "ap.csv": "party,kind,number,date,Freight,Fees,settles\nV1,invoice,N1,2026-01-05,100.00,50.00,\nV1,invoice,N2,2026-01-06,110.00,40.00,\nV1,payment,P1,2026-01-10,120.00,,N1\n",
}
OF_YEAR = ("--columns", "ytd; budget ytd", "--period", "2026-P05")


def test_a_ledger_and_a_plan_of_several_accounts_in_a_row(tmp_path: Path) -> None:
    wide = loaded(tmp_path, PAYABLES + LEDGER_AND_PLAN, WIDE)
    words = ("statement", "income", "--row", "Total expenses", *OF_YEAR)
    ran = run_almanac("trace", *words, "--column", "budget", "--print", "json", book=wide).json
    assert (ran["proof"]["considered"]["lines"], ran["proof"]["shown"]) == (6, {"lines": 4, "amount": "260.00"})
    parts = rows(wide, "trace", *words, "--column", "budget")
    assert sorted((row["label"], row["cells"]["account"], row["cells"]["part"]) for row in parts[:-1]) == [
        ("plan.csv:2", "6000", "90.00"), ("plan.csv:2", "6100", "50.00"),
        ("plan.csv:3", "6000", "80.00"), ("plan.csv:3", "6100", "40.00"),
    ]  # fmt: skip
    # N1 is paid by four fifths; of N2 nothing is; there is no document Z9, and J4 is of none.
    words = ("statement", "income", "--row", "Total expenses", "--basis", "cash", "--period", "2026-P05")
    counted = rows(wide, "trace", *words, "--column", "ytd")
    assert [(row["key"], row["cells"]["counts"]) for row in counted] == [
        ("LINE/J1/6000", "80.00"), ("LINE/J1/6100", "40.00"), ("LINE/J2/6000", "0.00"), ("LINE/J2/6100", "0.00"),
        ("LINE/J5/6000-N1", "8.00"), ("LINE/J5/6000-Z9", "5.00"), ("LINE/J4/6000", "7.00"), ("total", "140.00"),
    ]  # fmt: skip
    # As the statement turns what reduces the result, nothing has no sign.
    for row in rows(wide, "trace", *words[:3], "Result", *words[4:], "--column", "ytd"):
        assert row["cells"]["counts"] != "-0.00"
