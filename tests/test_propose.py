"""Starting a book and proposing intake blocks: what they write loads, and what they could not know they say."""

import csv
import gzip
from pathlib import Path

import openpyxl
import pytest

from conftest import CHART, Almanac


def test_a_new_book_with_proposed_blocks_gives_the_demo_figures(demo: Path, tmp_path: Path, almanac: Almanac) -> None:
    book = tmp_path / "books"
    words = ("--year-start", "10-01", "--retained-earnings", "30200", "--entity", "YARD", "--name", 'The "Yard"')
    assert almanac("new", book, *words).code == 0
    settings = book / "almanac.toml"
    text = settings.read_text().replace("extra_periods = 0", "extra_periods = 1")
    for rule in ("carried", "closing", "adjusting"):
        text = text.replace(f"# {rule} = ", f"{rule} = ")
    exports = sorted((demo / "exports" / "yard").glob("*.csv"))
    for export in (demo / "exports" / "chart.csv", *exports):
        (book / "exports" / export.name).write_bytes(export.read_bytes())
    for name in ("chart.csv", *(export.name for export in exports)):
        proposed = almanac("propose", book / "exports" / name, book=book)
        assert proposed.code == 0, proposed.err
        text += proposed.out
    settings.write_text(text)
    loaded = almanac("load", book=book)
    assert loaded.code == 0, loaded.err
    asked = ("trial", "--period", "2026-P08", "--print", "json")
    mine = almanac(*asked, book=book).json["rows"]
    assert mine == almanac(*asked, "--entity", "YARD", book=demo).json["rows"]


def test_documents_with_proposed_blocks_give_the_demo_figures(demo: Path, tmp_path: Path, almanac: Almanac) -> None:
    settings = (demo / "almanac.toml").read_text()
    for path in demo.glob("exports/**/*.csv"):
        target = tmp_path / path.relative_to(demo)
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(path.read_bytes())
    for name, table in (("suppliers", "payables"), ("customers", "receivables"), ("parties", "parties")):
        block = next(part for part in settings.split("[[intake]]") if f"items/{name}.csv" in part)
        ran = almanac("propose", tmp_path / "exports" / "items" / f"{name}.csv", "--table", table, book=demo)
        assert ran.code == 0, ran.err
        proposed = ran.out.partition("[[intake]]")[2].replace(str(tmp_path) + "/", "")
        settings = settings.replace(block, f"{proposed}\n")
    (tmp_path / "almanac.toml").write_text(settings)
    loaded = almanac("load", "--through", "2026-06-17", book=tmp_path)
    assert loaded.code == 0, loaded.err
    words = ("aging", "payable", "--print", "csv")
    assert almanac(*words, book=tmp_path).out == almanac(*words, book=demo).out


def test_a_new_book_is_refused_where_there_is_one_or_it_could_be_none(tmp_path: Path, almanac: Almanac) -> None:
    assert almanac("new", tmp_path / "a").code == 0
    again = almanac("new", tmp_path / "a")
    assert (again.code, again.err) == (
        2,
        f"almanac: {tmp_path}/a/almanac.toml: there is a book here already; name another folder\n",
    )
    wrong = almanac("new", tmp_path / "b", "--currency", "Euro")
    assert (wrong.code, "entities.MAIN.currency: not a currency: 'Euro'" in wrong.err) == (2, True)
    assert not (tmp_path / "b" / "almanac.toml").exists()


LEDGER = "Voucher;Posting date;Doc date;Account;Debit;Credit;Text\n"
CASES = [
    (LEDGER + "1;03/04/2026;03/04/2026;1000;1.234,50;;a\n1;05/06/2026;05/06/2026;4010;;1.234,50;b\n",
     ["# UNSURE of day and month: 03/04/2026 and all others fit DD/MM/YYYY or MM/DD/YYYY.", 'delimiter = ";"', 'decimal = ","', 'thousands = "."',
      'posted = "Posting date"', 'line = "order"  # no head tells lines apart, so they are numbered in file order', "# Not taken: Doc date."]),
    (LEDGER + "1;13/04/2026;;1000;1.234;;a\n1;05/06/2026;;4010;;2.500;b\n",
     ['dates = "DD/MM/YYYY"', "# UNSURE of decimal sign: 1.234 can be read with decimal '.' or decimal ','."]),
    ("Journal,Line,Posted,Account,Amount,Value,Memo\n1,1,2026-04-03,1000,5.00,5.00,x\n1,2,2026-04-03,4010,(5.00),-5.00,x\n",
     ["amount = \"Amount\"  # unsure: 'Value' may be meant instead", 'negatives = ["parentheses"]']),
    ("Journal,Posted,Amount\n1,2026-04-03,5.00\n", ["# UNSURE of account: it is needed, and no head looks like it.", '# account = "…"  needed, and no head looks like it']),
    ("Journal,Posted,Account,Amount\n1,April 3rd,1000,lots\n", ["# UNSURE of posted: 'Posted' is named like it, and not all of its texts are dates in one way, as 'April 3rd'.", "# UNSURE of the amount: debit and credit, or amount, is needed, and no head looks like it."]),
]  # fmt: skip


@pytest.mark.parametrize(("text", "lines"), CASES)
def test_what_was_unsure_is_said(tmp_path: Path, almanac: Almanac, text: str, lines: list[str]) -> None:
    (tmp_path / "export.csv").write_text(text)
    ran = almanac("propose", "export.csv", "--table", "ledger", cwd=tmp_path)
    assert ran.code == 0, ran.err
    for line in lines:
        assert line in ran.out.splitlines(), ran.out


def test_workbooks_and_archives_are_looked_into(tmp_path: Path, almanac: Almanac) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.append(["Chart of accounts"])
    for line in CHART.splitlines():
        sheet.append(next(csv.reader([line])))
    book.create_sheet("Notes")
    book.save(tmp_path / "chart.xlsx")
    (tmp_path / "chart.csv.gz").write_bytes(gzip.compress(CHART.encode()))
    for name in ("chart.xlsx", "chart.csv.gz"):
        ran = almanac("propose", name, cwd=tmp_path)
        assert ran.code == 0, ran.err
        assert 'table = "accounts"' in ran.out
        assert 'account = "account"' in ran.out
        assert ("head_row = 2" in ran.out) == name.endswith("xlsx")


@pytest.mark.parametrize(
    ("name", "text", "message"),
    [
        ("none.csv", None, "almanac: FILE: there is no such file: 'none.csv'"),
        ("empty.csv", "", "almanac: empty.csv: the file is empty"),
        ("bad.xlsx", "no workbook", "almanac: bad.xlsx: not an XLSX workbook"),
        ("bad.parquet", "no parquet", "almanac: bad.parquet: not a Parquet file that can be read"),
    ],
)
def test_a_file_that_cannot_be_looked_at(
    tmp_path: Path, almanac: Almanac, name: str, text: str | None, message: str
) -> None:
    if text is not None:
        (tmp_path / name).write_text(text)
    ran = almanac("propose", name, cwd=tmp_path)
    assert ran.code in (2, 3)
    assert ran.err.startswith(message)
    assert "Traceback" not in ran.err
