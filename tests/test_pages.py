"""Pages: saved, listed, asked for and run through the real command, and their answers by hand-worked pairs."""

import base64
import os
import pty
import re
import select
import shlex
import shutil
import subprocess
import tomllib
from datetime import date
from pathlib import Path

import openpyxl
import pytest
from pypdf import PdfReader

from conftest import COMMAND, ENVIRONMENT, Ran, copied, run_almanac
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.language.days import DayContext
from level_almanac.core.pages.filling import filled
from level_almanac.core.pages.questions import Answer, AnswerReader
from level_almanac.errors import AlmanacError
from level_almanac.files.page_reading import built_in_names
from level_almanac.files.pages import Page, PageFile, Question
from level_almanac.files.settings import CalendarSettings
from level_almanac.files.validation.page import page_mistakes

ONE_DOT = "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="
CALENDAR = FiscalCalendar(CalendarSettings(year_start="10-01", extra_periods=1))
READER = AnswerReader(DayContext(CALENDAR, today=date(2026, 6, 20), as_of=date(2026, 6, 17)), "answer")


@pytest.fixture(scope="module")
def own_demo(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a copy of the demo book that these tests may change."""
    return copied(demo, tmp_path_factory.mktemp("pages") / "book")


@pytest.fixture
def book(own_demo: Path) -> Path:
    """Return the book without pages of earlier tests."""
    for folder in ("pages", "explanations"):
        shutil.rmtree(own_demo / folder, ignore_errors=True)
    (own_demo / ".almanac" / "answers.jsonl").unlink(missing_ok=True)
    return own_demo


def write(book: Path, name: str, text: str) -> None:
    path = book / "pages" / f"{name}.toml"
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text)


def page(book: Path, *words: str) -> Ran:
    return run_almanac("page", *words, book=book)


REPORTS = [
    'statement income --period 2026-P08 --entity LINE --level 2 --columns "ptd; ptd last year; change; change %"',
    'statement ferries --entity LINE --columns "ptd; budget ptd; variance" --fold running --negatives parens',
    "trial --year 2025 --after-closing --level 2",
    'detail 12110 "61100 through 61199" --period 2026-P08 --subtotals --show "document, memo"',
    'list ledger --by "account.class, quarter of posted" --year 2025 --show "count, - amount" --between -900000 5000000.5',
    'list ledger --only "memo contains \\"lighting\\"" --except "amount under 0" --compute "half = amount / 2" '
    '--show "posted, half, amount" --first 4',
    'parties payable --year 2025 --on paid --over 7500 --except "kind is payment and reference is blank"',
    "documents receivable --overdue --as-of 2026-03-31 --over -5",
    "aging receivable --buckets 14,30 --age-by date --top 5 --period 2026-P03",
    "billing --by office --period 2026-P08 --payments-by deposited",
    "growth sales --each quarter --last 5",
    "rank sales --by item --top 5",
    "pace ledger --entity LINE --by department",
    "calendar --year 2026",
    'list ledger --only "memo contains \\"{x}\\"" --show "posted, amount" --period 2026-P08',
]


@pytest.mark.parametrize("command", REPORTS)
def test_a_page_saved_and_run_is_the_report_of_the_command(book: Path, command: str) -> None:
    words = shlex.split(command)
    made = run_almanac(*words, "--print", "json", book=book)
    saved = page(book, "save", "kept/one", *words)
    assert saved.code == 0, saved.err
    ran = page(book, "run", "kept/one", "--print", "json")
    assert ran.code == made.code
    plain = ran.json
    assert plain["facts"].pop("page") == "kept/one"
    assert plain == made.json


def test_the_last_report_is_saved_and_saving_anew_keeps_what_a_person_wrote(book: Path) -> None:
    assert run_almanac("statement", "income", "--period", "2026-P08", "--level", "2", book=book).code == 0
    assert page(book, "list").code == 0, "what is no report does not count as the last one"
    saved = page(book, "save", "--title", "Our month", "a/income")
    assert saved.err == "wrote pages/a/income.toml: almanac statement income --period 2026-P08 --level 2\n"
    path = book / "pages/a/income.toml"
    path.write_text(
        path.read_text().replace("[options]", "# what is shown\n[options]").replace('"2026-P08"', '"2026-P08" # May')
    )
    refused = page(book, "save", "a/income", "statement", "income")
    assert refused.code == 2
    assert refused.err == (
        "almanac: pages/a/income.toml: a page has this name already; take another name, or --replace to write it anew\n"
    )
    words = ("statement", "income", "--period", "2026-P08", "--entity", "LINE", "--entity", "YARD")
    assert page(book, "save", "--replace", "a/income", *words).code == 0
    assert path.read_text() == (
        'title = "Our month"\nreport = "statement income"\n\n# what is shown\n[options]\n'
        'period = "2026-P08" # May\nentity = ["LINE", "YARD"]\n'
    )


def test_an_option_becomes_a_question_that_each_run_asks(book: Path) -> None:
    refused = page(book, *["save", "--ask", "perod", "x", "trial", "--period", "2026-P08"])
    assert refused.err == (
        "almanac: --ask: the report was not given this option, so there is nothing to ask for: 'perod'; expected period;"
        " did you mean 'period'?\n"
    )
    words = [
        "--ask",
        "year",
        "--ask",
        "over",
        "--ask",
        "entity",
        "paid",
        "parties",
        "payable",
        "--year",
        "2025",
        "--on",
        "paid",
        "--over",
        "7500",
        "--entity",
        "LINE",
    ]
    assert page(book, "save", *words).code == 0
    made = [
        "parties",
        "payable",
        "--year",
        "2024",
        "--on",
        "paid",
        "--over",
        "90000",
        "--entity",
        "YARD",
        "--entity",
        "LINE",
        "--print",
        "json",
    ]
    ran = page(
        book, *["run", "paid", "-a", "year=2024", "-a", "over=90000", "--print", "json"], "-a", "entity=YARD, LINE"
    )
    assert [row["cells"] for row in ran.json["rows"]] == [
        row["cells"] for row in run_almanac(*made, book=book).json["rows"]
    ]
    assert "Asked: Which fiscal year: 2024; More than: 90000; Entity: YARD, LINE" in ran.json["notes"]


@pytest.mark.parametrize(
    ("question", "text", "kept"),
    [
        (Question(kind="year"), "last year", "2025"),
        (Question(kind="year"), "FY2026", "2026"),
        (Question(kind="quarter"), "this quarter", "2026-Q3"),
        (Question(kind="period"), "last period", "2026-P08"),
        (Question(kind="period", most="last period"), "2026-P08", "2026-P08"),
        (Question(kind="period"), "2025-P13", "2025-P13"),
        (Question(kind="day"), "as-of", "2026-06-17"),
        (Question(kind="day", most="today - 1 day"), "2026-06-19", "2026-06-19"),
        (Question(kind="day"), "end of last period", "2026-05-31"),
        (Question(kind="days"), "start of this year through as-of", "2025-10-01 through 2026-06-17"),
        (Question(kind="days"), "last quarter", "2026-01-01 through 2026-03-31"),
        (Question(kind="days", longest="1 month"), "2026-05-15 through 2026-06-14", "2026-05-15 through 2026-06-14"),
        (Question(kind="amount", least="-5"), "-5", "-5"),
        (Question(kind="amount"), "0.10", "0.10"),
        (Question(kind="choice", choices=["posted", "Deposited"]), "deposited", "Deposited"),
        (Question(kind="list"), "V10 , V22", "V10, V22"),
        (Question(kind="yes-no"), "Y", "yes"),
        (Question(kind="text"), " dry dock ", "dry dock"),
    ],
)
def test_an_answer_is_kept_as_what_it_means(question: Question, text: str, kept: str) -> None:
    assert READER.read("it", question, text).text == kept


@pytest.mark.parametrize(
    ("question", "text", "message"),
    [
        (Question(kind="year"), "2026-Q1", "answer it: this is the id of something else: '2026-Q1'; expected a fiscal year, as 2026 or `last year`"),
        (Question(kind="period"), "P8", "answer it: not a period: 'P8'; expected a period, as 2026-P08 or `last period`"),
        (Question(kind="period"), "2026-P14", "answer it: the calendar has no such id: '2026-P14'; expected 2026, 2026-Q2 or 2026-P09, P01 through P13"),
        (Question(kind="period", most="last period"), "this period", "answer it: after the last one allowed: 2026-P09; expected through last period = 2026-P08"),
        (Question(kind="year", least="2024"), "2023", "answer it: before the first one allowed: 2023; expected from 2024"),
        (Question(kind="day", most="today - 1 day"), "today", "answer it: after the last day allowed: 2026-06-20; expected through today - 1 day = 2026-06-19"),
        (Question(kind="day", least="this year"), "2025-09-30", "answer it: before the first day allowed: 2025-09-30; expected from this year = 2025-10-01"),
        (Question(kind="day"), "2026-02-30", "answer it: not a day: '2026-02-30'; expected a day from 1900 to 2199 such as 2026-06-17, or words such as `end of last period`"),
        (Question(kind="days"), "2026-06-02 through 2026-06-01", "answer it: the first day is after the last: 2026-06-02 through 2026-06-01; expected the earlier day first"),
        (Question(kind="days", longest="1 month"), "2026-05-15 through 2026-06-15", "answer it: longer than the page allows: 15 May–15 Jun 2026, 32 days; expected at most 1 month"),
        (Question(kind="days"), "sometime", "answer it: not a pair of days: 'sometime'; expected two days, as `2026-05-01 through 2026-05-31`, or a span such as 2026-P08 or `last quarter`"),
        (Question(kind="amount"), "1,5", "answer it: not a number: '1,5'; expected such as 7500 or -12.50"),
        (Question(kind="amount", least="0"), "-0.01", "answer it: less than the page allows: -0.01; expected at least 0"),
        (Question(kind="amount", most="10"), "10.01", "answer it: more than the page allows: 10.01; expected at most 10"),
        (Question(kind="choice", choices=["office", "desk"]), "ofice", "answer it: not one of the choices: 'ofice'; expected office or desk; did you mean 'office'?"),
        (Question(kind="list"), "a,,b", "answer it: an empty place in the list: 'a,,b'; expected values with commas between"),
        (Question(kind="text"), 'x" or amount over 0 or memo is "', "answer it: this cannot be put in: 'x\" or amount over 0 or memo is \"'; expected a text without quote marks (\")"),
        (Question(kind="yes-no"), "maybe", "answer it: neither yes nor no: 'maybe'; expected yes or no"),
    ],
)  # fmt: skip
def test_an_answer_that_breaks_a_rule_says_the_rule(question: Question, text: str, message: str) -> None:
    with pytest.raises(AlmanacError) as caught:
        READER.read("it", question, text)
    assert str(caught.value) == message


def test_answers_fill_conditions_columns_and_what_is_shown() -> None:
    file = PageFile(
        report='list "{table}"',
        options={
            "only": ["party in {parties}", "memo contains {word}", 'department is "{where}"', "amount over {least}"],
            "columns": ["ptd", {"words": "{plan} ptd", "if": "compare"}, {"words": "ytd", "if": "not compare"}],
            "show": {"words": "posted", "if": "plan is budget"},
            "sort": {"words": "amount", "if": "plan is not budget"},
            "lines": "{compare}",
            "from": "{days.first}",
            "memo": "{word}",
            "note": "{{as it is}}",
            "over": "{open}",
        },
    )
    answers: dict[str, Answer | None] = {
        "table": Answer("my table"),
        "parties": Answer("V10, or", ("V10", "or"), quoted=True),
        "word": Answer("dry dock", ("dry dock",), quoted=True),
        "where": Answer("SEA"),
        "least": Answer("-5.10"),
        "plan": Answer("forecast"),
        "compare": Answer("yes"),
        "days": Answer("", first=date(2026, 5, 1), last=date(2026, 5, 31)),
        "open": None,
    }
    assert filled(Page("a", file, ""), answers) == (
        ("list", "my table"),
        {
            "only": ['party in "V10", "or"', 'memo contains "dry dock"', 'department is "SEA"', "amount over -5.10"],
            "columns": ["ptd", "forecast ptd"],
            "sort": "amount",
            "lines": "yes",
            "from": "2026-05-01",
            "memo": "dry dock",
            "note": "{as it is}",
        },
    )


ASKING = """
report = "list ledger"
[options]
by = "account"
only = ["account begins {front}", "memo contains {word}"]
period = "{period}"
over = "{limit}"
[ask.front]
kind = "text"
label = "Accounts from"
[ask.word]
kind = "text"
optional = true
[ask.period]
kind = "period"
default = "last period"
[ask.limit]
kind = "amount"
default = 1000
least = 1
"""
ASKED = ("list", "ledger", "--by", "account", "--only", "account begins 61", "--period", "2026-P08", "--over", "2000")


def rows(ran: Ran) -> list[tuple[str, object]]:
    assert ran.code == 0, ran.err
    return [(row["key"], row["cells"]) for row in ran.json["rows"]]


def test_answers_come_from_options_files_and_the_last_run_and_are_never_asked_without_a_terminal(book: Path) -> None:
    write(book, "q", ASKING)
    wanted = rows(run_almanac(*ASKED, "--print", "json", book=book))
    missing = page(book, "run", "q", "--answer", "limit=0", "--answer", "when=2026")
    assert missing.code == 2
    assert missing.err.splitlines() == [
        "almanac: q: answer when: the page asks no such question; expected front, word, period or limit",
        "almanac: q: answer front: a question without an answer: Accounts from (text); give --answer front=VALUE",
        "almanac: q: answer limit: less than the page allows: 0; expected at least 1",
    ]
    assert "this page was not run yet" in page(book, "run", "q", "--again").err
    assert rows(page(book, "run", "q", "-a", "front=61", "-a", "limit=2000", "--print", "json")) == wanted
    assert rows(page(book, "run", "q", "--again", "--print", "json")) == wanted
    (book / "told.toml").write_text("front = 61\nlimit = 5\n")
    told = ("--answers", str(book / "told.toml"), "-a", "limit=2000")
    assert rows(page(book, "run", "q", *told, "--print", "json")) == wanted
    shown = page(book, "show", "q").out
    assert shown.startswith(ASKING)
    assert shown.count("with front = 61, word = left open, period = 2026-P08, limit = 2000") == 3
    assert "cannot run by itself: q: answer front" in shown


def test_only_answers_that_count_are_noted(book: Path) -> None:
    write(book, "q", 'report = "trial"\n[options]\nperiod = "{period}"\nlevel = [{ words = "{n}", if = "short" }]\n'
                     '[ask.period]\nkind = "period"\ndefault = "2026-P08"\n[ask.short]\nkind = "yes-no"\ndefault = "no"\n'
                     '[ask.n]\nkind = "amount"\ndefault = 2\n')  # fmt: skip
    noted = {
        when: page(book, "run", "q", *when, "--print", "json").json["notes"][-1]
        for when in ((), ("--period", "2026-P07"), ("--year", "2025"))
    }
    assert noted == {
        (): "Asked: period: 2026-P08; short: no; n: 2",
        ("--period", "2026-P07"): "Asked: period: 2026-P07; short: no; n: 2",
        ("--year", "2025"): "Asked: short: no; n: 2",
    }


def asked_at_a_terminal(book: Path, name: str, *answers: tuple[str, str]) -> tuple[Ran, bytes]:
    """Run a page at a terminal, and answer each question when it is there; also return what the terminal said."""
    master, terminal = pty.openpty()
    words = [str(COMMAND), "--book", str(book), "page", "run", name, "--print", "json"]
    with subprocess.Popen(words, stdin=terminal, stdout=subprocess.PIPE, stderr=terminal, env=ENVIRONMENT) as running:
        os.close(terminal)
        said = b""
        for question, answer in answers:
            before = len(said)
            while f"{question} (".encode() not in said[before:]:
                assert select.select([master], [], [], 30)[0], said
                said += os.read(master, 4096)
            os.write(master, f"{answer}\n".encode())
        out = running.communicate(timeout=60)[0]
        os.close(master)
    return Ran(running.returncode, out.decode(), ""), said


def test_a_terminal_is_asked_again_until_the_answer_is_right(book: Path) -> None:
    write(book, "q", ASKING)
    ran, said = asked_at_a_terminal(
        book,
        "q",
        ("Accounts from", "61"),
        ("word", ""),
        ("period", "2026-P99"),
        ("period", "2026-P08"),
        ("limit", "2000"),
    )
    assert b"the calendar has no such id: '2026-P99'; expected 2026, 2026-Q2 or 2026-P09, P01 through P13" in said
    assert b"limit (an amount, from 1) [1000]: " in said
    assert rows(ran) == rows(run_almanac(*ASKED, "--print", "json", book=book))


def test_a_terminal_leaves_a_question_open_that_has_a_default_and_skips_one_whose_rule_does_not_hold(
    book: Path,
) -> None:
    rule = '[ask.wide]\nkind = "yes-no"\n[ask.word]\nkind = "text"\noptional = true\ndefault = "x"\nwhen = "not wide"\n'
    write(book, "open", ASKING.replace('[ask.word]\nkind = "text"\noptional = true\n', rule).replace(
        "[options]\n", '[options]\nafter-closing = "{wide}"\n'))  # fmt: skip
    last = (("Accounts from", "61"), ("period", "2026-P08"), ("limit", "2000"))
    wanted = rows(run_almanac(*ASKED, "--print", "json", book=book))
    ran, said = asked_at_a_terminal(book, "open", last[0], ("wide", "no"), ("word", "-"), *last[1:])
    assert b"or - to leave it open) [x]: " in said
    assert rows(ran) == wanted
    ran, said = asked_at_a_terminal(book, "open", last[0], ("wide", "yes"), *last[1:])
    assert b"word (" not in said
    assert rows(ran) == wanted


def test_a_locked_page_is_not_written_over_and_a_change_by_hand_is_told(book: Path) -> None:
    assert page(book, "copy", "common/trial", "m/trial").code == 0
    assert page(book, "copy", "common/balance", "m/balance").code == 0
    assert page(book, "lock", "m").err == "locked m/balance\nlocked m/trial\n"
    for words in (
        ("save", "--replace", "m/trial", "trial"),
        ("rename", "m/trial", "m/other"),
        ("copy", "common/income", "m/trial"),
    ):
        refused = page(book, *words)
        assert refused.code == 2
        assert (
            refused.err == "almanac: pages/m/trial.toml: this page is locked; run `almanac page unlock m/trial` first\n"
        )
    assert page(book, "run", "m/trial").err == ""
    path = book / "pages/m/trial.toml"
    path.write_text(path.read_text().replace("Trial balance", "Trial balances"))
    ran = page(book, "run", "m/trial", "--print", "json")
    assert ran.err == "warning: pages/m/trial.toml is locked, but was changed since\n"
    assert "The page m/trial is LOCKED, BUT CHANGED SINCE" in ran.json["notes"]
    assert re.findall(r"LOCKED, BUT CHANGED|locked", page(book, "list", "--own").out) == [
        "locked",
        "LOCKED, BUT CHANGED",
    ]
    assert page(book, "unlock", "m").code == 0
    assert not (book / "pages/locks.toml").exists()
    assert page(book, "rename", "m/trial", "n/trial").err == "now pages/n/trial.toml\n"
    listed = page(book, "list", "--own", "--print", "json").json["rows"]
    assert [row["key"] for row in listed] == ["m:heading", "m/balance", "n:heading", "n/trial"]
    assert listed[1]["cells"]["report"] == "statement balance"
    assert not path.exists()


def test_one_run_of_a_page_takes_any_option_of_its_report(book: Path) -> None:
    words = ("statement", "income", "--entity", "LINE", "--only", "department is SEA", "--columns", "ptd; ytd",
             "--period", "2026-P08")  # fmt: skip
    assert page(book, "save", "own/sea", *words).code == 0
    assert page(book, "lock", "own/sea").code == 0
    kept = (book / "pages/own/sea.toml").read_bytes()
    once = ("--columns", "ytd; ytd last year; change", "--only", "vessel is Tern", "--level", "2")
    ran = page(book, "run", "own/sea", *once, "--print", "json")
    assert ran.code == 0, ran.err
    same = run_almanac("statement", "income", "--entity", "LINE", "--only", "department is SEA", *once, "--period", "2026-P08",
                       "--print", "json", book=book)  # fmt: skip
    assert ran.json["rows"] == same.json["rows"]
    head = 'changed for this run: --columns "ytd; ytd last year; change" · --only "vessel is Tern" · --level 2'
    assert head.removeprefix("changed for this run: ") == ran.json["facts"]["changed"]
    assert (
        'For this run alone: --columns "ytd; ytd last year; change" in place of --columns "ptd; ytd" · --only "vessel is Tern" '
        'beside --only "department is SEA" · --level 2; the page own/sea is locked, and stays as it is'
    ) in ran.json["notes"]
    assert head in " ".join(page(book, "run", "own/sea", *once).out.split())
    assert (book / "pages/own/sea.toml").read_bytes() == kept
    # Saved right after, it is a page of its own, with exactly that.
    assert page(book, "save", "own/tern").code == 0
    saved = page(book, "run", "own/tern", "--print", "json").json
    assert (saved["rows"], saved["facts"].get("changed")) == (same.json["rows"], None)
    # Days take the place of the page's period.
    ranged = page(book, "save", "own/lines", "list", "ledger", "--period", "2026-P08", "--by", "account")
    assert ranged.code == 0, ranged.err
    days = page(book, "run", "own/lines", "--from", "2026-04-01", "--through", "2026-04-30", "--print", "json")
    assert (days.json["facts"]["from"], days.json["facts"]["through"]) == ("2026-04-01", "2026-04-30")
    for wrong, message in (
        (("--colums", "ytd"), "own/sea: there is no such option: --colums; expected"),
        (("balance",), "own/sea: more arguments than it takes: 'balance'"),
        (("--only",), "own/sea: an option without its value: --only"),
    ):
        refused = page(book, "run", "own/sea", *wrong)
        assert refused.code == 2
        assert message in refused.err


def test_two_pages_are_compared_key_by_key(book: Path) -> None:
    assert (
        page(book, "save", "--ask", "over", "d/one", "list", "ledger", "--by", "party", "--over", "500", "--lines").code
        == 0
    )
    assert (
        page(book, "save", "--title", "Two", "d/two", "list", "ledger", "--by", "party", "--only", "amount over 5").code
        == 0
    )
    found = page(book, "diff", "d/one", "d/two", "--print", "json").json
    assert {row["key"]: (row["cells"]["one"], row["cells"]["other"]) for row in found["rows"]} == {
        "title": (None, "Two"),
        "options.over": ("{over}", None),
        "options.lines": ("yes", None),
        "options.only": (None, "amount over 5"),
        "ask.over.kind": ("amount", None),
        "ask.over.label": ("More than", None),
        "ask.over.default": ("500", None),
    }
    assert "2 settings are the same on both" in found["notes"]
    assert page(book, "diff", "d/one", "d/one", "--print", "json").json["rows"] == []


def test_a_group_is_run_as_a_whole_and_stands_in_one_file(book: Path, tmp_path: Path) -> None:
    assert page(book, "save", "g/one", "statement", "income", "--period", "2026-P08", "--level", "1").code == 0
    assert page(book, "save", "--ask", "top", "g/two", "rank", "sales", "--by", "item", "--top", "3").code == 0
    pdf, sheet = tmp_path / "g.pdf", tmp_path / "g.xlsx"
    ran = page(book, "run", "g", "--period", "2026-P07", "--answer", "top=2", "-o", str(pdf), "-o", str(sheet))
    assert ran.code == 0, ran.err
    assert ran.out == ""
    names = openpyxl.load_workbook(sheet).sheetnames
    assert [names[0], *names[1:3]] == ["Contents", "one", "two"]
    assert pdf.read_bytes().startswith(b"%PDF")
    printed = page(book, "run", "g", "--period", "2026-P07", "--answer", "top=2").out
    alone = [page(book, "run", name, "--period", "2026-P07", *more).out
             for name, more in (("g/one", ()), ("g/two", ("--answer", "top=2")))]  # fmt: skip
    assert printed == "\n".join(alone)
    for words, message in (
        (("-o", str(tmp_path / "g.csv")), "a group goes into one HTML board, one PDF or one workbook"),
        (("--level", "2"), "this is for one page, and not for a group: g with --level"),
        (("--answer", "topp=2"), "no page of the group asks this: topp; expected top"),
    ):
        refused = page(book, "run", "g", *words)
        assert refused.code == 2
        assert message in refused.err


def test_every_built_in_page_runs_on_the_demo(book: Path) -> None:
    ran = page(book, "check", "common", "--print", "json")
    assert ran.code == 0, ran.out
    assert {row["key"]: row["cells"]["state"] for row in ran.json["rows"]} == dict.fromkeys(built_in_names(), "right")
    assert len(built_in_names()) >= 15


def test_a_page_that_is_wrong_is_told_by_file_key_and_word(book: Path) -> None:
    write(book, "a", 'report = "statement incom"\n')
    write(book, "b", 'report = "statement income"\n[options]\ncolums = "ptd"\nlevel = [1, 2]\n')
    write(book, "c", 'report = "list ledger"\n[options]\nonly = ["amount ovr 5"]\n')
    write(book, "d", 'report = "load"\n')
    write(book, "e", "report = \n")
    write(book, "f", 'report = "trial"\n')
    ran = page(book, "check")
    assert ran.code == 1
    for told in (
        "6 pages looked at, 5 wrong",
        "pages/a.toml: LAYOUT: no layout has this name: 'incom'; expected ferries, income or balance; did you mean 'income'?",
        "pages/b.toml: options.colums: there is no such option;",
        "pages/c.toml: --only: ",
        "pages/d.toml: report: not a report that can be a page: 'load';",
        "pages/e.toml: not TOML:",
    ):
        assert told in " ".join(ran.out.split()), told
    assert page(book, "run", "b").code == 3
    assert page(book, "run", "c").code == 2
    assert "amount ovr 5\n" in page(book, "run", "c").err
    unknown = page(book, "run", "income")
    assert unknown.err == "almanac: PAGE: no page has this name: 'income'; did you mean 'common/income'?\n"


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ('title = "x"', "p: report: this key is missing"),
        ('report = "trial"\nreprt = 1', "p: reprt: unknown key; expected report, title, about, options, ask, explain or ties; did you mean 'report'?"),
        ('report = "trial"\n[ask.x]\nkind = "month"', "p: ask.x.kind: not allowed here: 'month'; expected 'year', 'quarter', 'period', 'span', 'day', 'days', 'amount', 'count', 'choice', 'list', 'text' or 'yes-no'"),
        ('report = "trial"\n[ask.x]\nkind = "text"', "p: ask.x: no option takes this answer in; write {x} in an option"),
        ('report = "trial"\n[options]\nperiod = "{perod}"\n[ask.period]\nkind = "period"\n', "p: options.period: the page asks no such question: {perod}; did you mean 'period'?"),
        ('report = "list x"\n[options]\nfrom = "{d}"\n[ask.d]\nkind = "days"\n', "p: options.from: not how this answer is put in: {d}; expected {d.first} or {d.last}"),
        ('report = "list x"\n[options]\nby = "{d}"\n[ask.d]\nkind = "choice"\n', "p: ask.d.choices: a choice needs what can be chosen; expected a list of texts"),
        ('report = "list x"\n[options]\nby = "{d}"\n[ask.d]\nkind = "amount"\nleast = "few"\n', "p: ask.d.least: not a number: 'few'; expected such as 7500 or -12.50"),
        ('report = "list x"\n[options]\nby = "{d}"\n[ask.d]\nkind = "text"\nlongest = "9 years"\n', "p: ask.d.longest: only a pair of days has a length: text"),
        ('report = "list x"\n[options]\nonly = [{ words = "a", if = "d" }]\n[ask.d]\nkind = "text"\n', "p: options.only: only a yes or no can be a condition alone: 'd'; expected d is VALUE"),
        ('report = "list x"\n[options]\nonly = [{ word = "a" }]\n', "p: options.only: an option cannot be this: {'word': 'a'}; expected a text, a number, true, false, or { words = ..., if = ... }, or a list of them"),
        ('report = "trial"\n[explain]\ncolumn = "change"\nover = "much"\n', "p: explain.over: not a number: 'much'; expected such as 7500 or 12.5"),
    ],
)  # fmt: skip
def test_the_shape_of_a_page_is_checked(text: str, message: str) -> None:
    assert message in [str(mistake) for mistake in page_mistakes(tomllib.loads(text), "p")]


def test_a_page_saved_after_a_run_keeps_what_was_run_and_its_questions(demo: Path, tmp_path: Path) -> None:
    book = tmp_path / "book"
    copied(demo, book)
    changed = ("--except", "party is V007", "--title", "Big suppliers", "--header", "For the board")
    told = ("--answer", "limit=10000", "--answer", "year=2025")
    ran = run_almanac("page", "run", "common/suppliers-past-limit", *told, *changed, "--print", "json", book=book)
    assert ran.code == 0, ran.err
    saved = run_almanac("page", "save", "big", book=book)
    assert saved.code == 0, saved.err
    text = tomllib.loads((book / "pages" / "big.toml").read_text(encoding="utf-8"))
    assert text["title"] == "Big suppliers"
    assert text["options"] == {
        "year": "{year}", "on": "paid", "over": "{limit}", "except": ["party is V007"], "header": "For the board",
    }  # fmt: skip
    assert {name: question["default"] for name, question in text["ask"].items()} == {"year": "2025", "limit": "10000"}
    again = run_almanac("page", "run", "big", "--print", "json", book=book).json
    assert (again["title"], again["rows"]) == ("Big suppliers", ran.json["rows"])
    fewer = run_almanac("page", "run", "big", "--answer", "limit=50000", "--print", "json", book=book).json
    assert 0 < len(fewer["rows"]) < len(again["rows"])
    refused = run_almanac("page", "save", "--ask", "over", "bigger", book=book)
    assert (refused.code, "has questions of its own" in refused.err) == (2, True)
    # A report that was run since is saved as before.
    assert run_almanac("trial", "--title", "Balances", book=book).code == 0
    assert run_almanac("page", "save", "balances", book=book).code == 0
    assert tomllib.loads((book / "pages" / "balances.toml").read_text(encoding="utf-8")) == {
        "title": "Balances", "report": "trial", "options": {},
    }  # fmt: skip


def test_what_stands_around_a_report_is_said_for_one_report_or_page(demo: Path, tmp_path: Path) -> None:
    book = tmp_path / "book"
    copied(demo, book)
    (book / "mark.png").write_bytes(base64.b64decode(ONE_DOT))
    around = (
        "--title", "Balances of May", "--period-line", "For {entity}, {days}, as of {as-of}", "--header", "For the board",
        "--footer", "Draft", "--logo", "mark.png", "--orientation", "landscape",
    )  # fmt: skip
    files = [tmp_path / f"trial.{ending}" for ending in ("pdf", "html", "xlsx")]
    outputs = [word for path in files for word in ("-o", str(path))]
    asked = ("trial", "--period", "2026-P08", "--entity", "LINE")
    assert run_almanac(*asked, *around, "--font-size", "12", *outputs, book=book).code == 0
    line = "For Skellan Line, 1–31 May 2026, as of 31 May 2026"
    page = PdfReader(files[0]).pages[0]
    told = page.extract_text()
    assert all(words in told for words in ("Balances of May", line, "For the board", "Draft"))
    assert page.mediabox.width > page.mediabox.height
    assert len(page.images) == 1
    html = files[1].read_text(encoding="utf-8")
    assert all(
        words in html
        for words in ("<h1>Balances of May</h1>", line, "For the board", "font-size: 12pt", "A4 landscape")
    )
    sheet = openpyxl.load_workbook(files[2]).worksheets[0]
    assert (sheet["A1"].value, sheet["A2"].value) == ("Balances of May", line)
    assert ("For the board" in sheet.oddHeader.center.text, sheet.oddFooter.left.text) == (True, "Draft")
    assert (sheet["B9"].font.size, sheet.page_setup.orientation) == (13, "landscape")
    # A page says the same in its options, and an edition keeps its logo.
    assert run_almanac(*asked, *around, book=book).code == 0
    assert run_almanac("page", "save", "may", book=book).code == 0
    assert run_almanac("page", "run", "may", "--footer", "Final", book=book).code == 0
    issued = run_almanac("edition", "issue", "may", "--period", "2026-P08", "--pages", "may", book=book)
    assert issued.code == 0, issued.err
    (book / "mark.png").unlink()
    assert run_almanac("edition", "verify", "may", book=book).code == 0


@pytest.mark.parametrize(
    ("words", "message"),
    [
        ("--period-line {entty}", "--period-line: stands for nothing of a report: '{entty}'; expected {entity}, {days} or {as-of}"),
        ("--logo nope.png", "--logo: there is no such file: 'nope.png'"),
        ("--logo nope.txt", "--logo: not an image that every format takes: 'nope.txt'"),
        ("--font-size 40", "--font-size"),
        ("--orientation upright", "--orientation"),
    ],
)  # fmt: skip
def test_what_cannot_stand_around_a_report_is_told(demo: Path, words: str, message: str) -> None:
    ran = run_almanac("trial", *words.split(), book=demo)
    assert (ran.code, message in ran.err) == (2, True), ran.err
