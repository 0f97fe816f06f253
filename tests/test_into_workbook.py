"""A report written into one sheet of a workbook that is there: that sheet is the report, and all else stays as it was."""

import io
import zipfile
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter
from openpyxl.chart import LineChart, Reference

from conftest import Ran, run_almanac

TRIAL = ("trial", "--period", "2026-P08", "--entity", "LINE")


def made_by_hand(path: Path, **more: Any) -> Path:
    """Write a workbook with formulas, formats, names and charts that use a sheet `Data`. more: what it has besides."""
    book = xlsxwriter.Workbook(path)
    data, summary = book.add_worksheet("Data"), book.add_worksheet("Sum'ry & more")
    bold = book.add_format({"bold": True, "bg_color": "#ffee00", "num_format": "0.000"})
    data.write_row(0, 0, ["old", "figures"])
    data.write_row(1, 0, [1, 2], bold)
    summary.write_formula(0, 0, "=SUM(Data!C8:C9)", bold, 3)
    summary.write(1, 0, "kept text", bold)
    for sheet, kind in ((summary, "column"), (data, "line")):
        chart = book.add_chart({"type": kind})
        chart.add_series({"values": "=Data!$C$8:$C$12"})
        sheet.insert_chart("H3", chart)
    book.define_name("Everything", "=Data!$A$1:$Z$99")
    for name, with_more in more.items():
        getattr(data, name)(*with_more)
    book.close()
    return path


def by_another_writer(path: Path) -> Path:
    """Write one with another library, whose parts are written in other ways."""
    book = openpyxl.Workbook()
    data = book.active
    data.title = "Data"
    data.append(["old", 1, 2])
    other = book.create_sheet("Other")
    other["A1"], other["A2"] = "=SUM(Data!C8:C9)", "kept"
    other["A2"].font = openpyxl.styles.Font(bold=True, name="Arial")
    chart = LineChart()
    chart.add_data(Reference(data, min_col=2, min_row=1, max_row=3))
    other.add_chart(chart, "C3")
    book.save(path)
    return path


def parts(path: Path) -> dict[str, bytes]:
    with zipfile.ZipFile(path) as archive:
        assert archive.testzip() is None
        return {name: archive.read(name) for name in archive.namelist()}


def into(book: Path, path: Path, sheet: str) -> Ran:
    return run_almanac(*TRIAL, "-o", str(path), "--into", sheet, book=book)


@pytest.mark.parametrize("writer", [made_by_hand, by_another_writer])
def test_one_sheet_is_made_anew_and_all_else_stays(demo: Path, tmp_path: Path, writer: Callable[[Path], Path]) -> None:
    path = writer(tmp_path / "book.xlsx")
    before, old = parts(path), openpyxl.load_workbook(path)
    assert into(demo, path, "data").code == 0
    after, book = parts(path), openpyxl.load_workbook(path)
    changed = {name for name in {*before, *after} if before.get(name) != after.get(name)}
    assert changed == {"xl/worksheets/sheet1.xml", "xl/styles.xml", "xl/workbook.xml"}
    assert book.sheetnames == old.sheetnames
    assert [len(sheet._charts) for sheet in book] == [len(sheet._charts) for sheet in old]
    kept, there = old.worksheets[1], book.worksheets[1]
    for row in kept.iter_rows():
        for cell in row:
            other = there[cell.coordinate]
            assert (cell.value, cell.number_format, cell.font.b, cell.font.name, cell.fill.fgColor.rgb) == (
                other.value, other.number_format, other.font.b, other.font.name, other.fill.fgColor.rgb,
            )  # fmt: skip
    # The sheet is the report, in its own look, cell by cell as it is written on its own.
    alone = tmp_path / "alone.xlsx"
    assert run_almanac(*TRIAL, "-o", str(alone), book=demo).code == 0
    own, sheet = openpyxl.load_workbook(alone).worksheets[0], book.worksheets[0]
    for row in own.iter_rows():
        for cell in row:
            other = sheet[cell.coordinate]
            assert (cell.value, cell.number_format, cell.font.b, cell.border.top.style) == (
                other.value, other.number_format, other.font.b, other.border.top.style,
            ), cell.coordinate  # fmt: skip
    texts = [cell.value for row in sheet.iter_rows(min_row=own.max_row + 1) for cell in row if cell.value]
    assert any("adds up to the cent" in str(text) for text in texts), "the proof stands beneath the figures"
    assert 'fullCalcOnLoad="1"' in after["xl/workbook.xml"].decode()
    # Again, and on a sheet that is not there yet.
    assert into(demo, path, "Data").code == 0
    assert into(demo, path, "New one").code == 0
    again = openpyxl.load_workbook(path)
    assert again.sheetnames == [*old.sheetnames, "New one"]
    assert again["New one"]["C8"].value == again.worksheets[0]["C8"].value == 26400000
    assert again.worksheets[1]["A1"].value == "=SUM(Data!C8:C9)"


def test_macros_stay_and_a_new_workbook_is_made(demo: Path, tmp_path: Path) -> None:
    plain, path = made_by_hand(tmp_path / "plain.xlsx"), tmp_path / "book.xlsm"
    stream = io.BytesIO()
    with zipfile.ZipFile(plain) as archive, zipfile.ZipFile(stream, "w") as target:
        for name in archive.namelist():
            target.writestr(name, archive.read(name))
        target.writestr("xl/vbaProject.bin", b"made up")
        target.writestr("xl/calcChain.xml", b"<calcChain/>")
    path.write_bytes(stream.getvalue())
    assert into(demo, path, "Data").code == 0
    assert parts(path)["xl/vbaProject.bin"] == b"made up"
    new = tmp_path / "new.xlsx"
    assert into(demo, new, "Trial").code == 0
    assert openpyxl.load_workbook(new).sheetnames == ["Trial"]
    rows = run_almanac(*TRIAL, "--print", "json", book=demo).json["rows"]
    first = openpyxl.load_workbook(new)["Trial"]
    assert Decimal(str(first["C8"].value)) == Decimal(rows[0]["cells"]["opening"])


@pytest.mark.parametrize(
    ("more", "sheet", "message"),
    [
        ({"write_comment": ("A1", "mine")}, "Data", "this sheet cannot be refreshed safely: \"'Data': it has comments"),
        ({"add_table": ("A5:B7", {})}, "Data", "it has a table"),
        ({"protect": ()}, "Data", "it is protected"),
        ({}, "Da/ta", "no sheet can be called this: 'Da/ta'"),
        ({}, "x" * 32, "no sheet can be called this"),
    ],
)
def test_what_cannot_be_kept_is_refused(
    demo: Path, tmp_path: Path, more: dict[str, Any], sheet: str, message: str
) -> None:
    path = made_by_hand(tmp_path / "book.xlsx", **more)
    before = path.read_bytes()
    ran = into(demo, path, sheet)
    assert (ran.code, message.replace('"', "") in ran.err.replace('"', "")) == (2, True), ran.err
    assert path.read_bytes() == before


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (("-o", "{}/no.xlsm", "--into", "Data"), "there is no such workbook to write into"),
        (("-o", "{}/broken.xlsx", "--into", "Data"), "the file is no workbook that can be read"),
        (("-o", "{}/other.xlsx", "--into", "Data"), "the file is no workbook that can be read"),
        (("-o", "{}/a.csv", "--into", "Data"), "there is no workbook to write into: 'Data'"),
        (("-o", "{}/a.xlsm"), "no format has this ending"),
    ],
)
def test_where_there_is_nothing_to_write_into(demo: Path, tmp_path: Path, words: tuple[str, ...], message: str) -> None:
    (tmp_path / "broken.xlsx").write_bytes(b"PK\x03\x04 not really")
    with zipfile.ZipFile(tmp_path / "other.xlsx", "w") as archive:
        archive.writestr("content.xml", "<office/>")
    ran = run_almanac(*TRIAL, *(word.format(tmp_path) for word in words), book=demo)
    assert (ran.code, message in ran.err) == (2, True), ran.err
