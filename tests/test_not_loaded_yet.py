"""Exports that are not loaded as they are now: told under reports, and looked at before a load."""

import os
import sqlite3
from decimal import Decimal

import pytest

from conftest import MakeBook, SmallBook

LINES = ("J1,1,2025-10-01,,1000,5,,X", "J1,2,2025-10-01,,4010,,5,X")
HEADS = "journal,line,posted,period,account,debit,credit,source\n"


@pytest.fixture
def book(make_book: MakeBook) -> SmallBook:
    made = make_book(*LINES, heads=HEADS)
    made.ledger(HEADS + "J2,1,2025-10-02,,1000,7,,X\nJ2,2,2025-10-02,,4010,,7,X\n", "ledger-2.csv")
    loaded = made.load()
    assert loaded.code == 0, loaded.err
    return made


def pending(book: SmallBook, *words: str) -> list[str]:
    notes = book.run(*(words or ("trial",)), "--print", "json").json["notes"]
    return [note for note in notes if note.startswith("Not loaded yet")]


def test_new_changed_and_gone_exports_are_told_by_size_and_time(book: SmallBook) -> None:
    assert pending(book) == []
    book.ledger(HEADS + "J3,1,2025-11-02,,1000,1,,X\nJ3,2,2025-11-02,,4010,,1,X\n", "ledger-3.csv")
    first = book.root / "ledger.csv"
    first.write_text(first.read_text().replace(",5,", ",6,"))
    os.utime(first, ns=(1, first.stat().st_mtime_ns + 1))
    told = "Not loaded yet: 1 new, 1 changed (ledger-3.csv, ledger.csv); `almanac load --look` tells what a load would change"
    assert pending(book) == pending(book, "statement", "income") == pending(book, "list", "ledger") == [told]
    (book.root / "ledger-2.csv").unlink()
    assert pending(book)[0].startswith(
        "Not loaded yet: 1 new, 1 changed, 1 gone (ledger-3.csv, ledger.csv, ledger-2.csv)"
    )


def test_a_file_that_only_was_touched_is_told_until_the_next_load(book: SmallBook) -> None:
    before = (book.root / ".almanac" / "current").read_text()
    os.utime(book.root / "ledger.csv", ns=(5, 5))
    assert pending(book)[0].startswith("Not loaded yet: 1 changed (ledger.csv)")
    looked = book.run("load", "--look", "--print", "json").json
    assert [row["key"] for row in looked["rows"]] == ["total"], "its bytes are the same"
    assert book.load().code == 0
    assert pending(book) == []
    assert (book.root / ".almanac" / "current").read_text() != before
    settled = (book.root / ".almanac" / "current").read_text()
    assert book.load().code == 0
    assert (book.root / ".almanac" / "current").read_text() == settled, "nothing is written where nothing changed"


def test_a_look_tells_what_a_load_would_change_and_changes_nothing(book: SmallBook) -> None:
    book.ledger(HEADS + "J3,1,2025-11-02,,1000,1,,X\nJ3,2,2025-11-02,,4010,,1,X\n", "ledger-3.csv")
    book.ledger(HEADS + "J1,1,2025-10-01,,1000,9,,X\nJ1,2,2025-10-01,,4010,,9,X\n" * 1)
    (book.root / "ledger-2.csv").unlink()
    trial = book.run("trial", "--print", "json").json["rows"]
    stored = {
        path: path.read_bytes()
        for path in (book.root / ".almanac").rglob("*")
        if path.is_file() and path.name != "lock"
    }
    looked = book.run("load", "--look", "--print", "json")
    assert looked.code == 0, looked.err
    rows = {row["label"]: row["cells"] for row in looked.json["rows"]}
    assert rows["ledger-3.csv"] | {"table": "ledger"} == {
        "table": "ledger", "outcome": "new", "now": 0, "then": 2, "debit": "1.00", "credit": "1.00",
    }  # fmt: skip
    assert (rows["ledger.csv"]["outcome"], rows["ledger.csv"]["debit"]) == ("changed", "4.00")
    assert (rows["ledger-2.csv"]["outcome"], rows["ledger-2.csv"]["credit"]) == ("gone", "-7.00")
    assert (rows["Total of these"]["now"], rows["Total of these"]["then"]) == (4, 4)
    after = {
        path: path.read_bytes()
        for path in (book.root / ".almanac").rglob("*")
        if path.is_file() and path.name != "lock"
    }
    assert after == stored
    assert book.run("trial", "--print", "json").json["rows"] == trial
    assert book.load("--drop-missing").code == 0
    moved = {row["key"]: row["cells"] for row in book.run("trial", "--print", "json").json["rows"]}
    assert Decimal(moved["1000"]["debit"]) == 10


def test_what_a_load_would_be_refused_for_is_told_by_a_look(book: SmallBook) -> None:
    book.ledger(HEADS + "J3,1,never,,1000,1,,X\n", "ledger-3.csv")
    ran = book.run("load", "--look")
    assert (ran.code, "ledger-3.csv:2: posted" in ran.err) == (3, True), ran.err
    beside = book.run("load", "--look", "--drop-missing")
    assert (beside.code, "it changes nothing" in beside.err) == (2, True)


def test_lines_set_aside_end_a_load_with_1(book: SmallBook) -> None:
    book.ledger(HEADS + "J3,1,never,,1000,1,,X\n", "ledger-3.csv")
    assert book.load("--set-aside").code == 1
    issued = ("edition", "issue", "first", "--period", "2026-P01", "--pages", "common/trial")
    assert book.run(*issued).code == 0
    assert "1 line SET ASIDE as wrong" in book.run("edition", "show", "first").out
    assert "1 line SET ASIDE as wrong" in (book.root / "editions" / "first" / "index.html").read_text(encoding="utf-8")
    (book.root / "ledger-3.csv").write_text(HEADS)
    assert book.load().code == 0


def test_a_database_says_when_it_was_asked(make_book: MakeBook) -> None:
    book = make_book(*LINES, heads=HEADS)
    till = sqlite3.connect(book.root / "till.db")
    till.execute("create table sold (entity text, number text, line text, day text, amount text)")
    till.execute("insert into sold values ('MAIN', 'Z1', '1', '2025-10-01', '5.00')")
    till.commit()
    till.close()
    path = book.root / "almanac.toml"
    path.write_text(
        path.read_text()
        + '\n[[intake]]\ntable = "sales"\nformat = "sql"\nname = "till"\nurl = "sqlite:till.db"\n'
        + 'query = "select number, line, day, amount from sold"\ndates = ["YYYY-MM-DD"]\n'
        + 'set = { entity = "MAIN", item = "FARE" }\nfields = { number = "number", line = "line", date = "day", amount = "amount" }\n'
    )
    entity = next(
        line.split(".")[1].strip("]") for line in path.read_text().splitlines() if line.startswith("[entities.")
    )
    path.write_text(path.read_text().replace('entity = "MAIN"', f'entity = "{entity}"'))
    loaded = book.load()
    assert loaded.code == 0, loaded.err
    head = book.run("list", "sales").out.splitlines()[:5]
    assert any(", its database asked " in line for line in head), head
    assert ", its database asked " not in book.run("trial").out
