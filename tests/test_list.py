"""Lists: groups, thresholds, ratios and limits, held against plain loops over the demo's exports."""

import csv
from collections import defaultdict
from collections.abc import Callable
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path
from typing import Any

import pytest

import second_route
import second_sales
from conftest import PERIOD_AND_SIDES, Almanac, MakeBook, Ran, copied

ZERO = Decimal(0)
Cells = dict[str, Any]


@pytest.fixture(scope="module")
def moved(demo: Path) -> list[second_route.Line]:
    return [line for line in second_route.read(demo) if line.source != "CF"]


def rows_of(ran: Ran, kind: str = "line") -> dict[str, Cells]:
    assert ran.code == 0, ran.err
    return {row["key"]: row["cells"] for row in ran.json["rows"] if row["kind"] == kind}


def list_(almanac: Almanac, demo: Path, *words: str) -> Ran:
    return almanac("list", "ledger", "--after-closing", *words, "--print", "json", book=demo)


def test_groups_by_class_and_quarter(demo: Path, almanac: Almanac, moved: list[second_route.Line]) -> None:
    found = list_(
        almanac,
        demo,
        "--by",
        "account, quarter of posted",
        "--year",
        "2025",
        "--show",
        "count, - amount, maximum of debit",
    )
    wanted: defaultdict[str, list[Decimal]] = defaultdict(list)
    for line in moved:
        if line.year == 2025:
            year, period = second_route.fiscal(line.posted)
            wanted[f"{line.account}/{year}-Q{(period + 2) // 3}"].append(line.amount)
    rows = rows_of(found)
    assert rows.keys() == wanted.keys()
    for key, amounts in wanted.items():
        most = max((amount for amount in amounts if amount > 0), default=ZERO)
        assert rows[key]["count"] == len(amounts)
        assert Decimal(rows[key]["amount"]) == -sum(amounts, ZERO)
        assert Decimal(rows[key]["maximum of debit"]) == most
    accounts = rows_of(found, "subtotal")
    assert Decimal(accounts["12110"]["amount"]) == -sum(
        (sum(amounts, ZERO) for key, amounts in wanted.items() if key.startswith("12110/")), ZERO
    )


@pytest.mark.parametrize(
    ("limit", "holds"),
    [
        (("--over", "2000000"), lambda total: total > 2000000),
        (("--at-most", "150000"), lambda total: total <= 150000),
        (("--between", "100000", "300000"), lambda total: 100000 <= total <= 300000),
    ],
)
def test_a_threshold_is_on_totals_after_the_conditions(
    demo: Path, almanac: Almanac, moved: list[second_route.Line], limit: tuple[str, ...], holds: Any
) -> None:
    found = list_(
        almanac, demo, "--by", "account", "--show", "debit, credit", "--on", "debit", *limit, "--except", "source is CL"
    )
    totals: defaultdict[str, Decimal] = defaultdict(Decimal)
    everything: defaultdict[str, Decimal] = defaultdict(Decimal)
    for line in moved:
        everything[line.account] += line.debit
        if line.source != "CL":
            totals[line.account] += line.debit
    kept = {account: total for account, total in totals.items() if holds(total)}
    assert {key: Decimal(cells["debit"]) for key, cells in rows_of(found).items()} == kept
    short = sorted(account for account, total in everything.items() if holds(total) and account not in kept)
    note = next((note for note in found.json["notes"] if note.startswith("Only because of --except")), "")
    assert bool(note) == bool(short)
    assert all(account in note for account in short[:5])
    proof = found.json["proof"]
    assert proof["balances"]
    assert proof["shown"]["lines"] == sum(line.account in kept and line.source != "CL" for line in moved)


def test_a_threshold_on_each_line(demo: Path, almanac: Almanac, moved: list[second_route.Line]) -> None:
    found = list_(almanac, demo, "--show", "debit", "--over", "250000", "--each")
    debits = sorted(Decimal(cells["debit"]) for cells in rows_of(found).values())
    assert debits == sorted(line.debit for line in moved if line.debit > 250000)
    at_the_edge = max(line.debit for line in moved)
    assert not rows_of(list_(almanac, demo, "--show", "debit", "--over", str(at_the_edge), "--each"))
    assert rows_of(list_(almanac, demo, "--show", "debit", "--at-least", str(at_the_edge), "--each"))


def test_a_ratio_is_made_of_totals_and_never_summed(
    demo: Path, almanac: Almanac, moved: list[second_route.Line]
) -> None:
    found = list_(almanac, demo, "--by", "account", "--compute", "turned = credit / (debit + credit) * 100",
                  "--show", "turned, average of debit", "--only", "account begins 12")  # fmt: skip
    lines = [line for line in moved if line.account.startswith("12")]
    rows = {**rows_of(found), **rows_of(found, "total")}
    for key, cells in rows.items():
        own = [line for line in lines if key in (line.account, "total")]
        debit, credit = (sum((getattr(line, side) for line in own), ZERO) for side in ("debit", "credit"))
        assert Decimal(cells["turned"]).quantize(Decimal("1e-9")) == (credit / (debit + credit) * 100).quantize(
            Decimal("1e-9")
        )
        assert Decimal(cells["average of debit"]).quantize(Decimal("1e-9")) == (debit / len(own)).quantize(
            Decimal("1e-9")
        )


def test_products_are_exact(demo: Path, almanac: Almanac, moved: list[second_route.Line]) -> None:
    found = list_(almanac, demo, "--compute", "square = amount * amount * 3.75", "--by", "account", "--show", "square")
    squares: defaultdict[str, Decimal] = defaultdict(Decimal)
    for line in moved:
        squares[line.account] += line.amount * line.amount * Decimal("3.75")
    assert {key: Decimal(cells["square"]) for key, cells in rows_of(found).items()} == squares
    beyond = list_(
        almanac, demo, "--compute", "x = amount * amount * amount * amount * amount", "--by", "account", "--show", "x"
    )
    assert (beyond.code, "a number becomes too large to be exact" in beyond.err) == (3, True), beyond.err


def test_first_says_of_how_many_and_totals_both(demo: Path, almanac: Almanac, moved: list[second_route.Line]) -> None:
    found = list_(almanac, demo, "--show", "amount", "--sort", "amount descending", "--first", "3")
    amounts = sorted((line.amount for line in moved), reverse=True)
    assert [Decimal(cells["amount"]) for cells in rows_of(found).values()] == amounts[:3]
    assert Decimal(rows_of(found, "subtotal")["shown"]["amount"]) == sum(amounts[:3], ZERO)
    assert Decimal(rows_of(found, "total")["total"]["amount"]) == sum(amounts, ZERO)
    assert f"First 3 of {len(amounts):,} shown; the total is of all of them" in found.json["notes"]


def test_computed_fields_show_group_and_sort(demo: Path, almanac: Almanac, moved: list[second_route.Line]) -> None:
    found = list_(
        almanac, demo, "--as-of", "2026-06-17", "--only", "late at most 30 and account is 12110",
        "--compute", "late = days from posted to as-of", "--compute", 'size = give "small" if debit under 1000; "middling" if debit under 4000; else "very large"',
        "--compute", 'place = first 2 of account & "/" & account.class', "--by", "size, place", "--lines", "--show", "late, debit", "--sort", "late descending",
    )  # fmt: skip
    wanted: defaultdict[str, list[int]] = defaultdict(list)
    for line in moved:
        late = (date(2026, 6, 17) - line.posted).days
        if line.account == "12110" and late <= 30:
            size = "small" if line.debit < 1000 else "middling" if line.debit < 4000 else "very large"
            wanted[f"{size}/12/asset"].append(late)
    shown: defaultdict[str, list[int]] = defaultdict(list)
    for row in found.json["rows"]:
        if row["kind"] == "line":
            shown[row["key"].rsplit("/", 3)[0]].append(row["cells"]["late"])
    assert shown == {key: sorted(days, reverse=True) for key, days in wanted.items()}


def test_columns_that_appear_by_a_yes(demo: Path, almanac: Almanac) -> None:
    words = ("--show", 'posted, memo if wide, "In short" = debit', "--first", "1")
    without, with_ = list_(almanac, demo, *words), list_(almanac, demo, *words, "--yes", "wide")
    assert [column["label"] for column in without.json["columns"]] == ["posted", "In short"]
    assert [column["label"] for column in with_.json["columns"]] == ["posted", "memo", "In short"]


def test_carried_lines_are_the_only_difference(demo: Path, almanac: Almanac) -> None:
    plain, with_ = (rows_of(list_(almanac, demo, "--show", "entry", *more)) for more in ((), ("--carried",)))
    assert {key for key in with_ if key not in plain} == {
        key for key, cells in with_.items() if cells["entry"] == "carried"
    }
    assert plain.items() <= with_.items()


@pytest.mark.parametrize("words", [(), ("ledger",), ("ledger", "account.")])
def test_fields_tells_what_can_be_asked(demo: Path, almanac: Almanac, words: tuple[str, ...]) -> None:
    found = almanac("fields", *words, "--print", "json", book=demo).json
    keys = [row["key"] for row in found["rows"]]
    if not words:
        assert keys[:8] == [
            "ledger", "accounts", "budget", "payables", "receivables", "parties", "billing", "sales",
        ]  # fmt: skip
        assert keys[8:] == ["vessels", "items", "sales_plan"]
        return
    # Each can be shown as it is named.
    assert list_(almanac, demo, "--show", ", ".join(keys), "--first", "1").code == 0
    if len(words) == 1:
        party = next(row["cells"] for row in found["rows"] if row["key"] == "party")
        assert party["filled"] + party["blank"] == next(
            row["cells"]["filled"] for row in found["rows"] if row["key"] == "entity"
        )


def test_an_unknown_table_or_field_is_told_with_the_nearest(demo: Path, almanac: Almanac) -> None:
    assert "did you mean 'ledger'?" in almanac("list", "leger", book=demo).err
    assert "did you mean 'department'?" in almanac("fields", "ledger", "deparment", book=demo).err


def test_entities_of_another_currency_are_in_no_proof(demo: Path, tmp_path: Path, almanac: Almanac) -> None:
    book = tmp_path / "book"
    copied(demo, book, ".almanac")
    settings = (book / "almanac.toml").read_text()
    at = settings.index("[entities.YARD]")
    (book / "almanac.toml").write_text(settings[:at] + settings[at:].replace('"EUR"', '"GBP"', 1))
    assert almanac("load", book=book).code == 0
    for words in (("list", "ledger"), ("detail", "12110"), ("trace", "trial", "--row", "12110", "--column", "debit")):
        for entity in ("LINE", "YARD"):
            if (words[0], entity) == ("trace", "YARD"):
                continue
            ran = almanac(*words, "--entity", entity, "--print", "json", book=book)
            assert ran.code == 0, ran.err
            assert ran.json["proof"]["considered"]["lines"] == {"LINE": 22429, "YARD": 2960}[entity]
    refused = almanac("list", "ledger", book=book)
    assert (refused.code, "amounts in different currencies are not added" in refused.err) == (2, True)


@pytest.mark.parametrize("unit", ["day", "week", "month", "quarter", "year"])
def test_parts_of_dates_are_those_of_the_calendar(
    demo: Path, almanac: Almanac, moved: list[second_route.Line], unit: str
) -> None:
    found = list_(almanac, demo, "--by", f"{unit} of posted", "--show", "count, debit", "--only", "account begins 121")

    def week(day: date) -> str:
        # Weeks start on Monday; the first of a year is the one that holds 1 October.
        year = second_route.fiscal(day)[0]
        firsts = {each: date(each - 1, 10, 1) for each in (year, year + 1)}
        starts = {each: first - timedelta(days=first.weekday()) for each, first in firsts.items()}
        number = year + 1 if day >= starts[year + 1] else year
        return f"{number}-W{(day - starts[number]).days // 7 + 1:02d}"

    names: dict[str, Callable[[date], str]] = {
        "day": date.isoformat,
        "week": week,
        "month": lambda day: f"{day:%Y-%m}",
        "quarter": lambda day: f"{second_route.fiscal(day)[0]}-Q{(second_route.fiscal(day)[1] + 2) // 3}",
        "year": lambda day: str(second_route.fiscal(day)[0]),
    }
    wanted: defaultdict[str, Decimal] = defaultdict(Decimal)
    for line in moved:
        if line.account.startswith("121"):
            wanted[names[unit](line.posted)] += line.debit
    assert {key: Decimal(cells["debit"]) for key, cells in rows_of(found).items()} == wanted


def test_the_period_of_a_ledger_line_is_its_own(demo: Path, almanac: Almanac, moved: list[second_route.Line]) -> None:
    found = rows_of(list_(almanac, demo, "--by", "period of posted", "--show", "count", "--entity", "YARD"))
    wanted: defaultdict[str, int] = defaultdict(int)
    for line in moved:
        if line.entity == "YARD":
            wanted[f"{line.year}-P{line.period:02d}"] += 1
    assert {key: cells["count"] for key, cells in found.items()} == wanted
    assert "2025-P13" in found


def test_fields_tells_how_many_lines_have_one_and_how_far_it_reaches(
    demo: Path, almanac: Almanac, moved: list[second_route.Line]
) -> None:
    rows = {row["key"]: row["cells"] for row in almanac("fields", "ledger", "--print", "json", book=demo).json["rows"]}
    everything = second_route.read(demo)
    assert rows["journal"]["filled"] == len(everything)
    assert rows["posted"]["values"] == "30 Sep 2023 to 17 Jun 2026"
    most, least = max(line.amount for line in everything), min(line.amount for line in everything)
    assert [Decimal(text) for text in rows["amount"]["values"].split(" to ")] == [least, most]
    counts: defaultdict[str, int] = defaultdict(int)
    for line in everything:
        counts[line.source] += 1
    assert rows["source"]["values"].split(", ") == sorted(counts, key=lambda source: (-counts[source], source))[:3]
    assert len(everything) > len(moved)


def test_a_difference_of_fields_is_made_of_totals(demo: Path, almanac: Almanac) -> None:
    sold = [line for line in second_sales.sales(demo) if date(2025, 10, 1) <= line.day <= date(2026, 6, 17)]
    words = ("list", "sales", "--year", "2026", "--compute", "profit = amount - cost", "--print", "json")
    found = almanac(*words, "--by", "item.range", "--show", "amount, cost, profit", book=demo)
    ranges = sorted({line.range for line in sold})
    rows = {**rows_of(found), **rows_of(found, "total")}
    for name in (*ranges, "total"):
        own = [line for line in sold if name in (line.range, "total")]
        amount, cost = sum((line.amount for line in own), ZERO), sum((line.cost or ZERO for line in own), ZERO)
        assert (Decimal(rows[name]["amount"]), Decimal(rows[name]["cost"] or 0)) == (amount, cost)
        assert Decimal(rows[name]["profit"]) == amount - cost, "what has no cost is not lost"
    without = sum(line.cost is None for line in sold)
    assert f"{without:,} of {len(sold):,} lines have no cost; profit takes it as zero for them" in found.json["notes"]
    ranked = almanac(
        "rank", "sales", "--by", "item.range", "--compute", "profit = amount - cost", "--of", "profit", "--print", "json",
        book=demo,
    ).json  # fmt: skip
    assert Decimal(ranked["rows"][-1]["cells"]["profit"]) == Decimal(rows["total"]["profit"])
    # A single line that lacks a part is blank, and a condition goes line by line.
    lines = almanac(*words, "--show", "item.range, cost, profit", "--period", "2026-P08", book=demo)
    assert lines.code == 2
    listed = rows_of(almanac(*words[:2], *words[4:], "--show", "cost, profit", "--period", "2026-P09", book=demo))
    assert all((cells["profit"] is None) is (cells["cost"] is None) for cells in listed.values())
    assert any(cells["profit"] is None for cells in listed.values())


def test_a_number_of_another_table_never_multiplies_through_arithmetic(demo: Path, almanac: Almanac) -> None:
    found = almanac("list", "sales", "--by", "vessel", "--year", "2026", "--compute", "gap = amount - vessel.insured",
                    "--show", "amount, vessel.insured, gap", "--print", "json", book=demo)  # fmt: skip
    rows = rows_of(found)
    assert rows["Brae"]["gap"] == "-6786298.86"
    for cells in rows.values():
        assert Decimal(cells["gap"]) == Decimal(cells["amount"]) - Decimal(cells["vessel.insured"])


def test_a_number_of_another_table_counts_once_for_each_of_its_keys(demo: Path, almanac: Almanac) -> None:
    with (demo / "exports" / "vessels.csv").open(encoding="utf-8") as exported:
        insured = {row["Vessel"]: Decimal(row["Insured for"]) for row in csv.DictReader(exported)}
    sold: dict[tuple[str, str], set[str]] = {}
    for row in rows_of(
        almanac(
            "list", "sales", "--period", "2026-P08", "--show", "route, vessel, terminal", "--print", "json", book=demo
        )
    ).values():
        if "route" in row:
            sold.setdefault((row["terminal"], row["route"]), set()).add(row["vessel"])
    found = almanac("list", "sales", "--by", "terminal, route", "--period", "2026-P08", "--compute", "per = amount / vessel.insured",
                    "--compute", "gap = amount - vessel.insured", "--show", "amount, vessel.insured, sum of vessel.insured, gap, per",
                    "--print", "json", book=demo)  # fmt: skip
    rows = {row["key"]: row["cells"] for row in found.json["rows"] if row["kind"] != "heading"}
    for (terminal, route), vessels in sold.items():
        assert Decimal(rows[f"{terminal}/{route}"]["vessel.insured"]) == sum(insured[vessel] for vessel in vessels)
    for terminal in {terminal for terminal, _ in sold}:
        vessels = set().union(*(each for (name, _), each in sold.items() if name == terminal))
        assert Decimal(rows[terminal]["vessel.insured"]) == sum(insured[vessel] for vessel in vessels)
    assert Decimal(rows["total"]["vessel.insured"]) == sum(insured.values())
    for cells in rows.values():
        assert cells["sum of vessel.insured"] == cells["vessel.insured"]
        assert Decimal(cells["gap"]) == Decimal(cells["amount"]) - Decimal(cells["vessel.insured"])
        ratio = Decimal(cells["amount"]) / Decimal(cells["vessel.insured"])
        assert abs(Decimal(cells["per"]) - ratio) < Decimal("1e-20")
    assert "vessel.insured, sum of vessel.insured, gap, per: what is of one vessel counts once" in found.out


def test_amounts_in_different_currencies_are_never_added(make_book: MakeBook) -> None:
    heads = "journal,line,posted,period,account,debit,credit,source,cur,own\n"
    lines = (
        "J1,1,2025-10-01,,1000,10.00,,,SEK,110.00", "J1,2,2025-10-01,,4010,,10.00,,SEK,-110.00",
        "J2,1,2025-10-02,,1000,8.00,,,GBP,7.00", "J2,2,2025-10-02,,4010,,8.00,,GBP,-7.00",
        "J3,1,2025-10-03,,1100,5.00,,,SEK,55.00", "J3,2,2025-10-03,,4010,,5.00,,SEK,-55.00",
    )  # fmt: skip
    fields = f'{PERIOD_AND_SIDES}, currency = "cur", original_amount = "own"'
    book = make_book(*lines, heads=heads, fields=fields)
    assert book.load().code == 0
    words = (
        "list",
        "ledger",
        "--only",
        "account.class is asset",
        "--show",
        "amount, original_amount",
        "--print",
        "json",
    )
    for by in ((), ("--by", "account"), ("--by", "currency")):
        table = book.run(*words, *by).json
        rows = {row["key"]: row["cells"] for row in table["rows"]}
        assert rows["total"] == {"amount": "23.00", "original_amount": None}
        assert (rows["total/SEK"], rows["total/GBP"]) == ({"original_amount": "165"}, {"original_amount": "7"})
        assert "Amounts in different currencies are not added: each has a total of its own" in table["notes"]
    accounts = {row["key"]: row["cells"] for row in book.run(*words, "--by", "account").json["rows"]}
    assert (accounts["1000"]["original_amount"], accounts["1100"]["original_amount"]) == (None, "55")
    one = book.run(*words, "--only", "currency is SEK", "--by", "account").json["rows"][-1]
    assert (one["key"], one["cells"]["original_amount"]) == ("total", "165")
    refused = book.run("rank", "ledger", "--by", "account", "--of", "original_amount")
    assert refused.code == 2
    assert "--of: amounts in different currencies are not added: 'original_amount'; say which is meant" in refused.err
    ranked = book.run("rank", "ledger", "--by", "account", "--of", "original_amount", "--only", "currency is SEK")
    assert ranked.code == 0, ranked.err


def test_computed_fields_give_values(demo: Path, almanac: Almanac) -> None:
    sold = [line for line in second_sales.sales(demo) if date(2026, 5, 1) <= line.day <= date(2026, 5, 31)]
    words = ("list", "sales", "--period", "2026-P08", "--by", "route", "--print", "json")
    computed = (
        "food = give amount if item.range is Galley; amount - cost if item.range is Shop; else 0",
        "rate = give 0.05 if item.range is Galley; else 0.2",
        "tax = round amount * rate to 2",
        "each = amount / count",
        'where = give route if item.range is Shop; else "elsewhere"',
    )
    asked = [word for text in computed for word in ("--compute", text)]
    found = almanac(*words, *asked, "--show", "count, food, rate, tax, each", book=demo)
    assert found.json["facts"]["as_of"] == "2026-05-31"
    assert computed[0] in found.json["facts"]["compute"]
    rows = {**rows_of(found), **rows_of(found, "total")}
    for name, cells in rows.items():
        own = [line for line in sold if name in (line.route or "route-blank", "total")]
        food = [line.amount if line.range == "Galley" else line.amount - (line.cost or ZERO) for line in own
                if line.range in ("Galley", "Shop")]  # fmt: skip
        taxed = [(line.amount * (Decimal("0.05") if line.range == "Galley" else Decimal("0.2"))) for line in own]
        assert Decimal(cells["food"]) == sum(food, ZERO)
        assert Decimal(cells["tax"]) == sum((each.quantize(Decimal("0.01"), ROUND_HALF_UP) for each in taxed), ZERO)
        average = sum((line.amount for line in own), ZERO) / len(own)
        assert abs(Decimal(cells["each"]) - average) < Decimal("1e-8")
        assert cells.get("rate") is None, "a rate is not summed"
    places = almanac(*words[:4], "--by", "where", *asked, "--show", "count", "--print", "json", book=demo)
    assert set(rows_of(places)) == {"elsewhere", *{line.route for line in sold if line.range == "Shop"}}


@pytest.mark.parametrize(
    ("words", "told"),
    [
        ("size = give small if amount under 9; else large", 'the table has no such field: \'small\'; a text needs quotes: "small"'),
        ('x = give amount if amount under 9; else "large"', "the values are of several kinds: amount or text; expected all texts, all numbers or all dates"),
        ("x = give amount / cost if amount under 9; else 0", "a ratio is made of totals, and no line has one"),
        ("x = round amount / 3 to 2", "lines are rounded one by one, and a ratio is of totals"),
    ],
)  # fmt: skip
def test_what_cannot_be_given(demo: Path, almanac: Almanac, words: str, told: str) -> None:
    name = words.partition(" ")[0]
    ran = almanac("list", "sales", "--compute", words, "--show", name, book=demo)
    assert (ran.code, ran.out) == (2, "")
    assert told in ran.err
