"""Questions of pages: made of conditions, bounded by other answers, asked only where a rule holds; pages that run."""

import csv
import re
from pathlib import Path

import pytest

from conftest import Almanac, copied


@pytest.fixture(scope="module")
def book(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    return copied(demo, tmp_path_factory.mktemp("questions") / "book")


def write(book: Path, name: str, text: str) -> None:
    path = book / "pages" / f"{name}.toml"
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text, encoding="utf-8")


def test_saving_after_a_run_of_a_page_saves_what_was_run(almanac: Almanac, book: Path) -> None:
    write(
        book,
        "first",
        'report = "list sales"\n[options]\nby = "{by}"\nyear = "2026"\n[ask.by]\nkind = "text"\ndefault = "route"\n',
    )
    assert almanac("trial", book=book).code == 0
    ran = almanac("page", "run", "first", "-a", "by=terminal", "--print", "json", book=book)
    assert ran.code == 0, ran.err
    assert almanac("page", "save", "again", book=book).code == 0
    saved = almanac("page", "run", "again", "--print", "json", book=book).json
    assert saved["rows"] == ran.json["rows"]


def test_a_question_of_a_condition_offers_what_there_is_in_the_days_of_the_report(almanac: Almanac, book: Path) -> None:
    words = ("list", "billing", "--by", "desk", "--only", "office is Kelsay", "--period", "2026-P08")
    assert almanac("page", "save", "--ask", "only", "offices", *words, book=book).code == 0
    text = (book / "pages" / "offices.toml").read_text()
    offices = set()
    for path in (book / "exports" / "billing").glob("*.csv"):
        with path.open(encoding="utf-8") as exported:
            offices |= {row["Site"] for row in csv.DictReader(exported) if row["Booked"].startswith("2026-05")}
    assert set(re.findall(r'"(\w+)"', re.search(r"choices = \[(.*)\]", text)[1])) == offices  # type: ignore[index]
    asked = almanac("page", "run", "offices", "-a", "office=Norwick", "--print", "json", book=book).json
    plain = almanac(*words[:5], "office is Norwick", *words[6:], "--print", "json", book=book).json
    assert asked["rows"] == plain["rows"]
    refused = almanac("page", "run", "offices", "-a", "office=Norwik", book=book)
    assert (
        refused.code,
        "not one of the choices: 'Norwik'" in refused.err,
        "did you mean 'Norwick'" in refused.err,
    ) == (2, True, True)


def test_blanks_have_a_name_and_lists_are_not_split_within_quotes(almanac: Almanac, book: Path) -> None:
    words = ("list", "ledger", "--by", "account", "--only", "department is SEA", "--period", "2026-P08")
    assert almanac("page", "save", "--ask", "only", "departments", *words, book=book).code == 0
    asked = almanac("page", "run", "departments", "-a", "department=(blank)", "--print", "json", book=book).json
    plain = almanac(*words[:5], "department is blank", *words[6:], "--print", "json", book=book).json
    assert asked["rows"] == plain["rows"]
    named = (
        "list",
        "payables",
        "--by",
        "party.name",
        "--only",
        'party.name in "Garrish Marine Stores", "Ellisk Engineering"',
    )
    assert almanac("page", "save", "--ask", "only", "names", *named, "--year", "2025", book=book).code == 0
    asked = almanac("page", "run", "names", "--print", "json", book=book).json
    assert [row["label"] for row in asked["rows"][:2]] == ["Ellisk Engineering", "Garrish Marine Stores"]
    one = almanac("page", "run", "names", "-a", 'party-name="Garrish Marine Stores"', "--print", "json", book=book).json
    assert one["rows"][0]["cells"] == asked["rows"][1]["cells"]


@pytest.mark.parametrize("condition", ["amount over 5", "office is Kelsay and desk is blank", "not (office is Kelsay)"])
def test_conditions_that_no_question_can_be_made_of(almanac: Almanac, book: Path, condition: str) -> None:
    ran = almanac("page", "save", "--ask", "only", "none", "list", "billing", "--only", condition, book=book)
    assert (ran.code, "no question can be made of this condition" in ran.err) == (2, True), ran.err
    assert not (book / "pages" / "none.toml").exists()


def test_a_page_that_does_not_run_is_not_saved(almanac: Almanac, book: Path) -> None:
    ran = almanac("page", "save", "wrong", "list", "ledger", "--by", "nothing", book=book)
    assert (ran.code, "pages/wrong.toml: --by: the table ledger has no such field" in ran.err) == (2, True), ran.err
    assert not (book / "pages" / "wrong.toml").exists()


BOUNDED = """
report = "list sales"

[options]
by = "route"
from = "{from}"
through = "{through}"
only = [{ words = 'terminal is "{terminal}"', if = "one is yes" }]
first = "{rows}"

[ask.from]
kind = "day"
default = "2026-03-01"

[ask.through]
kind = "day"
least = "{from}"
default = "2026-03-31"

[ask.one]
kind = "yes-no"
default = "no"

[ask.terminal]
kind = "text"
when = "one is yes"

[ask.rows]
kind = "count"
least = "1"
most = "4"
default = "3"
"""


@pytest.mark.parametrize(
    ("answers", "message"),
    [
        (("through=2026-02-01",), "answer through: before the first day allowed: 2026-02-01; expected from 2026-03-01"),
        (("from=2026-05-01", "through=2026-04-30"), "expected from 2026-05-01"),
        (("terminal=Kelsay",), "answer terminal: this is asked only where `one is yes` holds: 'Kelsay'"),
        (("one=yes",), "answer terminal: a question without an answer"),
        (("rows=2.5",), "answer rows: not a whole number: '2.5'"),
        (("rows=5",), "answer rows: more than the page allows: 5; expected at most 4"),
    ],
)
def test_an_answer_is_bounded_by_another_and_asked_where_its_rule_holds(
    almanac: Almanac, book: Path, answers: tuple[str, ...], message: str
) -> None:
    write(book, "bounded", BOUNDED)
    ran = almanac("page", "run", "bounded", *(word for each in answers for word in ("-a", each)), book=book)
    assert (ran.code, message in ran.err) == (2, True), ran.err


@pytest.mark.parametrize("rule", ["one is yes", "one", "not one is no", "one is not no"])
def test_right_answers_make_the_report(almanac: Almanac, book: Path, rule: str) -> None:
    write(book, "bounded", BOUNDED.replace("one is yes", rule))
    asked = almanac(
        "page", "run", "bounded", "-a", "one=yes", "-a", "terminal=Kelsay", "--print", "json", book=book
    ).json
    words = ("--by", "route", "--from", "2026-03-01", "--through", "2026-03-31", "--first", "3", "--print", "json")
    assert asked["rows"] == almanac("list", "sales", *words, "--only", "terminal is Kelsay", book=book).json["rows"]
    assert (
        almanac("page", "run", "bounded", "--print", "json", book=book).json["rows"]
        == almanac("list", "sales", *words, book=book).json["rows"]
    )


NAMED = """
report = "list sales"
options = { by = "route", period = "{when}" }
ask.when = { kind = "span", default = "last period" }
"""
SPAN = """
report = "list sales"

[options]
by = "route"
from = "{when.first}"
through = "{when.last}"

[ask.when]
kind = "span"
least = "2025"
default = "2026-Q2"
"""


@pytest.mark.parametrize(
    ("answer", "days"),
    [
        ("2026-Q2", ("2026-01-01", "2026-03-31")),
        ("2025-P03", ("2024-12-01", "2024-12-31")),
        ("FY2025", ("2024-10-01", "2025-09-30")),
    ],
)
def test_a_span_is_a_year_a_quarter_or_a_period(
    almanac: Almanac, book: Path, answer: str, days: tuple[str, str]
) -> None:
    write(book, "span", SPAN)
    told = almanac("page", "run", "span", "-a", f"when={answer}", "--print", "json", book=book).json
    assert (told["facts"]["from"], told["facts"]["through"]) == days
    write(book, "named", NAMED)
    named = almanac("page", "run", "named", "-a", f"when={answer}", "--print", "json", book=book).json
    assert (named["facts"]["from"], named["facts"]["through"]) == days
    assert named["rows"] == told["rows"]
    early = almanac("page", "run", "span", "-a", "when=2024-P03", book=book)
    assert (early.code, "before the first one allowed" in early.err) == (2, True)


@pytest.mark.parametrize("name", ["span", "named"])
def test_what_a_run_is_told_to_be_of_answers_a_span(almanac: Almanac, book: Path, name: str) -> None:
    write(book, "span", SPAN)
    write(book, "named", NAMED)
    facts = almanac("page", "run", name, "--quarter", "2025-Q3", "--print", "json", book=book).json["facts"]
    assert (facts["from"], facts["through"]) == ("2025-04-01", "2025-06-30")


def test_a_page_that_is_saved_anew_asks_only_what_it_takes_in(almanac: Almanac, book: Path) -> None:
    write(book, "anew", f"# kept\n{BOUNDED}")
    words = ("list", "sales", "--by", "route", "--from", "2026-03-01", "--through", "2026-03-31")
    saved = almanac("page", "save", "--replace", "--ask", "through", "anew", *words, book=book)
    assert saved.code == 0, saved.err
    text = (book / "pages" / "anew.toml").read_text(encoding="utf-8")
    assert re.findall(r"# kept|\[ask\.\w+\]", text) == ["# kept", "[ask.through]"]


@pytest.mark.parametrize(
    ("old", "new", "message"),
    [
        (
            'least = "{from}"',
            'least = "{rows}"',
            "ask.through.least: no question before this one has this name: 'rows'",
        ),
        (
            'when = "one is yes"',
            'when = "two is yes"',
            "ask.terminal.when: no question before this one has this name: 'two'",
        ),
    ],
)
def test_a_question_goes_by_those_before_it_alone(
    almanac: Almanac, book: Path, old: str, new: str, message: str
) -> None:
    write(book, "order", BOUNDED.replace(old, new))
    ran = almanac("page", "run", "order", book=book)
    assert (ran.code, message in ran.err) == (3, True), ran.err


def test_a_page_with_a_later_day_than_its_edition_says_so(almanac: Almanac, book: Path) -> None:
    write(book, "late/aging", 'report = "aging payable"\n[options]\nas-of = "2026-06-17"\n')
    write(
        book,
        "late/list",
        'report = "list sales"\n[options]\nby = "route"\nfrom = "2026-05-01"\nthrough = "2026-06-15"\n',
    )
    issued = almanac(
        "edition", "issue", "late", "--period", "2026-P08", "--pages", "late", "--with-findings", book=book
    )
    assert issued.code == 0, issued.err
    told = "".join(path.read_text(encoding="utf-8") for path in (book / "editions" / "late" / "figures").glob("*.json"))
    assert "This page was saved with --as-of 17 Jun 2026, and is made as of the edition's end, 31 May 2026" in told
    assert "This page was saved with --through 15 Jun 2026, and goes past the edition's end, 31 May 2026" in told
