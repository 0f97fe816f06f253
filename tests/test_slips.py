"""Words in conditions that no line has, conditions that only left out lines meet, and the values of a field."""

import csv
from collections import Counter
from decimal import Decimal
from pathlib import Path

import pytest

from conftest import Almanac, copied

CF = "Only carried lines meet `source is CF`, 94 of them"
CL = "Only closing lines meet `source is CL`, 112 of them"


@pytest.mark.parametrize(
    ("words", "note"),
    [
        (("list", "billing", "--only", "office is kelsay"), 'No line of billing has office "kelsay"; nearest: "Kelsay", 3,968 lines'),
        (("billing", "--period", "2026-P08", "--only", "office in Kelsay, Norwik"), 'No line of billing has office "Norwik"; nearest: "Norwick", 3,384 lines'),
        (("list", "ledger", "--only", "not (memo contains dokc)"), 'No line of the ledger has a memo that contains "dokc"'),
        (("aging", "payable", "--except", "party is V9999"), 'No line of payables has party "V9999"; nearest: "V099", 24 lines'),
        (("documents", "payable", "--only", "kind is PAY"), 'No line of payables has kind "PAY": it is the export\'s word for "payment"'),
        (("parties", "payable", "--year", "2025", "--only", "payee is null"), 'No line of payables has payee "null"; what has nothing there is `payee is blank`'),
        (("rank", "sales", "--by", "route", "--only", "vessel.kind is day"), 'No line of sales has vessel.kind "day"; nearest: "day ferry", 11,896 lines'),
        (("growth", "sales", "--only", "route ends soud"), 'No line of sales has a route that ends "soud"; nearest: "Sound", '),
        (("pace", "ledger", "--entity", "LINE", "--by", "account", "--only", "account begins 619"), 'No line of the ledger has an account that begins "619"; nearest: "61'),
        (("statement", "income", "--only", "vessel is brae"), 'No line of the ledger has vessel "brae"; nearest: "Brae", 2,737 lines'),
        (("trial", "--only", "source is OBB"), 'No line of the ledger has source "OBB"; nearest: "OB", 3,017 lines'),
        (("detail", "61210", "--only", "account.class is expenses"), 'No line of the ledger has account.class "expenses"; nearest: "expense", '),
        (("list", "ledger", "--only", "source is CF"), f"{CF}: --carried takes them in"),
        (("list", "ledger", "--only", "source is CL"), f"{CL}: --after-closing takes them in"),
        (("growth", "ledger", "--only", "source is CF"), f"{CF}: they are in no figure here"),
        (("trial", "--year", "2025", "--only", "source is CL"), f"{CL}: --after-closing takes them in"),
        (("statement", "income", "--only", "source is CL"), f"{CL}: they are in no figure here"),
    ],
)  # fmt: skip
def test_a_word_that_no_line_has_is_told(almanac: Almanac, demo: Path, words: tuple[str, ...], note: str) -> None:
    ran = almanac(*words, "--print", "json", book=demo)
    assert ran.json["notes"][0].startswith(note), ran.json["notes"][0]


@pytest.mark.parametrize(
    "words",
    [
        ("list", "billing", "--only", "office in Kelsay, Norwick"),
        ("list", "ledger", "--only", "memo contains DOCK"),
        ("list", "ledger", "--only", "source is CF", "--carried"),
        ("trial", "--year", "2025", "--only", "source in CL, OB", "--after-closing"),
        ("list", "ledger", "--only", "account is blank or period is P13 or amount over 5"),
        ("list", "sales", "--only", "vessel is Brae", "--period", "2026-P01"),
    ],
)
def test_words_that_lines_have_are_not_told(almanac: Almanac, demo: Path, words: tuple[str, ...]) -> None:
    notes = " ".join(almanac(*words, "--print", "json", book=demo).json["notes"])
    assert "No line of" not in notes
    assert "lines meet" not in notes


def test_many_words_are_each_held_against_the_lines(almanac: Almanac, demo: Path) -> None:
    codes = [f"V{number:03d}" for number in range(1, 60)]
    words = ("list", "payables", "--only", f"party in {', '.join([*codes, 'V9001', 'V9002'])}", "--print", "json")
    notes = almanac(*words, book=demo).json["notes"]
    told = [note.split('"')[1] for note in notes if note.startswith("No line of payables has party")]
    with (demo / "exports" / "items" / "suppliers.csv").open(encoding="utf-8") as exported:
        there = {row["Party"] for row in csv.DictReader(exported)}
    assert told == [code for code in [*codes, "V9001", "V9002"] if code not in there]


def test_a_slip_is_a_finding_where_nobody_reads_it(almanac: Almanac, demo: Path, tmp_path: Path) -> None:
    book = copied(demo, tmp_path / "book")
    saved = (
        "page",
        "save",
        "slip",
        "list",
        "billing",
        "--by",
        "office",
        "--only",
        "office is kelsay",
        "--year",
        "2026",
    )
    assert almanac(*saved, book=book).code == 0
    assert almanac("page", "run", "slip", book=book).code == 0
    ran = almanac("page", "run", "slip", "--no-questions", book=book)
    assert (ran.code, 'found: No line of billing has office "kelsay"' in ran.err) == (1, True)
    refused = almanac("edition", "issue", "slipped", "--period", "2026-P08", "--pages", "slip", book=book)
    assert (refused.code, 'slip: found: No line of billing has office "kelsay"' in refused.err) == (1, True)
    issued = almanac(
        "edition", "issue", "slipped", "--period", "2026-P08", "--pages", "slip", "--with-findings", book=book
    )
    assert issued.code == 0, issued.err
    assert "found: No line of billing has office" in almanac("edition", "show", "slipped", book=book).out


def test_a_page_of_checks_with_errors_ends_with_1_and_is_a_finding_of_an_edition(
    almanac: Almanac, demo: Path, tmp_path: Path
) -> None:
    book = copied(demo, tmp_path / "book")
    assert almanac("page", "save", "checks", "check", book=book).code == 0
    assert almanac("page", "run", "checks", book=book).code == 1
    refused = almanac("edition", "issue", "checked", "--period", "2026-P08", "--pages", "checks", book=book)
    assert (refused.code, "checks: found: 10 errors found" in refused.err or "errors found" in refused.err) == (1, True)
    assert almanac("page", "save", "early", "check", "early", book=book).code == 0
    assert almanac("page", "run", "early", book=book).code == 0


def test_words_of_a_layout_that_no_account_has_are_told(almanac: Almanac, demo: Path, tmp_path: Path) -> None:
    book = copied(demo, tmp_path / "book")
    (book / "layouts" / "slips.toml").write_text(
        'title = "Slips"\nmeasure = "movement"\n'
        '[[rows]]\nkey = "spent"\nlabel = "Spent"\naccounts = "account in 61210, 6122O"\nshow = "sum"\n'
    )
    ran = almanac("statement", "slips", "--print", "json", book=book)
    assert ran.code == 0, ran.err
    assert any(
        note.startswith('No account of the chart has account "6122O", as layouts/slips.toml')
        for note in ran.json["notes"]
    )


@pytest.mark.parametrize(
    ("table", "field", "word"), [("billing", "office", ""), ("billing", "desk", "1"), ("billing", "office", "QUE")]
)
def test_every_value_of_a_field_with_its_lines(almanac: Almanac, demo: Path, table: str, field: str, word: str) -> None:
    words = ("fields", table, *([word] if word else []), "--values", field, "--print", "json")
    rows = almanac(*words, book=demo).json["rows"]
    counts: Counter[str] = Counter()
    for path in sorted((demo / "exports" / "billing").glob("*.csv")):
        with path.open(encoding="utf-8") as exported:
            counts.update(row[{"office": "Site", "desk": "Desk"}[field]] for row in csv.DictReader(exported))
    expected = {value: count for value, count in counts.items() if word.casefold() in value.casefold()}
    assert {row["label"]: row["cells"]["lines"] for row in rows[:-1]} == expected
    assert rows[-1]["cells"]["lines"] == sum(expected.values())


def test_values_of_a_code_have_their_name(almanac: Almanac, demo: Path) -> None:
    rows = almanac("fields", "ledger", "4011", "--values", "account", "--print", "json", book=demo).json["rows"]
    assert [(row["label"], row["cells"]["name"]) for row in rows[:-1]] == [
        ("40111", "Foot passengers, Sound"), ("40112", "Cars and vans, Sound"),
    ]  # fmt: skip
    assert sum(Decimal(row["cells"]["amount"]) for row in rows[:-1]) == Decimal(rows[-1]["cells"]["amount"])
