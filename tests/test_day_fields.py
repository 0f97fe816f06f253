"""What documents are on a day, as fields of their lines: `open`, `settled`, `late`, `status`, by a second route."""

from collections import Counter, defaultdict
from datetime import date
from pathlib import Path
from typing import Any

import pytest

from conftest import run_almanac
from second_items import Doc, open_on, read_docs, statuses_on
from small_items import items_book
from test_subledgers import SIDES, cents, run

DAY = "2026-06-17"


def lateness(doc: Doc, left: int, day: date) -> int | None:
    late = (day - (doc.due or doc.dated)).days
    return late if doc.kind == "invoice" and left and late > 0 else None


@pytest.mark.parametrize("side", SIDES)
@pytest.mark.parametrize("day", ["2024-03-31", "2025-02-14", "2025-12-20", DAY])
def test_each_line_has_what_the_replay_says_of_it(demo: Path, side: str, day: str) -> None:
    docs, on = read_docs(demo, SIDES[side]), date.fromisoformat(day)
    left, statuses = open_on(docs, on), statuses_on(docs, on)
    found = run(demo, "list", f"{side}s", "--as-of", day, "--show", "open, settled, late, status")
    rows = {row["key"]: row["cells"] for row in found["rows"]}
    total = rows.pop("total")
    assert {
        key.replace("V149/", "V012/"): (
            cents(cells["open"]), cents(cells["settled"]), cells["late"] and int(cells["late"]), cells["status"]
        )
        for key, cells in rows.items()
    } == {
        docs[at].key: (cents_, cents_ - docs[at].sign * docs[at].cents, lateness(docs[at], cents_, on), statuses[at])
        for at, cents_ in left.items()
    }  # fmt: skip
    assert cents(total["open"]) == sum(left.values())
    assert found["proof"]["balances"]
    later = [part for part in found["proof"]["left_out"] if part["rule"].startswith("posted after")]
    assert sum(part["lines"] for part in later) == len(docs) - len(left)


@pytest.mark.parametrize(
    ("words", "row"),
    [
        (("list", "receivables", "--by", "status", "--show", "count, open"), None),
        (("list", "receivables", "--by", "status", "--columns", "count to date; open to date"), None),
        (("aging", "receivable", "--by", "status"), "total"),
        (("documents", "receivable", "--open", "--by", "status"), "open"),
        (("rank", "receivables", "--by", "status", "--of", "open", "--span", "year"), None),
    ],
)  # fmt: skip
def test_groups_by_status_come_to_what_is_open(demo: Path, words: tuple[str, ...], row: str | None) -> None:
    docs, on = read_docs(demo, SIDES["receivable"]), date.fromisoformat(DAY)
    left, statuses = open_on(docs, on), statuses_on(docs, on)
    first = date(2025, 10, 1) if words[0] == "rank" else date.min
    kinds = ("invoice", "credit") if words[0] == "documents" else tuple({doc.kind for doc in docs})
    expected: defaultdict[str, int] = defaultdict(int)
    counts = Counter(statuses.values())
    for at, amount in left.items():
        if docs[at].posted >= first and docs[at].kind in kinds:
            expected[statuses[at]] += amount
    rows = {each["key"]: each for each in run(demo, *words)["rows"] if each["kind"] in ("line", "subtotal")}
    column = row or next(key for key in ("open-to-date", "open", "now") if key in rows["open"]["cells"])
    assert len(expected) > 2
    for status, amount in expected.items():
        if amount:
            assert cents(rows[status]["cells"][column]) == amount, status
    if words[0] == "list":
        count = next(key for key in rows["open"]["cells"] if key.startswith("count"))
        assert {key: rows[key]["cells"][count] for key in rows} == counts


@pytest.mark.parametrize("report", ["aging", "documents", "parties"])
def test_conditions_may_speak_of_the_day(demo: Path, report: str) -> None:
    docs, on = read_docs(demo, SIDES["payable"]), date.fromisoformat(DAY)
    left = open_on(docs, on)
    late = [at for at, cents_ in left.items() if (lateness(docs[at], cents_, on) or 0) > 60]
    more = {"documents": ("--open",), "parties": ("--show", "invoiced", "--from", "2020-01-01", "--through", DAY)}
    found = run(demo, report, "payable", "--only", "late over 60", *more.get(report, ()))
    column = {"aging": "total", "documents": "open", "parties": "invoiced"}[report]
    total = next(row for row in found["rows"] if row["key"] == "total")
    amounts = [docs[at].cents if report == "parties" else left[at] for at in late]
    assert late
    assert cents(total["cells"][column]) == sum(amounts)


ITEMS = [
    "V1,invoice,I1,1,2025-10-02,2025-11-01,,100.00,,,",
    "V1,payment,P1,1,2025-10-20,,,60.00,I1,,",
    "V1,invoice,I2,1,2025-10-05,,,50.00,,,",
    "V1,payment,P2,1,2025-10-25,,,55.00,I2,,",
    "V2,invoice,I3,1,2025-10-09,,,70.00,,,",
    "V2,payment,P3,1,2025-12-01,,,70.00,I3,,",
    "V2,void,X3,1,2025-12-20,,,70.00,P3,,",
    "V2,payment,P4,1,2025-12-21,,,5.00,,,",
    "V2,invoice,I5,1,2025-10-10,,,20.00,,,",
    "V2,credit,C5,1,2025-10-12,,,20.00,I5,,",
]


@pytest.mark.parametrize(
    ("day", "expected"),
    [
        ("2025-12-31", "part settled, settled, over-applied, settled, open, void, void, unapplied, settled, settled"),
        ("2025-12-10", "part settled, settled, over-applied, settled, settled, settled, settled, settled"),
        ("2025-10-11", "open, open, open, open"),
    ],
)
def test_a_small_book_worked_by_hand(tmp_path: Path, day: str, expected: str) -> None:
    book = items_book(tmp_path, ITEMS)
    assert book.load().code == 0
    ran = run_almanac(
        "list", "payables", "--as-of", day, "--show", "status, file_line", "--sort", "file_line", "--print", "json",
        book=book.root,
    )  # fmt: skip
    rows: list[Any] = [row["cells"]["status"] for row in ran.json["rows"] if row["kind"] == "line"]
    assert ", ".join(rows) == expected


def test_fields_of_the_book_and_of_the_report_go_before_those_of_the_day(tmp_path: Path) -> None:
    book = items_book(tmp_path, ITEMS, more='[tables.payables.compute]\nopen = "amount * 2"\n')
    assert book.load().code == 0
    ran = run_almanac(
        "list", "payables", "--compute", "late = days from date to as-of", "--show", "open, late, status",
        "--as-of", "2025-12-31", "--only", "number is I1", "--print", "json", book=book.root,
    )  # fmt: skip
    assert ran.json["rows"][0]["cells"] == {"open": "200.00", "late": 90, "status": "part settled"}
