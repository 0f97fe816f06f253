"""Fields that the book declares and the loaded lines have not yet: told in words, never in those of the engine."""

from decimal import Decimal

import pytest

from conftest import MakeBook, SmallBook

TABLES = """
[tables.trips]
key = ["trip"]
fields = { trip = "text", sailed = "date", ship = "text", fare = "amount" }

[tables.ships]
key = ["ship"]
fields = { ship = "text", built = "date" }

[[intake]]
table = "trips"
files = "trips.csv"
dates = ["YYYY-MM-DD"]

[[intake]]
table = "ships"
files = "ships.csv"
dates = ["YYYY-MM-DD"]
"""


@pytest.fixture
def trips(make_book: MakeBook) -> SmallBook:
    book = make_book("J1,1,2025-10-01,,1000,5,,X", "J1,2,2025-10-01,,4010,,5,X")
    path = book.root / "almanac.toml"
    path.write_text(path.read_text() + TABLES)
    (book.root / "trips.csv").write_text("trip,sailed,ship,fare\nT1,2025-10-02,Brae,5.00\nT2,2025-10-03,Tern,7.00\n")
    (book.root / "ships.csv").write_text("ship,built\nBrae,2025-10-04\nTern,2025-11-05\n")
    assert book.load().code == 0
    return book


def declare(book: SmallBook, old: str, new: str) -> None:
    path = book.root / "almanac.toml"
    path.write_text(path.read_text().replace(old, new))


@pytest.mark.parametrize(
    "words",
    [
        ("list", "trips"),
        ("list", "trips", "--by", "gang"),
        ("rank", "trips", "--by", "gang"),
        ("growth", "trips", "--only", "gang is north"),
        ("fields", "trips"),
    ],
)
def test_a_field_declared_after_the_load_is_told(trips: SmallBook, words: tuple[str, ...]) -> None:
    declare(trips, 'trip = "text",', 'trip = "text", gang = "text",')
    ran = trips.run(*words)
    assert (ran.code, ran.err) == (
        3,
        "almanac: the field gang of trips: declared after the last load; run `almanac load`\n",
    )


def test_a_linked_field_and_another_kind_are_told_too(trips: SmallBook) -> None:
    declare(trips, 'built = "date"', 'built = "date", yard = "text"')
    ran = trips.run("list", "trips", "--by", "ship.yard")
    assert ran.err == "almanac: the field yard of ships: declared after the last load; run `almanac load`\n"
    declare(trips, ', yard = "text"', "")
    declare(trips, 'fare = "amount"', 'fare = "date"')
    ran = trips.run("list", "trips", "--only", "fare after 2025-10-01")
    assert "the field fare of trips: declared otherwise since the last load; run `almanac load`" in ran.err


def test_totals_by_a_date_of_another_table_go_as_far_as_its_newest_day(trips: SmallBook) -> None:
    ran = trips.run("growth", "trips", "--date", "ship.built", "--print", "json")
    assert (ran.code, ran.json["facts"]["as_of"]) == (0, "2025-11-05")
    assert Decimal(ran.json["rows"][1]["cells"]["now"]) == 12
