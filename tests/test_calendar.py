"""The fiscal calendar: years, ids, places and windows, worked by hand."""

from datetime import date
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Almanac
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.calendar.positions import stretches
from level_almanac.core.language.columns import ValueColumn, read_columns
from level_almanac.core.spans.as_of import AsOfRequest, choose_as_of
from level_almanac.core.spans.windows import Window, window_of
from level_almanac.errors import UsageMistake
from level_almanac.files.settings import CalendarSettings
from level_almanac.store.predicate import FiscalRange

OCTOBER = FiscalCalendar(CalendarSettings(year_start="10-01", extra_periods=1))
DAYS = st.dates(date(1950, 1, 1), date(2150, 12, 31))


@pytest.mark.parametrize(
    ("start", "named_by", "day", "year", "period", "first"),
    [
        ("10-01", "end", date(2025, 10, 1), 2026, 1, date(2025, 10, 1)),
        ("10-01", "end", date(2025, 9, 30), 2025, 12, date(2025, 9, 1)),
        ("10-01", "start", date(2025, 10, 1), 2025, 1, date(2025, 10, 1)),
        ("01-01", "end", date(2025, 1, 1), 2025, 1, date(2025, 1, 1)),
        ("01-01", "start", date(2025, 12, 31), 2025, 12, date(2025, 12, 1)),
        ("04-06", "end", date(2026, 4, 5), 2026, 12, date(2026, 3, 6)),
        ("04-06", "start", date(2026, 4, 5), 2025, 12, date(2026, 3, 6)),
        ("03-01", "end", date(2024, 2, 29), 2024, 12, date(2024, 2, 1)),
    ],
)
def test_years_and_periods(start: str, named_by: str, day: date, year: int, period: int, first: date) -> None:
    settings = CalendarSettings(year_start=start, year_named_by="start" if named_by == "start" else "end")
    found = FiscalCalendar(settings).period_of(day)
    assert (found.year, found.number, found.first) == (year, period, first)


@given(DAYS, st.integers(1, 12), st.integers(1, 28), st.sampled_from(["start", "end"]))
def test_periods_and_quarters_tile_the_year(day: date, month: int, start: int, named_by: str) -> None:
    settings = CalendarSettings(
        year_start=f"{month:02d}-{start:02d}", year_named_by="start" if named_by == "start" else "end"
    )
    calendar = FiscalCalendar(settings)
    year = calendar.year_of(day)
    for edges in (
        [(each.first, each.last) for each in year.periods],
        [(each.first, each.last) for each in year.quarters],
    ):
        assert (edges[0][0], edges[-1][1]) == (year.first, year.last)
        assert all((after[0] - before[1]).days == 1 for before, after in pairwise(edges))
    assert calendar.year_of(year.first) == year == calendar.year_of(year.last)
    assert (calendar.year(year.year + 1).first - year.last).days == 1


@pytest.mark.parametrize(
    ("posted", "year", "number", "fiscal", "counted", "opens"),
    [
        (date(2026, 6, 2), None, None, 202609, date(2026, 6, 2), None),
        (date(2026, 6, 2), 2026, 8, 202608, date(2026, 5, 31), None),
        (date(2026, 4, 20), 2026, 8, 202608, date(2026, 5, 1), None),
        (date(2025, 9, 30), 2025, 13, 202513, date(2025, 9, 30), 202601),
        (date(2025, 9, 30), 2025, 12, 202512, date(2025, 9, 30), 202601),
        (date(2025, 10, 1), 2025, 12, 202512, date(2025, 9, 30), 202601),
        (date(2025, 12, 24), None, 3, 202603, date(2025, 12, 24), None),
    ],
)
def test_places(
    posted: date, year: int | None, number: int | None, fiscal: int, counted: date, opens: int | None
) -> None:
    place = OCTOBER.place(posted, year, number)
    assert place is not None
    assert (place.fiscal, place.counted, place.carried_fiscal) == (fiscal, counted, opens)


def test_a_period_that_the_calendar_lacks_has_no_place() -> None:
    assert OCTOBER.place(date(2025, 9, 30), 2025, 14) is None
    assert OCTOBER.place(date(2025, 9, 30), 2025, 0) is None


@given(DAYS, st.integers(0, 800))
def test_stretches_cover_each_day_of_a_range_once(first: date, length: int) -> None:
    last = min(date.fromordinal(first.toordinal() + length), date(2151, 1, 1))
    days = 0
    for stretch in stretches(OCTOBER, first, last, 0):
        if stretch.first is not None and stretch.last is not None:
            days += (stretch.last - stretch.first).days + 1
            continue
        periods = [OCTOBER.period(position // 100, position % 100) for position in range(stretch.low, stretch.high + 1)]
        days += sum(period.days for period in periods if period and not period.extra)
    assert days == (last - first).days + 1


@pytest.mark.parametrize(
    ("first", "last", "extras", "expected"),
    [
        (date(2024, 10, 1), date(2025, 9, 30), 99, (FiscalRange(202501, 202513),)),
        (date(2024, 10, 1), date(2025, 9, 30), 0, (FiscalRange(202501, 202512),)),
        (date(2025, 9, 1), date(2025, 10, 31), 0, (FiscalRange(202512, 202513), FiscalRange(202601, 202601))),
        (date(2026, 5, 30), date(2026, 6, 17), 99,
         (FiscalRange(202608, 202608, date(2026, 5, 30), date(2026, 5, 31)),
          FiscalRange(202609, 202609, date(2026, 6, 1), date(2026, 6, 17)))),
    ],
)  # fmt: skip
def test_extra_periods_in_stretches(first: date, last: date, extras: int, expected: tuple[FiscalRange, ...]) -> None:
    assert stretches(OCTOBER, first, last, extras) == expected


def window(words: str, as_of: date, compare: str = "same-days") -> Window:
    request = AsOfRequest(as_of=as_of, compare="whole" if compare == "whole" else "same-days")
    chosen = choose_as_of(OCTOBER, request, None, None, as_of)
    (column,) = read_columns(words)
    assert isinstance(column, ValueColumn)
    found = window_of(column.span, column.shift, chosen)
    assert isinstance(found, Window), found
    return found


@pytest.mark.parametrize(
    ("words", "as_of", "first", "last", "extent"),
    [
        ("ptd", date(2026, 6, 17), date(2026, 6, 1), date(2026, 6, 17), "17/30 days"),
        ("ptd last year", date(2026, 6, 30), date(2025, 6, 1), date(2025, 6, 30), "whole period"),
        ("ptd prior", date(2025, 10, 31), date(2025, 9, 1), date(2025, 9, 30), "whole period"),
        ("ptd prior", date(2026, 3, 30), date(2026, 2, 1), date(2026, 2, 28), "whole period"),
        ("ptd last year", date(2024, 2, 29), date(2023, 2, 1), date(2023, 2, 28), "whole period"),
        ("ptd last year", date(2025, 2, 28), date(2024, 2, 1), date(2024, 2, 29), "whole period"),
        ("qtd", date(2025, 11, 5), date(2025, 10, 1), date(2025, 11, 5), "36/92 days"),
        ("qtd prior", date(2025, 11, 5), date(2025, 7, 1), date(2025, 8, 5), "36/92 days"),
        ("ytd prior", date(2026, 6, 17), date(2024, 10, 1), date(2025, 6, 17), "260/365 days"),
        ("quarter", date(2025, 11, 5), date(2025, 10, 1), date(2025, 12, 31), "whole quarter"),
        ("year last year", date(2025, 11, 5), date(2024, 10, 1), date(2025, 9, 30), "whole year"),
    ],
)
def test_windows(words: str, as_of: date, first: date, last: date, extent: str) -> None:
    found = window(words, as_of)
    assert (found.first, found.last, found.extent) == (first, last, extent)


def test_a_compared_part_may_be_left_whole() -> None:
    assert window("ptd last year", date(2026, 6, 17), "whole").last == date(2025, 6, 30)
    assert window("ytd last year", date(2026, 6, 17), "whole").last == date(2025, 6, 30)
    assert window("ptd", date(2026, 6, 17), "whole").last == date(2026, 6, 17)


@pytest.mark.parametrize(
    ("request_", "through", "newest", "day", "how"),
    [
        (
            AsOfRequest(),
            date(2026, 6, 17),
            date(2026, 6, 20),
            date(2026, 6, 17),
            "the ledger is complete through this day",
        ),
        (AsOfRequest(), None, date(2026, 6, 20), date(2026, 6, 20), "the newest posting date"),
        (AsOfRequest(), None, None, date(2026, 7, 1), "today"),
        (AsOfRequest(period="2026-P08"), date(2026, 6, 17), None, date(2026, 5, 31), "the end of 2026-P08, as asked"),
        (AsOfRequest(quarter="FY2026-q1"), None, None, date(2025, 12, 31), "the end of 2026-Q1, as asked"),
        (AsOfRequest(year="2025"), None, None, date(2025, 9, 30), "the end of 2025, as asked"),
    ],
)
def test_the_day_is_chosen(
    request_: AsOfRequest, through: date | None, newest: date | None, day: date, how: str
) -> None:
    chosen = choose_as_of(OCTOBER, request_, through, newest, date(2026, 7, 1))
    assert (chosen.day, chosen.how) == (day, how)


@pytest.mark.parametrize(
    ("request_", "message"),
    [
        (AsOfRequest(period="2026-P14"), "--period: the calendar has no such id: '2026-P14'; expected 2026, 2026-Q2 or 2026-P09, P01 through P13"),
        (AsOfRequest(year="2026-Q1"), "--year: this is the id of something else: '2026-Q1'; write --quarter 2026-Q1"),
        (AsOfRequest(period="2025-P13", adjustments="without"), "--period: an adjustment period without adjustments: 2025-P13 and --adjustments"),
        (AsOfRequest(year="2026", period="2026-P01"), "more than one way to say when: --period and --year; expected one of them"),
    ],
)  # fmt: skip
def test_a_day_that_cannot_be_chosen(request_: AsOfRequest, message: str) -> None:
    with pytest.raises(UsageMistake) as raised:
        choose_as_of(OCTOBER, request_, None, None, date(2026, 7, 1))
    assert str(raised.value) == message


def test_the_report_counts_every_line_once(almanac: Almanac, demo: object) -> None:
    report = almanac("calendar", "--print", "json", book=demo).json
    lines = {row["key"]: row["cells"]["lines"] or 0 for row in report["rows"]}
    for year in ("2024", "2025", "2026"):
        assert lines[year] == sum(lines[f"{year}-Q{number}"] for number in (1, 2, 3, 4))
        assert lines[year] == sum(count for key, count in lines.items() if key.startswith(f"{year}-P"))
    assert sum(lines[year] for year in ("2024", "2025", "2026")) == report["proof"]["shown"]["lines"]
    states = {row["key"]: row["cells"]["state"] for row in report["rows"]}
    assert (states["2026-P08"], states["2026-P09"], states["2026-P10"]) == (
        "closed",
        "part, through 17 Jun 2026, 17 of 30 days",
        "ahead",
    )
    assert (states["2025"], states["2026"], states["2025-P13"]) == (
        "closed",
        "part, through 17 Jun 2026, 260 of 365 days",
        "adjustments",
    )
