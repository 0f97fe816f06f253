"""Prices, which are never added up, and whose average is weighted: a hand-worked table of fuel."""

from decimal import Decimal

import pytest

from conftest import MakeBook, SmallBook

FUEL = """
[tables.fuel]
key = ["number"]
fields = { number = "text", taken = "date", port = "text", litres = "quantity", tanks = "quantity", paid = "price", \
listed = "price", tax = "amount" }
weights = { paid = "litres" }

[[intake]]
table = "fuel"
files = "fuel.csv"
dates = ["YYYY-MM-DD"]

[[agree]]
name = "Fuel"
left = { table = "fuel", sum = "SUM" }
right = { table = "fuel", sum = "litres" }
"""
LINES = """\
number,taken,port,litres,tanks,paid,listed,tax
1,2025-10-01,Kelsay,100,1,0.8934,0.95,1.00
2,2025-10-02,Kelsay,300,2,0.91,0.95,2.00
3,2025-10-03,Brint,50,1,,0.90,3.00
4,2025-10-05,Brint,200,1,0.9,0.90,4.00
5,2025-10-06,Brint,-20,1,0.9,0.90,5.00
6,2025-10-07,Ulst,,1,7,0.90,6.00
"""


def fuel_book(make_book: MakeBook, total: str = "litres") -> SmallBook:
    book = make_book("J1,1,2025-10-01,,1000,5,,X", "J1,2,2025-10-01,,4010,,5,X")
    path = book.root / "almanac.toml"
    path.write_text(path.read_text() + FUEL.replace("SUM", total))
    (book.root / "fuel.csv").write_text(LINES)
    return book


def test_a_price_is_not_added_up_and_its_average_is_weighted(make_book: MakeBook) -> None:
    book = fuel_book(make_book)
    assert book.load().code == 0
    found = book.run("list", "fuel", "--by", "port", "--compute", "bill = round paid * litres to 2", "--compute",
                     "rise = listed - paid", "--show", "average of paid, listed, bill, rise", "--print", "json")  # fmt: skip
    rows = {row["label"]: row["cells"] for row in found.json["rows"]}
    # (100 × 0.8934 + 300 × 0.91) / 400; a line without a price, or without litres, has no part.
    assert rows["Kelsay"]["average of paid"] == "0.90585"
    averages = {name: cells["average of paid"] for name, cells in rows.items()}
    assert averages["Brint"] == "0.9000"
    assert averages["Ulst"] is None
    assert round(Decimal(averages["Total, 3 groups"]), 20) == round(Decimal("524.34") / 580, 20)
    assert [cells.get("listed") for cells in rows.values()] == ["0.90", "0.95", "0.90", None]
    assert [cells.get("rise") for cells in rows.values()] == [None, None, "-6.1", None]
    assert [cells["bill"] for cells in rows.values()] == ["162.00", "362.34", None, "524.34"]
    assert "paid" not in book.run("list", "fuel", "--by", "port").out.splitlines()[4]
    kinds = {row["label"]: row["cells"]["kind"] for row in book.run("fields", "fuel", "--print", "json").json["rows"]}
    assert kinds["paid"] == "price, its average weighted by litres"


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (("list", "fuel", "--by", "port", "--show", "sum of paid"), "--show: a price or rate is not added up: 'paid'"),
        (("list", "fuel", "--by", "port", "--show", "average of listed"), "`weights = { listed = \"litres\" }`"),
        (("list", "fuel", "--by", "port", "--compute", "p = paid * 2", "--show", "average of p"), "a price that is computed"),
        (("rank", "fuel", "--by", "port", "--of", "paid"), "--of: a price or rate is not added up: 'paid'; `average of paid`"),
        (("rank", "fuel", "--by", "port", "--compute", "a = tax / paid", "--of", "a"), "--of: a price or rate is not added up"),
    ],
)  # fmt: skip
def test_where_a_price_would_be_added_up(make_book: MakeBook, words: tuple[str, ...], message: str) -> None:
    book = fuel_book(make_book)
    assert book.load().code == 0
    ran = book.run(*words)
    assert (ran.code, message in ran.err) == (2, True), ran.err


def test_sums_that_agree_are_not_of_prices(make_book: MakeBook) -> None:
    book = fuel_book(make_book, "paid")
    assert book.load().code == 0
    assert "a price or rate is not added up: 'paid'" in book.run("check").err


@pytest.mark.parametrize(
    ("old", "new", "message"),
    [
        ("paid = \"litres\" }", "tax = \"litres\" }", "weights.tax: no price of the table has this name: 'tax'; expected paid or listed"),
        ("paid = \"litres\" }", "paid = \"port\" }", "weights.paid: no number of the table to weight by: 'port'; expected litres, tanks or tax"),
    ],
)  # fmt: skip
def test_weights_that_cannot_be(make_book: MakeBook, old: str, new: str, message: str) -> None:
    book = fuel_book(make_book)
    path = book.root / "almanac.toml"
    path.write_text(path.read_text().replace(f"weights = {{ {old}", f"weights = {{ {new}"))
    ran = book.load()
    assert (ran.code, message in ran.err) == (3, True), ran.err
