"""Nothing is lost or changed on the way in: whatever stands in a file becomes a line, or is told of."""

import json
import random
import zipfile
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest.mock import patch

import duckdb
import openpyxl
import pytest

from conftest import HEADS, LONG, MakeBook, SmallBook, run_almanac, run_installed
from level_almanac.errors import BookMistake
from level_almanac.intake.formats import csv_text
from level_almanac.intake.formats.csv_text import CsvText
from level_almanac.intake.formats.fast_csv import copied_fast
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from level_almanac.store.exports import COUNTED_ROWS, NUMBERED_ROWS, copy_numbered_csv
from level_almanac.store.lines import ExportLines

LINES = [
    "J1,1,2025-10-01,2026-P01,1000,1234.56,,BK",
    "J1,2,2025-10-01,2026-P01,4010,,1234.56,BK",
]
COLUMNS = HEADS.strip().split(",")
RECORD = dict(zip(COLUMNS, LINES[0].split(","), strict=True))


# CSV: the fast reader and the exact one.

PIECES = [
    "a", "1.00", "-2", "", " ", "  x", "y ", '"q"', ' "q"', '"q" ', '"a""b"', '"a,b"', '"a\nb"', 'q"r', '"', '""', "é",
    "−", "\ufeff", "\t", "'", ";", "\x0b", "\x1c", "\u2028", "\x85", "\\", '\\"', '"\\"', "NULL", "#", "# x", "x" * 300,
    "\u00a0x", "x\u3000", "x\u2009", "\x00", '"a\rb"', "\r", "\x1a", "(", '"x"y', '"x""', '"""x"', '"", ""',
]  # fmt: skip


def made_up(chance: random.Random) -> bytes:
    """Return a CSV with whatever can stand in one, and often more or fewer fields than heads."""
    heads = chance.randint(1, 6)
    usual = ["a", "12", "", "2025-01-01", *(['"x\ny"', '"\r\n"', '"q""\n,"'] if chance.random() < 0.3 else [])]
    lines = [",".join(chance.choice(["h", '"h"', " h", "h ", 'h "']) for _ in range(heads))]
    for _ in range(chance.randint(0, 8)):
        odd = chance.random() < 0.3
        count = heads if chance.random() < 0.85 else max(0, heads + chance.choice([-1, 1, 1, 2, 3]))
        fields = [
            chance.choice(PIECES) if odd and chance.random() < 0.5 else chance.choice(usual) for _ in range(count)
        ]
        if count > heads and chance.random() < 0.6:
            fields[heads:] = [""] * (count - heads)
        lines.append(",".join(fields))
    raw = (chance.choice(["", "", "\ufeff"]) + chance.choice(["\n", "\n", "\r\n"]).join([*lines, ""])).encode()
    for _ in range(chance.choice([0, 0, 0, 1])):
        at = chance.randrange(len(raw))
        raw = raw[:at] + bytes([chance.choice(b'",\n\r \xff\x80a')]) + raw[at + chance.choice([0, 1]) :]
    return raw if chance.random() < 0.9 else raw.rstrip(b"\r\n")


def test_the_fast_reader_takes_only_what_the_exact_one_reads_alike(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    engine = DuckDBEngine([tmp_path])
    path, fast, exact, numbered = (tmp_path / name for name in ("x.csv", "fast.parquet", "exact.parquet", "n.csv"))
    taken = folded = 0
    for seed in range(20_000 if LONG else 250):
        path.write_bytes(made_up(random.Random(seed)))
        text = CsvText(path, "x.csv", "utf-8", ",")
        # Where one piece ends and the next begins means nothing.
        monkeypatch.setattr(csv_text, "_FOLDED_AT_ONCE", 1 << 20 if seed % 2 else 1 + seed % 11)
        monkeypatch.setattr(csv_text, "_CHUNK", 1 << 20 if seed % 3 else 3 + seed % 11)
        try:
            heads, read = text.first(), copied_fast(engine, text, tmp_path, fast)
        except BookMistake:
            continue
        if read is None:
            continue
        taken += 1
        folded += read.rows != COUNTED_ROWS
        told = text.write_numbered(numbered, 9)
        copy_numbered_csv(engine, numbered, len(heads), exact)
        names = ", ".join(f"c{number}" for number in range(len(heads)))
        rows = [
            engine.rows(f"select file_line, {names} from {clause}", {"raw": str(place)})
            for clause, place in ((read.rows, fast), (NUMBERED_ROWS, exact))
        ]
        assert (told.total, told.records, rows[0]) == (0, read.records, rows[1]), (seed, path.read_bytes())
    engine.close()
    assert taken > (1000 if LONG else 40), "the fast reader still takes what is plain"
    assert folded > (400 if LONG else 5), "and what has line ends within quotes"


@pytest.mark.parametrize("quoted", [False, True])
def test_a_record_with_too_many_fields_is_an_error_though_the_last_are_empty(make_book: MakeBook, quoted: bool) -> None:
    amount = '"1234.56"' if quoted else "1234.56"
    book = make_book(*LINES).ledger(HEADS + f"J1,1,2025-10-01,2026-P01,1000,1,{amount},BK,\n" + LINES[1] + "\n")
    ran = book.load()
    assert (ran.code, ran.err.splitlines()[0]) == (
        3, "almanac: ledger.csv:2: the record has 9 fields; expected 8, as in the head line, between ','; uneven_rows = true takes the rest for blank",
    )  # fmt: skip


def test_a_field_as_long_as_a_book_is_read_and_a_longer_one_is_told_of(make_book: MakeBook) -> None:
    book = make_book(*LINES, f"J1,3,2025-10-01,2026-P01,1000,1,,{'x' * 150_000}")
    assert book.load().code == 0
    listed = book.run("list", "ledger", "--only", "line is 3", "--show", "source", "--print", "json").json
    assert len(listed["rows"][0]["cells"]["source"]) == 150_000
    book.ledger(HEADS + f'J1,3,2025-10-01,2026-P01,1000,1,,"{"x" * 2_100_000}"\n')
    ran = book.load()
    assert ran.code == 3
    assert "ledger.csv:2: not CSV: field larger than field limit" in ran.err


# Days.


@pytest.mark.parametrize("word", ["infinity", "-infinity", "epoch", "Infinity"])
@pytest.mark.parametrize("table", ["ledger", "payables"])
def test_a_word_that_is_a_day_to_the_engine_alone_is_none(make_book: MakeBook, word: str, table: str) -> None:
    book = make_book(*LINES)
    if table == "ledger":
        book.ledger(HEADS + LINES[0].replace("2025-10-01", word) + "\n" + LINES[1] + "\n")
    else:
        (book.root / "almanac.toml").write_text(
            (book.root / "almanac.toml").read_text() + '\n[[intake]]\ntable = "payables"\nfiles = "ap.csv"\n'
        )
        heads = "entity,party,kind,number,line,date,due,posted,amount"
        (book.root / "ap.csv").write_text(f"{heads}\nA,V1,invoice,N1,1,2025-10-01,{word},2025-10-01,5.00\n")
    ran = book.load()
    assert ran.code == 3
    assert f"{'posted' if table == 'ledger' else 'due'}: not a date: '{word}'" in ran.err


def test_an_offset_that_no_clock_has_is_no_part_of_a_day(make_book: MakeBook) -> None:
    book = make_book(intake='dates = "YYYY-MM-DDThh:mm:ssZ"')
    for offset, code in (("+99:00", 3), ("+02:00", 0), ("-15:00", 3), ("Z", 0)):
        book.ledger(
            HEADS + "".join(f"{line}\n" for line in LINES).replace("2025-10-01", f"2025-10-01T12:00:00{offset}")
        )
        assert book.load().code == code, offset


def test_an_endless_day_of_a_typed_file_is_told_of(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    parquet(book, "'infinity'::date as posted")
    assert "ledger.parquet:1: posted: not a date" in book.load("--drop-missing").err


# Typed files.


def parquet(book: SmallBook, *instead: str) -> None:
    """Have the ledger come from a Parquet file with some columns of other types."""
    told = {each.rpartition(" as ")[2]: each for each in instead}
    columns = ", ".join(told.get(head, f"'{RECORD[head]}' as {head}") for head in COLUMNS)
    duckdb.sql(f"copy (select {columns}) to '{book.root}/ledger.parquet' (format parquet)")
    source(book, 'files = "ledger.parquet"\nformat = "parquet"')


def source(book: SmallBook, words: str) -> None:
    path = book.root / "almanac.toml"
    path.write_text(path.read_text().replace('files = "ledger*.csv"', words))
    (book.root / "ledger.csv").unlink(missing_ok=True)


@pytest.mark.parametrize(
    ("column", "message"),
    [
        ("'\\xAA'::blob as source", "ledger.parquet: source: a column of BLOB: mapped to source; expected texts, numbers or days"),
        ("[1, 2] as source", "ledger.parquet: source: a column of INTEGER[]: mapped to source"),
        ("{'a': 1} as source", "ledger.parquet: source: a column of STRUCT(a INTEGER): mapped to source"),
        ("1234.56::float as debit", "ledger.parquet:1: debit: more decimals than the entity's currency has: '1234.56005859375'"),
        ("'nan'::double as debit", "ledger.parquet:1: debit: not a number: 'nan'"),
    ],
)  # fmt: skip
def test_a_type_that_no_text_says_is_told_of(make_book: MakeBook, column: str, message: str) -> None:
    book = make_book(*LINES)
    parquet(book, column)
    assert message in book.load("--drop-missing").err


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ('"debit": "1"', "not JSON: the key 'debit' stands twice"),
        ('"memo": -Infinity', "not JSON: -Infinity is no number"),
        ('"memo": 1e999999999', "not JSON: a number of more than 60 digits: 1e999999999"),
        ('"memo": "\\ud800"', "memo: no text: half of a letter: '\\ud800'"),
        ('"memo": ' + "[" * 60 + "]" * 60, "not JSON: values within values, more than 50 deep"),
        ('"memo": ' + "[" * 50000 + "]" * 50000, "not JSON: values within values, more than 50 deep"),
    ],
)
def test_json_that_says_two_things_or_none_is_told_of(make_book: MakeBook, change: str, message: str) -> None:
    book = make_book(*LINES)
    (book.root / "ledger.jsonl").write_text(f"{json.dumps(RECORD)[:-1]}, {change}}}\n")
    source(book, 'files = "ledger.jsonl"\nformat = "jsonl"')
    ran = book.load("--drop-missing")
    assert (ran.code, ran.err.startswith("almanac: ledger.jsonl:1: ")) == (3, True), ran.err
    assert message in ran.err


# Workbooks.


def sheet(
    book: SmallBook, rows: list[list[Any]], edit: Callable[[str], str] = str, form: str = "", merge: str = ""
) -> None:
    """Have the ledger come from a workbook, whose sheet is edited as the text that it is in its file."""
    made = openpyxl.Workbook()
    for row in rows:
        made.active.append(row)
    if form:
        made.active["C2"].number_format = form
    if merge:
        made.active.merge_cells(merge)
    made.save(book.root / "made.xlsx")
    with zipfile.ZipFile(book.root / "made.xlsx") as old, zipfile.ZipFile(book.root / "ledger.xlsx", "w") as new:
        for name in old.namelist():
            raw = old.read(name)
            new.writestr(name, edit(raw.decode()) if name == "xl/worksheets/sheet1.xml" else raw)
    source(book, 'files = "ledger.xlsx"\nformat = "xlsx"')


ROWS = [COLUMNS, *([f"J{number}", "1", "2025-10-01", "2026-P01", "1000", "1.00", "", "BK"] for number in range(1, 21))]


def test_rows_and_columns_past_what_a_sheet_says_of_itself_are_read(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    sheet(book, ROWS, lambda text: text.replace('<dimension ref="A1:H21" />', '<dimension ref="A1:F11" />'))
    assert book.load("--drop-missing").code == 0
    assert book.run("trial", "--print", "json").json["proof"]["considered"] == {"lines": 20, "amount": "20.00"}


@pytest.mark.parametrize(
    ("edit", "message"),
    [
        (lambda text: text.replace('<row r="5"', '<row r="4"'), "ledger.xlsx:4: this row stands twice, or out of its order"),
        (lambda text: text.replace('<row r="5"', '<row r="1"'), "ledger.xlsx:1: this row stands twice, or out of its order"),
        (lambda text: text.replace('r="B5"', 'r="A5"'), "ledger.xlsx:5: the cell A5 stands twice in the file"),
        (lambda text: text.replace('r="H5"', 'r="XFD5"'), "ledger.xlsx:5: a cell beyond the last head, 'source': XFD"),
        (lambda text: text.replace('<row r="21"', '<row r="x"'), "ledger.xlsx: not an XLSX workbook that can be read"),
    ],
)  # fmt: skip
def test_a_sheet_that_says_two_things_is_told_of(make_book: MakeBook, edit: Callable[[str], str], message: str) -> None:
    book = make_book(*LINES)
    sheet(book, ROWS, edit)
    ran = book.load("--drop-missing")
    assert (ran.code, message in ran.err) == (3, True), ran.err


def test_a_stray_cell_at_the_far_end_of_a_sheet_takes_no_time(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    far = '<row r="1048576"><c r="A1048576" t="inlineStr"><is><t> </t></is></c></row></sheetData>'
    sheet(book, ROWS, lambda text: text.replace("</sheetData>", far))
    assert book.load("--drop-missing").code == 0


@pytest.mark.parametrize(
    ("row", "form", "merge", "message"),
    [
        ([99999999999999.99], "", "", "debit: the number has more figures than a spreadsheet keeps: 99999999999999.98; expected 15 figures"),
        ([1.0], "", "F2:F4", "debit: these cells are merged into one: F2:F4; take the merging away"),
        ([1.0], "", "F2:G2", "debit: these cells are merged into one: F2:G2"),
        ([1.0, 45931.25], "mm:ss", "", "posted: not a date: '06:00:00'"),
        ([1.0, timedelta(days=45931, hours=6)], "[h]:mm", "", "posted: not a date"),
    ],
)  # fmt: skip
def test_what_a_cell_does_not_plainly_hold_is_told_of(
    make_book: MakeBook, row: list[Any], form: str, merge: str, message: str
) -> None:
    book = make_book(*LINES)
    amount, day = [*row, "2025-10-01"][:2]
    sheet(book, [COLUMNS, ["J1", "1", day, "2026-P01", "1000", amount, None, "BK"], *ROWS[2:]], form=form, merge=merge)
    ran = book.load("--drop-missing")
    assert (ran.code, f"ledger.xlsx:2: {message}" in ran.err) == (3, True), ran.err


def test_binary_noise_past_the_fifteenth_figure_is_no_more_than_that(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    sheet(book, [COLUMNS, ["J1", "1", "2025-10-01", "2026-P01", "1000", 0.1 + 0.2, None, "BK"]])
    assert book.load("--drop-missing").code == 0
    assert book.run("trial", "--print", "json").json["proof"]["considered"]["amount"] == "0.30"


# Names of files and folders.


def test_signs_of_patterns_in_names_are_letters_and_folders_are_no_fields(
    make_book: MakeBook, tmp_path_factory: pytest.TempPathFactory
) -> None:
    made = make_book(*LINES)
    root = tmp_path_factory.mktemp("odd") / "we[1]*d?" / "account=4010" / "amount=7"
    root.parent.mkdir(parents=True)
    made.root.rename(root)
    book = SmallBook(root)
    (root / "ledger.csv").rename(root / "gl[1].csv")
    book.ledger(HEADS + "J9,1,2025-10-01,2026-P01,1000,7.00,,BK\nJ9,2,2025-10-01,2026-P01,4010,,7.00,BK\n", "gl1.csv")
    text = (root / "almanac.toml").read_text()
    (root / "almanac.toml").write_text(text.replace('files = "ledger*.csv"', 'files = ["gl[1].csv", "gl1.csv"]'))
    assert book.load().code == 0
    rows = {row["key"]: row["cells"] for row in book.run("trial", "--print", "json").json["rows"]}
    assert (rows["1000"]["debit"], rows["4010"]["credit"]) == ("1241.56", "1241.56")
    assert book.run("check", "unbalanced").code == 0
    assert book.run("trial", "-o", root / "t[1].parquet").code == 0
    assert book.run("edition", "issue", "x", "--period", "2026-P01", "--pages", "common/trial").code == 0


# The net under all of it.


def test_each_record_has_one_fate_whatever_is_wrong_with_it(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    lines = [
        *LINES,
        "J2,1,2025-10-02,2026-P01,1000,5",
        "J2,2,2025-10-02,2026-P01,1000,5.00,,B\u00e4",
        "J2,3,never,,1000,1,,BK",
    ]
    (book.root / "ledger.csv").write_bytes(HEADS.encode() + "".join(f"{line}\n" for line in lines).encode("latin-1"))
    ran = book.load("--set-aside", "--print", "json")
    cells = next(row["cells"] for row in ran.json["rows"] if row["key"] == "ledger.csv")
    assert (cells["lines"], cells["set_aside"]) == (2, 3), "five records: two taken, three set aside"
    kept = (book.root / "set-aside/ledger/ledger.csv.csv").read_text().splitlines()
    assert len(kept) == 4, kept


def test_a_load_that_loses_a_line_on_the_way_is_refused(make_book: MakeBook) -> None:
    book = make_book(*LINES)
    write = ExportLines._copy

    def losing(lines: ExportLines, query: str, target: Path) -> None:
        write(lines, f"select * from ({query}) limit 1" if lines.table.name == "ledger" else query, target)

    with patch.object(ExportLines, "_copy", losing):
        ran = run_almanac("load", book=book.root)
    assert ran.code == 3
    assert (
        "ledger.csv: 2 records were met, and became 1 taken, 0 said again, 0 set aside, 0 not of this block" in ran.err
    )
    assert not (book.root / ".almanac" / "current").exists()


def test_an_export_of_which_nothing_was_taken_is_told_of(make_book: MakeBook) -> None:
    book = make_book("J1,1,2025-10-01,2026-P01,1000,5.00,,a", "J1,2,2025-10-01,2026-P01,4010,,5.00,b")
    book.ledger((book.root / "ledger.csv").read_text().replace("5.00", "five").replace("J1", "J2"), "ledger-2.csv")
    ran = book.load("--set-aside")
    assert (ran.code, ran.err) == (
        1, "warning: 2 lines are left out of ledger-2.csv as wrong, and none of it was taken; "
        "see set-aside/ledger/ledger-2.csv.csv\n",
    )  # fmt: skip


@pytest.mark.parametrize(
    ("memory", "code", "said"),
    [
        ("lots", 2, "almanac: ALMANAC_MEMORY: not an amount of memory: 'lots'; expected such as 500MB or 4GB"),
        ("3MB", 3, "almanac: there is not memory enough, with 3MB: "),
        # It ends with 1 with any memory: a planted document is not in the ledger.
        ("40MB", 1, ""),
    ],
)
def test_what_does_not_fit_into_memory_is_said_or_put_aside(demo: Path, memory: str, code: int, said: str) -> None:
    ran = run_installed("aging", "payable", "--print", "json", book=demo, environment={"ALMANAC_MEMORY": memory})
    assert (ran.code, ran.err.startswith(said), ran.err.count("\n")) == (code, True, 1 if said else 0), ran.err
    assert not list((demo / ".almanac").glob("spill-*"))
    if code == 1:
        assert ran.json["rows"] == run_installed("aging", "payable", "--print", "json", book=demo).json["rows"]
