"""What JSON, CSV and Parquet tell programs of columns and rows: days, their completeness, kinds, and heads that stand once."""

import csv
import io
from pathlib import Path
from typing import Any

import pytest

from conftest import Almanac

PART = ("2026-06-01", "2026-06-17", True, False)
YEAR = ("2025-10-01", "2026-06-17", True, False)


def days(column: dict[str, Any]) -> tuple[Any, ...]:
    return (column["from"], column["through"], column["complete"], column["whole"])


@pytest.mark.parametrize(
    ("words", "expected"),
    [
        (("statement", "income", "--columns", "ptd; budget ptd; FY2025; ptd prior"),
         {"ptd": PART, "budget-ptd": PART, "fy2025": ("2024-10-01", "2025-09-30", True, True),
          "ptd-prior": ("2026-05-01", "2026-05-17", True, False)}),
        (("statement", "income", "--as-of", "2026-05-10", "--columns", "ptd"), {"ptd": ("2026-05-01", "2026-05-10", True, False)}),
        (("statement", "income", "--as-of", "2026-05-31", "--columns", "ptd"), {"ptd": ("2026-05-01", "2026-05-31", True, True)}),
        (("statement", "income", "--as-of", "2026-06-30", "--columns", "ptd"), {"ptd": ("2026-06-01", "2026-06-30", False, True)}),
        (("trial", "--period", "2026-P09"),
         {"opening": (None, "2026-05-31", True, True), "debit": PART, "closing": (None, "2026-06-17", True, False)}),
        (("trial", "--period", "2026-P08"), {"credit": ("2026-05-01", "2026-05-31", True, True)}),
        (("detail", "61210", "--from", "2026-03-01", "--through", "2026-03-15"), {"debit": ("2026-03-01", "2026-03-15", True, True)}),
        (("rank", "sales", "--by", "route"), {"amount": YEAR, "amount-last-year": ("2024-10-01", "2025-06-17", True, False), "share": YEAR}),
        (("pace", "sales"), {"budget": ("2025-10-01", "2026-09-30", True, True), "spent": YEAR, "projected": (None, "2026-09-30", False, True)}),
        (("aging", "payable"), {"not-due": (None, "2026-06-17", True, True), "total": (None, "2026-06-17", True, True)}),
        (("parties", "payable", "--year", "2026"), {"paid": YEAR, "open": (None, "2026-06-17", True, True)}),
        (("list", "sales", "--by", "route", "--period", "2026-P09"), {"amount": PART}),
        (("billing", "--period", "2026-P08"), {"net": ("2026-05-01", "2026-05-31", True, True)}),
    ],
)  # fmt: skip
def test_columns_say_what_they_cover_and_whether_that_is_whole_and_complete(
    almanac: Almanac, demo: Path, words: tuple[str, ...], expected: dict[str, tuple[Any, ...]]
) -> None:
    columns = {column["key"]: days(column) for column in almanac(*words, "--print", "json", book=demo).json["columns"]}
    assert {key: columns[key] for key in expected} == expected


def test_a_change_says_of_what_it_is_and_rows_of_growth_their_days(almanac: Almanac, demo: Path) -> None:
    words = ("statement", "income", "--columns", "ptd last year; ptd; change; budget ptd; variance", "--print", "json")
    columns = {column["key"]: column for column in almanac(*words, book=demo).json["columns"]}
    assert columns["change"]["change"] == {"of": "ptd", "over": "ptd-last-year"}
    assert columns["variance"]["change"] == {"of": "ptd", "over": "budget-ptd"}
    rows = {row["key"]: row for row in almanac("growth", "sales", "--print", "json", book=demo).json["rows"]}
    assert days(rows["ytd"]) == YEAR


@pytest.mark.parametrize(
    "words",
    [
        ("aging", "payable", "--top", "3"),
        ("rank", "sales", "--by", "item", "--top", "2"),
        ("check",),
        ("trial", "--level", "1"),
        ("list", "ledger", "--by", "account", "--year", "2026"),
        ("documents", "payable", "--open", "--by", "party"),
        ("pace", "ledger", "--entity", "LINE", "--by", "department", "--by-period"),
        ("load", "--look"),
    ],
)
def test_cells_have_keys_of_columns_and_heads_stand_once(almanac: Almanac, demo: Path, words: tuple[str, ...]) -> None:
    told = almanac(*words, "--print", "json", book=demo).json
    keys = {column["key"] for column in told["columns"]}
    assert all(row["cells"].keys() <= keys for row in told["rows"])
    heads, *rows = csv.reader(io.StringIO(almanac(*words, "--print", "csv", book=demo).out))
    assert len(set(heads)) == len(heads), heads
    assert [row[3] for row in rows] == [row["kind"] for row in told["rows"]]


def test_all_other_and_shares_have_kinds_of_their_own(almanac: Almanac, demo: Path) -> None:
    rows = almanac("aging", "payable", "--top", "3", "--print", "json", book=demo).json["rows"]
    assert [row["kind"] for row in rows] == ["line", "line", "line", "all-other", "total", "percent"]
    ranked = almanac(
        "rank", "sales", "--by", "item", "--top", "2", "--within", "terminal", "--print", "json", book=demo
    ).json
    assert {row["kind"] for row in ranked["rows"] if row["key"].endswith("all-other")} == {"all-other"}


def test_carried_and_computed_balances_are_cells(almanac: Almanac, demo: Path) -> None:
    rows = almanac("check", "carried", "--print", "json", book=demo).json["rows"]
    cells = next(row["cells"] for row in rows if row["key"] == "carried/YARD/12120/202601")
    assert (cells["carried"], cells["computed"], cells["amount"]) == ("61866.65", "63106.65", "-1240.00")


def test_a_head_that_stands_twice_has_its_key_behind_it(almanac: Almanac, demo: Path) -> None:
    words = (
        "statement",
        "income",
        "--columns",
        "ptd; ptd last year; change; ytd; ytd last year; change",
        "--print",
        "csv",
    )
    heads = next(csv.reader(io.StringIO(almanac(*words, book=demo).out)))
    assert [head for head in heads if head.startswith("change")] == ["change (change)", "change (change-2)"]
