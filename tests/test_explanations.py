"""Explanations: tied to one figure of one period, printed in every format, stale when the figure moves."""

import re
from decimal import Decimal
from pathlib import Path

import pytest
from openpyxl import load_workbook
from pypdf import PdfReader

from conftest import Ran, copied, run_almanac
from level_almanac.core.table.model import Column, Explanation, ReportTable, Row
from level_almanac.core.table.style import Look
from level_almanac.files.settings import StyleSettings
from level_almanac.output.terminal import text
from level_almanac.output.text import cell_words

FERRIES = "month-end/1-ferries"


@pytest.fixture(scope="module")
def book(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    return copied(demo, tmp_path_factory.mktemp("explained") / "book")


def run(book: Path, *words: str) -> Ran:
    return run_almanac("page", "run", FERRIES, "--no-questions", *words, book=book)


def told(ran: Ran) -> list[tuple[str, str, str | None]]:
    return [(each["row"], each["column"], each["written_for"]) for each in ran.json.get("explanations", [])]


def test_an_explanation_stands_with_its_figure_in_every_format(book: Path, tmp_path: Path) -> None:
    may = ("--period", "2026-P08")
    assert told(run(book, *may, "--print", "json")) == [("freight", "variance", None), ("50110", "variance", None)]
    files = [tmp_path / f"out.{ending}" for ending in ("html", "pdf", "xlsx", "md", "txt")]
    ran = run(book, *may, *(word for path in files for word in ("-o", str(path))))
    assert ran.code == 0, ran.err
    words = "Freight, variance: Two lorry customers moved their spring loads into June (M. Sorley)"
    html = (tmp_path / "out.html").read_text()
    assert re.search(r"−11,229\.81<sup>\[1\]</sup>", html)
    assert f"[1] {words}" in html
    pdf = " ".join(" ".join(page.extract_text() for page in PdfReader(tmp_path / "out.pdf").pages).split())
    assert "−11,229.81 [1]" in pdf
    assert f"[1] {words}" in pdf
    sheet = load_workbook(tmp_path / "out.xlsx").worksheets[0]
    cells = [cell for row in sheet.iter_rows() for cell in row if cell.comment]
    assert [(cell.comment.text.strip(), cell.number_format.count('" [')) for cell in cells if cell.comment] == [
        ("Two lorry customers moved their spring loads into June", 3),
        ("Merlin was in dock for nine days and burned nothing", 3),
    ]
    assert r"−11,229.81 \[1\]" in (tmp_path / "out.md").read_text()
    lines = (tmp_path / "out.txt").read_text().splitlines()
    freight, passengers = (
        next(line for line in lines if line.strip().startswith(word)) for word in ("Freight", "Passengers")
    )
    assert freight.index("−11,229.81") + len("−11,229.81") == passengers.index("10,587.75") + len("10,587.75")


def test_it_counts_for_its_period_alone(book: Path) -> None:
    assert told(run(book, "--period", "2026-P07", "--print", "json")) == []
    assert told(run(book, "--as-of", "2026-05-20", "--print", "json")) != [], "the same period, as far as it had come"


def test_it_is_written_told_replaced_and_taken_out(book: Path) -> None:
    figure = ("explain", FERRIES, "--period", "2026-P08", "--row", "Goods", "--column", "variance")
    assert (
        run_almanac(*figure, book=book).out
        == "month-end/1-ferries, 2026-P08: Goods sold, variance: −1,971.85: not explained\n"
    )
    path = book / f"explanations/{FERRIES}.toml"
    path.write_text(path.read_text().replace("[[explanation]]", "# seen by the board\n[[explanation]]", 1))
    wrote = run_almanac(*figure, "Stock of the shop\nwas counted", "--by", "A. Reeve", book=book)
    assert wrote.err == (
        "wrote explanations/month-end/1-ferries.toml: month-end/1-ferries, 2026-P08: Goods sold, variance: −1,971.85\n"
    )
    assert run_almanac(*figure, "Counted anew", book=book).code == 0
    assert run_almanac(*figure, book=book).out.endswith("−1,971.85: Counted anew\n")
    text = path.read_text()
    assert "# seen by the board" in text
    assert text.count("[[explanation]]") == 3
    assert text.count('row = "goods"') == 1
    assert run_almanac(*figure, "--remove", book=book).err.endswith("its explanation is taken out\n")
    assert run_almanac(*figure, "--remove", book=book).err.endswith("had no explanation\n")
    assert path.read_text().count("[[explanation]]") == 2
    assert run_almanac(*figure, "--remove", "x", book=book).code == 2
    unknown = run_almanac(
        "explain", FERRIES, "--period", "2026-P08", "--row", "Frieght", "--column", "1", "x", book=book
    )
    assert unknown.code == 2
    assert "the report has no such row: 'Frieght'" in unknown.err


def test_a_figure_that_moves_leaves_its_explanation_stale_and_needs_a_new_one(demo: Path, tmp_path: Path) -> None:
    book = copied(demo, tmp_path / "book")
    assert not any("NEEDS" in note for note in run(book, "--period", "2026-P08", "--print", "json").json["notes"])
    with (book / "exports/line/line-2026-08.csv").open("a") as stream:
        stream.write("SF26-09001,1,2026-05-28,2026-08,12110,100.00,,SF,F9,,C008,,Late,,\n")
        stream.write("SF26-09001,2,2026-05-28,2026-08,40210,,100.00,SF,F9,,C008,,Late,FRT,\n")
    assert run_almanac("load", book=book).code == 0
    ran = run(book, "--period", "2026-P08", "--print", "json")
    assert told(ran) == [("freight", "variance", "-11229.81"), ("50110", "variance", None)]
    notes = ran.json["notes"]
    assert notes[0].endswith("(M. Sorley) · STALE: written when the figure was −11,229.81")
    assert "NEEDS AN EXPLANATION: Freight, variance: −11,129.81, 8.2 %: its explanation is stale" in notes
    issue = ("edition", "issue", "x", "--period", "2026-P08", "--pages", FERRIES)
    refused = run_almanac(*issue, book=book)
    assert refused.code == 1
    assert "a change needs an explanation: month-end/1-ferries: Freight, variance: −11,129.81, 8.2 %" in refused.err
    assert run_almanac(*issue, "--without-explanations", book=book).code == 0
    assert "Changes issued without an explanation" in (book / "editions/x/index.html").read_text()
    assert run_almanac("edition", "verify", "x", book=book).code == 0
    explain = ("explain", FERRIES, "--period", "2026-P08", "--row", "freight", "--column", "variance", "A late bill")
    assert run_almanac(*explain, book=book).code == 0
    assert told(run(book, "--period", "2026-P08", "--print", "json"))[0] == ("freight", "variance", None)


@pytest.mark.parametrize(
    ("over", "percent", "needed"),
    [
        # By the report: passengers 10,587.75 (1.7 %), freight −11,229.81 (8.3 %), gas oil 16,624.11 (9.2 %),
        # crews 2,077.43, all else 3,369.85; totals are left to their rows.
        ("11229.80", "0", {"Freight", "Marine gas oil"}),
        ("11229.81", "0", {"Marine gas oil"}),
        ("10000", "9.22", {"Marine gas oil"}),
        ("10000", "9.23", set()),
    ],
)
def test_a_change_needs_an_explanation_only_past_both_limits(
    book: Path, over: str, percent: str, needed: set[str]
) -> None:
    rule = f'report = "statement ferries"\n[options]\nentity = "LINE"\nperiod = "2026-P08"\n[explain]\ncolumn = "variance"\nover = {over}\npercent = {percent}\n'
    (book / "pages/limits.toml").write_text(rule)
    notes = run_almanac("page", "run", "limits", "--print", "json", book=book).json["notes"]
    found = {note.removeprefix("NEEDS AN EXPLANATION: ").partition(",")[0] for note in notes if "NEEDS" in note}
    assert found == needed


@pytest.mark.parametrize(
    ("text_", "message"),
    [
        ("[[explanation]]\nperiod = 1\n", "explanations/p.toml: explanation[1].period: this key is missing, or no text"),
        ('[[explanation]]\nperiod = "a"\nrow = "b"\ncolumn = "c"\nfigure = "1"\ntext = "x"\nwho = "me"\n', "explanations/p.toml: explanation[1].who: unknown key; expected period, row, column, figure, text, by, written"),
        ("[[explanation]\n", "explanations/p.toml: not TOML: "),
        ('explanation = "x"\n', "explanations/p.toml: explanation: not allowed here; expected [[explanation]] blocks"),
        ('[[explanation]]\nperiod = "a"\nrow = "b"\ncolumn = "c"\nfigure = "few"\ntext = "x"\n', "explanations/p.toml: explanation[1].figure: not a number: 'few'; expected such as -1971.85"),
    ],
)  # fmt: skip
def test_a_file_of_explanations_that_is_wrong_is_told(book: Path, text_: str, message: str) -> None:
    (book / "pages/p.toml").write_text('report = "trial"\n')
    (book / "explanations/p.toml").write_text(text_)
    ran = run_almanac("page", "run", "p", book=book)
    (book / "explanations/p.toml").unlink()
    assert ran.code == 3
    assert message in ran.err


@pytest.mark.parametrize("negatives", ["minus", "parens"])
def test_marks_keep_digits_one_above_the_other(negatives: str) -> None:
    column = Column("a", "a", "amount", 2)
    rows = tuple(
        Row(str(number), f"row {number}", 0, "line", {"a": Decimal(number) * (-1) ** number}) for number in range(1, 12)
    )
    notes = tuple(Explanation(row.key, "a", row.label, "why") for row in rows[:10])
    look = Look(StyleSettings(negatives=negatives))  # type: ignore[arg-type]
    table = ReportTable("t", {}, (), (column,), rows, explanations=notes, look=look)
    points = {cell_words(row.cells["a"], column, row, table).rjust(20).index(".") for row in rows}
    assert len(points) == 1
    assert "[10] row 10: why" in text(table)
