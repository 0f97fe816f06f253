"""`almanac check`: every planted mistake is found and nothing else, and each kind of mistake in a small book."""

import random
from datetime import date, timedelta
from decimal import Decimal
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import second_route
from conftest import examples, run_almanac
from level_almanac.core.settlements.item import Item
from level_almanac.core.subledger.control import ControlLine, Difference, by_day
from level_almanac.core.subledger.open_on_day import item_of
from level_almanac.demo.items import PLANTED
from level_almanac.store.documents import control
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from level_almanac.store.expressions import FieldReference
from second_items import read_docs
from small_items import items_book
from stored_items import documents_of, lines_of

FOUND_IN_DEMO = [
    ("closed/LINE/OB26-00258", "error", "3182.40"),
    ("carried/YARD/12120/202601", "error", "-1240.00"),
    ("carried/YARD/12310/202601", "error", "1240.00"),
    ("gaps/LINE/payables.number/PV26-00076", "error", None),
    ("unknown-party/payables/V152", "error", "18800.00"),
    ("spelt-twice/LINE/V064/P-84765", "error", "662.45"),
    ("alike/LINE/V109/P50876/P50869", "warning", "539.71"),
    ("over-applied/LINE/V017/invoice/P39129/1", "error", "1043.97"),
    ("loose/LINE/V029/payment/PV26-00190/1", "error", "814.12"),
    ("loose/LINE/V124/payment/PV26-00196/1", "error", "755.71"),
    ("control/payable/LINE/P47204", "error", "-1944.13"),
    ("control/receivable/YARD/Y2605412", "error", "450.00"),
]


def findings(found: dict[str, Any]) -> list[tuple[str, str, str | None]]:
    return [
        (row["key"], row["cells"]["severity"], row["cells"].get("amount"))
        for row in found["rows"]
        if row["cells"].get("severity") in ("error", "warning")
    ]


def test_every_planted_mistake_is_found_and_nothing_else(demo: Path) -> None:
    ran = run_almanac("check", "--print", "json", book=demo)
    assert ran.code == 1
    assert findings(ran.json) == FOUND_IN_DEMO
    # Beside what is planted in the documents: the slip in what was carried, on two accounts, and the late May bill.
    assert len(FOUND_IN_DEMO) == len(PLANTED) + 3
    places = [row["cells"]["export"] for row in ran.json["rows"] if row["cells"].get("export")]
    for place in places:
        file, line = place.split(":")
        assert (demo / file).read_bytes().splitlines()[int(line) - 1]
    quiet = [row["key"] for row in ran.json["rows"] if row["cells"].get("severity") == "none"]
    assert quiet == ["unbalanced", "outside", "early", "agree", "superseded", "store"]


@pytest.mark.parametrize("day", ["2026-06-17", "2026-05-01"])
def test_the_proof_of_checks_counts_every_line_that_was_loaded(demo: Path, day: str) -> None:
    ledger = len(second_route.read(demo))
    proof = run_almanac("check", "--as-of", day, "--print", "json", book=demo).json["proof"]
    assert (proof["considered"]["lines"], proof["shown"]["lines"]) == (ledger, ledger)
    for further in proof["further"]:
        lines = read_docs(demo, {"payables": "suppliers", "receivables": "customers"}[further["table"]])
        looked = sum(doc.posted <= date.fromisoformat(day) for doc in lines)
        assert (further["considered"]["lines"], further["shown"]["lines"]) == (len(lines), looked)
    only = run_almanac("check", "gaps", book=demo).out
    assert "proof" not in only


LEDGER = ["1,1,2025-10-01,,1000,5.00,,,", "1,2,2025-10-01,,4000,-5.00,,,"]
INVOICE = "V1,invoice,I1,1,2025-10-02,2025-11-01,,100.00,,,"
SMALL: dict[str, tuple[dict[str, Any], list[str]]] = {
    "loose, not there": (
        {"payables": [INVOICE, "V1,payment,P1,1,2025-10-05,,,100.00,I9,,"]},
        ["loose/A/V1/payment/P1/1 error 100.00"],
    ),
    "loose, of another party": (
        {"payables": [INVOICE, "V2,payment,P1,1,2025-10-05,,,100.00,I1,,"]},
        ["loose/A/V2/payment/P1/1 error 100.00"],
    ),
    "by more than its amount": (
        {"payables": [INVOICE, "V1,payment,P1,1,2025-10-05,,,100.01,I1,,"]},
        ["over-applied/A/V1/invoice/I1/1 error 0.01"],
    ),
    "dated after its payment": (
        {"payables": [INVOICE, "V1,payment,P1,1,2025-10-01,,,100.00,I1,2025-10-02,",
                      "V1,payment,P2,1,2025-10-02,,,10.00,I2,,", "V1,invoice,I2,1,2025-10-04,,2025-10-01,10.00,,,"]},
        ["early/A/V1/invoice/I2/1/P2/1 warning 10.00"],
    ),
    "unknown party": (
        {"receivables": ["C9,invoice,I1,1,2025-10-02,,,7.00,,,"]},
        ["unknown-party/receivables/C9 error 7.00"],
    ),
    "spelt in another way": (
        {"payables": [INVOICE, "V1,invoice,i-01,1,2026-01-02,,,80.00,,,", "V2,invoice,I-1,1,2026-01-02,,,80.00,,,"]},
        ["spelt-twice/A/V1/I1 error 80.00"],
    ),
    "alike within ten days, not within eleven": (
        {"payables": [INVOICE, "V1,invoice,I2,1,2025-10-12,,,100.00,,,", "V1,invoice,I3,1,2025-10-23,,,100.00,,,"]},
        ["alike/A/V1/I1/I2 warning 100.00"],
    ),
    "out of balance": (
        {"ledger": [*LEDGER, "2,1,2025-10-02,,6000,7.00,,,", "2,2,2025-10-02,,1000,-6.00,,,"]},
        ["unbalanced/A/2 error 1.00"],
    ),
    "outside its period, closed and not": (
        {"ledger": [*LEDGER, "2,1,2026-01-15,2025-P12,6000,7.00,,,", "2,2,2026-01-15,2025-P12,1000,-7.00,,,",
                    "3,1,2026-02-15,2026-P04,6000,3.00,,,", "3,2,2026-02-15,2026-P04,1000,-3.00,,,"],
         "calendar": 'closed_through = "2025-P12"'},
        ["closed/A/2 error 7.00", "outside/A/3 warning 3.00"],
    ),
    "a carried balance unlike the computed one": (
        {"ledger": ["0,1,2024-09-30,,1000,50.00,CF,,", "0,2,2024-09-30,,3100,-50.00,CF,,",
                    "1,1,2025-03-01,,1000,9.00,,,", "1,2,2025-03-01,,4000,-9.00,,,",
                    "9,1,2025-09-30,,1000,58.00,CF,,", "9,2,2025-09-30,,3100,-58.00,CF,,"]},
        ["carried/A/1000/202601 error -1.00", "carried/A/3100/202601 error 1.00"],
    ),
    "gaps, told by what stands before and after the number": (
        {"ledger": [f"{journal},{line},2025-10-01,,{account},{amount},,,"
                    for journal in ("A-1", "A-2", "A-5", "B-7")
                    for line, account, amount in ((1, 1000, "1.00"), (2, 4000, "-1.00"))],
         "more": '[[numbering]]\ntable = "ledger"\nfield = "journal"\nonly = "journal begins A"'},
        ["gaps/A/ledger.journal/A-2 error None"],
    ),
    "documents and control account": (
        {"ledger": [*LEDGER, "2,1,2025-10-02,,6000,100.00,,I1,V1", "2,2,2025-10-02,,2000,-100.00,,I1,V1",
                    "3,1,2025-10-09,,2000,30.00,,,", "3,2,2025-10-09,,1000,-30.00,,,"],
         "payables": [INVOICE, "V1,payment,P1,1,2025-10-09,,,40.00,I1,,", "V2,invoice,I7,1,2025-10-06,,,8.00,,,"]},
        ["control/payable/A/I7 error 8.00", "control/payable/A/on 9 Oct 2025 error -10.00"],
    ),
    "sums that were to agree, key by key and within the tolerance": (
        {"ledger": [*LEDGER, "2,1,2025-10-02,,6000,100.00,,I1,V1", "2,2,2025-10-02,,1000,-100.00,,,",
                    "3,1,2025-10-09,,6000,30.00,,I2,", "3,2,2025-10-09,,1000,-30.00,,,"],
         "payables": [INVOICE, "V1,invoice,I2,1,2025-10-09,,,30.05,,,", "V1,invoice,I3,1,2025-12-09,,,30.06,,,"],
         "more": '[[agree]]\nname = "bills"\ntolerance = "0.05"\n'
                 'left = { table = "ledger", only = "account is 6000", by = "document" }\n'
                 'right = { table = "payables", sum = "amount", only = "kind is invoice", by = "number" }'},
        ["agree/bills/I3 error -30.06"],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", SMALL)
def test_each_kind_of_mistake_is_found_with_its_lines(tmp_path: Path, name: str) -> None:
    inputs, expected = SMALL[name]
    book = items_book(tmp_path, **{"ledger": LEDGER, **inputs})
    assert book.load().code == 0
    kinds = {line.partition("/")[0] for line in expected}
    # Documents that are in no ledger differ from it; where that is not what is tried, it is not asked.
    asked = [] if {"control"} & kinds or ("payables" not in inputs and "receivables" not in inputs) else sorted(kinds)
    ran = book.run("check", *asked, "--print", "json")
    assert [" ".join(map(str, found)) for found in findings(ran.json)] == expected
    assert ran.code == (1 if any(" error " in line for line in expected) else 0)
    for key, _, _ in findings(ran.json):
        told = [row["cells"]["export"] for row in ran.json["rows"] if row["key"].startswith(f"{key}>")]
        assert told
        assert all((tmp_path / place.split(":")[0]).is_file() for place in told)


def test_only_new_shows_what_the_last_run_did_not_find(tmp_path: Path) -> None:
    book = items_book(tmp_path, [INVOICE, "V1,payment,P1,1,2025-10-05,,,100.00,I9,,"])
    assert book.load().code == 0
    assert len(findings(book.run("check", "loose", "--print", "json").json)) == 1
    again = book.run("check", "loose", "--only-new", "--print", "json")
    assert (again.code, findings(again.json)) == (0, [])
    export = tmp_path / "payables.csv"
    export.write_text(export.read_text() + "V2,payment,P2,1,2025-10-06,,,3.00,I8,,\n")
    assert book.load().code == 0
    # A run that asks for another check leaves alone what is known of this one.
    book.run("check", "gaps")
    new = book.run("check", "loose", "--only-new", "--print", "json")
    assert (new.code, findings(new.json)) == (1, [("loose/A/V2/payment/P2/1", "error", "3.00")])
    everything = book.run("check", "loose", "--print", "json").json
    assert len(findings(everything)) == 2


def test_what_changes_in_a_closed_period_is_found_by_the_next_run(tmp_path: Path) -> None:
    book = items_book(tmp_path, calendar='closed_through = "2026-P01"')
    assert book.load().code == 0
    assert book.run("check").code == 0
    book.ledger((tmp_path / "ledger.csv").read_text() + "2,1,2025-10-20,,6000,8.00,,,\n2,2,2025-10-20,,1000,-8.00,,,\n")
    assert book.load().code == 0
    ran = book.run("check", "--print", "json")
    assert ran.code == 1
    ((key, severity, amount),) = findings(ran.json)
    assert (key.startswith("closed/A/2026-P01"), severity, Decimal(str(amount))) == (True, "error", Decimal("8.00"))
    words = next(row["label"] for row in ran.json["rows"] if row["key"] == key)
    assert "lines +2, debits +8.00" in words
    assert book.run("check").code == 1, "it stays an error until it is accepted"
    refused = book.run("check", "--accept", "A/2026-P02")
    assert (refused.code, "--accept: nothing is found there: 'A/2026-P02'; expected A/2026-P01" in refused.err) == (
        2,
        True,
    )
    taken = book.run("check", "closed", "--accept", "A/2026-P01", "--print", "json")
    assert (taken.code, findings(taken.json)) == (0, [])
    assert any(note.startswith("Accepted: A 2026-P01 changed since") for note in taken.json["notes"])
    assert book.run("check").code == 0
    # What changes after that is found again, and the load warns of it at once.
    book.ledger((tmp_path / "ledger.csv").read_text() + "3,1,2025-10-21,,6000,1.00,,,\n3,2,2025-10-21,,1000,-1.00,,,\n")
    loaded = book.load()
    assert (
        "warning: A 2026-P01 is closed, and this load changed it: lines +2, debits +1.00, credits +1.00" in loaded.err
    )
    assert book.run("check").code == 1


def test_a_late_journal_that_is_accepted_is_an_error_again_once_it_changes(tmp_path: Path) -> None:
    book = items_book(tmp_path, calendar='closed_through = "2026-P01"')
    late = "2,1,2025-11-20,2026-P01,6000,{0},,,\n2,2,2025-11-20,2026-P01,1000,-{0},,,\n"
    first = (tmp_path / "ledger.csv").read_text()
    book.ledger(first + late.format("8.00"))
    assert book.load().code == 0
    assert book.run("check").code == 1
    assert book.run("check", "--accept", "A/2").code == 0
    assert book.run("check").code == 0
    book.ledger(first + late.format("9.00"))
    assert book.load().code == 0
    assert book.run("check", "--accept", "A/2026-P01").code == 1, "the journal itself is told of too"
    assert book.run("check", "--accept", "A/2").code == 0


@pytest.mark.parametrize("words", [("--period", "2026-P07"), ("--quarter", "2026-Q2"), ("--as-of", "2026-03-31")])
def test_documents_are_looked_at_as_of_what_is_named(demo: Path, words: tuple[str, ...]) -> None:
    day = {"--period": "2026-04-30"}.get(words[0], "2026-03-31")
    asked = run_almanac("check", "early", "control", *words, "--print", "json", book=demo).json
    assert asked["facts"]["as_of"] == day
    assert (
        asked["rows"]
        == run_almanac("check", "early", "control", "--as-of", day, "--print", "json", book=demo).json["rows"]
    )


@pytest.mark.parametrize(
    ("more", "message"),
    [
        ('[[agree]]\nname = "x"\nleft = { table = "ledger", sum = "amuont" }\nright = { table = "payables" }', "agree[1].left.sum"),
        ('[[agree]]\nname = "x"\nleft = { table = "ledger", only = "acount is 1" }\nright = { table = "payables" }', "agree[1].left.only"),
        ('[[numbering]]\ntable = "payables"\nfield = "number"\nonly = "kind is"', "numbering[1].only"),
    ],
)  # fmt: skip
def test_conditions_of_the_book_that_cannot_be_read_are_told(tmp_path: Path, more: str, message: str) -> None:
    book = items_book(tmp_path, [INVOICE], more=more)
    assert book.load().code == 0
    ran = book.run("check")
    assert ran.code == 3
    assert message in ran.err
    assert "^" in ran.err


def test_numbers_of_what_is_not_loaded_have_no_gaps(tmp_path: Path) -> None:
    series = [("payables", "number"), ("receivables", "number"), ("ledger", "journal"), ("ledger", "document")]
    more = "".join(f'[[numbering]]\ntable = "{table}"\nfield = "{field}"\n' for table, field in series)
    book = items_book(tmp_path, [INVOICE], more=more)
    assert book.load().code == 0
    ran = book.run("check", "gaps")
    assert (ran.code, "none among 2 numbers" in ran.out) == (0, True), ran.out + ran.err


CENTS = st.integers(-500, 500).filter(bool)
DAYS = st.integers(0, 6).map(lambda number: date(2025, 10, 1) + timedelta(number))
NUMBERS = st.sampled_from(["I1", "I2", "I3", ""])
LINES = st.lists(st.tuples(st.sampled_from("AB"), DAYS, NUMBERS, CENTS), max_size=8)


@examples(25)
@given(LINES, LINES)
def test_the_differences_come_to_what_documents_and_ledger_differ_by(ledger: list[Any], documents: list[Any]) -> None:
    lines = [
        ControlLine(entity, "J", str(at), "2000", day, number or None, Decimal(cents) / 100, f"ledger:{at}")
        for at, (entity, day, number, cents) in enumerate(ledger)
    ]

    def differences(items: list[Item]) -> list[Difference]:
        engine = DuckDBEngine([])
        source = lines_of(engine, "booked", control.LEDGER, [line._asdict() | {"carried": 0} for line in lines])
        there = documents_of(engine, items, "AB")
        values = {name: FieldReference(name) for name in control.LEDGER}
        booked, told = control.unlike_days(there, date.max, "AB", source, values)
        found = [ControlLine._make((*row[:-1], bool(row[-1]))) for row in booked]
        return list(by_day(found, [item_of(row, 0) for row in told]))

    items = [
        Item(entity, "V1", "invoice" if cents > 0 else "credit", number or f"X{at}", "1", day, None, day,
             abs(Decimal(cents)) / 100, place=f"items:{at}")
        for at, (entity, day, number, cents) in enumerate(documents)
    ]  # fmt: skip
    found = differences(items)
    for entity in "AB":
        whole = sum((item.signed for item in items if item.entity == entity), Decimal(0))
        whole -= sum((line.amount for line in lines if line.entity == entity), Decimal(0))
        assert sum(each.amount for each in found if each.entity == entity) == whole
    told = [place for each in found for place in (*(x.place for x in each.ledger), *(x.place for x in each.items))]
    assert len(told) == len(set(told)), "no line stands under two differences"
    assert not differences([
        Item(line.entity, "V1", "invoice" if line.amount > 0 else "credit", line.document or f"Y{at}", "1", line.day,
             None, line.day, abs(line.amount), place=f"items:{at}")
        for at, line in enumerate(lines)
    ])  # fmt: skip


def test_alike_invoices_are_those_that_follow_each_other_and_all_count_though_few_are_shown(tmp_path: Path) -> None:
    chance = random.Random(7)
    invoices = [
        (f"V{chance.randint(1, 3)}", date(2025, 10, 2) + timedelta(days=chance.randint(0, 90)), f"I{number}",
         chance.choice(("10.00", "10.50", "12.00")))
        for number in range(100, 160)
    ]  # fmt: skip
    # Two spellings of one number are no two invoices.
    invoices += [("V1", date(2025, 12, 1), "I-7", "99.00"), ("V1", date(2025, 12, 2), "I7", "99.00")]
    expected = []
    for group in sorted({(party, amount) for party, _, _, amount in invoices}):
        same = sorted((day, number) for party, day, number, amount in invoices if (party, amount) == group)
        expected += [
            f"alike/A/{group[0]}/{one}/{other}"
            for (day, one), (later, other) in pairwise(same)
            if (later - day).days <= 10 and one.replace("-", "") != other.replace("-", "")
        ]
    rows = [f"{party},invoice,{number},1,{day},,,{amount},,," for party, day, number, amount in invoices]
    book = items_book(tmp_path, chance.sample(rows, len(rows)))
    assert book.load().code == 0
    every = book.run("check", "alike", "--print", "json").json
    few = book.run("check", "alike", "--findings", "5", "--print", "json").json
    assert len(expected) > 10
    assert [key for key, _, _ in findings(every)] == expected
    assert [key for key, _, _ in findings(few)] == expected[:5]
    assert few["facts"]["warnings"] == every["facts"]["warnings"] == str(len(expected))
    more = next(row["label"] for row in few["rows"] if row["key"] == "alike>more")
    shows = f"--findings {len(expected)} shows them all"
    assert more == f"and {len(expected) - 5} more, 0 errors among them: {shows}"
    traced = book.run("trace", "check", "alike", "--row", expected[-1], "--print", "json")
    assert traced.code == 0, "what is not shown can be traced"


def test_all_lines_of_a_finding_are_shown_where_asked_for(tmp_path: Path) -> None:
    many = [f"V9,invoice,I{number},1,2025-10-02,,,{number}.00,,," for number in range(1, 12)]
    book = items_book(tmp_path, many)
    assert book.load().code == 0
    few = book.run("check", "unknown-party", "--print", "json").json
    every = book.run("check", "unknown-party", "--lines", "11", "--print", "json").json
    assert [len([row for row in each["rows"] if ">" in row["key"]]) for each in (few, every)] == [9, 11]
    assert (
        next(row["label"] for row in few["rows"] if row["key"].endswith(">more"))
        == "and 3 more: --lines 11 shows them all"
    )
    traced = book.run("trace", "check", "unknown-party", "--row", "unknown-party/payables/V9", "--print", "json").json
    amounts = ["66.00", *(f"{number}.00" for number in range(1, 12)), "66.00"]
    assert sorted(str(row["cells"]["amount"]) for row in traced["rows"]) == sorted(amounts)
    wrong = book.run("trace", "check", "--row", "unbalanced")
    assert (wrong.code, "--row: this row is no finding: 'unbalanced'" in wrong.err) == (2, True)


def test_entities_of_two_currencies_are_looked_at_apart_and_never_added(tmp_path: Path) -> None:
    other = '[entities.B]\nname = "Company B"\ncurrency = "KWD"\nretained_earnings = "3100"\n\n'
    book = items_book(tmp_path, [INVOICE, "V1,payment,P1,1,2025-10-05,,,100.01,I1,,"], more=other)
    settings = (tmp_path / "almanac.toml").read_text()
    blocks = settings.split("[[intake]]")
    for name in ("ledger.csv", "payables.csv"):
        block = next(each for each in blocks if name in each)
        settings += "\n[[intake]]" + block.replace(name, f"b-{name}").replace('entity = "A"', 'entity = "B"')
    (tmp_path / "almanac.toml").write_text(settings)
    (tmp_path / "b-ledger.csv").write_text((tmp_path / "ledger.csv").read_text())
    (tmp_path / "b-payables.csv").write_text((tmp_path / "payables.csv").read_text().replace("100.01", "100.003"))
    assert book.load().code == 0
    found = findings(book.run("check", "over-applied", "--print", "json").json)
    assert found == [
        ("over-applied/A/V1/invoice/I1/1", "error", "0.010"),
        ("over-applied/B/V1/invoice/I1/1", "error", "0.003"),
    ]
    refused = book.run("aging", "payable")
    assert (refused.code, "amounts in different currencies are not added" in refused.err) == (2, True)
    one = book.run("aging", "payable", "--entity", "B", "--print", "json").json
    assert one["rows"][-2]["cells"]["total"] == "-0.003"
    assert one["proof"]["considered"] == {"lines": 2, "amount": "-0.003000"}
    assert "Lines of A are in another currency and so not among those considered" in one["notes"]
