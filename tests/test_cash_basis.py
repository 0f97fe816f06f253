"""Income and costs when they are paid: a small book by hand, laws of any book, and the demo by a second route."""

import csv
from collections import defaultdict
from dataclasses import replace
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import SmallBook, examples, run_almanac
from level_almanac.core.book import Book
from level_almanac.core.reports.statement.report import StatementRequest, statement
from level_almanac.core.spans.as_of import AsOfRequest
from second_items import Doc, open_on, read_docs
from small_items import items_book

QUARTERS = [date(2025, 9, 30), date(2025, 12, 31), date(2026, 3, 31), date(2026, 6, 30), date(2026, 9, 30)]

PAYABLES = """\
V1,invoice,I1,1,2025-10-02,2025-11-01,,100.00,,,
V1,payment,P1,1,2025-12-05,,,33.33,I1,,
V1,payment,P2,1,2026-02-05,,,33.33,I1,,
V1,payment,P3,1,2026-05-05,,,33.34,I1,,
V1,invoice,I2,1,2025-11-02,,,60.00,,,
V1,payment,P4,1,2025-12-20,,,60.00,I2,,
V1,void,X4,1,2026-01-10,,,60.00,P4,,
V1,payment,P5,1,2026-07-01,,,60.00,I2,,
V2,invoice,I3,1,2025-11-03,,,40.00,,,
V2,credit,C3,1,2025-12-01,,,10.00,I3,,
V2,payment,P6,1,2026-01-15,,,30.00,I3,,
V2,invoice,I4,1,2026-09-01,,,70.00,,,
V2,payment,P7,1,2026-08-01,,,35.00,I4,,
V1,invoice,SAME,1,2025-10-05,,,5.00,,,
V2,invoice,SAME,1,2025-10-05,,,5.00,,,
""".splitlines()
LEDGER = """\
1,1,2025-10-02,,6000,33.35,,I1,V1
1,2,2025-10-02,,6100,66.65,,I1,V1
1,3,2025-10-02,,2000,-100.00,,I1,V1
2,1,2025-11-02,,6000,60.00,,I2,
2,2,2025-11-02,,2000,-60.00,,I2,
3,1,2025-11-03,,6100,40.00,,I3,V2
3,2,2025-11-03,,2000,-40.00,,I3,V2
4,1,2025-12-01,,6100,-10.00,,C3,V2
4,2,2025-12-01,,2000,10.00,,C3,V2
5,1,2026-09-01,,6000,70.00,,I4,V2
5,2,2026-09-01,,2000,-70.00,,I4,V2
6,1,2026-02-28,,6100,9.99,,RENT,
6,2,2026-02-28,,1000,-9.99,,RENT,
7,1,2025-10-05,,6000,5.00,,SAME,
7,2,2025-10-05,,2000,-5.00,,SAME,
8,1,2025-10-06,,6000,1.00,,I1,V2
8,2,2025-10-06,,2000,-1.00,,I1,V2
""".splitlines()
# Repairs: I1 a third at a time, rounded as it adds up (11.12, 22.23, 33.35); I2 paid, voided, paid anew; I4 half paid in
# advance; SAME and the other party's I1 belong to no one document and count as booked. Rent: I1; I3, of which the
# credit settles a fourth and counts itself; RENT as booked.
BY_HAND = {
    "6000": ["77.12", "-48.89", "11.12", "95.00", "134.35"],
    "6100": ["22.21", "62.21", "22.22", "0.00", "106.64"],
}


@pytest.fixture
def by_hand(tmp_path: Path) -> SmallBook:
    book = items_book(tmp_path, PAYABLES, ledger=LEDGER)
    assert book.load().code == 0
    return book


def cash(book: SmallBook, *words: str) -> dict[str, Any]:
    ran = book.run("statement", "income", "--basis", "cash", "--year", "2026", *words, "--print", "json")
    assert ran.code == 0, ran.err
    return ran.json


def test_each_line_counts_by_the_share_that_was_paid(by_hand: SmallBook) -> None:
    found = cash(by_hand, "--columns", "each quarter; year")
    rows = {row["key"]: list(row["cells"].values()) for row in found["rows"]}
    assert {key: rows[key] for key in BY_HAND} == BY_HAND
    assert found["facts"]["basis"].startswith("cash basis")
    assert found["proof"]["balances"]
    # As booked, the same year is what was billed in it: nothing of it hangs on payments.
    booked = by_hand.run("statement", "income", "--year", "2026", "--columns", "year", "--print", "json").json
    assert {row["key"]: row["cells"]["year"] for row in booked["rows"] if row["key"] in BY_HAND} == {
        "6000": "169.35",
        "6100": "106.64",
    }
    assert booked["facts"]["basis"] == "as booked (accrual)"


def test_the_bridge_from_booked_to_paid_stands_in_the_proof(by_hand: SmallBook) -> None:
    ran = by_hand.run("statement", "income", "--basis", "cash", "--year", "2026", "--columns", "year")
    # Booked 275.99 of costs; 260.00 of it by documents, of which 225.00 was paid: all but half of I4.
    words = " ".join(ran.out.split())
    assert (
        "result as booked −275.99, less what documents were booked −260.00, plus what was paid of documents −225.00, comes to −240.99"
        in words
    )


def test_a_cash_figure_can_be_traced(by_hand: SmallBook) -> None:
    found = cash(by_hand, "--columns", "each quarter; year")
    for key, amounts in BY_HAND.items():
        for number, amount in enumerate(amounts, 1):
            traced = by_hand.run(
                "trace", "statement", "income", "--basis", "cash", "--year", "2026", "--columns", "each quarter; year",
                "--row", key, "--column", str(number), "--print", "json",
            )  # fmt: skip
            assert traced.code == 0, traced.err
            assert Decimal(traced.json["rows"][-1]["cells"]["counts"]) == Decimal(amount)
    assert found


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (("statement", "balance", "--basis", "cash"), "--basis: the cash basis is for income and costs alone"),
        (("statement", "income", "--basis", "cash", "--with-lines", "-o", "x.html"), "--with-lines: it goes with what was booked: --basis cash; `almanac trace statement` takes --basis cash"),
        (("trace", "statement", "income", "--basis", "cash", "--row", "6000"), "a figure on the cash basis is traced by itself"),
    ],
)  # fmt: skip
def test_where_the_cash_basis_does_not_go(by_hand: SmallBook, words: tuple[str, ...], message: str) -> None:
    ran = by_hand.run(*words)
    assert ran.code == 2
    assert message in ran.err


def test_without_documents_there_is_no_cash_basis(tmp_path: Path) -> None:
    book = items_book(tmp_path)
    book.load()
    ran = book.run("statement", "income", "--basis", "cash")
    assert ran.code == 2
    assert "--basis: the cash basis needs documents and what settled them; load payables or receivables" in ran.err


@st.composite
def lives(draw: st.DrawFn) -> tuple[list[Doc], list[tuple[str, date, str, int]]]:
    """Return documents all of which are paid in the end, and the ledger lines of each: number, day, account, cents."""
    docs: list[Doc] = []
    lines: list[tuple[str, date, str, int]] = []
    for number in range(draw(st.integers(1, 4))):
        day = date(2025, 10, 1) + timedelta(draw(st.integers(0, 200)))
        cents = draw(st.integers(1, 50_000))
        first = draw(st.integers(0, cents))
        docs.append(Doc("A", "V1", "invoice", f"I{number}", "1", day, None, day, cents, "", None, ""))
        lines += [(f"I{number}", day, "6000", first), (f"I{number}", day, "6100", cents - first)]
        left = cents
        while left:
            part = draw(st.integers(1, left)) if len(docs) < 12 else left
            paid = day + timedelta(draw(st.integers(-10, 150)))
            applied = paid + timedelta(draw(st.integers(0, 12)))
            kind = draw(st.sampled_from(["payment", "payment", "credit"]))
            # A credit's own lines come with it, unless the ledger does not know it.
            docs.append(Doc("A", "V1", kind, f"P{len(docs)}", "1", paid, None, paid, part, f"I{number}", applied, ""))
            left -= part
    return docs, lines


def expected(docs: list[Doc], lines: list[tuple[str, date, str, int]], day: date) -> dict[str, Decimal]:
    """Return what counts of each account by a day, each line rounded as it adds up."""
    left = open_on(docs, day)
    found: defaultdict[str, Decimal] = defaultdict(Decimal)
    for number, booked, account, cents in lines:
        for at, doc in enumerate(docs):
            if doc.kind == "invoice" and doc.number == number and at in left and booked <= day:
                share = Decimal(cents) * (doc.cents - left[at]) / doc.cents
                found[account] += share.quantize(Decimal(1), ROUND_HALF_UP) / 100
    return found


@examples(8)
@given(lives())
def test_over_a_life_in_which_all_was_paid_cash_is_what_was_booked(
    life: tuple[list[Doc], list[tuple[str, date, str, int]]],
) -> None:
    docs, lines = life
    items = [
        f"V1,{doc.kind},{doc.number},1,{doc.dated},,,{Decimal(doc.cents) / 100},{doc.settles},{doc.applied or ''},"
        for doc in docs
    ]
    ledger = []
    for at, (number, day, account, cents) in enumerate(lines):
        amount = Decimal(cents) / 100
        ledger += [f"{at},1,{day},,{account},{amount},,{number},V1", f"{at},2,{day},,2000,{-amount},,{number},V1"]
    # A line on the year's first day, so that the data begins with it.
    ledger += ["F,1,2025-10-01,,6000,0,,,", "F,2,2025-10-01,,2000,0,,,"]
    with TemporaryDirectory() as folder:
        book = items_book(Path(folder), items, ledger=ledger)
        assert book.load().code == 0
        # Payments may be applied after the newest posting.
        request = StatementRequest(when=AsOfRequest(as_of=QUARTERS[-1]), columns="each quarter; year")
        opened = Book.open(folder)
        paid = statement(opened, replace(request, basis="cash")).table
        booked = statement(opened, request).table
    rows: dict[str, list[Any]] = {row.key: list(row.cells.values()) for row in paid.rows}
    for row in booked.rows:
        if row.key in ("6000", "6100", "result"):
            assert rows[row.key][-1] == row.cells["year"]
            assert sum(rows[row.key][:-1]) == rows[row.key][-1]
    ends = [expected(docs, lines, day) for day in QUARTERS]
    for account in ("6000", "6100"):
        if account in rows:
            assert rows[account][:-1] == [ends[at][account] - ends[at - 1][account] for at in range(1, 5)]
    assert paid.proof
    assert paid.proof.balances


def test_the_demos_cash_basis_by_a_second_route(demo: Path) -> None:
    docs = [doc for side in ("suppliers", "customers") for doc in read_docs(demo, side) if doc.entity == "LINE"]
    by_name: defaultdict[tuple[str, str], list[int]] = defaultdict(list)
    for at, doc in enumerate(docs):
        if doc.kind == "invoice":
            by_name[doc.party, doc.number].append(at)
    first, last = date(2026, 4, 1), date(2026, 4, 30)
    before, after = open_on(docs, first - timedelta(1)), open_on(docs, last)
    found: defaultdict[str, Decimal] = defaultdict(Decimal)
    seen = set()
    for path in sorted(demo.glob("exports/line/*.csv")):
        for row in csv.DictReader(path.read_text(encoding="utf-8").splitlines()):
            name = (row["Journal"], row["Line"])
            if row["Account"] < "40" or row["Source"] in ("CF", "CL") or row["Period"].endswith("-13") or name in seen:
                continue
            seen.add(name)
            amount = Decimal(row["Debit"] or 0) - Decimal(row["Credit"] or 0)
            posted = date.fromisoformat(row["Posted"])
            party = {"V149": "V012"}.get(row["Party"], row["Party"])
            linked = by_name.get((party, row["Document"]), []) if party else []
            if not linked:
                found[row["Account"]] += amount if first <= posted <= last else 0
                continue
            whole = sum(docs[at].cents for at in linked)
            for left, sign, day in ((after, 1, last), (before, -1, first - timedelta(1))):
                if posted <= day:
                    settled = sum(docs[at].cents - left[at] for at in linked)
                    share = amount * min(max(settled, 0), whole) / whole
                    found[row["Account"]] += sign * share.quantize(Decimal("0.01"), ROUND_HALF_UP)
    words = ("statement", "income", "--basis", "cash", "--entity", "LINE", "--period", "2026-P07", "--columns", "ptd")
    table = run_almanac(*words, "--signs", "stored", "--print", "json", book=demo).json
    accounts = {
        row["key"]: Decimal(row["cells"]["ptd"])
        for row in table["rows"]
        if row["key"].isdigit() and len(row["key"]) == 5
    }
    assert len(accounts) > 20
    assert accounts == {account: found[account] for account in accounts}
    assert {account for account, amount in found.items() if amount} <= accounts.keys()
