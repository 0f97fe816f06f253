"""A board of a group's pages: every report that can be chosen was made ahead, and is the one that its command makes."""

import html
import re
from pathlib import Path
from typing import Any

import pytest

from conftest import copied, run_almanac

PAGES = ("month-end/1-ferries", "month-end/3-trial", "month-end/4-customers", "month-end/8-sales")


@pytest.fixture(scope="module")
def book(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a book with a small group of pages, of three tables."""
    book = copied(demo, tmp_path_factory.mktemp("board") / "book")
    (book / "pages" / "few").mkdir()
    for name in PAGES:
        kept = book / "pages" / "few" / f"{name.partition('/')[2]}.toml"
        kept.write_text((book / "pages" / f"{name}.toml").read_text(encoding="utf-8"), encoding="utf-8")
    return book


def views_of(path: Path) -> dict[tuple[str, str, str], str]:
    text = path.read_text(encoding="utf-8")
    found = re.findall(
        r'<section class="view" data-page="([^"]*)" data-member="([^"]*)" data-span="([^"]*)"[^>]*>(.*?)</section>',
        text,
        re.DOTALL,
    )
    return {(page.rpartition("/")[2], member, span): body for page, member, span, body in found}


def figures_in(body: str) -> list[tuple[str, list[str]]]:
    """Return the key of each row with what its cells are put in order by, which is exact."""
    rows = re.findall(r'<tr class="[^"]*" data-row="([^"]*)"[^>]*>(.*?)</tr>', body, re.DOTALL)
    found = [(html.unescape(key), re.findall(r'data-sort="([^"]*)"', cells)) for key, cells in rows]
    return [(key, cells if any(cells) else []) for key, cells in found]


def told(report: dict[str, Any]) -> list[tuple[str, list[str]]]:
    columns = [column["key"] for column in report["columns"]]
    found = []
    for row in report["rows"]:
        cells = [row["cells"].get(key) for key in columns]
        texts = ["" if cell is None else str(cell) for cell in cells]
        found.append((row["key"], texts if any(texts) else []))
    return found


def test_each_report_of_a_board_is_the_one_that_its_command_makes(book: Path, tmp_path: Path) -> None:
    path = tmp_path / "board.html"
    asked = ("--members", "vessel", "--spans", "2026-P07, 2025-Q4")
    ran = run_almanac("page", "run", "few", *asked, "-o", str(path), book=book)
    assert ran.code == 1, "the page of customers tells of a difference, here too"
    assert "few/1-ferries is on the board of all members only: lines of plans have no vessel" in ran.err
    views = views_of(path)
    vessels = ("Brae", "Corran", "Merlin", "Tern")
    expected = {
        (page, member, span)
        for page in ("3-trial", "8-sales")
        for member in ("", *vessels)
        for span in ("", "2026-P07", "2025-Q4")
    } | {(page, "", span) for page in ("1-ferries", "4-customers") for span in ("", "2026-P07", "2025-Q4")}
    assert {*views} == expected
    for page, member, span in [
        ("1-ferries", "", ""), ("3-trial", "Tern", "2026-P07"), ("8-sales", "Brae", "2025-Q4"),
        ("8-sales", "Corran", ""), ("4-customers", "", "2026-P07"),
    ]:  # fmt: skip
        only = ("--only", f'vessel is "{member}"') if member else ()
        when = ("--quarter" if "Q" in span else "--period", span) if span else ()
        alone = run_almanac("page", "run", f"few/{page}", *only, *when, "--no-questions", "--print", "json", book=book)
        assert figures_in(views[page, member, span]) == told(alone.json), (page, member, span)
        assert "adds up to the cent" in views[page, member, span], "each has its own proof"
    text = path.read_text(encoding="utf-8")
    assert not re.search(r'(?:src|href)="(?:https?:)?//', text), "it needs no network"
    assert len(re.findall(r' id="', text)) == 0
    assert "totals are of all lines, and give way" in text
    assert ["all", *vessels] == re.findall(
        r"<option[^>]*>([^<]*)</option>", text.partition("vessel<select")[2].partition("</select>")[0]
    )


def test_a_board_of_pages_alone_has_nothing_else_to_choose(book: Path, tmp_path: Path) -> None:
    path = tmp_path / "board.html"
    run_almanac("page", "run", "few", "-o", str(path), book=book)
    assert {*views_of(path)} == {(name.partition("/")[2], "", "") for name in PAGES}
    assert 'data-choose="member"' not in path.read_text(encoding="utf-8").partition("<script>")[0]


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (("few", "--members", "vessel"), "only a board lets one choose: --members; say -o board.html"),
        (("few/8-sales", "--spans", "2026-P07"), "this is for a board of a group"),
        (("few", "--members", "vesel", "-o", "{}/b.html"), "no page of the group is of lines that have this field: 'vesel'"),
        (("few", "--spans", "2026-P99", "-o", "{}/b.html"), "--spans"),
        (("few", "--period", "2026-P07", "--spans", "2026-P08", "-o", "{}/b.html"), "two ways to say which spans"),
        (("few", "-o", "{}/b.csv"), "a group goes into one HTML board, one PDF or one workbook"),
    ],
)  # fmt: skip
def test_what_no_board_can_be_made_of(book: Path, tmp_path: Path, words: tuple[str, ...], message: str) -> None:
    ran = run_almanac("page", "run", *(word.format(tmp_path) for word in words), book=book)
    assert (ran.code, message in ran.err) == (2, True), ran.err
