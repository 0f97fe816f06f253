"""Billing: four figures by any dates against plain loops, entries in transit, cut-off, and the limits of a range."""

from datetime import date, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import load_workbook
from pypdf import PdfReader

from conftest import examples, run_almanac
from level_almanac.core.book import Book
from level_almanac.core.reports.billing.made import billing
from level_almanac.core.reports.billing.report import Billing as Made
from level_almanac.core.reports.billing.report import BillingRequest
from level_almanac.core.reports.billing.transit import FIGURES, transits
from level_almanac.core.requests.conditions import Conditions
from second_sales import Billed
from second_sales import billing as read_billing
from small_sales import sales_book

FIRST, TODAY = date(2023, 10, 1), date(2026, 6, 17)
ZERO = Decimal(0)
SIGNS = {"charge": 1, "payer-payment": -1, "customer-payment": -1, "adjustment": 1}


@pytest.fixture(scope="module")
def book(demo: Path) -> Book:
    return Book.open(demo)


@pytest.fixture(scope="module")
def entries(demo: Path) -> list[Billed]:
    return read_billing(demo)


def figures(entries: list[Billed], first: date, last: date, charges_by: str, payments_by: str) -> dict[str, Decimal]:
    found = dict.fromkeys(FIGURES, ZERO)
    for entry in entries:
        day = entry.on(charges_by, payments_by)
        if day is not None and first <= day <= last:
            found[entry.kind] += entry.amount
    return {**found, "net": sum((SIGNS[kind] * each for kind, each in found.items()), ZERO)}


@pytest.mark.parametrize("charges_by", ["posted", "served"])
@pytest.mark.parametrize("payments_by", ["posted", "checked", "deposited"])
def test_the_four_figures_are_those_of_the_exports(
    demo: Path, entries: list[Billed], charges_by: str, payments_by: str
) -> None:
    first, last = date(2026, 3, 1), date(2026, 3, 31)
    words = ["--period", "2026-P06", "--by", "office, payer", "--charges-by", charges_by, "--payments-by", payments_by]
    ran = run_almanac("billing", *words, "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    assert ran.json["proof"]["balances"] is True
    for row in ran.json["rows"]:
        if row["kind"] == "heading":
            continue
        office, _, payer = row["key"].partition("/")
        inside = [
            entry for entry in entries
            if (office in ("total", entry.office)) and (payer in ("", entry.payer or "payer-blank"))
        ]  # fmt: skip
        expected = figures(inside, first, last, charges_by, payments_by)
        assert {key: Decimal(row["cells"][key]) for key in expected} == expected, row["key"]


@examples(8)
@given(
    back=st.integers(0, 900), days=st.integers(1, 60), by=st.sampled_from(["deposited", "checked"]),
    served=st.booleans(), only=st.sampled_from(["", "office is Kelsay", "payer is blank", "amount over 50"]),
)  # fmt: skip
def test_two_dates_differ_by_exactly_the_entries_in_transit(
    book: Book, back: int, days: int, by: str, served: bool, only: str
) -> None:
    last = TODAY - timedelta(back)
    first = last - timedelta(days - 1)
    conditions = Conditions((only,) if only else ())
    request = BillingRequest(
        first=first, last=last, payments_by=by, charges_by="served" if served else "posted", conditions=conditions
    )
    plain = BillingRequest(first=first, last=last, conditions=conditions)
    table, posted = billing(book, request).table, billing(book, plain).table
    assert table.proof is not None
    assert table.proof.balances
    found = transits(Made(book, request).entries)
    assert len(found) == 2 + served
    cells, before = table.rows[-1].cells, posted.rows[-1].cells
    for each in found:
        moved = each.only_other.amount - each.only_posted.amount - each.undated.amount
        assert Decimal(str(cells[each.kind] or 0)) - Decimal(str(before[each.kind] or 0)) == moved
        assert each.holds
    # The list of those in transit holds just these.
    listed = billing(book, BillingRequest(
        first=first, last=last, payments_by=by, charges_by=request.charges_by, conditions=conditions, lines=True,
        view="in-transit",
    )).table  # fmt: skip
    lines = [row for row in listed.rows if row.kind == "line"]
    assert len(lines) == sum(each.only_other.lines + each.only_posted.lines for each in found)


def test_what_has_no_such_day_is_told_apart_and_each_payment_has_a_date_of_its_own(
    demo: Path, entries: list[Billed]
) -> None:
    first, last = date(2026, 5, 1), date(2026, 5, 31)
    words = ("--payer-payments-by", "checked", "--customer-payments-by", "deposited")
    ran = run_almanac("billing", "--period", "2026-P08", *words, "--print", "json", book=demo).json
    by = {"payer-payment": "checked", "customer-payment": "deposited"}
    checks = " ".join(check["words"] for check in ran["proof"]["checks"])
    for kind, dated in by.items():
        own = [entry for entry in entries if entry.kind == kind]
        inside = [entry for entry in own if (day := getattr(entry, dated)) and first <= day <= last]
        assert Decimal(ran["rows"][-1]["cells"][kind]) == sum(entry.amount for entry in inside)
        without = [each for each in own if each.posted and first <= each.posted <= last and not getattr(each, dated)]
        amount = sum((entry.amount for entry in without), ZERO)
        told = f"less {len(without):,} without a {dated} day {amount:,.2f}, "
        assert (told in checks) is bool(without)
        note = f"posted in these days have no {dated} day, {amount:,.2f} in all"
        assert any(note in each for each in ran["notes"]) is bool(without)
    both = run_almanac("billing", "--period", "2026-P08", "--payments-by", "checked", "--print", "json", book=demo).json
    assert sum(int(note.split()[0]) for note in both["notes"] if "have no checked day" in note) == 66
    listed = run_almanac(
        "billing", "--period", "2026-P08", "--payments-by", "checked", "--in-transit", "--print", "json", book=demo
    )
    assert all(row["cells"]["checked"] for row in listed.json["rows"] if row["kind"] == "line")


def test_lines_are_the_entries_behind_the_figures(demo: Path, entries: list[Billed]) -> None:
    words = ["--from", "2026-05-30", "--through", "2026-06-02", "--only", "office is Norwick", "--lines"]
    table = run_almanac("billing", *words, "--print", "json", book=demo).json
    lines = [row for row in table["rows"] if row["kind"] == "line"]
    inside = [
        entry for entry in entries
        if entry.office == "Norwick" and entry.posted and date(2026, 5, 30) <= entry.posted <= date(2026, 6, 2)
    ]  # fmt: skip
    assert sorted(row["key"].removeprefix("LINE/") for row in lines) == sorted(entry.key for entry in inside)
    for row in lines:
        assert sum(row["cells"].get(kind) is not None for kind in FIGURES) == 1, "each stands under its own kind"
    assert ":" in lines[0]["cells"]["export"]
    kelsay = run_almanac("trace", "billing", "--by", "office", "--row", "Kelsay", "--column", "charges", "--print",
                         "json", book=demo)  # fmt: skip
    told = figures([each for each in entries if each.office == "Kelsay"], date(2026, 6, 1), TODAY, "posted", "posted")
    assert Decimal(kelsay.json["rows"][-1]["cells"]["charge"]) == told["charge"]
    assert kelsay.code == 0


def test_groups_may_be_parts_of_dates_and_are_traced(demo: Path, entries: list[Billed]) -> None:
    words = ["--quarter", "2026-Q2", "--by", "payer, month of posted", "--only", "office in Kelsay, Norwick"]
    ran = run_almanac("billing", *words, "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    rows = {row["key"]: row["cells"] for row in ran.json["rows"] if row["cells"]}
    picked = [entry for entry in entries if entry.office in ("Kelsay", "Norwick")]
    for month in (1, 2, 3):
        first = date(2026, month, 1)
        last = date(2026, month + 1, 1) - timedelta(1)
        for payer in ("Concession Fund", ""):
            expected = figures([each for each in picked if each.payer == payer], first, last, "posted", "posted")
            found = rows[f"{payer or 'payer-blank'}/2026-0{month}"]
            assert {key: Decimal(found[key]) for key in expected} == expected
    row = "Concession Fund/2026-02"
    traced = run_almanac("trace", "billing", *words, "--row", row, "--column", "net", "--print", "json", book=demo)
    assert traced.code == 0, traced.err
    assert traced.json["rows"][-1]["cells"]["net"] == rows[row]["net"]
    assert traced.json["proof"]["balances"] is True


@pytest.mark.parametrize("dated", ["served", "posted", "deposited"])
def test_growth_of_billing_goes_by_any_of_its_dates(demo: Path, entries: list[Billed], dated: str) -> None:
    words = ["growth", "billing", "--date", dated, "--of", "signed, count", "--each", "month", "--last", "4"]
    ran = run_almanac(*words, "--as-of", "2026-05-20", "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    rows = {row["key"]: row["cells"] for row in ran.json["rows"] if row["cells"]}
    for year, month in ((2026, 2), (2026, 3), (2026, 4), (2026, 5)):
        first = date(year, month, 1)
        last = min(date(year, month + 1, 1) - timedelta(1), date(2026, 5, 20))
        inside = [each for each in entries if (day := getattr(each, dated)) is not None and first <= day <= last]
        key = f"{year}-{month:02d}"
        assert Decimal(rows[f"signed/{key}"]["now"]) == sum((SIGNS[each.kind] * each.amount for each in inside), ZERO)
        assert Decimal(rows[f"count/{key}"]["now"]) == len(inside)
    assert any(part["rule"] == f"no {dated}" for part in ran.json["proof"]["left_out"])
    assert ran.json["proof"]["balances"] is True


@pytest.mark.parametrize("day", [TODAY, date(2025, 9, 30)])
def test_what_was_served_and_not_posted_by_a_day(demo: Path, entries: list[Billed], day: date) -> None:
    late = [
        entry for entry in entries
        if entry.kind == "charge" and entry.served and entry.served <= day and not (entry.posted and entry.posted <= day)
    ]  # fmt: skip
    ran = run_almanac("billing", "--unposted", "--as-of", str(day), "--by", "office", "--print", "json", book=demo)
    total = ran.json["rows"][-1]["cells"]
    assert (total["count"], Decimal(total["charge"])) == (len(late), sum((each.amount for each in late), ZERO))
    oldest = min(entry.served for entry in late if entry.served)
    assert (total["served"], total["waiting"]) == (oldest.isoformat(), (day - oldest).days)
    main = run_almanac("billing", "--as-of", str(day), "--print", "json", book=demo).json
    assert any(f"not posted by then: {len(late):,} charges" in note for note in main["notes"])
    assert "days ago; loaded" in run_almanac("billing", book=demo).out, "it says how old the data is"


LINES = [
    "B1,1,charge,2026-01-30,2026-02-01,,,K,1,P1,Fund,,100.00",
    "B1,2,payer-payment,,2026-02-10,2026-02-08,2026-03-01,K,1,P1,Fund,,80.00",
    "B1,3,adjustment,,2026-02-10,,,K,1,P1,Fund,agreed,-15.00",
    "B1,4,customer-payment,,2026-02-27,,2026-02-28,K,1,P1,,,5.00",
    "B2,1,charge,2026-02-20,,,,N,2,P2,,,40.00",
    "B3,1,charge,2026-02-02,2026-02-03,,,N,2,P2,,,7.50",
    "B3,2,customer-payment,,2026-01-31,,2026-02-02,N,2,P2,,,7.50",
]


@pytest.mark.parametrize(
    ("options", "expected"),
    [
        ([], {"charge": "107.50", "payer-payment": "80.00", "adjustment": "-15.00", "customer-payment": "5.00",
              "net": "7.50"}),
        (["--payments-by", "deposited"], {"charge": "107.50", "payer-payment": "0.00", "customer-payment": "12.50",
                                          "net": "80.00"}),
        (["--payments-by", "checked"], {"payer-payment": "80.00", "customer-payment": "0.00"}),
        (["--charges-by", "served"], {"charge": "47.50"}),
    ],
    ids=["posted", "deposited", "checked", "served"],
)  # fmt: skip
def test_a_small_book_worked_by_hand(tmp_path: Path, options: list[str], expected: dict[str, str]) -> None:
    book = sales_book(tmp_path, billing=LINES)
    assert book.load().code == 0
    ran = book.run("billing", "--period", "2026-P02", *options, "--print", "json")
    assert ran.code == 0, ran.err
    cells = ran.json["rows"][-1]["cells"]
    assert {key: cells[key] for key in expected} == expected
    notes = " ".join(ran.json["notes"])
    assert "Served by 28 Feb 2026 and not posted by then: 1 charge, 40.00" in notes
    if options[-1:] == ["deposited"]:
        checks = book.run("billing", "--period", "2026-P02", *options).out.replace("\n       ", " ")
        assert "payer payments by posted 80.00, less 1 in transit 80.00, and 0 that come in 0.00, are 0.00" in checks
        assert "In transit: B1/2 80.00, B3/2 7.50" in notes


@pytest.mark.parametrize(
    ("words", "code", "message"),
    [
        (["--from", "2026-01-01", "--through", "2026-02-10"], 2,
         "almanac: the range is longer than the book allows: 1 Jan–10 Feb 2026, 41 days; "
         "expected 31 days, as [billing] most_days"),
        (["--by", "offise"], 2, "almanac: --by: the table billing has no such field: 'offise'"),
        (["--unposted", "--in-transit"], 2, "almanac: --unposted and --in-transit: these are two lists; ask for one of them"),
        (["--payments-by", "cheque"], 2, "Error: Invalid value for '--payments-by': 'cheque' is not one of 'posted', "
         "'checked', 'deposited'."),
    ],
)  # fmt: skip
def test_what_cannot_be_asked_is_said_in_one_line(tmp_path: Path, words: list[str], code: int, message: str) -> None:
    book = sales_book(tmp_path, billing=LINES, more="[billing]\nmost_days = 31\n")
    assert book.load().code == 0
    ran = book.run("billing", *words)
    assert ran.code == code
    assert any(line.startswith(message) for line in ran.err.splitlines()), ran.err


@pytest.mark.parametrize(
    ("line", "message"),
    [
        (
            "B9,1,bill,2026-01-30,,,,K,1,P1,,,1.00",
            "billing.csv:2: kind: unknown kind: 'bill'; expected charge, payer-payment",
        ),
        ("B9,1,charge,30.01.2026,,,,K,1,P1,,,1.00", "billing.csv:2: served: "),
        ("B9,1,charge,2026-01-30,,,,K,1,P1,,,", "billing.csv:2: amount: is blank"),
    ],
)
def test_a_bad_line_of_billing_is_told_with_its_place(tmp_path: Path, line: str, message: str) -> None:
    ran = sales_book(tmp_path, billing=[line]).load()
    assert ran.code == 3
    assert message in ran.err, ran.err


def test_no_amount_of_a_report_is_a_binary_float(book: Book) -> None:
    table = billing(book, BillingRequest(by="office")).table
    cells: list[Any] = [cell for row in table.rows for cell in row.cells.values()]
    assert not any(isinstance(cell, float) for cell in cells)


SPANS = {
    "day": (date(2026, 6, 16), date(2026, 6, 16)),
    "day-last-year": (date(2025, 6, 16), date(2025, 6, 16)),
    "ptd": (date(2026, 6, 1), date(2026, 6, 16)),
    "ptd-last-year": (date(2025, 6, 1), date(2025, 6, 16)),
}


@pytest.mark.parametrize(("charges_by", "payments_by"), [("posted", "posted"), ("served", "deposited")])
def test_a_day_is_one_document_with_its_entries_behind_it(
    demo: Path, entries: list[Billed], charges_by: str, payments_by: str
) -> None:
    words = ("billing", "--day", "2026-06-16", "--charges-by", charges_by, "--payments-by", payments_by)
    found = run_almanac(*words, "--print", "json", book=demo).json
    rows = {row["key"]: row["cells"] for row in found["rows"]}
    for key, days in SPANS.items():
        told = figures(entries, *days, charges_by, payments_by)
        assert {kind: Decimal(rows[kind][key]) for kind in FIGURES} == {kind: told[kind] for kind in FIGURES}, key
        net = told["charge"] - told["payer-payment"] + told["adjustment"] - told["customer-payment"]
        assert Decimal(rows["net"][key]) == net
        inside = [each for each in entries if (on := each.on(charges_by, payments_by)) and days[0] <= on <= days[1]]
        assert rows["count"][key] == len(inside)
        traced = run_almanac("trace", *words, "--row", "adjustment", "--column", key, "--print", "json", book=demo).json
        assert Decimal(traced["rows"][-1]["cells"]["adjustment"] or 0) == told["adjustment"]
        assert traced["proof"]["balances"]
    day = SPANS["day"][0]
    for kind, sheet in zip(FIGURES, found["sheets"], strict=True):
        listed = {row["key"].removeprefix("LINE/"): row["cells"] for row in sheet["rows"] if row["kind"] == "line"}
        expected = {each.key: each for each in entries if each.kind == kind and each.on(charges_by, payments_by) == day}
        assert {*listed} == {*expected}
        for key, cells in listed.items():
            entry = expected[key]
            dates = (entry.served, entry.posted, entry.checked, entry.deposited)
            assert [cells[name] for name in ("served", "posted", "checked", "deposited")] == [
                each and each.isoformat() for each in dates
            ]
            assert abs(Decimal(cells[kind])) == abs(entry.amount)
        assert sheet["proof"]["balances"]
    assert found["proof"]["balances"]


def test_a_days_document_has_a_sheet_or_page_for_each_kind(demo: Path, tmp_path: Path) -> None:
    targets = [tmp_path / f"day.{ending}" for ending in ("xlsx", "pdf", "html", "md", "txt")]
    outputs = [word for path in targets for word in ("-o", str(path))]
    assert run_almanac("billing", "--day", "as-of", "--as-of", "2026-06-16", *outputs, book=demo).code == 0
    titles = ["Billing of 16 Jun 2026", *(f"{name}, 16 Jun 2026" for name in (
        "Charges", "Payer payments", "Adjustments", "Customer payments"))]  # fmt: skip
    book = load_workbook(targets[0])
    assert book.sheetnames == [*titles, "Proof"]
    # What is shown is what the sheet sums: payments stand above zero on theirs, and are taken off in the net.
    first = [[cell.value for cell in row] for row in book[titles[0]].iter_rows()]
    net = next(row for row in first if row[0] == "Net")
    assert net[1] == "=B9-B10+B11-B12"
    pages = [page.extract_text() for page in PdfReader(targets[1]).pages]
    assert [next(title for title in reversed(titles) if title in page) for page in pages] == titles
    for path in targets[2:]:
        text = path.read_text(encoding="utf-8")
        places = [text.index(title) for title in titles]
        assert places == sorted(places)
    refused = run_almanac("billing", "--day", "2026-06-16", "-o", str(tmp_path / "day.csv"), book=demo)
    assert (refused.code, "a .csv is of one table" in refused.err) == (2, True)
    assert not (tmp_path / "day.csv").exists()
