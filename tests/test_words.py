"""The grammar: what columns and conditions read as, and what is said where they cannot be read."""

from datetime import date
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Almanac
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.fields import line_fields
from level_almanac.core.language.columns import (
    BALANCE_COLUMNS,
    BALANCE_TEXT,
    DEFAULT_COLUMNS,
    DEFAULT_TEXT,
    LAST_YEAR,
    ChangeColumn,
    ColumnWords,
    ComputedColumn,
    Each,
    ShareColumn,
    Shift,
    Span,
    ValueColumn,
    read_columns,
)
from level_almanac.core.language.days import DayContext, Edge, NamedDay, day_of, read_day
from level_almanac.core.language.formulas import read_formula, value_of
from level_almanac.core.lines.account_conditions import holds
from level_almanac.core.lines.conditions import read_condition
from level_almanac.errors import BookMistake, UsageMistake
from level_almanac.files.settings import CalendarSettings
from level_almanac.files.tables import ACCOUNTS, LEDGER
from level_almanac.store.binding import Binding
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from level_almanac.store.predicate import Every, FieldTest, Not, Predicate, Some, sql_of


@pytest.mark.parametrize(("text", "columns"), [(DEFAULT_TEXT, DEFAULT_COLUMNS), (BALANCE_TEXT, BALANCE_COLUMNS)])
def test_the_known_columns_are_what_their_text_says(text: str, columns: ColumnWords) -> None:
    # A space more makes the reader read it rather than know it.
    assert read_columns(f" {text}") == columns


def test_columns() -> None:
    assert read_columns("YTD ; ytd Last  Year;change;Change %;ytd") == (
        ValueColumn("ytd", Span("ytd")),
        ValueColumn("ytd-last-year", Span("ytd"), LAST_YEAR),
        ChangeColumn("change", percent=False),
        ChangeColumn("change-pct", percent=True),
        ValueColumn("ytd-2", Span("ytd")),
    )


VALUES = [
    ("last 3 periods prior", ValueColumn("last-3-periods-prior", Span("last", 3, "period"), Shift("back", 1))),
    ("rest of year", ValueColumn("rest-year", Span("rest", unit="year"))),
    ("2025-p03", ValueColumn("2025-p03", Span("id", id="2025-P03"))),
    ("budget qtd 2 back", ValueColumn("budget-qtd-2-back", Span("qtd"), Shift("back", 2), "budget")),
    ('"Plan A" = "Budget v2" ytd', ValueColumn("plan a", Span("ytd"), scenario="Budget v2", label="Plan A")),
    ("each 2 weeks qtd", ValueColumn("each-2-weeks-qtd", Span("qtd"), each=Each("week", 2, start=5))),
    ("each period", ValueColumn("each-period", Span("year"), each=Each("period", start=5))),
    ("each day", ValueColumn("each-day", Span("period"), each=Each("day", start=5))),
    ("each vessel last year", ValueColumn("each-vessel-last-year", Span("ytd"), LAST_YEAR, each=Each(field="vessel", start=5))),
    ("2026-01-05 through end of last period",
     ValueColumn("2026-01-05-through-end-last-period",
                 Span("range", first=date(2026, 1, 5), last=Edge(end=True, unit="period", of=NamedDay("as-of"), which=-1)))),
]  # fmt: skip


@pytest.mark.parametrize(("text", "expected"), VALUES)
def test_value_columns(text: str, expected: ValueColumn) -> None:
    assert read_columns(text) == (expected,)


def test_columns_made_of_others() -> None:
    _, _, net, variance, share = read_columns(
        "a = ytd; b = ytd prior; (a - b) / a; variance % of a over b; share of 4011 in b"
    )
    assert isinstance(net, ComputedColumn)
    assert value_of(net.formula, {"a": Decimal(8), "b": Decimal(2)}.__getitem__) == Decimal("0.75")
    assert value_of(net.formula, {"a": Decimal(0), "b": Decimal(2)}.__getitem__) is None
    assert variance == ChangeColumn("variance-pct-of-a-over-b", percent=True, kind="variance", of="a", over="b")
    assert share == ShareColumn("share-of-4011-in-b", "4011", "b")


def test_a_plain_sum_reads_as_the_grammar_reads_it() -> None:
    for text in ("income", "income - direct-cost - expense", "a + b_2 - c"):
        # Parentheses make the grammar read it.
        assert read_formula(text, "here", UsageMistake) == read_formula(f"({text})", "here", UsageMistake)


DAYS = [
    ("today", date(2026, 6, 20)),
    ("as-of", date(2026, 6, 17)),
    ("today - 10 days", date(2026, 6, 10)),
    ("start of this year", date(2025, 10, 1)),
    ("end of last period", date(2026, 5, 31)),
    ("end of next quarter", date(2026, 9, 30)),
    ("end of month 2026-02-10", date(2026, 2, 28)),
    ("3 months from 2026-02-10", date(2026, 5, 9)),
    ("2026-01-31 + 1 month", date(2026, 2, 28)),
    ("2026-02-28 + 1 month", date(2026, 3, 28)),
    ("end of month 2026-02-10 + 1 month", date(2026, 3, 31)),
    ("end of month 2026-02-10 - 2 months", date(2025, 12, 31)),
    ("end of last period + 1 month - 1 month", date(2026, 5, 31)),
    ("start of month 2026-02-28 + 1 month", date(2026, 3, 1)),
    ("end of month 2026-02-10 + 1 day", date(2026, 3, 1)),
    ("start of 2025-P03", date(2024, 12, 1)),
    ("start of week 2026-06-17 - 1 day", date(2026, 6, 14)),
]


@pytest.mark.parametrize(("text", "day"), DAYS)
def test_days(text: str, day: date) -> None:
    context = DayContext(FiscalCalendar(CalendarSettings(year_start="10-01")), date(2026, 6, 20), date(2026, 6, 17))
    assert day_of(read_day(text, "--as-of", UsageMistake), context) == day


ANY_COLUMN = (
    "'+', '-', a name, a number, a span such as ptd or ytd, a text in quotes, change, each, share of or variance"
)


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("ptd; 2025 * 2", "--columns: a number is no column: '2025'; expected a span; for the fiscal year write FY2025\n  ptd; 2025 * 2\n       ^^^^"),
        ("ptd; one before", "--columns: this cannot stand here: 'before'; expected a number, a span such as ptd or ytd or each; write prior\n  ptd; one before\n           ^^^^^^"),
        ("ptd; ytdd", "--columns: no span and no column to the left has this name: 'ytdd'; expected ptd; did you mean 'ytd'?\n  ptd; ytdd\n       ^^^^"),
        ("ptd last yr", "--columns: this cannot stand here: 'last'; expected '*', '+', '-', '/', ';', a number, last year, prior or the end; did you mean 'last year'?\n  ptd last yr\n      ^^^^"),
        ("last 0 periods", "--columns: not a number that can be counted: '0'; expected a whole number from 1 to 9999\n  last 0 periods\n       ^"),
        ("a = ytd; b = ytd prior; change of a over c", "--columns: no value column has this name: 'c'; expected a or b\n  a = ytd; b = ytd prior; change of a over c\n                                           ^"),
        ("2025-Q1 last year", "--columns: a span of named days cannot be moved: 'last year'; expected the days that are meant\n  2025-Q1 last year\n          ^^^^^^^^^"),
        ("2026-02-30 through today", "--columns: not a day: '2026-02-30'; expected a day from 1900 to 2199 as YYYY-MM-DD\n  2026-02-30 through today\n  ^^^^^^^^^^"),
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
    assert read_condition(text, LEDGER_FIELDS, "here", BookMistake) == expected


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("sorce is CF", "did you mean 'source'?\n  sorce is CF\n  ^^^^^"),
        ("source equals CF", "here: this cannot stand here: 'equals'; expected after, at least, at most, before, begins, between, contains, ends, from, in, is, not, over, since or under; write is\n  source equals CF\n         ^^^^^^"),
        ("amount > 5000", "since or under; write over\n  amount > 5000\n         ^"),
        ("amount >= 5000", "since or under; write at least\n  amount >= 5000\n         ^^"),
        ("account != 61210", "since or under; write is not\n  account != 61210\n          ^^"),
        ("memo like dock", "since or under; write contains, begins or ends\n  memo like dock\n       ^^^^"),
        ("source is", "here: the expression ends too early; expected a text in quotes, a word, blank or not\n  source is\n           ^"),
        ("(source is CF", "here: the expression ends too early; expected ')'\n  (source is CF\n               ^"),
        ("period is 13", "here: not a period: '13'; expected `period is P13` for that period of any year, `period is 2025-P13`, or `period from ID through ID`\n  period is 13\n            ^^"),
        ("period begins P1", "here: a period cannot be asked for in this way: 'begins'; expected `period is P13` for that period of any year, `period is 2025-P13`, or `period from ID through ID`\n  period begins P1\n         ^^^^^^"),
    ],
)  # fmt: skip
def test_conditions_that_cannot_be_read(text: str, message: str) -> None:
    with pytest.raises(BookMistake) as raised:
        read_condition(text, LEDGER_FIELDS, "here", BookMistake)
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


@given(PREDICATES, st.fixed_dictionaries(dict.fromkeys(("source", "memo", "party"), st.none() | WORDS)))
def test_conditions_mean_in_sql_what_they_mean_in_python(predicate: Predicate, line: dict[str, str | None]) -> None:
    bind = Binding()
    test = sql_of(predicate, bind)
    sources = ", ".join(f'{bind(value)}::varchar as "{name}"' for name, value in line.items())
    assert ENGINE.rows(f"select {test} from (select {sources})", bind.values) == [(holds(predicate, line),)]


ENGINE = DuckDBEngine(())
LEDGER_FIELDS = line_fields("ledger", {"ledger": LEDGER, "accounts": ACCOUNTS})
