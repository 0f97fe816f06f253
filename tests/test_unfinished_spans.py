"""Spans that are not finished end where the data ends, and nothing that is booked later counts as of a day."""

from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

import second_route
from conftest import MakeBook, run_almanac
from second_sales import sales

END = date(2026, 6, 17)
"""The demo's exports are complete through this day."""


def json_of(book: Path, *words: str) -> Any:
    ran = run_almanac(*words, "--print", "json", book=book)
    assert ran.code in (0, 1), ran.err
    return ran.json


@pytest.mark.parametrize(
    ("named", "same"),
    [
        ("rank sales --by route --period 2026-P09", "rank sales --by route --span ptd"),
        ("rank sales --by route --span 2026-Q3", "rank sales --by route --span qtd"),
        ("rank sales --by route --span year", "rank sales --by route --span ytd"),
        ("rank sales --by route --span 2026-W38", "rank sales --by route --span wtd"),
        ("growth sales --year 2026 --each period", "growth sales --each period"),
        ("pace ledger --entity LINE --by department --period 2026-P09",
         "pace ledger --entity LINE --by department --span period"),
        ("documents receivable --overdue --year 2026",
         "documents receivable --overdue --from 2025-10-01 --through 2026-06-17"),
        ("aging receivable --year 2026", "aging receivable"),
        ("parties payable --quarter 2026-Q3", "parties payable --from 2026-04-01 --through 2026-06-17"),
        ("billing --year 2026 --by office", "billing --from 2025-10-01 --through 2026-06-17 --by office"),
        ("list ledger --by account --period 2026-P09", "list ledger --by account --from 2026-06-01 --through 2026-06-17"),
        ("list sales --by item --year 2026", "list sales --by item --from 2025-10-01 --through 2026-06-17"),
        ("trial --period 2026-P09", "trial --from 2026-06-01 --through 2026-06-17"),
        ("detail 61320 --quarter 2026-Q3", "detail 61320 --from 2026-04-01 --through 2026-06-17"),
        ("statement income --year 2026", "statement income"),
    ],
)  # fmt: skip
def test_what_is_named_and_not_finished_ends_where_the_data_ends(demo: Path, named: str, same: str) -> None:
    table = json_of(demo, *named.split())
    assert table["rows"]
    assert table["rows"] == json_of(demo, *same.split())["rows"]
    if "--span" not in named:
        assert "the data ends here" in run_almanac(*named.split(), book=demo).out


def test_an_unfinished_period_is_compared_on_the_same_days(demo: Path) -> None:
    sold = sales(demo)
    now, then = (
        sum((each.amount for each in sold if first <= each.day <= last), Decimal(0))
        for first, last in ((date(2026, 6, 1), END), (date(2025, 6, 1), date(2025, 6, 17)))
    )
    total = json_of(demo, "rank", "sales", "--by", "route", "--period", "2026-P09")["rows"][-1]["cells"]
    assert (Decimal(total["amount"]), Decimal(total["amount-last-year"])) == (now, then)
    assert round(Decimal(total["amount-change-pct"]), 1) == round(100 * (now - then) / then, 1) == Decimal("-1.1")


AFTER = [
    "rank sales --by route --period 2026-P10", "rank sales --by route --span 2026-P10", "pace sales --quarter 2026-Q4",
    "growth sales --year 2027", "documents payable --period 2026-P10", "aging payable --period 2026-P10",
    "parties payable --year 2027", "billing --period 2026-P12", "list sales --period 2026-P10",
    "list ledger --period 2026-P13", "trial --period 2026-P10", "detail 61320 --quarter 2026-Q4",
    "statement income --period 2026-P10", "page run month-end/8-sales --period 2026-P10",
    "edition issue later --period 2026-P10 --pages month-end/8-sales",
]  # fmt: skip


@pytest.mark.parametrize("words", AFTER)
def test_a_span_after_the_data_names_the_last_day(demo: Path, words: str) -> None:
    ran = run_almanac(*words.split(), book=demo)
    assert (ran.code, ran.out) == (2, "")
    assert "nothing is there of this yet" in ran.err
    assert "17 Jun 2026" in ran.err
    assert not (demo / "editions/later").exists()


@pytest.mark.parametrize(
    "words",
    ["rank sales --by route", "growth sales", "pace sales", "documents payable", "aging payable", "parties payable",
     "billing", "list sales --year 2026", "trial", "detail 61320", "statement income", "check"],
)  # fmt: skip
def test_a_day_past_the_data_that_is_asked_for_is_told(demo: Path, words: str) -> None:
    notes = json_of(demo, *words.split(), "--as-of", "2026-07-31")["notes"]
    assert any("The data ends on 17 Jun 2026, before 31 Jul 2026" in note for note in notes)
    assert not any("The data ends" in note for note in json_of(demo, *words.split())["notes"])


def test_a_day_stands_within_what_is_named(demo: Path) -> None:
    within = json_of(demo, "rank", "sales", "--by", "route", "--period", "2026-P06", "--as-of", "2026-03-12")
    assert (
        within["rows"]
        == json_of(demo, "rank", "sales", "--by", "route", "--span", "ptd", "--as-of", "2026-03-12")["rows"]
    )
    ran = run_almanac("rank", "sales", "--by", "route", "--period", "2026-P06", "--as-of", "2026-04-12", book=demo)
    assert ran.code == 2
    assert (
        "--as-of: the day lies outside what is named: 2026-04-12 beside --period 2026-P06; expected 1–31 Mar 2026"
        in ran.err
    )


def test_dates_that_look_ahead_keep_what_is_named(demo: Path) -> None:
    due = json_of(demo, "documents", "payable", "--date", "due", "--period", "2026-P10")
    days = {row["cells"]["due"] for row in due["rows"] if row["kind"] == "line"}
    assert len(days) > 5
    assert all("2026-07-01" <= day <= "2026-07-31" for day in days)
    plan = json_of(demo, "list", "budget", "--year", "2026", "--by", "period")
    assert len([row for row in plan["rows"] if row["kind"] == "line"]) == 12


def test_a_page_of_a_period_made_for_a_day_stays_one(demo: Path) -> None:
    page = demo / "pages/kept-period.toml"
    page.write_text('report = "rank sales"\n[options]\nby = "route"\nperiod = "2025-P01"\n')
    try:
        ran = json_of(demo, "page", "run", "kept-period", "--as-of", "2026-03-12")
    finally:
        page.unlink()
    same = json_of(demo, "rank", "sales", "--by", "route", "--period", "2026-P06", "--as-of", "2026-03-12")
    assert ran["rows"] == same["rows"]


def test_as_of_a_day_nothing_that_is_booked_later_counts(demo: Path) -> None:
    words = "year; quarter; each period; each quarter; rest of year; budget year; budget rest of year; 2026-P09; year last year"
    table = json_of(demo, "statement", "income", "--period", "2026-P08", "--columns", words)
    lines = [line for line in second_route.read(demo) if line.is_income and line.source not in ("CF", "CL")]

    def moved(first: date, last: date) -> Decimal:
        # June's lines are there, and stand in no column told relative to May's end.
        return -sum((each.amount for each in lines if first <= each.day <= last), Decimal(0))

    result = next(row["cells"] for row in table["rows"] if row["key"] == "result")
    start, may = date(2025, 10, 1), date(2026, 5, 31)
    assert moved(date(2026, 6, 1), END)
    assert Decimal(result["year"]) == moved(start, may)
    assert Decimal(result["quarter"]) == Decimal(result["2026-Q3"]) == moved(date(2026, 4, 1), may)
    assert Decimal(result["2026-P08"]) == moved(date(2026, 5, 1), may)
    assert [result[key] for key in ("2026-P09", "2026-P12", "2026-Q4", "rest-year")] == [None] * 4
    assert Decimal(result["2026-p09"]) == moved(date(2026, 6, 1), END), "a name holds what it names"
    assert Decimal(result["year-last-year"]) == moved(date(2024, 10, 1), date(2025, 9, 30))
    heads = {column["key"]: column for column in table["columns"]}
    assert heads["year"]["through"] == "2026-05-31"
    assert heads["budget-year"]["through"] == "2026-09-30", "plans are not cut"
    assert result["budget-rest-year"] is not None


def test_without_a_told_day_the_newest_line_is_where_the_data_ends(make_book: MakeBook) -> None:
    book = make_book(
        "J1,1,2026-02-03,,1000,10.00,,", "J1,2,2026-02-03,,4010,,10.00,",
        "J2,1,2025-02-20,,1000,7.00,,", "J2,2,2025-02-20,,4010,,7.00,",
        "J3,1,2025-02-02,,1000,2.00,,", "J3,2,2025-02-02,,4010,,2.00,",
    )  # fmt: skip
    assert book.load().code == 0
    words = ("rank", "ledger", "--only", "account.class is income", "--by", "account", "--period")
    total = book.run(*words, "2026-P05", "--print", "json").json["rows"][-1]["cells"]
    assert (total["natural"], total["natural-last-year"]) == ("10.00", "2.00"), "on the same three days"
    ran = book.run(*words, "2026-P06")
    assert ran.code == 2
    assert "--period: nothing is there of this yet: 2026-P06, 1–31 Mar 2026; the data ends on 3 Feb 2026" in ran.err
    whole = book.run(*words, "2026-P05", "--as-of", "2026-02-28", "--print", "json").json["rows"][-1]["cells"]
    assert (whole["natural"], whole["natural-last-year"]) == ("10.00", "9.00")
    toml = book.root / "almanac.toml"
    toml.write_text(toml.read_text().replace("[calendar]\n", '[calendar]\nclosed_through = "2026-P05"\n'))
    assert book.load().code == 0
    closed = book.run(*words, "2026-P05", "--print", "json").json["rows"][-1]["cells"]
    assert (closed["natural"], closed["natural-last-year"]) == ("10.00", "9.00"), "of a closed period all is there"


def test_the_beginning_of_the_data_is_an_edge_too(demo: Path) -> None:
    columns = "year; year last year; change; change %; budget year"
    table = json_of(demo, "statement", "income", "--year", "2024", "--columns", columns)
    for row in table["rows"]:
        if row["cells"]:
            shown = [row["cells"][key] for key in ("year-last-year", "change", "change-pct")]
            assert shown == [None] * 3, "nothing is new, and no year before it is 0.00"
    note = "The data begins on 1 Oct 2023: nothing is compared with what reaches back before it"
    assert table["notes"].count(note) == 1
    weeks = json_of(demo, "growth", "sales", "--each", "week", "--as-of", "2023-10-15", "--last", "3")
    rows = {row["key"]: row["cells"] for row in weeks["rows"] if row["cells"]}
    assert rows["2024-W01"]["days"] == "25 Sep–1 Oct 2023, 1/7 days, data begins 1 Oct 2023"
    assert [rows[key].get("before-change-pct") for key in ("2024-W01", "2024-W02")] == [None, None]
    sold = sales(demo)
    first, second = (
        sum((each.amount for each in sold if low <= each.day <= high), Decimal(0))
        for low, high in ((date(2023, 10, 2), date(2023, 10, 8)), (date(2023, 10, 9), date(2023, 10, 15)))
    )
    assert Decimal(rows["2024-W03"]["before-change"]) == second - first
    ranked = json_of(demo, "rank", "sales", "--by", "route", "--year", "2024")
    assert not any("new" in row["cells"].values() for row in ranked["rows"])
    assert (
        note
        in json_of(demo, "rank", "sales", "--by", "route", "--from", "2023-09-25", "--through", "2023-10-08")["notes"]
    )
    sheet = json_of(demo, "statement", "balance", "--year", "2024", "--columns", "closing; closing last year; opening")
    total = next(row["cells"] for row in sheet["rows"] if row["key"] == "asset")
    assert (total["closing-last-year"], total["opening"] is None) == (None, False), "the base is the opening"


def test_days_on_which_nothing_would_be_booked_are_no_gap(make_book: MakeBook) -> None:
    # 1 October 2023 is a Sunday: the first line stands on the first working day of the year.
    book = make_book(
        "J1,1,2023-10-02,,1000,8.00,,", "J1,2,2023-10-02,,4010,,8.00,",
        "J2,1,2024-10-02,,1000,9.00,,", "J2,2,2024-10-02,,4010,,9.00,",
    )  # fmt: skip
    assert book.load("--through", "2024-10-31").code == 0
    cells = book.run("statement", "income", "--columns", "ptd; ptd last year; change", "--print", "json").json["rows"][
        -1
    ]["cells"]
    assert cells == {"ptd": "9.00", "ptd-last-year": "8.00", "change": "1.00"}
    later = make_book(
        "J1,1,2023-10-04,,1000,8.00,,", "J1,2,2023-10-04,,4010,,8.00,",
        "J2,1,2024-10-02,,1000,9.00,,", "J2,2,2024-10-02,,4010,,9.00,",
    )  # fmt: skip
    assert later.load("--through", "2024-10-31").code == 0
    ran = later.run("statement", "income", "--columns", "ptd; ptd last year; change; change %", "--print", "json")
    cells = ran.json["rows"][-1]["cells"]
    assert cells == {"ptd": "9.00", "ptd-last-year": "8.00", "change": None, "change-pct": None}
    assert "28/31 days, data begins 4 Oct 2023" in " ".join(
        later.run("statement", "income", "--columns", "ptd last year").out.split()
    )
