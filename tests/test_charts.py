"""Charts: their figures are the table's, their files are what they say, and what is on them has room."""

import base64
import io
import re
import sys
from datetime import date
from decimal import Decimal
from itertools import pairwise
from pathlib import Path
from typing import Any

import pypdf
import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import load_workbook

from conftest import run_almanac
from level_almanac.core.book import Book
from level_almanac.core.measures.table_measures import MeasuredRequest
from level_almanac.core.reports.growth.figures import GrowthRequest
from level_almanac.core.reports.growth.report import growth
from level_almanac.core.reports.pace.figures import PaceRequest
from level_almanac.core.reports.pace.report import pace
from level_almanac.core.reports.rank.figures import RankRequest
from level_almanac.core.reports.rank.report import rank
from level_almanac.core.spans.as_of import AsOfRequest, Compare
from level_almanac.core.table.chart_data import BarsChart, GrowthChart, PaceChart
from level_almanac.output.beside import Job, beside
from level_almanac.output.chart import drawn
from level_almanac.output.chart_style import percent_words, short, spread
from level_almanac.output.drawing import Picture, drawn_here
from level_almanac.output.files import rendered

TODAY = date(2026, 6, 17)
WORDS = {
    "rank": ["rank", "sales", "--by", "item", "--within", "item.range", "--top", "2"],
    "growth": ["growth", "sales", "--of", "amount, margin %", "--each", "quarter"],
    "pace": ["pace", "sales", "--by", "route"],
}


@pytest.fixture(scope="module")
def book(demo: Path) -> Book:
    return Book.open(demo)


def test_a_ranking_is_drawn_from_the_figures_of_its_table(book: Book) -> None:
    of = MeasuredRequest(table="sales", by="item")
    table = rank(book, RankRequest(of=of, within="item.range", top=2)).table
    assert isinstance(table.chart, BarsChart)
    rows = {row.key: row for row in table.rows}
    for panel in table.chart.panels:
        lines = [row for row in table.rows if row.key.startswith(f"{panel.name}/")]
        bars = [*panel.bars, *panel.others]
        assert [bar.label for bar in bars] == [row.label for row in lines]
        for bar, row in zip(bars, lines, strict=True):
            keys = ("amount", "amount-last-year", "amount-change", "amount-change-pct")
            assert (bar.now, bar.before, bar.change, bar.change_percent) == tuple(row.cells[key] for key in keys)
        total = sum((bar.now or Decimal(0) for bar in bars), Decimal(0))
        assert total == rows[panel.name].cells["amount"]
    assert table.chart.now == "1 Oct 2025–17 Jun 2026, 260/365 days", "the days and the part of the span are on it"


def test_growth_is_drawn_from_the_figures_of_its_table(book: Book) -> None:
    of = MeasuredRequest(table="sales", of="amount, margin %")
    table = growth(book, GrowthRequest(of=of, each=("quarter",), last=6)).table
    assert isinstance(table.chart, GrowthChart)
    rows = {row.key: row.cells for row in table.rows}
    for panel, key in zip(table.chart.panels, ("amount", "margin"), strict=True):
        assert [(step.now, step.before) for step in panel.steps] == [
            (rows[f"{key}/{step.label}"]["now"], rows[f"{key}/{step.label}"].get("last-year")) for step in panel.steps
        ]
        assert [step.part for step in panel.steps] == [""] * 5 + ["78/91 days"]
        assert [step.label for step in panel.to_date] == ["Year to date", "Quarter to date", "Period to date"]


@pytest.mark.parametrize(
    ("compare", "before"), [("same-days", "same days"), ("whole", "whole spans"), ("weekday", "same weekdays")]
)
def test_a_chart_names_what_it_leaves_out_and_the_months_of_periods(book: Book, compare: Compare, before: str) -> None:
    of = MeasuredRequest(
        table="sales", of="ratio, amount", compute=("ratio = amount / quantity",), by="route",
        when=AsOfRequest(compare=compare),
    )  # fmt: skip
    chart = growth(book, GrowthRequest(of=of)).table.chart
    assert isinstance(chart, GrowthChart)
    assert chart.before == before
    assert [step.months for step in chart.panels[0].steps[-3:]] == ["Apr", "May", "Jun"]
    assert chart.undrawn[:2] == ("by year", "by quarter")
    assert "Isles · amount" in chart.undrawn
    assert (chart.panels[0].ratio, len(chart.panels)) == (True, 5)


def test_pace_is_drawn_from_the_table_by_periods(book: Book) -> None:
    of = MeasuredRequest(table="sales", by="route")
    table = pace(book, PaceRequest(of=of, by_period=True)).table
    assert isinstance(table.chart, PaceChart)
    rows = {row.key: row.cells for row in table.rows}
    totals = {row.key: row.cells for row in pace(book, PaceRequest(of=of)).table.rows}
    for member in table.chart.members:
        told = [rows[key] for key in rows if re.fullmatch(rf"{member.name}/2026-P\d\d", key)]
        summed = [cells["fact-so-far"] for cells in told if "fact-so-far" in cells]
        assert [point.actual for point in member.points if point.actual is not None] == summed
        assert member.points[-1].plan == member.limit == totals[member.name]["budget"]
        assert (member.spent, member.ends) == (totals[member.name]["spent"], totals[member.name]["projected"])
    whole = table.chart.whole
    assert (whole.limit, whole.ends) == (Decimal("7400000.00"), totals["total"]["projected"])
    assert next(point.plan for point in whole.points if point.day == TODAY).quantize(Decimal(1)) == Decimal(
        str(totals["total"]["expected"])
    ).quantize(Decimal(1))


@pytest.mark.parametrize("name", list(WORDS))
def test_a_chart_is_a_picture_in_each_of_its_formats(demo: Path, tmp_path: Path, name: str) -> None:
    files = [tmp_path / f"{name}.{ending}" for ending in ("png", "svg", "html", "pdf", "xlsx", "json")]
    words = [part for path in files for part in ("-o", str(path))]
    ran = run_almanac(*WORDS[name], *words, book=demo)
    assert ran.code == 0, ran.err
    png = files[0].read_bytes()
    assert png[:8] == b"\x89PNG\r\n\x1a\n"
    assert (int.from_bytes(png[16:20]), int.from_bytes(png[20:24])) == (1280, 800)
    assert files[1].read_text().count("<path") > 50
    page = files[2].read_text()
    (source,) = re.findall(r'<img class="chart" src="data:image/svg\+xml;base64,([^"]+)"', page)
    assert b"<svg" in base64.b64decode(source)
    assert "http" not in re.sub(r"base64,[^\"]+", "", page), "the page needs no network"
    pages = pypdf.PdfReader(files[3]).pages
    assert len(pages[0].images) == 1
    assert "proof" in "".join(each.extract_text() for each in pages)


@pytest.mark.parametrize(
    ("words", "charts", "undrawn"),
    [
        ("rank sales --by item --within item.range --top 3", 4, "all other"),
        ("growth sales --of amount,quantity", 4, "by year, by quarter"),
        ("growth sales --by vessel --each quarter --side-by-side", 10, ""),
        ("list sales --by route --columns ytd;ytd@last@year;change", 1, ""),
        ("pace sales --by route", 5, "projected end"),
    ],
)
def test_a_workbook_has_charts_of_its_own_on_the_reports_figures(
    demo: Path, tmp_path: Path, words: str, charts: int, undrawn: str
) -> None:
    path = tmp_path / "report.xlsx"
    asked = [word.replace("@", " ") for word in words.split()]
    ran = run_almanac(*asked, "-o", str(path), "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    figures = {Decimal(cell) for row in ran.json["rows"] for cell in row["cells"].values() if _is_number(cell)}
    formulas, values = load_workbook(path), load_workbook(path, data_only=True)
    sheet, told = formulas["Charts"], values["Charts"]
    assert formulas.sheetnames == [formulas.sheetnames[0], "Charts", "Proof"]
    assert len(sheet._charts) == charts
    notes = [str(row[0].value) for row in sheet.iter_rows(max_col=1) if "not drawn" in str(row[0].value)]
    assert notes == ([f"in the table and not drawn: {undrawn}"] if undrawn else [])
    seen = 0
    for row in sheet.iter_rows(min_col=2, max_col=3):
        for cell in row:
            if isinstance(cell.value, str) and cell.value.startswith("="):
                name, _, place = cell.value.rpartition("!")
                assert name == f"='{formulas.sheetnames[0]}'"
                value = told[cell.coordinate].value
                # What is drawn is what stands in the report, by its formula and by the value kept beside it.
                assert values[formulas.sheetnames[0]][place].value == value
                assert Decimal(str(value)).quantize(Decimal("0.01")) in {
                    each.quantize(Decimal("0.01")) for each in figures
                }
                seen += 1
    assert seen or words.startswith("pace")


def _is_number(cell: Any) -> bool:
    return isinstance(cell, int) or (isinstance(cell, str) and re.fullmatch(r"-?\d+(\.\d+)?", cell) is not None)


def test_a_chart_is_the_same_each_time_and_bare_where_a_page_has_its_title(book: Book) -> None:
    table = rank(book, RankRequest(of=MeasuredRequest(table="sales", by="route"))).table
    assert drawn(table, "png") == drawn(table, "png")
    whole, bare = (len(drawn(table, "svg", bare=bare)) for bare in (False, True))
    assert bare < whole


@given(st.lists(st.floats(-1000, 1000), min_size=1, max_size=8), st.floats(0.1, 200))
def test_labels_are_moved_apart_and_keep_their_order(places: list[float], apart: float) -> None:
    found = spread(places, apart)
    ordered = sorted(range(len(places)), key=lambda at: places[at])
    for before, at in pairwise(ordered):
        assert found[at] - found[before] >= apart - 1e-6
    assert abs(sum(found) - sum(places)) < 1e-6, "together they stay where they belong"
    if all(places[at] - places[before] >= apart for before, at in pairwise(ordered)):
        assert found == pytest.approx(places)


def test_words_on_a_chart(book: Book) -> None:
    table = rank(book, RankRequest(of=MeasuredRequest(table="sales", by="route"))).table
    assert [percent_words(each, table) for each in (Decimal("2.25"), Decimal("-0.04"), "new", None)] == [
        "+2.3 %", "0.0 %", "new", "",
    ]  # fmt: skip
    assert [short(Decimal(each), table) for each in ("1234.5", "-12.34", "7")] == ["1,235", "−12.3", "7"]
    # A ratio has the decimals that it has in the table.
    assert [short(Decimal(each), table, ratio=True) for each in ("12.78", "3", "-0.005")] == ["12.78", "3.00", "−0.01"]


def test_a_report_without_figures_draws_nothing(demo: Path, tmp_path: Path) -> None:
    words = ["rank", "sales", "--by", "item", "--only", "route is nowhere"]
    ran = run_almanac(*words, "-o", tmp_path / "empty.png", book=demo)
    assert ran.code == 2
    assert "this report has no totals to draw" in ran.err
    assert not (tmp_path / "empty.png").exists()
    assert io.StringIO(run_almanac(*words, book=demo).out).readline() == "Sales: amount by item\n"


def test_a_divided_span_is_drawn_over_time_and_columns_side_by_side_are_not(demo: Path, tmp_path: Path) -> None:
    drawn = {}
    for name, columns in (("time", "each period"), ("sides", "ytd; ytd last year")):
        words = ("statement", "income", "--year", "2025", "--level", "1", "--columns", columns)
        assert run_almanac(*words, "-o", tmp_path / f"{name}.svg", book=demo).code == 0
        drawn[name] = (tmp_path / f"{name}.svg").read_text()
    # Each text that is drawn stands beside its outlines as a comment.
    assert [f"2025-P{number:02d}" in drawn["time"] for number in (1, 6, 12)] == [True] * 3
    assert "2025-P06" not in drawn["sides"]
    assert drawn["time"].count('id="line2d') > drawn["sides"].count('id="line2d')


def test_what_is_made_beside_is_the_same_whoever_makes_it(book: Book, monkeypatch: pytest.MonkeyPatch) -> None:
    of = MeasuredRequest(table="sales", by="route")
    tables = [rank(book, RankRequest(of=of, top=top)).table for top in (2, 3)]
    pictures = [Picture(tables[0], "svg", bare=True), Picture(tables[0], "tif", dpi=50), Picture(tables[1], "png")]
    grouped = rank(book, RankRequest(of=MeasuredRequest(table="sales", by="item"), within="item.range", top=2)).table
    asked = [*(Job(drawn_here, (each,)) for each in pictures), Job(rendered, (grouped, "html"))]
    here = [each.here() for each in asked]
    with beside(drawing=True) as helper:
        for each in asked:
            helper.ask(each)
        # By whom it is made can be told by nothing but that this process is asked for none.
        monkeypatch.setattr(Job, "here", lambda _: b"here")
        assert [helper.done(each) for each in reversed(asked)] == here[::-1]
        assert helper.done(Job(drawn_here, (Picture(tables[1], "svg"),))) == b"here", "nobody asked for it ahead"
    monkeypatch.undo()
    for executable in ("", "/bin/false", "/nowhere"):
        monkeypatch.setattr(sys, "executable", executable)
        with beside(drawing=True) as helper:
            for each in asked:
                helper.ask(each)
            assert [helper.done(each) for each in asked] == here, "where no other process does it, this one does"
