"""Account detail: each line once, in order, and the last running balance is the trial balance's closing."""

from collections import defaultdict
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

import second_route
from conftest import Almanac, MakeBook, run_almanac

ZERO = Decimal(0)
RANGES = [
    ("--period", "2026-P08"),
    ("--year", "2025"),
    ("--period", "2025-P13"),
    ("--quarter", "2024-Q1"),
    ("--from", "2026-05-10", "--through", "2026-06-05"),
    ("--year", "2025", "--after-closing"),
    ("--period", "2026-P08", "--entity", "YARD"),
    ("--period", "2026-P08", "--only", "source in TK, SI, RC", "--except", "amount over 4000"),
    (),
]
EVERYTHING = ("asset", "liability", "equity", "income", "direct-cost", "expense")


def report(almanac: Almanac, demo: Path, *words: str) -> dict[str, Any]:
    ran = almanac(*words, "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    return ran.json


def amount(cells: dict[str, Any], key: str) -> Decimal:
    return Decimal(cells.get(key) or 0)


@pytest.mark.parametrize("words", RANGES)
def test_every_account_leads_line_by_line_to_the_trial_balance(
    demo: Path, almanac: Almanac, words: tuple[str, ...]
) -> None:
    trial = {row["key"]: row["cells"] for row in report(almanac, demo, "trial", *words)["rows"]}
    found = report(almanac, demo, "detail", *EVERYTHING, *words)
    assert found["proof"]["balances"]
    closings = {}
    balance = debit = credit = ZERO
    for row in found["rows"]:
        cells = row["cells"]
        if row["key"].endswith("/opening"):
            account, debit, credit = row["key"].split("/")[0], ZERO, ZERO
            balance = amount(cells, "balance")
            assert balance == amount(trial[account], "opening")
        elif row["kind"] == "line":
            debit, credit = debit + amount(cells, "debit"), credit + amount(cells, "credit")
            balance += amount(cells, "debit") - amount(cells, "credit")
            assert amount(cells, "balance") == balance
        elif row["kind"] == "subtotal":
            closings[row["key"]] = (debit, credit, balance)
            assert (amount(cells, "debit"), amount(cells, "credit"), amount(cells, "balance")) == closings[row["key"]]
    expected = {
        key: tuple(amount(cells, name) for name in ("debit", "credit", "closing"))
        for key, cells in trial.items()
        if key.isdigit()
    }
    # A trial balance also has accounts that moved back and forth to nothing.
    assert closings == {key: expected[key] for key in closings}
    assert all(not any(expected[key]) for key in expected.keys() - closings.keys())


def test_lines_are_those_of_the_exports_in_the_order_of_their_days(demo: Path, almanac: Almanac) -> None:
    found = report(almanac, demo, "detail", "12110", "--quarter", "2026-Q2")
    shown = [row["key"].removeprefix("12110/") for row in found["rows"] if row["kind"] == "line"][1:]
    wanted = [
        line for line in second_route.read(demo)
        if line.account == "12110" and line.source != "CF" and line.year == 2026 and 4 <= line.period <= 6
    ]  # fmt: skip
    assert sorted(shown) == sorted(line.key for line in wanted)
    days = {line.key: (line.day, line.posted) for line in wanted}
    assert [days[key] for key in shown] == sorted(days[key] for key in shown)


def test_carried_lines_stand_apart_and_change_no_figure(demo: Path, almanac: Almanac) -> None:
    words = ("detail", "asset", "--period", "2026-P01")
    without, with_ = report(almanac, demo, *words)["rows"], report(almanac, demo, *words, "--carried")["rows"]
    assert [row for row in with_ if "/carried" not in row["key"]] == without
    carried = {row["key"].split("/carried/")[1] for row in with_ if "/carried/" in row["key"]}
    lines = second_route.read(demo)
    assert carried == {
        line.key for line in lines if line.source == "CF" and line.year == 2026 and line.account.startswith("1")
    }


def test_subtotals_of_periods_sum_to_the_account(demo: Path, almanac: Almanac) -> None:
    found = report(almanac, demo, "detail", "12110", "--year", "2025", "--subtotals")["rows"]
    periods = [row for row in found if row["kind"] == "subtotal" and "/" in row["key"]]
    account = next(row["cells"] for row in found if row["key"] == "12110")
    assert len(periods) == 12
    for side in ("debit", "credit"):
        assert sum((amount(row["cells"], side) for row in periods), ZERO) == amount(account, side)
    assert periods[-1]["cells"]["balance"] == account["balance"]


@pytest.mark.parametrize(
    ("words", "keys"),
    [
        (("12110",), {"12110"}),
        (("121",), {"12110", "12120", "12190"}),
        (("12110 through 12120",), {"12110", "12120"}),
        (("control is receivable and account begins 121",), {"12110", "12120"}),
        (("name contains depreciation",), {"10119", "10129"}),
    ],
)
def test_accounts_are_named_in_many_ways(demo: Path, almanac: Almanac, words: tuple[str, ...], keys: set[str]) -> None:
    found = report(almanac, demo, "detail", *words, "--period", "2026-P08")["rows"]
    assert {row["key"] for row in found if row["kind"] == "subtotal"} >= keys


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (("12111",), "almanac: ACCOUNT: the chart lacks this account: '12111'; expected a code, a class such as expense, `6100 through 6199`, or a condition such as `account begins 61`; did you mean '12110'?"),
        (("20 through 10",), "almanac: ACCOUNT: the range ends before it starts: '20 through 10'"),
        (("name is nothing",), "almanac: ACCOUNT: no account of the chart is meant by this: 'name is nothing'"),
        (("nme is x",), "did you mean 'name'?"),
        (("12110", "--show", "memo, debit"), "almanac: --show: this is shown already: 'debit'"),
    ],
)  # fmt: skip
def test_what_cannot_be_asked(demo: Path, almanac: Almanac, words: tuple[str, ...], message: str) -> None:
    ran = almanac("detail", *words, book=demo)
    assert ran.code == 2
    assert message in ran.err


def test_fields_of_linked_tables_and_the_place_in_the_export_can_be_shown(demo: Path, almanac: Almanac) -> None:
    found = report(
        almanac, demo, "detail", "40111", "--period", "2026-P08", "--show", "vessel.kind, file, file_line, document"
    )
    lines = [row["cells"] for row in found["rows"] if row["kind"] == "line" and "posted" in row["cells"]]
    assert lines
    kinds = {"Brae": "day ferry", "Corran": "night ferry", "Merlin": "day ferry", "Tern": "day ferry"}
    for cells in lines:
        text = (demo / cells["file"]).read_text(encoding="utf-8").splitlines()[int(cells["file_line"]) - 1]
        assert f",{cells['document']}," in text
        assert cells["vessel.kind"] == kinds[text.rsplit(",", 1)[1]]


def test_balance_sheet_accounts_go_over_a_years_end(demo: Path) -> None:
    asked = ("--from", "2024-12-10", "--through", "2026-02-15", "--entity", "LINE", "--print", "json")
    lines = [line for line in second_route.read(demo) if line.entity == "LINE" and line.account < "40"]
    first, last = date(2024, 12, 10), date(2026, 2, 15)
    ran = run_almanac("detail", "asset", "liability", "equity", *asked, "--subtotals", book=demo)
    assert ran.code == 0, ran.err
    within = [line for line in lines if line.is_movement and first <= line.day <= last]
    assert {line.source for line in within} >= {"CL"}, "what closes 2025 is movement in the middle of the range"
    balances: defaultdict[str, Decimal] = defaultdict(Decimal)
    for line in lines:
        # The carried lines of the first loaded year are the base.
        if line.day <= last and (line.is_movement or line.year == 2024):
            balances[line.account] += line.amount
    closed = {row["key"]: Decimal(row["cells"]["balance"]) for row in ran.json["rows"] if row["kind"] == "subtotal"}
    accounts = {code: amount for code, amount in closed.items() if "/" not in code}
    assert accounts == {code: amount for code, amount in balances.items() if code in accounts}
    shown = [row for row in ran.json["rows"] if row["kind"] == "line" and not row["key"].endswith("/opening")]
    assert len(shown) == len(within)
    trial = run_almanac("trial", *asked, "--only", "account.class in asset, liability, equity", book=demo)
    assert trial.code == 0, trial.err
    closing = {row["key"]: row["cells"]["closing"] for row in trial.json["rows"] if row["kind"] == "line"}
    assert {code: Decimal(closing[code]) for code in accounts} == accounts


@pytest.mark.parametrize("words", [("trial",), ("detail", "61320"), ("trial", "--only", "account begins 6")])
def test_the_advice_names_a_range_for_every_year(demo: Path, words: tuple[str, ...]) -> None:
    ran = run_almanac(*words, "--from", "2023-12-01", "--through", "2026-02-15", book=demo)
    assert ran.code == 2
    years = ("--from 2023-12-01 --through 2024-09-30", "--from 2024-10-01 --through 2025-09-30",
             "--from 2025-10-01 --through 2026-02-15")  # fmt: skip
    assert f"start anew: 2023-12-01 through 2026-02-15; ask for each year by itself: {', '.join(years)}" in ran.err


def test_lines_of_an_extra_period_follow_all_of_the_last_one(make_book: MakeBook) -> None:
    book = make_book(
        "A2,1,2025-09-30,2025-P13,1000,5.00,,", "A2,2,2025-09-30,2025-P13,4010,,5.00,",
        "B1,1,2025-09-30,,1000,7.00,,", "B1,2,2025-09-30,,4010,,7.00,",
        "C1,1,2025-09-29,2025-P13,1000,9.00,,", "C1,2,2025-09-29,2025-P13,4010,,9.00,",
    )  # fmt: skip
    assert book.load().code == 0
    rows = book.run("detail", "1000", "--year", "2025", "--subtotals", "--print", "json").json["rows"]
    keys = [row["key"] for row in rows if row["kind"] in ("line", "subtotal")]
    assert keys == ["1000/opening", "1000/B1/1", "1000/2025-P12", "1000/C1/1", "1000/A2/1", "1000/2025-P13", "1000"]
