"""Exports as they are: what is counted, held against totals, warned of, refused; and a book from a folder of them."""

import shutil
import tomllib
from decimal import Decimal
from pathlib import Path

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

import company
from conftest import Almanac, Ran, examples, run_almanac
from test_shapes import CHART, CHART_BLOCK, HEAD, lines_of, write_xlsx

LEDGER = "Voucher;Date;Account;Debit;Credit\n"
FIELDS = 'fields = { journal = "Voucher", line = "order", posted = "Date", account = "Account", debit = "Debit", credit = "Credit" }'
HEAD_OF = '\n[[intake]]\ntable = "ledger"\nfiles = "{files}"\ndelimiter = ";"\nset = {{ entity = "LINE" }}\n{keys}\n'


def book_with(root: Path, blocks: str, **exports: str) -> Path:
    """Write a book of these blocks and exports beside the chart, whose names have `_` for a point."""
    (root / "chart.csv").write_text(CHART)
    for name, text in exports.items():
        (root / name.replace("_", ".")).write_text(text)
    (root / "almanac.toml").write_text(HEAD + CHART_BLOCK + blocks)
    return root


def loaded(root: Path, *words: str) -> Ran:
    return run_almanac("load", *words, "--print", "json", book=root)


def ledger_block(keys: str, files: str = "x.csv") -> str:
    return HEAD_OF.format(files=files, keys=f"{keys}\n{FIELDS}" if "fields" not in keys else keys)


ROWS = "V1;2025-01-05;1000;10.00;\nV1;2025-01-05;4000;;10.00\n"
TOTALS = [
    ('{ rows = "voucher is Total" }', "Total;;;10.00;10.01\n", "x.csv:4: Credit: the total is not what the lines come to: 10.01; expected 10.00"),
    ('{ rows = "voucher is Total" }', "Total;;;10.00;\n", ""),
    ('{ rows = "voucher is Total", of = "above" }', "Total;;;10.00;10.00\nV2;2025-01-06;6000;7.50;\nV2;2025-01-06;1000;;7.50\nTotal;;;7.50;17.50\n",
     "x.csv:7: Credit: the total is not what the lines come to: 17.50; expected 7.50"),
    ('{ rows = "voucher begins Total", by = "Account", columns = ["Debit"] }', "Total;;1000;10.00;\nTotal;;4000;1.00;\n",
     "x.csv:5: Debit: the total is not what the lines come to: 1.00; expected 0.00"),
    ('{ rows = "voucher begins Sum", by = "Account", after = "Sum " }', "Sum 1000;;Sum 1000;9.99;\n", "x.csv:4: Debit: the total is not what the lines come to: 9.99; expected 10.00"),
]  # fmt: skip


@pytest.mark.parametrize(("totals", "rows", "message"), TOTALS)
def test_a_total_that_its_lines_do_not_come_to_is_refused(tmp_path: Path, totals: str, rows: str, message: str) -> None:
    book_with(tmp_path, ledger_block(f"totals = [{totals}]"), x_csv=LEDGER + ROWS + rows)
    ran = loaded(tmp_path)
    step = "a line is missing or stands twice, or the total is of other lines: see `totals` of the block"
    assert (ran.code, ran.err) == ((3, f"almanac: {message}; {step}\n") if message else (0, ""))


@given(
    st.lists(
        st.lists(st.one_of(st.none(), st.decimals(-9999, 9999, places=2)), min_size=4, max_size=4),
        min_size=1,
        max_size=8,
    ),
    st.booleans(),
)
@examples(25)
def test_cells_are_lines_blanks_and_held_totals(
    tmp_path_factory: pytest.TempPathFactory, rows: list[list[Decimal | None]], wrong: bool
) -> None:
    root = tmp_path_factory.mktemp("wide")
    text = "Plan;Account;P01;P02;P03;P04;Year\n"
    for number, cells in enumerate(rows):
        total = sum((cell for cell in cells if cell is not None), Decimal(0)) + (wrong and number == len(rows) - 1)
        written = ";".join("" if cell is None else f"{cell:.2f}" for cell in cells)
        text += f"plan{number};4000;{written};{total:.2f}\n"
    block = HEAD_OF.format(
        files="x.csv",
        keys='across = { heads = "P01 through P04", total = "Year" }\nperiod = "PPP"\nyear = 2025\n'
        'fields = { scenario = "Plan", account = "Account", period = "<head>", amount = "<cell>" }',
    ).replace('"ledger"', '"budget"')
    ran = loaded(book_with(root, block, x_csv=text))
    if wrong:
        assert (ran.code, f"x.csv:{len(rows) + 1}: Year: the total is not what the cells of the row" in ran.err) == (
            3,
            True,
        )
        return
    assert ran.code == 0, ran.err
    wanted = [
        (f"plan{number}", f"P0{month}", cell)
        for number, cells in enumerate(rows)
        for month, cell in enumerate(cells, 1)
        if cell is not None
    ]
    found = (
        [
            (name, period, Decimal(amount or 0))
            for name, period, amount in lines_of(root, "budget", ["scenario", "period", "amount"])
        ]
        if wanted
        else []
    )
    assert found == sorted(wanted)


def test_each_record_of_a_shared_file_has_a_fate(tmp_path: Path) -> None:
    rows = [row.replace("V1", f"V{kind}") for kind, row in zip("ABCA", (ROWS * 2).splitlines(), strict=True)]
    text = "Kind;Voucher;Date;Account;Debit;Credit\n" + "".join(f"{row[1]};{row}\n" for row in rows)
    block = ledger_block('name = "{0}"\nonly = "kind is {0}"')
    book_with(tmp_path, block.replace("{0}", "A") + block.replace("{0}", "B"), x_csv=text)
    assert loaded(tmp_path).err == (
        "almanac: x.csv:4: no block takes this line; say in another [[intake]] block what becomes of it\n"
    )
    both = ledger_block('name = "{0}"\nonly = "kind in A, C"').replace("{0}", "B")
    book_with(tmp_path, block.replace("{0}", "A") + both, x_csv=text)
    assert (
        "almanac: x.csv:2: several blocks take this line; say `shares_records = true` in each" in loaded(tmp_path).err
    )
    aside = book_with(tmp_path, block.replace("{0}", "A") + block.replace("{0}", "B"), x_csv=text)
    ran = run_almanac("load", "--set-aside", book=aside)
    assert (ran.code, "1 line is left out of x.csv (A) as wrong" in ran.err) == (1, True), ran.err


def test_what_a_later_export_supersedes_is_counted_listed_and_comes_back(tmp_path: Path, almanac: Almanac) -> None:
    heads = "journal,line,posted,account,debit,credit\n"
    block = '\n[[intake]]\ntable = "ledger"\nfiles = "gl-*.csv"\nlater = "wins"\nset.entity = "LINE"\n'
    book_with(tmp_path, block)
    first = "V1,1,2025-01-05,6000,10.00,\nV1,2,2025-01-05,1000,,10.00\n"
    (tmp_path / "gl-1.csv").write_text(heads + first)
    (tmp_path / "gl-2.csv").write_text(heads + first.replace("6000", "6100"))
    cells = {row["key"]: row["cells"] for row in loaded(tmp_path).json["rows"]}
    assert [
        (cells[name]["lines"], cells[name]["duplicates"], cells[name]["superseded"])
        for name in ("gl-1.csv", "gl-2.csv")
    ] == [(0, 1, 1), (2, None, None)]
    found = almanac("check", "superseded", "--print", "json", book=tmp_path)
    assert found.code == 0
    assert [row["label"] for row in found.json["rows"] if row["level"] == 2] == [
        "entity LINE, journal V1, line 1: account 6000, now 6100, as gl-2.csv:2"
    ]
    (tmp_path / "gl-2.csv").unlink()
    assert loaded(tmp_path, "--drop-missing").code == 0
    assert [line[0] for line in lines_of(tmp_path, "ledger", ["account"])] == ["1000", "6000"]


def test_a_sheet_that_is_gone_is_missed_and_one_more_is_not_another_file(tmp_path: Path) -> None:
    sheet = [line.split(";") for line in (LEDGER + ROWS).strip().split("\n")]
    write_xlsx(tmp_path / "x.xlsx", {"Jan": sheet})
    block = ledger_block('format = "xlsx"{0}', files="x.xlsx").replace('delimiter = ";"', "")
    assert loaded(book_with(tmp_path, block.replace("{0}", ""))).code == 0
    later = [[cell.replace("V1", "V2") for cell in row] for row in sheet]
    write_xlsx(tmp_path / "x.xlsx", {"Jan": sheet, "Feb": later})
    ran = loaded(book_with(tmp_path, block.replace("{0}", '\nsheet = "*"')))
    assert (ran.code, [row["key"] for row in ran.json["rows"]][1:3]) == (0, ["x.xlsx[Feb]", "x.xlsx[Jan]"]), ran.err
    write_xlsx(tmp_path / "x.xlsx", {"Jan": sheet})
    assert loaded(tmp_path).err.startswith("almanac: x.xlsx[Feb]: this export was loaded and is gone")


def test_natural_signs_follow_the_chart_as_it_changes(tmp_path: Path) -> None:
    fields = 'fields = { journal = "Voucher", line = "order", posted = "Date", account = "Account", amount = "Amount" }'
    text = "Voucher;Date;Account;Amount\nV1;2025-01-05;1000;10.00\nV1;2025-01-05;4000;10.00\n"
    book_with(tmp_path, ledger_block(f'signs = "natural"\n{fields}'), x_csv=text)
    assert loaded(tmp_path).code == 0
    assert lines_of(tmp_path, "ledger", ["account", "amount"]) == [("1000", "10"), ("4000", "-10")]
    (tmp_path / "chart.csv").write_text(CHART.replace("4000,Fares,income", "4000,Fares,asset"))
    assert loaded(tmp_path).code == 0
    assert lines_of(tmp_path, "ledger", ["account", "amount"]) == [("1000", "10"), ("4000", "10")]


UNLIKELY = [
    ("billing", "number,line,kind,posted,amount\n" + "".join(f"B{n},1,charge,2025-01-05,9\nB{n},2,payer-payment,2025-01-06,-9\n" for n in range(5)),
     '5 of 5 lines of payer-payment in billing are below zero, which few should be; if the export writes them the other way round, say turned_kinds = ["payer-payment"] in its block'),
    ("budget", "scenario,account,period,amount\n" + "".join(f"budget,4000,2025-P0{n},-9\nbudget,6000,2025-P0{n},9\n" for n in range(1, 6)),
     '5 of 5 lines of class income in budget are below zero, which few should be; if the export writes them the other way round, say signs = "ledger" in its block'),
    ("ledger", "journal,line,posted,account,amount\n" + "".join(f"V{n},1,2025-01-05,4000,9\nV{n},2,2025-01-05,1000,-9\n" for n in range(5)),
     '5 of 5 lines of class income in ledger are a debit, which few should be; if the export writes them the other way round, say signs = "natural" or "turned" in its block'),
    ("sales", "number,date,item,amount\n" + "".join(f"T{n},2025-01-05,A,-9\n" for n in range(5)), '5 of 5 lines of sales are below zero'),
]  # fmt: skip


@pytest.mark.parametrize(("table", "text", "message"), UNLIKELY, ids=[case[0] for case in UNLIKELY])
def test_signs_the_other_way_round_are_warned_of(tmp_path: Path, table: str, text: str, message: str) -> None:
    book_with(tmp_path, f'\n[[intake]]\ntable = "{table}"\nfiles = "x.csv"\nset.entity = "LINE"\n', x_csv=text)
    ran = loaded(tmp_path)
    assert (ran.code, f"warning: x.csv: {message}" in ran.err) == (0, True), ran.err
    right = (
        text.replace(",-9", ",9")
        if table != "ledger"
        else text.replace("4000,9", "4000,+0").replace("1000,-9", "1000,0")
    )
    (tmp_path / "x.csv").write_text(right)
    assert "which few should be" not in loaded(tmp_path).err


KEYS = [
    ("V1;05.01.2025;1000;10.00;", 'dates = ["YYYY-MM-DD", "DD.MM.YYYY"] would take it'),
    ("V1;5 Mar 2025;1000;10.00;", 'dates = ["YYYY-MM-DD", "D Mon YYYY"] would take it'),
    ("V1;2025-01-05;001000;10.00;", 'account = { head = "Account", zeros = "strip" } would take it'),
    ("V1;2025-01-05;1000 Cash;10.00;", 'account = { head = "Account", before = " " } would take it'),
    ("V1;2025-01-05;1000;10,50;", 'decimal = "," would take it'),
    ("V1;2025-01-05;1000;(10.50);", 'negatives = ["minus", "parentheses"] would take it'),
    ("V1;2025-01-05;1000;-;1.00", 'numbers = ["dash-zero"] would take it'),
    ("V1;2025-01-05;1000;10.500;", 'numbers = ["extra-zeros"] would take it'),
    (";2025-01-05;1000;10.50;", "`down` carries the one above down, `pass_over` leaves rows out that are no lines"),
]


@pytest.mark.parametrize(("row", "key"), KEYS)
def test_what_is_wrong_is_told_once_a_cause_with_the_key_that_takes_it(tmp_path: Path, row: str, key: str) -> None:
    book_with(tmp_path, ledger_block(""), x_csv=LEDGER + ROWS + f"{row}\n" * 5 + "V9;never;1000;1.00;\n")
    told = loaded(tmp_path).err.splitlines()
    alike = [line for line in told if " more like it, through line 8" in line]
    assert len(alike) == 1
    assert key in alike[0]
    assert any("x.csv:9: posted: not a date: 'never'" in line for line in told)
    block = ledger_block(key.removesuffix(" would take it"))
    if key.startswith(("dates", "negatives", "numbers")):
        root = tmp_path / "mended"
        root.mkdir()
        assert loaded(book_with(root, block, x_csv=LEDGER + ROWS + f"{row}\n")).code == 0


def test_an_export_that_is_cut_short_is_remarked(tmp_path: Path) -> None:
    for month in range(1, 7):
        rows = "".join(
            f"V{month}{n};2025-{month:02d}-{n:02d};1000;1.00;\nV{month}{n};2025-{month:02d}-{n:02d};4000;;1.00\n"
            for n in range(1, 29)
        )
        lines = rows.splitlines()[: 8 if month == 3 else 30 if month == 5 else None]
        (tmp_path / f"gl-{month}.csv").write_text(LEDGER + "\n".join(lines) + "\n")
    ran = loaded(book_with(tmp_path, ledger_block("", files="gl-*.csv")))
    told = [line for line in ran.err.splitlines() if "cut short" in line]
    assert told == [
        "warning: gl-3.csv: it has 8 lines, and exports like it some 56; see whether the export was cut short",
        "warning: gl-5.csv: its last line is of 2025-05-15, 17 days before the next export's first; see whether the export was cut short",
    ]


def test_a_wrong_cell_sets_its_whole_row_aside(tmp_path: Path) -> None:
    block = HEAD_OF.format(
        files="x.csv",
        keys='across = { heads = "P01 through P02" }\nperiod = "PPP"\nyear = 2025\n'
        'fields = { scenario = "Plan", account = "Account", period = "<head>", amount = "<cell>" }',
    ).replace('"ledger"', '"budget"')
    book_with(tmp_path, block, x_csv="Plan;Account;P01;P02\nbudget;4000;1;2\nbudget;6000;3;lots\n")
    assert "x.csv:3: amount: not a number: 'lots'" in loaded(tmp_path).err
    ran = run_almanac("load", "--set-aside", book=tmp_path)
    assert (ran.code, "1 line is left out of x.csv" in ran.err) == (1, True), ran.err
    assert lines_of(tmp_path, "budget", ["account", "amount"]) == [("4000", "1"), ("4000", "2")]


BAD = [
    ("x.json", '{"a": 1}', 'format = "json"\npath = "b.c"', "almanac: x.json: no object has 'b', which the path names; expected a"),
    ("x.json", "[1]", 'format = "json"', "almanac: x.json: [1]: not an object: Decimal('1')"),
    ("x.json", "{", 'format = "json"', "almanac: x.json: not JSON"),
    ("x.xml", '<!DOCTYPE a [<!ENTITY b "c">]><a><v>&b;</v></a>', 'format = "xml"\npath = "v"', "almanac: x.xml:1: not XML: the file declares entities of its own"),
    ("x.xml", "<a><b/></a>", 'format = "xml"\npath = "v"', "almanac: x.xml: no element lies at the path 'v'"),
    ("x.ods", "no workbook", 'format = "ods"', "almanac: x.ods: not an ODS workbook that can be read"),
    ("x.xls", "no workbook", 'format = "xls"', "almanac: x.xls: not an XLS workbook that can be read"),
    ("x.csv", "a;b\n", "head_row = 9", "almanac: x.csv: the file has no line 9; say the heads' line as head_row"),
    ("x.csv", LEDGER, "pass_over = 'vouchr is X'", "almanac: intake[2].pass_over[1]: the export has no such head: 'vouchr'; expected voucher, date, account, debit or credit; did you mean 'voucher'?"),
    ("x.csv", LEDGER, 'sides = { head = "S/H", credit = ["H"] }\nfields = { journal = "Voucher", line = "order", posted = "Date", account = "Account", amount = "Debit" }', "almanac: intake[2].sides.head: the export has no such head: 'S/H'; expected 'Voucher', 'Date', 'Account', 'Debit' or 'Credit'"),
    ("x.csv", "Account;Jan\n", 'across = { heads = "A through B" }', "almanac: x.csv:1: the head line has no such columns: 'A through B'"),
    ("gl.csv", LEDGER, 'dates = "DD.MM."\nyear = "file name"', "almanac: gl.csv: the file name tells no one year: 'gl.csv'; expected year = 2026, or a name with one"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "text", "keys", "message"), BAD, ids=[case[3][9:60] for case in BAD])
def test_what_cannot_be_read_is_told_plainly(tmp_path: Path, name: str, text: str, keys: str, message: str) -> None:
    book_with(tmp_path, ledger_block(keys, files=name), **{name.replace(".", "_"): text})
    ran = loaded(tmp_path)
    assert (ran.code, ran.err.startswith(message)) == (3, True), ran.err


def test_a_book_without_a_ledger_needs_no_chart(tmp_path: Path, almanac: Almanac) -> None:
    block = '\n[[intake]]\ntable = "sales"\nfiles = "x.csv"\nset.entity = "LINE"\n'
    (tmp_path / "almanac.toml").write_text(HEAD.replace('retained_earnings = "3000"\n', "") + block)
    (tmp_path / "x.csv").write_text("number,date,item,amount\nT1,2025-01-05,A,9.00\n")
    assert loaded(tmp_path).code == 0
    ran = almanac("growth", "sales", "--each", "year", "--print", "json", book=tmp_path)
    assert ran.code == 0, ran.err
    assert almanac("list", "sales", "--print", "csv", book=tmp_path).out.count("9.00") >= 1
    checked = almanac("check", book=tmp_path)
    assert (checked.code, "Journals out of balance: no ledger is loaded" in checked.out) == (0, True)


def test_reports_keep_the_charts_own_order(tmp_path: Path, almanac: Almanac) -> None:
    chart = CHART.splitlines()
    book_with(tmp_path, ledger_block(""), x_csv=LEDGER + ROWS)
    (tmp_path / "chart.csv").write_text("\n".join([chart[0], *reversed(chart[1:])]) + "\n")
    (tmp_path / "almanac.toml").write_text(HEAD + '[chart]\norder = "export"\n' + CHART_BLOCK + ledger_block(""))
    assert loaded(tmp_path).code == 0
    for words in (
        ("trial", "--year", "2025"),
        ("list", "ledger", "--by", "account"),
        ("detail", "1000", "4000", "--year", "2025"),
    ):
        rows = almanac(*words, "--print", "json", book=tmp_path).json["rows"]
        keys = [row["key"] for row in rows if row["key"] in ("1000", "4000") or row["key"].endswith(("/1000", "/4000"))]
        assert [key[-4:] for key in dict.fromkeys(keys)] == ["4000", "1000"], words


def test_a_folder_of_exports_becomes_a_book_that_proves_itself(tmp_path: Path, almanac: Almanac) -> None:
    source, root = tmp_path / "exports of 2025", tmp_path / "book"
    source.mkdir()
    company.write_company(source)
    ran = almanac("new", root, "--from", source)
    assert ran.code == 0, ran.err
    assert "finished years' results go to 3100 Retained earnings" in ran.err
    sums: dict[str, Decimal] = {}
    for _, _, _, account, amount, _ in company.entries():
        sums[account] = sums.get(account, Decimal(0)) + amount
    trial = almanac("trial", "--year", "2025", "--print", "json", book=root).json
    closing = {row["key"]: Decimal(row["cells"]["closing"]) for row in trial["rows"] if row["key"] in sums}
    assert (closing, trial["proof"]["balances"]) == (sums, True)
    open_amounts: dict[str, Decimal] = {}
    for party, *_, owed in company.SUPPLIERS:
        open_amounts[party] = open_amounts.get(party, Decimal(0)) + Decimal(owed)
    aging = almanac("aging", "payable", "--print", "json", book=root).json
    assert {
        row["key"]: Decimal(row["cells"]["total"]) for row in aging["rows"] if row["key"] in open_amounts
    } == open_amounts
    words = ("statement", "income", "--period", "2025-P05", "--columns", "ytd; budget ytd", "--print", "json")
    statement = almanac(*words, book=root).json
    plan = {row["key"]: list(row["cells"].values())[1] for row in statement["rows"] if row["key"] in company.PLAN}
    # The data ends on 24 June, so five months of the plan are whole.
    assert {code: Decimal(amount) for code, amount in plan.items()} == {
        code: Decimal(5 * amount) for code, amount in company.PLAN.items()
    }


def test_the_demos_own_exports_become_a_book_with_its_figures(demo: Path, tmp_path: Path, almanac: Almanac) -> None:
    for name in ("chart.csv", "vessels.csv", "yard", "items", "plans"):
        source = demo / "exports" / name
        (shutil.copytree if source.is_dir() else shutil.copyfile)(source, tmp_path / name)
    # Shares of an amount that only the book's maker can tell.
    (tmp_path / "plans" / "forecast-2026.csv").unlink()
    root = tmp_path / "book"
    made = almanac("new", root, "--from", tmp_path)
    assert made.code == 0, made.err
    settings = root / "almanac.toml"
    text = settings.read_text()
    assert 'year_start = "10-01"' in text
    assert "[entities.YARD]" in text
    for rule in ("carried", "closing", "adjusting"):
        text = text.replace(f"# {rule} = ", f"{rule} = ")
    settings.write_text(text)
    assert almanac("load", book=root).code == 0
    for words in (
        ("trial", "--entity", "YARD", "--period", "2026-P08"),
        ("aging", "payable", "--entity", "LINE", "--as-of", "2026-05-31"),
        ("parties", "receivable", "--year", "2025", "--entity", "LINE"),
        ("statement", "income", "--entity", "YARD", "--as-of", "2026-05-31", "--columns", "ytd; budget ytd"),
    ):
        assert almanac(*words, "--print", "csv", book=root).out == almanac(*words, "--print", "csv", book=demo).out, (
            words
        )


def test_a_folder_that_does_not_tell_a_year_asks_for_it(tmp_path: Path, almanac: Almanac) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "chart.csv").write_text(CHART)
    (tmp_path / "in" / "plan.csv").write_text("Account;Jan;Feb\n4000;1,00;2,00\n")
    ran = almanac("new", tmp_path / "book", "--from", tmp_path / "in")
    assert (ran.code, ran.err) == (
        2,
        "almanac: --year: nothing tells the fiscal year of exports/plan.csv: ''; expected one as 2026\n",
    )
    assert not (tmp_path / "book").exists()
    assert almanac("new", tmp_path / "book", "--from", tmp_path / "in", "--year", "2026").code == 0
    assert lines_of(tmp_path / "book", "budget", ["period", "amount"]) == [("Feb", "2"), ("Jan", "1")]


def test_proposed_blocks_are_written_whole_or_not_at_all(tmp_path: Path, almanac: Almanac) -> None:
    (tmp_path / "almanac.toml").write_text(f"# Ours.\n{HEAD}\n# The end.\n")
    (tmp_path / "chart.csv").write_text(CHART)
    (tmp_path / "gl.csv").write_text(LEDGER + ROWS)
    (tmp_path / "half.csv").write_text("Voucher,Date,Account\nV1,2025-01-05,1000\n")
    refused = almanac("propose", tmp_path / "half.csv", "--table", "ledger", "--write", book=tmp_path)
    assert (refused.code, "intake[1].fields: no clear amount" in refused.err) == (3, True)
    assert (tmp_path / "almanac.toml").read_text() == f"# Ours.\n{HEAD}\n# The end.\n"
    written = almanac("propose", tmp_path / "chart.csv", tmp_path / "gl.csv", "--write", book=tmp_path)
    assert written.code == 0, written.err
    text = (tmp_path / "almanac.toml").read_text()
    assert text.startswith("# Ours.")
    assert "# The end." in text
    assert [block["table"] for block in tomllib.loads(text)["intake"]] == ["accounts", "ledger"]
    again = almanac("propose", tmp_path / "gl.csv", "--write", book=tmp_path)
    assert (again.code, again.err) == (0, "gl.csv: a block of the book takes it already\n")
    assert loaded(tmp_path).code == 0


def test_an_export_that_no_table_fits_gets_one_of_the_books_own(tmp_path: Path, almanac: Almanac) -> None:
    (tmp_path / "almanac.toml").write_text(HEAD)
    (tmp_path / "moorings.csv").write_text(
        "Berth,Boat,From day,Metres,Fee\nB1,Skerry,2025-01-05,12,120.50\nB2,Tern,2025-01-05,9,90.00\nB1,Tern,2025-02-05,9,90.00\n"
    )
    ran = almanac("propose", tmp_path / "moorings.csv", "--write", book=tmp_path)
    assert ran.code == 0, ran.err
    told = tomllib.loads((tmp_path / "almanac.toml").read_text())["tables"]["moorings"]
    assert told == {
        "key": ["berth", "boat"],
        "fields": {"berth": "text", "boat": "text", "from_day": "date", "metres": "quantity", "fee": "amount"},
        "date": "from_day",
    }
    assert loaded(tmp_path).code == 0
    assert len(lines_of(tmp_path, "moorings", ["fee"])) == 3


NOTICED = [
    ("Company,Voucher,Date,Account,Debit,Credit,Spare\nLINE,V1,2025-01-05,1000,10.00,,\nYARD,V1,2025-01-05,4000,,10.00,\n",
     ["# UNSURE of entity: 'YARD' is none of the book; add [entities.YARD] to almanac.toml, or set another.", "# Blank in every row: Spare."]),
    (LEDGER + ROWS * 2 + "V9;2025-01", ["# UNSURE of the end: the export seems to be cut off there."]),
    (LEDGER + ROWS * 2 + "V9;2025-01-05;1000\nV9;2025-01-05;4000\n", ["uneven_rows = true"]),
    ("Datum;Beleg;Konto;Betrag\n05.01.2025;V1;1000;10,00 S\n05.01.2025;V1;4000;10,00 H\n", ['sides = { debit = ["S"], credit = ["H"] }', "# Nothing was unsure."]),
]  # fmt: skip


@pytest.mark.parametrize(("text", "lines"), NOTICED)
def test_what_is_noticed_of_an_export_is_told(tmp_path: Path, almanac: Almanac, text: str, lines: list[str]) -> None:
    (tmp_path / "almanac.toml").write_text(HEAD)
    (tmp_path / "x.csv").write_text(text)
    told = almanac("propose", tmp_path / "x.csv", book=tmp_path).out.splitlines()
    assert [line for line in lines if line not in told] == []


def test_a_merged_or_blank_workbook_is_no_worse_than_before(tmp_path: Path, almanac: Almanac) -> None:
    book = openpyxl.Workbook()
    book.save(tmp_path / "x.xlsx")
    ran = almanac("propose", tmp_path / "x.xlsx")
    assert (ran.code, ran.err) == (3, "almanac: x.xlsx: the workbook has no cells\n")
