"""Pace: against plain loops over budgets and ledger, and what happens at a span's end and without a budget."""

from collections import defaultdict
from datetime import date
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import SmallBook, examples, run_almanac
from level_almanac.core.book import Book
from level_almanac.core.measures.table_measures import MeasuredRequest
from level_almanac.core.reports.pace.figures import PaceRequest, Pacing
from level_almanac.core.reports.pace.report import pace
from level_almanac.core.spans.as_of import AsOfRequest
from second_route import period_edges, read
from second_sales import CENT, budgets, exact_due
from small_sales import sales_book

TODAY = date(2026, 6, 17)
ZERO = Decimal(0)


@pytest.fixture(scope="module")
def book(demo: Path) -> Book:
    return Book.open(demo)


def cents(value: Fraction) -> Decimal:
    return (Decimal(value.numerator) / Decimal(value.denominator)).quantize(CENT, ROUND_HALF_UP)


def rows_of(table: dict[str, Any]) -> dict[str, dict[str, Any]]:
    return {row["key"]: row["cells"] for row in table["rows"] if row["cells"]}


@pytest.mark.parametrize("day", [TODAY, date(2026, 2, 28), date(2025, 10, 1)])
def test_figures_are_those_of_budget_and_ledger(demo: Path, day: date) -> None:
    ran = run_almanac("pace", "ledger", "--entity", "LINE", "--by", "account", "--as-of", str(day), "--print", "json",
                      book=demo)  # fmt: skip
    assert ran.code == 0, ran.err
    rows = rows_of(ran.json)
    planned: defaultdict[str, list[Decimal]] = defaultdict(lambda: [ZERO, ZERO])
    for (entity, account, _), (budget, due) in budgets(demo, 2026, day).items():
        if entity == "LINE" and account >= "50":
            planned[account][0] += budget
            planned[account][1] += due
    spent: defaultdict[str, Decimal] = defaultdict(Decimal)
    for line in read(demo):
        counts = line.entity == "LINE" and line.account >= "50" and line.source not in ("CF", "CL")
        if counts and line.year == 2026 and line.day <= day:
            spent[line.account] += line.amount
    assert set(rows) == {*planned, *spent, "total"}
    exact = exact_due(demo, 2026, day)
    for account in sorted({*planned, *spent}):
        budget, due = planned[account]
        found = rows[account]
        assert [Decimal(found[key]) for key in ("budget", "spent", "expected")] == [budget, spent[account], due]
        if budget and due:
            ends = cents(Fraction(spent[account]) * Fraction(budget) / exact["LINE", account])
            assert (Decimal(found["projected"]), Decimal(found["over"])) == (ends, ends - budget)
            assert abs(Decimal(found["spent-pct"]) - spent[account] * 100 / budget) < Decimal("1e-8")
    total = [sum((Decimal(rows[key][name]) for key in rows if key != "total"), ZERO)
             for name in ("budget", "spent", "expected")]  # fmt: skip
    assert [Decimal(rows["total"][name]) for name in ("budget", "spent", "expected")] == total
    whole = sum(
        (part for (entity, account), part in exact.items() if entity == "LINE" and account >= "50"), Fraction(0)
    )
    ends = cents(Fraction(total[1]) * Fraction(total[0]) / whole)
    assert Decimal(rows["total"]["projected"]) == ends, "the whole's end is made of totals"
    assert ran.json["proof"]["balances"] is True


@examples(8)
@given(
    when=st.sampled_from([{"year": "2025"}, {"quarter": "2026-Q1"}, {"period": "2026-P08"}, {"period": "2025-P02"}]),
    by=st.sampled_from(["", "account", "department", "account.parent", "department, account"]),
    income=st.booleans(),
)
def test_at_the_last_day_the_projection_is_what_there_is(
    book: Book, when: dict[str, str], by: str, income: bool
) -> None:
    of = MeasuredRequest(table="ledger", by=by, when=AsOfRequest(**when))  # type: ignore[arg-type]
    made = Pacing(book, PaceRequest(of=of, income=income))
    for going in (*made.goings.values(), made.total):
        assert going.ends == going.spent
        assert going.expected == going.budget
    months = pace(book, PaceRequest(of=of, income=income, by_period=True)).table
    rows = {row.key: row for row in months.rows}
    for row in months.rows:
        for key in ("plan", "due", "fact", "over") if row.adds else ():
            parts: list[Any] = [rows[part].cells[key] for _, part in row.adds]
            assert sum(parts) == row.cells[key], "periods add up to the span"
    assert pace(book, PaceRequest(of=of, income=income)).table.proof.balances  # type: ignore[union-attr]


def test_each_period_is_that_of_budget_and_ledger(demo: Path) -> None:
    words = ["pace", "ledger", "--entity", "LINE", "--by", "department", "--by-period", "--print", "json"]
    ran = run_almanac(*words, book=demo)
    assert ran.code == 0, ran.err
    rows = rows_of(ran.json)
    spent: defaultdict[int, Decimal] = defaultdict(Decimal)
    for line in read(demo):
        counts = line.entity == "LINE" and line.account >= "50" and line.source not in ("CF", "CL")
        if counts and line.year == 2026 and line.day <= TODAY:
            spent[line.period] += line.amount
    due_before = fact_so_far = ZERO
    for period in range(1, 13):
        row = rows[f"all/2026-P{period:02d}"]
        end = min(period_edges(2026, period)[1], TODAY)
        planned = budgets(demo, 2026, end)
        due = sum((each[1] for key, each in planned.items() if key[0] == "LINE" and key[1] >= "50"), ZERO)
        if period > 9:
            assert "fact" not in row, "what is not there yet is blank"
            continue
        fact_so_far += spent[period]
        assert [Decimal(row[name]) for name in ("due", "fact", "due-so-far", "fact-so-far", "over-so-far")] == [
            due - due_before, spent[period], due, fact_so_far, fact_so_far - due,
        ]  # fmt: skip
        due_before = due
    members = [rows[f"{name}/2026-P05"]["fact"] for name in ("SEA", "OFF", "TERM")]
    assert sum(map(Decimal, members)) == spent[5]


GOALS = [
    "aim,2026-P01,,N,310.00,,",
    "aim,2026-P02,,N,280.00,,",
    "aim,2026-P01,,S,62.00,,",
    "aim,2026-P02,,W,100.00,,",
]
LINES = [
    "2026-01-10,A,N,1,150.00,",
    "2026-01-12,A,E,1,40.00,",
    "2026-01-15,B,W,1,7.00,",
    "2025-01-10,A,N,1,999.00,",
]


def small(folder: Path, goals: list[str], more: str = "", **options: str) -> SmallBook:
    book = sales_book(folder, LINES, goals=goals, more=more, **options)
    ran = book.load()
    assert ran.code == 0, ran.err
    return book


def test_members_without_a_budget_without_spending_and_before_their_plan_begins(tmp_path: Path) -> None:
    book = small(tmp_path, GOALS)
    ran = book.run("pace", "sales", "--by", "route", "--as-of", "2026-01-15", "--print", "json")
    assert ran.code == 0, ran.err
    rows, notes = rows_of(ran.json), " ".join(ran.json["notes"])
    assert list(rows) == ["N", "W", "S", "E", "total"], "the largest budget first"
    shown = {key: [cells.get(name) for name in ("budget", "spent", "expected", "projected", "over")]
             for key, cells in rows.items()}  # fmt: skip
    # 15 of January's 31 days; 150 of 150 due is 590 of 590 in the end.
    assert shown["N"] == ["590.00", "150.00", "150.00", "590.00", "0.00"]
    assert shown["S"] == ["62.00", "0.00", "30.00", "0.00", "-62.00"]
    assert shown["E"] == ["0.00", "40.00", "0.00", None, "40.00"]
    assert shown["W"] == ["100.00", "7.00", "0.00", None, None]
    assert (rows["E"]["spent-pct"], rows["E"]["over-pct"]) == ("no budget", "no budget")
    assert shown["total"][:3] == ["752.00", "197.00", "180.00"]
    assert Decimal(str(shown["total"][3])) == (Decimal(197) * 752 / 180).quantize(CENT, ROUND_HALF_UP)
    assert "No budget, and so no projection: E" in notes
    assert "A budget and nothing yet: S" in notes
    assert "Nothing of the plan was due by now, so no projection: W" in notes


@pytest.mark.parametrize(
    ("goals", "options", "budget", "gap", "words"),
    [
        (GOALS, ["--limit", "800"], "800.00", "48.00", "come to 752.00, 48.00 less than the 800.00 of the whole"),
        (GOALS, ["--limit", "700"], "700.00", "-52.00", "come to 752.00, 52.00 more than the 700.00 of the whole"),
        (["aim,2026,,N,,60,all", "aim,2026,,S,,35.5,all"], [], "1000.00", "45.00",
         "come to 955.00, 45.00 less than the 1,000.00 of the whole"),
        (["aim,2026,,N,,60,all", "aim,2026,,S,,40,all"], [], "1000.00", None, ""),
    ],
    ids=["a limit above", "a limit below", "shares of less than all", "shares of all"],
)  # fmt: skip
def test_members_that_do_not_come_to_the_whole_are_told(
    tmp_path: Path, goals: list[str], options: list[str], budget: str, gap: str | None, words: str
) -> None:
    book = small(tmp_path, goals, '[plans.aim]\ntotals = { all = "1000.00" }\n')
    ran = book.run("pace", "sales", "--by", "route", "--as-of", "2026-01-15", *options, "--print", "json")
    assert ran.code == 0, ran.err
    rows, notes = rows_of(ran.json), " ".join(ran.json["notes"])
    assert rows["total"]["budget"] == budget
    assert rows.get("not-given", {}).get("budget") == gap
    assert words in notes
    assert ("less than" in notes or "more than" in notes) is bool(words)
    parts = [Decimal(cells["budget"]) for key, cells in rows.items() if key != "total"]
    assert sum(parts) == Decimal(budget)
    due = [Decimal(cells["expected"]) for key, cells in rows.items() if key != "total"]
    assert sum(due) == Decimal(rows["total"]["expected"])
    if gap is None:
        assert "not to 100" not in notes


def test_a_projection_is_exact_until_its_last_step(tmp_path: Path) -> None:
    book = sales_book(tmp_path, ["2026-01-20,A,N,1,7449.58,"], goals=["aim,2026-P01,,N,10000.00,,"])
    assert book.load().code == 0
    ran = book.run("pace", "sales", "--period", "2026-P01", "--as-of", "2026-01-25", "--print", "json")
    total = rows_of(ran.json)["total"]
    # 7,449.58 x 31 / 25 is 9,237.4792; of the rounded 8,064.52 that was due it would be 9,237.47.
    assert (total["expected"], total["projected"], total["over"]) == ("8064.52", "9237.48", "-762.52")


def test_working_days_decide_what_is_due_where_the_book_says_so(tmp_path: Path) -> None:
    book = small(tmp_path, ["aim,2026-P01,,N,220.00,,"], '[plans.aim]\npart_period = "working"\n')
    ran = book.run("pace", "sales", "--as-of", "2026-01-15", "--span", "period", "--print", "json")
    # January 2026 has 22 working days, 11 of them by the 15th.
    assert rows_of(ran.json)["total"]["expected"] == "110.00"
    assert "11/22 working days" in book.run("pace", "sales", "--as-of", "2026-01-15", "--span", "period").out


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (["sales", "--by", "item"], "--by: lines of plans in goals have no such field: 'item'; expected"),
        (["sales", "--plan", "aims"], "--plan: no plan has this name: 'aims'; expected aim; did you mean 'aim'?"),
        (["sales", "--of", "quantity"], "--of: a plan is of one amount: 'quantity'"),
        (["sales", "--income"], "--income: only the ledger has costs and income: 'sales'"),
        (["sales", "--only", "item is A"], "--only: lines of plans have no item, so a plan cannot stand beside this"),
    ],
)
def test_what_has_no_plan_is_said_in_one_line(tmp_path: Path, words: list[str], message: str) -> None:
    ran = small(tmp_path, GOALS).run("pace", *words)
    assert ran.code == 2
    assert message in ran.err.splitlines()[0], ran.err


def test_a_table_without_lines_is_told_of(tmp_path: Path) -> None:
    for words in (["pace", "billing"], ["rank", "billing", "--by", "payer"], ["billing"], ["growth", "ledger"]):
        ran = small(tmp_path, GOALS).run(*words)
        assert ran.code == 3
        name = "ledger" if "ledger" in words else "billing"
        assert ran.err == (
            f"almanac: TABLE: nothing is loaded into this table: '{name}'; add an [[intake]] block for the table {name}, "
            "and load\n"
        )


@pytest.mark.parametrize(
    ("more", "message"),
    [
        ('[tables.hopes]\nplan_of = "sails"\n', "tables.hopes.plan_of: no table that can be planned for: 'sails'"),
        ('[tables.hopes]\nplan_of = "sales"\n[tables.hopes.fields]\nrute = "text"\n',
         "tables.hopes.fields.rute: the table sales has no such field of this kind to plan by"),
        ('[tables.hopes]\nplan_of = "sales"\nkey = ["route"]\n',
         "tables.hopes: a table of plans has its key and date already"),
        ('[tables.billing]\ncompute = { amount = "amount" }\n', "tables.billing.compute.amount: this name is taken"),
        ('[billing]\npayments_by = "cheque"\n', "billing.payments_by: not allowed here: 'cheque'; expected 'posted'"),
    ],
)  # fmt: skip
def test_a_book_file_that_plans_wrongly_is_refused(tmp_path: Path, more: str, message: str) -> None:
    ran = sales_book(tmp_path, LINES, more=more).load()
    assert ran.code == 3
    assert message in ran.err, ran.err


@pytest.mark.parametrize(("row", "column", "figure"), [("N", "spent", "150.00"), ("N", "expected", "150.00"),
                                                       ("total", "budget", "752.00")])  # fmt: skip
def test_figures_of_pace_are_traced_to_lines_and_plans(tmp_path: Path, row: str, column: str, figure: str) -> None:
    book = small(tmp_path, GOALS)
    ran = book.run("trace", "pace", "sales", "--by", "route", "--as-of", "2026-01-15", "--row", row, "--column", column,
                   "--print", "json")  # fmt: skip
    assert ran.code == 0, ran.err
    total = ran.json["rows"][-1]["cells"]
    assert total["amount" if column == "spent" else "part"] == figure
    assert ran.json["proof"]["balances"] is True


def test_the_old_name_of_an_option_still_does_its_work_and_says_what_it_is_called(demo: Path) -> None:
    words = ("pace", "sales", "--by", "route", "--quarter", "2026-Q2")
    old, new = (run_almanac(*words, option, book=demo) for option in ("--months", "--by-period"))
    assert old.out == new.out
    assert old.err == "warning: --months is called by-period now; the old name will go\n"
    assert new.err == ""
    assert "--months" not in run_almanac("pace", "--help").out
