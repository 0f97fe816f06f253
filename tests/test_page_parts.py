"""Parts of pages and editions by themselves: text answers as literals, when a page is made for, files and locks."""

import os
import signal
import subprocess
import time
from datetime import date, timedelta
from pathlib import Path

import pytest
from filelock import FileLock
from hypothesis import given
from hypothesis import strategies as st

from conftest import COMMAND, ENVIRONMENT, MakeBook, SmallBook, run_almanac
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.fields import line_fields
from level_almanac.core.language.days import DayContext
from level_almanac.core.lines.conditions import read_condition
from level_almanac.core.pages.filling import Filled, filled
from level_almanac.core.pages.options import page_words, saved_page, with_when, within_edition
from level_almanac.core.pages.questions import AnswerReader
from level_almanac.core.reports.registry import all_reports
from level_almanac.errors import AlmanacError, UsageMistake
from level_almanac.files.page_reading import pages_named, read_page
from level_almanac.files.page_writing import keep_locks, locked_on, page_text, read_locks, write_page
from level_almanac.files.pages import Page, PageFile, Question
from level_almanac.files.runs import Answers, keep_answers, keep_last, kept_answers, last_words
from level_almanac.files.settings import CalendarSettings
from level_almanac.files.tables import tables_of
from level_almanac.store.predicate import FieldTest

MONTHS = FiscalCalendar(CalendarSettings(year_start="10-01", extra_periods=1))
LEDGER = line_fields("ledger", {"ledger": tables_of({})["ledger"]._replace(links={})}).as_exported
WORDS = st.text(
    st.characters(codec="utf-8", exclude_characters='"', exclude_categories=("C", "Z")), min_size=1, max_size=20
)


def reader(as_of: date) -> AnswerReader:
    return AnswerReader(DayContext(MONTHS, today=as_of, as_of=as_of), "answer")


@given(WORDS)
def test_a_text_that_is_answered_stays_a_text_within_a_condition(word: str) -> None:
    question = Question(kind="text")
    page = Page("p", PageFile(report="list ledger", options={"only": ["memo is {x}"]}, ask={"x": question}), "")
    found = filled(page, {"x": reader(date(2026, 6, 17)).read("x", question, word)})
    rule = read_condition(str(found.options["only"][0]), LEDGER, "--only", UsageMistake)  # type: ignore[index]
    assert rule == FieldTest("memo", "is", (word,)), "whatever it holds, it can be no condition of its own"


@given(st.lists(WORDS.filter(lambda word: "," not in word), min_size=1, max_size=5))
def test_the_texts_of_a_list_stay_texts_each(words: list[str]) -> None:
    question = Question(kind="list")
    page = Page("p", PageFile(report="list ledger", options={"only": ["party in {x}"]}, ask={"x": question}), "")
    found = filled(page, {"x": reader(date(2026, 6, 17)).read("x", question, ",".join(words))})
    rule = read_condition(str(found.options["only"][0]), LEDGER, "--only", UsageMistake)  # type: ignore[index]
    assert rule == FieldTest("party", "is", tuple(words))


def month_on(day: date, by: int) -> tuple[int, int]:
    months = day.year * 12 + day.month - 1 + by
    return months // 12, months % 12 + 1


@given(st.dates(date(2001, 1, 1), date(2150, 12, 31)), st.sampled_from([("last", -1), ("this", 0), ("next", 1)]))
def test_words_of_a_span_are_those_beside_the_day(day: date, moved: tuple[str, int]) -> None:
    word, by = moved
    # By plain months: the fiscal year begins in October and is named by its end.
    year, month = month_on(day, by)
    period = f"{year + (month >= 10)}-P{(month - 10) % 12 + 1:02d}"
    quarter_year, quarter_month = month_on(day, 3 * by)
    quarter = f"{quarter_year + (quarter_month >= 10)}-Q{(quarter_month - 10) % 12 // 3 + 1}"
    found = [
        reader(day).read("x", Question(kind=kind), f"{word} {kind}").text for kind in ("period", "quarter", "year")
    ]
    assert found == [period, quarter, str(day.year + (day.month >= 10) + by)]


@given(st.dates(date(2001, 1, 1), date(2150, 1, 1)), st.integers(0, 500), st.integers(1, 400))
def test_a_pair_is_as_long_as_it_may_be_and_no_longer(first: date, more: int, longest: int) -> None:
    last = first + timedelta(days=more)
    question = Question(kind="days", longest=f"{longest} days")
    if more + 1 <= longest:
        assert reader(first).read("x", question, f"{first} through {last}").last == last
    else:
        with pytest.raises(AlmanacError, match="longer than the page allows"):
            reader(first).read("x", question, f"{first} through {last}")


END = date(2026, 5, 31)
REPORTS = all_reports()


@pytest.mark.parametrize(
    ("words", "options", "when", "made"),
    [
        # A page that says nothing is made for the edition's own span, or where that would be its range, as of its end.
        (("statement", "income"), {}, {"period": "2026-P08"}, {"period": "2026-P08"}),
        (("aging", "payable"), {}, {"quarter": "2026-Q2"}, {"quarter": "2026-Q2"}),
        (("list", "ledger"), {}, {"period": "2026-P08"}, {"as-of": "2026-05-31"}),
        (("pace", "ledger"), {}, {"year": "2026"}, {"as-of": "2026-05-31"}),
        (("check",), {}, {"period": "2026-P08"}, {"period": "2026-P08"}),
        (("calendar",), {}, {"period": "2026-P08"}, {}),
        (("calendar",), {"year": "2025"}, {"year": "2026"}, {"year": "2026"}),
        # A span as long as the edition's or shorter is the edition's; a longer one is the page's own.
        (("trial",), {"period": "2026-P01"}, {"period": "2026-P08"}, {"period": "2026-P08"}),
        (("trial",), {"period": "2026-P01"}, {"year": "2025"}, {"year": "2025"}),
        (("trial",), {"year": "2025"}, {"period": "2026-P08"}, {"year": "2025"}),
        (("parties", "payable"), {"quarter": "2026-Q1"}, {"period": "2026-P08"}, {"quarter": "2026-Q1"}),
        (("trial",), {"period": "2026-P01"}, {"as-of": "2026-05-31"}, {"period": "2026-P01"}),
        # Of one that the edition ends within, it is made as far as that.
        (("trial",), {"year": "2026"}, {"period": "2026-P08"}, {"year": "2026", "as-of": "2026-05-31"}),
        (("trial",), {"quarter": "2026-Q3"}, {"as-of": "2026-05-31"}, {"quarter": "2026-Q3", "as-of": "2026-05-31"}),
        # A day, or words that count from one, are the edition's end.
        (("aging", "payable"), {"as-of": "today"}, {"period": "2026-P08"}, {"as-of": "2026-05-31"}),
        (("list", "ledger"), {"from": "start of this year", "through": "as-of"}, {"period": "2026-P08"},
         {"from": "start of this year", "through": "as-of", "as-of": "2026-05-31"}),
    ],
)  # fmt: skip
def test_when_a_page_is_made_for_in_an_edition(
    words: tuple[str, ...], options: dict[str, str], when: dict[str, str], made: dict[str, str]
) -> None:
    assert within_edition(Filled(words, dict(options)), REPORTS[words[0]], when, END, MONTHS).options == made


def test_an_edition_of_the_last_ordinary_period_leaves_adjustments_out_of_every_page() -> None:
    made = within_edition(
        Filled(("trial",), {}), REPORTS["trial"], {"period": "2025-P12"}, date(2025, 9, 30), MONTHS, extras=False
    )
    assert made.options == {"as-of": "2025-09-30", "adjustments": "without"}
    own = within_edition(
        Filled(("trial",), {"adjustments": "with"}), REPORTS["trial"], {"period": "2025-P12"}, END, MONTHS, extras=False
    )
    assert own.options["adjustments"] == "with"
    balance = within_edition(
        Filled(("statement", "balance"), {}), REPORTS["statement"], {"period": "2025-P12"}, END, MONTHS, extras=False
    )
    assert balance.options == {"period": "2025-P12"}, "its own --period leaves them out"


def test_a_day_that_is_asked_for_wins_over_the_page() -> None:
    page = Filled(("trial",), {"year": "2025", "level": "2"})
    trial, context = REPORTS["trial"], DayContext(MONTHS, today=END, as_of=date(2026, 3, 12))
    assert with_when(page, trial, {"period": "2026-P08"}, context, {}).options == {"level": "2", "period": "2026-P08"}
    assert with_when(page, trial, {}, context, {}) == page
    with pytest.raises(UsageMistake, match="`calendar` is not asked for by this"):
        with_when(Filled(("calendar",), {}), REPORTS["calendar"], {"period": "2026-P08"}, context, {})


def test_the_words_of_a_range_go_by_the_day_and_two_days_by_nothing() -> None:
    listing, context = REPORTS["list"], DayContext(MONTHS, today=END, as_of=date(2026, 5, 31))
    words = {"from": "start of this year", "through": "2026-05-31"}
    page = Filled(("list", "ledger"), {**words})
    made = with_when(page, listing, {"period": "2026-P08"}, context, words)
    assert made.options == {**words, "as-of": "2026-05-31"}
    fixed = {"from": "2026-05-01", "through": "2026-05-31"}
    with pytest.raises(UsageMistake, match="the page's days go by nothing: --from 2026-05-01 --through 2026-05-31"):
        with_when(Filled(("list", "ledger"), {**fixed}), listing, {"period": "2026-P08"}, context, fixed)


@pytest.mark.parametrize(("unit", "own", "found"), [("year", "2025", "2026"), ("quarter", "2025-Q4", "2026-Q2"),
                                                    ("period", "2025-P01", "2026-P06")])  # fmt: skip
def test_a_page_of_a_span_that_is_made_for_a_day_stays_one_of_such_a_span(unit: str, own: str, found: str) -> None:
    context = DayContext(MONTHS, today=END, as_of=date(2026, 3, 12))
    made = with_when(
        Filled(("trial",), {unit: own}), REPORTS["trial"], {"as-of": "start of 2026-P06 + 11 days"}, context, {}
    )
    assert made.options == {unit: found, "as-of": "2026-03-12"}


@pytest.mark.parametrize(
    ("options", "words"),
    [
        ({"columns": ["ptd", "ytd"]}, ["--columns=ptd; ytd"]),
        ({"fold": ["a", "b"], "only": "x"}, ["--fold=a", "--fold=b", "--only=x"]),
        ({"by": "-5"}, ["--by=-5"]),
    ],
)
def test_options_are_those_of_the_command_line(options: dict[str, str | bool | list[str]], words: list[str]) -> None:
    assert page_words(Filled(("statement", "income"), options), REPORTS["statement"]) == ["statement", "income", *words]


def test_what_is_saved_is_what_was_given() -> None:
    words = [
        "list",
        "ledger",
        "--between",
        "-5",
        "7.50",
        "--only",
        "memo is {x}",
        "--lines",
        "--show=- amount",
        "--by",
        "account",
    ]
    report, options = saved_page(words)
    assert report == ["list", "ledger"]
    assert options == {
        "between": ["-5", "7.50"],
        "only": ["memo is {{x}}"],
        "lines": True,
        "show": "- amount",
        "by": "account",
    }
    written = ["statement", "income", "-o", "a.pdf", "-ob.csv", "--output=c.md", "--print", "json", "--level", "2"]
    assert saved_page(written) == (["statement", "income"], {"level": "2"}), "where it went is no part of the page"
    for wrong, told in (
        (["list", "ledger", "more"], "REPORT list: more arguments than it takes: 'more'"),
        (["aging"], "REPORT aging: an argument is missing; expected SIDE"),
        (["trial", "--levl", "2"], "REPORT trial: there is no such option: --levl; expected .*; did you mean 'level'"),
        (
            ["trial", "--level"],
            "REPORT trial: an option without its value: --level; expected a whole number, 1 or more",
        ),
        (["trial", "--level", "x"], "REPORT trial: --level: not allowed here: 'x'; expected a whole number, 1 or more"),
    ):
        with pytest.raises(Exception, match=told):
            saved_page(wrong)


def test_rewriting_leaves_alone_what_does_not_change() -> None:
    before = '# mine\nreport = "trial"\n\n[options] # shown\nlevel = "{x}" # two\nyear = "2025"\n\n# asked\n[ask.x]\nkind = "text"\n'
    after = page_text(before, "trial", {"level": "{x}", "entity": ["LINE"]}, {}, {"title": ""})
    assert (
        after
        == '# mine\nreport = "trial"\n\n[options] # shown\nlevel = "{x}" # two\nentity = ["LINE"]\n\n# asked\n[ask.x]\nkind = "text"\n'
    )


def test_locks_are_kept_by_hash_and_a_broken_file_of_them_is_told(tmp_path: Path) -> None:
    write_page(tmp_path, "g/one", 'report = "trial"\n')
    page = read_page(tmp_path, "g/one")
    keep_locks(tmp_path, {"g/one": locked_on(page, END)})
    assert read_locks(tmp_path)["g/one"].sha256 == page.sha256
    assert pages_named(tmp_path, ("g",)) == ["g/one"]
    with pytest.raises(UsageMistake, match="this page is locked"):
        write_page(tmp_path, "g/one", "x", replace=True)
    (tmp_path / "pages/locks.toml").write_text('"g/one" = { sha256 = 1')
    with pytest.raises(AlmanacError, match=r"pages/locks\.toml: the locks cannot be read"):
        read_locks(tmp_path)
    keep_locks(tmp_path, {})
    assert not (tmp_path / "pages/locks.toml").exists()


def test_answers_are_kept_in_order_and_a_line_cut_short_is_passed_over(tmp_path: Path) -> None:
    (tmp_path / ".almanac").mkdir()
    for number in range(3):
        keep_answers(tmp_path, Answers("p" if number else "other", f"day {number}", {"x": f"ä {number}"}))
    path = tmp_path / ".almanac/answers.jsonl"
    path.write_text(path.read_text() + '{"page": "p", "at": "da\n[1]\n')
    keep_answers(tmp_path, Answers("p", "day 4", {}))
    assert [(each.at, dict(each.answers)) for each in kept_answers(tmp_path, "p")] == [
        ("day 1", {"x": "ä 1"}), ("day 2", {"x": "ä 2"}), ("day 4", {}),
    ]  # fmt: skip
    assert last_words(tmp_path) == ()
    keep_last(tmp_path, ("trial", "--only", 'memo is "x y"'))
    assert last_words(tmp_path) == ("trial", "--only", 'memo is "x y"')
    # A book on a disk that cannot be written to keeps none, and says nothing.
    keep_last(tmp_path / "nowhere", ("trial",))
    assert last_words(tmp_path / "nowhere") == ()


@pytest.fixture
def small(make_book: MakeBook) -> SmallBook:
    book = make_book("J1,1,2024-10-05,,5000,10.00,,X", "J1,2,2024-10-05,,1000,,10.00,X")
    assert book.load("--through", "2024-12-31").code == 0
    return book


ISSUE = ("edition", "issue", "x", "--period", "2025-P01", "--pages", "common/trial", "--pages", "common/income")


def test_a_page_that_is_renamed_keeps_its_explanations(small: SmallBook) -> None:
    assert small.run("page", "copy", "common/trial", "g/one").code == 0
    figure = ("--period", "2025-P01", "--row", "5000", "--column", "debit")
    assert small.run("explain", "g/one", *figure, "First fuel").code == 0
    assert small.run("page", "rename", "g/one", "h/two").code == 0
    assert small.run("explain", "h/two", *figure).out.endswith("10.00: First fuel\n")
    assert not (small.root / "explanations/g/one.toml").exists()


@pytest.mark.parametrize("raw", [b"report = ", b"title = '\xff'", b"[options]\n"])
def test_a_page_that_is_wrong_is_not_written_anew(small: SmallBook, raw: bytes) -> None:
    path = small.root / "pages/bad.toml"
    path.parent.mkdir()
    path.write_bytes(raw)
    ran = small.run("page", "save", "--replace", "bad", "trial")
    assert ran.code == 3
    assert ran.err.startswith("almanac: pages/bad.toml: ")
    assert path.read_bytes() == raw


def test_pages_whose_names_differ_by_their_groups_have_files_of_their_own(small: SmallBook) -> None:
    for name, text in {"a/b-c": 'report = "trial"\n', "a-b/c": 'report = "statement income"\n'}.items():
        (small.root / f"pages/{name}.toml").parent.mkdir(parents=True)
        (small.root / f"pages/{name}.toml").write_text(text)
    (small.root / "layouts").mkdir()
    (small.root / "layouts/other.toml").write_bytes(b"title = '\xff'")
    ran = small.run("edition", "issue", "x", "--period", "2025-P01", "--pages", "a", "--pages", "a-b")
    assert ran.code == 0, ran.err
    assert sorted(path.name for path in (small.root / "editions/x/reports").iterdir()) == ["a-b_c.html", "a_b-c.html"]
    assert (small.root / "editions/x/book/layouts/other.toml").read_bytes() == b"title = '\xff'"
    assert small.run("edition", "verify", "x").code == 0


def test_one_edition_is_written_at_a_time(small: SmallBook) -> None:
    (small.root / "editions").mkdir()
    with FileLock(small.root / "editions/.lock"):
        ran = small.run(*ISSUE)
    assert ran.code == 4
    assert "another edition of this book is being written" in ran.err
    assert small.run(*ISSUE).code == 0


def test_a_process_that_is_killed_leaves_no_edition(small: SmallBook) -> None:
    words = [str(COMMAND), "--book", str(small.root), *ISSUE]
    with subprocess.Popen(words, stderr=subprocess.DEVNULL, env=ENVIRONMENT) as running:
        deadline = time.monotonic() + 60
        while not list((small.root / "editions").glob(".new-x/figures/*")) and time.monotonic() < deadline:
            time.sleep(0.005)
        os.kill(running.pid, signal.SIGKILL)
    assert running.returncode == -signal.SIGKILL
    assert not (small.root / "editions/x").exists()
    assert small.run("edition", "list").out.splitlines()[1] == "none issued yet"
    assert small.run(*ISSUE).code == 0
    assert not list((small.root / "editions").glob(".new-*"))
    assert small.run("edition", "verify", "x").code == 0


def test_a_damaged_store_is_noticed_before_it_is_frozen(small: SmallBook) -> None:
    part = next((small.root / ".almanac/parts").glob("ledger-[0-9a-f]*.parquet"))
    part.write_bytes(part.read_bytes() + b"x")
    ran = small.run(*ISSUE)
    assert ran.code == 3
    assert "a part of the store is damaged" in ran.err
    assert not (small.root / "editions/x").exists()


def test_a_timer_runs_an_edition_without_a_terminal(small: SmallBook) -> None:
    done = subprocess.run(
        [str(COMMAND), "--book", str(small.root), *ISSUE], stdin=subprocess.DEVNULL, capture_output=True, text=True,
        check=True, env={"PATH": os.environ["PATH"]}, cwd="/",
    )  # fmt: skip
    assert done.stdout == ""
    assert [line.split()[0] for line in done.stderr.splitlines()] == ["issued", "seal"]
    assert run_almanac("edition", "show", "x", book=small.root).code == 0
