"""The formats: the same figures in each, nothing cut, nothing that a spreadsheet would run, files replaced whole."""

import csv
import io
import re
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Almanac
from level_almanac.core.table.change import Figure, change_percent
from level_almanac.core.table.model import Check, Column, CountedAmount, Part, Proof, ReportTable, Row
from level_almanac.output.csv_text import csv_text
from level_almanac.output.json_text import json_text
from level_almanac.output.terminal import text
from level_almanac.output.text import cell_words

REPORTS = (
    ["trial"],
    ["trial", "--level", "1"],
    ["statement", "income"],
    ["statement", "income", "--level", "2", "--entity", "LINE"],
    ["calendar"],
    ["list", "ledger", "--by", "account.class, vessel", "--year", "2025", "--show", "count, - amount, vessel.cars"],
    [
        "list",
        "ledger",
        "--only",
        "memo contains dock",
        "--show",
        "posted, account.name, memo, party, reference, amount",
    ],
    ["detail", "12110", "10129", "--period", "2026-P08", "--entity", "LINE", "--subtotals", "--carried"],
    ["trace", "statement", "income", "--row", "40220", "--columns", "ptd; ptd last year"],
    ["documents", "payable", "--open", "--by", "entity", "--entity", "YARD"],
    [
        "parties",
        "payable",
        "--year",
        "2025",
        "--on",
        "paid",
        "--over",
        "7500",
        "--show",
        "paid, open, last-payment, payee",
    ],
)


@pytest.mark.parametrize("words", REPORTS, ids=" ".join)
def test_every_format_shows_the_same_figures(almanac: Almanac, demo: Path, words: list[str]) -> None:
    report = almanac(*words, "--print", "json", book=demo).json
    columns = [column["key"] for column in report["columns"]]
    rows = list(csv.reader(io.StringIO(almanac(*words, "--print", "csv", book=demo).out)))[1:]
    assert [row[0] for row in rows] == [row["key"] for row in report["rows"]]
    shown = almanac(*words, book=demo).out
    for row, plain in zip(report["rows"], rows, strict=True):
        cells = ["" if row["cells"].get(key) is None else str(row["cells"][key]) for key in columns]
        assert plain[4:] == cells
        amounts = [
            cell for cell, column in zip(cells, report["columns"], strict=True) if column["type"] == "amount" and cell
        ]
        line = next(
            (
                line
                for line in shown.splitlines()
                if row["label"] in line and all(f"{abs(Decimal(a)):,.2f}" in line for a in amounts)
            ),
            None,
        )
        assert line is not None, f"{row['label']} stands in the terminal on one line with its amounts"
    assert max(map(len, shown.splitlines())) <= 128
    assert not [line for line in shown.splitlines() if line != line.rstrip()]


@pytest.mark.parametrize("width", [60, 80, 100])
def test_a_narrow_terminal_gets_blocks_and_loses_nothing(almanac: Almanac, demo: Path, width: int) -> None:
    wide = almanac("statement", "income", "--level", "2", book=demo).out
    report = almanac("statement", "income", "--level", "2", "--print", "json", book=demo).json
    narrow = text(_table(report), width)
    assert max(map(len, narrow.splitlines())) <= width
    assert sorted(re.findall(r"[\d,]+\.\d\d\b", wide.split("proof")[0])) == sorted(
        re.findall(r"[\d,]+\.\d\d\b", narrow)
    )
    assert "columns 1 to" in narrow


def _table(report: dict[str, Any]) -> ReportTable:
    """Make a report table of a report's JSON, its amounts and percents as numbers."""
    columns = tuple(
        Column(c["key"], c["label"], c["type"], 2 if c["type"] == "amount" else 1) for c in report["columns"]
    )
    rows = tuple(
        Row(row["key"], row["label"], row["level"], row["kind"], {
            key: Decimal(cell) if cell and re.fullmatch(r"-?\d+\.\d+", cell) else cell for key, cell in row["cells"].items()
        })
        for row in report["rows"]
    )  # fmt: skip
    return ReportTable("A", {}, (), columns, rows)


@given(st.decimals(min_value=-(10**15), max_value=10**15, places=6), st.integers(0, 6))
def test_numbers_round_half_away_from_zero_and_zero_has_no_minus(number: Decimal, decimals: int) -> None:
    column, row = Column("a", "a", "number", decimals), Row("a", "a", 0, "line")
    words = cell_words(number, column, row, ReportTable("A", {}, (), (column,), (row,)))
    shown = Decimal(words.replace(",", "").replace("−", "-"))
    assert abs(shown - number) * 2 <= Decimal(1).scaleb(-decimals)
    assert abs(shown) >= abs(number) or abs(shown - number) * 2 < Decimal(1).scaleb(-decimals)
    assert shown != 0 or "−" not in words


@pytest.mark.parametrize(
    ("of", "over", "percent"),
    [
        (Figure(Decimal("110"), 1), Figure(Decimal("100"), 1), "10"), (Figure(Decimal("-110"), 1), Figure(Decimal("-100"), 1), "-10"),
        (Figure(Decimal("2"), 1), Figure(Decimal("3"), 1), "-33.3333333333"), (Figure(Decimal("2"), 1), Figure(), "new"),
        (Figure(), Figure(Decimal("2"), 1), "gone"), (Figure(Decimal("2"), 1), Figure(Decimal(0), 2), "n/m"),
        (Figure(Decimal("2"), 1), Figure(Decimal("-2"), 1), "n/m"), (Figure(Decimal(0), 1), Figure(Decimal("4"), 1), "-100"),
        (Figure(), Figure(), None),
    ],
)  # fmt: skip
def test_change_percent(of: Figure, over: Figure, percent: str | None) -> None:
    found = change_percent(of, over)
    assert found == (Decimal(percent) if percent and percent[-1].isdigit() else percent)


@pytest.mark.parametrize("width", [70, 90, 128])
def test_long_texts_go_on_beneath_and_no_word_is_lost(width: int) -> None:
    columns = (
        Column("memo", "memo", "text"),
        Column("place", "place", "text"),
        Column("amount", "amount", "amount", 2),
    )
    memos = ["a short one", "a rather long narration of what was done to the slip " * 2, "x" * 90]
    rows = tuple(
        Row(f"J{number}/1", f"J{number}/1", 1, "line", {"memo": memo, "place": "exports/a/b.csv:7", "amount": Decimal(number)})
        for number, memo in enumerate(memos, 1)
    )  # fmt: skip
    heading = Row("h:heading", "A heading that has the whole of a line to itself, however long it is", 0, "heading")
    shown = text(ReportTable("A", {}, (), columns, (heading, *rows)), width).splitlines()
    assert max(map(len, shown)) <= max(width, len(heading.label))
    assert heading.label in shown
    said = "".join("".join(shown).split())
    for memo in memos[:2]:
        assert all(word in said for word in memo.split())
    assert said.count("x") >= 90
    for number in (1, 2, 3):
        assert any(line.strip().startswith(f"J{number}/1") and line.endswith(f"{number}.00") for line in shown)


LURES = ("=1+1", "+1", "-1", "@SUM(A1)", "\tx", "\rx")


@pytest.mark.parametrize("lure", LURES)
def test_text_that_a_spreadsheet_would_run_is_inert_in_csv(lure: str) -> None:
    table = ReportTable("A", {}, (), (Column("c", "c", "text"),), (Row(lure, lure, 0, "line", {"c": lure}),))
    row = list(csv.reader(io.StringIO(csv_text(table), newline="")))[1]
    assert [row[0], row[1], row[4]] == ["'" + lure.replace("\r", "\n")] * 3


def _proof(shown: int, holds: bool) -> Proof:
    return Proof(
        "debits",
        CountedAmount(3, Decimal("3.00")),
        CountedAmount(shown, Decimal("2.00")),
        (Part("carried", CountedAmount(1, Decimal("1.00"))),),
        (Check("sums agree", holds),),
    )


def test_a_proof_that_does_not_add_up_is_shouted() -> None:
    table = ReportTable(
        "A",
        {},
        (),
        (Column("c", "c", "date"),),
        (Row("r", "r", 0, "line", {"c": date(2026, 2, 1)}),),
        proof=_proof(2, True),
    )
    assert "adds up to the cent · sums agree" in text(table)
    assert '"balances": true' in json_text(table)
    for proof, words in ((_proof(1, True), "DOES NOT ADD UP"), (_proof(2, False), "DOES NOT HOLD: sums agree")):
        assert not proof.balances
        assert words in text(ReportTable("A", {}, (), table.columns, table.rows, proof=proof))


def test_files_are_written_by_their_ending_and_replaced_whole(almanac: Almanac, demo: Path, tmp_path: Path) -> None:
    targets = [tmp_path / f"trial.{ending}" for ending in ("csv", "json", "txt")]
    targets[0].write_text("old")
    ran = almanac("trial", *(word for target in targets for word in ("-o", target)), book=demo)
    assert (ran.code, ran.out) == (0, "")
    assert ran.err == "".join(f"wrote {target}\n" for target in targets)
    for target, printed in zip(targets, ("csv", "json", "terminal"), strict=True):
        assert target.read_text(encoding="utf-8") == almanac("trial", "--print", printed, book=demo).out
    assert sorted(tmp_path.iterdir()) == sorted(targets)


@pytest.mark.parametrize(
    ("target", "message"),
    [
        (
            "trial.doc",
            "-o: no format has this ending: '{}'; expected .xlsx, .csv, .json, .html, .pdf, .md, .parquet, .png, .svg or .txt",
        ),
        ("nowhere/trial.csv", "-o: there is no such folder: '{parent}'"),
    ],
)
def test_a_target_that_cannot_be_is_told_before_any_work(
    almanac: Almanac, tmp_path: Path, target: str, message: str
) -> None:
    path = tmp_path / target
    ran = almanac("trial", "-o", path, cwd=tmp_path)
    assert ran.code == 2
    assert ran.err == f"almanac: {message.format(path, parent=path.parent)}\n"
