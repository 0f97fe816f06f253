"""Calendars of weeks, of thirteen periods and told one by one: worked by hand, and held to what any calendar must be."""

from datetime import date
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import CHART, HEADS, MakeBook, SmallBook, run_almanac
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.errors import BookMistake, UsageMistake
from level_almanac.files.period_file import read_period_file
from level_almanac.files.settings import CalendarSettings


def weeks(periods: Any, year_ends: str, named_by: Any = "end") -> FiscalCalendar:
    return FiscalCalendar(CalendarSettings(periods=periods, year_ends=year_ends, year_named_by=named_by))


@pytest.mark.parametrize(
    ("year_ends", "named_by", "year", "first", "last", "count"),
    [
        # 31 January 2026 is a Saturday; the last one of January 2025 is the 25th.
        ("last saturday of january", "end", 2026, date(2025, 1, 26), date(2026, 1, 31), 53),
        ("last saturday of january", "start", 2025, date(2025, 1, 26), date(2026, 1, 31), 53),
        ("last saturday of january", "end", 2025, date(2024, 1, 28), date(2025, 1, 25), 52),
        ("saturday nearest the end of january", "end", 2025, date(2024, 2, 4), date(2025, 2, 1), 52),
        # The year named 2026 ends in January 2027, as the end of December 2026 is nearest to that Saturday.
        ("saturday nearest the end of december", "end", 2026, date(2026, 1, 4), date(2027, 1, 2), 52),
        ("saturday nearest the end of december", "start", 2026, date(2026, 1, 4), date(2027, 1, 2), 52),
        ("friday nearest the end of september", "end", 2027, date(2026, 10, 3), date(2027, 10, 1), 52),
    ],
)
def test_years_of_weeks(year_ends: str, named_by: str, year: int, first: date, last: date, count: int) -> None:
    calendar = weeks("4-4-5", year_ends, named_by)
    found = calendar.year(year)
    assert (found.first, found.last, len(calendar.weeks(found))) == (first, last, count)
    assert calendar.week_of(first).number == 1
    assert calendar.week_of(last).number == count


@pytest.mark.parametrize(
    ("periods", "lengths"),
    [
        ("4-4-5", [4, 4, 5] * 3 + [4, 4, 6]),
        ("4-5-4", [4, 5, 4] * 3 + [4, 5, 5]),
        ("5-4-4", [5, 4, 4] * 3 + [5, 4, 5]),
        ("13x4", [4] * 12 + [5]),
    ],
)
def test_a_53rd_week_goes_to_the_last_period(periods: str, lengths: list[int]) -> None:
    year = weeks(periods, "last saturday of january").year(2026)
    assert [period.days // 7 for period in year.periods] == lengths
    assert [len(quarter.periods) for quarter in year.quarters] == ([3, 3, 3, 4] if periods == "13x4" else [3] * 4)


KINDS = st.builds(
    weeks,
    st.sampled_from(["4-4-5", "4-5-4", "5-4-4", "13x4"]),
    st.builds(
        lambda rule, day, month: rule.format(day=day, month=month),
        st.sampled_from(["last {day} of {month}", "{day} nearest the end of {month}"]),
        st.sampled_from(["monday", "wednesday", "friday", "saturday", "sunday"]),
        st.sampled_from(["january", "february", "june", "september", "december"]),
    ),
    st.sampled_from(["start", "end"]),
) | st.builds(
    lambda month, day, starts: FiscalCalendar(CalendarSettings(year_start=f"{month:02d}-{day:02d}", week_starts=starts)),
    st.integers(1, 12), st.integers(1, 28), st.sampled_from(["monday", "saturday", "sunday"]),
)  # fmt: skip


@given(KINDS, st.dates(date(1950, 1, 1), date(2150, 12, 31)))
def test_periods_and_weeks_tile_the_years(calendar: FiscalCalendar, day: date) -> None:
    year = calendar.year_of(day)
    assert calendar.year(year.year) == year
    assert (calendar.year(year.year + 1).first - year.last).days == 1
    assert all((after.first - before.last).days == 1 for before, after in pairwise(year.periods))
    assert calendar.period_of(day).first <= day <= calendar.period_of(day).last
    own, after = calendar.weeks(year), calendar.weeks(calendar.year(year.year + 1))
    assert own[0].first <= year.first <= own[0].last
    assert len(own) in (52, 53)
    assert all((later.first - earlier.last).days == 1 for earlier, later in pairwise([*own, after[0]]))
    week = calendar.week_of(day)
    assert week in calendar.weeks(calendar.year(week.year))
    assert week.first <= day <= week.last


def test_moved_periods_cross_years() -> None:
    calendar = weeks("13x4", "last saturday of january")
    period = calendar.period_of(date(2025, 2, 1))
    assert str(calendar.moved(period, -1)) == "2025-P13"
    assert str(calendar.moved(period, 13)) == "2027-P01"


PERIODS = """\
year,period,first,last
2025,1,2024-10-01,2024-12-24
2025,2,,2025-04-30
2025,3,,2025-09-30
2026,1,,2025-12-31
2026,2,2026-01-01,2026-09-30
"""


def test_a_told_calendar(tmp_path: Path) -> None:
    path = tmp_path / "periods.csv"
    path.write_text(PERIODS)
    calendar = FiscalCalendar(
        CalendarSettings(periods="file", file="periods.csv"), read_period_file(path, "periods.csv")
    )
    assert [str(period) for period in calendar.year(2025).periods] == ["2025-P01", "2025-P02", "2025-P03"]
    assert str(calendar.period_of(date(2025, 1, 2))) == "2025-P02"
    assert calendar.year(2025).quarters == ()
    with pytest.raises(UsageMistake) as raised:
        calendar.period_of(date(2026, 10, 1))
    assert str(raised.value) == (
        "the period file: the calendar does not reach there: 2026-10-01; expected a day from 2024-10-01 through"
        " 2026-09-30, of the years 2025 to 2026; add the periods to the file"
    )


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("2025,2,", "2025,4,", "periods.csv:3: not the period that comes next: 2025,4; expected 2025,2 or 2026,1"),
        ("2026-01-01,", "2026-01-02,", "periods.csv:6: first: not the day after the period before: 2026-01-02; expected 2026-01-01"),
        ("2025-09-30", "2025-02-30", "periods.csv:4: last: not a day: '2025-02-30'; expected YYYY-MM-DD"),
        ("2025-09-30", "2025-01-30", "periods.csv:4: last: the period ends before it starts: 2025-01-30"),
        ("2024-10-01,", ",", "periods.csv:2: first: not a day: ''"),
        ("year,period", "year,perod", "periods.csv:1: not the heads of a period file: year,perod,first,last; expected year,period,first,last; did you mean 'period'?"),
        (PERIODS, "year,period,first,last\n", "periods.csv: the period file tells no period"),
    ],
)  # fmt: skip
def test_a_period_file_that_cannot_be_taken(tmp_path: Path, old: str, new: str, told: str) -> None:
    path = tmp_path / "periods.csv"
    path.write_text(PERIODS.replace(old, new))
    with pytest.raises(BookMistake) as raised:
        read_period_file(path, "periods.csv")
    assert str(raised.value).startswith(told)


def posted(*days: tuple[str, str]) -> tuple[str, ...]:
    return tuple(
        line
        for number, (day, amount) in enumerate(days)
        for line in (f"J{number},1,{day},,1000,{amount},,S", f"J{number},2,{day},,4010,,{amount},S")
    )


def with_calendar(book: SmallBook, calendar: str) -> SmallBook:
    path = book.root / "almanac.toml"
    path.write_text(
        path.read_text().replace('[calendar]\nyear_start = "10-01"\nextra_periods = 1\n', calendar), encoding="utf-8"
    )
    return book


def test_week_53_compares_with_nothing_and_says_so(make_book: MakeBook) -> None:
    lines = posted(("2026-01-31", "53.00"), ("2026-01-24", "52.00"), ("2025-01-25", "1.00"), ("2024-01-29", "0.10"))
    calendar = '[calendar]\nperiods = "4-4-5"\nyear_ends = "last saturday of january"\n'
    book = with_calendar(make_book(*lines), calendar)
    assert book.load("--through", "2026-01-31").code == 0
    words = ["--columns", "week; week last year; change; week prior; ptd; ptd last year"]
    table = book.run("statement", "income", *words, "--print", "json").json
    cells = next(row["cells"] for row in table["rows"] if row["key"] == "result")
    assert cells == {
        "week": "53.00",
        "week-last-year": None,
        "change": None,
        "week-prior": "52.00",
        "ptd": "105.00",
        "ptd-last-year": "1.00",
    }
    assert table["notes"] == ["last year: 2025 has no week 53, so there is nothing to show or compare"]
    shown = book.run("statement", "income", *words).out
    assert "2025 has no" in shown
    table = book.run("statement", "income", "--columns", "each week; year", "--print", "json").json
    assert len(table["columns"]) == 54
    assert table["columns"][52]["key"] == "2026-W53"
    told = book.run("calendar", "--year", "2026").out
    assert (
        "years end on the last saturday of january, named by the calendar year they end in · quarters of 4-4-5 weeks"
        in told
    )


def test_a_told_calendar_in_a_book(make_book: MakeBook) -> None:
    book = with_calendar(
        make_book(*posted(("2024-10-01", "3.00"), ("2025-01-02", "7.00"), ("2025-12-31", "5.00"))),
        '[calendar]\nperiods = "file"\nfile = "periods.csv"\n',
    )
    (book.root / "periods.csv").write_text(PERIODS)
    assert book.load("--through", "2025-12-31").code == 0
    table = book.run("statement", "income", "--year", "2025", "--columns", "each period; year", "--print", "json").json
    cells = next(row["cells"] for row in table["rows"] if row["key"] == "result")
    assert cells == {"2025-P01": "3.00", "2025-P02": "7.00", "2025-P03": "0.00", "year": "10.00"}
    ran = book.run("statement", "income", "--columns", "qtd")
    assert (ran.code, ran.err) == (2, "almanac: a year of 2 periods has no quarters; ask for periods or the year\n")
    ran = book.run("statement", "income", "--as-of", "2027-01-01")
    assert ran.code == 2
    assert "the calendar does not reach there: 2027-01-01" in ran.err
    book.ledger(HEADS + "".join(f"{line}\n" for line in posted(("2026-10-01", "7.00"))))
    ran = book.load()
    assert ran.code == 3
    assert "ledger.csv:2: posted: the calendar does not reach to this day: '2026-10-01'" in ran.err
    (book.root / "periods.csv").write_text(PERIODS.replace("2024-12-24", "2024-12-31"))
    assert "the calendar, the entry classes or a currency changed" in book.run("statement", "income").err


@pytest.mark.parametrize(
    ("calendar", "told"),
    [
        ('periods = "4-4-5"', "calendar.year_ends: periods = '4-4-5' needs this key; the day a year ends on"),
        ('periods = "4-4-5"\nyear_ends = "last saturn of may"', "calendar.year_ends: not a day a year of weeks can end on: 'last saturn of may'; expected 'last saturday of january'"),
        ('periods = "months"\nyear_start = "10-01"\nyear_ends = "last friday of may"', "calendar.year_ends: this key does not go with periods = 'months': 'last friday of may'; expected year_start"),
        ('periods = "13x4"\nyear_ends = "last friday of may"\nweek_starts = "monday"', "calendar.week_starts: the weeks of this year start on another day: 'monday'; expected 'saturday'"),
        ('periods = "file"\nfile = "none.csv"', "calendar.file: there is no such file: 'none.csv'"),
        ('periods = "weeks"\nyear_start = "10-01"', "calendar.periods: not allowed here: 'weeks'; expected 'months', '4-4-5', '4-5-4', '5-4-4', '13x4' or 'file'"),
        ('year_start = "10-01"\nholidays = ["2026-13-01"]', "calendar.holidays: not a day: '2026-13-01'"),
    ],
)  # fmt: skip
def test_a_calendar_that_cannot_be(make_book: MakeBook, calendar: str, told: str) -> None:
    ran = with_calendar(make_book(*posted(("2025-10-01", "1.00"))), f"[calendar]\n{calendar}\n").load()
    assert ran.code == 3
    assert told in ran.err


TWO = """
[book]
name = "Two calendars"

[entities.A]
name = "Amberquay"
currency = "EUR"
retained_earnings = "3100"

[entities.B]
name = "Brightwater"
currency = "EUR"
retained_earnings = "3100"
calendar = "weeks"

[calendar]
year_start = "10-01"

[calendars.weeks]
periods = "4-4-5"
year_ends = "last saturday of september"

[[intake]]
table = "accounts"
files = "chart.csv"
fields = { account = "account", name = "name", class = "class", parent = "parent" }

[[intake]]
table = "ledger"
files = "ledger.csv"
fields = { entity = "entity", journal = "journal", line = "line", posted = "posted", account = "account", debit = "debit", credit = "credit" }
"""


def test_a_calendar_for_each_entity(tmp_path: Path) -> None:
    (tmp_path / "almanac.toml").write_text(TWO)
    (tmp_path / "chart.csv").write_text(CHART)
    # The last Saturday of September 2025 is the 27th: on the 28th a new year starts for B and not for A.
    rows = [f"{entity},J{day},{line},{day},{account},{sides}" for day in ("2023-10-02", "2025-09-28")
            for entity in "AB" for line, account, sides in ((1, "1000", "5.00,"), (2, "4010", ",5.00"))]  # fmt: skip
    (tmp_path / "ledger.csv").write_text("entity,journal,line,posted,account,debit,credit\n" + "\n".join(rows) + "\n")
    assert run_almanac("load", "--through", "2025-10-02", book=tmp_path).code == 0
    for entity, year_to_date, before in (("A", "0.00", "5.00"), ("B", "5.00", "0.00")):
        ran = run_almanac(
            "statement",
            "income",
            "--entity",
            entity,
            "--columns",
            "ytd; year last year",
            "--print",
            "json",
            book=tmp_path,
        )
        cells = next(row["cells"] for row in ran.json["rows"] if row["key"] == "result")
        assert cells == {"ytd": year_to_date, "year-last-year": before}
        assert ran.json["proof"]["balances"] is True
        assert run_almanac("trial", "--entity", entity, book=tmp_path).code == 0
    ran = run_almanac("statement", "income", book=tmp_path)
    assert (
        ran.err
        == "almanac: one report uses one calendar: calendar, calendars.weeks; ask for entities of one calendar with --entity A or B\n"
    )
    assert ran.code == 2
