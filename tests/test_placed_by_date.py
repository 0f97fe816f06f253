"""`--date posted`: lines of the ledger by their posting date alone, whatever period they are booked in."""

from dataclasses import replace
from decimal import Decimal
from pathlib import Path

import pytest

from conftest import Almanac, MakeBook, SmallBook
from second_route import Line, fiscal, income, read, trial

# What is booked into another period than it is dated in, both ways, over a year's end, and in an extra period.
LINES = (
    "J1,1,2025-10-05,2026-P01,1000,100,,X", "J1,2,2025-10-05,2026-P01,4010,,100,X",
    "J2,1,2025-10-31,2026-P02,1000,30,,X", "J2,2,2025-10-31,2026-P02,4010,,30,X",
    "J3,1,2025-11-02,2026-P01,6000,7,,X", "J3,2,2025-11-02,2026-P01,1000,,7,X",
    "J4,1,2025-10-01,2025-P12,6000,5,,X", "J4,2,2025-10-01,2025-P12,1000,,5,X",
    "J5,1,2025-09-30,2025-P13,6000,2,,X", "J5,2,2025-09-30,2025-P13,1000,,2,X",
    "J6,1,2025-11-20,2026-P02,4010,,9,X", "J6,2,2025-11-20,2026-P02,1000,9,,X",
)  # fmt: skip


@pytest.fixture(scope="module")
def by_date(demo: Path) -> list[Line]:
    placed = []
    for line in read(demo):
        year, period = (line.year, line.period) if line.source == "CF" else fiscal(line.posted)
        day = line.day if line.source == "CF" else line.posted
        placed.append(replace(line, year=year, period=period, day=day))
    return placed


@pytest.mark.parametrize(("words", "year", "low"), [("--period 2025-P12", 2025, 12), ("--year 2025", 2025, 1)])
def test_a_trial_balance_by_date_equals_the_second_route(
    almanac: Almanac, demo: Path, by_date: list[Line], words: str, year: int, low: int
) -> None:
    ran = almanac("trial", *words.split(), "--date", "posted", "--print", "json", book=demo)
    expected, _ = trial(by_date, year, lambda line: line.period < low, lambda line: line.period >= low)
    told = {row["key"]: row["cells"] for row in ran.json["rows"] if row["kind"] == "line"}
    for account, line in expected.items():
        if account in told:
            cells = told[account]
            found = tuple(Decimal(cells[name]) for name in ("opening", "debit", "credit"))
            assert found == (line.opening, line.debit, line.credit), account
        else:
            assert not line.debit, account
            assert not line.credit, account
    other = almanac("trial", *words.split(), "--print", "json", book=demo)
    assert (other.json["rows"] != ran.json["rows"]) is (low == 12)


def test_a_statement_by_date_equals_the_second_route(almanac: Almanac, demo: Path, by_date: list[Line]) -> None:
    words = ("income", "--columns", "2025-P12; FY2025", "--date", "posted", "--print", "json")
    told = {row["key"]: row["cells"] for row in almanac("statement", *words, book=demo).json["rows"]}
    months = income(by_date, lambda line: (line.year, line.period) == (2025, 12))
    years = income(by_date, lambda line: line.year == 2025)
    shown = {key: cells for key, cells in told.items() if key in years}
    assert len(shown) > 20
    for account, cells in shown.items():
        assert (Decimal(cells["2025-p12"]), Decimal(cells["fy2025"])) == (months[account], years[account])


def dated_book(make_book: MakeBook) -> SmallBook:
    book = make_book(*LINES)
    assert book.load().code == 0
    return book


def test_what_stands_where_in_a_small_book(make_book: MakeBook) -> None:
    book = dated_book(make_book)
    by_period = {"2025-P12": "-5.00", "2026-P01": "93.00", "2026-P02": "39.00"}
    by_date = {"2025-P12": "-2.00", "2026-P01": "125.00", "2026-P02": "2.00"}
    for dated, expected in ((), by_period), (("--date", "posted"), by_date):
        words = ("income", "--columns", "; ".join(expected), *dated, "--print", "json")
        rows = book.run("statement", *words).json["rows"]
        assert {key: rows[-1]["cells"][key.lower()] for key in expected} == expected
    # A condition on the period asks for the one that is told, so that what lies elsewhere can be found.
    found = book.run(
        "trial", "--period", "2026-P01", "--date", "posted", "--only", "period is 2026-P02", "--print", "json"
    )
    assert [row["cells"]["debit"] for row in found.json["rows"] if row["key"] == "1000"] == ["30.00"]
    detail = book.run("detail", "1000", "--year", "2026", "--date", "posted", "--subtotals", "--print", "json").json[
        "rows"
    ]
    assert [row["label"] for row in detail if row["kind"] == "line" and "/" in row["label"]] == [
        "J4/2", "J1/1", "J2/1", "J3/2", "J6/2",
    ]  # fmt: skip
    assert [row["cells"]["balance"] for row in detail if "balance" in row["cells"]][-1] == "125.00"
    for report in (("trial", "--period", "2026-P01"), ("statement", "income", "--columns", "2026-P01")):
        column = "credit" if report[0] == "trial" else "2026-P01"
        traced = book.run("trace", *report, "--date", "posted", "--row", "4010", "--column", column, "--print", "json")
        assert {row["label"] for row in traced.json["rows"] if row["kind"] == "line"} == {"J1/2", "J2/2"}
        assert traced.json["proof"]["balances"]
    whole = book.run("trial", "--period", "2026-P01", "--date", "posted", "--with-lines", "--print", "json").json
    assert whole["proof"]["balances"]


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (("trial", "--period", "2025-P13"), "--period: the calendar has no such id: '2025-P13'"),
        (("trial", "--year", "2025", "--adjustments", "without"), "by posting date alone no line is in an adjustment period"),
        (("statement", "income", "--basis", "cash"), "--date: the cash basis goes by when documents are settled"),
    ],
)  # fmt: skip
def test_what_a_date_alone_cannot_be_asked(almanac: Almanac, demo: Path, words: tuple[str, ...], message: str) -> None:
    ran = almanac(*words, "--date", "posted", book=demo)
    assert (ran.code, message in ran.err) == (2, True), ran.err
