"""Plans: what of them falls on which days, to the cent, and what is said of plans that cannot be taken."""

from collections.abc import Mapping
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Almanac, MakeBook, SmallBook
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.measures.plans import PlanLine, Plans
from level_almanac.files.settings import CalendarSettings, PlanSettings, ProfileSettings
from level_almanac.store.predicate import FiscalRange

OCTOBER = FiscalCalendar(CalendarSettings(year_start="10-01", holidays=["2026-06-01"]))
JUNE = OCTOBER.period_of(date(2026, 6, 17))
WAYS = {"even": "even", "working": "working", "whole": "whole", "busy": "busy"}
CENTS = st.decimals(-(10**7), 10**7, places=2)


def plans(lines: tuple[PlanLine, ...] = ()) -> Plans:
    settings: Mapping[str, PlanSettings] = {way: PlanSettings(part_period=way) for way in WAYS}
    return Plans(lines, (), (), OCTOBER, settings, {"busy": ProfileSettings(saturday=5, sunday=0)}, 2)


def june(scenario: str, amounts: list[Decimal]) -> list[PlanLine]:
    """Return lines of one account for June, as the reader makes them: each knows the sum of those before it."""
    before, found = Decimal(0), []
    for number, amount in enumerate(amounts):
        found.append(PlanLine(number, scenario, "A", "4010", JUNE.fiscal, None, amount, before, ()))
        before += amount
    return found


def part(line: PlanLine, first: date, last: date) -> Decimal:
    found = plans().within(line, [FiscalRange(JUNE.fiscal, JUNE.fiscal, first, last)])
    assert found is not None
    return found


@pytest.mark.parametrize(
    ("way", "day", "share"),
    [
        ("even", 17, (17, 30)),
        ("even", 30, (1, 1)),
        # The first is a holiday, and 17 June 2026 a Wednesday: 12 of 21 days are worked.
        ("working", 17, (12, 21)),
        ("working", 7, (4, 21)),
        ("whole", 1, (1, 1)),
        # 22 weekdays and four Saturdays that weigh five times as much.
        ("busy", 6, (5 + 5, 22 + 20)),
    ],
)
def test_a_part_of_a_month_is_its_share(way: str, day: int, share: tuple[int, int]) -> None:
    (line,) = june(way, [Decimal("10000.00")])
    expected = (Decimal(10000) * share[0] / share[1]).quantize(Decimal("0.01"), rounding=ROUND_HALF_UP)
    assert part(line, JUNE.first, date(2026, 6, day)) == expected


@given(st.lists(CENTS, min_size=1, max_size=5), st.sampled_from(list(WAYS)), st.lists(st.integers(1, 29), max_size=6))
def test_parts_of_all_days_sum_to_the_month(amounts: list[Decimal], way: str, cuts: list[int]) -> None:
    edges = [0, *sorted(set(cuts)), 30]
    for line in june(way, amounts):
        parts = [
            part(line, JUNE.first + timedelta(days=first), JUNE.first + timedelta(days=last - 1))
            for first, last in pairwise(edges)
        ]
        assert sum(parts) == line.amount


@given(st.lists(CENTS, min_size=1, max_size=5), st.integers(1, 30))
def test_lines_of_one_account_sum_to_its_own_share(amounts: list[Decimal], day: int) -> None:
    through = JUNE.first + timedelta(days=day - 1)
    parts = [part(line, JUNE.first, through) for line in june("even", amounts)]
    whole = (sum(amounts, Decimal(0)) * day / 30).quantize(Decimal("0.01"), rounding=ROUND_HALF_UP)
    assert sum(parts) == whole


BUDGET = """
[plans.budget]
part_period = "even"

[plans.forecast]
year_split = [{split}]
totals = {{ fuel = "1000.00" }}

[[intake]]
table = "budget"
files = "plan*.csv"
period = "YYYY-PPP"
set = {{ entity = "A" }}
fields = {{ scenario = "scenario", account = "account", period = "period", date = "date", amount = "amount", share = "share", share_of = "of" }}
"""
HEADS = "scenario,account,period,date,amount,share,of\n"
EVEN = ", ".join(["8.5"] * 11 + ["6.5"])


@pytest.fixture
def planned(make_book: MakeBook) -> Any:
    """Return the function that makes a small book with a plan."""

    def make(*plan: str, split: str = EVEN, settings: str = BUDGET) -> SmallBook:
        book = make_book(
            "J1,1,2025-10-15,2025-P01,1000,500.00,,S", "J1,2,2025-10-15,2025-P01,4010,,500.00,S",
            "J2,1,2025-11-03,2026-P02,6000,80.00,,S", "J2,2,2025-11-03,2026-P02,1000,,80.00,S",
        )  # fmt: skip
        path = book.root / "almanac.toml"
        path.write_text(path.read_text() + settings.format(split=split), encoding="utf-8")
        (book.root / "plan.csv").write_text(HEADS + "".join(f"{line}\n" for line in plan), encoding="utf-8")
        return book

    return make


def shown(book: SmallBook, layout: str, columns: str, *words: str) -> dict[str, dict[str, str]]:
    ran = book.run("statement", layout, "--columns", columns, *words, "--print", "json")
    assert ran.code == 0, ran.err
    assert ran.json["proof"]["further"][0]["balances"] is True
    return {row["key"]: row["cells"] for row in ran.json["rows"]}


def test_a_hand_worked_plan(planned: Any) -> None:
    book = planned(
        "budget,4010,2026-P01,,620.00,,",      # with 500.00 booked in the year before and nothing in this
        "budget,4020,2026-P02,,300.00,,",      # planned, and never booked
        "budget,6000,2026-P02,,90.00,,",       # booked 80.00
        "budget,5000,,2025-11-20,45.00,,",     # planned for one day
        "forecast,6000,2026,,1200.00,,",        # a year's amount: 102.00 a month, 78.00 in the last
        "forecast,5000,2026,,,60,fuel",
        "forecast,6100,2026,,,40,fuel",
        "budget,1000,2026-P02,,777.00,,",      # a planned balance
    )  # fmt: skip
    assert book.load("--through", "2025-11-15").code == 0
    rows = shown(book, "income", "ptd; budget ptd; variance; variance %; budget ytd; forecast ytd; forecast year")
    # 15 of November's 30 days.
    assert rows["4020"] == {"ptd": "0.00", "budget-ptd": "150.00", "variance": "-150.00", "variance-pct": "-100.0000000000", "budget-ytd": "150.00", "forecast-ytd": "0.00", "forecast-year": "0.00"}  # fmt: skip
    assert rows["4010"]["budget-ytd"] == "620.00"
    assert (rows["6000"]["ptd"], rows["6000"]["budget-ptd"], rows["6000"]["variance"]) == ("80.00", "45.00", "-35.00")
    assert rows["6000"]["variance-pct"] == "-77.7777777778"
    assert "5000" in rows, "the day it is planned for is still to come, and the forecast has it already"
    assert rows["5000"]["budget-ytd"] == "0.00"
    assert (rows["6000"]["forecast-ytd"], rows["6000"]["forecast-year"]) == ("153.00", "1200.00")
    assert (rows["5000"]["forecast-year"], rows["6100"]["forecast-year"]) == ("600.00", "400.00")
    later = shown(book, "income", "budget ptd; budget rest of period; budget period", "--as-of", "2025-11-20")
    assert later["5000"] == {"budget-ptd": "45.00", "budget-rest-period": "0.00", "budget-period": "45.00"}
    balance = shown(book, "balance", "closing; budget closing; variance", "--as-of", "2025-11-15")
    assert balance["1000"] == {"closing": "420.00", "budget-closing": "777.00", "variance": "-357.00"}
    assert balance["result"]["budget-closing"] == "785.00", (
        "620 + 300 - 90 - 45: a plan's result stands at the period's end"
    )


def test_variance_is_favourable_positive_for_income_and_costs(almanac: Almanac, demo: Path) -> None:
    ran = almanac("statement", "income", "--columns", "ytd; budget ytd; variance", "--print", "json", book=demo)
    for row in ran.json["rows"]:
        if row["cells"]:
            actual, plan, variance = (Decimal(row["cells"][key]) for key in ("ytd", "budget-ytd", "variance"))
            cost = row["key"].startswith(("5", "6")) or row["key"] in ("direct-cost", "expense")
            assert variance == (plan - actual if cost else actual - plan), row["key"]


def test_the_demo_budget_is_what_its_export_says(almanac: Almanac, demo: Path) -> None:
    months: dict[tuple[str, str], Decimal] = {}
    for line in (demo / "exports" / "plans" / "budget-2026.csv").read_text().splitlines()[1:]:
        _, entity, account, _, month, planned = line.split(",")
        if entity == "LINE":
            months[account, month] = months.get((account, month), Decimal(0)) + Decimal(planned)
    words = ["--entity", "LINE", "--columns", "budget ptd; budget ytd", "--print", "json"]
    rows = almanac("statement", "income", *words, book=demo).json["rows"]
    shown = {row["key"]: row["cells"] for row in rows if row["kind"] == "line"}
    assert len(shown) > 30
    for account, cells in shown.items():
        june = (months.get((account, "2026-09"), Decimal(0)) * 17 / 30).quantize(
            Decimal("0.01"), rounding=ROUND_HALF_UP
        )
        before = sum(months.get((account, f"2026-{number:02d}"), Decimal(0)) for number in range(1, 9))
        assert [Decimal(cells[key]) for key in ("budget-ptd", "budget-ytd")] == [june, before + june], account


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ("budget,40100,2026-P01,,1.00,,", "plan.csv:2: account: the chart lacks this account: '40100'; did you mean '4010'?"),
        ("budget,4010,2026-P14,,1.00,,", "plan.csv:2: period: the calendar has no such period: '2026-P14'"),
        ("budget,4010,,,1.00,,", "plan.csv:2: period: a plan is for a period or for a day: ''; expected one of the two"),
        ("budget,4010,2026-P01,2025-10-01,1.00,,", "plan.csv:2: period: a plan is for a period or for a day"),
        ("budget,4010,2026-P01,,1.00,50,fuel", "plan.csv:2: amount: a plan is an amount or a share of a total: '1.00'"),
        ("budget,4010,2026-P01,,,50,", "plan.csv:2: amount: a plan is an amount or a share of a total: ''"),
        ("budget,4010,2026-P01,,1.005,,", "plan.csv:2: amount: more decimals than the entity's currency has: '1.005'"),
        (",4010,2026-P01,,1.00,,", "plan.csv:2: scenario: is blank"),
        ("Actual,4010,2026-P01,,1.00,,", "plan.csv:2: scenario: this name is kept for what was booked: 'Actual'"),
        ("budget,4010,2026-P01,,1.00,,\nbudget,4010,2026-P01,,2.00,,", "plan.csv:2 and plan.csv:3: two different lines under one key (scenario budget, entity A, account 4010, period 2026-P01)"),
    ],
)  # fmt: skip
def test_a_plan_that_cannot_be_taken(planned: Any, line: str, told: str) -> None:
    ran = planned(line).load()
    assert ran.code == 3
    assert told in ran.err


def test_totals_and_years_that_do_not_fit(planned: Any) -> None:
    book = planned("budget,4010,2026,,,50,fuel")
    assert book.load().code == 0
    ran = book.run("statement", "income", "--columns", "budget year", "--year", "2026")
    assert (ran.code, "plans.budget.totals: a plan has shares of a total that is not named: 'fuel'" in ran.err) == (
        3,
        True,
    )
    book = planned("forecast,4010,2026,,100.00,,", split="50, 50")
    assert book.load().code == 0
    ran = book.run("statement", "income", "--columns", "forecast year", "--year", "2026")
    assert "plans.forecast.year_split: not a part for each period: 2 parts; expected 12 for 2026" in ran.err
    book = planned("forecast,4010,2026,,,60,fuel")
    assert book.load().code == 0
    ran = book.run("statement", "income", "--columns", "forecast year", "--year", "2026", "--print", "json")
    assert ran.json["notes"] == ["The shares of fuel in forecast come to 60 %, not to 100"]
    assert (
        planned("forecast,4010,2026,,100.00,,", split="50, 40")
        .load()
        .err.startswith(
            "almanac: plans.forecast.year_split: the parts of a year: 90 %; expected percentages that come to 100"
        )
    )
