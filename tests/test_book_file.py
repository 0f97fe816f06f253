"""`almanac.toml` is checked as a whole: each mistake in one line, with its key's path and what is allowed there."""

from pathlib import Path

import pytest

from conftest import Almanac, MakeBook

GOOD = ["1,1,2025-10-03,,1000,5.00,,GJ", "1,2,2025-10-03,,4010,,5.00,GJ"]
CLASSES = "asset, liability, equity, income, direct-cost or expense"
CASES = [
    ('name = "A small book"', 'nam = "A small book"', ["book.name: this key is missing", "book.nam: unknown key; expected name or time_zone; did you mean 'name'?"]),
    ('currency = "EUR"', 'currency = "Euro"', ["entities.A.currency: not a currency: 'Euro'; expected a code of three capitals, such as 'EUR'"]),
    ('currency = "EUR"', "currency = 5", ["entities.A.currency: not allowed here: 5; expected a text in quotes"]),
    ('year_start = "10-01"', 'year_start = "10-31"', ["calendar.year_start: not a day a year can start on: '10-31'; expected month and day as 'MM-DD', the day from 01 to 28"]),
    ('year_start = "10-01"', 'year_start = "1-1"', ["calendar.year_start: not a day a year can start on: '1-1'; expected month and day as 'MM-DD', the day from 01 to 28"]),
    ('year_start = "10-01"', "year_start = 2025-10-01", ["calendar.year_start: not allowed here: 2025-10-01; expected a text in quotes"]),
    ("extra_periods = 1", "extra_periods = 9", ["calendar.extra_periods: out of range: 9; expected 0 to 4"]),
    ("extra_periods = 1", 'extra_periods = "1"', ["calendar.extra_periods: not allowed here: '1'; expected a whole number"]),
    ("extra_periods = 1", 'year_named_by = "middle"', ["calendar.year_named_by: not allowed here: 'middle'; expected 'start' or 'end'"]),
    ("[book]", '[book]\ntime_zone = "Europe/Dublinn"', ["book.time_zone: not a time zone: 'Europe/Dublinn'; expected a name of the tz list; did you mean 'Europe/Dublin'?"]),
    ('table = "accounts"', 'table = "account"', ["intake[1].table: unknown table: 'account'; expected ledger, accounts, budget, payables, receivables, parties, billing or sales; did you mean 'accounts'?"]),
    ('account = "account", name', 'acount = "account", name', [
        "intake[1].fields.acount: the table accounts has no such field; expected account, name, class, parent or control; did you mean 'account'?",
        "intake[1].fields.account: this field is needed and not mapped",
    ]),
    ('files = "chart.csv"', "files = 5", ["intake[1].files: not allowed here: 5; expected a file name or a list of them"]),
    ('files = "chart.csv"', 'files = "../chart.csv"', ["intake[1].files: the path leads out of the book: '../chart.csv'; expected a path within the book's folder"]),
    ('files = "chart.csv"', 'files = "chart.csv"\ndates = "DD.QQ"', ["intake[1].dates: not a date pattern: 'DD.QQ'; expected DD, MM and YYYY, as in 'DD.MM.YYYY'"]),
    ('files = "chart.csv"', 'files = "chart.csv"\nperiod = "YYYY"', ["intake[1].period: not a period pattern: 'YYYY'; expected PP or PPP, mostly with YYYY, as in 'YYYY-PP'"]),
    ('files = "chart.csv"', 'files = "chart.csv"\ndelimiter = "||"', ["intake[1].delimiter: not a delimiter: '||'; expected one character"]),
    ('files = "chart.csv"', 'files = "chart.csv"\nthousands = "."', ["intake[1].thousands: the same as the decimal sign: '.'; expected another sign"]),
    ('credit = "credit"', 'amount = "credit"', ["intake[2].fields: no clear amount: amount and debit; expected debit and credit, or one signed amount"]),
    ('table = "ledger"', 'table = "ledger"\nrepeated = true', ["intake[2].repeated: a ledger or a plan has each line once; expected another table"]),
    ('files = "chart.csv"', 'files = "chart.csv"\nturned_kinds = ["payment"]', ["intake[1].turned_kinds: the table accounts has no kinds"]),
    ('files = "chart.csv"', 'files = "chart.csv"\nyear = "folder"', ["intake[1].year: not a year: 'folder'; expected a year such as 2026, or 'file name' or 'sheet name'"]),
    ('files = "chart.csv"', 'files = "chart.csv"\nacross = { total = "x" }', ["intake[1].across.heads: this key is missing"]),
    ('files = "chart.csv"', 'files = "chart.csv"\nsides = { credits = ["H"] }', ["intake[1].sides.credits: unknown key; expected head, debit or credit; did you mean 'credit'?"]),
    ('files = "chart.csv"', 'files = "chart.csv"\ndates = "DD.MM"', ["intake[1].dates: the pattern tells no year: 'DD.MM'; expected year = 2026, or 'file name' or 'sheet name'"]),
    ('set = { entity = "A" }', 'set = { entity = "B" }', ["intake[2].set.entity: unknown entity: 'B'; expected A"]),
    ('set = { entity = "A" }', 'set = { entity = "A", source = "X" }', ["intake[2].set.source: both mapped and set; expected one of the two"]),
    ("[entry_classes]", "[tables.ledger.fields]\nMemo = \"text\"\nfile = \"text\"\n[entry_classes]", [
        "tables.ledger.fields.Memo: not a field name; expected small letters, digits and _, a letter first",
        "tables.ledger.fields.file: this name is taken",
    ]),
    ('"source is CF"', '"sorce is CF"', ["did you mean 'source'?", "  sorce is CF", "  ^^^^^"]),
    ("extra_periods = 1", 'extra_periods = 1\nclosed_through = "2026-P15"', ["calendar.closed_through: the calendar has no such id: '2026-P15'; expected 2026, 2026-Q2 or 2026-P09, P01 through P13"]),
    ("[book]", "[book", ["almanac.toml: not TOML: Expected ']' at the end of a table declaration (at line 1, column 6)"]),
]  # fmt: skip


@pytest.mark.parametrize(("old", "new", "messages"), CASES, ids=[case[1].replace("\n", " ") for case in CASES])
def test_mistakes_in_the_book_file(make_book: MakeBook, old: str, new: str, messages: list[str]) -> None:
    book = make_book(*GOOD)
    toml = book.root / "almanac.toml"
    assert old in toml.read_text()
    toml.write_text(toml.read_text().replace(old, new, 1))
    ran = book.load()
    assert ran.code == 3
    told = [line.removeprefix("almanac: ") for line in ran.err.splitlines()]
    assert len(told) == len(messages)
    assert all(line == message or line.endswith(message) for line, message in zip(told, messages, strict=True)), told
    assert not (book.root / ".almanac" / "current").exists()


def test_a_folder_without_a_book(almanac: Almanac, tmp_path: Path) -> None:
    ran = almanac("trial", cwd=tmp_path)
    assert ran.code == 3
    assert ran.err.startswith(
        f"almanac: {tmp_path}: no almanac.toml here or in any folder above; name the book's folder"
    )


def test_the_book_is_found_from_a_folder_within(almanac: Almanac, demo: Path) -> None:
    within, above = (almanac("trial", "--print", "json", cwd=folder) for folder in (demo / "exports" / "line", demo))
    assert within.json == above.json
    assert within.json["facts"]["entity"] == "LINE, YARD"


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (["trail"], "Error: No such command 'trail'. Did you mean 'trial'?"),
        (["trial", "--as-of", "17.06.2026"], "almanac: --as-of: not a day: '17.06.2026'; expected a day from 1900 to 2199 such as 2026-06-17, or words such as `end of last period`"),
        (["trial", "--as-of", "9999-12-31"], "almanac: --as-of: not a day: '9999-12-31'; expected a day from 1900 to 2199 such as 2026-06-17, or words such as `end of last period`"),
        (["trial", "--entity", "LINES"], "almanac: --entity: unknown entity: 'LINES'; expected LINE or YARD; did you mean 'LINE'?"),
        (["trial", "--from", "2026-01-01", "--through", "2026-01-31", "--year", "2026"], "almanac: --from: more than one way to say when: beside 2026; expected one of them; --as-of says which day words such as `end of last period` go by"),
        (["detail", "40111", "--from", "2026-01-01", "--through", "2026-01-31", "--year", "2026"], "almanac: --from: more than one way to say when: beside 2026; expected one of them; --as-of says which day words such as `end of last period` go by"),
        (["list", "sales", "--from", "2026-01-01", "--through", "2026-01-31", "--year", "2026"], "almanac: --from: more than one way to say when: beside 2026; expected one of them; --as-of says which day words such as `end of last period` go by"),
        (["growth", "sales", "--from", "2026-01-01", "--through", "2026-01-31", "--year", "2026"], "almanac: --from: more than one way to say when: beside 2026; expected one of them; --as-of says which day words such as `end of last period` go by"),
        (["rank", "sales", "--by", "route", "--from", "2026-01-01", "--through", "2026-01-31", "--year", "2026"], "almanac: --from: more than one way to say when: beside 2026; expected one of them; --as-of says which day words such as `end of last period` go by"),
        (["billing", "--from", "2026-01-01", "--through", "2026-01-31", "--year", "2026"], "almanac: --from: more than one way to say when: beside 2026; expected one of them; --as-of says which day words such as `end of last period` go by"),
        (["parties", "payable", "--from", "2026-01-01", "--through", "2026-01-31", "--year", "2026"], "almanac: --from: more than one way to say when: beside 2026; expected one of them; --as-of says which day words such as `end of last period` go by"),
        (["documents", "payable", "--from", "2026-01-01", "--through", "2026-01-31", "--year", "2026"], "almanac: --from: more than one way to say when: beside 2026; expected one of them; --as-of says which day words such as `end of last period` go by"),
        (["trial", "--through", "2026-01-01"], "almanac: only one end of the range is given; give --from too"),
        (["trial", "--from", "2026-02-01", "--through", "2026-01-01"], "almanac: --from: the range ends before it starts: 1 Feb 2026 through 1 Jan 2026"),
        (["trial", "--from", "2025-09-01", "--through", "2025-10-31"], "almanac: --from: the range reaches over a year's end, where income and expense start anew: 2025-09-01 through 2025-10-31; ask for each year by itself: --from 2025-09-01 --through 2025-09-30, --from 2025-10-01 --through 2025-10-31"),
        (["trial", "--period", "2026-P01", "--year", "2026"], "almanac: more than one way to say when: --period and --year; expected one of them"),
        (["calendar", "--year", "2026-P01"], "almanac: --year: not a year: '2026-P01'; expected an id such as 2026"),
    ],
)  # fmt: skip
def test_mistakes_on_the_command_line(almanac: Almanac, demo: Path, words: list[str], message: str) -> None:
    ran = almanac(*words, book=demo)
    assert (ran.code, ran.out) == (2, "")
    assert ran.err.splitlines()[-1] == message
