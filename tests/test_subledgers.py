"""Aging, documents and parties on the demo, each figure by a second route over the exports."""

from collections import defaultdict
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

from conftest import run_almanac
from second_items import Doc, bucket, open_on, read_docs
from second_route import read

SIDES = {"payable": "suppliers", "receivable": "customers"}
PLANTED = {("payable", "LINE"): (date(2026, 5, 19), -194_413), ("receivable", "YARD"): (date(2026, 5, 7), 45_000)}
"""What the sub-ledgers have more than the control accounts, in cents, from which day on."""
CONTROLS = {"payable": ("20110",), "receivable": ("12110", "12120")}


def run(demo: Path, *words: str) -> dict[str, Any]:
    ran = run_almanac(*words, "--print", "json", book=demo)
    assert ran.code in (0, 1), ran.err
    return ran.json


def cents(cell: str | None) -> int:
    return int(Decimal(cell or 0) * 100)


@pytest.fixture(scope="module")
def docs(demo: Path) -> dict[str, list[Doc]]:
    return {side: read_docs(demo, name) for side, name in SIDES.items()}


@pytest.mark.parametrize("side", SIDES)
@pytest.mark.parametrize("day", ["2023-09-30", "2024-03-31", "2025-02-14", "2025-09-30", "2026-05-31", "2026-06-17"])
def test_an_aging_is_a_replay_of_the_documents_and_ties_to_the_ledger(
    demo: Path, docs: dict[str, list[Doc]], side: str, day: str
) -> None:
    on = date.fromisoformat(day)
    left = open_on(docs[side], on)
    expected: defaultdict[str, defaultdict[str, int]] = defaultdict(lambda: defaultdict(int))
    for at, amount in left.items():
        doc = docs[side][at]
        if amount:
            for column in (bucket(doc, on), "total"):
                expected[doc.party][column] += amount
    found = run(demo, "aging", side, "--as-of", day)
    rows = {row["key"]: row["cells"] for row in found["rows"]}
    totals, _ = rows.pop("total"), rows.pop("percent")
    columns = [column["key"] for column in found["columns"] if column["key"] != "share"]
    assert {key: {name: cents(cells[name]) for name in columns} for key, cells in rows.items()} == {
        party: {name: amounts[name] for name in columns} for party, amounts in expected.items()
    }
    ledger = sum(
        int(line.amount * 100) * (-1 if side == "payable" else 1)
        for line in read(demo)
        if line.account in CONTROLS[side]
        and (line.source != "CF" or line.year == 2024)
        and (line.day <= on or (line.source == "CF" and line.posted <= on))
    )
    planted = sum(amount for (of, _), (since, amount) in PLANTED.items() if of == side and since <= on)
    # One bill is booked into May though it came in June: the ledger has it earlier than the documents do.
    if side == "payable" and day == "2026-05-31":
        planted -= 318_240
    if day == "2023-09-30":
        # The ledger's base opens the next day.
        assert cents(totals["total"]) == ledger
        assert found["proof"]["balances"]
        return
    assert cents(totals["total"]) == ledger + planted
    assert found["proof"]["balances"] is (planted == 0)


@pytest.mark.parametrize(
    ("words", "keeps"),
    [
        (("--entity", "YARD"), lambda doc: doc.entity == "YARD"),
        (("--except", "kind is invoice and due before 2026-01-01"),
         lambda doc: not (doc.kind == "invoice" and doc.due and doc.due < date(2026, 1, 1))),
        (("--only", "party is V012 or number begins P"),
         lambda doc: doc.party == "V012" or doc.number.startswith("P")),
    ],
)  # fmt: skip
def test_conditions_pick_documents_after_the_replay(
    demo: Path, docs: dict[str, list[Doc]], words: tuple[str, ...], keeps: Any
) -> None:
    day = date(2026, 6, 17)
    left = open_on(docs["payable"], day)
    found = run(demo, "aging", "payable", "--as-of", day.isoformat(), "--by", "entity", *words)
    expected = {
        entity: sum(
            amount for at, amount in left.items()
            if docs["payable"][at].entity == entity and keeps(docs["payable"][at])
        )
        for entity in ("LINE", "YARD")
    }  # fmt: skip
    rows = {row["key"]: cents(row["cells"]["total"]) for row in found["rows"]}
    assert {key: rows.get(key, 0) for key in expected} == expected
    assert rows["total"] == sum(expected.values())
    proof = found["proof"]
    considered: dict[str, int] = {"lines": len(docs["payable"]), "amount": sum(left.values())}
    assert (proof["considered"]["lines"], cents(proof["considered"]["amount"])) == tuple(considered.values())
    parts = [proof["shown"], *proof["left_out"]]
    assert sum(part["lines"] for part in parts) == considered["lines"]
    assert sum(cents(part["amount"]) for part in parts) == considered["amount"]


@pytest.mark.parametrize("top", [1, 7, 500])
def test_all_other_is_the_total_less_those_shown(demo: Path, top: int) -> None:
    whole = run(demo, "aging", "receivable", "--age-by", "date", "--buckets", "10,45")
    part = run(demo, "aging", "receivable", "--age-by", "date", "--buckets", "10,45", "--top", str(top))
    names = [column["key"] for column in whole["columns"] if column["key"] != "share"]
    assert names == ["not-due", "1-10", "11-45", "over-45", "unapplied", "total"]
    rows = {row["key"]: row["cells"] for row in part["rows"]}
    shown = [row for row in part["rows"] if row["key"] not in ("total", "percent", "all-other")]
    for row in whole["rows"]:
        if row["key"] in rows:
            assert row["cells"] == rows[row["key"]]
    for name in names:
        added = sum(cents(row["cells"][name]) for row in shown)
        other = cents(rows["all-other"][name]) if "all-other" in rows else 0
        assert added + other == cents(rows["total"][name])
    assert ("all-other" in rows) is (top < len(whole["rows"]) - 2)
    shares: list[Decimal] = [
        Decimal(row["cells"]["share"]) for row in part["rows"] if row["key"] not in ("total", "percent")
    ]
    assert abs(sum(shares, Decimal(-100))) < Decimal("0.0001")


FIRST, LAST = date(2024, 10, 1), date(2025, 9, 30)
SIGNS = {"paid": {"payment": 1, "refund": -1, "void": -1}, "invoiced": {"invoice": 1, "credit": -1}}


def totals(docs: list[Doc], column: str, without: Any = lambda _: False) -> dict[str, int]:
    found: defaultdict[str, int] = defaultdict(int)
    for doc in docs:
        if FIRST <= doc.posted <= LAST and not without(doc):
            found[doc.party] += SIGNS[column].get(doc.kind, 0) * doc.cents
    return found


@pytest.mark.parametrize("column", ["paid", "invoiced"])
@pytest.mark.parametrize(
    ("words", "holds"),
    [
        (("--over", "7500"), lambda total: total > 750_000),
        (("--at-least", "7500"), lambda total: total >= 750_000),
        (("--under", "7500"), lambda total: total < 750_000),
        (("--at-most", "7500.00"), lambda total: total <= 750_000),
        (("--between", "7499.90", "7600"), lambda total: 749_990 <= total <= 760_000),
    ],
)
def test_parties_past_a_threshold_are_those_whose_total_is(
    demo: Path, docs: dict[str, list[Doc]], column: str, words: tuple[str, ...], holds: Any
) -> None:
    found = run(demo, "parties", "payable", "--year", "2025", "--on", column, *words)
    rows = {row["key"]: cents(row["cells"][column]) for row in found["rows"]}
    total = rows.pop("total")
    expected = {party: amount for party, amount in totals(docs["payable"], column).items() if holds(amount)}
    assert rows == expected
    assert list(rows) == sorted(rows, key=lambda party: (-rows[party], party)), "largest first, ties by code"
    assert total == sum(expected.values())
    assert found["proof"]["balances"]
    if column == "paid":
        # Ten bills each, of 749.99, 750.00 and 760.00: a limit is on the total, and at it is not over it.
        assert ("V141" in rows, "V142" in rows, "V143" in rows) == (holds(749_990), holds(750_000), holds(760_000))


def test_who_falls_short_only_because_of_an_exception_is_named(demo: Path, docs: dict[str, list[Doc]]) -> None:
    words = ("parties", "payable", "--year", "2025", "--on", "paid", "--over", "7500")
    found = run(demo, *words, "--except", "reference is blank")
    rows = {row["key"]: cents(row["cells"]["paid"]) for row in found["rows"]}
    references = {(doc.party, doc.number): doc.reference for doc in docs["payable"]}

    def lacks_one(doc: Doc) -> bool:
        # A void belongs to its payment, which has the reference.
        return not (references[doc.party, doc.settles] if doc.kind == "void" else doc.reference)

    kept = totals(docs["payable"], "paid", without=lacks_one)
    assert (len([1 for paid in kept.values() if paid > 750_000]), rows["total"]) == (16, 229_250_248)
    whole = totals(docs["payable"], "paid")
    assert {key for key in rows if key != "total"} == {party for party, paid in kept.items() if paid > 750_000}
    short = sorted(party for party, paid in whole.items() if paid > 750_000 >= kept[party])
    (note,) = [note for note in found["notes"] if note.startswith("Only because of --except")]
    assert [word for word in note.replace(",", "").split() if word in whole] == short == ["V143"]
    assert "7,600.00" in note


def test_with_everyone_all_that_is_open_is_shown(demo: Path, docs: dict[str, list[Doc]]) -> None:
    first, last = date(2026, 6, 1), date(2026, 6, 5)
    words = ("parties", "receivable", "--from", first.isoformat(), "--through", last.isoformat())
    left = open_on(docs["receivable"], last)
    active = {doc.party for doc in docs["receivable"] if first <= doc.posted <= last}
    owing = {docs["receivable"][at].party for at, amount in left.items() if amount}
    few, every = run(demo, *words), run(demo, *words, "--everyone", "--sort", "overdue")
    assert {row["key"] for row in few["rows"]} == {*active, "total"}
    assert {row["key"] for row in every["rows"]} == {*active, *owing, "total"}
    total = every["rows"][-1]["cells"]
    assert cents(total["open"]) == sum(left.values())
    assert few["rows"][-1]["cells"]["invoiced"] == total["invoiced"]
    assert few["proof"]["balances"]
    assert every["proof"]["balances"]


def test_one_supplier_under_two_codes_is_one_row(demo: Path, docs: dict[str, list[Doc]]) -> None:
    found = run(
        demo, "parties", "payable", "--year", "2025", "--show", "paid,invoiced,payee", "--only", "party is V012"
    )
    (row, _) = found["rows"]
    assert row["key"] == "V012"
    assert cents(row["cells"]["paid"]) == totals(docs["payable"], "paid")["V012"]
    assert "Taken as one: V149 with V012" in found["notes"]


@pytest.mark.parametrize("side", SIDES)
def test_open_overdue_and_unapplied_documents_are_those_of_the_replay(
    demo: Path, docs: dict[str, list[Doc]], side: str
) -> None:
    day = date(2026, 3, 31)
    left = {docs[side][at]: amount for at, amount in open_on(docs[side], day).items() if amount}
    expected = {
        "--open": {doc.key: amount for doc, amount in left.items() if doc.kind in ("invoice", "credit")},
        "--overdue": {
            doc.key: amount for doc, amount in left.items() if doc.kind == "invoice" and (doc.due or doc.dated) < day
        },
        "--unapplied": {doc.key: amount for doc, amount in left.items() if doc.kind != "invoice"},
    }
    beside = [amount for doc, amount in left.items() if doc.kind not in ("invoice", "credit")]
    for which, wanted in expected.items():
        found = run(demo, "documents", side, which, "--as-of", day.isoformat())
        rows = {row["key"]: row["cells"] for row in found["rows"]}
        total = rows.pop("total")
        assert {key: cents(cells["open"]) for key, cells in rows.items()} == wanted, which
        assert cents(total["open"]) == sum(wanted.values())
        assert found["proof"]["balances"], found["proof"]
        note = (
            f"Beside these, {len(beside)} payments and the like are unapplied, {Decimal(sum(beside)) / 100:,.2f} in all"
        )
        assert any(each.startswith(note.replace("-", "−")) for each in found["notes"]) is (which == "--open")
        for cells in rows.values():
            assert cents(cells["amount"]) + cents(cells["settled"]) == cents(cells["open"])
            assert cells["days"] == (day - date.fromisoformat(cells["date"])).days
            if which == "--overdue":
                assert cells["late"] == (day - date.fromisoformat(cells["due"] or cells["date"])).days


@pytest.mark.parametrize("which", ["", "--overdue"])
@pytest.mark.parametrize(
    "sort", ["", "party", "number", "date", "due", "amount", "settled", "days", "late", "sum of signed"]
)
def test_the_first_documents_are_those_of_the_whole_list(demo: Path, which: str, sort: str) -> None:
    # Seven, and more than have a number in some of the columns.
    own = ("party", "date", "due", "amount", "settled", "days", "late")
    words = ["documents", "payable", *which.split(), "--show", ",".join((*own, "sum of signed", "open"))]
    words += ["--sort", sort] if sort else []
    whole = run(demo, *words)
    listed = [row for row in whole["rows"] if row["key"] not in ("shown", "total")]
    numbers = [row["cells"][sort] for row in listed] if sort in ("amount", "settled", "days", "late") else []
    told = [Decimal(cell) for cell in numbers if cell is not None]
    assert told == sorted(told, reverse=True)
    for top in (7, len(told) + 3):
        found = run(demo, *words, "--top", str(top))
        assert [row for row in found["rows"] if row["key"] not in ("shown", "total")] == listed[:top]
        assert found["rows"][-1]["cells"] == whole["rows"][-1]["cells"]
        assert found["proof"] == whole["proof"]


def test_open_this_year_says_what_is_open_from_before(demo: Path, docs: dict[str, list[Doc]]) -> None:
    day, first = date(2026, 6, 17), date(2025, 10, 1)
    left = open_on(docs["receivable"], day)
    older = [
        amount for at, amount in left.items()
        if amount and docs["receivable"][at].kind in ("invoice", "credit") and docs["receivable"][at].posted < first
    ]  # fmt: skip
    words = ("--from", first.isoformat(), "--through", day.isoformat())
    found = run(demo, "documents", "receivable", "--open", *words)
    amount = f"{Decimal(sum(older)) / 100:,.2f}"
    assert f"Older ones are open too: {len(older)} from before 1 Oct 2025, {amount} in all" in found["notes"]


def test_what_settled_a_document_explains_what_is_open_of_it(demo: Path) -> None:
    found = run(demo, "documents", "payable", "--year", "2025", "--only", "party is V007", "--settled")
    settled: defaultdict[str, int] = defaultdict(int)
    for row in found["rows"]:
        document, _, by = row["key"].partition(">")
        if by:
            settled[document] += cents(row["cells"]["settled"])
    shown = {row["key"]: row["cells"] for row in found["rows"] if ">" not in row["key"] and row["key"] != "total"}
    assert len(shown) > 50
    assert {key: cents(cells["settled"]) for key, cells in shown.items()} == {key: settled[key] for key in shown}


@pytest.mark.parametrize(
    ("report", "column"),
    [
        (("aging", "payable", "--top", "5", "--entity", "LINE"), "total"),
        (("aging", "receivable", "--top", "5", "--as-of", "2025-12-31"), "1-30"),
        (("parties", "payable", "--quarter", "2026-Q2", "--sort", "party", "--under", "600"), "paid"),
        (("parties", "receivable", "--period", "2026-P08", "--over", "5000", "--show", "invoiced,overdue"), "overdue"),
        (("parties", "payable", "--year", "2024", "--date", "date", "--over", "50000"), "invoices"),
        (("documents", "receivable", "--overdue", "--by", "party", "--over", "4000"), "settled"),
        (("documents", "receivable", "--open", "--by", "party", "--top", "30"), "open"),
    ],
)
def test_every_figure_can_be_traced_to_its_documents(demo: Path, report: tuple[str, ...], column: str) -> None:
    table = run(demo, *report)
    rows = [
        row for row in table["rows"] if row["cells"].get(column) is not None and row["key"] not in ("percent", "shown")
    ]
    assert len(rows) > 3
    for row in (*rows[:2], *rows[-2:]):
        found = run(demo, "trace", *report, "--row", row["key"], "--column", column)
        total = next(each for each in found["rows"] if each["key"] == "total")
        assert cents(total["cells"]["figure"]) == cents(row["cells"][column]), row["key"]
        assert found["proof"]["balances"]


def test_a_trace_reaches_the_applications_and_the_ledger_lines(demo: Path) -> None:
    found = run(demo, "trace", "aging", "payable", "--row", "V017")
    rows = [(row["label"], row["cells"]) for row in found["rows"] if ">" in row["key"]]
    labels = [label for label, _ in rows]
    assert labels[0] == "invoice"
    assert [label.partition(" PV")[0] for label in labels[1:3]] == ["settled by payment"] * 2
    assert [cells["account"] for label, cells in rows if label.startswith("ledger")] == ["61320", "20110"]
    for _, cells in rows:
        file, line = cells["export"].split(":")
        assert (demo / file).read_text(encoding="utf-8").splitlines()[int(line) - 1]


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (("aging", "payable", "--by", "vessle"), "--by: payables have no such field: 'vessle'"),
        (("aging", "payable", "--sort", "61-91"), "--sort: the report has no such column: '61-91'"),
        (
            ("aging", "payable", "--buckets", "30,20"),
            "--buckets: not allowed here: '30,20'; expected the last day late of each bucket, rising, as 30,60,90",
        ),
        (
            ("documents", "payable", "--open", "--overdue"),
            "--open and --overdue: these are lists of their own; ask for one of them",
        ),
        (("documents", "payable", "--date", "settled"), "--date: not a date of documents: 'settled'"),
        (("documents", "payable", "--over", "5", "--on", "amuont"), "--on: no column to go by has this name: 'amuont'"),
        (("documents", "payable", "--from", "2026-01-01"), "only one end of the range is given"),
        (("parties", "payable", "--show", "payed"), "--show: neither a column of the report nor a field: 'payed'"),
        (
            ("parties", "payable", "--on", "paid"),
            "--on: there is no limit that it goes with; say one, such as --over 7500",
        ),
        (
            ("parties", "payable", "--show", "payee", "--over", "5"),
            "--over: no number is shown; show an amount, or name one",
        ),
        (("trace", "aging", "payable", "--row", "V999"), "--row: the report has no such row: 'V999'"),
        (("trace", "parties", "payable", "--row", "V007", "--column", "last-payment"), "no sum of documents"),
        (("trace", "documents", "payable", "--open", "--row", "total", "--column", "late"), "no sum of documents"),
        (("trace", "aging", "payable", "--row", "percent"), "this figure is computed from others"),
        (("check", "controll"), "CHECK: no check has this name: 'controll'"),
    ],
)
def test_what_is_asked_wrongly_is_told_in_one_line(demo: Path, words: tuple[str, ...], message: str) -> None:
    ran = run_almanac(*words, book=demo)
    assert ran.code == 2
    assert message in ran.err
    assert "Traceback" not in ran.err


@pytest.mark.parametrize(
    ("words", "rules"),
    [
        ("parties payable --on paid --over 7500", ["other entities", "other dates", "not: reference is not blank", "party is V007"]),
        ("documents payable", ["other entities", "posted after 30 Sep 2025", "other dates", "not: reference is not blank"]),
    ],
)  # fmt: skip
def test_rules_stand_in_one_order_in_every_command(demo: Path, words: str, rules: list[str]) -> None:
    found = run(demo, *words.split(), "--entity", "LINE", "--year", "2025", "--only", "reference is not blank",
                "--except", "party is V007")  # fmt: skip
    shown = [part["rule"] for part in found["proof"]["left_out"]]
    assert shown[: len(rules)] == rules, "entities, then days, then conditions"
