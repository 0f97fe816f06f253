"""Chosen columns of documents, aging, parties and billing, and the lines of parties, by plain loops over the exports."""

import csv
from collections import defaultdict
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

from conftest import run_almanac
from second_items import Doc, bucket, open_on, read_docs, statuses_on
from second_sales import billing
from test_subledgers import SIDES, cents, run

DATES = ("served", "posted", "checked", "deposited")
TODAY = date(2026, 6, 17)
FIRST, LAST = date(2024, 10, 1), date(2025, 9, 30)


def names_of(demo: Path) -> dict[str, dict[str, str]]:
    (path,) = (demo / "exports").rglob("parties*.csv")
    with path.open(encoding="utf-8", newline="") as stream:
        rows = list(csv.reader(stream))
    return {row[0]: dict(zip(rows[0], row, strict=True)) for row in rows[1:]}


def lined(found: dict[str, Any]) -> dict[str, dict[str, Any]]:
    return {row["key"]: row["cells"] for row in found["rows"] if row["kind"] == "line"}


def total(found: dict[str, Any]) -> dict[str, Any]:
    cells: dict[str, Any] = next(row["cells"] for row in found["rows"] if row["key"] == "total")
    return cells


@pytest.mark.parametrize("side", SIDES)
def test_documents_show_any_fields_of_their_lines(demo: Path, side: str) -> None:
    docs = read_docs(demo, SIDES[side])
    left, statuses = open_on(docs, TODAY), statuses_on(docs, TODAY)
    show = "posted, open, what = status, party.name, signed, quarter of posted, party, count"
    found = run(demo, "documents", side, "--open", "--show", show)
    assert [each["key"] for each in found["columns"]] == [
        "posted", "open", "what", "party.name", "signed", "quarter of posted", "party", "count",
    ]  # fmt: skip
    open_ = {at: amount for at, amount in left.items() if amount and docs[at].kind in ("invoice", "credit")}
    rows = lined(found)
    assert {
        key: (row["posted"], cents(row["open"]), row["what"], cents(row["signed"])) for key, row in rows.items()
    } == {
        docs[at].key: (docs[at].posted.isoformat(), amount, statuses[at], docs[at].sign * docs[at].cents)
        for at, amount in open_.items()
    }
    names = names_of(demo)
    for row in rows.values():
        assert row["party"] == f"{row['party'].split()[0]} {row['party.name'] or row['party'].split()[0]}"
        assert row["party.name"] in {None, *(each for of in names.values() for each in of.values())}
        year, month = int(row["posted"][:4]), int(row["posted"][5:7])
        assert row["quarter of posted"] == f"{year + (month > 9)}-Q{(month + 2) % 12 // 3 + 1}"
    assert cents(total(found)["signed"]) == sum(docs[at].sign * docs[at].cents for at in open_)
    assert (total(found)["count"], "what" in total(found)) == (len(open_), False)


@pytest.mark.parametrize("side", SIDES)
@pytest.mark.parametrize("top", [3, 500])
def test_an_aging_shows_fields_of_the_lines_behind_it(demo: Path, side: str, top: int) -> None:
    docs = read_docs(demo, SIDES[side])
    left = open_on(docs, TODAY)
    show = "oldest = minimum of due, over-90, count, how many number, of it = signed, party.side"
    found = run(demo, "aging", side, "--top", str(top), "--show", show)
    by_party: defaultdict[str, list[int]] = defaultdict(list)
    for at, amount in left.items():
        if amount:
            by_party[docs[at].party].append(at)

    def expected(places: list[int]) -> tuple[Any, ...]:
        late = sum(left[at] for at in places if bucket(docs[at], TODAY) == "over-90")
        due = min((docs[at].due for at in places if docs[at].due), default=None)  # type: ignore[type-var]
        numbers = {docs[at].number for at in places}
        signed = sum(docs[at].sign * docs[at].cents for at in places)
        return (due and due.isoformat(), late, len(places), len(numbers), signed)

    def told(cells: dict[str, Any]) -> tuple[Any, ...]:
        return (
            cells["oldest"],
            cents(cells["over-90"]),
            cells["count"],
            cells["how many number"],
            cents(cells["of-it"]),
        )

    rows = lined(found)
    shown = [key for key in rows if key in by_party]
    assert len(shown) == min(top, len(by_party))
    for key in shown:
        assert told(rows[key]) == expected(by_party[key]), key
        assert rows[key]["party.side"] in (None, side, "")
    assert told(total(found)) == expected([at for places in by_party.values() for at in places])
    if "all-other" in rows:
        others = [at for party, places in by_party.items() if party not in shown for at in places]
        assert told(rows["all-other"]) == expected(others)


def of_year(docs: list[Doc]) -> dict[str, list[Doc]]:
    found: defaultdict[str, list[Doc]] = defaultdict(list)
    for doc in docs:
        if FIRST <= doc.posted <= LAST:
            found[doc.party].append(doc)
    return found


def test_parties_show_their_own_fields_in_the_order_asked_for(demo: Path) -> None:
    by_party = of_year(read_docs(demo, "suppliers"))
    show = "party.side, paid, oldest = minimum of posted, count, open"
    words = ("parties", "payable", "--year", "2025", "--show", show, "--on", "invoices", "--at-least", "12")
    found = run(demo, *words, "--sort", "count")
    assert [each["key"] for each in found["columns"]] == ["party.side", "paid", "oldest", "count", "open", "invoices"]
    rows = lined(found)
    numbers = {party: {doc.number for doc in docs if doc.kind == "invoice"} for party, docs in by_party.items()}
    assert {*rows} == {party for party, of in numbers.items() if len(of) >= 12}
    for party, cells in rows.items():
        docs = by_party[party]
        paid = sum({"payment": 1, "refund": -1, "void": -1}.get(doc.kind, 0) * doc.cents for doc in docs)
        assert (cells["oldest"], cells["count"]) == (min(doc.posted for doc in docs).isoformat(), len(docs))
        assert (cents(cells["paid"]), cells["party.side"]) == (paid, "payable")
    counts = [cells["count"] for cells in rows.values()]
    assert counts == sorted(counts, reverse=True)
    assert total(found)["count"] == sum(counts)
    # A party of whom only something is open has no line in the days, and yet its own fields.
    few = ("--from", "2026-06-15", "--through", "2026-06-17", "--everyone", "--show", "party.name, count, open")
    everyone = lined(run(demo, "parties", "payable", *few))
    idle = {key: cells for key, cells in everyone.items() if not cells["count"]}
    assert idle
    names = names_of(demo)
    for key, cells in idle.items():
        assert cells["party.name"] in [*names.get(key, {"": None}).values()]


def test_the_lines_of_parties_come_to_their_totals(demo: Path) -> None:
    by_party = of_year(read_docs(demo, "suppliers"))
    words = ("parties", "payable", "--year", "2025", "--lines", "--on", "paid", "--over", "5000")
    found = run(demo, *words, "--show", "kind, day, paid, invoiced, invoices, open, signed")
    group, behind = "", defaultdict(list)
    for row in found["rows"]:
        if row["kind"] == "heading":
            group = row["key"].removesuffix("/heading")
        elif row["kind"] == "line":
            behind[row["key"].split("/")[1]].append(row["cells"])
        elif row["key"] != "total":
            lines = behind[row["key"]]
            assert len(lines) == len(by_party[row["key"]])
            for key in ("paid", "invoiced", "signed"):
                assert sum(cents(cells.get(key)) for cells in lines) == cents(row["cells"][key]), key
            assert sum(cells.get("invoices") or 0 for cells in lines) == row["cells"]["invoices"]
            assert [cells["day"] for cells in lines] == sorted(cells["day"] for cells in lines)
    assert group
    assert len(behind) > 10
    assert found["proof"]["balances"]


@pytest.mark.parametrize(
    ("words", "row", "column"),
    [
        ("documents payable --open --show posted,open,signed", "total", "signed"),
        ("aging payable --top 4 --show total,signed,count", "all-other", "signed"),
        ("aging payable --top 4 --show total,signed,count", "total", "count"),
        ("parties payable --year 2025 --show paid,signed,count --top 3", "shown", "signed"),
        ("parties payable --year 2025 --lines --on paid --between 7400 7500", "total", "paid"),
        # A number may have a stroke in it, as the parts of a key have between them.
        (
            "parties payable --year 2025 --lines --on paid --between 7400 7500",
            "LINE/V142/invoice/GJ25-00006/2/1",
            "invoiced",
        ),
    ],
)
def test_what_is_shown_is_traced(demo: Path, words: str, row: str, column: str) -> None:
    figure = next(each["cells"][column] for each in run(demo, *words.split())["rows"] if each["key"] == row)
    traced = run(demo, "trace", *words.split(), "--row", row, "--column", column)
    assert "the documents sum to the figure" in [each["words"] for each in traced["proof"]["checks"]]
    assert traced["proof"]["balances"]
    last = traced["rows"][-1]["cells"]
    assert Decimal(figure) in {Decimal(cell) for cell in last.values() if cell is not None}


def test_billing_shows_all_four_dates_of_its_entries(demo: Path) -> None:
    words = ("billing", "--from", "2026-06-15", "--through", "2026-06-16", "--lines")
    show = "served, posted, checked, deposited, kind, party.name, signed, charges"
    found = run(demo, *words, "--show", show)
    usual = lined(run(demo, *words))
    assert [each["key"] for each in found["columns"]] == [
        *DATES, "kind", "party.name", "signed", "charge",
    ]  # fmt: skip
    rows = lined(found)
    assert {*rows} == {*usual}
    exported = {entry.key: entry for entry in billing(demo)}
    for key, cells in rows.items():
        assert (cells["charge"], cells["kind"]) == (usual[key]["charge"], usual[key]["kind"])
        entry = exported[key.removeprefix("LINE/")]
        dates = (entry.served, entry.posted, entry.checked, entry.deposited)
        assert [cells[name] for name in DATES] == [each and each.isoformat() for each in dates]
    assert total(found)["charge"] == total(run(demo, *words))["charge"]


@pytest.mark.parametrize(
    ("words", "message"),
    [
        ("documents payable --show opn", "neither a column of the report nor a field: 'opn'"),
        ("documents payable --show open,open", "--show: shown twice: 'open'"),
        ("documents payable --show open=amount", "the report has a column of this name: 'open=amount'"),
        ("aging payable --show ,", "--show: no column is left to show: ','"),
        ("parties payable --show payed", "neither a column of the report nor a field: 'payed'"),
        ("billing --show chrges", "did you mean 'charges'?"),
        ("trace aging payable --show due,total --row total --column due", "no sum of documents: 'due'"),
        ("documents payable --show nam=party.name,open,wide=payee --sort wid", "did you mean 'wide'?"),
    ],
)
def test_what_cannot_be_shown_is_told_in_one_line(demo: Path, words: str, message: str) -> None:
    ran = run_almanac(*words.split(), book=demo)
    assert ran.code == 2
    assert message in ran.err
