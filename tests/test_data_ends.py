"""How far each table's data goes: told for each, seen where one ends early, and named by the heads of reports."""

from datetime import date, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Almanac, copied, examples
from level_almanac.intake.early_ends import _is_early

TODAY = date(2026, 6, 17)


@pytest.fixture(scope="module")
def early(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A demo book whose sales end on 25 May and whose yard's ledger ends in April, both said to go to 17 June."""
    book = copied(demo, tmp_path_factory.mktemp("early") / "book")
    for path, column, last, sign in (
        ("sales/sales-2026.csv", 3, "2026-05-25", ","),
        ("yard/yard-2026.csv", 2, "2026-04-14", ";"),
    ):
        file = book / "exports" / path
        head, *lines = file.read_text(encoding="latin-1").splitlines(keepends=True)

        def day(line: str, column: int = column, sign: str = sign) -> str:
            text = line.split(sign)[column]
            return "-".join(reversed(text.split("."))) if "." in text else text

        file.write_text("".join([head, *(line for line in lines if day(line) <= last)]), encoding="latin-1")
    return book


def test_what_ends_early_is_told_at_load_and_under_reports(almanac: Almanac, early: Path) -> None:
    loaded = almanac("load", book=early)
    assert loaded.code == 0, loaded.err
    assert (
        "warning: no line in sales is after 2026-05-25, though data is said to be complete through 2026-06-17"
        in loaded.err
    )
    assert "warning: no line of YARD in ledger is after 2026-04-" in loaded.err
    assert loaded.err.count("though data is said") == 2
    told = "No line in sales is after 25 May 2026, though it is said to be complete through 17 Jun 2026"
    for words in (
        ("rank", "sales", "--by", "route"),
        ("growth", "sales"),
        ("pace", "sales"),
        ("list", "sales", "--year", "2026"),
    ):
        notes = almanac(*words, "--print", "json", book=early).json["notes"]
        assert any(note.startswith(told) for note in notes), words
    before = almanac("list", "sales", "--period", "2026-P07", "--print", "json", book=early).json["notes"]
    assert not [note for note in before if "is after" in note]
    for report in (("statement", "income"), ("trial",), ("detail", "61210"), ("list", "ledger", "--year", "2026")):
        notes = almanac(*report, "--print", "json", book=early).json["notes"]
        assert any(note.startswith("No line of Skellan Yard in the ledger is after 1") for note in notes), report
    line = almanac("statement", "income", "--entity", "LINE", "--print", "json", book=early).json["notes"]
    assert not [note for note in line if "is after" in note]
    # Once it is said how far it goes, reports of it end there, and nothing is early.
    again = almanac("load", "--through", "2026-06-17", "--through", "sales=2026-05-25", book=early)
    assert (again.code, "sales" in again.err) == (0, False), again.err
    ranked = almanac("rank", "sales", "--by", "route", "--print", "json", book=early).json
    assert ranked["facts"]["as_of"] == "2026-05-25"
    assert not [note for note in ranked["notes"] if "is after" in note]
    assert (
        almanac("rank", "payables", "--by", "party", "--print", "json", book=early).json["facts"]["as_of"]
        == "2026-06-17"
    )


@pytest.mark.parametrize(
    ("words", "heads"),
    [
        (("list", "sales", "--by", "route"), ("Skellan Line · EUR", "sales complete through 17 Jun 2026, ")),
        (("list", "vessels"), ("vessels complete through 17 Jun 2026, ",)),
        (("list", "parties"), ("parties loaded ",)),
        (("aging", "receivable"), ("Skellan Line + Skellan Yard, combined, nothing eliminated · EUR", "receivables complete through 17 Jun 2026, ")),
        (("billing", "--period", "2026-P08"), ("Skellan Line · EUR",)),
        (("fields", "billing"), ("billing complete through 17 Jun 2026, ",)),
    ],
)  # fmt: skip
def test_heads_name_the_table_and_the_entities_that_have_lines(
    almanac: Almanac, demo: Path, words: tuple[str, ...], heads: tuple[str, ...]
) -> None:
    lines = almanac(*words, book=demo).out.splitlines()[:6]
    for head in heads:
        assert any(line.startswith(head) for line in lines), lines
    if words[1:2] == ("sales",):
        assert almanac(*words, "--print", "json", book=demo).json["facts"]["entity"] == "LINE"


@pytest.mark.parametrize(
    ("through", "message"),
    [
        ("slaes=2026-05-25", "--through: no table whose lines have a date has this name: 'slaes'"),
        ("items=2026-05-25", "--through: no table whose lines have a date has this name: 'items'"),
        ("sales=25.5.2026", "--through: "),
    ],
)
def test_a_day_for_no_table(almanac: Almanac, demo: Path, through: str, message: str) -> None:
    ran = almanac("load", "--through", "2026-06-17", "--through", through, book=demo)
    assert (ran.code, message in ran.err) == (2, True), ran.err
    twice = almanac("load", "--through", "sales=2026-06-17", "--through", "sales=2026-06-16", book=demo)
    assert (twice.code, "told more than once" in twice.err) == (2, True)


@examples(100)
@given(st.lists(st.integers(1, 9), min_size=1, max_size=40), st.integers(0, 60))
def test_only_what_ends_by_more_than_its_own_gaps_is_early(gaps: list[int], since: int) -> None:
    days = [TODAY - timedelta(days=since + sum(gaps))]
    for gap in gaps:
        days.append(days[-1] + timedelta(days=gap))
    assert days[-1] == TODAY - timedelta(days=since)
    assert _is_early(days, TODAY) is (since > 7 and since > 2 * max(gaps))
    assert not _is_early(days[-1:], TODAY), "one day says nothing of when the next is to come"
