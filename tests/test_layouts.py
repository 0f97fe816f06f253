"""Layouts: rows as a text file says, what no row takes, and what is said of a layout that cannot be right."""

from decimal import Decimal
from typing import Any

import pytest

from conftest import MakeBook, SmallBook
from level_almanac.files.validation.layout import layout_mistakes

LINES = (
    "J1,1,2025-10-01,2026-P01,1000,1000.00,,S", "J1,2,2025-10-01,2026-P01,4010,,600.00,S", "J1,3,2025-10-01,2026-P01,4020,,400.00,S",
    "J2,1,2025-10-06,2026-P01,5000,250.00,,S", "J2,2,2025-10-06,2026-P01,1000,,250.00,S",
    "J3,1,2025-11-02,2026-P02,6000,300.00,,S", "J3,2,2025-11-02,2026-P02,4010,,500.00,S", "J3,3,2025-11-02,2026-P02,1000,200.00,,S",
    "J4,1,2025-11-03,2026-P02,4090,40.00,,S", "J4,2,2025-11-03,2026-P02,1000,,40.00,S",
)  # fmt: skip
LAYOUT = """
title = "Sales and what is left"
columns = "qtd; each period qtd; change"

[[rows]]
heading = "Sales"

[[rows]]
key = "sold"
label = "Tickets and freight"
accounts = "account from 4010 through 4020"
level = 1

[[rows]]
key = "refunds"
label = "Refunds"
accounts = "account is 4090"
sign = "turned"
better = "less"
level = 1

[[rows]]
key = "sales"
label = "Net sales"
formula = "sold - refunds"

[[rows]]
blank = true

[[rows]]
key = "fuel"
label = "Fuel"
branch = "5000"

[[rows]]
key = "left"
label = "Left over"
formula = "sales - fuel"
kind = "total"

[[rows]]
key = "margin"
label = "Margin"
ratio = "left / sales"

[[rows]]
key = "freight-alone"
label = "of which freight"
accounts = "account is 4020"
memo = true
"""


def made(make_book: MakeBook, layout: str) -> SmallBook:
    book = make_book(*LINES)
    assert book.load("--through", "2025-11-30").code == 0
    (book.root / "layouts").mkdir()
    (book.root / "layouts" / "left.toml").write_text(layout, encoding="utf-8")
    return book


def rows(book: SmallBook, *words: str) -> dict[str, dict[str, Any]]:
    ran = book.run("statement", "left", *words, "--print", "json")
    assert ran.code == 0, ran.err
    assert ran.json["proof"]["balances"] is True
    return {row["key"]: row for row in ran.json["rows"]}


def test_a_hand_worked_layout(make_book: MakeBook) -> None:
    book = made(make_book, LAYOUT)
    found = rows(book)
    cells = {key: list(row["cells"].values()) for key, row in found.items() if row["cells"]}
    assert cells == {
        "sold": ["1500.00", "1000.00", "500.00", "-500.00"],
        "refunds": ["40.00", "0.00", "40.00", "40.00"],
        "sales": ["1460.00", "1000.00", "460.00", "-540.00"],
        "fuel": ["250.00", "250.00", "0.00", "-250.00"],
        "left": ["1210.00", "750.00", "460.00", "-290.00"],
        # In percent, of the totals; its change is in points.
        "margin": ["82.8767123288", "75.0000000000", "100.0000000000", "25.0000000000"],
        "freight-alone": ["400.00", "400.00", "0.00", "-400.00"],
        "not-placed": ["-300.00", "0.00", "-300.00", "-300.00"],
    }
    assert found["margin"]["unit"] == "percent"
    told = book.run("statement", "left").out
    assert "No row of the layout takes 6000 Pay" in told
    assert "25.0 pt" in told
    assert "82.9 %" in told


def test_accounts_one_by_one_between_a_heading_and_a_total(make_book: MakeBook) -> None:
    layout = 'title = "T"\ncolumns = "qtd"\n[[rows]]\nkey = "all"\nheading = "All sales"\nclasses = "income"\nshow = "SHOW"\n'
    each = rows(
        made(
            make_book,
            layout.replace("classes", "accounts").replace('"income"', '"class is income"').replace("SHOW", "each"),
        )
    )
    assert [key for key in each if key != "not-placed"] == ["all:heading", "4010", "4020", "4090", "all"]
    assert each["4090"]["cells"]["qtd"] == "-40.00"
    assert each["all"]["label"] == "Total all sales"


def test_a_layout_of_balances_has_results_of_its_own(make_book: MakeBook) -> None:
    layout = 'title = "T"\nmeasure = "balance"\ncolumns = "closing"\n[[rows]]\nkey = "cash"\nlabel = "Cash"\nbranch = "1000"\n'
    found = rows(made(make_book, layout))
    assert found["cash"]["cells"] == {"closing": "910.00"}
    assert found["not-placed"]["cells"] == {"closing": "-910.00"}, "the year's result, which no row takes"


def test_movements_and_balances_in_one_layout(make_book: MakeBook) -> None:
    text = 'title = "T"\ncovers = "all"\ncolumns = "qtd"\n'
    text += row('key = "cash"\nlabel = "Cash"\nbranch = "1000"\nmeasure = "balance"')
    text += row('key = "sales"\nlabel = "Sales"\nclasses = "income"')
    found = rows(made(make_book, text))
    assert {key: each["cells"]["qtd"] for key, each in found.items()} == {
        "cash": "910.00", "sales": "1460.00", "not-placed": "550.00",
    }  # fmt: skip


def test_a_formula_that_must_come_to_nothing(make_book: MakeBook) -> None:
    book = made(make_book, 'zero = ["sold - fuel"]\n' + LAYOUT)
    ran = book.run("statement", "left")
    assert ran.code == 1
    assert "DOES NOT HOLD: sold - fuel = 0: not in qtd by +1,250.00" in " ".join(ran.out.split())


def row(text: str) -> str:
    return f"\n[[rows]]\n{text}\n"


@pytest.mark.parametrize(
    ("layout", "told"),
    [
        (LAYOUT + row('key = "again"\nlabel = "x"\naccounts = "account begins 401"'),
         "layouts/left.toml: rows[10] (again): rows[2] (sold) takes account 4010 too; let one row take it"),
        (LAYOUT + row('key = "a"\nlabel = "x"\nformula = "b + 1"') + row('key = "b"\nlabel = "x"\nformula = "a"'),
         "layouts/left.toml: rows[10].formula: the row a is made of itself, at once or by others: b + 1"),
        (LAYOUT + row('key = "a"\nlabel = "x"\nformula = "sals - fuel"'),
         "layouts/left.toml: rows[10].formula: no row with figures has this key: 'sals'; expected sold, refunds, sales, fuel, left, margin, freight-alone or a; did you mean 'sales'?"),
        (LAYOUT + row('key = "a"\nlabel = "x"\nformula = "sales - fule"'),
         "no row with figures has this key: 'fule'; expected sold, refunds, sales, fuel, left, margin, freight-alone or a; did you mean 'fuel'?\n  sales - fule\n          ^^^^"),
        (LAYOUT + row('key = "head"\nheading = "H"') + row('key = "a"\nlabel = "x"\nformula = "sales - head"'), "no row with figures has this key: 'head'"),
        (LAYOUT + row('key = "a"\nlabel = "x"\nformula = "sales -"'), "layouts/left.toml: rows[10].formula: the expression ends too early"),
        (LAYOUT + row('key = "a"\nlabel = "x"\nsum_of = ["sale"]'), "rows[10].sum_of: no row with figures has this key: 'sale'"),
        (LAYOUT + row('key = "a"\nlabel = "x"\nbranch = "60000"'), "rows[10].branch: the chart lacks this account: '60000'; did you mean '6000'?"),
        (LAYOUT + row('key = "a"\nlabel = "x"\naccounts = "account is 7777"'), "rows[10].accounts: no account of the chart meets this: account is 7777"),
        (LAYOUT + row('key = "a"\nlabel = "x"\naccounts = "acount is 6000"'), "rows[10].accounts: the table accounts has no such field: 'acount'"),
        (LAYOUT + row('key = "a"\nlabel = "x"\naccounts = "account in 6000, 6100 or class is equity"'), "rows[10].sign: the row takes accounts that are positive on either side: natural; expected 'debit' or 'credit'"),
        (LAYOUT + row('key = "sold"\nlabel = "x"\nbranch = "6000"'), "rows[10].key: rows[2] has this key too: sold"),
        (LAYOUT + row('key = "a"\nlabel = "x"\nbranch = "6000"\nratio = "left / sales"'), "rows[10]: more than one source of figures: branch and ratio; expected one of them"),
        (LAYOUT + row('label = "x"\nbranch = "6000"'), "rows[10].key: a row with figures needs a key"),
        (LAYOUT + row('key = "a"\nlable = "x"\nbranch = "6000"'), "layouts/left.toml: rows[10].lable: unknown key"),
        (LAYOUT + row('key = "a"\nlabel = "x"\nclasses = "incom"'), "rows[10].classes: not an account class: 'incom'"),
        (LAYOUT.replace('title = "Sales and what is left"', ""), "layouts/left.toml: title: this key is missing"),
        (LAYOUT + "oops", "layouts/left.toml: not TOML"),
        (LAYOUT + row('key = "a"\nlabel = "x"\nbranch = "6000"\nmeasure = "balance"'), "rows[10]: income and expense have no balance: a; results = true shows what they come to"),
    ],
)  # fmt: skip
def test_a_layout_that_cannot_be_right(make_book: MakeBook, layout: str, told: str) -> None:
    ran = made(make_book, layout).run("statement", "left")
    assert (ran.code, ran.out) == (3, "")
    assert told in ran.err


def test_an_unknown_layout_offers_the_nearest(make_book: MakeBook) -> None:
    ran = made(make_book, LAYOUT).run("statement", "lft")
    assert ran.code == 2
    assert (
        ran.err
        == "almanac: LAYOUT: no layout has this name: 'lft'; expected left, income or balance; did you mean 'left'?\n"
    )


def test_shares_of_a_row_are_of_its_total(make_book: MakeBook) -> None:
    found = rows(made(make_book, LAYOUT), "--columns", 'qtd; share of "Net sales"')
    share = Decimal(found["fuel"]["cells"]["share-of-net-sales"])
    assert share == (Decimal(25000) / 1460).quantize(Decimal("1e-10"))


@pytest.mark.parametrize(
    ("row", "said"),
    [
        ({}, "rows[1]: the row shows nothing; expected one of accounts, classes, branch, sum_of, formula or ratio, a heading, or blank = true"),
        ({"key": "A b", "label": "x", "branch": "6000"}, "rows[1].key: not a row key: 'A b'; expected small letters, digits and hyphens, a letter first"),
        ({"key": "a", "branch": "6000"}, "rows[1].label: a row with figures needs a label"),
        ({"key": "a", "label": "x", "formula": "b", "show": "tree"}, "rows[1].show: there are no accounts to show: 'tree'"),
        ({"key": "a", "label": "x", "branch": "6000", "level": 7}, "rows[1].level: out of range: 7; expected 0 to 6"),
        ({"blank": True, "heading": "x", "key": "a"}, ""),
    ],
)  # fmt: skip
def test_a_row_is_held_against_what_a_row_can_be(row: dict[str, object], said: str) -> None:
    found = layout_mistakes({"title": "x", "rows": [row]}, "l")
    assert [str(each) for each in found] == ([f"l: {said}"] if said else [])


def test_a_layout_needs_rows_and_is_named_by_its_file() -> None:
    assert [str(each) for each in layout_mistakes({"title": "x"}, "l")] == [
        "l: a layout needs rows; add [[rows]] blocks"
    ]
    named = layout_mistakes({"title": "x", "name": "y", "rows": [{"heading": "z"}]}, "l")
    assert [str(each) for each in named] == ["l: name: unknown key; a layout is named by its file"]
