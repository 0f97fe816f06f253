"""Editions: issued whole or not at all, verified to the byte, and compared down to the lines that moved a figure."""

import csv
import json
import random
import re
import shutil
import zipfile
from collections import defaultdict
from collections.abc import Iterator
from contextlib import nullcontext
from dataclasses import replace
from decimal import Decimal
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import pytest
from openpyxl import load_workbook
from pypdf import PdfReader

from conftest import BOOK, CHART, HEADS, LONG, PERIOD_AND_SIDES, Ran, SmallBook, copied, run_almanac
from level_almanac.api.edition_files import writers
from level_almanac.core.book import Book
from level_almanac.core.editions.issue import IssueRequest, issue
from level_almanac.output.beside import Job, beside

ISSUE = ("edition", "issue", "2026-P08", "--period", "2026-P08", "--pages", "month-end", "--with-findings")
FORMATS = (
    "--as",
    "html",
    "--as",
    "csv",
    "--as",
    "xlsx",
    "--as",
    "pdf",
    "--as",
    "md",
    "--as",
    "json",
    "--as",
    "parquet",
)
LATE = (
    'OB26-09001,1,2026-05-28,2026-08,61320,940.10,,OB,P99001,,V101,,"Quay lighting, late bill",TERM,\n'
    'OB26-09001,2,2026-05-28,2026-08,20110,,940.10,OB,P99001,,V101,,"Quay lighting, late bill",,\n'
)


@pytest.fixture(scope="module")
def issued(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a demo book with its edition of May; no test may change it."""
    book = copied(demo, tmp_path_factory.mktemp("issued") / "book")
    # A page of a closed year and the account's lines, which no trace goes with, are issued too.
    (book / "pages/month-end/9-lines.toml").write_text('report = "detail 61320"\n[options]\nsubtotals = true\n')
    done = run_almanac(*ISSUE, *FORMATS, book=book)
    assert done.code == 0, done.err
    assert "warning: month-end/4-customers: YARD: all documents 54,671.91" in done.err
    return book


@pytest.fixture(scope="module")
def late(issued: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a copy of it into which a late bill was loaded."""
    book = copied(issued, tmp_path_factory.mktemp("late") / "book")
    with (book / "exports/line/line-2026-08.csv").open("a") as stream:
        stream.write(LATE)
    assert run_almanac("load", book=book).code == 0
    return book


def edition(book: Path, *words: str) -> Ran:
    return run_almanac("edition", *words, book=book)


class Links(HTMLParser):
    """The links of a page."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.found: list[str] = []
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.found += [value for name, value in attrs if tag == "a" and name == "href" and value]


def test_an_edition_is_every_format_an_index_one_workbook_and_one_pdf(issued: Path) -> None:
    folder = issued / "editions/2026-P08"
    record = json.loads((folder / "edition.json").read_text())
    names = [page["name"] for page in record["pages"]]
    assert names == sorted(names)
    assert len(names) == 9
    links = Links((folder / "index.html").read_text()).found
    assert {link.rpartition(".")[2] for link in links} == {"html", "csv", "xlsx", "pdf", "md", "json", "parquet"}
    assert all((folder / link).is_file() for link in links)
    assert set(record["files"]) == {
        path.relative_to(folder).as_posix() for path in folder.rglob("*") if path.is_file()
    } - {"edition.json", "seal"}
    book = load_workbook(folder / "2026-P08.xlsx")
    assert book.sheetnames == ["Contents", *(name.partition("/")[2] for name in names), "Charts", "Proof"]
    pdf = PdfReader(folder / "2026-P08.pdf")
    pages = [page.extract_text() for page in pdf.pages]
    assert all(f"page {number} of {len(pages)}" in text for number, text in enumerate(pages, 1))
    outline = {entry.title: entry for entry in pdf.outline if not isinstance(entry, list)}
    for page in record["pages"]:
        at = pdf.get_destination_page_number(outline[page["title"]])
        assert at is not None
        assert page["title"] in pages[at]
        assert re.search(rf"[ .]{at + 1}\n{re.escape(page['title'])} ", pages[0]), "the contents name its page"
    assert "Skellan Line · " in pages[0]
    assert "Skellan Line + Skellan Yard · " in pages[0]


def test_pages_charts_and_the_workbook_are_made_beside_as_they_are_here(
    demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    root = copied(demo, tmp_path / "book")
    pages = tuple(f"month-end/{path.stem}" for path in (root / "pages/month-end").glob("*.toml"))
    when = {"period": "2026-P08"}
    asked = IssueRequest(
        name="beside", title="May", pages=pages, when=when, told={}, formats=("html", "pdf"), findings=True
    )
    with beside(drawing=True) as helper, monkeypatch.context() as patched:
        patched.setattr(Job, "here", lambda job: pytest.fail(f"{job.function.__name__} was done by this process"))
        issued = issue(Book.open(root), asked, writers(helper), lambda _, named: nullcontext(named))
    here = issue(Book.open(root), replace(asked, name="here"), writers(), lambda _, named: nullcontext(named))
    assert len(pages) == 8
    for path in (path for page in issued.edition.pages for path in page.files):
        moment = re.compile(rb"20\d\d-\d\d-\d\d \d\d:\d\d")
        assert moment.sub(b"", (issued.folder / path).read_bytes()) == moment.sub(
            b"", (here.folder / path).read_bytes()
        )


@pytest.mark.parametrize("page", ["1-ferries", "2-balance", "4-customers", "6-spending", "8-sales"])
def test_a_page_of_an_edition_is_the_report_of_the_command(issued: Path, page: str) -> None:
    record = json.loads((issued / "editions/2026-P08/edition.json").read_text())
    words = next(each["words"] for each in record["pages"] if each["name"] == f"month-end/{page}")
    figures = json.loads((issued / f"editions/2026-P08/figures/month-end_{page}.json").read_text())
    made = run_almanac(*words, "--print", "json", book=issued).json
    assert figures["rows"] == made["rows"]
    assert figures["proof"] == made["proof"]
    assert any("2026-05-31" in word or "2026-P08" in word for word in words)


def test_a_page_of_a_longer_time_keeps_its_own_in_an_edition_of_a_month(issued: Path) -> None:
    pages = ("--pages", "common/suppliers-past-limit", "--pages", "common/periods", "--pages", "common/lines")
    assert edition(issued, "issue", "own", "--period", "2025-P03", *pages).code == 0
    record = json.loads((issued / "editions/own/edition.json").read_text())
    assert [[word for word in page["words"] if "20" in word] for page in record["pages"]] == [
        ["--year=2024"],
        ["--year=2025", "--as-of=2024-12-31"],
        ["--from=2024-11-01", "--through=2024-11-30", "--as-of=2024-12-31"],
    ]
    shutil.rmtree(issued / "editions/own")


def test_an_edition_verifies_when_the_exports_have_moved_on_and_the_store_is_gone(late: Path, tmp_path: Path) -> None:
    book = copied(late, tmp_path / "book")
    text = (book / "almanac.toml").read_text()
    (book / "almanac.toml").write_text(text.replace('year_start = "10-01"', 'year_start = "01-01"'))
    shutil.rmtree(book / "layouts")
    shutil.rmtree(book / "pages")
    shutil.rmtree(book / ".almanac")
    found = edition(book, "verify", "2026-P08", "--print", "json")
    assert found.code == 0, found.out
    assert {row["cells"]["state"] for row in found.json["rows"]} == {"the same"}
    compared = sum(
        int(re.findall(r"[\d,]+", row["cells"]["what"])[0].replace(",", "")) for row in found.json["rows"][2:]
    )
    assert compared > 1000
    wrong = edition(book, "verify", "2026-P08", "--seal", "0123456789")
    assert wrong.code == 1
    assert "not 0123456789" in " ".join(wrong.out.split())


TAMPERED = [
    "edition.json", "seal", "index.html", "2026-P08.pdf", "reports/month-end_3-trial.csv", "figures/month-end_2-balance.json",
    "book/almanac.toml", "book/pages/month-end/1-ferries.toml", "book/layouts/income.toml", "data/current",
    "book/explanations/month-end/1-ferries.toml", "data/manifests", "../parts",
]  # fmt: skip


@pytest.mark.parametrize(
    ("name", "flip"), [(name, (1, 128)[at % 2]) for at, name in enumerate(TAMPERED) if LONG or at % 2]
)
def test_one_byte_of_an_edition_changed_is_found(issued: Path, name: str, flip: int) -> None:
    path = issued / "editions/2026-P08" / name
    if path.is_dir():
        path = max(path.iterdir(), key=lambda each: each.stat().st_size)
    raw = path.read_bytes()
    at = random.Random(name).randrange(len(raw))
    path.write_bytes(raw[:at] + bytes([raw[at] ^ flip]) + raw[at + 1 :])
    try:
        found = edition(issued, "verify", "2026-P08")
        if found.code == 1:
            assert "NOT AS IT WAS ISSUED" in found.out
        else:
            # Only the record itself can be past reading.
            assert (name, found.code) == ("edition.json", 3)
            assert "the edition's record cannot be read" in found.err
    finally:
        path.write_bytes(raw)


def test_a_file_that_is_gone_or_new_is_found(issued: Path) -> None:
    folder = issued / "editions/2026-P08"
    (folder / "extra.txt").write_text("x")
    gone = folder / "reports/month-end_3-trial.html"
    gone.rename(issued / "kept.html")
    found = edition(issued, "verify", "2026-P08")
    (folder / "extra.txt").unlink()
    (issued / "kept.html").rename(gone)
    assert found.code == 1
    assert "reports/month-end_3-trial.html is gone" in found.out
    assert "extra.txt was not part of it" in found.out
    assert edition(issued, "verify", "2026-P08").code == 0


@pytest.mark.parametrize(
    ("words", "page", "code", "told"),
    [
        (ISSUE, "", 2, "NAME: an edition is never written over: '2026-P08'; issue it under another name, such as 2026-P08-b"),
        (("edition", "issue", "x", "--pages", "month-end"), "", 2, "an edition is for one day or period; expected --period, --quarter, --year or --as-of"),
        (("edition", "issue", "x", "--period", "2026-P99", "--pages", "month-end"), "", 2, "--period: the calendar has no such id: '2026-P99'"),
        (("edition", "issue", "../x", "--period", "2026-P08", "--pages", "month-end"), "", 2, "NAME: not a name for an edition: '../x'"),
        (("edition", "issue", "x", "--period", "2026-P08", "--pages", "monthend"), "", 2, "PAGE: no page has this name: 'monthend'"),
        (("edition", "issue", "x", "--period", "2026-P08", "--pages", "month-end", "-a", "limt=5"), "", 2, "--answer: no page asks this: 'limt'"),
        (("edition", "issue", "x", "--period", "2026-P08", "--pages", "month-end"), "", 1, "month-end/4-customers: found: YARD: all documents 54,671.91, control accounts in the ledger 54,221.91, differ by +450.00"),
        (("edition", "issue", "x", "--period", "2026-P08", "--pages", "common/trial", "--pages", "bad"), 'report = "list nothing"', 2, "pages/bad.toml: TABLE: the book has no such table: 'nothing'"),
        (("edition", "issue", "x", "--period", "2026-P08", "--pages", "bad", "--pages", "month-end/3-trial"), 'report = "statement balance"\n[[ties]]\nrow = "result"\npage = "month-end/3-trial"\nwith_column = "closing"', 1, "figures on two pages do not agree: bad: Result of the year, closing at 31 May 2026 = month-end/3-trial: of which result of the year (loss), closing 31 May 2026, end of day, but off by −1,459,115.92"),
        (("edition", "issue", "x", "--period", "2026-P08", "--pages", "bad"), 'report = " "', 3, "pages/bad.toml: report: not a report that can be a page: ''"),
        (("edition", "issue", "x", "--period", "2026-P08", "--pages", "bad"), 'report = "trial"\n[[ties]]\nrow = "result"\npage = "month-end/3-trial"', 3, "pages/bad.toml: ties[1].page: the edition has no such page: 'month-end/3-trial'; issue both pages together"),
        (("edition", "issue", "x", "--period", "2026-P08", "--pages", "bad", "--pages", "month-end/3-trial"), 'report = "statement balance"\n[[ties]]\nrow = "resutl"\npage = "month-end/3-trial"', 3, "pages/bad.toml: ties[1]: neither page has such a row: no row 'resutl' and month-end/3-trial: no row 'resutl'; name rows by their keys"),
        (("edition", "issue", "x", "--period", "2026-P08", "--pages", "bad"), 'report = "statement income"\n[explain]\ncolumn = "change"\nover = 5000\npercent = 10', 1, "a change needs an explanation: bad: "),
        (("edition", "issue", "x", "--period", "2026-P08", "--pages", "bad"), 'report = "trial"\n[explain]\ncolumn = "closing"\nover = 2', 3, "pages/bad.toml: explain.column: this column is no change of amounts: 'closing'; expected a column such as change or variance"),
    ],
)  # fmt: skip
def test_an_edition_that_fails_leaves_nothing(
    issued: Path, words: tuple[str, ...], page: str, code: int, told: str
) -> None:
    before = sorted(path.name for path in (issued / "editions").iterdir())
    (issued / "pages/bad.toml").write_text(page or 'report = "trial"')
    ran = run_almanac(*words, book=issued)
    (issued / "pages/bad.toml").unlink()
    assert ran.code == code, ran.err
    assert told in ran.err
    assert sorted(path.name for path in (issued / "editions").iterdir()) == before


def test_what_a_killed_run_left_is_cleared_and_pages_share_what_agrees(issued: Path, tmp_path: Path) -> None:
    book = copied(issued, tmp_path / "book")
    (book / "editions/.new-y/reports").mkdir(parents=True)
    (book / "pages/wide.toml").write_text(
        'report = "statement balance"\n[options]\ncolumns = "closing; closing prior"\n'
    )
    ran = edition(
        book,
        "issue",
        "y",
        "--period",
        "2026-P08",
        "--pages",
        "wide",
        "--pages",
        "month-end/2-balance",
        "--pages",
        "month-end/3-trial",
    )
    assert ran.code == 0, ran.err
    assert not list((book / "editions").glob(".new*"))
    ties = json.loads((book / "editions/y/edition.json").read_text())["ties"]
    assert re.fullmatch(r"wide and month-end/2-balance: \d+ figures on both", ties[0])
    assert ties[1].startswith(
        "month-end/2-balance: Result of the year, closing at 31 May 2026 = month-end/3-trial: of which"
    )
    shown = edition(book, "list", "--print", "json").json["rows"]
    assert [row["key"] for row in shown] == ["2026-P08", "y"]
    assert "wide and month-end/2-balance" in " ".join(edition(book, "show", "y").out.split())


def test_an_edition_that_cannot_be_read_hides_no_other(issued: Path) -> None:
    record = issued / "editions/broken/edition.json"
    record.parent.mkdir()
    record.write_text("{}")
    listed = edition(issued, "list", "--print", "json")
    shutil.rmtree(record.parent)
    assert [row["key"] for row in listed.json["rows"]] == ["2026-P08"]
    assert listed.err == "warning: editions/broken/edition.json: the edition's record cannot be read: 'format'\n"
    assert edition(issued, "issue", "now", "--period", "2026-P08", "--pages", "month-end").code == 2


def accounts_above(book: Path) -> dict[str, set[str]]:
    """Return per account itself and all that it lies below, from the chart's export."""
    with (book / "exports/chart.csv").open() as stream:
        below = {row["Code"]: row["Below"] for row in csv.DictReader(stream)}
    found: dict[str, set[str]] = {}
    for code in below:
        at = code
        found[code] = {code}
        while below.get(at):
            at = below[at]
            found[code].add(at)
    return found


def test_a_late_posting_is_named_with_its_effect_on_each_figure(late: Path) -> None:
    found = edition(late, "compare", "2026-P08", "--print", "json")
    assert found.code == 0, found.err
    report = found.json
    assert report["proof"]["balances"]
    rows = {row["key"]: row for row in report["rows"]}
    lines = {key for key in rows if key.startswith("lines/ledger/LINE")}
    assert lines == {"lines/ledger/LINE/OB26-09001/1", "lines/ledger/LINE/OB26-09001/2"}
    lights = rows["lines/ledger/LINE/OB26-09001/1"]
    assert lights["label"] == (
        "added LINE/OB26-09001/1 · 28 May 2026 · 61320 · V101 · P99001 · Quay lighting, late bill · exports/line/line-2026-08.csv:699"
    )
    assert lights["cells"] == {"before": None, "after": "940.10", "difference": "940.10"}
    assert re.fullmatch(
        r"exports/line/line-2026-08\.csv, loaded \d+ \w+ 20\d\d \d\d:\d\d",
        rows["lines/ledger/exports/line/line-2026-08.csv:heading"]["label"],
    )
    assert {key for key in rows if key.startswith("lines/") and not key.startswith("lines/ledger")} == set()
    # By hand: debits of 940.10 on 61320 and all above it, credits on 20110 and all above it, nothing else.
    above = accounts_above(late)
    for key, row in rows.items():
        page, _, place = key.removeprefix("month-end/").partition("/")
        account = place.partition("/")[0]
        if page == "3-trial" and row["cells"].get("before") is not None and account.isdigit():
            column = place.partition("/")[2]
            assert account in {"61320", "20110"}
            wanted = {
                "61320": {"debit": "940.10", "closing": "940.10"},
                "20110": {"credit": "940.10", "closing": "-940.10"},
            }
            assert row["cells"]["difference"] == wanted[account][column]
        if page == "2-balance" and row["cells"].get("before") is not None and account.isdigit():
            assert account in above["20110"]
            assert row["cells"]["difference"] == "940.10"
    assert rows["month-end/2-balance/result/closing"]["cells"]["difference"] == "-940.10"
    # The cost of quays is none of the ferries' own, so it is in all else and in the result.
    assert rows["month-end/1-ferries/result/ptd"]["cells"]["difference"] == "-940.10"
    assert rows["month-end/6-spending/TERM/spent"]["cells"]["difference"] == "940.10"
    assert rows["month-end/6-spending/TERM/spent/LINE/OB26-09001/1"]["cells"]["difference"] == "940.10"
    # An account's detail shows its lines itself.
    closing = rows["month-end/9-lines/61320/balance"]
    assert closing["cells"]["difference"] == "940.10"
    assert closing["label"].endswith("(told by the lines of the page)")


def figures(book: Path, name: str, page: str) -> dict[tuple[str, str], Decimal]:
    plain = json.loads((book / f"editions/{name}/figures/{page}.json").read_text())
    amounts = {column["key"] for column in plain["columns"] if column["type"] == "amount"}
    return {
        (row["key"], key): Decimal(cell)
        for row in plain["rows"]
        for key, cell in row["cells"].items()
        if key in amounts and cell is not None
    }


PAGES = {
    "income": 'report = "statement income"\n[options]\ncolumns = "mine = ptd; ptd prior; change; far = ytd; part = mine / far"\n',
    "balance": 'report = "statement balance"\n',
    "trial": 'report = "trial"\n',
    "list": 'report = "list ledger"\n[options]\nby = "account.class, account"\n',
    "rank": 'report = "rank ledger"\n[options]\nby = "account"\ntop = 3\nspan = "ytd"\n',
    "growth": 'report = "growth ledger"\n[options]\neach = "period"\nlast = 3\n',
}
BASE = [f"J{n},{line},2024-{10 + n % 3}-{n % 27 + 1:02d},,{account},{debit},{credit},X"
        for n in range(24) for line, account, debit, credit in
        ((1, ("5000", "6000", "6100", "1000")[n % 4], f"{n * 7}.{n % 100:02d}", ""), (2, ("1000", "4010", "2000")[n % 3], "", f"{n * 7}.{n % 100:02d}"))]  # fmt: skip


def edited(lines: list[str], chance: random.Random) -> list[str]:
    """Return the lines with journals taken out, put in, moved to other accounts, amounts and days."""
    journals: dict[str, list[list[str]]] = defaultdict(list)
    for line in lines:
        journals[line.partition(",")[0]].append(line.split(","))
    for name in chance.sample(sorted(journals), 7):
        change = chance.choice(["drop", "amount", "account", "day", "copy"])
        first, second = journals[name]
        if change == "drop":
            del journals[name]
        elif change == "amount":
            first[5] = second[6] = f"{chance.randrange(1, 99999) / 100:.2f}"
        elif change == "account":
            first[4] = chance.choice(["5000", "6000", "6100", "4020", "1590"])
        elif change == "day":
            first[2] = second[2] = f"2024-{chance.randrange(10, 13)}-{chance.randrange(1, 28):02d}"
        else:
            journals[f"{name}b"] = [[f"{name}b", *each[1:]] for each in (first, second)]
    return [",".join(line) for journal in journals.values() for line in journal]


@pytest.fixture(scope="module")
def first(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a small book with an edition; no test may change it."""
    root = tmp_path_factory.mktemp("first") / "book"
    root.mkdir()
    (root / "almanac.toml").write_text(BOOK.format(intake="", fields=PERIOD_AND_SIDES))
    (root / "chart.csv").write_text(CHART)
    for name, text in PAGES.items():
        path = root / f"pages/all/{name}.toml"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    book = SmallBook(root).ledger(HEADS + "\n".join(BASE) + "\n")
    assert book.load("--through", "2024-12-31").code == 0
    ran = book.run("edition", "issue", "first", "--period", "2025-P03", "--pages", "all")
    assert ran.code == 0, ran.err
    return root


@pytest.fixture
def small(first: Path, tmp_path: Path) -> SmallBook:
    return SmallBook(copied(first, tmp_path / "book"))


def explained(rows: list[dict[str, Any]]) -> Iterator[tuple[str, dict[str, Any], list[dict[str, Any]]]]:
    """Yield (key, figure's row, rows of its lines); figures that one list of lines is told of share it."""
    waiting: list[dict[str, Any]] = []
    lines: list[dict[str, Any]] = []
    for row in [*rows, {"key": "", "level": 0, "cells": {}}]:
        if row["level"] == 3:
            lines.append(row)
            continue
        if lines or row["level"] < 2:
            yield from ((each["key"], each, lines) for each in waiting)
            waiting, lines = [], []
        if row["level"] == 2 and not row["key"].startswith(("lines/", "definitions/")):
            waiting.append(row)


@pytest.mark.parametrize("seed", range(6 if LONG else 1))
def test_the_lines_told_of_come_to_each_difference_whatever_was_edited(small: SmallBook, seed: int) -> None:
    (small.root / "ledger.csv").write_text(HEADS + "\n".join(edited(BASE, random.Random(seed))) + "\n")
    assert small.load().code == 0
    ran = small.run("edition", "issue", "second", "--period", "2025-P03", "--pages", "all")
    assert ran.code == 0, ran.err
    report = small.run("edition", "compare", "first", "second", "--print", "json").json
    assert report["proof"]["balances"]
    told = {key: (row, lines) for key, row, lines in explained(report["rows"])}
    for page in PAGES:
        before, after = figures(small.root, "first", f"all_{page}"), figures(small.root, "second", f"all_{page}")
        for place in {*before, *after}:
            difference = after.get(place, Decimal(0)) - before.get(place, Decimal(0))
            key = f"all/{page}/{'/'.join(place)}"
            if before.get(place) == after.get(place):
                assert key not in told
                continue
            row, lines = told[key]
            assert Decimal(row["cells"]["difference"]) == difference
            if "follows from others" not in row["label"]:
                assert sum(Decimal(line["cells"]["difference"]) for line in lines) == difference, key
    if seed:
        return
    direct = small.run("edition", "compare", "first", "--print", "json").json
    assert direct["proof"] == report["proof"], "the book as it is now is what the second edition was made from"


def test_a_page_that_is_gone_still_tells_what_lines_did(small: SmallBook) -> None:
    (small.root / "pages/all/trial.toml").unlink()
    (small.root / "pages/all/rank.toml").write_text('report = "statement nothing"\n')
    with (small.root / "ledger.csv").open("a") as stream:
        stream.write("L1,1,2024-12-30,,6000,55.50,,X\nL1,2,2024-12-30,,1000,,55.50,X\n")
    assert small.load("--through", "2024-12-31").code == 0
    report = small.run("edition", "compare", "first", "--print", "json").json
    rows = {row["key"]: row for row in report["rows"]}
    assert "removed pages/all/trial.toml" in [row["label"] for row in report["rows"]]
    told = "the later definitions do not make it, so only changed lines are told of: "
    assert rows["all/trial/alone/1"]["label"].startswith(f"{told}PAGE: no page has this name: 'all/trial'")
    assert rows["all/rank/alone/1"]["label"].startswith(f"{told}pages/all/rank.toml: LAYOUT: no layout has this name")
    assert rows["all/trial/6000/closing"]["cells"]["difference"] == "55.50"
    assert rows["all/trial/6000/debit/A/L1/1"]["cells"]["difference"] == "55.50"
    assert report["proof"]["balances"]


def test_an_edition_can_hold_the_lines_behind_each_figure(small: SmallBook) -> None:
    (small.root / "pages/behind.toml").write_text('report = "trial"\n[options]\nwith-lines = true\n')
    assert small.run("edition", "issue", "lines", "--period", "2025-P03", "--pages", "behind").code == 0
    folder = small.root / "editions/lines"
    assert 'href="#behind-6000"' in (folder / "reports/behind.html").read_text()
    behind = json.loads((folder / "figures/behind.json").read_text())["behind"][0]
    assert sum(row["kind"] == "line" for row in behind["rows"]) == len(BASE)
    assert small.run("edition", "verify", "lines").code == 0


def test_changed_definitions_are_told_apart_from_changed_data(small: SmallBook) -> None:
    same = small.run("edition", "compare", "first", "--print", "json").json
    assert same["rows"] == []
    assert same["proof"]["shown"] == {"lines": 0, "amount": "0"}
    (small.root / "pages/all/income.toml").write_text(PAGES["income"] + 'except = ["account is 6000"]\n')
    with (small.root / "ledger.csv").open("a") as stream:
        stream.write("L1,1,2024-12-30,,6000,55.50,,X\nL1,2,2024-12-30,,6100,10.00,,X\nL1,3,2024-12-30,,1000,,65.50,X\n")
    assert small.load("--through", "2024-12-31").code == 0
    pay = sum(Decimal(line.split(",")[5]) for line in BASE if ",2024-12-" in line and ",6000," in line)
    report = small.run("edition", "compare", "first", "--print", "json").json
    assert report["proof"]["balances"]
    rows = {row["key"]: row["cells"] for row in report["rows"]}
    assert "definitions/pages/all/income.toml" in rows
    assert rows["all/income/6100/mine"]["definitions"] == "0.00"
    assert rows["all/income/6100/mine"]["difference"] == "10.00"
    # Pay had a late line, and then went from the page with the condition.
    assert Decimal(rows["all/income/6000/mine"]["difference"]) == -pay
    assert Decimal(rows["all/income/6000/mine"]["definitions"]) == -pay - Decimal("55.50")
    assert rows["all/income/6000/mine/A/L1/1"]["difference"] == "55.50"
    assert Decimal(rows["all/trial/6000/closing"]["difference"]) == Decimal("55.50")


@pytest.fixture
def earlier(tmp_path: Path) -> SmallBook:
    """Return a small book with an edition that the version before wrote, by rules that have changed since."""
    with zipfile.ZipFile(Path(__file__).with_name("edition-0.1.zip")) as archive:
        archive.extractall(tmp_path)
    return SmallBook(tmp_path / "book")


def test_an_edition_of_the_version_before_still_verifies_and_compares(earlier: SmallBook) -> None:
    ran = earlier.run("edition", "verify", "before", "--print", "json")
    assert ran.code == 0, ran.err
    states = {row["key"]: row["cells"]["state"] for row in ran.json["rows"] if row["level"] == 0}
    assert [states[key] for key in ("files", "data", "trial")] == ["the same"] * 3
    assert {states[key] for key in ("classes", "income", "largest")} == {"by earlier rules"}
    rules = [
        "lists of the ledger leave closing lines out",
        "a change is the later less the earlier, and a variance is of a plan and what was booked in its span",
        "growth and rankings of the ledger are of the result, unless conditions leave one kind of accounts",
    ]
    assert set(rules) <= set(ran.json["notes"])
    same = earlier.run("edition", "compare", "before", "--print", "json")
    assert same.code == 0, same.err
    assert same.json["proof"]["balances"]
    assert [row for row in same.json["rows"] if row["cells"]] == [], "what rules changed is no change of the data"
    assert set(rules) <= set(same.json["notes"])
    with (earlier.root / "ledger.csv").open("a") as stream:
        stream.write("L1,1,2025-11-12,,6000,5.50,,\nL1,2,2025-11-12,,1000,,5.50,\n")
    assert earlier.load("--through", "2025-11-15").code == 0
    late = earlier.run("edition", "compare", "before", "--print", "json")
    assert late.code == 0, late.err
    rows = {row["key"]: row["cells"] for row in late.json["rows"]}
    assert (rows["trial/6000/debit"]["before"], rows["trial/6000/debit"]["after"]) == ("30.00", "35.50")
    assert (rows["income/6000/change"]["before"], rows["income/6000/change"]["after"]) == ("6.00", "11.50")
    assert late.json["proof"]["balances"]


def test_what_was_tampered_with_is_found_under_earlier_rules_too(earlier: SmallBook) -> None:
    path = earlier.root / "editions/before/figures/classes.json"
    path.write_text(path.read_text().replace("-56.00", "-57.00"))
    ran = earlier.run("edition", "verify", "before")
    assert ran.code == 1
    assert "NOT AS IT WAS ISSUED" in ran.out
