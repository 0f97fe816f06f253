"""What is open on a day: small cases worked by hand, and laws that hold of any documents."""

from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import examples
from level_almanac.core.settlements.item import Item
from level_almanac.core.subledger.open_items import Application, replay
from level_almanac.core.subledger.open_on_day import IS_UNMATCHED, OpenOnDay, chains_of
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from second_items import Doc, open_on
from small_items import items_book
from stored_items import documents_of

START = date(2025, 10, 1)


@dataclass(frozen=True)
class Case:
    """Lines as `day kind number[/line] amount [>settles [@day applied]]`, and by day what is open of each line."""

    lines: str
    open: dict[int, str]


CASES = {
    "part payments": Case(
        "1 invoice I1 100\n5 payment P1 30 >I1\n9 payment P2 70 >I1",
        {1: "100", 5: "70 0", 8: "70 0", 9: "0 0 0"},
    ),
    "one payment for several": Case(
        "1 invoice I1 100\n2 invoice I2 50\n5 payment P1/1 100 >I1\n5 payment P1/2 20 >I2",
        {4: "100 50", 5: "0 30 0 0"},
    ),
    "a payment before its document": Case("1 payment P1 40 >I1\n4 invoice I1 60", {1: "-40", 3: "-40", 4: "0 20"}),
    "applied later than paid": Case("1 invoice I1 60\n3 payment P1 60 >I1 @8", {3: "60 -60", 7: "60 -60", 8: "0 0"}),
    "an application dated before its payment": Case("1 invoice I1 60\n5 payment P1 60 >I1 @2", {4: "60", 5: "0 0"}),
    "on account": Case("1 payment P1 40", {1: "-40"}),
    "a credit note": Case("1 invoice I1 100\n3 credit C1 25 >I1\n6 payment P1 75 >I1", {3: "75 0", 6: "0 0 0"}),
    "a credit paid back": Case("1 credit C1 25\n6 refund R1 25 >C1", {1: "-25", 6: "0 0"}),
    "written off": Case("1 invoice I1 100\n3 payment P1 99.50 >I1\n4 write-off W1 0.50 >I1", {3: "0.50 0", 4: "0 0 0"}),
    "a void reopens what was settled": Case(
        "1 invoice I1 100\n3 payment P1 100 >I1\n6 void V1 100 >P1\n8 payment P2 100 >I1",
        {3: "0 0", 5: "0 0", 6: "100 0 0", 8: "0 0 0 0"},
    ),
    "a void of a payment of several lines, in part": Case(
        "1 invoice I1 60\n1 invoice I2 40\n3 payment P1/1 60 >I1\n3 payment P1/2 40 >I2\n6 void V1 70 >P1",
        {3: "0 0 0 0", 6: "60 10 0 0 0"},
    ),
    "a void that names the document": Case(
        "1 invoice I1 100\n3 payment P1 60 >I1\n4 payment P2 40 >I1\n6 void V1 60 >I1",
        {4: "0 0 0", 6: "60 0 0 0"},
    ),
    "of several, the one of its amount, the latest": Case(
        "1 invoice I1 100\n2 payment P1 50 >I1\n3 payment P2 50 >I1\n4 payment P3 20 >I1\n9 void V1 50 >I1",
        {4: "-20 0 0 0", 9: "30 0 0 0 0"},
    ),
    "a void of no payment's amount": Case(
        "1 invoice I1 100\n2 payment P1 60 >I1\n3 payment P2 40 >I1\n9 void V1 70 >I1",
        {3: "0 0 0", 9: "70 0 0 0"},
    ),
    "a void of a document before any payment": Case(
        "1 invoice I1 100\n2 void V1 30 >I1\n3 payment P1 100 >I1", {2: "100 30", 3: "0 30 0"}
    ),
    "two voids of one document take two payments": Case(
        "1 invoice I1 100\n2 payment P1 50 >I1\n3 payment P2 50 >I1\n8 void V1 50 >I1\n9 void V2 50 >I1",
        {3: "0 0 0", 8: "50 0 0 0", 9: "100 0 0 0 0"},
    ),
    "a credit paid back after it settled a document": Case(
        "1 invoice I1 100\n2 credit C1 40 >I1\n5 refund R1 40 >C1", {2: "60 0", 5: "100 0 0"}
    ),
    "a refund that names the document": Case(
        "1 invoice I1 100\n2 credit C1 40 >I1\n5 refund R1 40 >I1", {2: "60 0", 5: "100 0 0"}
    ),
    "over-applied": Case("1 invoice I1 100\n3 payment P1 130 >I1", {3: "-30 0"}),
    "another party's number": Case("1 invoice I1 100 #V2\n3 payment P1 100 >I1", {3: "100 -100"}),
    "a number over several lines, in line order": Case(
        "1 invoice I1/10 50\n1 invoice I1/9 30\n3 payment P1 40 >I1", {3: "40 0 0"}
    ),
    "a number used by two kinds settles the opposite sign": Case(
        "1 invoice N1 50\n2 payment N1/1 20 >N1\n2 payment N1/2 15\n3 refund R1 15 >N1",
        {2: "30 0 -15", 3: "30 0 0 0"},
    ),
}


def parsed(text: str) -> Doc:
    words = text.split()
    number, _, line = words[2].partition("/")
    settles = next((word[1:] for word in words if word.startswith(">")), "")
    applied = next((START + timedelta(int(word[1:])) for word in words if word.startswith("@")), None)
    party = next((word[1:] for word in words if word.startswith("#")), "V1")
    day = START + timedelta(int(words[0]))
    cents = int(Decimal(words[3]) * 100)
    return Doc("A", party, words[1], number, line or "1", day, day, day, cents, settles, applied, "")


def item(doc: Doc) -> Item:
    return Item(
        doc.entity, doc.party, doc.kind, doc.number, doc.line, doc.dated, doc.due, doc.posted,
        Decimal(doc.cents) / 100, doc.settles or None, doc.applied, doc.reference or None,
    )  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_what_is_open_day_by_day(name: str) -> None:
    docs = [parsed(line) for line in CASES[name].lines.splitlines()]
    for day, wanted in CASES[name].open.items():
        found = replay([item(doc) for doc in docs], START + timedelta(day))
        assert list(found.left) == [Decimal(word) for word in wanted.split()], (name, day)


KINDS = ("invoice", "invoice", "credit", "payment", "payment", "write-off", "refund", "void")
DOCS = st.lists(
    st.builds(
        lambda kind, number, line, day, cents, settles, applied, party, reference: Doc(
            "A", party, kind, number, line, START + timedelta(day), None, START + timedelta(day), cents,
            "" if kind == "invoice" else settles, applied and START + timedelta(applied), reference,
        ),
        st.sampled_from(KINDS),
        st.sampled_from(["1", "2", "3", "4"]),
        st.sampled_from(["1", "2", "10"]),
        st.integers(0, 20),
        st.integers(1, 300) | st.sampled_from([100, 200]),
        st.sampled_from(["", "1", "2", "3", "4", "5"]),
        st.none() | st.integers(1, 25),
        st.sampled_from(["V1", "V1", "V2"]),
        st.sampled_from(["", "", "X", "Y"]),
    ),
    max_size=14,
)  # fmt: skip


@given(DOCS, st.integers(-1, 26))
def test_any_documents_are_open_as_a_replay_says_whatever_comes_later(docs: list[Doc], day: int) -> None:
    on = START + timedelta(day)
    found = replay([item(doc)._replace(place=f"f:{at}") for at, doc in enumerate(docs)], on)
    assert [int(left * 100) for left in found.left] == list(open_on(docs, on).values())
    # What is open of all lines is what they come to: nothing is lost by applying one to another.
    assert sum(found.left) == sum(each.signed for each in found.items)
    known = [doc for doc in docs if doc.posted <= on]
    assert replay([item(doc) for doc in known], on).left == found.left
    for at, left in enumerate(found.left):
        # Only what was over-applied stands on the other side of nothing.
        assert left * found.items[at].sign >= 0 or at in found.over
    for each, left in zip(found.items, found.left, strict=True):
        part = sum(one.amount for one in found.applications if each.place in (one.by.place, one.to.place))
        assert each.amount - part == each.sign * left


PLAIN = st.lists(
    st.one_of(
        st.builds(
            lambda number, line, day, cents: Doc(
                "A", "V1", "invoice", number, line, START + timedelta(day + 1), None, START + timedelta(day), cents, "", None, ""
            ),
            st.sampled_from("12"), st.sampled_from(["1", "2", "10", "x", "01"]), st.integers(0, 20),
            st.integers(0, 300),
        ),
        st.builds(
            lambda kind, number, day, cents, settles, applied: Doc(
                "A", "V1", kind, number, "1", START + timedelta(day), None, START + timedelta(day), cents, settles,
                applied and START + timedelta(applied), "",
            ),
            st.sampled_from(["payment", "credit", "write-off"]), st.sampled_from(["P1", "P2"]), st.integers(0, 20),
            st.integers(0, 300), st.sampled_from(["", "1", "1", "2", "3"]), st.none() | st.integers(1, 25),
        ),
    ),
    max_size=14,
)  # fmt: skip
"""Documents none of which is in a chain, each number over several lines that come on several days."""


def by_sums(docs: list[Doc], on: date) -> OpenOnDay:
    """Return the same documents as the store gives them out."""
    lines = documents_of(DuckDBEngine([]), [item(doc) for doc in docs], ["A"])
    return OpenOnDay(lines, on, ["A"], *chains_of(lines.in_chains(), 0), 0)


@examples(120, 2000)
@given(PLAIN | DOCS, st.integers(-1, 26))
def test_sums_give_out_what_a_replay_does(docs: list[Doc], day: int) -> None:
    on = START + timedelta(day)
    wanted = replay([item(doc)._replace(place=f"f:{at}") for at, doc in enumerate(docs)], on)
    found = by_sums(docs, on)
    lines = {each.item.place: each for each in found.items([], whole=True)}
    assert {place: each.left for place, each in lines.items()} == {
        each.place: left for each, left in zip(wanted.items, wanted.left, strict=True)
    }
    assert {place: each.over for place, each in lines.items() if each.over} == {
        wanted.items[at].place: over for at, over in wanted.over.items()
    }
    assert {each.item.place for each in found.items([IS_UNMATCHED])} == {
        wanted.items[at].place for at in wanted.unmatched
    }
    assert (found.over.lines, found.unmatched.lines) == (len(wanted.over), len(wanted.unmatched))
    assert found.unmatched.amount == sum(abs(wanted.left[at]) for at in wanted.unmatched)
    # Nothing is open of what is left out of those that something may be open of.
    near = {each.item.place for each in found.items([])}
    assert not any(each.left or each.over for place, each in lines.items() if place not in near)

    def told(applications: list[Application]) -> list[tuple[str, str, Decimal, date]]:
        return [(each.by.place, each.to.place, each.amount, each.day) for each in applications]

    assert told(found.applications(each.item for each in lines.values())) == told(list(wanted.applications))
    early = [each for each in wanted.applications if each.by.kind != "void" and each.to.dated > each.by.in_effect]
    assert told(found.early()) == told(early)
    assert found.count_applications == len(wanted.applications)


@examples(20)
@given(PLAIN)
def test_plain_documents_are_in_no_chain(docs: list[Doc]) -> None:
    assert not by_sums(docs, START).replayed.items


@pytest.mark.parametrize(
    ("line", "message"),
    [
        ("V1,invoyce,I1,1,2025-10-02,,,5.00,,,", "payables.csv:2: kind: unknown kind: 'invoyce'; expected invoice, credit, "
         "payment, write-off, refund or void; did you mean 'invoice'?"),
        ("V1,payment,P1,1,2025-10-02,,,-5.00,,,", "payables.csv:2: amount: an amount below zero, though its kind fixes "
         "the sign: '-5.00'; expected 0 or more, and the kind that it is"),
        ("V1,payment,P1,1,2025-10-02,,,,,,", "payables.csv:2: amount: is blank; expected a value on every line"),
        (",payment,P1,1,2025-10-02,,,5.00,,,", "payables.csv:2: party: is blank; expected a value on every line"),
        ("V1,payment,P1,1,2025-13-02,,,5.00,,,", "payables.csv:2: date: not a date: '2025-13-02'"),
    ],
)  # fmt: skip
def test_a_wrong_line_refuses_the_load(tmp_path: Path, line: str, message: str) -> None:
    ran = items_book(tmp_path, [line]).load()
    assert ran.code == 3
    assert message in ran.err


def test_what_an_export_leaves_out_has_a_default(tmp_path: Path) -> None:
    book = items_book(
        tmp_path, ["V1,invoice,I1,,2025-10-02,,,5.00,,,", "V1,payment,P1,,2025-10-03,,2025-10-04,2.00,I1,,"]
    )
    assert book.load().code == 0
    rows = book.run("list", "payables", "--show", "line, posted, signed", "--print", "json").json["rows"]
    assert [tuple(row["cells"].values()) for row in rows[:-1]] == [
        ("1", "2025-10-02", "5.00"),
        ("1", "2025-10-04", "-2.00"),
    ]
    twice = items_book(tmp_path, ["V1,invoice,I1,,2025-10-02,,,5.00,,,", "V1,invoice,I1,,2025-10-03,,,6.00,,,"]).load()
    assert twice.code == 3
    assert "two different lines under one key (entity A, party V1, kind invoice, number I1, line 1)" in twice.err


@pytest.mark.parametrize(
    ("more", "message"),
    [
        ('[parties]\nsame_as = { V1 = "V2", V2 = "V1" }', "parties.same_as.V1: the party is one with itself"),
        ("[aging]\nbuckets = [60, 30]", "aging.buckets: not buckets: [60, 30]"),
        ('[[numbering]]\ntable = "payables"\nfield = "nummer"', "numbering[1].field: the table payables has no such text field"),
        ('[[agree]]\nname = "x"\nleft = { table = "ledger", by = "document" }\nright = { table = "payables" }',
         "agree[1]: only one side has a key"),
        ('[[agree]]\nname = "x"\ntolerance = "a cent"\nleft = { table = "ledger" }\nright = { table = "payables" }',
         "agree[1].tolerance: not an amount: 'a cent'"),
    ],
)  # fmt: skip
def test_the_books_own_words_are_checked(tmp_path: Path, more: str, message: str) -> None:
    ran = items_book(tmp_path, ["V1,invoice,I1,,2025-10-02,,,5.00,,,"], more=more).load()
    assert ran.code == 3
    assert message in ran.err


def test_a_void_that_fits_no_payment_is_found_and_conditions_carry_to_voids(tmp_path: Path) -> None:
    book = items_book(tmp_path, [
        "V1,invoice,I1,1,2025-10-02,,,100.00,,,",
        "V1,payment,P1,1,2025-10-03,,,60.00,I1,,CHQ1",
        "V1,payment,P2,1,2025-10-04,,,40.00,I1,,",
        "V1,void,X1,1,2025-10-09,,,70.00,I1,,",
        "V1,payment,P3,1,2025-10-10,,,25.00,,,CHQ2",
        "V1,void,X2,1,2025-10-11,,,25.00,P3,,",
    ])  # fmt: skip
    assert book.load().code == 0
    found = book.run("check", "loose", "--print", "json").json["rows"]
    assert [row["label"] for row in found if "X1" in row["label"] and row["level"] == 1] == [
        "A payable: void X1 of V1 names I1, and no line of exactly its amount had settled that: it voids as many as its amount covers"
    ]

    def paid(*words: str) -> str:
        table = book.run(
            "parties", "payable", "--year", "2026", "--on", "paid", "--at-least", "-1000", *words, "--print", "json"
        )
        return str(table.json["rows"][-1]["cells"]["paid"])

    assert paid() == "30.00", "60 + 40 - 70 + 25 - 25"
    # X1 voids 40 of P2, the newest, and 30 of P1, each with its payment; X2 goes with P3, which has a reference.
    assert paid("--except", "reference is blank") == "30.00"
    assert paid("--only", "reference is blank") == "0.00"
    assert paid("--only", "kind is payment") == "125.00", "a kind is the line's own"
