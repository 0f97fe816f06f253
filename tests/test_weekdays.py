"""Last year by the same weekdays, and holidays that only one of two compared spans has."""

import shutil
from collections.abc import Callable
from datetime import date, timedelta
from decimal import Decimal
from pathlib import Path

import pytest

from conftest import run_almanac
from second_sales import sales, summed

FIRST: dict[str, Callable[[date], date]] = {
    "ptd": lambda day: day.replace(day=1),
    "last 7 days": lambda day: day - timedelta(6),
    "qtd": lambda day: date(day.year, (day.month - 1) // 3 * 3 + 1, 1),
    "ytd": lambda day: date(day.year - (day.month < 10), 10, 1),
    "day": lambda day: day,
}


def like(day: date) -> date:
    """Return the day of the year before that has the same weekday and is nearest to the same date."""
    same = day.replace(year=day.year - 1) if (day.month, day.day) != (2, 29) else date(day.year - 1, 2, 28)
    return next(found for off in (0, 1, -1, 2, -2, 3, -3)
                if (found := same + timedelta(off)).weekday() == day.weekday())  # fmt: skip


@pytest.mark.parametrize("day", [date(2026, 6, 17), date(2026, 3, 31), date(2025, 10, 5), date(2025, 2, 28)])
def test_last_year_is_of_the_same_weekdays(demo: Path, day: date) -> None:
    words = "; ".join(f"{span}; {span} last year" for span in FIRST)
    asked = ("--compare", "weekday", "--as-of", day.isoformat())
    found = run_almanac("list", "sales", "--by", "route", "--columns", words, *asked, "--print", "json", book=demo).json
    columns = [column for column in found["columns"] if "last-year" in column["key"]]
    back = day - like(day)
    assert back.days % 7 == 0
    for column, first in zip(columns, FIRST.values(), strict=True):
        start, end = first(day) - back, day - back
        assert (column["from"], column["through"]) == (start.isoformat(), end.isoformat())
        told = summed(sales(demo), start, end, lambda line: line.route)
        for row in found["rows"]:
            if row["key"] in told:
                assert Decimal(row["cells"][column["key"]]) == told[row["key"]], column["key"]
        assert Decimal(found["rows"][-1]["cells"][column["key"]]) == sum(told.values())
    grown = run_almanac("growth", "sales", *asked, "--each", "day", "--last", "5", "--print", "json", book=demo).json
    rows = {row["key"]: row["cells"] for row in grown["rows"]}
    days = [day - timedelta(each) for each in range(5)]
    for each in days:
        told = summed(sales(demo), like(each), like(each), lambda _: "")
        assert Decimal(rows[each.isoformat()]["last-year"]) == told.get("", Decimal(0))
    assert Decimal(rows["ptd"]["last-year"]) == Decimal(found["rows"][-1]["cells"][columns[0]["key"]])
    ranked = run_almanac("rank", "sales", "--by", "route", "--span", "ytd", *asked, "--print", "json", book=demo).json
    assert ranked["rows"][-1]["cells"]["amount-last-year"] == found["rows"][-1]["cells"]["ytd-last-year"]
    assert found["proof"]["balances"]


@pytest.mark.parametrize(
    ("words", "day", "told"),
    [
        ("list sales --columns mtd;mtd@last@year", "2026-04-10", "Good Friday on 3 Apr 2026 (1–10 Apr 2026, not 2–11 Apr 2025)"),
        ("list sales --columns mtd;mtd@last@year", "2026-04-18", ""),
        ("rank sales --by item --span ytd", "2026-04-17",
         "Good Friday on 3 Apr 2026 (1 Oct 2025–17 Apr 2026, not 2 Oct 2024–18 Apr 2025)"),
        ("statement income --columns ptd;ptd@last@year", "2025-12-25", ""),
        ("growth sales --each day --last 1", "2025-04-18", "Good Friday on 18 Apr 2025 (18 Apr 2025, not 19 Apr 2024)"),
    ],
)  # fmt: skip
def test_a_holiday_that_moved_is_named(demo: Path, tmp_path: Path, words: str, day: str, told: str) -> None:
    book = tmp_path / "book"
    shutil.copytree(demo, book)
    path = book / "almanac.toml"
    days = '["2025-04-19 Good Friday", "2026-04-03 Good Friday", "2025-12-25", "2024-12-25"]'
    if "growth" in words:
        days = '["2025-04-18 Good Friday"]'
    path.write_text(path.read_text().replace("[calendar]\n", f"[calendar]\nholidays = {days}\n", 1))
    asked = [word.replace("@", " ") for word in words.split()]
    ran = run_almanac(*asked, "--compare", "weekday", "--as-of", day, "--print", "json", book=book)
    notes = [note for note in ran.json["notes"] if note.startswith("Holidays of one span only")]
    assert (told in "".join(notes), bool(notes)) == (True, bool(told)), notes
    # Compared by date nothing is said of them.
    plain = run_almanac(*asked, "--as-of", day, "--print", "json", book=book).json
    assert not any(note.startswith("Holidays") for note in plain["notes"])
