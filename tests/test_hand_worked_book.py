"""A book small enough to work by hand. Every answer below was worked out on paper from these lines.

Its first year, 2025, was closed only in part: tickets were transferred, the rest was left standing. A fuel bill of
2 October 2025 belongs to September by its period. The carried lines of 2025 are the base; those of 2026 are not to be
counted again.
"""

from typing import Any

import pytest

from conftest import MakeBook, SmallBook

LEDGER = """\
CF1,1,2024-09-30,,1000,500.00,,CF
CF1,2,2024-09-30,,1500,1000.00,,CF
CF1,3,2024-09-30,,1590,,200.00,CF
CF1,4,2024-09-30,,2000,,100.00,CF
CF1,5,2024-09-30,,3000,,1200.00,CF
1,1,2024-10-15,,1000,80.00,,GJ
1,2,2024-10-15,,4010,,80.00,GJ
2,1,2024-11-03,,6000,24.00,,GJ
2,2,2024-11-03,,1000,,24.00,GJ
3,1,2025-09-20,,1100,40.00,,GJ
3,2,2025-09-20,,4020,,40.00,GJ
4,1,2025-10-02,2025-P12,5000,25.00,,GJ
4,2,2025-10-02,2025-P12,2000,,25.00,GJ
5,1,2025-09-30,2025-P13,6100,10.00,,GJ
5,2,2025-09-30,2025-P13,1590,,10.00,GJ
6,1,2025-09-30,2025-P13,4010,80.00,,CL
6,2,2025-09-30,2025-P13,3100,,80.00,CL
CF2,1,2025-09-30,,1000,556.00,,CF
CF2,2,2025-09-30,,1100,40.00,,CF
CF2,3,2025-09-30,,1500,1000.00,,CF
CF2,4,2025-09-30,,1590,,210.00,CF
CF2,5,2025-09-30,,2000,,125.00,CF
CF2,6,2025-09-30,,3000,,1200.00,CF
CF2,7,2025-09-30,,3100,,61.00,CF
7,1,2025-10-05,,1000,100.00,,GJ
7,2,2025-10-05,,4010,,100.00,GJ
8,1,2025-10-06,,4090,8.00,,GJ
8,2,2025-10-06,,1000,,8.00,GJ
9,1,2025-11-03,,6000,30.00,,GJ
9,2,2025-11-03,,1000,,30.00,GJ
""".splitlines()

TRIALS = {
    "--year 2025": """
        1000  500.00  80.00  24.00  556.00
        1100  0.00  40.00  0.00  40.00
        1500  1000.00  0.00  0.00  1000.00
        1590  -200.00  0.00  10.00  -210.00
        2000  -100.00  0.00  25.00  -125.00
        3000  -1200.00  0.00  0.00  -1200.00
        4010  0.00  0.00  80.00  -80.00
        4020  0.00  0.00  40.00  -40.00
        5000  0.00  25.00  0.00  25.00
        6000  0.00  24.00  0.00  24.00
        6100  0.00  10.00  0.00  10.00
        total  0.00  179.00  179.00  0.00
        result  0.00  59.00  120.00  -61.00""",
    "--year 2025 --after-closing": """
        1000  500.00  80.00  24.00  556.00
        1100  0.00  40.00  0.00  40.00
        1500  1000.00  0.00  0.00  1000.00
        1590  -200.00  0.00  10.00  -210.00
        2000  -100.00  0.00  25.00  -125.00
        3000  -1200.00  0.00  0.00  -1200.00
        3100  0.00  0.00  80.00  -80.00
        4010  0.00  80.00  80.00  0.00
        4020  0.00  0.00  40.00  -40.00
        5000  0.00  25.00  0.00  25.00
        6000  0.00  24.00  0.00  24.00
        6100  0.00  10.00  0.00  10.00
        total  0.00  259.00  259.00  0.00
        result  0.00  139.00  120.00  19.00""",
    "--period 2025-P12": """
        1000  556.00  0.00  0.00  556.00
        1100  0.00  40.00  0.00  40.00
        1500  1000.00  0.00  0.00  1000.00
        1590  -200.00  0.00  0.00  -200.00
        2000  -100.00  0.00  25.00  -125.00
        3000  -1200.00  0.00  0.00  -1200.00
        4010  -80.00  0.00  0.00  -80.00
        4020  0.00  0.00  40.00  -40.00
        5000  0.00  25.00  0.00  25.00
        6000  24.00  0.00  0.00  24.00
        total  0.00  65.00  65.00  0.00
        result  -56.00  25.00  40.00  -71.00""",
    "--period 2025-P13": """
        1000  556.00  0.00  0.00  556.00
        1100  40.00  0.00  0.00  40.00
        1500  1000.00  0.00  0.00  1000.00
        1590  -200.00  0.00  10.00  -210.00
        2000  -125.00  0.00  0.00  -125.00
        3000  -1200.00  0.00  0.00  -1200.00
        4010  -80.00  0.00  0.00  -80.00
        4020  -40.00  0.00  0.00  -40.00
        5000  25.00  0.00  0.00  25.00
        6000  24.00  0.00  0.00  24.00
        6100  0.00  10.00  0.00  10.00
        total  0.00  10.00  10.00  0.00
        result  -71.00  10.00  0.00  -61.00""",
    "": """
        1000  556.00  100.00  38.00  618.00
        1100  40.00  0.00  0.00  40.00
        1500  1000.00  0.00  0.00  1000.00
        1590  -210.00  0.00  0.00  -210.00
        2000  -125.00  0.00  0.00  -125.00
        3000  -1200.00  0.00  0.00  -1200.00
        3100  -80.00  0.00  0.00  -80.00
        4010  0.00  0.00  100.00  -100.00
        4090  0.00  8.00  0.00  8.00
        6000  0.00  30.00  0.00  30.00
        earlier-results  19.00  0.00  0.00  19.00
        total  0.00  138.00  138.00  0.00
        result  0.00  38.00  100.00  -62.00""",
}
STATEMENTS = {
    ("", "ptd; ptd last year; change; change %; ytd; ytd last year; change; change %"): """
        4010  0.00  0.00  0.00  -  100.00  80.00  20.00  25.0000000000
        4090  0.00  0.00  0.00  -  -8.00  0.00  -8.00  new
        income  0.00  0.00  0.00  -  92.00  80.00  12.00  15.0000000000
        6000  30.00  24.00  6.00  25.0000000000  30.00  24.00  6.00  25.0000000000
        expense  30.00  24.00  6.00  25.0000000000  30.00  24.00  6.00  25.0000000000
        result  -30.00  -24.00  -6.00  -25.0000000000  62.00  56.00  6.00  10.7142857143""",
    ("--year 2025", "ytd"): """
        4010  80.00
        4020  40.00
        income  120.00
        5000  25.00
        direct-cost  25.00
        gross-result  95.00
        6000  24.00
        6100  10.00
        expense  34.00
        result  61.00""",
    ("--period 2025-P12", "ptd; ytd; qtd"): """
        4010  0.00  80.00  0.00
        4020  40.00  40.00  40.00
        income  40.00  120.00  40.00
        5000  25.00  25.00  25.00
        direct-cost  25.00  25.00  25.00
        gross-result  15.00  95.00  15.00
        6000  0.00  24.00  0.00
        expense  0.00  24.00  0.00
        result  15.00  71.00  15.00""",
    ("--as-of 2025-10-31", "year last year; ptd; change %"): """
        4010  80.00  100.00  25.0000000000
        4020  40.00  0.00  gone
        4090  0.00  -8.00  new
        income  120.00  92.00  -23.3333333333
        5000  25.00  0.00  gone
        direct-cost  25.00  0.00  gone
        gross-result  95.00  92.00  -3.1578947368
        6000  24.00  0.00  gone
        6100  10.00  0.00  gone
        expense  34.00  0.00  gone
        result  61.00  92.00  50.8196721311""",
}  # fmt: skip


@pytest.fixture
def book(make_book: MakeBook) -> SmallBook:
    book = make_book(*LEDGER)
    loaded = book.load()
    assert loaded.code == 0, loaded.err
    return book


def figures(report: dict[str, Any]) -> list[list[str]]:
    keys = [column["key"] for column in report["columns"]]
    rows = [row for row in report["rows"] if row["cells"]]
    return [[row["key"], *("-" if row["cells"][key] is None else row["cells"][key] for key in keys)] for row in rows]


def worked(text: str) -> list[list[str]]:
    return [line.split() for line in text.strip().splitlines()]


@pytest.mark.parametrize(("words", "answer"), TRIALS.items())
def test_trial(book: SmallBook, words: str, answer: str) -> None:
    ran = book.run("trial", *words.split(), "--print", "json")
    assert ran.code == 0, ran.err
    assert figures(ran.json) == worked(answer)


@pytest.mark.parametrize(("asked", "answer"), STATEMENTS.items())
def test_statement(book: SmallBook, asked: tuple[str, str], answer: str) -> None:
    words, columns = asked
    ran = book.run("statement", "income", *words.split(), "--columns", columns, "--print", "json")
    assert ran.code == 0, ran.err
    assert figures(ran.json) == worked(answer)


def test_a_base_that_does_not_balance_is_shown_and_ends_with_1(make_book: MakeBook) -> None:
    book = make_book(*(line.replace(",,1200.00,CF", ",,1199.50,CF") for line in LEDGER))
    assert book.load().code == 0
    ran = book.run("trial", "--year", "2025", "--print", "json")
    assert ran.code == 1
    total = next(row["cells"] for row in ran.json["rows"] if row["key"] == "total")
    assert total == {"opening": "0.50", "debit": "179.00", "credit": "179.00", "closing": "0.50"}, "nothing is plugged"
    assert "DOES NOT HOLD: openings sum to zero: they do not, by +0.50" in book.run("trial", "--year", "2025").out


def test_an_entity_without_a_base_is_taken_as_zero_in_words(make_book: MakeBook) -> None:
    book = make_book(*(line for line in LEDGER if not line.startswith("CF1")))
    assert book.load().code == 0
    ran = book.run("trial", "--year", "2026", "--print", "json")
    assert ran.code == 0
    bank = next(row["cells"] for row in ran.json["rows"] if row["key"] == "1000")
    assert bank["opening"] == "56.00", "the carried lines of 2026 are not taken for a base"
    assert "Amberquay has no carried lines in its first year: balances before it are taken as zero" in ran.json["notes"]


def test_currencies_are_not_added(make_book: MakeBook) -> None:
    book = make_book(*LEDGER)
    toml = book.root / "almanac.toml"
    other = '[entities.B]\nname = "Brightness"\ncurrency = "SEK"\nretained_earnings = "3100"\n\n[calendar]'
    toml.write_text(toml.read_text().replace("[calendar]", other))
    assert book.load().code == 0
    told = book.run("trial")
    assert (told.code, told.err) == (
        2,
        "almanac: amounts in different currencies are not added: EUR, SEK;"
        " ask for entities of one currency with --entity A or B\n",
    )
    assert book.run("trial", "--entity", "A").code == 0


def test_currencies_are_not_added_in_a_proof_or_a_load_either(make_book: MakeBook) -> None:
    book = make_book(*LEDGER)
    toml = book.root / "almanac.toml"
    other = '[entities.B]\nname = "Brightness"\ncurrency = "JPY"\nretained_earnings = "3100"\n\n[calendar]'
    text = toml.read_text().replace("[calendar]", other)
    block = text[text.rindex("[[intake]]") :].replace("ledger*.csv", "yen.csv").replace('"A"', '"B"')
    toml.write_text(text + block)
    book.ledger(
        "journal,line,posted,period,account,debit,credit,source\n1,1,2025-10-03,,1000,7,,GJ\n1,2,2025-10-03,,4010,,7,GJ\n",
        "yen.csv",
    )
    loaded = {row["key"]: row["cells"] for row in book.load("--print", "json").json["rows"]}
    assert loaded["yen.csv"]["debit"] == "7.00"
    assert "debit" not in loaded["total"]
    for words in (["trial"], ["statement", "income"], ["calendar"]):
        report = book.run(*words, "--entity", "A", "--print", "json").json
        assert report["proof"]["considered"]["lines"] == len(LEDGER)
        assert report["proof"]["balances"] is True
        assert report["notes"][0] == "Lines of B are in another currency and so not among those considered"
    yen = book.run("trial", "--entity", "B", "--print", "json").json
    assert [row["cells"]["closing"] for row in yen["rows"]] == ["7", "-7", "0", "-7"]
