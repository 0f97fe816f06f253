"""Ranges and days in conditions that are one day off a period's edge, with what that day holds."""

from datetime import date, timedelta
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Almanac, examples
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.lines.edges import AskedDays, off_by_a_day
from level_almanac.files.settings import CalendarSettings
from second_route import period_edges, read

CALENDAR = FiscalCalendar(CalendarSettings(year_start="10-01"))
FIRST, LAST = date(2026, 3, 1), date(2026, 3, 31)
ONE = timedelta(days=1)


@pytest.mark.parametrize(
    ("words", "day", "edge"),
    [
        (("trial", "--from", "2026-03-01", "--through", "2026-03-30"), LAST, "The range stops a day before 2026-P06 ends"),
        (("trial", "--from", "2026-03-01", "--before", "2026-03-31"), LAST, "The range stops a day before 2026-P06 ends"),
        (("list", "ledger", "--from", "2026-03-02", "--through", "2026-03-31"), FIRST, "The range begins a day after 2026-P06 does"),
        (("list", "ledger", "--only", "counted after 2026-03-01"), FIRST, "`counted after 2026-03-01` begins a day after 2026-P06 does"),
        (("trial", "--only", "counted before 2026-03-31"), LAST, "`counted before 2026-03-31` stops a day before 2026-P06 ends"),
        (("list", "ledger", "--from", "2026-03-01", "--through", "2026-04-01"), LAST + ONE, "The range goes a day past the end of 2026-P06"),
        (("list", "ledger", "--from", "2026-02-28", "--through", "2026-03-31"), FIRST - ONE, "The range begins a day before 2026-P06 does"),
    ],
)  # fmt: skip
def test_the_day_is_told_with_what_it_holds(
    almanac: Almanac, demo: Path, words: tuple[str, ...], day: date, edge: str
) -> None:
    lines = [line for line in read(demo) if line.day == day and line.source not in ("CF", "CL")]
    debits = sum((line.debit for line in lines), Decimal(0))
    notes = almanac(*words, "--print", "json", book=demo).json["notes"]
    words_of_day = f"{day.day} {day:%b} {day.year}"
    assert f"{edge}: {words_of_day} has {len(lines)} lines, debits {debits:,.2f}" in notes


@pytest.mark.parametrize(
    ("words", "note"),
    [
        (("detail", "40111", "--from", "2026-03-01", "--through", "2026-03-30"), "31 Mar 2026 has 1 line"),
        (("statement", "income", "--columns", "2026-03-01 through 2026-03-30"), "31 Mar 2026 has 44 lines"),
        (("list", "ledger", "--only", "posted from 2026-03-01 through 2026-03-30 and account begins 61"), "31 Mar 2026 has 6 lines"),
        (("rank", "sales", "--by", "route", "--from", "2026-03-01", "--through", "2026-03-30"), "31 Mar 2026 has 16 lines, amount"),
        (("growth", "sales", "--only", "date since 2026-03-02"), "1 Mar 2026 has 16 lines, amount"),
        (("billing", "--from", "2026-05-01", "--through", "2026-05-30"), "31 May 2026 has 5 lines, net amount"),
        (("documents", "payable", "--from", "2026-05-01", "--through", "2026-05-30"), "31 May 2026 has 3 lines, net amount"),
        (("parties", "payable", "--from", "2026-05-02", "--through", "2026-05-31"), "1 May 2026 has 1 line, net amount"),
    ],
)  # fmt: skip
def test_what_the_day_holds_is_under_the_report_s_own_conditions(
    almanac: Almanac, demo: Path, words: tuple[str, ...], note: str
) -> None:
    notes = almanac(*words, "--print", "json", book=demo).json["notes"]
    assert any(note in each for each in notes), notes


@examples(100)
@given(
    st.integers(2024, 2026),
    st.integers(1, 12),
    st.integers(1, 12),
    st.sampled_from([-1, 0, 1]),
    st.sampled_from([-1, 0, 1]),
)
def test_only_a_day_off_is_told(year: int, one: int, other: int, before: int, after: int) -> None:
    first = period_edges(year, min(one, other))[0] + before * ONE
    last = period_edges(year, max(one, other))[1] + after * ONE
    told = [words for words, _ in off_by_a_day(CALENDAR, AskedDays(first, last))]
    begins = {-1: "begins a day before", 0: "", 1: "begins a day after"}[before]
    ends = {-1: "stops a day before", 0: "", 1: "goes a day past"}[after]
    assert sum(words.startswith(("begins",)) for words in told) == bool(begins)
    assert all(any(words.startswith(each) for words in told) for each in (begins, ends) if each)
    assert len(told) == bool(begins) + bool(ends)


@pytest.mark.parametrize(
    ("first", "last"), [("2026-03-24", "2026-03-30"), ("2026-03-02", "2026-03-08"), ("2026-03-30", "2026-03-30")]
)
def test_weeks_and_single_days_are_no_forgotten_days(first: str, last: str) -> None:
    assert not list(off_by_a_day(CALENDAR, AskedDays(date.fromisoformat(first), date.fromisoformat(last))))
