"""Rankings: against plain loops over the exports, and the laws that every ranking keeps."""

from collections import defaultdict
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any, Literal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import examples, run_almanac
from level_almanac.core.book import Book
from level_almanac.core.measures.table_measures import MeasuredRequest
from level_almanac.core.reports.rank.figures import RankRequest
from level_almanac.core.reports.rank.report import rank
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.table.model import ReportTable
from second_sales import sales, summed, year_before
from small_sales import sales_book

TODAY = date(2026, 6, 17)
ZERO = Decimal(0)


@pytest.fixture(scope="module")
def book(demo: Path) -> Book:
    return Book.open(demo)


def cells(table: ReportTable) -> dict[str, dict[str, Any]]:
    return {row.key: dict(row.cells) for row in table.rows if row.cells}


@pytest.mark.parametrize(
    ("options", "first", "last"),
    [
        ([], date(2025, 10, 1), TODAY),
        (["--span", "ptd"], date(2026, 6, 1), TODAY),
        (["--span", "2025-Q2"], date(2025, 1, 1), date(2025, 3, 31)),
        (["--from", "2024-12-24", "--through", "2025-01-06"], date(2024, 12, 24), date(2025, 1, 6)),
        (["--as-of", "2026-02-28", "--span", "qtd"], date(2026, 1, 1), date(2026, 2, 28)),
    ],
    ids=["ytd", "ptd", "a quarter", "days over a year's edge", "as of February's end"],
)
@pytest.mark.parametrize(("by", "top"), [("item", 4), ("route", 9)])
def test_figures_are_those_of_the_exports(
    demo: Path, options: list[str], first: date, last: date, by: str, top: int
) -> None:
    ran = run_almanac("rank", "sales", "--by", by, "--top", str(top), *options, "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    rows = {row["key"]: row["cells"] for row in ran.json["rows"]}
    lines = sales(demo)
    now = summed(lines, first, last, lambda line: str(getattr(line, by)))
    before = summed(lines, year_before(first), year_before(last), lambda line: str(getattr(line, by)))
    order = sorted({*now, *before}, key=lambda member: (-now.get(member, ZERO), member))
    assert list(rows)[: len(order[:top])] == order[:top]
    gone, total = ZERO, sum(now.values())
    for member in order[:top]:
        found, one, other = rows[member], now.get(member, ZERO), before.get(member, ZERO)
        gone += one
        assert (Decimal(found["amount"]), Decimal(found["amount-last-year"])) == (one, other)
        assert Decimal(found["amount-change"]) == one - other
        if member in now and member in before:
            assert abs(Decimal(found["amount-change-pct"]) - (one - other) * 100 / other) < Decimal("1e-8")
        else:
            assert found["amount-change-pct"] == ("new" if member in now else "gone")
        assert abs(Decimal(found["cumulated-share"]) - gone * 100 / total) < Decimal("1e-7")
    if order[top:]:
        rest = rows["all-other"]
        assert Decimal(rest["amount"]) == sum(now.get(member, ZERO) for member in order[top:])
        assert Decimal(rest["amount-last-year"]) == sum(before.get(member, ZERO) for member in order[top:])
    assert Decimal(rows["total"]["amount"]) == total
    assert ran.json["proof"]["balances"] is True


@examples(9)
@given(
    top=st.integers(1, 30),
    rising=st.booleans(),
    within=st.sampled_from(["", "route", "item.range", "terminal"]),
    by=st.sampled_from(["item", "vessel", "route", "week of date"]),
    only=st.sampled_from(["", "item.range in Shop, Galley", "amount over 900", "vessel is Tern", "route is nowhere"]),
    rank_by=st.sampled_from(["", "quantity", "amount-change", "amount-last-year", "count-last-year", "price"]),
    span=st.sampled_from(["ytd", "ptd", "2025", "last 3 weeks"]),
)
def test_all_other_and_those_shown_are_the_total_of_each_group(
    book: Book, top: int, rising: bool, within: str, by: str, only: str, rank_by: str, span: str
) -> None:
    of = MeasuredRequest(
        table="sales", of="amount, quantity, count, price", compute=("price = amount / quantity",), by=by,
        conditions=Conditions((only,) if only else ()),
    )  # fmt: skip

    def made(show: Literal["all", "members", "all-other"], most: int = top) -> ReportTable:
        return rank(
            book,
            RankRequest(
                of=of,
                within=within,
                span=span,
                rank_by=rank_by,
                show=show,
                top=None if rising else most,
                bottom=most if rising else None,
            ),
        ).table

    table, alone, every = made("all"), made("all-other"), made("all", 10_000)
    assert table.proof is not None
    assert table.proof.balances
    found, everyone = cells(table), cells(every)
    adding = [column.key for column in table.columns if column.adds]
    assert "amount" in adding
    assert "price" not in adding
    for row in table.rows:
        if row.kind in ("subtotal", "total"):
            assert found[row.key] == everyone[row.key], "how many are shown changes no total"
            for key in adding if row.adds else ():
                assert sum(found[part][key] or ZERO for _, part in row.adds) == found[row.key][key]
    for key, rest in cells(alone).items():
        assert rest == found[key], "all other is the same when it is shown alone"
    # The members that are shown are the first of all, in each group.
    order = [row.key for row in every.rows if row.kind == "line"]
    shown = [row.key for row in table.rows if row.kind == "line" and "all-other" not in row.key]
    groups: defaultdict[str, list[str]] = defaultdict(list)
    for key in order:
        groups[key.rpartition("/")[0] if within else ""].append(key)
    assert shown == [key for keys in groups.values() for key in keys[:top]]


LINES = [
    "2024-02-29,A,N,1,10.00,4.00",
    "2023-02-28,A,N,2,8.00,4.00",
    "2023-02-27,B,N,1,5.00,5.00",
    "2024-02-10,B,S,4,10.00,9.00",
    "2024-01-03,C,S,1,6.00,",
    "2023-02-01,D,S,1,3.00,1.00",
    "2024-02-02,E,,2,2.00,1.00",
    "2023-03-01,A,N,1,90.00,1.00",
]
FIRST = "2023-01-01,Z,N,1,0.00,"
"""A line on the table's first day, so that the year it begins in is there from its beginning."""


def test_a_small_ranking_worked_by_hand(tmp_path: Path) -> None:
    book = sales_book(tmp_path, [*LINES, FIRST])
    assert book.load().code == 0
    ran = book.run("rank", "sales", "--by", "item", "--as-of", "2024-02-29", "--top", "2", "--of", "amount, margin %",
                   "--print", "json")  # fmt: skip
    assert ran.code == 0, ran.err
    table = ran.json
    rows = {row["key"]: row["cells"] for row in table["rows"]}
    # A and B are equal, so that their keys decide; C and E are what is left of this year, D is gone.
    assert list(rows) == ["A", "B", "all-other", "total"]
    assert [rows[key]["amount"] for key in rows] == ["10.00", "10.00", "8.00", "28.00"]
    assert [rows[key]["amount-last-year"] for key in rows] == ["8.00", "5.00", "3.00", "16.00"]
    assert [Decimal(rows[key]["amount-change-pct"]) for key in rows] == [
        25, 100, Decimal("166.6666666667"), 75,
    ]  # fmt: skip
    # The margin of all other is made of its totals, what has no cost counting with none: (8 - 1) of 8.
    assert [Decimal(rows[key]["margin"]) for key in rows] == [60, 10, Decimal("87.5"), 50]
    notes = " ".join(table["notes"])
    assert "29 Feb 2024 is compared with 28 Feb 2023, as that year has no such day" in notes
    assert "2 of 8 lines have no cost" in notes
    assert "2023-P02 holds a further" not in notes, "February's last day is compared with February's last"
    whole = {
        row["key"]: row["cells"]["amount-change-pct"]
        for row in book.run("rank", "sales", "--by", "item", "--as-of", "2024-02-29", "--print", "json").json["rows"]
    }
    assert (whole["C"], whole["D"], whole["E"]) == ("new", "gone", "new")
    smallest = book.run("rank", "sales", "--by", "route", "--bottom", "2", "--year", "2024", "--print", "json").json
    assert [row["key"] for row in smallest["rows"]] == ["N", "S", "route-blank", "total"]
    assert [row["cells"]["amount"] for row in smallest["rows"]] == ["10.00", "16.00", "2.00", "28.00"]


def test_nobody_is_new_because_the_table_begins(tmp_path: Path) -> None:
    book = sales_book(tmp_path, LINES)
    assert book.load().code == 0
    ran = book.run("rank", "sales", "--by", "item", "--year", "2023", "--print", "json")
    assert ran.code == 0, ran.err
    cells_ = {row["key"]: row["cells"] for row in ran.json["rows"]}
    assert cells_["A"] == {"amount": "98.00", "share": cells_["A"]["share"], "cumulated-share": cells_["A"]["share"]} | {
        "amount-last-year": None, "amount-change": None,
    }  # fmt: skip
    assert any("with: data begins 1 Feb 2023" in note for note in ran.json["notes"])
    part = book.run("rank", "sales", "--by", "item", "--year", "2024", "--print", "json").json
    assert "The data begins on 1 Feb 2023: nothing is compared with what reaches back before it" in part["notes"]
    for row in part["rows"]:
        assert row["cells"]["amount-change"] is None
        assert row["cells"].get("amount-change-pct") is None
    assert part["rows"][-1]["cells"]["amount-last-year"] == "16.00", "what there is is shown, and marked"
    told = book.run("rank", "sales", "--by", "item", "--year", "2024", "--print", "md").out
    assert "data begins 1 Feb 2023" in told


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (["sales"], "almanac: --by: nothing to rank; name a field whose members are ranked"),
        (["sales", "--by", "itm"], "almanac: --by: the table sales has no such field: 'itm'"),
        (["sales", "--by", "item", "--span", "closing"], "almanac: --span: nothing moves in this span: 'closing'; "
         "expected one such as ytd, quarter, 2026-Q2"),
        (["sales", "--by", "item", "--rank-by", "amout"], "almanac: --rank-by: no column that can rank has this name: "
         "'amout'; expected amount, amount-last-year, amount-change or amount-change-pct; did you mean 'amount'?"),
        (["sales", "--by", "item", "--of", "margin, cost %"], "almanac: --of: only a ratio is shown in percent: 'cost'; "
         "compute one, such as --compute 'margin = (a - b) / a'"),
        (["sales", "--by", "item", "--of", "maximum of amount"], "almanac: --of: what is largest or smallest does not "
         "add up, so members and the rest have no total of it: 'maximum of amount'"),
        (["goals", "--by", "route"], "almanac: TABLE: plans stand beside what they plan: 'goals'; say `almanac pace "
         "sales`, or list its lines"),
        (["sales", "--by", "item, route"], "almanac: --by: members of one field are ranked: 'item, route'; name one "
         "field, and with --within one whose groups are ranked each"),
        (["sales", "--by", "item", "--top", "2", "--bottom", "2"], "almanac: --top and --bottom are two rankings; "
         "expected one of them"),
    ],
    ids=lambda each: " ".join(each) if isinstance(each, list) else "",
)  # fmt: skip
def test_what_cannot_be_ranked_is_said_in_one_line(tmp_path: Path, words: list[str], message: str) -> None:
    book = sales_book(tmp_path, LINES)
    assert book.load().code == 0
    ran = book.run("rank", *words)
    assert ran.code == 2
    assert ran.err.splitlines()[0].startswith(message), ran.err


@pytest.mark.parametrize(("row", "column"), [("A", ""), ("all-other", "last year"), ("total", "margin")])
def test_a_figure_of_a_ranking_is_traced_to_its_lines(tmp_path: Path, row: str, column: str) -> None:
    book = sales_book(tmp_path, [*LINES, FIRST])
    assert book.load().code == 0
    asked = ["rank", "sales", "--by", "item", "--as-of", "2024-02-29", "--top", "2", "--of", "amount, margin %"]
    told = {"last year": "amount-last-year"}.get(column, column)
    ran = book.run("trace", *asked, "--row", row, "--column", told, "--print", "json")
    assert ran.code == 0, ran.err
    lines = {
        "A": ["A/S1/1"], "all-other": ["A/S6/1", "A/S9/1"], "total": ["A/S1/1", "A/S4/1", "A/S5/1", "A/S7/1"],
    }[row]  # fmt: skip
    shown = ["/".join(each["key"].split("/")[-2:]) for each in ran.json["rows"] if each["kind"] == "line"]
    assert shown == [line.removeprefix("A/") for line in lines]
    assert ran.json["proof"]["balances"] is True
    share = book.run("trace", *asked, "--row", row, "--column", "share")
    assert share.code == 2
    assert "this column is no sum of lines" in share.err
