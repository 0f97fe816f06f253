"""Conditions: what they take and what they leave out is everything, whatever they say, line by line in plain Python."""

from collections.abc import Callable
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import CHART, Almanac, examples, run_almanac
from level_almanac.core.book import Book
from level_almanac.core.reports.list.report import listing
from level_almanac.core.reports.list.request import ListRequest
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.table.threshold import Limit, Threshold

TODAY = date(2026, 6, 17)
BOOK = """\
[book]
name = "Conditions"

[entities.A]
name = "Amberquay"
currency = "EUR"
retained_earnings = "3100"

[calendar]
year_start = "10-01"

[entry_classes]
carried = "source is CF"

[tables.ledger]
number_like = ["batch"]
links = { party = "people" }

[tables.people]
key = ["person"]
fields = { person = "text", town = "text", since = "date", credit_limit = "amount" }

[[intake]]
table = "accounts"
files = "chart.csv"
fields = { account = "account", name = "name", class = "class", parent = "parent" }

[[intake]]
table = "people"
files = "people.csv"
fields = { person = "Who", town = "Town", since = "Since", credit_limit = "Limit" }

[[intake]]
table = "ledger"
files = "ledger.csv"
dates = ["YYYY-MM-DD", "YYYY-MM-DD hh:mm:ss"]
set = { entity = "A" }

[intake.fields]
journal = "journal"
line = "line"
posted = "posted"
account = "account"
amount = "amount"
source = "source"
party = "party"
batch = "batch"
memo = "memo"
"""
PEOPLE = {
    "P1": ("Norwick", date(2020, 1, 1), Decimal("1000.00")),
    "P2": ("Kelsay", date(2024, 2, 29), None),
    "P3": (None, None, Decimal("50.00")),
}
ACCOUNTS = ("1000", "4010", "4020", "6000", "6100")
CLASSES = {"1": "asset", "4": "income", "6": "expense"}


def made_lines() -> list[dict[str, Any]]:
    lines = []
    for number in range(240):
        day = date(2025, 10, 1 + number % 28) if number % 3 else date(2026, 1 + number % 6, 1 + number % 27)
        lines.append({
            "journal": f"J{number // 4}",
            "line": str(number % 4 + 1),
            "posted": day,
            "account": ACCOUNTS[number * 7 % 5],
            "amount": Decimal(number * 37 % 211 - 100) + Decimal(number % 100) / 100,
            "source": (None, "AB", "ab", "B'%")[number % 4],
            "party": (None, "P1", "P2", "P3", "P9")[number * 3 % 5],
            "batch": (None, "9", "10", "007", "x1")[number % 5],
            "memo": (None, "Dry dock", "dock", "say \\ _ ;drop table")[number * 5 % 4],
        })  # fmt: skip
    return lines


LINES = made_lines()


@pytest.fixture(scope="module")
def root(tmp_path_factory: pytest.TempPathFactory) -> Path:
    root = tmp_path_factory.mktemp("conditions")
    (root / "almanac.toml").write_text(BOOK)
    (root / "chart.csv").write_text(CHART)
    people = [f"{key},{town or ''},{since or ''},{limit or ''}\n" for key, (town, since, limit) in PEOPLE.items()]
    (root / "people.csv").write_text("Who,Town,Since,Limit\n" + "".join(people))
    # Every other day has a time, the last moment of the day among them.
    rows = [
        f"{each['journal']},{each['line']},{each['posted']}{' 23:59:59' if number % 2 else ''},{each['account']},"
        f"{each['amount']},{each['source'] or ''},{each['party'] or ''},{each['batch'] or ''},{each['memo'] or ''}\n"
        for number, each in enumerate(LINES)
    ]
    (root / "ledger.csv").write_text("journal,line,posted,account,amount,source,party,batch,memo\n" + "".join(rows))
    loaded = run_almanac("load", "--through", str(TODAY), book=root)
    # The journals of this book balance with nothing, which is told and does no harm here.
    assert loaded.code == 0, loaded.err
    return root


@pytest.fixture(scope="module")
def book(root: Path) -> Book:
    return Book.open(root)


Line = dict[str, Any]
Test = tuple[str, Callable[[Line], bool]]


def person(line: Line, at: int) -> Any:
    return PEOPLE[line["party"]][at] if line["party"] in PEOPLE else None


def as_number(text: str | None) -> Decimal | None:
    return Decimal(text) if text and text.isdigit() else None


def number_tests(name: str, value: Callable[[Line], Decimal | None]) -> list[st.SearchStrategy[Test]]:
    numbers = st.integers(-110, 120).map(Decimal)

    def compared(word: str, test: Callable[[Decimal, Decimal], bool]) -> st.SearchStrategy[Test]:
        return numbers.map(lambda n: (f"{name} {word} {n}", lambda line: (v := value(line)) is not None and test(v, n)))

    both = st.tuples(numbers, numbers).map(sorted)
    return [
        compared("over", lambda v, n: v > n),
        compared("at least", lambda v, n: v >= n),
        compared("under", lambda v, n: v < n),
        compared("at most", lambda v, n: v <= n),
        compared("is", lambda v, n: v == n),
        both.map(
            lambda n: (
                f"{name} between {n[0]} and {n[1]}",
                lambda line: (v := value(line)) is not None and n[0] <= v <= n[1],
            )
        ),
        st.just((f"{name} is blank", lambda line: value(line) is None)),
    ]


def text_tests(name: str, value: Callable[[Line], str | None], words: list[str]) -> list[st.SearchStrategy[Test]]:
    word = st.sampled_from(words)

    def compared(operator: str, test: Callable[[str, str], bool]) -> st.SearchStrategy[Test]:
        return word.map(
            lambda w: (f'{name} {operator} "{w}"', lambda line: (v := value(line)) is not None and test(v, w))
        )

    return [
        compared("is", lambda v, w: v == w),
        compared("begins", lambda v, w: v.startswith(w)),
        compared("ends", lambda v, w: v.endswith(w)),
        compared("contains", lambda v, w: w.lower() in v.lower()),
        st.lists(word, min_size=1, max_size=3).map(
            lambda ws: (f"{name} in " + ", ".join(f'"{w}"' for w in ws), lambda line: value(line) in ws)
        ),
        st.just((f"{name} is not blank", lambda line: value(line) is not None)),
    ]


def date_tests(name: str, value: Callable[[Line], date | None]) -> list[st.SearchStrategy[Test]]:
    days = st.dates(date(2025, 9, 28), date(2026, 7, 2))
    quarters = {"2026-Q1": (date(2025, 10, 1), date(2025, 12, 31)), "2026-P05": (date(2026, 2, 1), date(2026, 2, 28)),
                "ytd": (date(2025, 10, 1), TODAY), "ptd": (date(2026, 6, 1), TODAY), "ptd last year": (date(2025, 6, 1), date(2025, 6, 17)),
                "last 2 periods": (date(2026, 5, 1), TODAY)}  # fmt: skip

    def compared(word: str, test: Callable[[date, date], bool]) -> st.SearchStrategy[Test]:
        return days.map(lambda d: (f"{name} {word} {d}", lambda line: (v := value(line)) is not None and test(v, d)))

    return [
        compared("before", lambda v, d: v < d),
        compared("after", lambda v, d: v > d),
        compared("since", lambda v, d: v >= d),
        st.tuples(days, days).map(sorted).map(
            lambda d: (
                f"{name} from {d[0]} through {d[1]}",
                lambda line: (v := value(line)) is not None and d[0] <= v <= d[1],
            )
        ),
        st.sampled_from(list(quarters)).map(
            lambda q: (
                f"{name} in {q}",
                lambda line: (v := value(line)) is not None and quarters[q][0] <= v <= quarters[q][1],
            )
        ),
    ]  # fmt: skip


SINGLE = st.one_of(
    *text_tests("source", lambda line: line["source"], ["AB", "a", "B'%", "'", "%"]),
    *text_tests("memo", lambda line: line["memo"], ["dock", "Dry", "_", "; drop table", "\\"]),
    *text_tests("account", lambda line: line["account"], ["4", "4010", "60", "1000"]),
    *text_tests("account.class", lambda line: CLASSES[line["account"][0]], ["income", "asset", "exp"]),
    *text_tests("party.town", lambda line: person(line, 0), ["Norwick", "Kels"]),
    *number_tests("amount", lambda line: line["amount"]),
    *number_tests("batch", lambda line: as_number(line["batch"])),
    *number_tests("party.credit_limit", lambda line: person(line, 2)),
    *date_tests("posted", lambda line: line["posted"]),
    *date_tests("party.since", lambda line: person(line, 1)),
    # So many words that they are met as a set.
    st.just(
        (
            f"party in {', '.join(f'P{number}' for number in range(2, 80))}",
            lambda line: line["party"] in ("P2", "P3", "P9"),
        )
    ),
)
# `batch is blank` asks for the text, which can be there and yet be no number.
CONDITION: st.SearchStrategy[Test] = st.recursive(
    SINGLE.filter(lambda test: test[0] != "batch is blank"),
    lambda inner: st.one_of(
        inner.map(lambda test: (f"not ({test[0]})", lambda line: not test[1](line))),
        st.tuples(inner, inner).map(
            lambda t: (f"({t[0][0]}) and ({t[1][0]})", lambda line: t[0][1](line) and t[1][1](line))
        ),
        st.tuples(inner, inner).map(
            lambda t: (f"({t[0][0]}) or ({t[1][0]})", lambda line: t[0][1](line) or t[1][1](line))
        ),
    ),
    max_leaves=4,
)


@examples(45)
@given(CONDITION)
def test_only_and_except_are_everything_and_what_plain_python_says(book: Book, condition: Test) -> None:
    text, holds = condition
    only = listing(book, ListRequest(show="amount", conditions=Conditions((text,), ()))).table
    besides = listing(book, ListRequest(show="amount", conditions=Conditions((), (text,)))).table
    taken, left = ({row.key for row in table.rows if row.kind == "line"} for table in (only, besides))
    assert taken == {f"{line['journal']}/{line['line']}" for line in LINES if holds(line)}
    assert not taken & left
    assert len(taken) + len(left) == len(LINES)
    for table in (only, besides):
        assert table.proof is not None
        assert table.proof.balances
    assert only.proof is not None
    assert only.proof.shown.amount == sum((line["amount"] for line in LINES if holds(line)), Decimal(0))


GROUPS: dict[str, Callable[[Line], str | None]] = {
    "account": lambda line: line["account"],
    "account.class": lambda line: CLASSES[line["account"][0]],
    "party.town": lambda line: person(line, 0),
    "batch": lambda line: line["batch"],
    "month of posted": lambda line: f"{line['posted']:%Y-%m}",
}
LIMITS: dict[Limit, Callable[[Decimal, Decimal], bool]] = {
    "over": lambda total, limit: total > limit,
    "at-least": lambda total, limit: total >= limit,
    "under": lambda total, limit: total < limit,
    "at-most": lambda total, limit: total <= limit,
}


@examples(20)
@given(
    SINGLE.filter(lambda test: test[0] != "batch is blank"),
    st.lists(st.sampled_from(sorted(GROUPS)), min_size=1, max_size=2, unique=True),
    st.sampled_from(sorted(LIMITS)),
    st.integers(-300, 300).map(Decimal),
)
def test_groups_and_what_a_threshold_leaves_out_are_all_that_was_considered(
    book: Book, condition: Test, by: list[str], limit: Limit, value: Decimal
) -> None:
    text, holds = condition
    request = ListRequest(
        by=", ".join(by), show="amount", conditions=Conditions((text,), ()), thresholds=(Threshold(limit, (value,)),)
    )
    table = listing(book, request).table
    totals: dict[tuple[Any, ...], Decimal] = {}
    for line in LINES:
        if holds(line):
            key = tuple(GROUPS[each](line) for each in by)
            totals[key] = totals.get(key, Decimal(0)) + line["amount"]
    kept = {key: total for key, total in totals.items() if LIMITS[limit](total, value)}
    named = {
        "/".join(f"{each}-blank" if part is None else part for part, each in zip(key, by, strict=True)): total
        for key, total in kept.items()
    }
    assert {row.key: row.cells["amount"] for row in table.rows if row.kind == "line"} == named
    total = next(row.cells["amount"] for row in table.rows if row.kind == "total")
    assert (total or Decimal(0)) == sum(kept.values(), Decimal(0))
    assert table.proof is not None
    assert table.proof.adds_up
    assert table.proof.considered.lines == len(LINES)


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (["--only", "vendor is X"], "the table ledger has no such field: 'vendor'"),
        (["--only", "town is X"], "there is one in people\n  town is X\n  ^^^^"),
        (["--only", "memo over 5"], "memo is a text, and `over` asks for a number: 'over'; if its values are numbers, say number_like = [\"memo\"] in [tables.ledger]"),
        (["--only", "amount begins 5"], "amount is a number (amount), and `begins` asks for a text"),
        (["--only", "amount before 2026-01-01"], "amount is a number (amount), and `before` asks for a date"),
        (["--only", "amount over five"], "not a number: 'five'; expected one such as 5000 or -12.50\n  amount over five\n              ^^^^"),
        (["--only", "posted before 03/04/2026"], "not a day: '03/04/2026'; expected a day as YYYY-MM-DD, day words such as `end of last period`, a span, or an id such as 2026-Q2; a day is written year first, so that it cannot be read in two ways"),
        (["--only", "posted from 2026-05-01 through 2026-04-01"], "the range ends before it starts: 2026-04-01 is before 2026-05-01: '2026-04-01'"),
        (["--only", "amount between 5 and 2"], "the range ends below its start: 5 through 2: '2'"),
        (["--only", "posted from 2026-05-01"], "the expression ends too early; expected through"),
        (["--only", "memo is dry dock"], "several words: 'dry dock'; put a text of several words in quotes: \"dry dock\"\n  memo is dry dock\n          ^^^^^^^^"),
        (["--only", "posted in 2026-P13"], "2026-P13"),
        (["--from", "2026-05-01"], "only one end of the range is given; give --through or --before too"),
        (["--from", "2026-05-01", "--through", "2026-04-01"], "the range ends before it starts"),
        (["--compute", 'size = give "small" if amount under 10'], "a line that meets none of these conditions would have no value; end with `; else VALUE`"),
        (["--compute", "x = memo + 1"], "memo is a text, which cannot be computed with: 'memo'"),
        (["--compute", "x = posted - 1"], "write `days from A to B` for the days between two dates"),
        (["--compute", "late = days from memo to posted"], "memo is no date: 'memo'"),
        (["--compute", "amount = debit"], "the table has a field of this name: 'amount'"),
        (["--show", "quarter of memo"], "memo is no date, so it has no quarter"),
        (["--show", "average of memo"], "there is no average of memo"),
        (["--show", "- memo"], "this has no sign to turn"),
        (["--by", "amount"], "lines are not grouped by this"),
        (["--by", "account", "--sort", "memo"], "neither a column nor what lines are grouped by: 'memo'"),
        (["--show", "posted, memo if wide", "--yes", "wid"], "no column is marked with this: 'wid'; expected wide; did you mean 'wide'?"),
        (["--sort", "count"], "this is not a value of single lines: 'count'; say --by FIELD to put groups in order by it"),
        (["--over", "5"], "a threshold is on totals; say --by FIELD for the totals of its members, or --each for single lines"),
        (["--by", "account", "--over", "5", "--on", "memo"], "no column of numbers has this name: 'memo'"),
        (["--date", "memo"], "the table ledger has no such date: 'memo'"),
    ],
)  # fmt: skip
def test_what_cannot_be_asked(root: Path, words: list[str], message: str) -> None:
    ran = run_almanac("list", "ledger", *words, book=root)
    assert ran.code == 2
    assert message in ran.err
    assert "Traceback" not in ran.err


def test_a_range_keeps_the_last_moment_of_its_last_day(root: Path, almanac: Almanac) -> None:
    last = max(line["posted"] for line in LINES)
    shown = almanac("list", "ledger", "--from", str(last), "--through", str(last), "--print", "json", book=root).json
    count = sum(line["posted"] == last for line in LINES)
    assert len([row for row in shown["rows"] if row["kind"] == "line"]) == count


def test_a_link_neither_loses_nor_multiplies_lines(root: Path, almanac: Almanac) -> None:
    shown = almanac(
        "list", "ledger", "--by", "party.town", "--show", "count, amount", "--print", "json", book=root
    ).json
    counts = {row["key"]: (row["cells"]["count"], Decimal(row["cells"]["amount"])) for row in shown["rows"]}
    expected: dict[str, tuple[int, Decimal]] = {}
    for line in LINES:
        key = person(line, 0) or "party.town-blank"
        lines, amount = expected.get(key, (0, Decimal(0)))
        expected[key] = (lines + 1, amount + line["amount"])
    total = (len(LINES), sum((line["amount"] for line in LINES), Decimal(0)))
    assert counts == {**expected, "total": total}


def test_numbers_kept_as_text_compare_and_sort_as_the_book_says(root: Path, almanac: Almanac) -> None:
    found = almanac("list", "ledger", "--by", "batch", "--show", "count", "--print", "json", book=root).json
    assert [row["key"] for row in found["rows"]] == ["007", "9", "10", "x1", "batch-blank", "total"]
    between = almanac(
        "list",
        "ledger",
        "--only",
        "batch from 8 through 11",
        "--by",
        "batch",
        "--show",
        "count",
        "--print",
        "json",
        book=root,
    )
    assert [row["key"] for row in between.json["rows"]] == ["9", "10", "total"]
