"""Tables of the book's own, links between tables, times with zones, and what a book may not declare."""

from decimal import Decimal
from pathlib import Path

import pytest

from conftest import Almanac, MakeBook, SmallBook

TABLES = """
[tables.jobs]
key = ["yard", "job"]
date = "opened"
links = { keeper = "accounts" }
number_like = ["job"]

[tables.jobs.fields]
yard = "text"
job = "text"
opened = "date"
billed = "date"
keeper = "text"
hours = "quantity"
price = "amount"

[[intake]]
table = "jobs"
files = "jobs.csv"
dates = ["YYYY-MM-DD", "YYYY-MM-DDThh:mm:ssZ"]
fields = { yard = "yard", job = "job", opened = "opened", billed = "billed", keeper = "keeper", hours = "hours", price = "price" }
"""
JOBS = """\
yard,job,opened,billed,keeper,hours,price
N,9,2026-01-05,2026-02-01,6000,1.25,100.10
N,10,2026-01-31T23:59:59Z,,6000,2.5,200.20
K,10,2026-01-31T22:59:59Z,2026-01-31,4010,3,
K,11,2026-02-01T00:30:00+02:00,2026-04-01,9999,0.5,50.00
"""


@pytest.fixture
def jobs(make_book: MakeBook) -> SmallBook:
    book = make_book("J1,1,2025-10-01,,1000,5,,X", "J1,2,2025-10-01,,4010,,5,X")
    path = book.root / "almanac.toml"
    path.write_text(
        path.read_text().replace('name = "A small book"', 'name = "A small book"\ntime_zone = "Europe/Lisbon"') + TABLES
    )
    (book.root / "jobs.csv").write_text(JOBS)
    return book


def test_a_declared_table_is_loaded_listed_and_linked(jobs: SmallBook) -> None:
    loaded = jobs.load()
    assert loaded.code == 0, loaded.err
    found = jobs.run(
        "list",
        "jobs",
        "--show",
        "opened, keeper.name, days, hours, price",
        "--compute",
        "days = days from opened to billed",
        "--print",
        "json",
    ).json
    rows = {row["key"]: row["cells"] for row in found["rows"]}
    assert list(rows) == ["K/10", "K/11", "N/9", "N/10", "total"]
    assert rows["K/11"]["keeper.name"] is None, "a line without a match stays"
    assert [rows[key]["days"] for key in ("K/10", "K/11", "N/9", "N/10")] == [0, 60, 27, None]
    assert rows["total"] == {"hours": "7.25", "price": "350.30"}
    assert found["proof"]["considered"] == {"lines": 4, "amount": "350.3000"}
    by = jobs.run("list", "jobs", "--by", "keeper.class", "--show", "count, price", "--print", "json").json["rows"]
    assert {row["key"]: row["cells"]["count"] for row in by} == {
        "expense": 2,
        "income": 1,
        "keeper.class-blank": 1,
        "total": 4,
    }


def test_times_count_by_the_days_of_the_books_clock(jobs: SmallBook) -> None:
    assert jobs.load().code == 0
    found = jobs.run(
        "list", "jobs", "--show", "opened", "--from", "2026-01-31", "--through", "2026-01-31", "--print", "json"
    ).json
    # 00:30 two hours east of Lisbon is still the day before there.
    assert [row["key"] for row in found["rows"] if row["kind"] == "line"] == ["K/10", "K/11", "N/10"]
    billed = jobs.run(
        "list", "jobs", "--date", "billed", "--from", "2026-01-01", "--through", "2026-02-28", "--print", "json"
    ).json
    assert [row["key"] for row in billed["rows"] if row["kind"] == "line"] == ["K/10", "N/9"]
    assert [(part["rule"], part["lines"]) for part in billed["proof"]["left_out"]] == [
        ("no billed", 1),
        ("other dates", 1),
    ]


def test_a_linked_number_is_added_up_once_for_each_key(demo: Path, almanac: Almanac) -> None:
    words = (
        "list",
        "ledger",
        "--by",
        "vessel",
        "--compute",
        "per_car = credit / vessel.cars",
        "--show",
        "credit, vessel.cars, per_car, vessel.kind",
        "--print",
        "json",
    )
    rows = {row["key"]: row["cells"] for row in almanac(*words, book=demo).json["rows"]}
    assert [rows[name]["vessel.cars"] for name in ("Brae", "Corran", "Merlin", "Tern")] == ["42", "88", "36", "54"]
    assert Decimal(rows["Brae"]["per_car"]).quantize(Decimal("0.01")) == (
        Decimal(rows["Brae"]["credit"]) / 42
    ).quantize(Decimal("0.01"))
    assert rows["Brae"]["vessel.kind"] == "day ferry"
    assert rows["total"]["vessel.cars"] == "220"
    refused = almanac("list", "ledger", "--by", "vessel", "--show", "average of vessel.cars", book=demo)
    assert (refused.code, "it has no average over them" in refused.err) == (2, True)


@pytest.mark.parametrize(
    ("old", "new", "message"),
    [
        ('key = ["yard", "job"]\n', "", "almanac: tables.jobs: a table of one's own needs a key; expected the fields that tell its lines apart, as `key`"),
        ('key = ["yard", "job"]', 'key = ["yrd"]', "almanac: tables.jobs.key: no field of the table has this name: 'yrd'; expected yard, job, opened, billed, keeper, hours or price; did you mean 'yard'?"),
        ('date = "opened"', 'date = "price"', "almanac: tables.jobs.date: no date of the table has this name: 'price'; expected opened or billed"),
        ('keeper = "accounts"', 'keeper = "jobs"', "almanac: tables.jobs.links.keeper: no table with a key of one field has this name: 'jobs'; expected accounts"),
        ('keeper = "accounts"', 'price = "accounts"', "almanac: tables.jobs.links: no text field of the table has this name: 'price'; expected yard, job or keeper"),
        ("[tables.jobs]", "[tables.accounts]\nkey = [\"name\"]\n\n[tables.jobs]", "almanac: tables.accounts: this table has its key and date already; expected fields and links"),
        ('hours = "quantity"', 'file = "quantity"', "almanac: tables.jobs.fields.file: this name is taken"),
    ],
)  # fmt: skip
def test_what_a_book_cannot_declare(jobs: SmallBook, old: str, new: str, message: str) -> None:
    path = jobs.root / "almanac.toml"
    path.write_text(path.read_text().replace(old, new, 1))
    ran = jobs.load()
    assert (ran.code, message in ran.err) == (3, True), ran.err


def test_a_key_that_stands_twice_in_a_declared_table_is_an_error(jobs: SmallBook) -> None:
    (jobs.root / "jobs.csv").write_text(JOBS + "N,9,2026-03-01,,6000,1,1.00\n")
    assert "jobs.csv:2 and jobs.csv:6: two different lines under one key (yard N, job 9)" in jobs.load().err


VOYAGES = """
[tables.voyages]
key = ["voyage"]
fields = { voyage = "text", sailed = "date", ferry = "text" }

[tables.tickets]
key = ["ticket"]
date = "voyage.sailed"
fields = { ticket = "text", entity = "text", voyage = "text", fare = "amount", sold = "date" }

[tables.tickets_plan]
plan_of = "tickets"

[[intake]]
table = "voyages"
files = "voyages.csv"

[[intake]]
table = "tickets"
files = "tickets.csv"
set = { entity = "A" }

[[intake]]
table = "tickets_plan"
files = "tickets_plan.csv"
set = { entity = "A", scenario = "budget" }
"""
SAILED = "voyage,sailed,ferry\n1,2025-11-20,Tern\n2,2025-12-02,Tern\n3,2025-12-20,Merlin\n4,2024-12-05,Tern\n"
TICKETS = """\
ticket,voyage,fare,sold
T1,1,10.00,2025-11-01
T2,2,20.50,2025-11-30
T3,2,5.25,2025-12-01
T4,3,7.00,2025-12-19
T5,,3.00,2025-12-19
T6,9,2.00,2025-12-19
T7,4,40.00,2024-12-04
"""


def test_a_tables_date_may_stand_in_the_table_that_it_leads_to(make_book: MakeBook) -> None:
    book = make_book("J1,1,2025-10-01,,1000,5,,X", "J1,2,2025-10-01,,4010,,5,X")
    path = book.root / "almanac.toml"
    path.write_text(path.read_text() + VOYAGES)
    for name, text in (("voyages", SAILED), ("tickets", TICKETS), ("tickets_plan", "period,amount\n2026-P03,31.00\n")):
        (book.root / f"{name}.csv").write_text(text)
    loaded = book.load()
    assert loaded.code == 0, loaded.err
    # A code that leads nowhere is counted apart from none at all.
    assert "1 line of tickets has a code in voyage that voyages lacks: '9' on 1; 1 other has none" in loaded.err

    def rows(*words: str) -> dict[str, dict[str, str]]:
        ran = book.run(*words, "--print", "json")
        assert ran.code == 0, ran.err
        return {row["key"]: row["cells"] for row in ran.json["rows"]}

    december = ("--from", "2025-12-01", "--through", "2025-12-31")
    listed = rows("list", "tickets", *december, "--show", "voyage.sailed, fare")
    assert [*listed] == ["T2", "T3", "T4", "total"]
    assert listed["total"]["fare"] == "32.75"
    by_period = rows("list", "tickets", "--by", "period of voyage.sailed", "--show", "fare")
    assert {key: cells["fare"] for key, cells in by_period.items()} == {
        "2025-P03": "40.00", "2026-P02": "10.00", "2026-P03": "32.75", "period of voyage.sailed-blank": "5.00",
        "total": "87.75",
    }  # fmt: skip
    to = ("--as-of", "2025-12-31")
    columned = rows("list", "tickets", *to, "--by", "voyage.ferry", "--columns", "now = ptd; ptd last year")
    assert (columned["Tern"]["now"], columned["total"]["ptd-last-year"]) == ("25.75", "40.00")
    planned = rows("list", "tickets", *to, "--columns", "ptd; budget ptd; each quarter")
    assert (planned["total"]["ptd"], planned["total"]["budget-ptd"]) == ("32.75", "31.00")
    ranked = rows("rank", "tickets", "--by", "voyage.ferry", "--as-of", "2025-12-31", "--span", "ytd")
    told = (ranked["Tern"]["fare"], ranked["Merlin"]["fare"], ranked["Tern"]["fare-last-year"])
    assert told == ("35.75", "7.00", "40.00")
    grown = rows("growth", "tickets", "--each", "period", "--as-of", "2025-12-31")
    assert grown["2026-P03"]["now"] == "32.75"
    # The newest day that is not after today's is where the data ends.
    assert rows("list", "tickets", "--columns", "ytd")["total"]["ytd"] == "42.75"


@pytest.mark.parametrize(
    ("date", "message"),
    [
        ("voyage.saild", "tables.tickets.date: no date of voyages has this name: 'voyage.saild'; expected sailed; did you mean 'sailed'?"),
        ("voyge.sailed", "tables.tickets.date: voyge of tickets leads to no table: 'voyge.sailed'; expected voyage"),
        ("voyage.ferry", "tables.tickets.date: no date of voyages has this name: 'voyage.ferry'; expected sailed"),
        ("solt", "tables.tickets.date: no date of the table has this name: 'solt'; expected sold; did you mean 'sold'?"),
    ],
)  # fmt: skip
def test_a_date_that_leads_nowhere_is_told(make_book: MakeBook, date: str, message: str) -> None:
    book = make_book("J1,1,2025-10-01,,1000,5,,X", "J1,2,2025-10-01,,4010,,5,X")
    path = book.root / "almanac.toml"
    path.write_text(path.read_text() + VOYAGES.replace("voyage.sailed", date))
    ran = book.load()
    assert (ran.code, message in ran.err) == (3, True), ran.err
