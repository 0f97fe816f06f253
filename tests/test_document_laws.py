"""Laws of reports over documents: stretches add up, nothing is lost, one load is many; and what the demo's data hold."""

import csv
import json
import re
from collections import Counter, defaultdict
from datetime import date, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any, Literal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import examples, run_almanac
from level_almanac.core.book import Book
from level_almanac.core.reports.aging.report import AgingRequest, aging
from level_almanac.core.reports.documents.report import DocumentsRequest, Which, documents
from level_almanac.core.reports.parties.report import PartiesRequest, parties
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.core.subledger.subledger import SubledgerRequest, SubledgerSide
from level_almanac.core.table.model import CountedAmount, ReportTable
from level_almanac.core.table.threshold import Threshold
from second_items import Doc, open_on, read_docs
from second_route import read
from small_items import ITEM_HEADS, items_book

TODAY = date(2026, 6, 17)
SIDES: tuple[SubledgerSide, ...] = ("payable", "receivable")
CONDITIONS = (
    "", "entity is YARD", "reference is blank", "kind is invoice", "amount over 1000", "party begins V0",
    "settles is not blank and posted since 2025-10-01", "party.name contains fish", "status is settled or status is void",
    "late over 60", "open over 1000 or party begins V1",
)  # fmt: skip


@pytest.fixture(scope="module")
def book(demo: Path) -> Book:
    return Book.open(demo)


def all_counted(table: ReportTable) -> CountedAmount:
    assert table.proof is not None
    return sum((part.counted for part in table.proof.left_out), table.proof.shown)


@examples(8)
@given(
    st.sampled_from(SIDES), st.sampled_from(CONDITIONS), st.sampled_from(CONDITIONS),
    st.integers(0, 990), st.sampled_from(["all", "open", "overdue", "unapplied"]), st.integers(0, 6000),
)  # fmt: skip
def test_shown_and_left_out_are_all_there_is(
    book: Book, side: SubledgerSide, only: str, besides: str, back: int, which: Which, limit: int
) -> None:
    day = TODAY - timedelta(back)
    conditions = Conditions((only,) if only else (), (besides,) if besides else ())
    of = SubledgerRequest(side=side, when=AsOfRequest(as_of=day), conditions=conditions)
    over = (Threshold("over", (Decimal(limit),)),)
    for table in (
        aging(book, AgingRequest(of=of, top=3)).table,
        documents(book, DocumentsRequest(of=of, which=which, thresholds=over)).table,
        parties(book, PartiesRequest(of=of, thresholds=over, everyone=bool(limit % 2))).table,
    ):
        assert table.proof is not None
        assert table.proof.adds_up, table.title
        assert all_counted(table) == table.proof.considered
        assert table.proof.considered.lines == sum(each.lines for each in book.state.files_of(f"{side}s"))
        # What each total adds up stands above it.
        rows = {row.key: row for row in table.rows}
        for row in table.rows:
            for column in table.columns if row.adds else ():
                cells = [rows[key].cells.get(column.key) for _, key in row.adds]
                total = row.cells.get(column.key)
                if column.kind == "amount" and column.adds and isinstance(total, Decimal):
                    assert sum((cell for cell in cells if isinstance(cell, Decimal)), Decimal(0)) == total


@pytest.mark.parametrize("side", SIDES)
def test_quarters_add_up_to_the_year(book: Book, side: SubledgerSide) -> None:
    def totals(when: AsOfRequest) -> dict[str, Any]:
        request = PartiesRequest(
            of=SubledgerRequest(side=side, when=when), show=("invoiced", "credited", "paid", "written-off")
        )
        return dict(parties(book, request).table.rows[-1].cells)

    quarters = [totals(AsOfRequest(quarter=f"2025-Q{number}")) for number in (1, 2, 3, 4)]
    year = totals(AsOfRequest(year="2025"))
    assert all(year.values())
    assert {key: sum(quarter[key] for quarter in quarters) for key in year} == year


@pytest.mark.parametrize("side", SIDES)
def test_open_overdue_and_unapplied_come_to_the_aging(book: Book, side: SubledgerSide) -> None:
    of = SubledgerRequest(side=side, when=AsOfRequest(as_of=date(2025, 12, 31)))
    aged = dict(aging(book, AgingRequest(of=of)).table.rows[-2].cells)
    open_ = documents(book, DocumentsRequest(of=of, which="open")).table.rows[-1].cells["open"]
    late = documents(book, DocumentsRequest(of=of, which="overdue")).table.rows[-1].cells["open"]
    loose = documents(book, DocumentsRequest(of=of, which="unapplied")).table.rows
    credits_ = sum(row.cells["open"] for row in loose[:-1] if row.cells["kind"] == "credit")  # type: ignore[misc]
    assert open_ + loose[-1].cells["open"] - credits_ == aged["total"]  # type: ignore[operator]
    assert late == aged["total"] - aged["not-due"] - aged["unapplied"]  # type: ignore[operator]
    assert aged["unapplied"] == loose[-1].cells["open"]
    standing = parties(
        book, PartiesRequest(of=of, show=("open", "overdue"), everyone=True)
    ).table.rows[-1].cells  # fmt: skip
    assert (standing["open"], standing["overdue"]) == (aged["total"], late)


LINES = [
    "V1,invoice,I1,1,2025-10-02,2025-11-01,,100.00,,,",
    "V1,payment,P1,1,2025-10-20,,,60.00,I1,,",
    "V1,payment,P2,1,2025-11-20,,,40.00,I1,2025-12-05,",
    "V2,invoice,I2,1,2025-10-09,,,70.00,,,",
    "V2,credit,C2,1,2025-10-15,,,15.00,I2,,",
    "V2,payment,P3,1,2025-12-01,,,80.00,I2,,",
    "V2,void,X3,1,2025-12-20,,,80.00,P3,,",
]


def aged(root: Path) -> dict[str, Any]:
    ran = run_almanac("aging", "payable", "--as-of", "2025-12-31", "--print", "json", book=root)
    assert ran.code in (0, 1), ran.err
    return {row["key"]: row["cells"] for row in ran.json["rows"]}


@pytest.mark.parametrize("order", [(0, 1), (1, 0)], ids=["in order", "the later first"])
def test_one_load_of_documents_is_many(tmp_path: Path, order: tuple[int, int]) -> None:
    for name in ("one", "many"):
        (tmp_path / name).mkdir()
    whole, many = (items_book(tmp_path / name, LINES) for name in ("one", "many"))
    assert whole.load().code == 0
    settings_ = many.root / "almanac.toml"
    settings_.write_text(settings_.read_text().replace('files = "payables.csv"', 'files = "payables*.csv"'))
    (many.root / "payables.csv").unlink()
    # Two lines stand in both exports, as they do where one begins before the other ended.
    parts = [LINES[:4], LINES[2:]]
    for number in order:
        (many.root / f"payables-{number}.csv").write_text(ITEM_HEADS + "".join(f"{line}\n" for line in parts[number]))
        assert many.load().code == 0
    assert aged(many.root) == aged(whole.root)
    # I1 is paid; of I2 a credit took 15, and its payment was voided.
    rows = aged(whole.root)
    assert list(rows) == ["V2", "total", "percent"]
    assert (rows["V2"]["61-90"], rows["V2"]["total"]) == ("55.00", "55.00")
    changed = [*LINES[2:6], "V2,payment,P4,1,2025-12-24,,,55.00,I2,,"]
    (many.root / "payables-1.csv").write_text(ITEM_HEADS + "".join(f"{line}\n" for line in changed))
    assert many.load().code == 0
    assert aged(many.root) != aged(whole.root)
    bad = (many.root / "payables-1.csv").read_text().replace("payment,P4", "paymnt,P4")
    before = aged(many.root)
    (many.root / "payables-1.csv").write_text(bad)
    assert many.load().code == 3
    assert aged(many.root) == before, "a load that is refused leaves the book as it was"


def test_what_is_open_is_alike_however_old_the_store_is_and_whoever_stands_for_whom(tmp_path: Path) -> None:
    book = items_book(tmp_path, [*LINES, "V3,payment,P5,1,2025-12-29,,,5.00,I2,,"])
    assert book.load().code == 0
    as_loaded = aged(book.root)

    def marked() -> dict[str, str]:
        manifest = book.root / ".almanac" / "manifests" / (book.root / ".almanac" / "current").read_text().strip()
        found: dict[str, str] = json.loads(manifest.read_text())["marked"]
        return found

    first = marked()
    assert list(first) == ["payables"]
    # Codes that became one since the load: what they settle together is told without a load, and after one.
    settings = book.root / "almanac.toml"
    settings.write_text(settings.read_text() + '\n[parties]\nsame_as = { V3 = "V2" }\n')
    together = aged(book.root)
    assert (as_loaded["V3"]["unapplied"], as_loaded["V2"]["total"]) == ("-5.00", "55.00")
    assert ("V3" in together, together["V2"]["total"]) == (False, "50.00")
    assert book.load().code == 0
    assert (aged(book.root), marked() != first) == (together, True)
    # Nothing that has not to do with documents makes them anew; a line of theirs does.
    second = marked()
    (book.root / "parties.csv").write_text("party,name\nV1,Another name\n")
    assert book.load().code == 0
    assert marked() == second
    export = book.root / "payables.csv"
    export.write_text(export.read_text() + "V2,payment,P6,1,2025-12-30,,,50.00,I2,,\n")
    assert book.load().code == 0
    assert ("V2" in aged(book.root), marked() != second) == (False, True)


def test_the_book_says_the_buckets_and_what_there_is_nothing_to_hold_against(tmp_path: Path) -> None:
    book = items_book(tmp_path, LINES, more="[aging]\nbuckets = [7, 20]")
    chart = tmp_path / "chart.csv"
    chart.write_text(chart.read_text().replace(",payable\n", ",\n"))
    assert book.load().code == 0
    table = book.run("aging", "payable", "--as-of", "2025-11-10", "--print", "json").json
    assert [column["key"] for column in table["columns"]][:4] == ["not-due", "1-7", "8-20", "over-20"]
    rows = {row["key"]: list(row["cells"].values())[:6] for row in table["rows"]}
    # I1 was due on 1 November and is paid to 60; I2 has no due date and a credit of 15.
    assert rows["V1"] == ["0", "0", "40.00", "0", "0", "40.00"]
    assert rows["V2"] == ["0", "0", "0", "55.00", "0", "55.00"]
    assert "1 open documents have no due date and are aged from their own" in table["notes"]
    assert any(
        note.startswith("The chart marks no account as control account of what is payable") for note in table["notes"]
    )


def kinds_of(docs: list[Doc]) -> Counter[str]:
    return Counter(doc.kind for doc in docs)


def test_the_demos_documents_hold_what_a_month_end_meets(demo: Path) -> None:
    found = {name: read_docs(demo, name) for name in ("suppliers", "customers")}
    docs = found["suppliers"]
    assert all(kinds_of(docs)[kind] >= 3 for kind in ("invoice", "credit", "payment", "write-off", "refund", "void"))
    assert all(kinds_of(found["customers"])[kind] >= 10 for kind in ("invoice", "credit", "payment", "write-off"))
    settled: defaultdict[str, set[str]] = defaultdict(set)
    payers: defaultdict[tuple[str, str], set[str]] = defaultdict(set)
    for doc in docs:
        if doc.kind == "payment" and doc.settles:
            settled[doc.number].add(doc.settles)
            payers[doc.party, doc.settles].add(doc.number)
    assert sum(len(numbers) > 1 for numbers in settled.values()) > 100, "one payment for several invoices"
    assert sum(len(numbers) > 1 for numbers in payers.values()) > 100, "part payments"
    assert sum(doc.kind == "payment" and not doc.reference for doc in docs) > 20
    assert sum(doc.kind == "payment" and not doc.settles for doc in docs) > 5
    assert sum(doc.applied is not None and doc.applied > doc.posted for doc in docs) > 20
    for name, count in (("V", 150), ("C", 110)):
        with (demo / "exports" / "items" / "parties.csv").open(encoding="utf-8") as stream:
            codes = [row["Code"] for row in csv.DictReader(stream) if re.fullmatch(rf"{name}\d{{3}}", row["Code"])]
        assert len(set(codes)) == count
    years = {(doc.posted - timedelta(273)).year for doc in docs}
    assert len(years) >= 3


def test_the_demos_documents_agree_with_the_ledger_day_by_day_but_for_what_is_planted(demo: Path) -> None:
    by_day: defaultdict[tuple[str, str, date], int] = defaultdict(int)
    for side, name in (("20110", "suppliers"), ("12", "customers")):
        for doc in read_docs(demo, name):
            by_day[side, doc.entity, doc.posted] += doc.sign * doc.cents
    for line in read(demo):
        side = "20110" if line.account == "20110" else "12" if line.account in ("12110", "12120") else ""
        if side and (line.source != "CF" or line.year == 2024):
            by_day[side, line.entity, line.posted] -= int(line.amount * 100) * (-1 if side == "20110" else 1)
    assert {key: cents for key, cents in by_day.items() if cents} == {
        ("20110", "LINE", date(2026, 5, 19)): -194_413,
        ("12", "YARD", date(2026, 5, 7)): 45_000,
    }


def test_each_document_is_open_alike_in_a_list_and_in_the_replay(book: Book, demo: Path) -> None:
    docs = read_docs(demo, "customers")
    for day in (date(2024, 6, 30), date(2026, 1, 31)):
        left = open_on(docs, day)
        of = SubledgerRequest(side="receivable", when=AsOfRequest(as_of=day), entities=("YARD",))
        table = documents(book, DocumentsRequest(of=of, which="all")).table
        wanted = {
            docs[at].key.partition("/")[2]: Decimal(cents) / 100
            for at, cents in left.items()
            if docs[at].entity == "YARD" and docs[at].kind in ("invoice", "credit")
        }
        assert {row.key: row.cells["open"] for row in table.rows[:-1]} == wanted


AgeBy = Literal["due", "date"]


@pytest.mark.parametrize("by", ["due", "date"])
def test_days_are_counted_from_the_date_that_is_asked_for(book: Book, demo: Path, by: AgeBy) -> None:
    docs, day = read_docs(demo, "suppliers"), date(2025, 6, 30)
    expected: defaultdict[str, Decimal] = defaultdict(Decimal)
    for at, cents in open_on(docs, day).items():
        if cents and docs[at].kind == "invoice":
            days = (day - ((docs[at].due or docs[at].dated) if by == "due" else docs[at].dated)).days
            key = "not-due" if days <= 0 else "1-10" if days <= 10 else "11-11" if days == 11 else "over-11"
            expected[key] += Decimal(cents) / 100
    of = SubledgerRequest(side="payable", when=AsOfRequest(as_of=day))
    total = aging(book, AgingRequest(of=of, age_by=by, buckets=(10, 11))).table.rows[-2].cells
    assert {key: total[key] for key in ("not-due", "1-10", "11-11", "over-11")} == {
        key: expected[key] for key in ("not-due", "1-10", "11-11", "over-11")
    }


def test_headings_run_over_the_whole_line_and_rules_stand_above_what_is_added_up(demo: Path, tmp_path: Path) -> None:
    ran = run_almanac("check", "-o", tmp_path / "checks.html", "-o", tmp_path / "checks.pdf", book=demo)
    assert ran.code == 1
    page = (tmp_path / "checks.html").read_text(encoding="utf-8")
    headings = re.findall(r'<tr class="heading[^>]*>.*?</tr>', page, re.DOTALL)
    assert len(headings) == 10
    for heading in headings:
        assert re.search(r'colspan="[56]"', heading)
        assert "<td" not in heading
    shown = run_almanac(
        "documents", "payable", "--open", "--by", "party", "--entity", "YARD", book=demo
    ).out.splitlines()
    heads = next(line for line in shown if line.startswith("document"))
    rules = [line for line in shown if set(line.strip()) <= {"─", " "} and line.strip()]
    assert rules
    for rule in rules:
        marked = {heads[at] for at, letter in enumerate(rule) if letter == "─" and at < len(heads)}
        assert marked <= set("amount setled open "), "none above days, dates or texts"
    assert all(rule.count("─" * 7) >= 3 for rule in rules), "above amount, settled and open"


def test_a_number_that_two_parties_share_is_traced_to_each_ones_own_lines(tmp_path: Path) -> None:
    items = [f"{party},invoice,I1,1,2025-10-02,,,{amount},,," for party, amount in (("V1", "10.00"), ("V2", "20.00"))]
    ledger = [
        f"{journal},{line},2025-10-02,,{account},{amount},,I1,{party}"
        for journal, party, size in (("1", "V1", "10.00"), ("2", "V2", "20.00"), ("3", "", "1.00"))
        for line, account, amount in ((1, 6000, size), (2, 2000, f"-{size}"))
    ]
    many = '[[agree]]\nname = "all"\nleft = { table = "ledger", sum = "debit" }\nright = { table = "payables" }'
    book = items_book(tmp_path, items, ledger=ledger, more=many)
    assert book.load().code == 0
    for party, journal in (("V1", "1"), ("V2", "2")):
        rows = book.run(
            "trace", "documents", "payable", "--row", f"{party}/invoice/I1/1", "--print", "json"
        ).json["rows"]  # fmt: skip
        told = [row["label"] for row in rows if row["label"].startswith("ledger")]
        assert told == [f"ledger {journal}/1", f"ledger {journal}/2", "ledger 3/1", "ledger 3/2"]
    traced = book.run("trace", "check", "agree", "--row", "agree/all/None", "--print", "json").json["rows"]
    assert len(traced) == 1 + 6 + 2 + 1, "the finding, all six lines of the one side and both of the other, their total"


def test_the_total_of_the_first_parties_is_traced_to_theirs_alone(demo: Path) -> None:
    words = ("parties", "payable", "--year", "2025", "--over", "7500", "--on", "paid", "--top", "3")
    table = run_almanac(*words, "--print", "json", book=demo).json
    for row in table["rows"]:
        ran = run_almanac("trace", *words, "--row", row["key"], "--column", "paid", "--print", "json", book=demo)
        assert ran.code == 0, ran.err
        assert ran.json["rows"][-1]["cells"]["figure"] == row["cells"]["paid"]
