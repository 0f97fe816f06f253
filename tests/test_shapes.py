"""Exports as they are in life: each shape's block takes its lines in, and no others.

`shapes/held.toml` was written down before the code, like `shapes/open.toml`, and first run when that was done.
"""

import struct
import tomllib
import zipfile
from decimal import Decimal
from pathlib import Path
from typing import Any

import duckdb
import openpyxl
import pytest

from conftest import run_almanac
from level_almanac.store.state import Store

FOLDER = Path(__file__).parent / "shapes"
SHAPES = [shape for name in ("open", "held") for shape in tomllib.loads((FOLDER / f"{name}.toml").read_text())["shape"]]
HEAD = """\
[book]
name = "Shapes"

[entities.LINE]
name = "Skellan Line"
currency = "EUR"
retained_earnings = "3000"

[calendar]
year_start = "01-01"

"""
CHART = """\
account,name,class
1000,Cash,asset
1200,Customers,asset
2000,Suppliers,liability
3000,Retained earnings,equity
4000,Fares,income
6000,Fuel,expense
6100,Repairs,expense
"""
CHART_BLOCK = """
[[intake]]
table = "accounts"
files = "chart.csv"
"""


def sheets_of(text: str) -> dict[str, list[list[str]]]:
    """Return the rows of each sheet that is written down behind `=== NAME`."""
    sheets: dict[str, list[list[str]]] = {}
    for line in text.strip("\n").split("\n"):
        if line.startswith("=== "):
            rows = sheets[line[4:]] = []
        else:
            rows.append(line.split("|"))
    return sheets


def number_of(text: str) -> float | None:
    try:
        return float(text) if not text.startswith("0") or text.startswith("0.") else None
    except ValueError:
        return None


def write_xlsx(path: Path, sheets: dict[str, list[list[str]]]) -> None:
    book = openpyxl.Workbook()
    book.remove(book.active)
    for name, rows in sheets.items():
        sheet = book.create_sheet(name)
        for row in rows:
            codes = len(row) > 2
            sheet.append([_typed(text, is_code=codes and at in (0, 2)) for at, text in enumerate(row)])
    book.save(path)


def _typed(text: str, *, is_code: bool) -> str | float | None:
    number = None if is_code else number_of(text)
    return number if number is not None else text or None


def write_ods(path: Path, sheets: dict[str, list[list[str]]]) -> None:
    tables = ""
    for name, rows in sheets.items():
        tables += f'<table:table table:name="{name}">'
        for row in rows:
            tables += "<table:table-row>"
            for at, text in enumerate(row):
                number = None if len(row) > 2 and at in (0, 2) else number_of(text)
                if number is not None:
                    tables += f'<table:table-cell office:value-type="float" office:value="{text}"><text:p>{text}</text:p></table:table-cell>'
                elif text:
                    tables += f'<table:table-cell office:value-type="string"><text:p>{text}</text:p></table:table-cell>'
                else:
                    tables += "<table:table-cell/>"
            tables += "</table:table-row>"
        tables += "</table:table>"
    spaces = " ".join(
        f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
    )
    content = f"<office:document-content {spaces}><office:body><office:spreadsheet>{tables}</office:spreadsheet></office:body></office:document-content>"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("content.xml", content)


def write_xls(path: Path, sheets: dict[str, list[list[str]]]) -> None:
    import xlwt

    book = xlwt.Workbook()
    for name, rows in sheets.items():
        sheet = book.add_sheet(name)
        for at, row in enumerate(rows):
            for column, text in enumerate(row):
                sheet.write(at, column, _typed(text, is_code=column in (0, 2)) or "")
    book.save(path)


def write_xlsb(path: Path, sheets: dict[str, list[list[str]]]) -> None:
    """Write the few records that a binary workbook cannot do without; no library writes one."""
    book, rels = _record(131) + _record(143), ""
    with zipfile.ZipFile(path, "w") as archive:
        for number, (name, rows) in enumerate(sheets.items(), 1):
            book += _record(156, struct.pack("<II", 0, number) + _wide(f"rId{number}") + _wide(name))
            rels += (
                f'<Relationship Id="rId{number}" Type="{RELATION}/worksheet" Target="worksheets/sheet{number}.bin"/>'
            )
            data = _record(129) + _record(148, struct.pack("<IIII", 0, len(rows) - 1, 0, 9)) + _record(145)
            for at, row in enumerate(rows):
                data += _record(0, struct.pack("<IIHHBI", at, 0, 300, 0, 0, 0))
                for column, text in enumerate(row):
                    cell = _typed(text, is_code=column in (0, 2))
                    place = struct.pack("<II", column, 0)
                    if isinstance(cell, float):
                        data += _record(5, place + struct.pack("<d", cell))
                    elif cell:
                        data += _record(6, place + _wide(str(cell)))
            archive.writestr(f"xl/worksheets/sheet{number}.bin", data + _record(146) + _record(130))
        archive.writestr("xl/workbook.bin", book + _record(144) + _record(132))
        spaces = 'xmlns="http://schemas.openxmlformats.org/package/2006/relationships"'
        archive.writestr("xl/_rels/workbook.bin.rels", f"<Relationships {spaces}>{rels}</Relationships>")


RELATION = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"


def _record(number: int, body: bytes = b"") -> bytes:
    kind = bytes([number]) if number < 128 else bytes([number & 0x7F | 0x80, number >> 7])
    # The length stands in seven bits a byte; none here needs more than two.
    size = bytes([len(body)]) if len(body) < 128 else bytes([len(body) & 0x7F | 0x80, len(body) >> 7])
    return kind + size + body


def _wide(text: str) -> bytes:
    return struct.pack("<I", len(text)) + text.encode("utf-16-le")


WRITERS = {"xlsx": write_xlsx, "ods": write_ods, "xls": write_xls, "xlsb": write_xlsb}


def write_exports(root: Path, shape: dict[str, Any]) -> list[str]:
    """Write the exports of a shape, and return their names."""
    name = shape.get("files", "x.csv")
    if shape.get("as") == "zip":
        with zipfile.ZipFile(root / name, "w") as archive:
            for member, text in shape["exports"].items():
                archive.writestr(member, text)
        return [name]
    if "as" in shape:
        WRITERS[shape["as"]](root / name, sheets_of(shape["export"]))
        return [name]
    for each, text in shape.get("exports", {name: shape.get("export", "")}).items():
        written = text.replace("\n", shape.get("line_end", "\n"))
        (root / each).write_bytes(written.encode(shape.get("encoded", "utf-8")))
    return list(shape.get("exports", [name]))


def book_of(shape: dict[str, Any], blocks: str) -> str:
    chart = CHART_BLOCK if shape["table"] != "accounts" else ""
    # Keys of a block that are given as a table of their own, as values.class, may not stand before others.
    return f"{HEAD}{shape.get('book', '')}{chart}{blocks}"


def block_of(shape: dict[str, Any]) -> str:
    told = shape if "block" in shape else shape["more"]
    entity = 'entity = "LINE"'
    block = f'\n[[intake]]\ntable = "{shape["table"]}"\nfiles = "{shape.get("files", "x.csv")}"\n{told["block"]}'
    if shape["table"] in ("accounts", "parties", "crossings"):
        first, *others = block.split("\n[[intake]]")[1:]
        return "\n[[intake]]" + "\n[[intake]]".join([first, *(_with_entity(each, entity) for each in others)])
    first, *others = block.split("\n[[intake]]")[1:]
    parts = [
        _with_entity(first, entity),
        *(each if "parties" in each else _with_entity(each, entity) for each in others),
    ]
    return "\n[[intake]]" + "\n[[intake]]".join(parts)


def _with_entity(block: str, entity: str) -> str:
    if "set = {" in block:
        return block.replace("set = {", f"set = {{ {entity},")
    return f'{block}\nset.entity = "LINE"\n'


def lines_of(root: Path, table: str, fields: list[str]) -> list[tuple[str, ...]]:
    store = Store(root / ".almanac")
    state = store.state()
    assert state is not None
    parts = [store.path_of(loaded.part) for loaded in state.files_of(table) if loaded.lines]
    names = ", ".join(f'"{field}"' for field in fields)
    rows = duckdb.execute(
        f"select {names} from read_parquet($parts, union_by_name = true)", {"parts": parts}
    ).fetchall()
    return sorted(tuple(_plain(cell) for cell in row) for row in rows)


def _plain(cell: object) -> str:
    if isinstance(cell, Decimal):
        return f"{cell.normalize():f}"
    return "" if cell is None else str(cell)


def wanted_of(shape: dict[str, Any]) -> tuple[list[str], list[tuple[str, ...]]]:
    heads, *rows = (shape if "lines" in shape else shape["more"])["lines"].strip().split("\n")
    fields = heads.split("|")
    amounts = ("debit", "credit", "amount", "quantity", "cars", "share", "cost")
    lines = [
        tuple(
            _plain(Decimal(text)) if field in amounts and text else text
            for field, text in zip(fields, row.split("|"), strict=True)
        )
        for row in rows
    ]
    return fields, sorted(lines)


@pytest.mark.parametrize("shape", SHAPES, ids=lambda shape: shape["name"])
def test_its_block_takes_a_shape_in(tmp_path: Path, shape: dict[str, Any]) -> None:
    if shape["table"] != "accounts":
        (tmp_path / "chart.csv").write_text(CHART)
    write_exports(tmp_path, shape)
    (tmp_path / "almanac.toml").write_text(book_of(shape, block_of(shape)), encoding="utf-8")
    ran = run_almanac("load", book=tmp_path)
    assert ran.code == 0, ran.err
    fields, wanted = wanted_of(shape)
    assert lines_of(tmp_path, shape["table"], fields) == wanted


BY_HAND = {
    "a ledger of balances, months as columns": "whether a plan or a ledger is meant cannot be seen",
    "natural signs by the account's class": "only the chart shows it",
    "periods as columns, with a total": "no one tells the year",
    "a plan by department, months as columns, one of them blank": "no one tells the year",
    "codes that a spreadsheet robbed of their zeros": "no one tells how long they were",
}
"""Shapes whose blocks need what their exports do not tell."""
CHOSEN = ("batch", "memo")
"""Fields that the blocks by hand have for their own sake."""


def proposed_of(root: Path, shape: dict[str, Any]) -> str:
    names = write_exports(root, shape)
    (root / "almanac.toml").write_text(book_of(shape, ""), encoding="utf-8")
    ran = run_almanac("propose", *(root / name for name in names), book=root)
    assert ran.code == 0, ran.err
    return ran.out


@pytest.mark.parametrize(
    "shape", [shape for shape in SHAPES if shape["name"] not in BY_HAND], ids=lambda shape: shape["name"]
)
def test_a_shape_is_proposed_for_without_a_hand(tmp_path: Path, shape: dict[str, Any]) -> None:
    if shape["table"] != "accounts":
        (tmp_path / "chart.csv").write_text(CHART)
    proposed = proposed_of(tmp_path, shape)
    (tmp_path / "almanac.toml").write_text(book_of(shape, "\n" + proposed), encoding="utf-8")
    ran = run_almanac("load", book=tmp_path)
    assert ran.code == 0, f"{proposed}\n{ran.err}"
    fields, wanted = wanted_of(shape)
    kept = [at for at, field in enumerate(fields) if field not in CHOSEN]
    got = lines_of(tmp_path, shape["table"], [fields[at] for at in kept])
    assert got == sorted(tuple(line[at] for at in kept) for line in wanted), proposed
