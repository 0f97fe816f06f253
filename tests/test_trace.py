"""Traces: the lines behind every cell sum to it, whichever report, row and column."""

import re
import shlex
import zipfile
from collections import defaultdict
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from pathlib import Path

import pytest

import second_route
from conftest import LONG, Almanac
from level_almanac.core.book import Book
from level_almanac.core.reports.list.report import listing
from level_almanac.core.reports.list.request import ListRequest
from level_almanac.core.reports.list.trace import list_trace
from level_almanac.core.reports.registry import all_reports
from level_almanac.core.reports.statement.report import StatementRequest, statement
from level_almanac.core.reports.statement.trace import traced_statement
from level_almanac.core.reports.trial.report import TrialRequest, trial
from level_almanac.core.reports.trial.trace import traced_trial
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.core.trace.figure import trace
from level_almanac.core.trace.model import Traced
from level_almanac.core.trace.request import TraceRequest

TODAY = date(2026, 6, 17)
ZERO = Decimal(0)
WITH_BUDGET = "ptd; budget ptd; variance; ytd; budget ytd; change of ytd over ptd"
Make = Callable[[Book], Traced]
REPORTS: list[tuple[str, Make]] = [
    ("trial", lambda book: traced_trial(book, trial(book, TrialRequest()), ())),
    ("trial of a closed year", lambda book: traced_trial(book, trial(book, TrialRequest(when=AsOfRequest(year="2025"), after_closing=True)), ())),
    ("trial by level", lambda book: traced_trial(book, trial(book, TrialRequest(when=AsOfRequest(period="2026-P08"), level=2)), ())),
    ("income", lambda book: traced_statement(book, statement(book, StatementRequest()), ())),
    ("income stored", lambda book: traced_statement(book, statement(book, StatementRequest(signs="stored", level=2)), ())),
    ("income by", lambda book: traced_statement(book, statement(book, StatementRequest(by="department", level=1, columns="ptd; each entity ytd")), ())),
    ("ferries", lambda book: traced_statement(book, statement(book, StatementRequest(layout="ferries", columns=WITH_BUDGET, entities=("LINE",))), ())),
    ("balance", lambda book: traced_statement(book, statement(book, StatementRequest(layout="balance")), ())),
    ("only some lines", lambda book: traced_statement(book, statement(book, StatementRequest(conditions=Conditions(("department is SEA",), ("memo contains crew",)))), ())),
]  # fmt: skip


@pytest.fixture(scope="module")
def book(demo: Path) -> Book:
    return Book.open(demo)


@pytest.mark.parametrize(("name", "make"), REPORTS, ids=[name for name, _ in REPORTS])
def test_the_lines_behind_every_cell_sum_to_it(book: Book, name: str, make: Make) -> None:
    traced = make(book)
    keys = [row.key for row in traced.table.rows if row.cells]
    assert [behind.row.key for behind in traced.rows] == keys, name
    summed = 0
    # Every row of one report the long way, every thirteenth of the others.
    for behind in traced.rows if LONG else traced.rows[:: 2 if name == "ferries" else 13]:
        one = traced._replace(rows=[behind])
        # All columns that are sums of ledger lines at once, and then those made of two, and the plans.
        plain = [
            each for each in behind.figures if not each.why and not each.column.derived and not each.column.scenario
        ]
        columns = [each.column.key for each in behind.figures if not each.why and each not in plain]
        for column in ([""] if plain else []) + columns:
            table = trace(book, one, TraceRequest(row=behind.row.key, column=column, level="line"))
            wanted = plain if not column else [each for each in behind.figures if each.column.key == column]
            for figure in wanted:
                key = figure.column.key if any(each.key == figure.column.key for each in table.columns) else "part"
                cells = [row.cells.get(key) for row in table.rows if row.kind == "line"]
                found = sum((cell for cell in cells if isinstance(cell, Decimal)), ZERO)
                assert found == (figure.cell or ZERO), (behind.row.key, figure.column.key)
                summed += 1
            assert table.proof is not None
            assert table.proof.balances, (behind.row.key, column)
        for figure in behind.figures:
            assert figure.why or figure.terms or figure.plan or not figure.cell
    assert summed > 10


def test_the_lines_are_those_of_the_exports(book: Book, demo: Path) -> None:
    traced = traced_statement(book, statement(book, StatementRequest(entities=("LINE",))), ("40210",))
    table = trace(book, traced, TraceRequest(row="40210", column="ptd"))
    lines = {line.key.removeprefix("LINE/"): line for line in second_route.read(demo) if line.entity == "LINE"}
    wanted = {
        key: line for key, line in lines.items() if line.account == "40210" and (line.year, line.period) == (2026, 9)
    }
    rows = {row.key: row.cells for row in table.rows if row.kind == "line"}
    assert rows.keys() == wanted.keys()
    for key, cells in rows.items():
        name, _, number = str(cells["export"]).rpartition(":")
        text = (demo / name).read_text(encoding="utf-8").splitlines()[int(number) - 1]
        assert text.startswith(key.replace("/", ",") + ",")
        assert cells["ptd"] == -wanted[key].amount


@pytest.mark.parametrize("by", ["account.class, quarter of posted", "vessel", "size"])
def test_the_lines_behind_every_group_of_a_list_sum_to_it(book: Book, by: str) -> None:
    request = ListRequest(
        by=by,
        show="count, amount, debit",
        when=AsOfRequest(year="2025"),
        compute=('size = give "small" if amount under 100; else "large"',),
    )
    whole = listing(book, request)
    rows = [row for row in whole.table.rows if row.cells]
    for row in rows if LONG else [*rows[::9], rows[-1]]:
        found = list_trace(book, whole, TraceRequest(row=row.key))
        lines = [each.cells for each in found.rows if each.kind == "line"]
        assert len(lines) == row.cells["count"]
        for key in ("amount", "debit"):
            sums = [cell for cells in lines if isinstance(cell := cells[key], Decimal)]
            assert sum(sums, ZERO) == row.cells[key]
        assert found.proof is not None
        assert found.proof.balances


@pytest.mark.parametrize(
    ("name", "key"),
    [
        ("Freight", "402"),
        ("Total freight", "402"),
        ("goods sold", "503"),
        ("402", "402"),
        ("Lorries", "40210"),
        ("result", "result"),
    ],
)
def test_a_row_is_named_as_it_stands_on_the_screen(book: Book, name: str, key: str) -> None:
    traced = traced_statement(book, statement(book, StatementRequest(entities=("LINE",))), (name,))
    assert [behind.row.key for behind in traced.rows] == [key]


def test_steps_down_and_whole_journals(demo: Path, almanac: Almanac) -> None:
    words = (
        "trace",
        "statement",
        "income",
        "--period",
        "2026-P08",
        "--row",
        "Total income",
        "--column",
        "1",
        "--print",
        "json",
    )
    totals = set()
    for level, keys in (("class", 1), ("account", 15), ("journal", 300), ("line", 300)):
        found = almanac(*words, "--down-to", level, book=demo).json
        assert len([row for row in found["rows"] if row["kind"] == "line"]) >= keys
        totals.add(next(row["cells"]["ptd"] for row in found["rows"] if row["key"] == "total"))
    assert len(totals) == 1
    journals = almanac(*words[:-4], "--column", "1", "--whole-journals", "--print", "json", book=demo).json
    subtotals = [row["cells"] for row in journals["rows"] if row["kind"] == "subtotal"]
    # A whole journal balances, whatever part of it the figure holds.
    assert all(Decimal(cells["amount"]) == 0 for cells in subtotals)
    assert next(row["cells"]["ptd"] for row in journals["rows"] if row["key"] == "total") in totals


@pytest.mark.parametrize("words", [report.tracing.example for report in all_reports().values() if report.tracing])
def test_the_example_in_the_help_of_a_trace_is_of_a_figure_of_the_demo(
    words: str, almanac: Almanac, demo: Path
) -> None:
    ran = almanac("trace", *shlex.split(words), book=demo)
    assert ran.code == 0, ran.err


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (("--row", "Total incme"), "almanac: --row: the report has no such row: 'Total incme'; expected a row's label, or its key as -o FILE.csv tells it; did you mean 'Total income'?"),
        (("--row", "Cars and vans"), "almanac: --row: 2 rows are called this: 'Cars and vans'; name it by its key: 40112 or 40122"),
        (("--row", "40210", "--column", "last year"), "2 columns are called this: 'last year'; name it by its number: 2 (last year 1–17 Jun 2025) or 6 (last year 1 Oct 2024–17 Jun 2025)"),
        (("--row", "40210", "--column", "9"), "almanac: --column: the report has no such column: '9'"),
        (("--row", "40210", "--column", "4"), "almanac: --column: this figure is no sum of lines: Lorries and trailers, change %; it is computed from other columns; trace --column ptd and --column ptd-last-year"),
    ],
)  # fmt: skip
def test_a_figure_that_cannot_be_traced_says_why(
    demo: Path, almanac: Almanac, words: tuple[str, ...], message: str
) -> None:
    ran = almanac("trace", "statement", "income", *words, book=demo)
    assert ran.code == 2
    assert message in ran.err


def test_a_page_links_each_figure_to_its_lines_and_a_workbook_has_a_sheet(
    demo: Path, almanac: Almanac, tmp_path: Path
) -> None:
    page, sheet = tmp_path / "income.html", tmp_path / "income.xlsx"
    ran = almanac(
        "statement",
        "income",
        "--entity",
        "YARD",
        "--columns",
        "ptd; ytd",
        "--with-lines",
        "-o",
        page,
        "-o",
        sheet,
        book=demo,
    )
    assert ran.code == 0, ran.err
    text = page.read_text()
    links = set(re.findall(r'href="#(behind-\w+)"', text))
    assert links
    assert links <= set(re.findall(r' id="([^"]+)"', text))
    import openpyxl

    book = openpyxl.load_workbook(sheet)
    lines = book["Lines"]
    main = book[book.sheetnames[0]]
    linked = [cell for row in main.iter_rows() for cell in row if cell.hyperlink]
    assert linked
    for cell in linked:
        place = cell.hyperlink.location.rpartition("!")[2]
        label = main.cell(cell.row, 1).value
        assert str(lines[place].value).endswith(str(label))
    assert zipfile.is_zipfile(sheet)
    refused = almanac("statement", "income", "--with-lines", book=demo)
    assert (refused.code, "--with-lines: the lines have no place to go to; say -o FILE.html" in refused.err) == (
        2,
        True,
    )


@pytest.mark.parametrize(
    "words",
    [
        ("statement", "income", "--columns", "ptd; ytd; ytd last year"),
        ("statement", "balance"),
        ("trial", "--year", "2025"),
    ],
)
def test_the_lines_beside_a_report_are_each_there_once_and_sum_to_its_figures(
    demo: Path, almanac: Almanac, words: tuple[str, ...]
) -> None:
    found = almanac(*words, "--entity", "YARD", "--with-lines", "--print", "json", book=demo).json
    (behind,) = found["behind"]
    assert behind["proof"]["balances"]
    sums: defaultdict[tuple[str, str], Decimal] = defaultdict(Decimal)
    seen: set[tuple[str, str]] = set()
    group = ""
    for row in behind["rows"]:
        if row["kind"] == "heading":
            group = row["key"].removesuffix(":heading")
        elif row["kind"] == "line":
            assert (group, row["key"]) not in seen
            seen.add((group, row["key"]))
            for key, cell in row["cells"].items():
                if any(column["key"] == key and column["type"] == "amount" for column in behind["columns"]):
                    sums[group, key] += Decimal(cell or 0)
    groups = {group for group, _ in seen}
    keys = {column["key"] for column in behind["columns"] if column["type"] == "amount"}
    compared = 0
    for row in found["rows"]:
        for key in keys & row["cells"].keys() if row["key"] in groups else ():
            assert sums[row["key"], key] == Decimal(row["cells"][key] or 0), (row["key"], key)
            compared += 1
    assert compared >= 10
