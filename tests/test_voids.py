"""Voids go with the lines that they void, in every report on documents, whatever the conditions."""

from collections import defaultdict
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import NamedTuple

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import examples, run_almanac
from second_items import Doc, read_docs
from small_items import items_book

INVOICE, CREDIT = "V1,invoice,I1,1,2025-10-02,,,450.00,,,", "V1,credit,C1,1,2025-10-03,,,225.00,I1,,"
COLUMNS = ("invoiced", "paid", "written-off", "open")


def totals(tmp_path: Path, lines: list[str], *words: str) -> dict[str, str]:
    """Return the total of parties, and check that its proof and the same lines in a list add up."""
    tmp_path.mkdir(exist_ok=True)
    book = items_book(tmp_path, lines)
    ran = book.load()
    assert ran.code == 0, ran.err
    asked = ("parties", "payable", "--year", "2026", "--everyone", "--show", ",".join(COLUMNS), *words)
    found = book.run(*asked, "--print", "json").json
    assert found["proof"]["balances"]
    assert found["proof"]["considered"]["lines"] == len(lines)
    cells = found["rows"][-1]["cells"]
    if words:
        listed = book.run("list", "payables", "--show", "signed", *words, "--print", "json").json
        moved = Decimal(cells["invoiced"]) - Decimal(cells["paid"]) - Decimal(cells["written-off"])
        assert sum(Decimal(row["cells"]["signed"]) for row in listed["rows"] if row["kind"] == "line") == moved
        assert listed["proof"]["balances"]
        assert len({row["key"] for row in listed["rows"]}) == len(listed["rows"])
    return {key: str(cells[key]) for key in COLUMNS}


@pytest.mark.parametrize(
    ("lines", "wanted"),
    [
        ([INVOICE, CREDIT, "V1,void,X1,1,2025-10-09,,,225.00,C1,,"], "450.00 0.00 0.00 450.00"),
        (
            [INVOICE, "V1,write-off,W1,1,2025-10-03,,,0.50,I1,,", "V1,void,X1,1,2025-10-09,,,0.50,W1,,"],
            "450.00 0.00 0.00 450.00",
        ),
        (
            [
                "V1,credit,C1,1,2025-10-03,,,70.00,,,", "V1,refund,R1,1,2025-10-04,,,70.00,C1,,",
                "V1,void,X1,1,2025-10-09,,,70.00,R1,,",
            ],
            "-70.00 0.00 0.00 -70.00",
        ),
        # It names the invoice: the line of exactly its amount, whatever its kind.
        (
            [INVOICE, CREDIT, "V1,payment,P1,1,2025-10-04,,,50.00,I1,,", "V1,void,X1,1,2025-10-09,,,225.00,I1,,"],
            "450.00 50.00 0.00 400.00",
        ),
        # No line has its amount: payments first, then credits.
        (
            [INVOICE, CREDIT, "V1,payment,P1,1,2025-10-04,,,50.00,I1,,", "V1,void,X1,1,2025-10-09,,,60.00,I1,,"],
            "235.00 0.00 0.00 235.00",
        ),
        # A void of nothing counts as a void of a payment that is not loaded, and a void of part of one as a part.
        ([INVOICE, "V1,void,X1,1,2025-10-09,,,60.00,I7,,"], "450.00 -60.00 0.00 510.00"),
        (
            [INVOICE, "V1,payment,P1,1,2025-10-04,,,50.00,I1,,", "V1,void,X1,1,2025-10-09,,,20.00,P1,,"],
            "450.00 30.00 0.00 420.00",
        ),
    ],
)  # fmt: skip
def test_a_void_reverses_the_kind_that_it_voids(tmp_path: Path, lines: list[str], wanted: str) -> None:
    assert totals(tmp_path, lines) == dict(zip(COLUMNS, wanted.split(), strict=True))


TWO = [
    "V1,payment,P1,1,2025-10-03,,,50.00,,,CHQ1",
    "V1,payment,P1,2,2025-10-03,,,50.00,,,",
    "V1,void,X1,1,2025-10-09,,,100.00,P1,,",
]


@pytest.mark.parametrize(
    ("words", "paid"),
    [
        (("--except", "reference is blank"), "0.00"),
        (("--only", "reference is blank"), "0.00"),
        (("--except", "kind is payment and reference is blank"), "0.00"),
        (("--only", "amount over 50"), "0.00"),
        (("--only", "kind is payment"), "100.00"),
        (("--only", "kind is void"), "-100.00"),
        (("--only", "kind is void and reference is CHQ1"), "-50.00"),
        (("--only", "posted before 2025-10-05 and reference is CHQ1"), "50.00"),
        (("--only", "number is X1"), "-100.00"),
    ],
)
def test_a_void_of_several_lines_follows_each(tmp_path: Path, words: tuple[str, ...], paid: str) -> None:
    assert totals(tmp_path, TWO, *words)["paid"] == paid


def test_a_second_void_shares_the_fate_of_its_line(tmp_path: Path) -> None:
    lines = [*TWO[:1], "V1,void,X1,1,2025-10-09,,,50.00,P1,,", "V1,void,X2,1,2025-10-10,,,50.00,P1,,"]
    assert totals(tmp_path / "a", lines, "--except", "reference is blank")["paid"] == "-50.00"
    assert totals(tmp_path / "b", lines, "--only", "reference is blank")["paid"] == "0.00"
    found = items_book(tmp_path, lines)
    assert found.load().code == 0
    assert "P1" in found.run("check", "over-applied").out


def test_a_void_counts_in_its_own_period_and_a_note_names_what_is_separated(tmp_path: Path) -> None:
    book = items_book(tmp_path, ["V1,payment,P1,1,2025-10-03,,,50.00,,,CHQ1", "V1,void,X1,1,2025-11-09,,,50.00,P1,,"])
    assert book.load().code == 0

    def found(*words: str) -> tuple[str, list[str]]:
        table = book.run("parties", "payable", "--show", "paid", *words, "--print", "json").json
        return str(table["rows"][-1]["cells"]["paid"]), [note for note in table["notes"] if "void" in note]

    assert found("--period", "2026-P01", "--only", "reference is CHQ1") == ("50.00", [])
    assert found("--period", "2026-P02", "--only", "reference is CHQ1") == ("-50.00", [])
    excluded = (
        "1 void, 50.00, excluded although the line that they void is included: a condition tests a void's own values"
    )
    assert found("--year", "2026", "--only", "posted in 2026-P01") == ("50.00", [excluded])


class Line(NamedTuple):
    """A line and its voids: none, one of all of it, one of half of it, or two of all of it."""

    kind: str
    amount: int
    reference: str
    voided: str


LINES = st.lists(
    st.builds(
        Line,
        st.sampled_from(["payment", "payment", "credit", "write-off", "refund"]),
        st.integers(1, 4), st.sampled_from(["", "A", "B"]), st.sampled_from(["none", "all", "part", "twice"]),
    ),
    min_size=1, max_size=5,
)  # fmt: skip
TESTS: dict[str, Callable[[Line], bool]] = {
    "reference is blank": lambda line: not line.reference,
    "amount over 2": lambda line: line.amount > 2,
    "kind is payment and reference is A": lambda line: line.kind == "payment" and line.reference == "A",
    "kind is credit or amount under 3": lambda line: line.kind == "credit" or line.amount < 3,
}
SIGNS = {"payment": -1, "credit": -1, "write-off": -1, "refund": 1}


@examples(15, 400)
@given(LINES, st.sampled_from(sorted(TESTS)), st.sampled_from(["--only", "--except"]))
def test_no_other_condition_separates_a_void_from_its_line(
    tmp_path_factory: pytest.TempPathFactory, lines: list[Line], condition: str, option: str
) -> None:
    rows: list[str] = []
    wanted: defaultdict[str, Decimal] = defaultdict(Decimal)
    for number, line in enumerate(lines):
        kind, amount, reference, voided = line
        rows.append(f"V1,{kind},L{number},1,2025-10-0{number + 1},,,{amount}.00,,,{reference}")
        included = TESTS[condition](line) is (option == "--only")
        whole, half = Decimal(amount), Decimal(amount) / 2
        voids: dict[str, list[Decimal]] = {"none": [], "all": [whole], "part": [half], "twice": [whole, whole]}
        back = voids[voided]
        for nth, part in enumerate(back):
            rows.append(f"V1,void,X{number}{nth},1,2025-11-0{number + 1},,,{part:.2f},L{number},,")
        if included:
            wanted[kind] += SIGNS[kind] * (amount - sum(back, Decimal(0)))
    moved = sum(wanted.values(), Decimal(0))
    found = totals(tmp_path_factory.mktemp("voids"), rows, option, condition)
    assert Decimal(found["paid"]) == -wanted["payment"] - wanted["refund"]
    assert Decimal(found["invoiced"]) == wanted["credit"]
    assert Decimal(found["invoiced"]) - Decimal(found["paid"]) - Decimal(found["written-off"]) == moved


def test_a_computed_quarter_of_a_void_is_that_of_its_line(demo: Path, docs: list[Doc]) -> None:
    """The quarter of `date` follows the voided line; the quarter of `posted` is the void's own."""
    voided = {(doc.party, doc.number): doc for doc in docs if doc.kind == "payment"}
    own = {(doc.party, doc.number) for doc in docs if doc.kind == "void"}
    assert own
    first, last = date(2025, 1, 1), date(2025, 3, 31)
    for field in ("date", "posted"):
        words = ("--compute", f"q = quarter of {field}", "--only", "q is 2025-Q2 and posted since 2020-01-01")
        found = run_almanac("list", "payables", *words, "--by", "kind", "--show", "count", "--print", "json", cwd=demo)
        shown = {row["key"]: row["cells"]["count"] for row in found.json["rows"]}
        wanted: defaultdict[str, int] = defaultdict(int)
        for doc in docs:
            line = voided.get((doc.party, doc.settles), doc) if doc.kind == "void" and field == "date" else doc
            if first <= (line.dated if field == "date" else line.posted) <= last:
                wanted[doc.kind] += 1
        assert {kind: count for kind, count in shown.items() if kind != "total"} == wanted


@pytest.fixture(scope="module")
def docs(demo: Path) -> list[Doc]:
    return read_docs(demo, "suppliers")
