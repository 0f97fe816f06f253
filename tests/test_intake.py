"""Exports as they come: numbers, dates, encodings, line numbers, and each mistake with its one message."""

from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import HEADS, MakeBook, SmallBook
from level_almanac.files.tables import Field
from level_almanac.store.binding import Binding
from level_almanac.store.casting import NumberForm, Source, casts
from level_almanac.store.engines.duckdb_engine import DuckDBEngine

SIGNED = 'period = "period", amount = "amount"'
SIGNED_HEADS = "journal;line;posted;period;account;amount;source\n"
ALL_NEGATIVES = ("minus", "trailing-minus", "parentheses", "crdr")


@pytest.fixture(scope="module")
def engine() -> Iterator[DuckDBEngine]:
    engine = DuckDBEngine(())
    yield engine
    engine.close()


def read_number(engine: DuckDBEngine, text: str, form: NumberForm) -> Decimal | str:
    """Return what the number reads as, or the reason why it does not."""
    bind = Binding()
    entity = Source(Field("entity"), constant="A")
    cast = casts([entity, Source(Field("amount", "amount"), column=0)], [], form, bind)["amount"]
    reasons = ", ".join(f'{condition} as "{reason}"' for reason, condition in cast.wrong)
    query = f"select {cast.value}, {cast.sure}, {reasons} from (select $text as c0)"
    value, sure, *wrong = engine.rows(query, {**bind.values, "text": text})[0]
    found = [reason for (reason, _), is_wrong in zip(cast.wrong, wrong, strict=True) if is_wrong]
    assert not (sure and found), "the quick test may pass only what the slow one passes"
    return found[0] if found else value


POINT = NumberForm(".", ",", ALL_NEGATIVES, {"A": 2}, 2)
COMMA = NumberForm(",", ".", ALL_NEGATIVES, {"A": 2}, 2)
PLAIN = NumberForm(".", "", ("minus",), {"A": 2}, 2)
YEN = NumberForm(".", ",", ("minus",), {"A": 0}, 2)
DINAR = NumberForm(".", "", ("minus",), {"A": 3}, 3)
NUMBERS = [
    ("1,234.56", POINT, "1234.56"), ("1234.56", POINT, "1234.56"), (".5", POINT, "0.5"), ("0", POINT, "0"),
    ("-1,234.56", POINT, "-1234.56"), ("1,234.56-", POINT, "-1234.56"), ("(1,234.56)", POINT, "-1234.56"),
    ("1,234.56 CR", POINT, "-1234.56"), ("1,234.56DR", POINT, "1234.56"), ("12.30cr", POINT, "-12.30"),
    ("−5.00", POINT, "-5"), ("+5.00", POINT, "5"), ("1.234,56", COMMA, "1234.56"), ("1.234.567", COMMA, "1234567"),
    ("1.234,56-", COMMA, "-1234.56"), ("12345678901234.99", PLAIN, "12345678901234.99"), ("1,000", YEN, "1000"),
    ("1.005", DINAR, "1.005"),
    ("1,23.45", POINT, "number"), ("1.234,56", POINT, "number"), ("1,234.56", COMMA, "number"), ("1e3", POINT, "number"),
    ("1_000", PLAIN, "number"), ("(5", POINT, "number"), ("-(5)", POINT, "number"), ("12 34", POINT, "number"),
    ("(5)", PLAIN, "number"), ("5-", PLAIN, "number"), ("5 CR", PLAIN, "number"), ("EUR 5", POINT, "number"),
    ("99999999999999999999", PLAIN, "number"), ("--5", POINT, "number"), ("1,000", PLAIN, "number"),
    (".", YEN, "number"), ("5.", YEN, "number"), (".", PLAIN, "number"), ("-", PLAIN, "number"), ("", PLAIN, "number"),
    ("1.005", POINT, "decimals"), ("100.000", PLAIN, "decimals"), ("1.5", YEN, "decimals"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "form", "expected"), NUMBERS)
def test_numbers(engine: DuckDBEngine, text: str, form: NumberForm, expected: str) -> None:
    found = read_number(engine, text, form)
    assert found == (expected if expected.isalpha() else Decimal(expected))


@given(st.decimals(min_value=-(10**12), max_value=10**12, places=2), st.sampled_from(ALL_NEGATIVES), st.booleans())
def test_every_way_of_writing_a_number_reads_as_that_number(
    engine: DuckDBEngine, number: Decimal, negative: str, european: bool
) -> None:
    body = f"{abs(number):,.2f}"
    if european:
        body = body.translate({ord(","): ".", ord("."): ","})
    ways = {"minus": f"-{body}", "trailing-minus": f"{body}-", "parentheses": f"({body})", "crdr": f"{body} CR"}
    text = ways[negative] if number < 0 else body
    assert read_number(engine, text, COMMA if european else POINT) == number


def amounts(book: SmallBook) -> list[str]:
    """Return the debits and credits that the book's trial balance shows."""
    ran = book.run("trial", "--print", "json")
    assert ran.code == 0, ran.err
    return [row["cells"][side] for row in ran.json["rows"] if row["kind"] == "line" for side in ("debit", "credit")]


@pytest.mark.parametrize(
    ("encoding", "option"),
    [("utf-8", ""), ("utf-8-sig", ""), ("latin-1", 'encoding = "latin-1"'), ("cp1252", 'encoding = "windows-1252"')],
)
@pytest.mark.parametrize("ends", ["\n", "\r\n"])
def test_encodings_and_line_ends(make_book: MakeBook, encoding: str, option: str, ends: str) -> None:
    book = make_book(
        intake=f'{option}\ndelimiter = ";"\ndates = "DD.MM.YYYY"',
        fields='memo = "source", debit = "débit", credit = "credit"',
    )
    text = 'journal;line;posted;account;débit;credit;source\n1;1;03.10.2025;1000;5.00;;"Café; à la\ncarte"\n1;2;03.10.2025;4010;;5.00;é\n'
    (book.root / "ledger.csv").write_bytes(text.replace("\n", ends).encode(encoding))
    assert book.load().code == 0, book.load().err
    assert amounts(book) == ["5.00", "0.00", "0.00", "5.00"]


@pytest.mark.parametrize(
    ("pattern", "text", "day"),
    [
        ("YYYY-MM-DD", "2025-10-03", "2025-10-03"),
        ("DD/MM/YY", "03/10/25", "2025-10-03"),
        ("MM/DD/YYYY", "10/03/2025", "2025-10-03"),
        ("YYYYMMDD", "20251003", "2025-10-03"),
        ("YYYY-MM-DD hh:mm:ss", "2025-10-03 23:59:59", "2025-10-03"),
    ],
)
def test_date_patterns(make_book: MakeBook, pattern: str, text: str, day: str) -> None:
    book = make_book(f"1,1,{text},,1000,5.00,,GJ", f"1,2,{text},,4010,,5.00,GJ", intake=f'dates = "{pattern}"')
    assert book.load().code == 0, book.load().err
    assert book.run("trial", "--from", day, "--through", day, "--print", "csv").out.count("5.00") > 2


GOOD = ["1,1,2025-10-03,,1000,5.00,,GJ", "1,2,2025-10-03,,4010,,5.00,GJ"]
MISTAKES = [
    ("1,1,2025-13-03,,1000,5.00,,GJ", "ledger.csv:4: posted: not a date: '2025-13-03'; expected a day from 1900 to 2199 as YYYY-MM-DD"),
    ("1,1,2025-02-30,,1000,5.00,,GJ", "ledger.csv:4: posted: not a date: '2025-02-30'; expected a day from 1900 to 2199 as YYYY-MM-DD"),
    ("2,1,9999-12-31,,1000,5.00,,GJ", "ledger.csv:4: posted: not a date: '9999-12-31'; expected a day from 1900 to 2199 as YYYY-MM-DD"),
    ("2,1,0001-01-01,,1000,5.00,,GJ", "ledger.csv:4: posted: not a date: '0001-01-01'; expected a day from 1900 to 2199 as YYYY-MM-DD"),
    ("2,1,,,1000,5.00,,GJ", "ledger.csv:4: posted: is blank; expected a value on every line"),
    ("2,1,2025-10-03,,1000,5.O0,,GJ", "ledger.csv:4: debit: not a number: '5.O0'; expected a number such as 1234.56 or -5.00"),
    ("2,1,2025-10-03,,1000,5.001,,GJ", "ledger.csv:4: debit: more decimals than the entity's currency has: '5.001'; expected an exact amount"),
    ("2,1,2025-10-03,,1000,5.00,6.00,GJ", "ledger.csv:4: debit: both a debit and a credit: 5.00 and 6.00; expected one of the two"),
    ("2,1,2025-10-03,,1000,,,GJ", "ledger.csv:4: debit: neither a debit nor a credit; expected one of the two"),
    ("2,1,2025-10-03,2026-P14,1000,5.00,,GJ", "ledger.csv:4: period: the calendar has no such period: '2026-P14'; expected a period of the calendar as YYYY-PPP"),
    ("2,1,2025-10-03,P1,1000,5.00,,GJ", "ledger.csv:4: period: the calendar has no such period: 'P1'; expected a period of the calendar as YYYY-PPP"),
    ("2,1,2025-10-03,,1001,5.00,,GJ", "ledger.csv:4: account: the chart lacks this account: '1001'; did you mean '1000'?"),
    ("2,1,2025-12-24,,1000,5.00,,CF", "ledger.csv:4: posted: a carried line that opens no year: '2025-12-24'; expected the last or the first day of a fiscal year"),
    ("2,1,2025-10-03,,1000,5.00", "ledger.csv:4: the record has 6 fields; expected 8, as in the head line, between ','; uneven_rows = true takes the rest for blank"),
    ('2,1,2025-10-03,,1000,5.00,,"GJ', "ledger.csv:4: not CSV: unexpected end of data"),
    ("1,2,2025-10-03,,4010,,5.00,GJ", "ledger.csv:3 and ledger.csv:4: the same line twice in one file (entity A, journal 1, line 2); expected each line once"),
    ("1,2,2025-10-03,,4010,,6.00,GJ", "ledger.csv:3 and ledger.csv:4: two different lines under one key (entity A, journal 1, line 2); expected one line for each key"),
]  # fmt: skip


@pytest.mark.parametrize(("line", "message"), MISTAKES, ids=[message.split(";")[0] for _, message in MISTAKES])
def test_a_bad_line_is_told_and_changes_nothing(make_book: MakeBook, line: str, message: str) -> None:
    book = make_book(*GOOD)
    assert book.load().code == 0
    before = book.run("trial", "--print", "json").json["rows"]
    book.ledger(HEADS + "".join(f"{each}\n" for each in [*GOOD, line]))
    ran = book.load()
    assert (ran.code, ran.out) == (3, "")
    assert ran.err == f"almanac: {message}\n"
    assert book.run("trial", "--print", "json").json["rows"] == before


def test_lines_are_numbered_through_quoted_line_ends_and_blank_lines(make_book: MakeBook) -> None:
    book = make_book()
    book.ledger(
        HEADS + '1,1,2025-10-03,,1000,5.00,,"two\nlines"\n\n1,2,2025-10-03,,4010,,5.00,x\n1,3,never,,4010,,5.00,x\n'
    )
    assert "ledger.csv:6: posted: not a date: 'never'" in book.load().err


def test_mistakes_of_one_cause_are_told_once_with_their_count(make_book: MakeBook) -> None:
    book = make_book(*(f"{number},1,2025-10-03,,1000,x,,GJ" for number in range(1, 51)))
    told = book.load().err.splitlines()
    assert [line.split(":")[2] for line in told] == ["2", "3", "4"]
    assert told[2].endswith("; and 47 more like it, through line 51")


def test_bytes_of_another_encoding_are_told_with_their_line(make_book: MakeBook) -> None:
    book = make_book(*GOOD)
    (book.root / "ledger.csv").write_bytes(
        (HEADS + GOOD[0] + "\n2,1,2025-10-03,,1000,5.00,,Caf\xe9\n").encode("latin-1")
    )
    assert book.load().err.splitlines()[0] == (
        "almanac: ledger.csv:3: not utf-8 text: byte 0xe9 after '0-03,,1000,5.00,,Caf'; name the file's encoding in its"
        ' intake block, such as encoding = "latin-1"'
    )


def test_a_head_that_the_file_lacks_is_told_with_the_nearest(make_book: MakeBook) -> None:
    book = make_book(*GOOD, heads=HEADS.replace("account", "acount"))
    assert "ledger.csv:1: the head line has no 'account', which the field account is mapped to" in book.load().err
    assert "did you mean 'acount'?" in book.load().err


def test_a_date_that_two_patterns_read_differently_is_refused(make_book: MakeBook) -> None:
    dates = 'dates = ["DD/MM/YYYY", "MM/DD/YYYY"]'
    sure = [line.replace("2025-10-03", "31/10/2025") for line in GOOD]
    assert make_book(*sure, intake=dates).load().code == 0
    unsure = [line.replace("2025-10-03", "03/10/2025") for line in GOOD]
    told = make_book(*unsure, intake=dates).load().err
    assert (
        "ledger.csv:2: posted: the date can be read in more than one way: '03/10/2025'; as DD/MM/YYYY or MM/DD/YYYY"
        in told
    )


def test_lines_get_numbers_in_file_order_where_the_book_says_so(make_book: MakeBook) -> None:
    book = make_book(*GOOD, heads=HEADS.replace("line", "ignored"))
    toml = book.root / "almanac.toml"
    toml.write_text(toml.read_text().replace('line = "line"', 'line = "order"'))
    assert book.load().code == 0, book.load().err
    assert amounts(book) == ["5.00", "0.00", "0.00", "5.00"]


def test_an_unbalanced_journal_is_a_warning(make_book: MakeBook) -> None:
    ran = make_book(*GOOD, "2,1,2025-10-04,,1000,7.00,,GJ").load()
    assert ran.code == 0
    assert ran.err == "warning: ledger.csv:4: journal 2 of A does not balance: +7.00; expected 0\n"


@pytest.mark.parametrize(
    ("change", "message"),
    [
        (("chart.csv", "4010,Tickets,income,4000", "4010,Tickets,income,4001"), "chart.csv:10: parent: the chart lacks this account: '4001'; did you mean '4000'?"),
        (("chart.csv", "4010,Tickets,income,4000", "4010,Tickets,expense,4000"), "chart.csv:10: parent: account 4010 is expense under a parent that is income: '4000'"),
        (("chart.csv", "5000,Fuel,direct-cost,", "5000,Fuel,dircost,"), "chart.csv:13: class: unknown class: 'dircost'; expected asset, liability, equity, income, direct-cost or expense; did you mean 'direct-cost'?"),
        (("chart.csv", "4000,Sales,income,", "4000,Sales,income,4010"), "chart.csv:9: parent: the account is its own parent, at once or by others: '4000'"),
        (("almanac.toml", '"3100"', '"3101"'), "entities.A.retained_earnings: the chart lacks this account: '3101'; did you mean '3100'?"),
        (("almanac.toml", '"3100"', '"1000"'), "entities.A.retained_earnings: the account is asset: '1000'; expected an equity account"),
    ],
)  # fmt: skip
def test_a_chart_that_does_not_hold_together(make_book: MakeBook, change: tuple[str, str, str], message: str) -> None:
    book = make_book(*GOOD)
    name, old, new = change
    path: Path = book.root / name
    assert old in path.read_text()
    path.write_text(path.read_text().replace(old, new))
    ran = book.load()
    assert ran.code == 3
    assert f"almanac: {message}" in ran.err.splitlines()


def test_all_that_is_wrong_is_told_at_once_in_the_order_of_the_lines(make_book: MakeBook) -> None:
    wrong = [
        "2,1,2025-10-03,,1001,5.00,,GJ",
        "3,1,never,,1000,5.00,,GJ",
        "4,1,2025-10-03,2026-P77,1000,5.00,,GJ",
        "5,1,2025-10-03,,1000,x,,GJ",
    ]
    told = make_book(*GOOD, *wrong).load().err.splitlines()
    assert [line.split(": ")[2] for line in told] == ["account", "posted", "period", "debit"]


def test_a_ledger_without_a_chart_is_told(make_book: MakeBook) -> None:
    book = make_book(*GOOD)
    toml = book.root / "almanac.toml"
    text = toml.read_text()
    toml.write_text(text[: text.index("[[intake]]")] + text[text.rindex("[[intake]]") :])
    assert (
        book.load().err
        == 'almanac: almanac.toml: no [[intake]] block names the chart of accounts; add one with table = "accounts"\n'
    )


@pytest.mark.parametrize(
    ("content", "code", "message"),
    [
        (b"", 3, "almanac: ledger.csv:1: the file is empty; expected a head line and records"),
        (HEADS.encode(), 0, ""),
    ],
    ids=["empty", "head only"],
)
def test_files_without_records(make_book: MakeBook, content: bytes, code: int, message: str) -> None:
    book = make_book()
    (book.root / "ledger.csv").write_bytes(content)
    ran = book.load()
    assert (ran.code, ran.err.strip()) == (code, message)
