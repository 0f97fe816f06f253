"""Every format shows the same figures, and the workbook's formulas give them by themselves."""

import csv
import re
import shutil
import subprocess
from collections.abc import Iterator
from datetime import date
from decimal import Decimal
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import duckdb
import openpyxl
import pypdf
import pytest
from PIL import Image

from conftest import Almanac, MakeBook
from level_almanac.core.table.model import Column, Derived, ReportTable, Row
from level_almanac.output.chart import _series as series_of
from level_almanac.output.files import ENDINGS, rendered

VARIANCE = "ptd; budget ptd; variance; variance %; ytd; ytd last year; change; change %"
REPORTS = {
    "income": ["statement", "income", "--columns", VARIANCE],
    "ferries": ["statement", "ferries", "--entity", "LINE"],
    "balance": ["statement", "balance"],
    "blocks": ["statement", "income", "--by", "department", "--level", "1", "--columns", "ytd; ytd last year; change"],
    "stored": ["statement", "income", "--signs", "stored", "--level", "2", "--columns", VARIANCE],
    "trial": ["trial", "--period", "2026-P08"],
    "aging": ["aging", "receivable", "--as-of", "2025-09-30", "--top", "6"],
    "documents": ["documents", "receivable", "--overdue", "--by", "party", "--over", "3000", "--settled"],
    "ratios": ["list", "sales", "--by", "terminal, route", "--year", "2026", "--show", "count, quantity, amount, cost, profit, share, each",
               "--compute", "profit = amount - cost", "--compute", "share = (amount - cost) / amount * 100",
               "--compute", "each = amount / quantity"],
    "arithmetic": ["statement", "income", "--columns", "now = ytd; then = ytd last year; 100 * (now - then) / then; d = now - then"],
}  # fmt: skip


@pytest.fixture(scope="module", params=list(REPORTS))
def written(
    request: pytest.FixtureRequest, almanac: Almanac, demo: Path, tmp_path_factory: pytest.TempPathFactory
) -> Any:
    """Return one report in every format, and its JSON."""
    folder = tmp_path_factory.mktemp(request.param)
    outputs = [word for ending in ENDINGS for word in ("-o", folder / f"report.{ending}")]
    ran = almanac(*REPORTS[request.param], *outputs, book=demo)
    assert ran.code == 0, ran.err
    assert ran.err.count("wrote ") == len(ENDINGS)
    return folder, almanac(*REPORTS[request.param], "--print", "json", book=demo).json


def numbers(report: dict[str, Any]) -> Iterator[tuple[str, str, Decimal]]:
    """Yield (row key, column key, number) of each cell that is one."""
    for row in report["rows"]:
        for key, cell in row["cells"].items():
            if cell is not None and re.fullmatch(r"-?\d+(\.\d+)?", str(cell)):
                yield row["key"], key, Decimal(str(cell))


def test_csv_and_parquet_are_exact(written: Any) -> None:
    folder, report = written
    text = (folder / "report.csv").read_text(encoding="utf-8").splitlines()
    assert len(text) == len(report["rows"]) + 1
    connection = duckdb.connect()
    query = connection.sql(f"select * from '{folder}/report.parquet'")
    rows = {row[0]: dict(zip(query.columns, row, strict=True)) for row in query.fetchall()}
    types = dict(zip(query.columns, map(str, query.types), strict=True))
    for key, column, number in numbers(report):
        name = re.sub(r"\W+", "_", column)
        # A ratio can have more digits than the format holds.
        assert abs(rows[key][name] - number) < Decimal("1e-30")
        assert types[name].startswith("DECIMAL") or (types[name] == "BIGINT" and number == int(number))
        assert f"{number:f}" in next(line for line in text if line.startswith((f"{key},", f'"{key}"')))
    words = [
        cell for row in report["rows"] for cell in row["cells"].values() if cell in ("new", "gone", "n/m", "no plan")
    ]
    assert sum(
        cell in words for row in rows.values() for name, cell in row.items() if name.endswith("_word") and cell
    ) == len(words)


class Workbook:
    """The first sheet of a workbook, its cells by report row and column."""

    def __init__(self, path: Path, report: dict[str, Any], *, values: bool) -> None:
        sheet = openpyxl.load_workbook(path, data_only=values).worksheets[0]
        self.sheet = sheet
        first = int(re.sub(r"\D", "", str(openpyxl.load_workbook(path).worksheets[0].freeze_panes)))
        front = 2 if report["title"] in ("Trial balance", "Receivables by age") else 1
        self.place = {
            (row["key"], column["key"]): (first + down, front + 1 + across)
            for down, row in enumerate(report["rows"])
            for across, column in enumerate(report["columns"])
        }

    def cell(self, key: str, column: str) -> Any:
        return self.sheet.cell(*self.place[key, column])


def evaluated(formula: str, sheet: Any) -> float:
    """Return what one of our formulas comes to, its cells' own formulas evaluated in turn."""

    def of(reference: str) -> float:
        value = sheet[reference].value
        return evaluated(value, sheet) if isinstance(value, str) and value.startswith("=") else float(value or 0)

    def span(match: re.Match[str]) -> str:
        cells = [cell.coordinate for (cell,) in sheet[f"{match[1]}:{match[2]}"]]
        return f"({'+'.join(cells)})"

    text = re.sub(r"SUM\(([A-Z]+\d+):([A-Z]+\d+)\)", span, formula[1:])
    text = re.sub(r"\b([A-Z]{1,2}\d+)\b", lambda match: f"({of(match[1])!r})", text).replace("ABS", "abs")
    return float(eval(text, {"__builtins__": {}, "abs": abs}))  # noqa: S307  the workbook's own arithmetic, no names


def test_the_workbook_holds_the_figures_and_formulas_that_give_them(written: Any) -> None:
    folder, report = written
    shown = Workbook(folder / "report.xlsx", report, values=True)
    made = Workbook(folder / "report.xlsx", report, values=False)
    formulas = 0
    for key, column, number in numbers(report):
        value = shown.cell(key, column).value
        assert isinstance(value, int | float)
        assert abs(Decimal(repr(value)) - number) < Decimal("1e-8"), (key, column)
        formula = made.cell(key, column).value
        if isinstance(formula, str):
            formulas += 1
            assert abs(evaluated(formula, made.sheet) - float(number)) < 1e-6, (key, column, formula)
    totals = [row for row in report["rows"] if row["kind"] in ("subtotal", "total")]
    # Quantities, ratios and arithmetic are made of what is shown beside them, in totals too.
    last, cells = totals[-1]["key"], totals[-1]["cells"]
    for name in (
        {"count", "quantity", "profit", "share", "each", "d"} & cells.keys()
        if "Payables" not in report["title"]
        else ()
    ):
        if name != "share" or "each" in cells:
            assert str(made.cell(last, name).value).startswith("="), name
    if report["title"] != "Trial balance":
        assert formulas > len(totals), "totals and changes are formulas"
    assert made.sheet.freeze_panes
    assert made.sheet.print_title_rows
    assert openpyxl.load_workbook(folder / "report.xlsx").sheetnames[1] == "Proof"


AS_SHOWN = "csv:Text - txt - csv (StarCalc):44,34,76,1,,1033,false,true"
"""Comma, quote, UTF-8, from the first line, cells as they are shown."""


@pytest.mark.skipif(shutil.which("soffice") is None, reason="no spreadsheet program on this machine")
@pytest.mark.parametrize(
    "look",
    ["--style board", "--units 1000 --decimals 1 --zeros dash", "--negatives parens --zeros blank", "--decimals 0"],
)
def test_a_spreadsheet_program_shows_numbers_as_the_terminal_does(
    almanac: Almanac, demo: Path, tmp_path: Path, look: str
) -> None:
    words = ["statement", "ferries", "--entity", "LINE", *look.split()]
    assert almanac(*words, "-o", tmp_path / "x.xlsx", "-o", tmp_path / "x.html", book=demo).code == 0
    home = f"-env:UserInstallation=file://{tmp_path}/home"
    command: list[str | Path] = [
        "soffice",
        "--headless",
        home,
        "--convert-to",
        AS_SHOWN,
        "--outdir",
        tmp_path,
        tmp_path / "x.xlsx",
    ]
    subprocess.run(command, check=True, capture_output=True, timeout=240)
    page = Cells()
    page.feed((tmp_path / "x.html").read_text(encoding="utf-8"))
    expected = [[cell.replace("−", "-") for cell in cells] for cells in page.rows.values() if any(cells)]
    with (tmp_path / "x.csv").open(encoding="utf-8", newline="") as stream:
        lines = [[cell.strip() for cell in line[1:]] for line in csv.reader(stream)]
    shown = [line[: len(expected[0])] for line in lines if any(line)]
    # The lines of heads come first.
    assert shown[-len(expected) :] == expected


class Cells(HTMLParser):
    """The words of each row's cells on an HTML page."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: dict[str, list[str]] = {}
        self.key, self.within = "", False

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        found = dict(attrs)
        if tag == "tr":
            self.key = found.get("data-row") or ""
        if tag == "td" and self.key and found.get("class") != "key":
            self.within = True
            self.rows.setdefault(self.key, []).append("")

    def handle_endtag(self, tag: str) -> None:
        self.within = self.within and tag != "td"

    def handle_data(self, data: str) -> None:
        if self.within:
            self.rows[self.key][-1] += data


def test_pages_show_what_the_terminal_shows(written: Any) -> None:
    folder, report = written
    text = (folder / "report.txt").read_text(encoding="utf-8")
    page = Cells()
    source = (folder / "report.html").read_text(encoding="utf-8")
    page.feed(source)
    assert not re.search(r"(src|href)=\"http|@import|url\(", source), "the page needs no network"
    markdown = (folder / "report.md").read_text(encoding="utf-8")
    document = pypdf.PdfReader(folder / "report.pdf")
    printed = "\n".join(sheet.extract_text() for sheet in document.pages)
    for row in report["rows"]:
        for words in filter(None, page.rows.get(row["key"], [])):
            assert words in text
            assert words in markdown
            assert words in printed
    shown = [words for words in text.split() if re.fullmatch(r"−?[\d,]+\.\d\d", words)]
    cells = [cell for cells in page.rows.values() for cell in cells]
    assert set(cells) & set(shown), "both hold figures"
    count = len(document.pages)
    for number, sheet in enumerate(document.pages, 1):
        assert f"page {number} of {count}" in sheet.extract_text()
    if any(row["kind"] == "group" for row in report["rows"]):
        assert count >= sum(row["kind"] == "group" for row in report["rows"])
    for ending, start in (("png", b"\x89PNG"), ("svg", b"<?xml"), ("pdf", b"%PDF")):
        assert (folder / f"report.{ending}").read_bytes().startswith(start)


def table(*rows: Row, columns: tuple[Column, ...] = (Column("a", "a", "amount", 2),)) -> ReportTable:
    return ReportTable("=cmd()", {"currency": "EUR"}, ("@sub",), columns, rows, key_label="+label")


def test_text_that_would_run_is_inert(tmp_path: Path) -> None:
    report = table(
        Row("=1+1", '=HYPERLINK("x")', 0, "line", {"a": "=2+2"}), Row("b", "<b>&", 0, "total", {"a": Decimal(1)})
    )
    (tmp_path / "x.xlsx").write_bytes(rendered(report, "xlsx"))
    sheet = openpyxl.load_workbook(tmp_path / "x.xlsx").worksheets[0]
    assert all(cell.data_type != "f" for row in sheet.iter_rows() for cell in row)
    assert '=HYPERLINK("x")' in [cell.value for row in sheet.iter_rows() for cell in row]
    assert "'=1+1" in rendered(report, "csv").decode()
    assert "&lt;b&gt;&amp;" in rendered(report, "html").decode()


def test_a_chart_sets_side_by_side_only_what_is_of_the_same_days() -> None:
    def columns(series: str, scenario: str, *names: str) -> list[Column]:
        prefix = f"{scenario}-" if scenario else ""
        return [
            Column(prefix + name, name, "amount", 2, date(2026, int(name), 1), scenario=scenario, series=series)
            for name in names
        ]

    booked, plan = columns("a", "", "1", "2", "3"), columns("b", "budget", "1", "2", "3")
    assert series_of([*booked, *plan]) == [booked, plan]
    assert series_of([*booked, *columns("b", "budget", "4", "5", "6")]) == [booked]
    assert series_of([*booked, *columns("b", "budget", "1", "2")]) == [booked]


def test_a_list_has_a_filter_and_long_totals_are_sums_over_ranges(almanac: Almanac, demo: Path, tmp_path: Path) -> None:
    target = tmp_path / "x.xlsx"
    assert almanac("list", "sales", "--by", "item", "-o", target, book=demo).code == 0
    sheet = openpyxl.load_workbook(target).worksheets[0]
    heads, last = re.fullmatch(r"A(\d+):[A-Z]+(\d+)", str(sheet.auto_filter.ref)).groups()  # type: ignore[union-attr]
    assert sheet.cell(int(heads), 1).value == "item"
    assert sheet.cell(int(last) + 1, 1).value.startswith("Total, "), "totals stay below what is filtered"
    # Of 1,624 journals each has a total of its own; one by one they would be more than a program reads.
    words = ("list", "ledger", "--by", "journal", "--lines", "--year", "2026")
    assert almanac(*words, "-o", target, book=demo).code == 0
    report = almanac(*words, "--print", "json", book=demo).json
    sheet = openpyxl.load_workbook(target).worksheets[0]
    column = next(cell.column for row in sheet.iter_rows(max_row=12) for cell in row if cell.value == "amount")
    cells = [sheet.cell(row, column).value for row in range(1, sheet.max_row + 1)]
    formulas = {row: value for row, value in enumerate(cells, 1) if str(value).startswith("=")}
    assert len(formulas) > 1500
    assert max(map(len, formulas.values())) < 8192
    sums = {}
    for row, value in formulas.items():
        first, end = map(int, re.fullmatch(r"=SUBTOTAL\(9,[A-Z]+(\d+):[A-Z]+(\d+)\)", value).groups())  # type: ignore[union-attr]
        inner = [cells[at - 1] for at in range(first, end + 1) if at not in formulas]
        sums[row] = sum(Decimal(repr(cell)) for cell in inner if isinstance(cell, int | float))
    told = [Decimal(row["cells"]["amount"]) for row in report["rows"] if row["kind"] in ("subtotal", "total")]
    assert [round(each, 2) for each in sums.values()] == told
    assert not sheet.auto_filter.ref, "a filter over headings would part them from their lines"


def test_a_formula_that_would_not_give_the_figure_is_not_written(tmp_path: Path) -> None:
    columns = (
        Column("a", "a", "amount", 2),
        Column("b", "b", "amount", 2),
        Column("c", "c", "amount", 2, derived=Derived("a", "b")),
    )
    report = table(
        Row("x", "x", 0, "line", {"a": Decimal("1.10"), "b": Decimal("0.10"), "c": Decimal("1.00")}),
        Row("t", "t", 0, "total", {"a": Decimal("9.99"), "b": Decimal("0.10"), "c": Decimal("5.00")}, adds=((1, "x"),)),
        columns=columns,
    )  # fmt: skip
    (tmp_path / "x.xlsx").write_bytes(rendered(report, "xlsx"))
    sheet = openpyxl.load_workbook(tmp_path / "x.xlsx").worksheets[0]
    found = [cell.value for row in sheet.iter_rows(min_row=4) for cell in row]
    assert [value for value in found if str(value).startswith("=")] == ["=B5-C5", "=C5"]
    assert 9.99 in found
    assert 5 in found


STYLES = """
[styles.board]
units = 1000
negatives = "parens"
zeros = "dash"
mark = "before"
numbers = "1.234,56"

[styles.default]
dates = "DD.MM.YYYY"
"""
LINES = (
    "J1,1,2025-10-05,2026-P01,1000,1501.40,,S", "J1,2,2025-10-05,2026-P01,4010,,1500.50,S", "J1,3,2025-10-05,2026-P01,4020,,0.90,S",
    "J2,1,2025-10-06,2026-P01,5000,2500.50,,S", "J2,2,2025-10-06,2026-P01,1000,,2500.50,S",
    "J3,1,2025-10-07,2026-P01,6000,0.40,,S", "J3,2,2025-10-07,2026-P01,1000,,0.40,S",
    "J4,1,2025-10-08,2026-P01,4090,,1500.40,S", "J4,2,2025-10-08,2026-P01,1000,1500.40,,S",
)  # fmt: skip


def test_styles_units_and_the_rounding_note(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    path = book.root / "almanac.toml"
    path.write_text(path.read_text() + STYLES, encoding="utf-8")
    assert book.load("--through", "2025-10-31").code == 0
    words = ["statement", "income", "--columns", "ptd"]
    shown = book.run(*words, "--style", "board").out
    lines = {line.strip().rsplit("  ", 1)[0].strip(): line.rsplit("  ", 1)[-1].strip() for line in shown.splitlines()}
    assert "Amberquay · EUR · in thousands" in shown
    assert (lines["Tickets"], lines["Refunds"], lines["Freight"]) == ("2", "2", "0")
    assert lines["Total income"] == "3", "3,001.80 in thousands, whose rows show 2 and 2"
    assert lines["Result"] == "EUR 1"
    assert (
        "Shown rounded, so 3 totals differ from the rows above by up to 1 (Total income, period to date)"
        in " ".join(shown.split())
    )
    exact = book.run(*words, "--style", "board", "--print", "json").json
    assert next(row["cells"] for row in exact["rows"] if row["key"] == "result") == {"ptd": "500.90"}
    odd = book.run(*words, "--units", "1000", "--decimals", "1", "--negatives", "parens", "--zeros", "blank").out
    assert "1.5" in odd
    small = book.run("trial", "--negatives", "parens", "--decimals", "0").out
    assert "(1,500)" in small
    assert "−0" not in small.replace("−0.", "")
    red = book.run(*words, "--negatives", "red").out
    assert "\x1b" not in red, "no colour where there is no terminal"
    dates = book.run("calendar", "--year", "2026").out
    assert "01.10.2025" in dates, "the default style is used where none is asked for"
    heads = book.run("statement", "income", "--columns", "ptd; closing").out
    assert "01.10.2025–" in heads
    assert "at 31.10.2025" in book.run("statement", "balance").out


def test_an_existing_file_is_replaced_only_whole(almanac: Almanac, demo: Path, tmp_path: Path) -> None:
    target = tmp_path / "report.xlsx"
    target.write_bytes(b"old")
    ran = almanac("statement", "income", "--columns", "ytd; share of nothing", "-o", target, book=demo)
    assert (ran.code, target.read_bytes()) == (2, b"old")
    assert almanac("statement", "income", "-o", target, book=demo).code == 0
    assert target.read_bytes()[:2] == b"PK"
    assert [path.name for path in tmp_path.iterdir()] == ["report.xlsx"]


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (["-o", "x.xlxs"], "almanac: -o: no format has this ending: 'x.xlxs'; expected .xlsx, .csv, .json, .html, .pdf, .md, .parquet, .png, .svg or .txt; did you mean 'xlsx'?\n"),
        (["-o", "nowhere/x.pdf"], "almanac: -o: there is no such folder: 'nowhere'\n"),
        (["-o", "x.md", "-o", "x.md"], "almanac: -o: the same file twice: 'x.md'\n"),
        (["--style", "bord"], "almanac: --style: no style has this name: 'bord'; expected board; did you mean 'board'?\n"),
    ],
)  # fmt: skip
def test_what_cannot_be_written(almanac: Almanac, demo: Path, words: list[str], told: str) -> None:
    ran = almanac("statement", "income", *words, book=demo)
    assert (ran.code, ran.out, ran.err) == (2, "", told)


def test_the_page_has_what_the_book_says(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    path = book.root / "almanac.toml"
    page = '[page]\ntitle = "Books of Amberquay"\nheader = "For the board & owners"\nfooter = "Not audited"\npaper = "letter"\norientation = "landscape"\nlogo = "mark.png"\n'
    assert book.load("--through", "2025-10-31").code == 0
    path.write_text(path.read_text() + page, encoding="utf-8")
    ran = book.run("statement", "income", "-o", book.root / "x.pdf")
    assert (ran.code, ran.err) == (3, "almanac: page.logo: there is no such file: 'mark.png'\n")
    Image.new("RGB", (120, 48), "navy").save(book.root / "mark.png")
    outputs = [word for ending in ("pdf", "xlsx", "html") for word in ("-o", book.root / f"x.{ending}")]
    assert book.run("statement", "income", *outputs).code == 0
    sheet = pypdf.PdfReader(book.root / "x.pdf").pages[0]
    assert (float(sheet.mediabox.width), float(sheet.mediabox.height)) == (792, 612)
    for words in (
        "Books of Amberquay",
        "For the board & owners",
        "Not audited",
        r"prepared \d{1,2} [A-Z][a-z]{2} 20\d\d",
    ):
        assert re.search(words, sheet.extract_text())
    assert len(sheet.images) == 1
    printed = openpyxl.load_workbook(book.root / "x.xlsx").worksheets[0]
    assert (printed.page_setup.orientation, printed.page_setup.paperSize) == ("landscape", 1)
    assert "Not audited" in str(printed.oddFooter.left.text)
    assert re.fullmatch(r"prepared \d{1,2} [A-Z][a-z]{2} 20\d\d", str(printed.oddFooter.center.text))
    assert "data:image/png;base64," in (book.root / "x.html").read_text(encoding="utf-8")


def test_parquet_holds_ratios_of_many_digits_and_reports_without_rows(tmp_path: Path) -> None:
    columns = (Column("each", "each", "number"), Column("sum", "sum", "amount", 2))
    long = Decimal("33333333333333.3333333333333333333333333333")
    report = ReportTable("Ratios", {}, (), columns, (Row("a", "A", 0, "line", {"each": long, "sum": Decimal("1.10")}),))
    for name, table in (("some", report), ("none", report._replace(rows=()))):
        (tmp_path / name).write_bytes(rendered(table, "parquet"))
    read = duckdb.connect(":memory:").read_parquet
    [(each, amount)] = read(str(tmp_path / "some")).select("each, sum").fetchall()
    assert abs(each - long) < Decimal("1e-23")
    assert amount == Decimal("1.10")
    assert read(str(tmp_path / "none")).fetchall() == []
