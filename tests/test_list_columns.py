"""Lists in columns: any measure in any span for each member, their limits, all other, plans, traces, and flat tables."""

import csv
import io
from collections import defaultdict
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import duckdb
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import examples, run_almanac
from level_almanac.core.book import Book
from level_almanac.core.reports.list.report import listing
from level_almanac.core.reports.list.request import ListRequest
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.core.table.model import ReportTable, Row
from second_route import read
from second_sales import sales, year_before
from small_sales import sales_book

TODAY = date(2026, 6, 17)
ZERO = Decimal(0)


@pytest.fixture(scope="module")
def book(demo: Path) -> Book:
    return Book.open(demo)


def rows_of(table: ReportTable) -> dict[str, Row]:
    return {row.key: row for row in table.rows if row.cells}


SPANS = {
    "ytd": (date(2025, 10, 1), TODAY),
    "ptd": (date(2026, 6, 1), TODAY),
    "2025-Q2": (date(2025, 1, 1), date(2025, 3, 31)),
    "2024-12-24 through 2025-01-06": (date(2024, 12, 24), date(2025, 1, 6)),
    "qtd last year": (date(2025, 4, 1), date(2025, 6, 17)),
}


@pytest.mark.parametrize("by", ["item", "route", "range"])
def test_every_column_is_the_exports_lines_of_its_days(demo: Path, by: str) -> None:
    words = [f"a{at} = {span}; q{at} = quantity {span}; n{at} = count {span}; r{at} = how many route {span}"
             for at, span in enumerate(SPANS)]  # fmt: skip
    field = "item.range" if by == "range" else by
    ran = run_almanac("list", "sales", "--by", field, "--columns", "; ".join(words), "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    rows = {row["key"]: row["cells"] for row in ran.json["rows"]}
    for at, (first, last) in enumerate(SPANS.values()):
        lines = [line for line in sales(demo) if first <= line.day <= last]
        for key, cells in rows.items():
            own = [line for line in lines if key == "total" or getattr(line, by) == key]
            assert Decimal(cells[f"a{at}"]) == sum((line.amount for line in own), ZERO)
            assert Decimal(cells[f"q{at}"]) == sum((line.quantity for line in own), ZERO)
            assert cells[f"n{at}"] == len(own)
            assert cells[f"r{at}"] == len({line.route for line in own})
    assert ran.json["proof"]["balances"] is True
    assert [more["measure"] for more in ran.json["proof"]["further"]] == ["quantity"], "a proof for each measure"


def test_the_result_of_each_department_stands_beside_its_budget(demo: Path) -> None:
    words = "ytd; budget ytd; variance; variance %; each department ytd; then = ytd last year; change of ytd over then"
    ran = run_almanac("list", "ledger", "--by", "source", "--columns", words, book=demo)
    assert ran.code == 2
    assert "--by: lines of plans in budget have no such field: 'source'" in ran.err
    asked = ["list", "ledger", "--by", "department", "--entity", "LINE", "--columns", words, "--print", "json"]
    ran = run_almanac(*asked, book=demo)
    assert ran.code == 0, ran.err
    rows = {row["key"]: row["cells"] for row in ran.json["rows"]}
    booked: defaultdict[tuple[str, bool], Decimal] = defaultdict(Decimal)
    exports = sorted((demo / "exports" / "line").glob("*.csv"))
    read_lines = [line for path in exports for line in csv.DictReader(path.read_text(encoding="utf-8").splitlines())]
    for line in {(line["Journal"], line["Line"]): line for line in read_lines}.values():
        posted, year = date.fromisoformat(line["Posted"]), int(line["Period"][:4])
        late = year == 2026 and posted <= TODAY
        early = year == 2025 and posted <= year_before(TODAY) and not line["Period"].endswith("13")
        if line["Account"] >= "40" and line["Source"] not in ("CF", "CL") and (late or early):
            booked[line["Department"], late] += Decimal(line["Credit"] or 0) - Decimal(line["Debit"] or 0)
    planned: defaultdict[str, Decimal] = defaultdict(Decimal)
    for path in sorted((demo / "exports" / "plans").glob("budget-2026.csv")):
        for row in csv.DictReader(path.read_text(encoding="utf-8").splitlines()):
            period = int(row["Month"][-2:])
            if row["Company"] == "LINE" and period < 9:
                planned[row["Dept"]] += Decimal(row["Planned"]) * (1 if row["Account"][0] == "4" else -1)
    departments = {each for each, _ in booked}
    for department, cells in rows.items():
        own = [key for key in departments if department in ("total", key)]
        assert Decimal(cells["ytd"]) == sum(booked[key, True] for key in own)
        assert Decimal(cells["then"]) == sum(booked[key, False] for key in own)
        assert Decimal(cells["change-of-ytd-over-then"]) == Decimal(cells["ytd"]) - Decimal(cells["then"])
        assert Decimal(cells["variance"]) == Decimal(cells["ytd"]) - Decimal(cells["budget-ytd"])
        across = {key: Decimal(cells[f"department={key}"]) for key in departments}
        assert across == {key: booked[key, True] if key in own else ZERO for key in departments}
    # What the pace of costs and of income expects by now is the same part of the plan.
    told: list[Decimal] = []
    for more in ([], ["--income"]):
        pace = run_almanac(
            "pace", "ledger", "--by", "department", "--entity", "LINE", *more, "--print", "json", book=demo
        )
        told.append(Decimal(next(row for row in pace.json["rows"] if row["key"] == "total")["cells"]["expected"]))
    assert Decimal(rows["total"]["budget-ytd"]) == told[1] - told[0]


def test_a_small_table_worked_by_hand(tmp_path: Path) -> None:
    lines = ["2025-01-01,A,N,1,100.00,60.00", "2025-03-20,B,N,2,50.00,20.00", "2025-07-01,A,S,1,900.00,1.00",
             "2026-02-01,A,N,3,150.00,90.00", "2026-03-05,A,S,1,30.00,", "2026-03-09,C,S,4,-20.00,"]  # fmt: skip
    goals = ["aim,2026-P01,,N,100.00,,", "aim,2026-P02,,N,60.00,,", "aim,2026-P03,,S,31.00,,", "aim,2026-P01,,W,7.00,,"]
    book = sales_book(tmp_path, lines, goals=goals)
    assert book.run("load").code == 0
    words = ("now = ytd; then = ytd last year; change; change %; part = share of total in now; m = margin % ytd; aim ytd; "
             "variance; variance %; twice = now * 2; pieces = quantity ytd; mean = now / pieces")  # fmt: skip
    ran = book.run("list", "sales", "--by", "route", "--columns", words, "--as-of", "2026-03-10", "--print", "json")
    assert ran.code == 0, ran.err
    rows = {row["key"]: row["cells"] for row in ran.json["rows"]}

    def told(key: str, *names: str) -> list[Any]:
        return [rows[key][name] for name in names]

    names = ("now", "then", "change", "change-pct", "aim-ytd", "variance", "variance-pct", "twice", "pieces", "mean")
    # The share of March's plan that ten of its 31 days have is 10.00.
    assert told("N", *names) == ["150.00", "100.00", "50.00", "50.0000000000", "160.00", "-10.00", "-6.2500000000",
                                 "300", "3", "50"]  # fmt: skip
    assert told("S", *names) == ["10.00", "0.00", "10.00", "new", "10.00", "0.00", "0.0000000000", "20", "5", "2"]
    assert told("W", *names[:7]) == ["0.00", "0.00", "0.00", None, "7.00", "-7.00", "-100.0000000000"]
    assert told("total", *names) == ["160.00", "100.00", "60.00", "60.0000000000", "177.00", "-17.00",
                                     "-9.6045197740", "320", "8", "20"]  # fmt: skip
    assert told("total", "part") == ["100.0000000000"]
    assert [Decimal(rows[key]["part"]) for key in "NS"] == [Decimal("93.75"), Decimal("6.25")]
    assert rows["N"]["m"] == "40.0000000000", "made of totals"
    shown = ran.json["proof"]["shown"]
    assert (shown["lines"], Decimal(shown["amount"])) == (4, Decimal("260.00"))
    # Limits are on the totals of members, on any column, and take lines of plans out with them.
    asked = ["list", "sales", "--by", "route", "--columns", "now = ytd; aim ytd; variance", "--as-of", "2026-03-10"]
    ran = book.run(*asked, "--limit", "variance at least -5", "--limit", "now under 100", "--print", "json")
    assert [row["key"] for row in ran.json["rows"]] == ["S", "total"]
    left = {part["rule"]: part["lines"] for part in ran.json["proof"]["left_out"]}
    assert left == {"other dates": 3, "variance not at least −5 and now not under 100": 1}
    assert ran.json["proof"]["further"][0]["shown"]["lines"] == 1
    asked[5] = "now = ytd"
    short = book.run(*asked, "--limit", "now over 20", "--except", "item is A")
    assert "Only because of --except these are not shown: N with 150.00" in " ".join(short.out.split())


@pytest.mark.parametrize("field", ["route", "item.range"])
def test_columns_under_one_head_are_those_of_its_lines(demo: Path, field: str) -> None:
    words = "q = quantity ytd; now = ytd; then = ytd last year; change; change %; share of total in now; mean = now / q"
    ran = run_almanac("list", "sales", "--by", "vessel", "--columns", f"each {field} top 2 ({words}); each {field} top 1 ptd",
                      "--print", "json", book=demo)  # fmt: skip
    assert ran.code == 0, ran.err
    rows = {row["key"]: row["cells"] for row in ran.json["rows"]}
    name = field.partition(".")[2] or field

    def lines(first: date, last: date) -> list[Any]:
        return [line for line in sales(demo) if first <= line.day <= last]

    now, then = lines(*SPANS["ytd"]), lines(date(2024, 10, 1), year_before(TODAY))
    pieces: defaultdict[str, Decimal] = defaultdict(Decimal)
    for line in now:
        pieces[getattr(line, name)] += line.quantity
    largest = sorted(pieces, key=lambda member: (-pieces[member], member))[:2]
    heads = list(dict.fromkeys(column.get("group", "") for column in ran.json["columns"]))
    assert heads == [*largest, "all other", ""]
    for vessel, cells in rows.items():
        for head in heads[:3]:

            def own(found: list[Any], whole: bool = False, head: str = head, vessel: str = vessel) -> Decimal:
                return sum((line.amount for line in found
                            if (whole or vessel in ("total", line.vessel))
                            and (getattr(line, name) == head if head in largest else getattr(line, name) not in largest)),
                           ZERO)  # fmt: skip

            prefix = f"{field}-other:" if head == "all other" else f"{field}={head}:"
            assert Decimal(cells[f"{prefix}now"]) == own(now)
            assert Decimal(cells[f"{prefix}then"]) == own(then)
            assert Decimal(cells[f"{prefix}change"]) == own(now) - own(then)
            if own(now):
                share = Decimal(cells[f"{prefix}share-of-total-in-now"])
                assert abs(share - own(now) * 100 / own(now, whole=True)) < Decimal("1e-9")
    assert ran.json["proof"]["balances"] is True


@examples(9)
@given(
    by=st.sampled_from(["item", "item.range, item", "route, item.range", "vessel, route, item"]),
    across=st.sampled_from(["", "each route ytd", "each quarter ytd", "each vessel.kind quantity ytd"]),
    only=st.sampled_from(["", "item.range in Shop, Galley", "amount over 900", "route is nowhere"]),
    top=st.integers(1, 6),
    smallest=st.booleans(),
    month=st.sampled_from(["2026-P02", "2026-P09", "2025-P12"]),
)
def test_all_other_and_those_shown_are_the_total_of_each_group(
    book: Book, by: str, across: str, only: str, top: int, smallest: bool, month: str
) -> None:
    words = "; ".join(
        filter(None, ["now = ytd", "ytd last year", "change", "n = quantity ytd", "how many item ytd", across])
    )
    if "each route" in across and by.startswith("route"):
        words = words.replace("each route", "each terminal")

    def made(**more: Any) -> ReportTable:
        conditions = Conditions((only,) if only else ())
        asked = ListRequest(table="sales", by=by, columns=words, conditions=conditions,
                            when=AsOfRequest(period=month), **more)  # fmt: skip
        return listing(book, asked).table

    ranked = made(bottom=top) if smallest else made(top=top)
    every = made()
    assert ranked.proof is not None
    assert ranked.proof.balances
    found, everyone = rows_of(ranked), rows_of(every)
    adding = [column.key for column in ranked.columns if column.adds]
    assert "now" in adding
    assert "how-many-item-ytd" not in adding
    for row in ranked.rows:
        if row.kind in ("subtotal", "total"):
            assert row.cells == everyone[row.key].cells, "how many are shown changes no total"
            for key in adding if row.adds else ():
                assert sum(found[part].cells[key] or ZERO for _, part in row.adds) == (row.cells[key] or ZERO)  # type: ignore[misc]
        elif row.kind == "line" and "all-other" not in row.key:
            assert row.cells == everyone[row.key].cells
    # A flat table has the same rows, and nothing but them.
    flat = made(flat=True)
    lines = [row for row in every.rows if row.kind == "line"]
    assert [row.key for row in flat.rows] == [row.key for row in lines]
    for row, own in zip(flat.rows, lines, strict=True):
        fields = by.split(", ")
        members = [row.label, *(row.cells[name] or "" for name in fields[1:])]
        assert "/".join(str(each) for each in members) == own.key
        assert {key: row.cells[key] for key in own.cells} == own.cells


@pytest.mark.parametrize("row", ["Shop/all-other", "Shop/WOOL", "Shop", "total"])
def test_every_figure_is_traced_to_its_lines(demo: Path, row: str) -> None:
    words = "now = ytd; then = ytd last year; quantity ytd; m = margin % ytd; how many route ytd; change of now over then; each route ptd"
    asked = ["sales", "--by", "item.range, item", "--columns", words, "--top", "2"]
    ran = run_almanac("list", *asked, "--print", "json", book=demo)
    cells = next(each["cells"] for each in ran.json["rows"] if each["key"] == row and each["cells"])
    for column in [each["key"] for each in ran.json["columns"] if not each["key"].startswith("change")]:
        trace = run_almanac("trace", "list", *asked, "--row", row, "--column", column, "--print", "json", book=demo)
        assert trace.code == 0, (column, trace.err)
        assert trace.json["proof"]["balances"] is True
        if (summed := trace.json["facts"].get("summed")) and "count" not in summed:
            assert Decimal(trace.json["rows"][-1]["cells"][summed] or 0) == Decimal(cells[column])
    refused = run_almanac("trace", "list", *asked, "--row", row, "--column", "change-of-now-over-then", book=demo)
    assert refused.code == 2
    assert "this column is no sum of lines: 'change-of-now-over-then'" in refused.err


def test_a_figure_of_a_plan_is_traced_to_the_lines_of_the_plan(demo: Path) -> None:
    asked = ["list", "sales", "--by", "route", "--columns", "ytd; target ytd; variance", "--top", "2"]
    for row in ("Sound", "all-other", "total"):
        trace = run_almanac("trace", *asked, "--row", row, "--column", "target-ytd", "--print", "json", book=demo)
        assert trace.code == 0, trace.err
        assert trace.json["proof"]["balances"] is True
        assert all("target-2026.csv:" in each["label"] for each in trace.json["rows"][:-1])


def test_a_flat_table_is_data_of_one_kind_in_every_file(demo: Path, tmp_path: Path) -> None:
    sheet, data = tmp_path / "f.csv", tmp_path / "f.parquet"
    words = ["list", "sales", "--by", "item.range, item", "--columns", "now = ytd; n = count ytd", "--flat"]
    assert run_almanac(*words, "-o", sheet, "-o", data, book=demo).code == 0
    told = list(csv.DictReader(io.StringIO(sheet.read_text(encoding="utf-8"))))
    assert list(told[0])[:3] == ["item.range", "item", "item name"]
    count = next(head for head in told[0] if head.startswith("n "))
    lines = [line for line in sales(demo) if SPANS["ytd"][0] <= line.day <= TODAY]
    assert {(row["item.range"], row["item"]): int(row[count]) for row in told} == {
        (line.range, line.item): sum(each.item == line.item for each in lines) for line in lines
    }
    with duckdb.connect() as reader:
        summed = reader.execute("select sum(now) from read_parquet(?)", [str(data)]).fetchall()
    assert summed == [(sum(line.amount for line in lines),)]
    plain = run_almanac(
        "list", "sales", "--by", "route, item", "--show", "count", "--flat", "--print", "csv", book=demo
    )
    assert plain.out.splitlines()[0] == "route,item,item name,count"


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (["--columns", "qty ytd"], "--columns: neither a measure nor a plan has this name: 'qty'; expected quantity, amount"),
        (["--columns", "ytd; closing"], "--columns: a balance is no sum of a span's lines: closing"),
        (["--columns", "ytd; each town ytd"], "--columns: the table has no such field to tell lines apart by: 'town'"),
        (["--columns", "ytd; share of rows"], "--columns: a share is of the total, or of the group that a row stands in"),
        (["--columns", "ytd; quantity target ytd"], "--columns: a plan is of the table's usual amount"),
        (["--columns", "ytd; quantity ytd; change"], "--columns: a change compares two columns of one measure: ytd and quantity-ytd"),
        (["--columns", "each route (ytd; ytd last year); change"], "--columns: a change compares two columns of what was"),
        (["--columns", "each route (ytd); x = each-route-ytd + 1"], "--columns: no span and no column to the left has this name"),
        (["--columns", "ytd", "--limit", "now over 5"], "--limit: no column has this name: 'now'; expected ytd"),
        (["--columns", "ytd; share of total", "--limit", "share-of-total over 5"], "--limit: a share is of what is shown"),
        (["--columns", "ytd", "--sort", "yt"], "--sort: neither a column nor what rows are of: 'yt'; expected item or ytd"),
        (["--columns", "ytd", "--show", "amount"], "--show: this says nothing of a list in columns; name measures in"),
        (["--columns", "ytd", "--top", "2", "--first", "3"], "more than one way to say which rows: --top and --first"),
        (["--top", "2"], "--top: this is of lists in columns; say what to rank with --columns"),
        (["--compare", "whole"], "--compare: nothing is compared without columns"),
        (["--columns", "item ytd"], "--columns: item is no number to add up"),
        (["--lines", "--flat"], "--flat: single lines are flat without it"),
    ],
)  # fmt: skip
def test_what_cannot_stand_in_columns_is_said_in_one_line(demo: Path, words: list[str], message: str) -> None:
    ran = run_almanac("list", "sales", "--by", "item", *words, book=demo)
    assert ran.code == 2
    assert message in ran.err


def test_extra_periods_stand_in_their_year_and_its_last_quarter_alone(demo: Path) -> None:
    words = ["list", "ledger", "--by", "entity", "--year", "2025", "--only", "account.class is expense"]
    ran = run_almanac(*words, "--columns", "ytd; each period ytd; each quarter ytd", "--print", "json", book=demo)
    total = ran.json["rows"][-1]["cells"]
    periods = [key for key in total if "-P" in key]
    assert "2025-P13" in periods
    assert sum(Decimal(total[key]) for key in periods) == Decimal(total["ytd"])
    assert sum(Decimal(total[key]) for key in total if "-Q" in key) == Decimal(total["ytd"])
    lines = [
        line for line in read(demo) if line.year == 2025 and line.account[0] == "6" and line.source not in ("CF", "CL")
    ]
    assert Decimal(total["ytd"]) == sum((line.amount for line in lines), ZERO)
    assert Decimal(total["2025-P13"]) == sum((line.amount for line in lines if line.period == 13), ZERO)


def test_a_label_of_the_book_heads_what_is_made_of_its_field(tmp_path: Path) -> None:
    lines = ["2026-02-01,A,N,3,150.00,90.00", "2026-03-05,B,S,1,30.00,10.00"]
    more = '[tables.sales.labels]\namount = "Takings"\nroute = "Crossing"\nmargin = "Margin on goods"\n'
    book = sales_book(tmp_path, lines, more=more)
    assert book.run("load").code == 0
    listed = book.run("list", "sales", "--by", "route", "--show", "amount, average of amount, margin, how many item",
                      "--sort", '"takings"', "--print", "json")  # fmt: skip
    assert [column["label"] for column in listed.json["columns"]] == [
        "Takings", "average of Takings", "Margin on goods", "how many item",
    ]  # fmt: skip
    assert [row["key"] for row in listed.json["rows"]] == ["S", "N", "total"]
    columned = book.run(
        "list", "sales", "--by", "route", "--columns", "ytd; count ytd", "--sort", '"count year to date"'
    )
    assert columned.out.startswith("Sales: Takings, count by Crossing")
    assert book.run("rank", "sales", "--by", "route").out.startswith("Sales: Takings by Crossing")
    assert "amount, called Takings" in book.run("fields", "sales").out
    told = book.run("list", "sales", "--by", "route", "--sort", '"Taking"').err
    assert 'the book gives no field this label: "Taking"; expected Crossing or Takings; did you mean' in told
    path = tmp_path / "almanac.toml"
    path.write_text(path.read_text().replace('"Crossing"', '"takings"').replace('margin = "M', 'margins = "M'))
    wrong = book.run("list", "sales").err
    assert (
        "tables.sales.labels.route: two fields cannot be called the same: 'takings'; amount is called this too" in wrong
    )
    assert "tables.sales.labels.margins: no field of the table has this name: 'margins'" in wrong


HALLS = """
[tables.items]
key = ["item"]
fields = { item = "text", name = "text", range = "text" }

[tables.ranges]
key = ["range"]
fields = { range = "text", hall = "text" }

[tables.halls]
key = ["hall"]
fields = { hall = "text", name = "text", size = "amount", item = "text" }

[[intake]]
table = "items"
files = "items.csv"

[[intake]]
table = "ranges"
files = "ranges.csv"

[[intake]]
table = "halls"
files = "halls.csv"

"""


def test_links_go_over_several_tables(tmp_path: Path) -> None:
    lines = ["2026-02-01,A,N,3,150.00,", "2026-02-02,A,N,1,5.00,", "2026-03-05,B,S,1,30.00,", "2026-03-06,C,S,1,7.00,",
             "2026-03-07,X,S,1,1.00,"]  # fmt: skip
    book = sales_book(tmp_path, lines, more=HALLS)
    (tmp_path / "items.csv").write_text("item,name,range\nA,Apples,R1\nB,Bread,R2\nC,Cups,R3\n")
    (tmp_path / "ranges.csv").write_text("range,hall\nR1,H1\nR2,H1\nR3,\n")
    (tmp_path / "halls.csv").write_text("hall,name,size,item\nH1,Main hall,90.00,C\nH2,Back hall,10.00,A\n")
    assert book.run("load").code == 0

    def rows(*words: str) -> dict[str, Any]:
        ran = book.run("list", "sales", *words, "--print", "json")
        assert ran.code == 0, ran.err
        return {row["label"]: row["cells"] for row in ran.json["rows"] if row["cells"]}

    listed = rows("--by", "item.range.hall", "--show", "amount, item.range.hall.size, count")
    # A hall's size counts once, however many lines and ranges lead there; who has no range is with who has no hall.
    assert listed["H1"] == {"amount": "185.00", "item.range.hall.size": "90.00", "count": 3}
    assert listed["(no item.range.hall)"] == {"amount": "8.00", "item.range.hall.size": None, "count": 2}
    assert listed["Total, 2 groups"]["item.range.hall.size"] == "90.00"
    assert rows("--by", "item", "--only", 'item.range.hall.name is "Main hall"', "--show", "amount").keys() == {
        "A", "B", "Total, 2 groups",
    }  # fmt: skip
    columned = rows("--by", "item.range", "--columns", "each item.range.hall ytd; ytd")
    assert columned["R2"] == {"item.range.hall=H1": "30.00", "item.range.hall-blank": "0.00", "ytd": "30.00"}
    named = rows("--by", "item.range.hall", "--columns", "ytd")
    assert set(named) == {"H1 Main hall", "(no item.range.hall)", "Total, 2 groups"}
    trace = book.run("trace", "list", "sales", "--by", "item.range.hall", "--columns", "ytd", "--row", "H1")
    assert "adds up to the cent · the lines sum to the figure" in trace.out
    # Who has a code that leads nowhere is told apart from who has none.
    lost = "note 1 line of 5 has a code in item that items lacks, and stands with those that have none"
    for words in (["--show", "amount"], ["--columns", "ytd"]):
        assert lost in " ".join(book.run("list", "sales", "--by", "item.range", *words).out.split())
    assert lost not in " ".join(book.run("list", "sales", "--by", "item", "--columns", "ytd").out.split())
    # A way never comes by a table twice, so that tables which lead to each other end.
    assert "item.range.hall.item.name" not in book.run("fields", "sales").out
