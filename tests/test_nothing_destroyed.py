"""Nothing of the user's is destroyed or overwritten, and what must last lasts; texts of strangers act on nobody."""

import hashlib
import itertools
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

from conftest import BOOK, COMMAND, ENVIRONMENT, HEADS, PERIOD_AND_SIDES, MakeBook, SmallBook, run_almanac
from level_almanac.core.reports import registry
from level_almanac.files.runs import Answers, keep_answers, kept_answers
from level_almanac.shown_text import visible
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
    assert book.load("--set-aside").code == 1
    book.ledger(HEADS + "".join(f"{line}\n" for line in LINES))
    assert book.load().code == 0
    assert [path.read_text() for path in mine] == ["mine\n", "mine\n"]
    assert not (book.root / "set-aside/ledger/ledger.csv.csv").exists()


def test_nothing_is_written_through_a_link(make_book: MakeBook, tmp_path_factory: pytest.TempPathFactory) -> None:
    book, elsewhere = make_book(*LINES, WRONG), tmp_path_factory.mktemp("elsewhere")
    (book.root / "set-aside").symlink_to(elsewhere)
    ran = book.load("--set-aside")
    assert (ran.code, ran.err.startswith("almanac: set-aside: this leads out of the book's folder")) == (3, True)
    assert book.run("allow", "--all").code == 0
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
    assert book.load("--set-aside").code == 1
    for name, number in (("a_b.csv", 1), ("a/b.csv", 2)):
        row = (book.root / f"set-aside/ledger/{name}.csv").read_text().splitlines()[1]
        assert f",'=1+{number}," in row
        assert f'""=1+{number}""' in row, "beside the text that runs nothing stands the record as it was"


def test_a_load_that_ended_before_it_told_all_is_finished_by_the_next(make_book: MakeBook) -> None:
    book = make_book(*LINES, WRONG)
    with patch("level_almanac.intake.load.settle_aside", side_effect=KeyboardInterrupt):
        assert book.load("--set-aside", "--through", "2025-10-31").code == 130
    assert not (book.root / "set-aside").exists()
    assert book.load("--set-aside").code == 1
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
    assert Store(book.root, book.root / "editions/parts").damaged(parts) == []


@pytest.mark.parametrize("name", ["part", "rollup", "days", "journals", "manifest", "sums"])
def test_a_store_that_is_not_what_was_loaded_is_found(make_book: MakeBook, name: str) -> None:
    book = make_book(*LINES)
    assert book.load().code == 0
    assert "not what was loaded: none among 7 parts," in book.run("check", "store", "--print", "csv").out
    store = book.root / ".almanac"
    manifest = store / "manifests" / (store / "current").read_text()
    plain = json.loads(manifest.read_text())
    (loaded,) = (each for each in plain["files"] if each["table"] == "ledger")
    if name == "sums":
        # Whole by their hashes, and yet not what was loaded.
        loaded["sums"]["A"][1] = "5.01"
        text = json.dumps(plain)
        named = f"{hashlib.sha256(text.encode()).hexdigest()[:32]}.json"
        manifest.with_name(named).write_text(text)
        (store / "current").write_text(named)
        what = "ledger.csv: the store holds other lines of this export than its load noted"
    elif name == "manifest":
        manifest.write_text(manifest.read_text().replace('"lines": 2', '"lines": 3'))
        what = "the store's manifest cannot be read"
    else:
        path = store / "parts" / loaded[name]
        raw = bytearray(path.read_bytes())
        raw[len(raw) // 2] ^= 1
        path.unlink()
        path.write_bytes(raw)
        what = f"almanac: {loaded[name]}: this part of the store is not what was written; delete the folder .almanac"
    ran = book.run("check")
    assert (ran.code, what in ran.err, ran.out) == (3, True, ""), ran.err


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
    early = ("J0,1,2024-10-01,,1000,0.01,,BK", "J0,2,2024-10-01,,4010,,0.01,BK")
    book = make_book(*LINES, *early)
    assert book.load().code == 0
    asked = ["--book", str(book.root), "explain", "moved", "--column", "change", "--period", "2026-P01"]
    (book.root / "pages").mkdir()
    page = 'report = "statement income"\n\n[options]\ncolumns = "ptd; ptd last year; change"\n'
    (book.root / "pages/moved.toml").write_text(page + '\n[explain]\ncolumn = "change"\nover = 1\n')
    started = [
        subprocess.Popen([str(COMMAND), *asked, "--row", row, f"of {row}"], env=ENVIRONMENT, stderr=subprocess.PIPE)
        for row in ("4010", "income", "result", "4010", "income", "result")
    ]
    told = [each.communicate()[1].decode() for each in started]
    assert [each.returncode for each in started] == [0] * len(started), told
    text = (book.root / "explanations/moved.toml").read_text()
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


ODD = [
    "US$ 5 and A$ 3",
    "$\\frac{a$",
    "two\nlines",
    "a\rb",
    "y" * 9_000,
    "{0} {a}",
    "<script>&amp;</script>",
    "\u202eabc",
    "'=1+1",
]


@pytest.fixture(scope="module")
def odd(tmp_path_factory: pytest.TempPathFactory) -> SmallBook:
    """Return a book whose accounts and sources are called whatever a text can be."""
    root = tmp_path_factory.mktemp("odd")
    (root / "almanac.toml").write_text(BOOK.format(intake="", fields=PERIOD_AND_SIDES))
    for name, head, rows in (
        ("chart.csv", "account,name,class,parent\n", [f'40{at}0,"{text}",income,' for at, text in enumerate(ODD)]),
        ("ledger.csv", HEADS, [
            f'J{at},{line},2025-10-0{at + 1},2026-P01,{account},{sides},"{text}"'
            for at, text in enumerate(ODD)
            for line, account, sides in ((1, "1000", f"{100 + at},"), (2, f"40{at}0", f",{100 + at}"))
        ]),
    ):  # fmt: skip
        more = ["1000,Bank,asset,", "3100,Kept,equity,"] if name == "chart.csv" else []
        (root / name).write_text(head + "\n".join([*rows, *more]) + "\n", newline="")
    book = SmallBook(root)
    assert book.load().code == 0
    return book


@pytest.mark.parametrize(
    ("words", "ending"),
    [
        *(
            ("rank ledger --by source", ending)
            for ending in ("png", "pdf", "xlsx", "html", "parquet", "csv", "md", "txt")
        ),
        ("growth ledger --by source --each year", "png"),
        ("statement income --columns ptd;ytd", "png"),
        ("statement income --columns ptd;ytd", "pdf"),
    ],
)
def test_any_text_goes_into_any_format(odd: SmallBook, words: str, ending: str) -> None:
    ran = odd.run(*words.split(), "-o", odd.root / f"odd.{ending}")
    assert (ran.code, ran.err) == (0, f"wrote {odd.root}/odd.{ending}\n")


@pytest.mark.parametrize(
    "words",
    [
        "rank ledger --by source",
        "rank ledger --by account --within source",
        "growth ledger --by source --each year",
        "growth ledger --by account --each period --only account.name_begins_y",
        "statement income --columns ptd;ytd",
        "statement income --columns each_period;ytd",
    ],
)
def test_no_text_of_a_chart_leaves_it_or_stands_on_another(odd: SmallBook, words: str) -> None:
    from matplotlib.figure import Figure
    from matplotlib.text import Text

    saved, misplaced = Figure.savefig, list[str]()

    def look(figure: Figure, *args: object, **named: object) -> None:
        figure.draw_without_rendering()
        renderer = figure.canvas.get_renderer()  # type: ignore[attr-defined]
        texts = [each for each in figure.findobj(Text) if isinstance(each, Text) and each.get_visible()]
        places = [
            (each.get_text(), each.get_window_extent(renderer))
            for each in texts
            if any(map(str.isalpha, each.get_text()))
        ]
        misplaced.extend(text for text, place in places if place.x0 < figure.bbox.x0 or place.x1 > figure.bbox.x1)
        for (text, place), (other, its) in itertools.combinations(places, 2):
            wide = min(place.x1, its.x1) - max(place.x0, its.x0)
            high = min(place.y1, its.y1) - max(place.y0, its.y0)
            if wide > 2 and high > 2:
                misplaced.append(f"{text} over {other}")
        saved(figure, *args, **named)  # type: ignore[arg-type]

    with patch.object(Figure, "savefig", look):
        ran = odd.run(*(word.replace("_", " ") for word in words.split()), "-o", odd.root / "odd.png")
    assert (ran.code, misplaced) == (0, []), ran.err


# Words without bounds.


@pytest.mark.parametrize(
    ("words", "what"),
    [
        (
            ("list", "ledger", "--only", f"{'(' * 500}account is 1000{')' * 500}"),
            "parentheses within parentheses, too deep",
        ),
        (("list", "ledger", "--only", " or ".join(["account is 1000"] * 5000)), "the expression is too long"),
        (("list", "ledger", "--compute", f"m = {'+'.join(['amount'] * 600)}", "--show", "m"), "too many terms"),
        (("list", "ledger", "--compute", f"m = amount * {'9' * 1000}", "--show", "m"), "a number of too many digits"),
        (("list", "ledger", "--by", "account", "--over", "1e999999999"), "--over: not allowed here: '1e999999999'"),
        (("list", "ledger", "--only", "amount over 1e999999999"), "not a number: '1e999999999'"),
        (("trial", "--as-of", "today + 9999 years"), "a day that no calendar has; expected one from 1900 to 2199"),
    ],
)
def test_words_without_bounds_are_told_of(odd: SmallBook, words: tuple[str, ...], what: str) -> None:
    ran = odd.run(*words)
    assert (ran.code, what in ran.err, len(ran.err) < 1000) == (2, True, True), ran.err[:500]


def test_a_terminal_of_three_letters_and_a_count_of_all_are_no_trouble(odd: SmallBook) -> None:
    with patch.dict(ENVIRONMENT, COLUMNS="3"):
        assert odd.run("trial").code == 0
    assert odd.run("list", "ledger", "--first", "9" * 30).code == 0


def test_names_and_outputs_that_are_none_are_told_of(make_book: MakeBook, tmp_path: Path) -> None:
    book = make_book(*LINES)
    assert book.load().code == 0
    command = [str(COMMAND), "--book", str(book.root)]
    closed = subprocess.run(
        ["/bin/sh", "-c", '"$@" >&-', "sh", *command, "trial"], capture_output=True, text=True, check=False
    )
    assert (closed.returncode, closed.stderr) == (3, "almanac: the output: Bad file descriptor\n")
    quiet = subprocess.run(["/bin/sh", "-c", '"$@" 2>&-', "sh", *command, "trial"], capture_output=True, check=False)
    assert (quiet.returncode, b"Trial balance" in quiet.stdout) == (0, True)
    # Bytes that are no text, as a folder from another system can have them.
    odd = os.fsdecode(os.fsencode(tmp_path / "odd") + b"\xff.csv")
    written = subprocess.run([*command, "trial", "-o", odd], capture_output=True, check=False)
    assert (written.returncode, Path(odd).is_file()) == (0, True), written.stderr
    Path(odd).rename(book.root / f"ledger{Path(odd).name}")
    ran = book.load()
    assert (ran.code, ran.err) == (
        3, "almanac: intake[2].files: the file's name is not text: 'ledgerodd\\udcff.csv'\n",
    )  # fmt: skip
    assert run_almanac("trial", book=tmp_path / "none").err.startswith("almanac: --book: there is no such folder")


def test_a_long_expression_is_shown_about_the_words_that_are_wrong(odd: SmallBook) -> None:
    ran = odd.run(
        "list", "ledger", "--only", " or ".join([*["account is 1000"] * 60, "acount is 1000", *["amount over 1"] * 90])
    )
    _, shown, carets = ran.err.splitlines()
    assert (ran.code, len(shown) < 410, shown[2], shown[-1]) == (2, True, "…", "…")
    assert shown[carets.index("^") : len(carets)] == "acount"
    ran = odd.run("list", "ledger", "--only", f"account is 1000 and {'x' * 5000} is 3 and {'y' * 5000} is 3")
    assert (ran.code, len(ran.err) < 6000) == (2, True)
