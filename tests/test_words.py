"""The grammar: what columns and conditions read as, and what is said where they cannot be read."""

from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Almanac
from level_almanac.book.tables import LEDGER
from level_almanac.core.words.columns import DEFAULT_COLUMNS, DEFAULT_TEXT, ChangeColumn, ValueColumn, read_columns
from level_almanac.core.words.conditions import read_condition
from level_almanac.errors import BookMistake, UsageMistake
from level_almanac.store.binding import Binding
from level_almanac.store.engine import DuckDBEngine
from level_almanac.store.predicate import Every, FieldTest, Not, Predicate, Some, sql_of


def test_the_default_columns_are_what_their_text_says() -> None:
    # A space more makes the reader read it rather than know it.
    assert read_columns(f" {DEFAULT_TEXT}") == DEFAULT_COLUMNS


def test_columns() -> None:
    assert read_columns("YTD ; ytd Last  Year;change;Change %;ytd") == (
        ValueColumn("ytd", "ytd"),
        ValueColumn("ytd-last-year", "ytd", "last year"),
        ChangeColumn("change", "ytd", "ytd-last-year", percent=False),
        ChangeColumn("change-pct", "ytd", "ytd-last-year", percent=True),
        ValueColumn("ytd-2", "ytd"),
    )


ANY_COLUMN = "change, period, ptd, qtd, quarter, year or ytd"


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("ptd; ytdd", f"--columns: this cannot stand here: 'ytdd'; expected {ANY_COLUMN}; did you mean 'ytd'?\n  ptd; ytdd\n       ^^^^"),
        ("ptd last yr", "--columns: this cannot stand here: 'last'; expected ';', last year, prior or the end; did you mean 'last year'?\n  ptd last yr\n      ^^^^"),
        ("ptd;", f"--columns: the expression ends too early; expected {ANY_COLUMN}\n  ptd;\n      ^"),
        ("ptd; change", "--columns: nothing to compare: 'change'; expected two value columns to the left of it\n  ptd; change\n       ^^^^^^"),
        ("", f"--columns: the expression ends too early; expected {ANY_COLUMN}\n  \n  ^"),
    ],
)  # fmt: skip
def test_columns_that_cannot_be_read(text: str, message: str) -> None:
    with pytest.raises(UsageMistake) as raised:
        read_columns(text)
    assert str(raised.value) == message


def test_the_command_tells_the_same_with_its_exit_code(almanac: Almanac, demo: Any) -> None:
    ran = almanac("statement", "income", "--columns", "ptd; ytdd", book=demo)
    assert (ran.code, ran.out) == (2, "")
    assert ran.err.splitlines()[1:] == ["  ptd; ytdd", "       ^^^^"]


CONDITIONS = [
    ("source is CF", FieldTest("source", "is", ("CF",))),
    ("source is not CF", Not(FieldTest("source", "is", ("CF",)))),
    ("party in V10, V22", FieldTest("party", "is", ("V10", "V22"))),
    ("party not in V10", Not(FieldTest("party", "is", ("V10",)))),
    ("account from 6100 through 6199", FieldTest("account", "through", ("6100", "6199"))),
    ('memo contains "dry dock"', FieldTest("memo", "contains", ("dry dock",))),
    ("reference is not blank", Not(FieldTest("reference", "blank"))),
    ("source is AJ or period is P13", Some((FieldTest("source", "is", ("AJ",)), FieldTest("period", "is", ("P13",))))),
    ("source is A and not (memo begins x or memo ends y)",
     Every((FieldTest("source", "is", ("A",)), Not(Some((FieldTest("memo", "begins", ("x",)), FieldTest("memo", "ends", ("y",)))))))),
    ("source is A or source is B and source is C",
     Some((FieldTest("source", "is", ("A",)), Every((FieldTest("source", "is", ("B",)), FieldTest("source", "is", ("C",))))))),
]  # fmt: skip


@pytest.mark.parametrize(("text", "expected"), CONDITIONS)
def test_conditions(text: str, expected: Predicate) -> None:
    assert read_condition(text, LEDGER, "here", BookMistake) == expected


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("sorce is CF", "did you mean 'source'?\n  sorce is CF\n  ^^^^^"),
        ("source equals CF", "here: this cannot stand here: 'equals'; expected begins, contains, ends, from, in, is or not\n  source equals CF\n         ^^^^^^"),
        ("source is", "here: the expression ends too early; expected a text in quotes, a word, blank or not\n  source is\n           ^"),
        ("(source is CF", "here: the expression ends too early; expected ')'\n  (source is CF\n               ^"),
        ("period is 13", "here: not a period: '13'; expected `period is P13` for that period of any year, or `period is 2025-P13`\n  period is 13\n            ^^"),
        ("period begins P1", "here: a period cannot be asked for in this way: 'begins'; expected `period is P13` for that period of any year, or `period is 2025-P13`\n  period begins P1\n         ^^^^^^"),
    ],
)  # fmt: skip
def test_conditions_that_cannot_be_read(text: str, message: str) -> None:
    with pytest.raises(BookMistake) as raised:
        read_condition(text, LEDGER, "here", BookMistake)
    assert str(raised.value).endswith(message)


FIELDS = st.sampled_from(["source", "memo", "party"])
WORDS = st.text("abAB'%_", min_size=1, max_size=2)
TESTS = st.one_of(
    st.builds(FieldTest, FIELDS, st.sampled_from(["is", "begins", "ends", "contains"]), st.tuples(WORDS)),
    st.builds(FieldTest, FIELDS, st.just("blank")),
    st.builds(FieldTest, FIELDS, st.just("through"), st.tuples(WORDS, WORDS)),
)
PREDICATES = st.recursive(
    TESTS,
    lambda part: st.one_of(
        st.builds(Not, part),
        st.builds(Every, st.tuples(part, part)),
        st.builds(Some, st.tuples(part, part)),
    ),
    max_leaves=6,
)


def holds(predicate: Predicate, line: dict[str, str | None]) -> bool:
    """Return whether a line meets the condition, in plain Python."""
    match predicate:
        case Not(part):
            return not holds(part, line)
        case Every(parts):
            return all(holds(part, line) for part in parts)
        case Some(parts):
            return any(holds(part, line) for part in parts)
        case FieldTest(field, operator, words):
            value = line[field]
            if operator == "blank" or value is None:
                return operator == "blank" and value is None
            if operator == "through":
                return words[0] <= value <= words[1]
            tests: dict[str, Callable[[str], bool]] = {
                "is": lambda word: word == value,
                "begins": value.startswith,
                "ends": value.endswith,
                "contains": lambda word: word.lower() in value.lower(),
            }
            return any(tests[operator](word) for word in words)


@given(PREDICATES, st.fixed_dictionaries(dict.fromkeys(("source", "memo", "party"), st.none() | WORDS)))
def test_conditions_mean_in_sql_what_they_mean_in_python(predicate: Predicate, line: dict[str, str | None]) -> None:
    bind = Binding()
    test = sql_of(predicate, bind)
    sources = ", ".join(f'{bind(value)}::varchar as "{name}"' for name, value in line.items())
    assert ENGINE.rows(f"select {test} from (select {sources})", bind.values) == [(holds(predicate, line),)]


ENGINE = DuckDBEngine()
