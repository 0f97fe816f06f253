"""Columns of the demo's statements: divided spans add up, balances balance, and every figure stands on a second route."""

import csv
from collections import defaultdict
from collections.abc import Iterable
from datetime import date
from decimal import Decimal
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest

import second_route
from conftest import Almanac, run_almanac
from level_almanac.core.book import Book
from level_almanac.core.reports.statement.report import StatementRequest, statement
from second_route import ZERO, Line, days, income, read

NUMBERS = ("line", "subtotal", "total")


@pytest.fixture(scope="module")
def lines(demo: Path) -> list[Line]:
    return read(demo)


def report(almanac: Almanac, book: Path, *words: str) -> dict[str, Any]:
    ran = almanac("statement", *words, "--print", "json", book=book)
    assert ran.code == 0, ran.err
    return ran.json


def amounts(table: dict[str, Any], key: str) -> dict[str, Decimal]:
    """Return one row's value cells by column."""
    row = next(row for row in table["rows"] if row["key"] == key)
    return {column: Decimal(cell) for column, cell in row["cells"].items() if cell is not None}


def keys(table: dict[str, Any]) -> list[str]:
    return [column["key"] for column in table["columns"]]


@pytest.mark.parametrize(
    ("when", "words", "whole"),
    [
        ("--year 2024", "each period; year", "year"),
        ("--as-of 2024-05-05", "each period; year", "year"),
        ("--year 2024", "each quarter; year", "year"),
        ("--year 2024", "each 2 periods; year", None),
        ("", "each period ytd; ytd", "ytd"),
        ("", "each month qtd; qtd", "qtd"),
        ("", "each day ptd; ptd", "ptd"),
        ("", "each department; ytd", "ytd"),
        ("", "each department ptd last year; ptd last year", "ptd-last-year"),
        ("", "each entity; ytd", "ytd"),
        ("--entity LINE", "each vessel ptd; ptd", "ptd"),
        ("", "each party ptd; ptd", "ptd"),
        ("", "each vessel.kind ytd last year; ytd last year", "ytd-last-year"),
        ("", "budget each period; budget year", "budget-year"),
        ("", "budget each department ptd; budget ptd", "budget-ptd"),
        ("", "budget each day period; budget period", "budget-period"),
        ("--entity LINE", "forecast each period; forecast year", "forecast-year"),
    ],
)
def test_parts_sum_across_to_the_whole(almanac: Almanac, demo: Path, when: str, words: str, whole: str | None) -> None:
    table = report(almanac, demo, "income", *when.split(), "--columns", words)
    assert table["proof"]["balances"] is True
    assert len(table["columns"]) > 2
    for row in table["rows"]:
        if row["kind"] in NUMBERS and whole:
            cells = {key: Decimal(cell) for key, cell in row["cells"].items() if cell is not None}
            total = cells.pop(whole)
            assert sum(cells.values()) == total, row["key"]


def test_each_period_of_a_closed_year_is_what_the_exports_say(almanac: Almanac, demo: Path, lines: list[Line]) -> None:
    table = report(almanac, demo, "income", "--year", "2024", "--columns", "each period; year")
    assert keys(table) == [*(f"2024-P{number:02d}" for number in range(1, 14)), "year"]
    for number in range(1, 14):
        moved = income(lines, lambda line, number=number: (line.year, line.period) == (2024, number))  # type: ignore[misc]  # a loop's variable, bound at once
        shown = {
            row["key"]: Decimal(row["cells"][f"2024-P{number:02d}"]) for row in table["rows"] if row["kind"] == "line"
        }
        assert {code: cell for code, cell in shown.items() if cell} == {
            code: cell for code, cell in moved.items() if cell
        }


def test_weeks_and_edge_days_are_the_year(almanac: Almanac, demo: Path, lines: list[Line]) -> None:
    words = ["--year", "2025", "--adjustments", "without", "--columns", "each week; year"]
    table = report(almanac, demo, "income", *words)
    weeks = [column for column in table["columns"] if column["key"] != "year"]
    assert weeks[0]["from"] == "2024-09-30", "the Monday of the week that holds 1 October"
    assert (len(weeks), weeks[-1]["through"]) == (52, "2025-09-28")
    before = days(date(2024, 9, 30), date(2024, 9, 30), extra=False)
    after = days(date(2025, 9, 29), date(2025, 9, 30), extra=False)
    result = amounts(table, "result")
    year = result.pop("year")

    def net(within: Any) -> Decimal:
        return -sum((-amount if code < "50" else amount for code, amount in income(lines, within).items()), ZERO)

    assert sum(result.values()) - net(before) + net(after) == year
    third = days(date(2024, 10, 14), date(2024, 10, 20), extra=False)
    assert result["2025-W03"] == net(third)


def test_a_row_is_divided_by_every_member_and_the_blank(almanac: Almanac, demo: Path) -> None:
    table = report(almanac, demo, "income", "--entity", "LINE", "--columns", "each vessel ptd")
    heads = {column["key"]: column["label"] for column in table["columns"]}
    assert list(heads)[-1] == "vessel-blank"
    assert heads["vessel-blank"] == "(no vessel)"
    assert heads["vessel=Tern"] == "Tern"


def balances(lines: Iterable[Line], day: date) -> dict[str, Decimal]:
    """Return the balance of each account at the end of a day, income and expense as two results."""
    year = day.year + (day.month > 9)
    found: dict[str, Decimal] = defaultdict(Decimal)
    for line in lines:
        base = line.source == "CF" and line.year == 2024
        if (line.source == "CF" and not base) or line.day > day:
            continue
        if line.is_income:
            found["earlier-results" if line.year < year else "result"] -= line.amount
        else:
            found[line.account] += line.amount if line.account < "20" else -line.amount
    return found


@pytest.mark.parametrize("year", ["2024", "2025", "2026"])
def test_the_balance_sheet_balances_at_every_day(almanac: Almanac, demo: Path, lines: list[Line], year: str) -> None:
    table = report(almanac, demo, "balance", "--year", year, "--columns", "each day year")
    assert table["proof"]["balances"] is True
    assets, other = amounts(table, "asset"), amounts(table, "liabilities-and-equity")
    assert len(assets) == {"2024": 366, "2025": 365, "2026": 260}[year], "there is no balance after the data ends"
    assert assets == other
    for day in ("02-29" if year == "2024" else "02-28", "06-17", *(["09-30"] if year != "2026" else [])):
        key = f"{year}-{day}"
        expected = balances(lines, date.fromisoformat(key))
        shown = {row["key"]: Decimal(row["cells"][key]) for row in table["rows"] if row["kind"] == "line"}
        assert {code: cell for code, cell in shown.items() if cell} == {c: cell for c, cell in expected.items() if cell}


def test_a_balance_sheet_has_its_own_columns(almanac: Almanac, demo: Path, lines: list[Line]) -> None:
    table = report(almanac, demo, "balance", "--as-of", "2026-03-15")
    assert [(column["label"], column["from"]) for column in table["columns"]] == [
        ("closing", "2026-03-15"), ("prior period end", "2026-02-28"), ("change", None), ("year's opening", "2025-09-30"),
        ("change", None),
    ]  # fmt: skip
    bank = amounts(table, "12310")
    days_before = [date(2026, 3, 15), date(2026, 2, 28), date(2025, 9, 30)]
    closing, prior, opening = (balances(lines, day)["12310"] for day in days_before)
    assert list(bank.values()) == [closing, prior, closing - prior, opening, closing - opening]


def test_balances_equal_the_trial_balance(almanac: Almanac, demo: Path) -> None:
    sheet = report(almanac, demo, "balance", "--period", "2026-P05", "--columns", "closing", "--signs", "stored")
    trial = almanac("trial", "--period", "2026-P05", "--after-closing", "--print", "json", book=demo).json
    closing = {row["key"]: Decimal(row["cells"]["closing"]) for row in trial["rows"] if row["key"] < "40"}
    shown = {row["key"]: Decimal(row["cells"]["closing"]) for row in sheet["rows"] if row["kind"] == "line"}
    assert {code: shown[code] for code in closing if code in shown} == {c: closing[c] for c in closing if c in shown}
    assert len(closing.keys() & shown.keys()) > 20


def test_shares_arithmetic_and_named_columns(almanac: Almanac, demo: Path) -> None:
    words = "now = ytd; then = ytd last year; grown = 100 * (now - then) / then; share of income in now; now - then"
    table = report(almanac, demo, "income", "--entity", "LINE", "--columns", words)
    income_row, freight = amounts(table, "income"), amounts(table, "402")
    assert freight["share-of-income-in-now"] == (freight["now"] * 100 / income_row["now"]).quantize(Decimal("1e-10"))
    assert freight["now-then"] == freight["now"] - freight["then"]
    assert round(freight["grown"], 6) == round(100 * (freight["now"] - freight["then"]) / freight["then"], 6)
    assert [column["type"] for column in table["columns"]] == ["amount", "amount", "number", "percent", "amount"]


def test_a_later_part_is_compared_with_the_one_before(almanac: Almanac, demo: Path) -> None:
    table = report(almanac, demo, "income", "--columns", "each year ytd; change; change %")
    result = amounts(table, "result")
    assert keys(table) == ["2024", "2025", "2026", "change", "change-pct"]
    assert result["change"] == result["2026"] - result["2025"]


def test_spans_of_days_weeks_and_names(almanac: Almanac, demo: Path, lines: list[Line]) -> None:
    words = "day; wtd; week prior; mtd last year; last 10 days; last 3 periods; last 2 periods prior; 2025-Q2; FY2025; 2026-W10; 2026-01-30 through end of last period"
    table = report(almanac, demo, "income", "--columns", words)
    expected = {
        "day": (date(2026, 6, 17), date(2026, 6, 17)),
        "wtd": (date(2026, 6, 15), date(2026, 6, 17)),
        "week-prior": (date(2026, 6, 8), date(2026, 6, 14)),
        "mtd-last-year": (date(2025, 6, 1), date(2025, 6, 17)),
        "last-10-days": (date(2026, 6, 8), date(2026, 6, 17)),
        "last-3-periods": (date(2026, 4, 1), date(2026, 6, 17)),
        "last-2-periods-prior": (date(2026, 3, 1), date(2026, 4, 17)),
        "2025-q2": (date(2025, 1, 1), date(2025, 3, 31)),
        "fy2025": (date(2024, 10, 1), date(2025, 9, 30)),
        "2026-w10": (date(2025, 12, 1), date(2025, 12, 7)),
        "2026-01-30-through-end-last-period": (date(2026, 1, 30), date(2026, 5, 31)),
    }
    result = amounts(table, "result")
    assert keys(table) == list(expected)
    for column in table["columns"]:
        first, last = expected[column["key"]]
        assert (column["from"], column["through"]) == (first.isoformat(), last.isoformat())
        moved = income(lines, days(first, last))
        assert result[column["key"]] == -sum((-a if code < "50" else a for code, a in moved.items()), ZERO), column[
            "key"
        ]


@pytest.mark.parametrize(
    ("when", "words", "first", "last", "extra"),
    [
        ("--as-of 2025-09-30", "last 12 periods", date(2024, 10, 1), date(2025, 9, 30), True),
        ("--as-of 2025-09-30", "last 1 period", date(2025, 9, 1), date(2025, 9, 30), False),
        ("--as-of 2025-11-30", "last 6 periods", date(2025, 6, 1), date(2025, 11, 30), True),
        ("--as-of 2025-11-30", "last 2 quarters", date(2025, 7, 1), date(2025, 11, 30), True),
        ("--as-of 2025-10-10", "last 30 days", date(2025, 9, 11), date(2025, 10, 10), False),
        ("--as-of 2025-10-01", "week", date(2025, 9, 29), date(2025, 10, 1), False),
        ("--as-of 2025-12-31", "week 13 back", date(2025, 9, 29), date(2025, 10, 5), False),
        ("--as-of 2025-12-31", "2025-09-15 through 2025-10-15", date(2025, 9, 15), date(2025, 10, 15), True),
    ],
)
def test_extra_periods_are_in_spans_longer_than_a_period(
    almanac: Almanac, demo: Path, lines: list[Line], when: str, words: str, first: date, last: date, extra: bool
) -> None:
    table = report(almanac, demo, "income", *when.split(), "--columns", words)
    (shown,) = amounts(table, "result").values()
    moved = income(lines, days(first, last, extra))
    assert shown == -sum((-a if code < "50" else a for code, a in moved.items()), ZERO)
    assert table["proof"]["balances"] is True


def test_a_cut_week_tells_what_its_rest_holds(almanac: Almanac, demo: Path, lines: list[Line]) -> None:
    table = report(almanac, demo, "income", "--as-of", "2025-10-07", "--columns", "wtd prior; last 2 weeks prior")
    rest = income(lines, days(date(2025, 10, 1), date(2025, 10, 5), extra=False))
    earned = sum((amount for code, amount in rest.items() if code < "50"), ZERO)
    # The week of 29 September is the year's W01, and its Tuesday the last day that is compared.
    assert table["notes"][0].startswith(f"2026-W01 holds a further {earned:,.2f} of income")
    assert table["notes"][0].endswith("after the cut, 1–5 Oct 2025")


def test_blocks_sum_to_the_whole(almanac: Almanac, demo: Path) -> None:
    table = report(almanac, demo, "income", "--by", "department", "--columns", "ptd; ytd", "--level", "1")
    rows = {row["key"]: row["cells"] for row in table["rows"]}
    members = [row["key"].removesuffix("/heading") for row in table["rows"] if row["kind"] == "group"]
    assert members[-1] == "all"
    assert len(members) > 3
    for name in ("ptd", "ytd"):
        parts = [Decimal(rows[f"{member}/result"][name]) for member in members[:-1]]
        assert sum(parts) == Decimal(rows["all/result"][name])
    assert "the blocks sum to the whole" in [check["words"] for check in table["proof"]["checks"]]


def test_a_fold_shows_one_branch_as_one_line(almanac: Almanac, demo: Path) -> None:
    whole = report(almanac, demo, "income", "--columns", "ytd")
    folded = report(almanac, demo, "income", "--columns", "ytd", "--fold", "60", "--fold", "direct-cost")
    shown = [row["key"] for row in folded["rows"]]
    assert {"60", "direct-cost"} <= set(shown)
    assert not {"601", "60110", "501", "direct-cost:heading"} & set(shown)
    assert {"611", "4011"} <= {key.removesuffix(":heading") for key in shown}
    for key in ("60", "direct-cost", "result"):
        assert amounts(folded, key) == amounts(whole, key)


def test_stored_signs_are_debit_positive(almanac: Almanac, demo: Path) -> None:
    natural, stored = (
        report(almanac, demo, "income", "--columns", "ytd; ytd last year; change", *words)
        for words in ([], ["--signs", "stored"])
    )
    for row, other in zip(natural["rows"], stored["rows"], strict=True):
        turn = -1 if row["key"] in ("income", "gross-result", "result") or row["key"] < "50" else 1
        assert {key: turn * Decimal(cell) for key, cell in row["cells"].items()} == {
            key: Decimal(cell) for key, cell in other["cells"].items()
        }
    assert stored["facts"]["signs"] == "debit positive"


def test_to_date_is_everything_so_far(almanac: Almanac, demo: Path, lines: list[Line]) -> None:
    table = report(almanac, demo, "income", "--columns", "to date; closing; opening")
    heads = [(column["from"], column["through"]) for column in table["columns"]]
    assert heads == [(None, "2026-06-17"), ("2025-10-01", "2026-06-17"), ("2025-09-30", "2025-09-30")]
    result = amounts(table, "result")
    for key, first in (("to-date", date(2023, 10, 1)), ("closing", date(2025, 10, 1))):
        moved = income(lines, days(first, date(2026, 6, 17)))
        assert result[key] == -sum((-a if code < "50" else a for code, a in moved.items()), ZERO)
    assert result["opening"] == 0


def test_a_span_before_the_ledger_says_so(almanac: Almanac, demo: Path) -> None:
    table = report(almanac, demo, "income", "--columns", "2019-P01; ytd")
    assert "The data begins on 1 Oct 2023: nothing is compared with what reaches back before it" in table["notes"]


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (["--columns", "bugdet ytd"], "--columns: no plan has this name: 'bugdet'; expected actual, budget or forecast; did you mean 'budget'?"),
        (["--columns", "ytd; share of incom"], "--columns: the statement shows no such row: 'incom'; expected the key or the label of a row; did you mean 'income'?"),
        (["--columns", "ytd; ytd prior; variance"], "--columns: a variance compares what was booked with a plan: two columns of what was booked; expected a column such as `budget ytd` beside it"),
        (["--columns", "each period; x = year; change of each-period over x"], "--columns: the name of one column is needed: 'each-period', which is 13 columns"),
        (["--columns", "each day year; each day year last year"], "--columns: too many columns: 730; expected 400 at the most"),
        (["--columns", "2025-W53"], "--columns: the calendar has no such id: '2025-W53'; expected 2025-W01 to W52"),
        (["--columns", "today through 2026-01-01"], "--columns: the range ends before it starts"),
        (["--fold", "expnse"], "--fold: no row has this key: 'expnse'; expected direct-cost, expense or income, or an account with others below it; did you mean 'expense'?"),
        (["--by", "vesel"], "--by: the ledger has no such field to tell lines apart by: 'vesel'"),
        (["--as-of", "end of lst period"], "--as-of: this cannot stand here: 'lst'"),
    ],
)  # fmt: skip
def test_what_cannot_be_shown(almanac: Almanac, demo: Path, words: list[str], told: str) -> None:
    ran = almanac("statement", "income", *words, book=demo)
    assert (ran.code, ran.out) == (2, "")
    assert ran.err.startswith(f"almanac: {told}")


def test_groups_of_weeks_hold_the_lines_of_their_days(demo: Path) -> None:
    ran = run_almanac(
        "statement",
        "income",
        "--entity",
        "LINE",
        "--columns",
        "each 2 weeks",
        "--year",
        "2025",
        "--print",
        "json",
        book=demo,
    )
    assert ran.code == 0, ran.err
    columns = ran.json["columns"]
    edges = [(date.fromisoformat(each["from"]), date.fromisoformat(each["through"])) for each in columns]
    assert edges[0][0].weekday() == 0
    assert all((after[0] - before[0]).days == 14 for before, after in pairwise(edges))
    assert all((last - first).days == 13 for first, last in edges)
    assert edges[-1][1] == date(2025, 9, 28), "the groups go on to the fiscal year's last week"
    lines = [line for line in second_route.read(demo) if line.entity == "LINE" and line.source not in ("CF", "CL")]
    rows = {row["key"]: row["cells"] for row in ran.json["rows"]}
    for account in ("40210", "61320"):
        sign = -1 if account.startswith("4") else 1
        for column, (first, last) in zip(columns, edges, strict=True):
            within = (
                each for each in lines if first <= each.day <= last and each.period != 13 and each.account == account
            )
            assert Decimal(rows[account][column["key"]] or 0) == sign * sum(
                (each.amount for each in within), Decimal(0)
            )
    assert "The 2 weeks from 30 Sep 2024 reach 13 days into 2025" in ran.json["notes"]


@pytest.mark.parametrize(
    ("words", "pairs"),
    [
        # A change is the later less the earlier, whichever stands first, of what was booked.
        ("ytd last year; ytd; change", {"change": ("ytd", "ytd-last-year")}),
        ("ytd; ytd last year; change", {"change": ("ytd", "ytd-last-year")}),
        ("ptd 2 back; ptd prior; change", {"change": ("ptd-prior", "ptd-2-back")}),
        ("2025-Q1; 2026-Q1; change", {"change": ("2026-q1", "2025-q1")}),
        ("ptd; ptd last year; budget ptd; change", {"change": ("ptd", "ptd-last-year")}),
        ("budget ytd; ytd; ytd last year; change", {"change": ("ytd", "ytd-last-year")}),
        ("each year ytd; change", {"change": ("2026", "2025")}),
        ("now = ytd; ytd prior; change of ytd-prior over now", {"change-of-ytd-prior-over-now": ("ytd-prior", "now")}),
        ("each quarter; each quarter last year; change", {f"change-2026-Q{n}": (f"2026-Q{n}", f"2025-Q{n}") for n in (1, 2, 3)}),
        # A variance is of the nearest plan and what was booked of the same span.
        ("ptd; ptd last year; change %; budget ptd; variance", {"variance": ("ptd", "budget-ptd")}),
        ("ytd; ptd; budget ytd; variance", {"variance": ("ytd", "budget-ytd")}),
        ("budget ptd last year; ptd; ptd last year; variance", {"variance": ("ptd-last-year", "budget-ptd-last-year")}),
        ("mtd; budget ptd; variance", {"variance": ("mtd", "budget-ptd")}),
        ("each quarter; budget each quarter; variance", {f"variance-2026-Q{n}": (f"2026-Q{n}", f"budget-2026-Q{n}") for n in (1, 2, 3)}),
        ("each department; budget each department; variance",
         {f"variance-{name}": (f"department={name}", f"budget-department={name}") for name in ("OFF", "SEA", "SLIP", "TERM")}),
        ("ytd; ytd last year; budget ytd; ytd - ytd-last-year", {"ytd-ytd-last-year": ("ytd", "ytd-last-year")}),
    ],
)  # fmt: skip
def test_what_is_compared_with_what(demo: Path, words: str, pairs: dict[str, tuple[str, str]]) -> None:
    ran = run_almanac("statement", "income", "--level", "1", "--columns", words, "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    for key, (of, over) in pairs.items():
        for name in ("income", "result"):
            cells = next(row["cells"] for row in ran.json["rows"] if row["key"] == name)
            assert Decimal(cells[key]) == Decimal(cells[of]) - Decimal(cells[over]), (key, name)
        spent = next(row["cells"] for row in ran.json["rows"] if row["key"] == "expense")
        sign = -1 if key.startswith("variance") else 1
        assert Decimal(spent[key]) == sign * (Decimal(spent[of]) - Decimal(spent[over])), key


@pytest.mark.parametrize(
    ("words", "told"),
    [
        ("ytd; budget ytd; change", "a change compares two columns of what was booked: change; expected `variance`, or `change of ytd over budget-ytd`"),
        ("ptd; budget ytd; variance", "nothing that was booked is of the plan's span: variance after budget-ytd; expected `ytd` to the left of it or `variance of ptd over budget-ytd`"),
        ("ytd; budget ytd; forecast ytd; variance of budget-ytd over forecast-ytd", "a variance compares what was booked with a plan: two plans; expected one of each"),
        ("ytd; ytd last year; variance", "a variance compares what was booked with a plan: two columns of what was booked"),
        ("each quarter; budget each department; variance", "nothing that was booked is of the plan's span"),
        ("each department; change", "a change compares spans: two members of department; expected a span moved, such as `each department ptd; each department ptd last year`"),
    ],
)  # fmt: skip
def test_what_does_not_belong_together(demo: Path, words: str, told: str) -> None:
    ran = run_almanac("statement", "income", "--columns", words, book=demo)
    assert (ran.code, ran.out) == (2, "")
    assert ran.err.startswith(f"almanac: --columns: {told}")


def test_a_head_says_what_is_taken_from_what(demo: Path) -> None:
    book = Book.open(demo)

    def head(words: str) -> str:
        return statement(book, StatementRequest(columns=words)).table.columns[-1].covers

    assert head("ytd; ytd last year; change") == ""
    assert head("ytd last year; ytd; change") == "year to date less last year"
    assert head("ytd; budget ytd; variance") == ""
    assert head("ptd; ptd last year; budget ptd; variance") == "period to date against budget"
    assert head("ptd; ytd; change") == "period to date less year to date"
    unlike = run_almanac("statement", "income", "--columns", "each period; change %", book=demo).out
    assert "2026-P09, 1–17 Jun 2026, is set beside 2026-P08, 1–31 May 2026: 17 days and 31" in " ".join(unlike.split())
    sums = run_almanac("statement", "income", "--columns", "ytd; ptd; (ytd - ptd) / 8", book=demo).out
    assert "(ytd - ptd) / 8" in sums


def test_parts_that_do_not_come_to_the_whole_say_by_what(demo: Path, lines: list[Line]) -> None:
    def notes(*words: str) -> list[str]:
        ran = run_almanac("statement", "income", *words, "--print", "json", book=demo)
        assert ran.code == 0, ran.err
        return [note for note in ran.json["notes"] if "less the parts of" in note]

    moved = income(lines, lambda line: (line.year, line.period) == (2025, 13))
    earned = sum((amount for code, amount in moved.items() if code < "50"), ZERO)
    result = earned - sum((amount for code, amount in moved.items() if code >= "50"), ZERO)
    shown = f"{result:,.2f}".replace("-", "−")
    assert notes("--year", "2025", "--columns", "each month; year") == [
        f"year less the parts of each month is {earned:,.2f} of income and {shown} of result, as adjustment periods have no days of their own"
    ]
    assert notes("--year", "2025", "--columns", "each period; year") == []
    assert notes("--year", "2025", "--columns", "each quarter; ytd last year") == []
    (weeks,) = notes("--as-of", "2026-04-30", "--columns", "each week ptd; ptd")
    assert weeks.startswith("period to date less the parts of each week ptd is ")
    assert weeks.endswith("as whole weeks do not begin and end with it")


@pytest.mark.parametrize("when", ["", "--period 2026-P08", "--year 2025"])
def test_columns_under_one_head_are_the_statement_of_that_member_alone(demo: Path, almanac: Almanac, when: str) -> None:
    words = "now = ytd; budget ytd; variance; variance %; then = ytd last year; change; share of result in now; less = now - then"
    asked = ["income", "--entity", "LINE", *when.split()]
    grouped = report(almanac, demo, *asked, "--columns", f"each department ({words}); now = ytd")
    heads = list(dict.fromkeys(column.get("group", "") for column in grouped["columns"]))
    assert heads in (["OFF", "SEA", "TERM", ""], ["OFF", "SEA", "TERM", "(no department)", ""])
    rows = {row["key"]: row["cells"] for row in grouped["rows"]}
    for member in heads[:3]:
        alone = report(almanac, demo, *asked, "--only", f"department is {member}", "--columns", words)
        kept = [column["key"] for column in alone["columns"]]
        for row in alone["rows"]:
            own = {key: rows[row["key"]].get(f"department={member}:{key}") for key in kept}
            assert own == {key: row["cells"].get(key) for key in kept} or not row["cells"]
    row = rows["result"]
    every = [key for key in row if key.startswith("department") and key.endswith(":now")]
    assert len(every) == len(heads) - 1
    assert sum(Decimal(row[key]) for key in every) == Decimal(row["now"])
    # The largest by the first column, whichever its sign, and all other as one.
    few = report(almanac, demo, *asked, "--columns", f"each department top 1 ({words})")
    named = [key for key in every if "blank" not in key]
    sizes = {key: abs(Decimal(row[key])) for key in named}
    largest = max(sizes, key=lambda key: sizes[key])
    cells = next(each["cells"] for each in few["rows"] if each["key"] == "result")
    assert cells[largest] == row[largest]
    others = sum(Decimal(row[key]) for key in named if key != largest)
    assert Decimal(cells["department-other:now"]) == others
    trace = almanac("trace", "statement", *asked, "--columns", f"each department top 1 ({words})", "--row", "result",
                    "--column", "department-other:now", "--print", "json", book=demo)  # fmt: skip
    assert trace.code == 0, trace.err
    assert trace.json["proof"]["balances"] is True


@pytest.mark.parametrize("words", ["ytd", "year last year"])
def test_members_may_be_what_a_code_leads_to(demo: Path, almanac: Almanac, words: str) -> None:
    with (demo / "exports" / "vessels.csv").open(encoding="utf-8", newline="") as stream:
        kinds = {row["Vessel"]: row["Kind"] for row in csv.DictReader(stream)}
    single = report(almanac, demo, "income", "--columns", f"each vessel {words}")
    folded = report(almanac, demo, "income", "--columns", f"each vessel.kind {words}")
    heads = {column["key"]: column["label"] for column in single["columns"]}
    told = {column["key"]: column["label"] for column in folded["columns"]}
    assert len(told) < len(heads)
    for one, many in zip(single["rows"], folded["rows"], strict=True):
        expected: dict[str, Decimal] = {}
        for key, cell in one["cells"].items():
            kind = kinds.get(heads[key].split()[0].removeprefix("(no"), "(no vessel.kind)")
            expected[kind] = expected.get(kind, ZERO) + Decimal(cell or 0)
        assert {
            told[key].removesuffix(f" {words}"): Decimal(cell or 0) for key, cell in many["cells"].items()
        } == expected
    if words == "ytd":
        asked = [
            "trace",
            "statement",
            "income",
            "--columns",
            f"each vessel.kind {words}",
            "--row",
            "40",
            "--print",
            "json",
        ]
        for column in ("vessel.kind=night ferry", "vessel.kind-blank"):
            traced = almanac(*asked, "--column", column, "--down-to", "account", book=demo).json
            cells = next(row["cells"] for row in folded["rows"] if row["key"] == "40")
            assert traced["proof"]["balances"] is True
            assert Decimal(cells[column]) == -Decimal(traced["proof"]["shown"]["amount"])
