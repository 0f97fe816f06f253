"""Growth: against plain loops over the exports, over years' edges, and with what a calendar lacks."""

import csv
import shlex
import shutil
from datetime import date, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import examples, run_almanac
from level_almanac.core.book import Book
from level_almanac.core.measures.table_measures import MeasuredRequest
from level_almanac.core.reports.growth.figures import Growing, GrowthRequest
from level_almanac.core.reports.growth.report import growth, growth_table
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest
from second_route import fiscal, period_edges, read
from second_sales import Sold, sales, summed, year_before
from small_sales import sales_book

TODAY = date(2026, 6, 17)
ZERO = Decimal(0)


@pytest.fixture(scope="module")
def book(demo: Path) -> Book:
    return Book.open(demo)


def rows_of(table: dict[str, Any]) -> dict[str, dict[str, Any]]:
    return {row["key"]: row["cells"] for row in table["rows"] if row["cells"]}


def amount(lines: list[Sold], first: date, last: date) -> Decimal:
    return sum((line.amount for line in lines if first <= line.day <= last), ZERO)


def test_each_period_is_that_of_the_exports(demo: Path) -> None:
    ran = run_almanac("growth", "sales", "--each", "period", "--last", "40", "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    rows, lines = rows_of(ran.json), sales(demo)
    keys = [key for key in rows if "-P" in key]
    assert (keys[0], keys[-1], len(keys)) == ("2024-P01", "2026-P09", 33)
    for key in keys:
        year, period = int(key[:4]), int(key[-2:])
        first, last = period_edges(year, period)
        end = min(last, TODAY)
        before_first, before_last = period_edges(*((year, period - 1) if period > 1 else (year - 1, 12)))
        cut = before_last if end == last else min(before_first + (end - first), before_last)
        assert Decimal(rows[key]["now"]) == amount(lines, first, end)
        if key != "2024-P01":
            assert Decimal(rows[key]["before"]) == amount(lines, before_first, cut)
        if year > 2024:
            now, then = amount(lines, first, end), amount(lines, year_before(first), year_before(end))
            assert Decimal(rows[key]["last-year"]) == then
            assert abs(Decimal(rows[key]["last-year-change-pct"]) - (now - then) * 100 / then) < Decimal("1e-8")
    for key, first in (("ytd", date(2025, 10, 1)), ("qtd", date(2026, 4, 1)), ("ptd", date(2026, 6, 1))):
        assert Decimal(rows[key]["now"]) == amount(lines, first, TODAY)
        assert Decimal(rows[key]["last-year"]) == amount(lines, year_before(first), year_before(TODAY))


def test_the_margin_is_made_of_totals_and_changes_in_points(demo: Path) -> None:
    ran = run_almanac(
        "growth", "sales", "--of", "margin %", "--only", "item.range in Shop, Galley", "--each", "quarter",
        "--last", "6", "--print", "json", book=demo,
    )  # fmt: skip
    lines = [line for line in sales(demo) if line.range in ("Shop", "Galley")]

    def margin(quarter: str) -> Decimal:
        year, number = int(quarter[:4]), int(quarter[-1])
        first, last = period_edges(year, 3 * number - 2)[0], period_edges(year, 3 * number)[1]
        inside = [line for line in lines if first <= line.day <= min(last, TODAY)]
        total = sum((line.amount for line in inside), ZERO)
        return (total - sum((line.cost or ZERO for line in inside), ZERO)) * 100 / total

    rows = rows_of(ran.json)
    for quarter in ("2025-Q2", "2025-Q4", "2026-Q2"):
        assert abs(Decimal(rows[quarter]["now"]) - margin(quarter)) < Decimal("1e-8")
    found = rows["2026-Q2"]
    assert abs(Decimal(found["before-change"]) - (margin("2026-Q2") - margin("2026-Q1"))) < Decimal("1e-8")
    assert found["before-change-pct"] is None
    text = run_almanac("growth", "sales", "--of", "margin %", "--each", "quarter", "--last", "1", book=demo).out
    assert " %" in text
    assert " pt" in text
    assert "lines have no cost; margin takes it as zero for them" in text


@examples(8)
@given(
    year=st.sampled_from(["2024", "2025"]),
    only=st.sampled_from(["account.class is income", "account begins 61", "department is SEA", "vessel is blank"]),
    adjustments=st.sampled_from(["with", "without"]),
)
def test_quarters_and_periods_add_up_to_the_year(book: Book, year: str, only: str, adjustments: Any) -> None:
    of = MeasuredRequest(
        table="ledger", conditions=Conditions((only,)), when=AsOfRequest(year=year, adjustments=adjustments)
    )
    made = Growing(book, GrowthRequest(of=of, each=("year", "quarter", "period"), last=20))
    rows = {row.key: row.cells for row in growth_table(made).rows}
    whole = rows[year]["now"]
    for parts in (f"{year}-Q", f"{year}-P"):
        values: list[Any] = [cells["now"] for key, cells in rows.items() if key.startswith(parts)]
        assert sum(values) == whole
    assert (f"{year}-P13" in rows) is (adjustments == "with")
    assert rows["ytd"]["now"] == whole


def test_the_ledger_has_natural_signs_and_no_closing_lines(demo: Path) -> None:
    ran = run_almanac("growth", "ledger", "--only", "account.class is income", "--each", "year", "--print", "json",
                      book=demo)  # fmt: skip
    lines = [line for line in read(demo) if "40" <= line.account < "50" and line.source not in ("CF", "CL")]
    rows = rows_of(ran.json)
    for year in (2024, 2025):
        assert Decimal(rows[str(year)]["now"]) == -sum((line.amount for line in lines if line.year == year), ZERO)
    day = date(2025, 6, 17)
    before = [
        line for line in lines if line.year == 2025 and (line.period < 9 or (line.period == 9 and line.day <= day))
    ]
    assert Decimal(rows["2026"]["last-year"]) == -sum((line.amount for line in before), ZERO)


def test_a_measure_per_unit_of_another_table(demo: Path) -> None:
    per = "fuel = natural of ledger if account begins 501"
    ran = run_almanac("growth", "sales", "--by", "vessel", "--each", "year", "--per", per, "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    rows = rows_of(ran.json)
    # The second route's lines tell no vessel, so that it is asked of all of them together.
    spent = sum((line.amount for line in read(demo) if line.account.startswith("501") and line.year == 2025
                 and line.source not in ("CF", "CL")), ZERO)  # fmt: skip
    taken = sum((line.amount for line in sales(demo) if fiscal(line.day)[0] == 2025), ZERO)
    assert Decimal(rows["all/fuel/2025"]["now"]) == spent
    assert abs(Decimal(rows["all/amount-per-fuel/2025"]["now"]) - taken / spent) < Decimal("1e-8")
    members = [Decimal(rows[f"{name}/fuel/2025"]["now"]) for name in ("Brae", "Corran", "Merlin", "Tern")]
    assert sum(members) < spent, "shore power is of no vessel"
    assert len(ran.json["proof"]["further"]) == 1
    narrowed = run_almanac(
        "growth", "sales", "--per", per, "--only", "vessel is Tern", "--only", "item is CAR", book=demo
    )
    assert "fuel is not narrowed by item is CAR: ledger has no such field" in narrowed.out
    both = run_almanac("growth", "sales", "--by", "item", "--per", per, book=demo)
    assert both.code == 2
    assert "both tables need the field that members are of, and ledger lacks it: 'item'" in both.err


def test_weeks_go_over_a_year_s_edge_and_week_53_stands_alone(tmp_path: Path) -> None:
    days = [date(2023, 12, 25) + timedelta(number) for number in range(21)]
    lines = [f"{day},A,N,1,{number + 1}.00," for number, day in enumerate(days)]
    lines += [f"{day + timedelta(366)},A,N,1,10.00," for day in days]
    book = sales_book(tmp_path, lines)
    assert book.load().code == 0
    rows = rows_of(
        book.run("growth", "sales", "--each", "week", "--from", "2024-12-23", "--through", "2025-01-12", "--print",
                 "json").json
    )  # fmt: skip
    assert list(rows) == ["2024-W52", "2025-W01", "2025-W02"]
    # The week of 30 December holds 1 January, so it is the new year's first, and whole.
    assert rows["2025-W01"]["now"] == "70.00"
    assert Decimal(rows["2025-W01"]["before"]) == Decimal(rows["2024-W52"]["now"]) == 50
    assert Decimal(rows["2025-W01"]["last-year"]) == sum(range(8, 15)), "2024-W01 is 1 to 7 January 2024"
    # 2023 begins within the week of 26 December, and has 53 weeks; 2022 has 52.
    table = book.run("growth", "sales", "--each", "week", "--from", "2023-12-25", "--through", "2024-01-07", "--print",
                     "json").json  # fmt: skip
    rows = rows_of(table)
    assert list(rows) == ["2023-W53", "2024-W01"]
    assert rows["2023-W53"]["now"] == rows["2024-W01"]["before"] == "28.00"
    assert "last-year" not in rows["2023-W53"]
    assert "2023-W53: 2022 has no week 53, so nothing to compare with" in table["notes"]


def test_february_29_and_what_lies_before_the_first_line(tmp_path: Path) -> None:
    lines = [
        "2022-12-30,A,N,1,0.00,",
        "2023-02-27,A,N,1,5.00,",
        "2023-02-28,A,N,1,7.00,",
        "2024-01-31,A,N,1,1.00,",
        "2024-02-29,A,N,1,9.00,",
    ]
    book = sales_book(tmp_path, lines)
    assert book.load().code == 0
    ran = book.run("growth", "sales", "--as-of", "2024-02-29", "--each", "day,year", "--last", "2", "--print", "json")
    rows, notes = rows_of(ran.json), " ".join(ran.json["notes"])
    assert (rows["2024-02-29"]["now"], rows["2024-02-29"]["last-year"]) == ("9.00", "7.00")
    assert rows["2024-02-29"]["before"] == "0.00"
    assert rows["2024-02-29"]["before-change-pct"] == "new"
    assert "29 Feb 2024 is compared with 28 Feb 2023, as that year has no such day" in notes
    assert rows["2023"].get("last-year") is None
    assert "The data begins on 30 Dec 2022: nothing is compared with what reaches back before it" in notes
    assert (rows["2024"]["now"], rows["2024"]["last-year"]) == ("10.00", "12.00"), "two months beside two months"


def test_a_calendar_without_quarters_that_does_not_reach_back(tmp_path: Path) -> None:
    lines = [
        "2024-10-01,A,N,1,0.00,",
        "2024-11-02,A,N,1,5.00,",
        "2025-06-01,A,N,1,7.00,",
        "2025-12-24,A,N,1,9.00,",
        "2026-01-03,B,N,1,2.00,",
    ]
    book = sales_book(tmp_path, lines, calendar='periods = "file"\nfile = "periods.csv"')
    (tmp_path / "periods.csv").write_text(
        "year,period,first,last\n2025,1,2024-10-01,2024-12-24\n2025,2,,2025-04-30\n2025,3,,2025-09-30\n"
        "2026,1,,2025-12-31\n2026,2,2026-01-01,2026-09-30\n"
    )
    assert book.load().code == 0
    ran = book.run("growth", "sales", "--print", "json")
    assert ran.code == 0, ran.err
    rows, notes = rows_of(ran.json), " ".join(ran.json["notes"])
    assert [key for key in rows if not key[0].isdigit()] == ["ytd", "ptd"]
    assert [key for key in rows if "Q" in key] == []
    # Three days of P02 stand beside the first three of P01, in which nothing was sold.
    assert (rows["2026-P02"]["now"], rows["2026-P02"]["before"], rows["2025"]["now"]) == ("2.00", "0.00", "12.00")
    assert rows["2026"]["last-year"] == "5.00"
    assert "last-year" not in rows["2025-P01"]
    assert "cannot be shared out among quarters" in notes
    assert "the calendar does not reach back there, so nothing to compare with" in notes
    ranked = book.run("rank", "sales", "--by", "item", "--year", "2025")
    assert ranked.code == 0, ranked.err
    assert "Nothing to compare 1 Oct 2024–30 Sep 2025 with: the calendar does not reach back there" in ranked.out


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (["--each", "fortnight"], "--each: not a unit of the calendar: 'fortnight'"),
        (["--by", "item, route"], "--by: members of one field at a time: 'item, route'"),
        (["--per", "spend / ledger"], "--per: not a measure of another table: 'spend / ledger'"),
        (["--date", "due"], "--date: the table sales has no such date: 'due'"),
        (["--from", "2024-01-01"], "almanac: only one end of the range is given; give --through or --before too"),
        (["--of", "item"], "--of: item is no number to add up: 'item'"),
    ],
)
def test_what_cannot_be_told_is_said_in_one_line(tmp_path: Path, words: list[str], message: str) -> None:
    book = sales_book(tmp_path, ["2024-02-29,A,N,1,9.00,"])
    assert book.load().code == 0
    ran = book.run("growth", "sales", *words)
    assert ran.code == 2
    assert message in ran.err.splitlines()[0], ran.err


def test_figures_of_growth_are_traced(book: Book, demo: Path) -> None:
    table = growth(book, GrowthRequest(of=MeasuredRequest(table="sales"), each=("quarter",))).table
    told = next(row.cells for row in table.rows if row.key == "2026-Q3")
    for column in ("now", "before", "last-year"):
        ran = run_almanac("trace", "growth", "sales", "--each", "quarter", "--row", "2026-Q3", "--column", column,
                          "--print", "json", book=demo)  # fmt: skip
        assert ran.code == 0, ran.err
        assert Decimal(ran.json["rows"][-1]["cells"]["amount"]) == told[column]
    change = run_almanac("trace", "growth", "sales", "--row", "ytd", "--column", "last-year-change", book=demo)
    assert change.code == 2
    assert "trace the figures that it is made of" in change.err


def test_all_units_since_the_data_begins(demo: Path) -> None:
    every = run_almanac("growth", "sales", "--each", "quarter", "--last", "all", "--print", "json", book=demo)
    keys = [row["key"] for row in every.json["rows"] if row["key"][:2] == "20"]
    assert keys == [f"{year}-Q{quarter}" for year in (2024, 2025, 2026) for quarter in (1, 2, 3, 4)][:11]
    assert (
        "expected a whole number, 1 or more, or `all`" in run_almanac("growth", "sales", "--last", "0", book=demo).err
    )


@pytest.mark.parametrize("by", [[], ["--by", "route"]])
def test_measures_beside_one_another_are_those_below_one_another(demo: Path, by: list[str]) -> None:
    words = [
        "growth",
        "sales",
        *by,
        "--of",
        "amount, quantity, margin %, count",
        "--each",
        "quarter, year",
        "--last",
        "4",
    ]
    below = run_almanac(*words, "--print", "json", book=demo).json
    beside = run_almanac(*words, "--side-by-side", "--print", "json", book=demo).json
    rows = {row["key"]: row["cells"] for row in beside["rows"] if row["cells"]}
    told = 0
    for row in below["rows"]:
        block, _, span = row["key"].rpartition("/")
        for key, name in (("now", "now"), ("last-year", "last-year"), ("last-year-change", "change"),
                          ("last-year-change-pct", "change-pct")):  # fmt: skip
            cell = row["cells"].get(key)
            if span in rows and cell is not None:
                other = rows[span][f"{block}:{name}"]
                assert str(other) == str(cell) or Decimal(other) == Decimal(cell)
                told += 1
    assert told > 60
    assert rows["2026-Q3"]["compared"] == "1 Apr–17 Jun 2025"
    assert below["proof"] == beside["proof"]
    heads = {column.get("group", "") for column in beside["columns"]}
    assert len(heads) == 1 + (4 if not by else 20)
    column = "quantity:last-year" if not by else "Isles/quantity:last-year"
    trace = run_almanac(
        "trace", *words, "--side-by-side", "--row", "2026-Q2", "--column", column, "--print", "json", book=demo
    )
    assert trace.code == 0, trace.err
    assert trace.json["proof"]["balances"] is True


BOOKED = "booked = natural of ledger if account begins 4031"


def test_a_measure_less_another_tables_and_where_they_part(demo: Path, tmp_path: Path) -> None:
    words = ("growth", "sales", "--each", "period", "--last", "all", "--only", "item.range is Shop", "--less", BOOKED)
    told = run_almanac(*words, "--by", "vessel", "--print", "json", book=demo).json
    assert {row["cells"]["now"] for row in told["rows"] if "-less-" in row["key"] and row["kind"] == "line"} == {"0.00"}
    assert sum("are the same on each of" in note for note in told["notes"]) == 5
    book = tmp_path / "book"
    shutil.copytree(demo, book)
    path = book / "exports" / "sales" / "sales-2026.csv"
    with path.open(encoding="utf-8", newline="") as stream:
        rows = list(csv.DictReader(stream))
    shop = {line.item for line in sales(demo) if line.range == "Shop"}
    added = {"2026-02-03": Decimal("5.25"), "2026-03-09": Decimal("-1.00")}
    left = dict(added)
    for row in rows:
        if row["Item"] in shop and row["Day"] in left:
            row["Takings"] = str(Decimal(row["Takings"]) + left.pop(row["Day"]))
    with path.open("w", encoding="utf-8", newline="") as stream:
        writer = csv.DictWriter(stream, rows[0].keys(), lineterminator="\n")
        writer.writeheader()
        writer.writerows(rows)
    assert run_almanac("load", book=book).code == 0
    found = run_almanac(*words, "--print", "json", book=book).json
    cells = {row["key"]: row["cells"] for row in found["rows"]}
    less = {key.rpartition("/")[2]: Decimal(row["now"]) for key, row in cells.items() if "-less-" in key and row}
    assert {key: amount for key, amount in less.items() if amount} == {
        "2026-P05": Decimal("5.25"), "2026-P06": Decimal("-1.00"), "ytd": Decimal("4.25"),
    }  # fmt: skip
    day = summed(sales(demo), date(2026, 2, 3), date(2026, 2, 3), lambda line: line.range)["Shop"]
    (note,) = (each for each in found["notes"] if "part first" in each)
    assert note.startswith(
        f"amount and booked part first on 3 Feb 2026: {day + added['2026-02-03']:,.2f} and {day:,.2f}, by 5.25"
    )
    assert "they differ on 2 of " in note
    assert found["proof"]["balances"]


@pytest.mark.parametrize(
    ("less", "message"),
    [
        ("booked = count of ledger", "--less: amount and count are not like columns, or do not add up: count (count)"),
        ("booked", "--less: not a measure of another table: 'booked'"),
        ("b = amount of ledger' --per 'c = amount of ledger", "ask for one of them"),
    ],
)
def test_what_cannot_be_taken_off_is_told(demo: Path, less: str, message: str) -> None:
    ran = run_almanac(*shlex.split(f"growth sales --less '{less}'"), book=demo)
    assert (ran.code, message in ran.err) == (2, True), ran.err
