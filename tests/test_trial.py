"""Trial balances of the demo, every account of them, against plain loops over the exports."""

from datetime import date
from decimal import Decimal
from pathlib import Path

import pytest

from conftest import Almanac
from second_route import Line, TrialLine, Within, days, fiscal, period_edges, read, trial


@pytest.fixture(scope="module")
def lines(demo: Path) -> list[Line]:
    return read(demo)


def in_period(period: int) -> Within:
    return lambda line: line.period == period


def before_period(period: int) -> Within:
    return lambda line: line.period < period


WHOLE_YEAR: tuple[Within, Within] = (lambda _: False, lambda _: True)
CASES = [
    *((f"--period {year}-P{period:02d}", year, before_period(period), in_period(period)) for year, period in
      ((2024, 1), (2024, 13), (2025, 6), (2025, 12), (2025, 13), (2026, 1), (2026, 8))),
    ("--year 2024", 2024, *WHOLE_YEAR),
    ("--year FY2025", 2025, *WHOLE_YEAR),
    ("--quarter 2025-Q4", 2025, lambda line: line.period < 10, lambda line: line.period >= 10),
    ("--quarter 2025-Q4 --adjustments without", 2025, lambda line: line.period < 10, lambda line: 10 <= line.period < 13),
    ("", 2026, *WHOLE_YEAR),
    ("--as-of 2026-03-11", 2026, lambda _: False, days(date(2025, 10, 1), date(2026, 3, 11))),
    ("--as-of 2025-09-30", 2025, *WHOLE_YEAR),
    ("--from 2026-02-10 --through 2026-05-31", 2026, days(date(2025, 10, 1), date(2026, 2, 9)),
     days(date(2026, 2, 10), date(2026, 5, 31))),
    ("--from 2025-09-30 --before 2025-10-01", 2025, lambda line: line.day < date(2025, 9, 30),
     days(date(2025, 9, 30), date(2025, 9, 30))),
]  # fmt: skip


@pytest.mark.parametrize(
    ("entity", "closing"), [("", ""), ("LINE", "--after-closing"), ("YARD", ""), ("YARD", "--after-closing")]
)
@pytest.mark.parametrize(("words", "year", "before", "within"), CASES, ids=[case[0] or "default" for case in CASES])
def test_every_account_equals_the_second_route(
    almanac: Almanac,
    demo: Path,
    lines: list[Line],
    words: str,
    year: int,
    before: Within,
    within: Within,
    entity: str,
    closing: str,
) -> None:
    options = [*words.split(), *(["--entity", entity] if entity else []), *([closing] if closing else [])]
    ran = almanac("trial", *options, "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    chosen = [line for line in lines if not entity or line.entity == entity]
    expected, earlier = trial(chosen, year, before, within, after_closing=bool(closing))
    assert earlier == 0, "the demo's closed years leave nothing"
    shown = {row["key"]: row["cells"] for row in ran.json["rows"] if row["kind"] == "line"}
    for account, line in expected.items():
        figures = {"opening": line.opening, "debit": line.debit, "credit": line.credit, "closing": line.closing}
        if any(figures.values()):
            assert {key: Decimal(cell) for key, cell in shown.pop(account).items()} == figures, account
    assert not {key: cells for key, cells in shown.items() if any(map(Decimal, cells.values()))}
    total = {
        key: Decimal(cell) for key, cell in next(r for r in ran.json["rows"] if r["key"] == "total")["cells"].items()
    }
    assert total["opening"] == total["closing"] == total["debit"] - total["credit"] == 0
    result = next(row for row in ran.json["rows"] if row["key"] == "result")["cells"]
    assert Decimal(result["closing"]) == sum(line.closing for account, line in expected.items() if account >= "40")


def closings(almanac: Almanac, book: Path, *words: str) -> dict[str, Decimal]:
    ran = almanac("trial", *words, "--print", "json", book=book)
    assert ran.code == 0, ran.err
    return {row["key"]: Decimal(row["cells"]["closing"]) for row in ran.json["rows"] if row["kind"] == "line"}


def test_closings_after_closing_are_the_next_openings(almanac: Almanac, demo: Path) -> None:
    closed = closings(almanac, demo, "--year", "2025", "--after-closing")
    opened = almanac("trial", "--period", "2026-P01", "--print", "json", book=demo).json["rows"]
    openings = {row["key"]: Decimal(row["cells"]["opening"]) for row in opened if row["kind"] == "line"}
    nonzero = {key: amount for key, amount in openings.items() if amount}
    assert nonzero == {key: amount for key, amount in closed.items() if amount}
    assert all(key < "40" for key in nonzero)


def test_periods_chain_and_add_up_to_the_year(almanac: Almanac, demo: Path) -> None:
    year = almanac("trial", "--year", "2025", "--entity", "LINE", "--print", "json", book=demo).json
    debits: dict[str, Decimal] = {}
    before: dict[str, Decimal] | None = None
    for number in range(1, 14):
        ran = almanac("trial", "--period", f"2025-P{number:02d}", "--entity", "LINE", "--print", "json", book=demo)
        cells = {row["key"]: row["cells"] for row in ran.json["rows"] if row["kind"] == "line"}
        for key, each in cells.items():
            debits[key] = debits.get(key, Decimal(0)) + Decimal(each["debit"])
            assert before is None or Decimal(each["opening"]) == before.get(key, 0)
        before = {key: Decimal(each["closing"]) for key, each in cells.items()}
    assert debits == {row["key"]: Decimal(row["cells"]["debit"]) for row in year["rows"] if row["kind"] == "line"}


def test_level_rolls_up_and_keeps_the_total(almanac: Almanac, demo: Path) -> None:
    deep = closings(almanac, demo)
    for level, length in ((1, 2), (2, 3)):
        rolled = closings(almanac, demo, "--level", str(level))
        for key, closing in rolled.items():
            # Equity accounts hang right below their class, so they are as short as they get.
            below = sum(amount for code, amount in deep.items() if code == key or code.startswith(key[:length]))
            assert closing == below, key
        assert sum(rolled.values()) == sum(deep.values()) == 0


def test_the_second_route_knows_the_traps(lines: list[Line]) -> None:
    """The demo holds what catches people: carried lines, closing lines, P13, a line outside its own period."""
    assert {line.source for line in lines} >= {"CF", "CL", "AJ"}
    assert any(line.period == 13 for line in lines)
    assert any((line.year, line.period) != fiscal(line.day) and line.period != 13 for line in lines) is False
    assert any(line.day == date(2026, 5, 31) and line.debit == Decimal("3182.40") for line in lines)
    assert TrialLine(Decimal(1), Decimal(2), Decimal(3)).closing == 0
    assert period_edges(2024, 5) == (date(2024, 2, 1), date(2024, 2, 29))
