"""Options that are given more than once, and limits of which each names its column."""

from decimal import Decimal
from pathlib import Path

import pytest

from conftest import Almanac, copied


@pytest.mark.parametrize(
    ("words", "option"),
    [
        (("list", "ledger", "--period", "2026-P01", "--period", "2026-P02"), "--period"),
        (("trace", "trial", "--row", "60110", "--row", "60120"), "--row"),
        (("edition", "issue", "x", "--pages", "a", "--title", "A", "--title", "B"), "--title"),
        (("--book", ".", "--book", "..", "list", "ledger"), "--book"),
        (("page", "save", "twice", "list", "ledger", "--period", "2026-P01", "--period", "2026-P02"), "--period"),
        (("documents", "payable", "--over", "5", "--on", "open", "--on", "amount"), "--on"),
    ],
)
def test_an_option_that_takes_one_value_is_not_given_twice(
    almanac: Almanac, demo: Path, words: tuple[str, ...], option: str
) -> None:
    ran = almanac(*words, book=demo)
    assert (ran.code, option in ran.err, "given more than once, and takes one value" in ran.err) == (2, True, True)


@pytest.mark.parametrize(
    ("twice", "once"),
    [
        (("--by", "terminal", "--by", "route"), ("--by", "terminal, route")),
        (("--by", "route", "--show", "amount", "--show", "count"), ("--by", "route", "--show", "amount, count")),
        (("--by", "route", "--sort", "amount descending", "--sort", "route"),
         ("--by", "route", "--sort", "amount descending, route")),
    ],
)  # fmt: skip
def test_a_list_that_is_given_in_parts_is_joined(
    almanac: Almanac, demo: Path, twice: tuple[str, ...], once: tuple[str, ...]
) -> None:
    asked = ("list", "sales", "--year", "2026", "--print", "json")
    rows = almanac(*asked, *twice, book=demo).json["rows"]
    assert rows == almanac(*asked, *once, book=demo).json["rows"]
    assert len(rows) > 4


def test_columns_in_parts_and_one_on_wherever_it_stands(almanac: Almanac, demo: Path) -> None:
    parts = almanac("statement", "income", "--columns", "ptd", "--columns", "ytd", "--print", "json", book=demo).json
    assert [column["key"] for column in parts["columns"]] == ["ptd", "ytd"]
    words = ("--by", "route", "--year", "2026", "--print", "json")
    first = almanac("list", "sales", "--on", "cost", "--over", "60000", *words, book=demo).json["rows"]
    last = almanac("list", "sales", "--over", "60000", *words, "--on", "cost", book=demo).json["rows"]
    assert first == last


def test_each_limit_names_its_column(almanac: Almanac, demo: Path) -> None:
    words = ("list", "sales", "--by", "terminal, item", "--year", "2026", "--print", "json")
    every = [row for row in almanac(*words, book=demo).json["rows"] if row["kind"] == "line"]
    limits = ("--limit", "amount at least 50000", "--limit", "count between 100 and 400")
    shown = [row["key"] for row in almanac(*words, *limits, book=demo).json["rows"] if row["kind"] == "line"]
    expected = [
        row["key"] for row in every if Decimal(row["cells"]["amount"]) >= 50000 and 100 <= row["cells"]["count"] <= 400
    ]
    assert 0 < len(expected) < len(every)
    assert shown == expected
    both = ("--on", "amount", "--at-least", "50000", "--limit", "count between 100 and 400")
    assert [row["key"] for row in almanac(*words, *both, book=demo).json["rows"] if row["kind"] == "line"] == expected


@pytest.mark.parametrize(
    ("words", "message"),
    [
        ("amount > 5", "--limit: not a limit: 'amount > 5'; expected a column and its limit, such as `amount over 7500` or `count between 2 and 9`; write `over`"),
        ("amount between 5", "--limit: not a limit: 'amount between 5'"),
        ("amount over many", "--limit: not a number: 'amount over many'"),
        ("amount between 9 and 5", "--limit: the range ends below its start: 'amount between 9 and 5'; expected the smaller first"),
        ("amont over 5", "no column of numbers has this name: 'amont'"),
    ],
)  # fmt: skip
def test_what_is_no_limit(almanac: Almanac, demo: Path, words: str, message: str) -> None:
    ran = almanac("list", "sales", "--by", "route", "--limit", words, book=demo)
    assert (ran.code, message in ran.err) == (2, True), ran.err


def test_a_page_keeps_limits_as_a_list(almanac: Almanac, demo: Path, tmp_path: Path) -> None:
    book = copied(demo, tmp_path / "book")
    words = ("list", "sales", "--by", "route", "--limit", "amount over 5", "--limit", "count over 2", "--year", "2026")
    assert almanac("page", "save", "limits", *words, book=book).code == 0
    assert 'limit = ["amount over 5", "count over 2"]' in (book / "pages" / "limits.toml").read_text()
    ran = almanac("page", "run", "limits", "--print", "json", book=book)
    assert ran.json["rows"] == almanac(*words, "--print", "json", book=book).json["rows"]


@pytest.mark.parametrize(
    ("report", "step"),
    [
        ("statement", '--columns "2026-01-01 through 2026-03-31"'),
        ("aging", "--as-of DAY"),
        ("pace", "--year, --quarter"),
    ],
)
def test_days_that_a_report_takes_in_another_way(almanac: Almanac, demo: Path, report: str, step: str) -> None:
    ran = almanac(report, "income" if report == "statement" else "payable", "--from", "2026-01-01", book=demo)
    assert (ran.code, "--from: not an option of this report" in ran.err, step in ran.err) == (2, True, True)
