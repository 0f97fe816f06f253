"""What an edition tells of changes in documents, billing and sales, by plain loops over the exports; and its parts."""

import csv
import json
import shutil
from collections import defaultdict
from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any
from unittest.mock import patch

import duckdb
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import copied, run_almanac
from level_almanac.core.editions.compare_report import ComparedPage, Comparison, compare_report
from level_almanac.core.editions.figure_lines import FigureChange, Share, derived_shares, effects, shares_in
from level_almanac.core.editions.issued_figures import figures_in, moved_figures, summed_difference
from level_almanac.core.table.model import Column, ReportTable, Row
from level_almanac.files.tables import Field, Table
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from level_almanac.store.line_changes import changed_lines
from level_almanac.store.state import LoadedFile, State, Store

PAGES = {
    "aging": 'report = "aging payable"\n',
    "documents": 'report = "documents receivable"\n[options]\nby = "party"\nas-of = "as-of"\n',
    "parties": 'report = "parties payable"\n[options]\nshow = "invoiced, paid, payments, open"\n',
    "billing": 'report = "billing"\n[options]\nby = "office"\nperiod = "2026-P08"\n',
    "growth": 'report = "growth sales"\n[options]\neach = "period"\nlast = 2\nas-of = "as-of"\n',
    "rank": 'report = "rank sales"\n[options]\nby = "item"\ntop = 4\nas-of = "as-of"\n',
    "list": 'report = "list sales"\n[options]\nby = "terminal"\nshow = "count, quantity, amount"\nperiod = "2026-P08"\n',
}
Edit = Callable[[list[dict[str, str]]], None]


def rewrite(path: Path, edit: Edit) -> None:
    """Edit an export's rows in place."""
    with path.open(newline="") as stream:
        reader = csv.DictReader(stream)
        heads, rows = list(reader.fieldnames or ()), list(reader)
    edit(rows)
    with path.open("w", newline="") as stream:
        writer = csv.DictWriter(stream, heads, lineterminator="\n")
        writer.writeheader()
        writer.writerows(rows)


def rows_of(path: Path) -> list[dict[str, str]]:
    with path.open(newline="") as stream:
        return list(csv.DictReader(stream))


@pytest.fixture(scope="module")
def changed(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path, dict[str, Any]]:
    """Return the demo book before and after documents, billing and sales were edited, and what compare tells."""
    before = tmp_path_factory.mktemp("changes") / "before"
    copied(demo, before)
    shutil.rmtree(before / "pages")
    for name, text in PAGES.items():
        path = before / f"pages/all/{name}.toml"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    # What is compared are figures; laying them out on paper takes longer than all else here.
    with patch("level_almanac.api.edition_files.pdf_together", return_value=b"%PDF-"):
        issued = run_almanac(
            "edition", "issue", "may", "--period", "2026-P08", "--pages", "all", "--with-findings", book=before
        )
    assert issued.code == 0, issued.err
    book = before.with_name("after")
    copied(before, book)

    def documents(rows: list[dict[str, str]]) -> None:
        invoice = next(row for row in rows if row["Kind"] == "INV" and row["Booked"].startswith("2026-05"))
        rows.append({**invoice, "Number": "LATE-1", "Amount": "777.70", "Settles": "", "Matched": ""})
        paid = next(
            row for row in rows if row["Kind"] == "PAY" and row["Booked"].startswith("2026-04") and row["Settles"]
        )
        rows.remove(paid)

    def owed(rows: list[dict[str, str]]) -> None:
        for row in [row for row in rows if row["Kind"] == "INV" and row["Booked"].startswith("2026-05")][:2]:
            row["Amount"] = str(Decimal(row["Amount"]) + 10)

    def sales(rows: list[dict[str, str]]) -> None:
        may = [row for row in rows if row["Day"].startswith("2026-05")]
        may[0]["Takings"] = str(Decimal(may[0]["Takings"]) + Decimal("1.25"))
        may[5]["Day"] = "2026-04-30"
        rows.remove(may[9])

    def billed(rows: list[dict[str, str]]) -> None:
        may = [row for row in rows if row["Booked"].startswith("2026-05")]
        may[3]["Amount"] = str(Decimal(may[3]["Amount"]) + Decimal("0.75"))
        rows.remove(may[7])

    rewrite(book / "exports/items/suppliers.csv", documents)
    rewrite(book / "exports/items/customers.csv", owed)
    rewrite(book / "exports/sales/sales-2026.csv", sales)
    rewrite(book / "exports/billing/billing-2026.csv", billed)
    loaded = run_almanac("load", book=book)
    assert loaded.code == 0, loaded.err
    ran = run_almanac("edition", "compare", "may", "--print", "json", book=book)
    assert ran.code == 0, ran.err
    return before, book, ran.json


def test_changed_lines_of_every_table_are_named(changed: tuple[Path, Path, dict[str, Any]]) -> None:
    _, _, report = changed
    told: defaultdict[str, int] = defaultdict(int)
    for row in report["rows"]:
        if row["key"].startswith("lines/") and row["kind"] == "line":
            told[f"{row['key'].split('/')[1]} {row['label'].split()[0]}"] += 1
    assert told == {
        "payables added": 1,
        "payables removed": 1,
        "receivables altered": 2,
        "sales altered": 2,
        "sales removed": 1,
        "billing altered": 1,
        "billing removed": 1,
    }
    moved = next(row for row in report["rows"] if "→ 30 Apr 2026" in row["label"])
    assert "May 2026 → 30 Apr 2026" in moved["label"]


def amounts(report: dict[str, Any], page: str, column: str) -> dict[str, Decimal]:
    front = f"all/{page}/"
    return {
        row["key"].removeprefix(front).removesuffix(f"/{column}"): Decimal(row["cells"]["difference"])
        for row in report["rows"]
        if row["key"].startswith(front) and row["key"].endswith(f"/{column}") and row["level"] == 2
    }


def test_differences_are_those_of_the_exports(changed: tuple[Path, Path, dict[str, Any]]) -> None:
    before, book, report = changed
    assert report["proof"]["balances"]
    assert "come to the difference of each of" in report["proof"]["checks"][0]["words"]

    def sold(root: Path, field: str, low: str, high: str) -> dict[str, Decimal]:
        sums: defaultdict[str, Decimal] = defaultdict(Decimal)
        for row in rows_of(root / "exports/sales/sales-2026.csv"):
            if low <= row["Day"] <= high:
                sums[row[field]] += Decimal(row["Takings"])
                sums["total"] += Decimal(row["Takings"])
        return sums

    def off(field: str, low: str, high: str) -> dict[str, Decimal]:
        old, new = sold(before, field, low, high), sold(book, field, low, high)
        return {key: new[key] - old[key] for key in {*old, *new} if new[key] != old[key]}

    terminals = off("Terminal", "2026-05-01", "2026-05-31")
    assert amounts(report, "list", "amount") == terminals
    items = off("Item", "2025-10-01", "2026-05-31")
    ranked = amounts(report, "rank", "amount")
    assert {key: ranked[key] for key in items if key in ranked} == {key: items[key] for key in items if key in ranked}
    assert sum(value for key, value in ranked.items() if key != "total") == ranked["total"]
    growth = amounts(report, "growth", "now")
    assert growth["2026-P08"] == terminals["total"]
    assert growth["2026-P07"] == off("Terminal", "2026-04-01", "2026-04-30")["total"]

    def open_to(root: Path) -> Decimal:
        signs = {"INV": 1, "CRN": -1, "PAY": -1, "WOF": -1, "REF": 1, "VOI": 1}
        rows = rows_of(root / "exports/items/suppliers.csv")
        return sum((signs[r["Kind"]] * Decimal(r["Amount"]) for r in rows if r["Booked"] <= "2026-05-31"), Decimal(0))

    assert amounts(report, "aging", "total")["total"] == open_to(book) - open_to(before)
    assert amounts(report, "parties", "invoiced")["total"] == Decimal("777.70")
    assert amounts(report, "documents", "amount")["total"] == 20


def test_each_difference_stands_on_its_lines(changed: tuple[Path, Path, dict[str, Any]]) -> None:
    _, _, report = changed
    rows = report["rows"]
    followed = checked = 0
    for at, row in enumerate(rows):
        if row["level"] != 2 or not row["key"].startswith("all/"):
            continue
        if "(" in row["label"]:
            followed += "follows from others" in row["label"]
            continue
        lines = []
        below = at + 1
        while below < len(rows) and rows[below]["level"] == 2 and "(" not in rows[below]["label"]:
            below += 1
        while below < len(rows) and rows[below]["level"] == 3:
            lines.append(Decimal(rows[below]["cells"]["difference"]))
            below += 1
        assert sum(lines) == Decimal(row["cells"]["difference"]), row["key"]
        checked += 1
    assert checked > 40
    assert followed > 5


TABLE = Table(
    "things",
    ("number",),
    (Field("number", "text", required=True), Field("amount", "amount"), Field("note", "text"), Field("day", "date")),
)


def store_of(
    root: Path, name: str, files: dict[str, Sequence[str]], columns: str = "number, amount, note, day"
) -> tuple[Store, State]:
    """Write parts of hand-made lines; a line is SQL values of the columns."""
    store = Store(root / name)
    store.parts.mkdir(parents=True)
    loaded = []
    for file, lines in files.items():
        part = f"things-{file}-{abs(hash((file, *lines)))}.parquet"
        values = ", ".join(f"({line}, '{file}', {number})" for number, line in enumerate(lines, 2))
        duckdb.sql(
            f"copy (select * from (values {values}) as t({columns}, file, file_line)) to '{store.parts / part}' (format parquet)"
        )
        loaded.append(LoadedFile(path=file, table="things", sha256="", reading="", lines=len(lines), part=part))
    return store, State(loaded_at=datetime(2026, 6, 1, tzinfo=UTC), rules="", files=tuple(loaded))


def line(number: str, amount: str = "1.00", note: str = "null", day: str = "date '2026-05-01'") -> str:
    return f"'{number}', {amount}::decimal(18,2), {note}::varchar, {day}"


def test_lines_are_compared_by_key_and_content_wherever_they_stand(tmp_path: Path) -> None:
    before = store_of(
        tmp_path,
        "before",
        {
            "same": [line("S1"), line("S2")],
            "one": [
                line("A"),
                line("B", "2.00", "'x'"),
                line("C"),
                line("D", note="''"),
                line("E", note="'a'||chr(31)"),
            ],
        },
    )
    after = store_of(
        tmp_path,
        "after",
        {
            "same": [line("S1"), line("S2")],
            "two": [
                line("C"),
                line("B", "2.50", "'x'"),
                line("N", note="null", day="null"),
                line("D"),
                line("E", note="'a'||chr(31)"),
            ],
        },
    )
    found = changed_lines(DuckDBEngine([tmp_path]), before, after, TABLE)
    assert [(each.key, each.before is None, each.after is None) for each in found] == [
        (("A",), False, True),
        (("B",), False, False),
        (("D",), False, False),
        (("N",), True, False),
    ]
    changed_b = found[1]
    assert changed_b.before is not None
    assert changed_b.after is not None
    assert (changed_b.before["amount"], changed_b.after["amount"]) == (Decimal("2.00"), Decimal("2.50"))
    assert (changed_b.before["file_line"], changed_b.after["file_line"]) == (3, 3)
    assert changed_lines(DuckDBEngine([tmp_path]), before, before, TABLE) == []


def test_a_field_that_one_state_lacks_is_blank_there(tmp_path: Path) -> None:
    before = store_of(tmp_path, "before", {"one": ["'A', 1.00", "'B', 1.00"]}, "number, amount")
    after = store_of(tmp_path, "after", {"one": [line("A", day="null"), line("B", note="'new'", day="null")]})
    found = changed_lines(DuckDBEngine([tmp_path]), before, after, TABLE)
    assert [each.key for each in found] == [("B",)]
    assert found[0].before is not None
    assert found[0].before["note"] is None


def shares(**amounts_: str) -> dict[str, Share]:
    return {key: Share(Decimal(amount), f"f:{key}") for key, amount in amounts_.items()}


def test_effects_are_what_lines_add_more_or_less() -> None:
    found = effects(shares(a="1", b="2", c="3"), shares(b="2", c="1", d="5"), {"c"})
    assert [(each.key, each.amount, each.word) for each in found] == [
        ("c", Decimal(-2), "altered"),
        ("d", Decimal(5), "added"),
        ("a", Decimal(-1), "removed"),
    ]
    both = effects(shares(a="1"), shares(a="1"))
    assert both == ()
    # A line that came to this figure from another is there on both sides.
    assert effects({}, shares(c="4"), {"c"})[0].word == "altered"


@pytest.mark.parametrize("factor", [1, -1])
def test_a_column_less_another_has_the_lines_of_both(factor: int) -> None:
    found = derived_shares(shares(a="5", b="1"), shares(b="3", c="2"), factor)
    assert {key: share.amount for key, share in found.items()} == {
        "a": Decimal(5 * factor),
        "b": Decimal(-2 * factor),
        "c": Decimal(-2 * factor),
    }


def trace(*rows: Row, columns: Sequence[str] = ("amount",)) -> ReportTable:
    kinds = tuple(Column(key, key, "amount" if key != "export" else "text") for key in (*columns, "export"))
    return ReportTable("t", {}, (), kinds, rows)


def test_shares_are_read_from_each_shape_of_trace() -> None:
    lines = trace(
        Row("6100:heading", "6100", 0, "heading"),
        Row("6100/J/1", "J/1", 1, "line", {"amount": Decimal(2), "export": "f:2"}),
        Row("6100/J/2", "J/2", 1, "line", {"amount": None, "export": "f:3"}),
        Row("total", "Total", 0, "total", {"amount": Decimal(2)}),
    )
    assert shares_in(lines) == {
        "amount": {"J/1": Share(Decimal(2), "f:2")},
        "count": {"J/1": Share(Decimal(1), "f:2"), "J/2": Share(Decimal(1), "f:3")},
    }
    documents = trace(
        Row("V1/invoice/7>own", "invoice", 1, "line", {"amount": Decimal(9), "export": "f:9"}),
        Row("V1/invoice/7", "7 in the figure", 0, "subtotal", {"figure": Decimal(4)}),
        Row("total", "Total", 0, "total", {"figure": Decimal(4)}),
        columns=("amount", "figure"),
    )
    assert shares_in(documents) == {"": {"V1/invoice/7": Share(Decimal(4), "f:9")}}
    plan = trace(
        Row("p:3/2026-P08", "p:3", 0, "line", {"account": "6100", "period": "2026-P08", "part": Decimal("1.5")}),
        Row("p:9/2026-P08", "p:9", 0, "line", {"account": "6100", "period": "2026-P08", "part": Decimal(2)}),
        columns=("part",),
    )
    assert shares_in(plan) == {"": {"6100/2026-P08": Share(Decimal("3.5"), "p:9")}}


def plain(*columns: tuple[str, str, str | None], rows: dict[str, dict[str, Any]]) -> dict[str, Any]:
    return {
        "columns": [
            {"key": key, "label": label, "type": "text" if key == "note" else "amount", "from": day, "through": day}
            for key, label, day in columns
        ],
        "rows": [
            {"key": key.rstrip("'"), "label": key.upper(), "kind": "line", "cells": cells}
            for key, cells in rows.items()
        ],
    }


def test_figures_are_named_by_row_and_column_and_a_change_by_its_group() -> None:
    columns = (
        ("ptd", "month", "2026-05-31"), ("change", "change", None), ("ytd", "year", "2026-05-31"), ("change-2", "change", None), ("note", "note", None),
    )  # fmt: skip
    found = figures_in(
        plain(*columns, rows={"a": {"ptd": "1.50", "change": "2", "change-2": "3", "note": "x", "ytd": None}})
    )
    assert {place: (each.words, each.value) for place, each in found.items()} == {
        ("a", "ptd"): ("A, month 31 May 2026", Decimal("1.50")),
        ("a", "change"): ("A, change, month", Decimal(2)),
        ("a", "ytd"): ("A, year 31 May 2026", None),
        ("a", "change-2"): ("A, change, year", Decimal(3)),
        ("a", "note"): ("A, note", "x"),
    }


def test_figures_that_differ_are_told_in_both_directions() -> None:
    columns = (("ptd", "month", "2026-05-31"), ("note", "note", None))
    before = figures_in(
        plain(
            *columns, rows={"a": {"ptd": "1.5"}, "b": {"ptd": "2", "note": "x"}, "c": {"ptd": "3"}, "e": {"ptd": None}}
        )
    )
    after = figures_in(
        plain(
            *columns, rows={"a": {"ptd": "1.50"}, "b": {"ptd": "5", "note": "y"}, "d": {"ptd": "7"}, "d'": {"ptd": "8"}}
        )
    )
    assert [(each.figure.row, each.figure.column, each.difference) for each in moved_figures(before, after)] == [
        ("b", "ptd", Decimal(3)),
        ("b", "note", None),
        ("d", "ptd", Decimal(7)),
        ("d#2", "ptd", Decimal(8)),
        ("c", "ptd", Decimal(-3)),
    ]


CELLS = st.none() | st.just("n/m") | st.decimals(-1000, 1000, places=2).map(str)
SIDES = st.dictionaries(st.sampled_from("abcdef"), st.dictionaries(st.sampled_from(["ptd", "ytd"]), CELLS))


@given(SIDES, SIDES)
def test_the_figures_that_differ_come_to_what_all_figures_differ_by(
    before: dict[str, Any], after: dict[str, Any]
) -> None:
    columns = (("ptd", "month", "2026-05-31"), ("ytd", "year", "2026-05-31"))
    sides = [figures_in(plain(*columns, rows=side)) for side in (before, after)]
    moved = list(moved_figures(*sides))
    assert sum(each.difference or Decimal(0) for each in moved) == summed_difference(*sides)
    if moved and moved[-1].difference:
        assert sum(each.difference or Decimal(0) for each in moved[:-1]) != summed_difference(*sides)


@pytest.mark.parametrize("lost", [0, 1])
def test_a_comparison_that_loses_a_figure_does_not_add_up(lost: int) -> None:
    columns = (("ptd", "month", "2026-05-31"),)
    sides = [figures_in(plain(*columns, rows={"a": {"ptd": str(n)}, "b": {"ptd": str(9 * n)}})) for n in (1, 2)]
    told = [FigureChange(each, None, (), "follows from others") for each in moved_figures(*sides)][lost:]
    page = ComparedPage("p", "P", 2, summed_difference(*sides), told)
    made = compare_report(Comparison("e", "before", "after", (), (), (page,), {}))
    assert made.proof is not None
    assert made.proof.adds_up == (not lost)


def test_the_record_of_an_edition_names_all_it_was_made_from(changed: tuple[Path, Path, dict[str, Any]]) -> None:
    before, _, _ = changed
    record = json.loads((before / "editions/may/edition.json").read_text())
    lines = {path.name: len(rows_of(path)) for path in (before / "exports/items").glob("*.csv")}
    assert record["data"]["payables"] == lines["suppliers.csv"]
    assert record["data"]["receivables"] == lines["customers.csv"]
    assert record["when"] == {"period": "2026-P08"}
    assert record["covers"] == "2026-P08, 1–31 May 2026"
    assert record["through"]["ledger"] == "2026-06-17"
    assert [page["name"] for page in record["pages"]] == [f"all/{name}" for name in sorted(PAGES)]
    findings = {page["name"]: len(page["findings"]) for page in record["pages"] if page["findings"]}
    assert findings == {"all/aging": 1}
