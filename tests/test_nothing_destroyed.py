"""Nothing of the user's is destroyed or overwritten, and what must last lasts; texts of strangers act on nobody."""

import json
import os
import shutil
import subprocess
import sys
import time
from datetime import date
from pathlib import Path
from typing import Any
from unittest.mock import patch

import pytest

from conftest import COMMAND, ENVIRONMENT, HEADS, MakeBook
from level_almanac.core.reports import registry
from level_almanac.files.runs import Answers, keep_answers, kept_answers
from level_almanac.shown_text import visible
from level_almanac.store.editions import damaged_parts
from level_almanac.store.kept import read_through
from level_almanac.store.state import Store
from level_almanac.whole_file import write_whole

LINES = [
    "J1,1,2025-10-01,2026-P01,1000,1234.56,,BK",
    "J1,2,2025-10-01,2026-P01,4010,,1234.56,BK",
]
WRONG = "J3,1,never,,1000,1,,BK"


# What is set aside.


def test_files_that_no_load_wrote_stay_in_the_folder_of_what_is_set_aside(make_book: MakeBook) -> None:
    book = make_book(*LINES, WRONG)
    (book.root / "set-aside/ledger").mkdir(parents=True)
    mine = [book.root / "set-aside/notes.csv", book.root / "set-aside/ledger/mine.csv"]
    for path in mine:
        path.write_text("mine\n")
    assert book.load("--set-aside").code == 0
    book.ledger(HEADS + "".join(f"{line}\n" for line in LINES))
    assert book.load().code == 0
    assert [path.read_text() for path in mine] == ["mine\n", "mine\n"]
    assert not (book.root / "set-aside/ledger/ledger.csv.csv").exists()


def test_nothing_is_written_through_a_link(make_book: MakeBook, tmp_path_factory: pytest.TempPathFactory) -> None:
    book, elsewhere = make_book(*LINES, WRONG), tmp_path_factory.mktemp("elsewhere")
    (book.root / "set-aside").symlink_to(elsewhere)
    ran = book.load("--set-aside")
    assert (ran.code, ran.err) == (
        3, "almanac: set-aside: this is a link, and nothing is written through one; move it away\n",
    )  # fmt: skip
    assert list(elsewhere.iterdir()) == []


def test_exports_whose_paths_differ_by_a_sign_have_files_of_their_own_that_run_nothing(make_book: MakeBook) -> None:
    book = make_book()
    (book.root / "a").mkdir()
    text = (book.root / "almanac.toml").read_text()
    (book.root / "almanac.toml").write_text(text.replace('"ledger*.csv"', '["a_b.csv", "a/b.csv"]'))
    for name, number in (("a_b.csv", 1), ("a/b.csv", 2)):
        book.ledger(HEADS + f"J{number},1,never,,1000,1,,=1+{number}\n", name)
    assert book.load("--set-aside").code == 0
    for name, number in (("a_b.csv", 1), ("a/b.csv", 2)):
        row = (book.root / f"set-aside/ledger/{name}.csv").read_text().splitlines()[1]
        assert f",'=1+{number}," in row
        assert f'""=1+{number}""' in row, "beside the text that runs nothing stands the record as it was"


def test_a_load_that_ended_before_it_told_all_is_finished_by_the_next(make_book: MakeBook) -> None:
    book = make_book(*LINES, WRONG)
    with patch("level_almanac.intake.load.settle_aside", side_effect=KeyboardInterrupt):
        assert book.load("--set-aside", "--through", "2025-10-31").code == 130
    assert not (book.root / "set-aside").exists()
    assert book.load("--set-aside").code == 0
    assert (book.root / "set-aside/ledger/ledger.csv.csv").is_file()
    assert read_through(book.root) == {"ledger": date(2025, 10, 31)}


# What no export tells.


def test_what_no_export_tells_outlives_the_store(make_book: MakeBook) -> None:
    book = make_book(*LINES, "J2,1,2025-10-02,2026-P01,1000,5.00,,BK")
    assert book.load("--through", "2025-10-31").code == 0
    assert book.run("check").code == 1
    shutil.rmtree(book.root / ".almanac")
    assert book.load().code == 0
    assert "31 Oct 2025 (the ledger is complete through this day)" in book.run("trial").out
    assert book.run("check", "--only-new").code == 0, "what was found before is not new"
    (book.root / "kept/checks.json").write_text("{")
    ran = book.run("check")
    assert (ran.code, ran.err.startswith("almanac: kept/checks.json: the record of the checks cannot be read")) == (
        3,
        True,
    )


# What is written over.


@pytest.mark.parametrize(
    ("name", "what"),
    [
        ("ledger.csv", "intake[2] takes this file for an export"),
        ("ledger-new.csv", "intake[2] takes this file for an export"),
        ("chart.csv", "intake[1] takes this file for an export"),
        ("kept/x.json", "this is a file of the book itself"),
        (".almanac/x.csv", "this is a file of the book itself"),
    ],
)
def test_no_report_is_written_over_what_the_book_is_made_of(make_book: MakeBook, name: str, what: str) -> None:
    book = make_book(*LINES)
    assert book.load("--through", "2025-10-31").code == 0
    before = (book.root / "ledger.csv").read_text()
    target = book.root / name
    ran = book.run("trial", "-o", target)
    assert (ran.code, ran.err) == (2, f"almanac: -o: {what}: {str(target)!r}; write it elsewhere\n")
    assert (book.root / "ledger.csv").read_text() == before
    assert book.run("trial", "-o", book.root / "trial.csv").code == 0


# What must last.


def test_a_damaged_part_of_another_edition_is_not_taken_for_a_new_one(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    assert book.load().code == 0
    issue = ("edition", "issue", "--period", "2026-P01", "--pages", "common/trial")
    assert book.run(*issue[:2], "one", *issue[2:]).code == 0
    for part in (book.root / "editions/parts").glob("*.parquet"):
        part.write_bytes(part.read_bytes()[:-7])
    assert book.run("edition", "verify", "one").code == 1
    assert book.run(*issue[:2], "two", *issue[2:]).code == 0
    assert book.run("edition", "verify", "two").code == 0
    parts = [path.name for path in (book.root / "editions/parts").glob("*.parquet")]
    assert damaged_parts(Store(book.root, book.root / "editions/parts"), parts) == []


def test_a_damaged_old_manifest_is_let_go(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    assert book.load().code == 0
    (old,) = (book.root / ".almanac/manifests").glob("*.json")
    book.ledger(HEADS + "".join(f"{line}\n" for line in LINES).replace("BK", "BX"))
    assert book.load().code == 0
    old.write_text('{"format": 3, "files": [')
    book.ledger(HEADS + "".join(f"{line}\n" for line in LINES))
    assert (book.load().code, old.exists()) == (0, False)
    assert book.run("trial").code == 0


def test_what_a_killed_process_left_is_taken_away_and_a_cut_line_swallows_no_other(tmp_path: Path) -> None:
    left, fresh = tmp_path / ".x.txt.1.new", tmp_path / ".x.txt.2.new"
    for path in (left, fresh):
        path.write_text("half")
    os.utime(left, (time.time() - 7200,) * 2)
    write_whole(tmp_path / "x.txt", "whole")
    assert (left.exists(), fresh.exists(), (tmp_path / "x.txt").read_text()) == (False, True, "whole")
    (tmp_path / ".almanac").mkdir()
    keep_answers(tmp_path, Answers("a", "now", {"limit": "1"}))
    answers = tmp_path / ".almanac/answers.jsonl"
    answers.write_text(answers.read_text()[:-9])
    keep_answers(tmp_path, Answers("a", "now", {"limit": "2"}))
    assert [each.answers["limit"] for each in kept_answers(tmp_path, "a")] == ["2"]


def test_explanations_written_at_once_are_all_kept(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    assert book.load().code == 0
    words = [
        str(COMMAND),
        "--book",
        str(book.root),
        "explain",
        "common/trial",
        "--column",
        "debit",
        "--period",
        "2026-P01",
    ]
    (book.root / "pages").mkdir()
    (book.root / "pages/trial.toml").write_text('report = "trial"\n\n[explain]\ncolumn = "debit"\nover = 1\n')
    words[words.index("common/trial")] = "trial"
    started = [
        subprocess.Popen([*words, "--row", row, f"of {row}"], env=ENVIRONMENT, stderr=subprocess.PIPE)
        for row in ("1000", "4010", "total", "1000", "4010", "total")
    ]
    told = [each.communicate()[1].decode() for each in started]
    assert [each.returncode for each in started] == [0] * len(started), told
    text = (book.root / "explanations/trial.toml").read_text()
    assert text.count("[[explanation]]") == 3, text


# Texts of strangers.

EVIL = "a\x1b[2J\u202eb\u200bc\x07"
SEEN = "a\\x1b[2J\\u202eb\\u200bc\\x07"


def test_a_text_that_steers_or_hides_is_seen_wherever_people_read(make_book: MakeBook) -> None:
    book = make_book(f"J1,1,2025-10-01,2026-P01,1000,5.00,,{EVIL}", f"J1,2,2025-10-01,2026-P01,4010,,5.00,{EVIL}")
    assert book.load().code == 0
    asked = ("list", "ledger", "--show", "account, source, debit", "--by", "source")
    files = [book.root / f"r.{ending}" for ending in ("txt", "md", "html", "csv", "json")]
    ran = book.run(*asked, *(word for path in files for word in ("-o", path)), "--print", "terminal")
    assert ran.code == 0, ran.err
    for told in (ran.out, *(path.read_text() for path in files[:-1])):
        assert not set("\x1b\u202e\u200b\x07") & set(told)
        assert SEEN.replace("\\", "") in told.replace("\\", "")
    exact = json.loads(files[-1].read_text())
    assert EVIL in {row["key"] for row in exact["rows"]}
    wrong = book.run("trial", "--entity", EVIL)
    assert (wrong.code, "\x1b" in wrong.err) == (2, False)


@pytest.mark.parametrize("text", ["plain", "naïve − 5 €", "می\u200cخواهم", "two\nlines", "1 × 2 ÷ “3”"])
def test_a_text_that_does_neither_stays_as_it_is(text: str) -> None:
    assert visible(text) == text


# The last net.


def test_what_nobody_foresaw_is_one_line(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    assert book.load().code == 0

    def fails(*_: Any, **__: Any) -> None:
        raise ZeroDivisionError("division\nby zero")

    with patch.object(registry.all_reports()["trial"].__class__, "made", fails):
        ran = book.run("trial")
    assert (ran.code, ran.err.count("\n")) == (5, 1)
    assert ran.err.startswith("almanac: this is a fault of almanac's, not yours: ZeroDivisionError: division by zero; ")
    with (
        patch.object(registry.all_reports()["trial"].__class__, "made", fails),
        patch.dict(ENVIRONMENT, ALMANAC_DEBUG="1"),
    ):
        assert "Traceback" in book.run("trial").err


def test_a_console_with_few_letters_is_told_of(make_book: MakeBook) -> None:
    book = make_book("J1,1,2025-10-01,2026-P01,1000,5.00,,日本", "J1,2,2025-10-01,2026-P01,4010,,5.00,日本")
    assert book.load().code == 0
    words = [
        sys.executable,
        "-X",
        "utf8=0",
        str(COMMAND),
        "--book",
        str(book.root),
        "list",
        "ledger",
        "--show",
        "source",
    ]
    ran = subprocess.run(
        words, capture_output=True, text=True, check=False,
        env={**ENVIRONMENT, "PYTHONIOENCODING": "latin-1:strict"},
    )  # fmt: skip
    assert (ran.returncode, "this console cannot show" in ran.stderr, "Traceback" in ran.stderr) == (3, True, False)
