"""What managers' reports share: they agree with each other and with statements, in every format, and say what is missing."""

import csv
import io
import shlex
from collections import defaultdict
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import MakeBook, examples, run_almanac
from level_almanac.core.book import Book
from level_almanac.core.measures.table_measures import MeasuredRequest
from level_almanac.core.reports.growth.figures import GrowthRequest
from level_almanac.core.reports.growth.report import growth
from level_almanac.core.reports.list.report import listing
from level_almanac.core.reports.list.request import ListRequest
from level_almanac.core.reports.rank.figures import RankRequest
from level_almanac.core.reports.rank.report import rank
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest
from second_items import read_docs
from second_route import read
from second_sales import sales
from small_sales import BILLING_HEADS, SALES_HEADS, sales_book

TODAY = date(2026, 6, 17)
ZERO = Decimal(0)


@pytest.fixture(scope="module")
def book(demo: Path) -> Book:
    return Book.open(demo)


def json_of(demo: Path, *words: str) -> dict[str, Any]:
    ran = run_almanac(*words, "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    return ran.json


def cells_of(table: dict[str, Any]) -> dict[str, dict[str, Any]]:
    return {row["key"]: row["cells"] for row in table["rows"] if row["cells"]}


# The demo's data.


def test_sales_are_the_ledger_s_takings_day_by_day(demo: Path) -> None:
    sold: defaultdict[date, Decimal] = defaultdict(Decimal)
    for line in sales(demo):
        sold[line.day] += line.amount
    taken: defaultdict[date, Decimal] = defaultdict(Decimal)
    for entry in read(demo):
        if entry.source == "TK" and "40" <= entry.account < "41" and entry.account != "40190":
            taken[entry.posted] -= entry.amount
    assert len(sold) == (TODAY - date(2023, 10, 1)).days + 1, "three years of days"
    assert dict(sold) == {day: amount for day, amount in taken.items() if amount}
    lines = sales(demo)
    assert len({line.terminal for line in lines}) == len({line.route for line in lines}) == 4
    assert len({line.item for line in lines}) == 23


# One report agrees with another.


@examples(8)
@given(
    only=st.sampled_from(["", "vessel is Tern", "amount over 500", "item.range is Galley", "date in 2026-Q2"]),
    by=st.sampled_from(["item", "route", "terminal", "quarter of date"]),
    when=st.sampled_from([{"year": "2025"}, {"quarter": "2026-Q1"}, {"period": "2024-P05"}]),
)
def test_a_ranking_of_all_members_is_the_list_in_groups(book: Book, only: str, by: str, when: dict[str, str]) -> None:
    conditions, named = Conditions((only,) if only else ()), AsOfRequest(**when)  # type: ignore[arg-type]
    of = MeasuredRequest(table="sales", by=by, of="amount, quantity, count", conditions=conditions, when=named)
    ranked = rank(book, RankRequest(of=of, top=1000)).table
    asked = ListRequest(table="sales", by=by, show="amount, quantity, count", conditions=conditions, when=named)
    listed = {row.key: dict(row.cells) for row in listing(book, asked).table.rows}
    keys = ("amount", "quantity", "count")
    found = {row.key: {key: row.cells[key] or 0 for key in keys} for row in ranked.rows}
    there = {key: {name: cells[name] or 0 for name in keys} for key, cells in listed.items()}
    # Who only sold last year stands in the ranking, with nothing now.
    assert {key: cells for key, cells in found.items() if key == "total" or any(cells.values())} == there


@pytest.mark.parametrize("when", [["--as-of", "2026-06-17"], ["--year", "2025"], ["--as-of", "2026-02-28"]])
def test_growth_of_income_is_the_statement_s_income(demo: Path, when: list[str]) -> None:
    statement = cells_of(json_of(demo, "statement", "income", *when, "--columns", "ytd; ytd last year; ptd; qtd"))
    grown = cells_of(json_of(demo, "growth", "ledger", "--only", "account.class is income", *when, "--each", "year"))
    total = statement["total-income"] if "total-income" in statement else statement["income"]
    assert Decimal(grown["ytd"]["now"]) == Decimal(total["ytd"])
    assert Decimal(grown["ytd"]["last-year"]) == Decimal(total["ytd-last-year"])
    assert Decimal(grown["ptd"]["now"]) == Decimal(total["ptd"])
    assert Decimal(grown["qtd"]["now"]) == Decimal(total["qtd"])


@pytest.mark.parametrize("day", ["2026-06-17", "2026-03-31", "2025-11-10"])
def test_pace_is_the_statement_s_budget_to_date(demo: Path, day: str) -> None:
    words = ["statement", "income", "--entity", "LINE", "--as-of", day, "--columns", "ytd; budget ytd; budget year"]
    statement = cells_of(json_of(demo, *words, "--signs", "stored"))
    pace = cells_of(json_of(demo, "pace", "ledger", "--entity", "LINE", "--by", "account", "--as-of", day))
    accounts = [key for key in pace if key != "total" and key in statement]
    assert len(accounts) > 15
    for account in accounts:
        row = statement[account]
        told = [Decimal(row[key] or 0) for key in ("ytd", "budget-ytd", "budget-year")]
        assert told == [Decimal(pace[account][key]) for key in ("spent", "expected", "budget")], account


# Every format tells the same.


def test_figures_that_are_no_money_are_never_shown_in_thousands(demo: Path, tmp_path: Path) -> None:
    words = ["growth", "sales", "--of", "amount, quantity, margin %, price", "--compute", "price = amount / quantity",
             "--each", "year", "--only", "item.range is Shop"]  # fmt: skip
    xlsx, plain = tmp_path / "g.xlsx", tmp_path / "g.csv"
    ran = run_almanac(*words, "--style", "board", "-o", xlsx, "-o", plain, "--print", "terminal", book=demo)
    assert ran.code == 0, ran.err
    exact = {row["key"]: row["cells"] for row in json_of(demo, *words)["rows"] if row["cells"]}
    lines = [line for line in ran.out.splitlines() if line.lstrip().startswith("2025 ")]
    shown = [line.replace("30 Sep 2025", "").split()[-7:] for line in lines]
    amount, quantity, margin, price = (exact[f"{key}/2025"]["now"] for key in ("amount", "quantity", "margin", "price"))
    assert f"{Decimal(amount) / 1000:,.0f}" in shown[0]
    assert f"{Decimal(quantity):,.0f}" in shown[1]
    assert f"{Decimal(margin):.1f}" in shown[2]
    assert f"{Decimal(price):.2f}" in shown[3]
    sheet = openpyxl.load_workbook(xlsx).worksheets[0]
    rows = [row for row in sheet.iter_rows(values_only=True) if any(str(cell).strip() == "2025" for cell in row[:2])]
    assert [Decimal(str(row[2])) for row in rows] == [
        pytest.approx(Decimal(each)) for each in (amount, quantity, margin, price)
    ]
    told = list(csv.reader(io.StringIO(plain.read_text())))
    assert any(amount in row for row in told)


@pytest.mark.parametrize("words", [
    ["rank", "sales", "--by", "item", "--top", "4"],
    ["growth", "sales", "--each", "quarter"],
    ["pace", "sales", "--by", "route"],
    ["billing", "--by", "office"],
], ids=lambda words: str(words[0]))  # fmt: skip
def test_each_format_has_each_figure(demo: Path, tmp_path: Path, words: list[str]) -> None:
    names = [tmp_path / f"report.{ending}" for ending in ("csv", "md", "html", "parquet")]
    ran = run_almanac(*words, *(part for name in names for part in ("-o", str(name))), book=demo)
    assert ran.code == 0, ran.err
    table = json_of(demo, *words)
    amounts = [cell for row in table["rows"] for cell in row["cells"].values()
               if isinstance(cell, str) and cell.lstrip("-").replace(".", "").isdigit()]  # fmt: skip
    assert len(amounts) > 10
    data = names[0].read_text()
    assert all(amount in data for amount in amounts)
    for people in names[1:3]:
        shown = people.read_text()
        for amount in amounts:
            if len(amount.partition(".")[2]) == 2:
                assert f"{abs(Decimal(amount)):,.2f}" in shown, people.name


# What is missing is said.


def test_what_lies_after_the_data_is_marked(demo: Path) -> None:
    ran = run_almanac("rank", "sales", "--by", "route", "--period", "2026-P09", "--print", "json", book=demo)
    column = next(each for each in ran.json["columns"] if each["key"] == "amount")
    assert (column["through"], column["complete"]) == ("2026-06-17", True)
    past = ("--as-of", "2026-06-30")
    ran = run_almanac("rank", "sales", "--by", "route", "--period", "2026-P09", *past, "--print", "json", book=demo)
    column = next(each for each in ran.json["columns"] if each["key"] == "amount")
    assert column["complete"] is False
    grown = json_of(demo, "growth", "sales", *past, "--each", "year")
    assert cells_of(grown)["ptd"]["days"] == "1–30 Jun 2026, data to 17 Jun 2026"
    whole = run_almanac("rank", "sales", "--by", "route", "--period", "2026-P08", "--print", "json", book=demo).json
    assert next(each for each in whole["columns"] if each["key"] == "amount")["complete"] is True


SALES = ["2026-01-10,A,N,2,30.00,12.00", "2026-02-03,B,S,1,9.00,", "2026-02-28,A,N,1,11.00,4.00"]


def test_a_book_may_do_without_a_ledger(tmp_path: Path) -> None:
    book = sales_book(tmp_path, SALES)
    ran = book.load("--through", "2026-02-28")
    assert ran.code == 0, ran.err
    ranked = book.run("rank", "sales", "--by", "item")
    assert ranked.code == 0, ranked.err
    assert "through 28 Feb 2026 (sales complete through this day)" in ranked.out
    for words in (["statement", "income"], ["trial"], ["calendar"], ["detail", "1000"]):
        ran = book.run(*words)
        assert ran.code == 3
        assert ran.err.splitlines()[0].endswith(
            "no ledger is loaded; add an [[intake]] block for the table ledger, and load"
        ), ran.err


def test_heads_that_are_the_fields_own_names_need_no_mapping(tmp_path: Path) -> None:
    book = sales_book(tmp_path, SALES)
    (tmp_path / "sales.csv").write_text(SALES_HEADS.replace("item", "article") + f"S1,1,{SALES[0]}\n")
    ran = book.load()
    assert ran.code == 3
    assert ran.err.splitlines()[0] == (
        "almanac: sales.csv:1: the head line has no 'item', a field that is needed; expected one of 'number', 'line', "
        "'date', 'article', 'route', 'quantity', 'amount' or 'cost'; map it in [intake.fields], with all others"
    )


@pytest.mark.parametrize("order", [(0, 1), (1, 0)])
def test_one_load_of_sales_and_billing_is_many(tmp_path: Path, order: tuple[int, int]) -> None:
    bills = ["B1,1,charge,2026-01-30,2026-02-01,,,K,1,,,,10.00", "B1,2,adjustment,,2026-02-02,,,K,1,,,goodwill,-1.00"]
    for name in ("one", "many"):
        (tmp_path / name).mkdir()
    whole, many = (sales_book(tmp_path / name, SALES, billing=bills) for name in ("one", "many"))
    assert whole.load().code == 0
    for name in ("sales.csv", "billing.csv"):
        (many.root / name).unlink()
    numbered = [f"S{number},1,{line}\n" for number, line in enumerate(SALES, 1)]
    for at in order:
        # One line stands in both files of sales, as where one export began before the other ended.
        (many.root / f"sales-{at}.csv").write_text(SALES_HEADS + "".join(numbered[at : at + 2]))
        (many.root / f"billing-{at}.csv").write_text(BILLING_HEADS + f"{bills[at]}\n")
        assert many.load().code == 0
    for words in (["rank", "sales", "--by", "item"], ["billing", "--period", "2026-P02"]):
        one, other = (each.run(*words, "--print", "json").json for each in (whole, many))
        assert [row["cells"] for row in one["rows"]] == [row["cells"] for row in other["rows"]]


ODD = """
rank sales --by count
rank sales --by item --within "month of date" --of "average of amount" --top 1
rank sales --by item --of %
rank sales --by item --span 2026-P13
rank ledger --by account --period 2025-P13
rank sales --by item --span "last 40 periods"
growth ledger --period 2025-P13 --each period
growth sales --as-of 1999-01-01
growth sales --as-of 2031-01-01
growth sales --by "quarter of date" --each year --per "x = count of billing"
growth sales --per "x = nothing of billing"
growth sales --only "route is nowhere"
pace ledger --plan forecast --entity LINE --by account --by-period --span quarter
pace ledger --as-of 1999-01-01
pace sales --as-of 2025-01-01 --by route
pace sales --by route --only "route is nowhere"
billing --as-of 1999-01-01
billing --entity YARD
billing --by "week of served" --unposted
billing --only "counts_on in 2026-P08"
trace billing --in-transit --row Total
trace billing --unposted --row Total
trace growth sales --each year --row ytd --column before
trace rank sales --by "month of date" --top 2 --row all-other
trace rank sales --by item --of count --row total
trace pace sales --by route --row not-given
"""


@pytest.mark.parametrize("words", ODD.strip().splitlines())
def test_what_nobody_expects_is_a_report_that_proves_itself_or_one_clear_line(demo: Path, words: str) -> None:
    ran = run_almanac(*shlex.split(words), "--print", "json", book=demo)
    assert ran.code in (0, 2), ran.err
    if ran.code == 0:
        assert ran.json["proof"]["balances"] is True
    else:
        assert ran.err.startswith("almanac: ")
        assert "Traceback" not in ran.err


# Computed fields and signs.


def test_a_ratio_counts_a_line_that_lacks_one_of_its_parts_with_the_other(tmp_path: Path) -> None:
    book = sales_book(tmp_path, SALES)
    assert book.load().code == 0
    table = book.run("list", "sales", "--by", "item", "--show", "amount, cost, margin", "--print", "json").json
    rows = {row["key"]: row["cells"] for row in table["rows"]}
    # A: (41 - 16) of 41. B has no cost at all, so nothing is known of its margin. Together: (50 - 16) of 50.
    assert Decimal(rows["A"]["margin"]) == pytest.approx(Decimal(25) / 41)
    assert rows["B"]["margin"] is None
    assert Decimal(rows["total"]["margin"]) == Decimal("0.68")
    constant = book.run("list", "sales", "--by", "item", "--compute", "net = (amount - 1) / quantity", "--show", "net",
                        "--print", "json").json  # fmt: skip
    # A number is taken from each line: (30 - 1 + 11 - 1) of 3.
    assert Decimal({row["key"]: row["cells"] for row in constant["rows"]}["A"]["net"]) == 13
    fields = book.run("fields", "sales").out
    assert "computed by the book" in fields
    assert "(amount - cost) / amount" in fields


def test_natural_and_signed_have_the_signs_that_people_expect(demo: Path) -> None:
    table = json_of(demo, "list", "ledger", "--by", "account.class", "--year", "2025", "--show", "amount, natural",
                    "--except", "entry in carried, closing")  # fmt: skip
    for key, cells in cells_of(table).items():
        if key != "total":
            turned = -1 if key in ("income", "liability", "equity") else 1
            assert Decimal(cells["natural"]) == turned * Decimal(cells["amount"])
    bills = cells_of(json_of(demo, "list", "billing", "--by", "kind", "--show", "amount, signed"))
    for kind, sign in (("charge", 1), ("adjustment", 1), ("payer-payment", -1), ("customer-payment", -1)):
        assert Decimal(bills[kind]["signed"]) == sign * Decimal(bills[kind]["amount"])


@pytest.mark.parametrize(
    ("text", "message"),
    [
        (
            'margin = "(amount - costs) / amount"',
            "tables.sales.compute.margin: the table sales has no such field: 'costs'",
        ),
        ('margin = "amount -"', "tables.sales.compute.margin: "),
    ],
)
def test_a_field_that_the_book_computes_wrongly_is_told_where_it_stands(
    tmp_path: Path, text: str, message: str
) -> None:
    book = sales_book(tmp_path, SALES)
    settings_ = tmp_path / "almanac.toml"
    settings_.write_text(settings_.read_text().replace('margin = "(amount - cost) / amount"', text))
    assert book.load().code == 0
    ran = book.run("rank", "sales", "--by", "item", "--of", "margin")
    assert ran.code == 3
    assert message in ran.err.splitlines()[0], ran.err
    assert book.run("rank", "sales", "--by", "item").code == 0, "who does not ask for it is not held up"


def test_exports_of_sales_and_billing_are_proposed_for(demo: Path) -> None:
    sold = run_almanac("propose", "exports/sales/sales-2026.csv", cwd=demo).out
    for line in (
        'table = "sales"',
        'number = "Till"',
        'quantity = "Sold"',
        'amount = "Takings"',
        'cost = "Cost of goods"',
    ):
        assert line in sold
    assert "UNSURE" not in sold
    billed = run_almanac("propose", "exports/billing/billing-2026.csv", cwd=demo).out
    for line in (
        'table = "billing"',
        'checked = "Cheque dated"',
        'deposited = "Banked"',
        'office = "Site"',
        'reason = "Why"',
    ):
        assert line in billed
    assert "UNSURE of kind: what its words stand for, see [intake.values.kind]." in billed
    assert 'CHG = "charge"' in billed


def test_growth_of_one_s_own_table_goes_by_its_date(demo: Path, book: Book) -> None:
    of = MeasuredRequest(table="vessels", of="cars, count")
    table = growth(book, GrowthRequest(of=of, each=("year",), last=30)).table
    rows = {row.key: row.cells for row in table.rows}
    launched = {2009: 42, 2017: 88, 1998: 36, 2021: 54}
    for year, cars in launched.items():
        assert rows[f"cars/{year}"]["now"] == cars
        assert rows[f"count/{year}"]["now"] == 1
    refused = run_almanac("growth", "items", book=demo)
    assert refused.code == 2
    assert "the table items has no date to tell days by" in refused.err


@pytest.mark.parametrize("closing", [False, True])
def test_closing_lines_never_wipe_out_a_year(demo: Path, closing: bool) -> None:
    lines = [line for line in read(demo) if line.account >= "61" and line.is_movement]
    year = date(2024, 10, 1), date(2025, 9, 30)
    wanted = [line for line in lines if year[0] <= line.day <= year[1] and (closing or line.source != "CL")]
    spent = sum((line.amount for line in wanted), Decimal(0))
    assert bool(spent) is not closing, "with its closing lines a year comes to nothing"
    words = ("--only", "account from 61 through 69", *(["--after-closing"] if closing else []))
    listed = json_of(demo, "list", "ledger", *words, "--year", "2025", "--by", "account.class")
    assert Decimal(listed["rows"][-1]["cells"]["amount"]) == spent
    ranked = json_of(demo, "rank", "ledger", "--by", "account", "--of", "amount", *words, "--year", "2025")
    grown = json_of(demo, "growth", "ledger", "--of", "amount", *words, "--as-of", "2025-09-30", "--each", "year")
    assert Decimal(ranked["rows"][-1]["cells"]["amount"]) == Decimal(cells_of(grown)["2025"]["now"]) == spent
    traced = json_of(
        demo, "trace", "list", "ledger", *words, "--year", "2025", "--by", "account.class", "--row", "total"
    )
    for table in (listed, ranked, grown):
        assert any(part["rule"] == "closing" for part in table["proof"]["left_out"]) is not closing
    assert traced["proof"]["shown"]["lines"] == len(wanted)
    ran = run_almanac("rank", "sales", "--by", "route", "--after-closing", book=demo)
    assert (ran.code, ran.err) == (2, "almanac: --after-closing: only the ledger has such lines: 'sales'\n")


@pytest.mark.parametrize(
    ("only", "accounts", "sign", "named"),
    [
        # Without a condition that leaves one kind of accounts, a ledger's lines are of the result.
        ("", "4 5 6", -1, "result (income less costs)"),
        ("source is not GJ", "4 5 6", -1, "result (income less costs)"),
        ("account from 4 through 59999", "4 5", -1, "result (income less costs)"),
        ("account.class is income", "4", -1, "natural amount"),
        ("account begins 61", "61", 1, "natural amount"),
        ("account.class in direct-cost, expense", "5 6", 1, "natural amount"),
        ("account.control is receivable", "1", 1, "natural amount"),
        ("account.class in asset, liability", "1 2", 1, "net (debits less credits)"),
        ("not (account.class is asset or account.class in liability, equity)", "4 5 6", -1, "result (income less costs)"),
    ],
)  # fmt: skip
def test_kinds_of_accounts_are_not_added_up(
    demo: Path, chart: dict[str, str], only: str, accounts: str, sign: int, named: str
) -> None:
    asked = ("--only", only) if only else ()
    wanted = [
        line for line in read(demo)
        if line.is_movement and line.source != "CL" and date(2025, 10, 1) <= line.day <= TODAY
        and line.account.startswith(tuple(accounts.split())) and not ("GJ" in only and line.source == "GJ")
        and not ("control" in only and "receivable" not in chart[line.account])
    ]  # fmt: skip
    total = sign * sum((line.amount for line in wanted), Decimal(0))
    ranked = json_of(demo, "rank", "ledger", "--by", "account", *asked)
    grown = json_of(demo, "growth", "ledger", "--each", "year", *asked)
    key = {"result": "result", "natural": "natural", "net": "net"}[named.partition(" ")[0]]
    assert Decimal(ranked["rows"][-1]["cells"][key]) == Decimal(cells_of(grown)["ytd"]["now"]) == total
    assert (ranked["title"], grown["title"]) == (f"Ledger: {named} by account", f"Ledger: growth of {named}")
    traced = json_of(demo, "trace", "growth", "ledger", "--each", "year", *asked, "--row", "ytd", "--column", "now")
    assert traced["proof"]["shown"]["lines"] == len(wanted)


@pytest.fixture(scope="module")
def chart(demo: Path) -> dict[str, str]:
    """Return what each account controls."""
    with (demo / "exports/chart.csv").open(encoding="utf-8", newline="") as stream:
        return {row["Code"]: row["Control"] for row in csv.DictReader(stream)}


def test_the_largest_are_the_largest_where_all_are_below_zero(demo: Path) -> None:
    asked = ("rank", "payables", "--by", "party", "--only", "kind is payment", "--year", "2025", "--top", "3")
    ranked = json_of(demo, *asked)
    paid: defaultdict[str, Decimal] = defaultdict(Decimal)
    for doc in read_docs(demo, "suppliers"):
        if doc.kind == "payment" and date(2024, 10, 1) <= doc.posted <= date(2025, 9, 30):
            paid[doc.party] += Decimal(doc.cents) / 100
    wanted = sorted(paid, key=lambda party: (-paid[party], party))
    shown = [row["key"] for row in ranked["rows"] if row["kind"] == "line" and row["key"] != "all-other"]
    assert shown == wanted[:3]
    assert [Decimal(cells_of(ranked)[party]["signed"]) for party in shown] == [-paid[party] for party in shown]
    assert ranked["title"] == "Payables: net amount by party"
    assert "None is above zero, so size decides: the largest are those furthest below it" in ranked["notes"]
    smallest = json_of(demo, *asked[:-2], "--bottom", "2")
    shown = [row["key"] for row in smallest["rows"] if row["kind"] == "line" and row["key"] != "all-other"]
    lowest = sorted(paid.values())[:2]
    assert [-Decimal(cells_of(smallest)[party]["signed"]) for party in shown] <= lowest


# A proof is of the figures that are shown.


def proofs_of(table: dict[str, Any]) -> dict[str, dict[str, Any]]:
    proof = table["proof"]
    assert proof["balances"]
    return {each["measure"]: each for each in (proof, *proof.get("further", []))}


def test_a_trial_balance_proves_debits_credits_and_net(demo: Path) -> None:
    words = ("--only", "account.control is payable", "--except", "source is GJ")
    table = json_of(demo, "trial", *words)
    proofs = proofs_of(table)
    total = next(row["cells"] for row in table["rows"] if row["key"] == "total")
    left = {
        measure: next(Decimal(part["amount"]) for part in proof["left_out"] if part["rule"] == "source is GJ")
        for measure, proof in proofs.items()
    }
    credit = Decimal("432723.84")
    assert left == {"debits": 0, "credits": credit, "net, debits less credits": -credit}
    assert Decimal(proofs["net, debits less credits"]["shown"]["amount"]) == Decimal(total["closing"])
    parts = {measure: Decimal(proof["shown_as"][-1]["amount"]) for measure, proof in proofs.items()}
    assert (parts["debits"], parts["credits"]) == (Decimal(total["debit"]), Decimal(total["credit"]))
    detail = proofs_of(json_of(demo, "detail", "20110", "--except", "source is GJ"))
    assert set(detail) == set(proofs)


@pytest.mark.parametrize(
    ("words", "measure", "column"),
    [
        ("parties payable --year 2025 --on paid --over 7500", "paid", "paid"),
        ("parties receivable --year 2025", "invoiced", "invoiced"),
        ("parties receivable --year 2025", "paid", "paid"),
        ("rank payables --by party --from 2025-10-01 --through 2026-06-17", "net amount", "signed"),
        ("rank sales --by route --of quantity --year 2025", "quantity", "quantity"),
        ("rank ledger --by account --year 2025", "result", "result"),
        ("pace ledger --entity LINE", "natural amount", "spent"),
    ],
)
def test_what_is_proven_is_what_is_shown(demo: Path, words: str, measure: str, column: str) -> None:
    table = json_of(demo, *words.split())
    proof = proofs_of(table)[measure]
    total = Decimal(next(row["cells"][column] for row in table["rows"] if row["key"] == "total"))
    # Of two spans that are compared, the first part is that of the first.
    shown = proof["shown_as"][0]["amount"] if proof.get("shown_as") else proof["shown"]["amount"]
    assert Decimal(shown) == total


def test_a_list_proves_the_amounts_it_shows(demo: Path) -> None:
    lines = [line for line in read(demo) if line.is_movement and line.source != "CL" and line.year == 2025]
    both = json_of(demo, "list", "ledger", "--by", "account.class", "--year", "2025", "--show", "debit, credit")
    proofs = proofs_of(both)
    for side in ("debit", "credit"):
        moved = sum((getattr(line, side) for line in lines), Decimal(0))
        assert Decimal(proofs[side]["shown"]["amount"]) == Decimal(both["rows"][-1]["cells"][side]) == moved
        assert proofs[side]["considered"]["lines"] == len(read(demo))
    limited = json_of(demo, "list", "ledger", "--by", "party", "--year", "2025", "--show", "debit, credit", "--on", "credit",
                      "--over", "60000")  # fmt: skip
    proofs = proofs_of(limited)
    assert list(proofs) == ["credit"], "what a limit leaves out is known of the amount that it is on"
    assert Decimal(proofs["credit"]["shown"]["amount"]) == Decimal(limited["rows"][-1]["cells"]["credit"])


def test_accounts_may_be_compared_as_numbers(make_book: MakeBook) -> None:
    book = make_book("J1,1,2025-10-01,,6000,9.00,,", "J1,2,2025-10-01,,4010,,9.00,", "J2,1,2025-10-02,,6000,1.00,,",
                     "J2,2,2025-10-02,,1000,,1.00,")  # fmt: skip
    toml = book.root / "almanac.toml"
    text = toml.read_text()
    at = text.index("[[intake]]")
    toml.write_text(f'{text[:at]}[tables.ledger]\nnumber_like = ["account"]\n\n{text[at:]}')
    assert book.load().code == 0
    ran = book.run("rank", "ledger", "--by", "account", "--only", "account over 4500", "--print", "json")
    assert ran.code == 0, ran.err
    assert ran.json["rows"][-1]["cells"]["result"] == "-10.00"
