"""Income statements of the demo, every row and column of them, against plain loops over the exports."""

from collections.abc import Callable
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

from conftest import Almanac, copied, run_almanac
from second_route import Line, Within, days, income, read

JUNE_2026 = days(date(2026, 6, 1), date(2026, 6, 17))
JUNE_2025 = days(date(2025, 6, 1), date(2025, 6, 17))


@pytest.fixture(scope="module")
def lines(demo: Path) -> list[Line]:
    return read(demo)


def year(number: int) -> Within:
    return lambda line: line.year == number


def ordinary(number: int) -> Within:
    return lambda line: line.year == number and line.period < 13


def periods(number: int, first: int, last: int) -> Within:
    return lambda line: line.year == number and first <= line.period <= last


CASES: list[tuple[str, str, dict[str, Within]]] = [
    ("", "ptd; ptd last year; ytd; ytd last year", {
        "ptd": JUNE_2026, "ptd-last-year": JUNE_2025,
        "ytd": days(date(2025, 10, 1), date(2026, 6, 17)), "ytd-last-year": days(date(2024, 10, 1), date(2025, 6, 17)),
    }),
    ("", "ptd prior; qtd; qtd prior; qtd last year; ytd prior", {
        "ptd-prior": days(date(2026, 5, 1), date(2026, 5, 17)), "qtd": days(date(2026, 4, 1), date(2026, 6, 17)),
        "qtd-prior": days(date(2026, 1, 1), date(2026, 3, 17)),
        "qtd-last-year": days(date(2025, 4, 1), date(2025, 6, 17)),
        "ytd-prior": days(date(2024, 10, 1), date(2025, 6, 17)),
    }),
    ("--compare whole", "ptd; ptd last year; ytd last year", {
        "ptd": JUNE_2026, "ptd-last-year": periods(2025, 9, 9), "ytd-last-year": periods(2025, 1, 9),
    }),
    ("--as-of 2026-06-30", "ptd; ptd last year", {"ptd": periods(2026, 9, 9), "ptd-last-year": periods(2025, 9, 9)}),
    ("", "period; period last year; period prior; quarter prior; year last year", {
        "period": periods(2026, 9, 9), "period-last-year": periods(2025, 9, 9), "period-prior": periods(2026, 8, 8),
        "quarter-prior": periods(2026, 4, 6), "year-last-year": year(2025),
    }),
    ("--period 2025-P12", "ptd; qtd; ytd; year; ytd last year", {
        "ptd": periods(2025, 12, 12), "qtd": periods(2025, 10, 12), "ytd": ordinary(2025), "year": ordinary(2025),
        "ytd-last-year": ordinary(2024),
    }),
    ("--period 2025-P13", "ptd; qtd; ytd; ytd last year", {
        "ptd": periods(2025, 12, 12), "qtd": periods(2025, 10, 13), "ytd": year(2025), "ytd-last-year": year(2024),
    }),
    ("--as-of 2025-09-30", "ptd; ytd; ytd last year", {
        "ptd": periods(2025, 12, 12), "ytd": year(2025), "ytd-last-year": year(2024),
    }),
    ("--year 2025 --adjustments without", "ytd; ytd last year", {"ytd": ordinary(2025), "ytd-last-year": ordinary(2024)}),
    ("--quarter 2026-Q1", "qtd; qtd prior; ptd", {
        "qtd": periods(2026, 1, 3), "qtd-prior": periods(2025, 10, 13), "ptd": periods(2026, 3, 3),
    }),
    ("--period 2026-P01", "ptd; ptd prior", {"ptd": periods(2026, 1, 1), "ptd-prior": periods(2025, 12, 12)}),
    ("--as-of 2024-02-29", "ptd; ptd last year; ptd prior", {
        "ptd": periods(2024, 5, 5), "ptd-last-year": lambda _: False, "ptd-prior": periods(2024, 4, 4),
    }),
    ("--as-of 2025-03-30", "ptd prior; ptd last year", {
        # February lacks the 30th, so its last day stands for it.
        "ptd-prior": periods(2025, 5, 5), "ptd-last-year": days(date(2024, 3, 1), date(2024, 3, 30)),
    }),
]  # fmt: skip


def statement(almanac: Almanac, book: Path, *words: str) -> dict[str, Any]:
    ran = almanac("statement", "income", *words, "--print", "json", book=book)
    assert ran.code == 0, ran.err
    return ran.json


def cells(report: dict[str, Any], key: str) -> dict[str, str]:
    return next(dict(row["cells"]) for row in report["rows"] if row["key"] == key)


@pytest.mark.parametrize(("words", "columns", "expected"), CASES, ids=[f"{case[0]} {case[1]}" for case in CASES])
def test_every_cell_equals_the_second_route(
    almanac: Almanac, demo: Path, lines: list[Line], words: str, columns: str, expected: dict[str, Within]
) -> None:
    report = statement(almanac, demo, *words.split(), "--columns", columns)
    assert [column["key"] for column in report["columns"]] == list(expected)
    for key, within in expected.items():
        moved = income(lines, within)
        if cells(report, "result")[key] is None:
            assert not any(map(within, lines)), "what lies before the data is blank, and not 0.00"
            continue
        shown = {row["key"]: Decimal(row["cells"][key]) for row in report["rows"] if row["kind"] == "line"}
        assert {code: amount for code, amount in shown.items() if amount} == {c: a for c, a in moved.items() if a}, key
        earned = sum(amount for code, amount in moved.items() if code < "50")
        spent = sum(amount for code, amount in moved.items() if code >= "50")
        assert Decimal(cells(report, "result")[key]) == earned - spent
    assert report["proof"]["balances"] is True
    if "--period 2025-P1" in words:
        told = {"--period 2025-P12": "without adjustments of P13", "--period 2025-P13": "with adjustments of P13"}
        assert report["facts"]["choices"] == told[words]


def test_entities_add_up(almanac: Almanac, demo: Path) -> None:
    both, line, yard = (
        cells(statement(almanac, demo, "--columns", "ytd", *words), "result")["ytd"]
        for words in ([], ["--entity", "LINE"], ["--entity", "YARD"])
    )
    assert Decimal(both) == Decimal(line) + Decimal(yard)


def test_quarters_add_up_to_the_year(almanac: Almanac, demo: Path) -> None:
    quarters = [
        cells(statement(almanac, demo, "--quarter", f"2025-Q{number}", "--columns", "quarter"), "result")["quarter"]
        for number in (1, 2, 3, 4)
    ]
    whole = cells(statement(almanac, demo, "--year", "2025", "--columns", "year"), "result")["year"]
    assert sum(map(Decimal, quarters)) == Decimal(whole)


def test_levels_show_the_same_totals(almanac: Almanac, demo: Path) -> None:
    deep, flat = (statement(almanac, demo, "--columns", "ytd", *words) for words in ([], ["--level", "1"]))
    for key in ("income", "direct-cost", "gross-result", "expense", "result"):
        assert cells(deep, key) == cells(flat, key)
    assert cells(flat, "40")["ytd"] == cells(deep, "40")["ytd"]


def test_heads_tell_days_and_wholeness(almanac: Almanac, demo: Path) -> None:
    part = almanac("statement", "income", "--columns", "ptd; ptd last year; period", book=demo).out
    assert "1–17 Jun 2026" in " ".join(part.split()) or "1–17 Jun" in part
    assert part.count("17/30 days") == 3, "the period is not finished either"
    named = almanac("statement", "income", "--columns", "2026-P09", book=demo).out
    assert "data to 17 Jun" in named, "the period is whole in the calendar and not in the data"
    whole = almanac("statement", "income", "--period", "2026-P08", "--columns", "ptd; ptd last year", book=demo).out
    assert whole.count("whole period") == 2
    assert "closed" in whole


def test_the_note_tells_what_the_cut_left_out(almanac: Almanac, demo: Path, lines: list[Line]) -> None:
    moved = income(lines, days(date(2025, 6, 18), date(2025, 6, 30)))
    earned = sum(amount for code, amount in moved.items() if code < "50")
    (note,) = statement(almanac, demo)["notes"]
    assert f"{earned:,.2f} of income" in note
    assert "2025-P09" in note


def test_proof_names_every_line(almanac: Almanac, demo: Path, lines: list[Line]) -> None:
    proof = statement(almanac, demo, "--entity", "LINE")["proof"]
    left = {each["rule"]: each["lines"] for each in proof["left_out"]}
    line = [each for each in lines if each.entity == "LINE"]
    assert proof["considered"]["lines"] == len(lines)
    assert left["other entities"] == len(lines) - len(line)
    assert left["carried"] == sum(each.source == "CF" for each in line)
    assert left["closing"] == sum(each.source == "CL" for each in line)
    shown = [each for each in line if each.is_income and each.source != "CL" and each.year >= 2025]
    within = days(date(2024, 10, 1), date(2025, 6, 17))
    assert proof["shown"]["lines"] == sum(within(each) or each.year == 2026 for each in shown)
    assert sum(left.values()) + proof["shown"]["lines"] == len(lines)


def test_a_closed_year_does_not_move_with_later_carried_lines(almanac: Almanac, demo: Path, tmp_path: Path) -> None:
    book = tmp_path / "book"
    copied(demo, book, ".almanac")
    for path in book.glob("exports/*/*.csv"):
        text = path.read_text(encoding="latin-1").splitlines(keepends=True)
        kept = [line for line in text if not line.startswith(("CF24-", "CF25-"))]
        path.write_text("".join(kept), encoding="latin-1")
    carried = sum(
        line.startswith("CF") for path in book.glob("exports/*/*.csv") for line in path.open(encoding="latin-1")
    )
    assert carried == sum(each.source == "CF" and each.year == 2024 for each in read(demo))
    assert run_almanac("load", "--through", "2026-06-17", book=book).code == 0
    for words in (["trial", "--year", "2025"], ["trial"], ["statement", "income", "--year", "2025"]):
        rows = [almanac(*words, "--print", "json", book=each).json["rows"] for each in (demo, book)]
        assert rows[0] == rows[1]


@pytest.mark.parametrize(
    ("words", "holds"),
    [
        (("--only", "source is TK or source is SF"), lambda line: line.source in ("TK", "SF")),
        (("--except", "account begins 4011"), lambda line: not line.account.startswith("4011")),
        (("--only", "account.class is income", "--except", "posted since 2026-06-10"),
         lambda line: "40" <= line.account < "50" and line.posted < date(2026, 6, 10)),
        (("--only", "amount over 1000 and period is 2026-P09"),
         lambda line: line.amount > 1000 and (line.year, line.period) == (2026, 9)),
    ],
)  # fmt: skip
def test_conditions_keep_what_meets_them_and_count_the_rest(
    demo: Path, almanac: Almanac, words: tuple[str, ...], holds: Callable[[Line], bool]
) -> None:
    ran = almanac("statement", "income", *words, "--columns", "ptd; ytd", "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    found = ran.json
    lines = [
        line for line in read(demo)
        if line.is_income and line.source not in ("CF", "CL") and line.year == 2026 and line.day <= date(2026, 6, 17)
    ]  # fmt: skip
    kept = [line for line in lines if holds(line)]
    result = next(row["cells"] for row in found["rows"] if row["key"] == "result")
    assert Decimal(result["ytd"]) == -sum((line.amount for line in kept), Decimal(0))
    assert Decimal(result["ptd"]) == -sum((line.amount for line in kept if line.period == 9), Decimal(0))
    proof = found["proof"]
    assert proof["balances"]
    assert proof["shown"]["lines"] == len(kept)
    conditions = [part for part in proof["left_out"] if any(word in part["rule"] for word in ("is", "begins", "since"))]
    assert sum(part["lines"] for part in conditions) == len(lines) - len(kept)
    assert "conditions" in found["facts"]


def test_conditions_hold_for_plans_too_or_say_that_plans_lack_the_field(demo: Path, almanac: Almanac) -> None:
    words = ("statement", "income", "--columns", "budget ytd", "--print", "json")
    one, rest, all_ = (
        Decimal(next(row["cells"]["budget-ytd"] for row in almanac(*words, *more, book=demo).json["rows"] if row["key"] == "result"))
        for more in (("--only", "department is SEA"), ("--except", "department is SEA"), ())
    )  # fmt: skip
    assert one
    assert one + rest == all_
    refused = almanac(*words, "--only", "source is TK", book=demo)
    assert (refused.code, "lines of plans have no source" in refused.err) == (2, True)
