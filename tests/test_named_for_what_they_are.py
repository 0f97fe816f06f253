"""Headings, notes and rows that name what a figure is: its dates, its lines, its total, its column."""

from collections import Counter, defaultdict
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

from conftest import run_almanac
from second_items import read_docs
from second_route import ZERO, Line, read
from second_sales import sales

LAST = date(2026, 6, 17)


def report(demo: Path, *words: str) -> dict[str, Any]:
    ran = run_almanac(*words, "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    return ran.json


def shown(demo: Path, *words: str) -> str:
    return " ".join(run_almanac(*words, book=demo).out.split())


def moved(demo: Path, first: date, last: date = LAST) -> list[Line]:
    return [line for line in read(demo) if line.source not in ("CF", "CL") and first <= line.day <= last]


@pytest.mark.parametrize(
    ("when", "first", "last", "words"),
    [
        ((), date(2025, 10, 1), LAST, "1 Oct 2025–17 Jun 2026"),
        (("--as-of", "2025-12-31"), date(2025, 10, 1), date(2025, 12, 31), "1 Oct–31 Dec 2025"),
    ],
)
def test_a_heading_gives_the_dates_of_relative_days(
    demo: Path, when: tuple[str, ...], first: date, last: date, words: str
) -> None:
    asked = ("list", "ledger", "--by", "entity", "--show", "count", "--only", "counted in ytd", *when)
    found = report(demo, *asked)
    assert found["facts"]["conditions"] == f"counted in ytd ({words})"
    assert f"counted in ytd ({words})" in shown(demo, *asked)
    assert int(found["rows"][-1]["cells"]["count"]) == len(moved(demo, first, last))
    edge = "posted since start of this period"
    day = "1 Dec 2025" if when else "1 Jun 2026"
    for words_of in (("trial",), ("parties", "payable"), ("statement", "income"), ("growth", "ledger")):
        assert f"{edge} ({day})" in shown(demo, *words_of, "--only", edge, *when)
    assert "posted in 2026-Q1 (" not in shown(demo, "trial", "--only", "posted in 2026-Q1")


def test_an_average_says_of_how_many_lines_it_is(demo: Path) -> None:
    docs = read_docs(demo, "suppliers")
    lags = [(doc.applied - doc.posted).days for doc in docs if doc.kind == "payment" and doc.applied]
    payments = sum(doc.kind == "payment" for doc in docs)
    words = ["--compute", "lag = days from posted to applied", "--only", "kind is payment", "--by", "kind"]
    found = report(demo, "list", "payables", *words, "--show", "count, average of lag")
    note = f"average of lag is of {len(lags):,} of {payments:,} lines; the other {payments - len(lags):,} have no value"
    assert (note in found["notes"]) is (len(lags) < payments)
    assert Decimal(found["rows"][-1]["cells"]["average-of-lag" if "average-of-lag" in found["rows"][-1]["cells"] else "average of lag"]).quantize(Decimal("0.0001")) == (Decimal(sum(lags)) / len(lags)).quantize(Decimal("0.0001"))  # fmt: skip
    sold = [each for each in sales(demo) if each.day.year == 2025]
    lacking = report(demo, "list", "sales", "--by", "item.range", "--show", "margin", "--from", "2025-01-01", "--through", "2025-12-31")  # fmt: skip
    without = sum(each.cost is None for each in sold)
    assert f"{without:,} of {len(sold):,} lines have no cost; margin takes it as zero for them" in lacking["notes"]


def by_department(demo: Path, classes: tuple[str, ...]) -> dict[str, Decimal]:
    """Return the year's amounts by department, debits positive. classes: the first digits of accounts."""
    sums: dict[str, Decimal] = defaultdict(Decimal)
    for line in moved(demo, date(2025, 10, 1)):
        if line.account.startswith(classes):
            sums[line.department] += line.amount
    return sums


def test_lines_without_a_member_take_no_place_in_a_ranking(demo: Path) -> None:
    counts = Counter(line.department for line in moved(demo, date(2025, 10, 1)))
    # Balance-sheet accounts have no department.
    blank = counts.pop("")
    largest = [name for name, _ in counts.most_common()]
    assert blank > counts[largest[1]]
    rows = report(demo, "rank", "ledger", "--by", "department", "--of", "count", "--top", "2")["rows"]
    keys = [*largest[:2], "all-other", "department-blank", "total"]
    assert [row["key"] for row in rows] == keys
    figures = [int(row["cells"]["count"]) for row in rows]
    others = sum(counts[name] for name in largest[2:])
    assert figures == [counts[largest[0]], counts[largest[1]], others, blank, counts.total() + blank]
    columns = ("--columns", "count ytd; share of total")
    listed = report(demo, "list", "ledger", "--by", "department", "--top", "2", *columns)["rows"]
    assert [row["key"] for row in listed] == keys
    assert [int(row["cells"]["count-ytd"]) for row in listed] == figures
    across = report(demo, "list", "ledger", "--by", "entity", "--columns", "each department top 2 count ytd")
    cells = across["rows"][-1]["cells"]
    assert list(cells) == [f"department={name}" for name in largest[:2]] + ["department-other", "department-blank"]
    assert [int(cell) for cell in cells.values()] == figures[:4]
    for row in ("all-other", "department-blank"):
        traced = report(demo, "trace", "list", "ledger", "--by", "department", "--top", "2", *columns, "--row", row)
        assert traced["proof"]["shown"]["lines"] == (others if row == "all-other" else blank)
    alone = report(demo, "rank", "ledger", "--by", "department", "--of", "amount", "--only", "account.class is asset")
    assert [row["key"] for row in alone["rows"]] == ["department-blank", "total"], "it is shown if it is the only group"


def test_balances_of_some_lines_are_not_called_balances_of_accounts(demo: Path) -> None:
    note = "Openings and balances are of the lines that meet the conditions; they are not the accounts' balances"
    source = "source is not GJ"
    for words in (("trial",), ("statement", "balance"), ("detail", "20110")):
        some = report(demo, *words, "--only", source)
        assert note in some["notes"]
        assert f"of the lines that meet {source}" in shown(demo, *words, "--only", source)
        assert note not in report(demo, *words, "--only", "account.control is payable", "--entity", "LINE")["notes"]
    assert note not in report(demo, "statement", "income", "--only", source)["notes"]
    keys = [row["key"] for row in report(demo, "trial", "--only", "account.control is receivable")["rows"]]
    assert "result" not in keys
    assert "result" in [row["key"] for row in report(demo, "trial", "--only", "account.class is income")["rows"]]


def test_shares_of_amounts_that_offset_each_other_are_not_meaningful(demo: Path) -> None:
    sums = {name: -amount for name, amount in by_department(demo, ("4", "5", "6")).items()}
    total = sum(sums.values(), ZERO)
    assert any(abs(amount) > abs(total) for amount in sums.values())
    note = "Amounts of both signs offset each other in {}, so its shares are n/m"
    found = report(demo, "list", "ledger", "--by", "department", "--columns", "ytd; share of total")
    assert {row["cells"]["share-of-total"] for row in found["rows"]} == {"n/m"}
    assert note.format("year to date") in found["notes"]
    ranked = report(demo, "rank", "ledger", "--by", "department")
    assert {row["cells"]["share"] for row in ranked["rows"]} == {"n/m"}
    assert note.format("result") in ranked["notes"]
    # A small amount of the other sign does not blank the column.
    costs = by_department(demo, ("6",))
    plain = report(demo, "rank", "ledger", "--by", "department", "--only", "account.class is expense")
    for row in plain["rows"][:-1]:
        share = costs[row["key"]] * 100 / sum(costs.values(), ZERO)
        assert abs(Decimal(row["cells"]["share"]) - share) < Decimal("1e-9")


def test_a_share_names_its_column(demo: Path) -> None:
    words = "ytd; ytd last year; share of income; share of income in ytd"
    assert "of last year of year to date Income" in shown(demo, "statement", "income", "--columns", words)
    assert " of year to date" not in shown(demo, "statement", "income", "--columns", "ytd; share of income")
    listed = shown(demo, "list", "sales", "--by", "route", "--columns", "ytd; ytd last year; share of total in ytd")
    assert "of year to date" in listed


def test_the_proof_of_a_list_is_of_the_quantities_that_it_shows(demo: Path) -> None:
    found = report(demo, "list", "sales", "--by", "item.range", "--compute", "worth = quantity * 3", "--show", "worth")
    total = 3 * sum((each.quantity for each in sales(demo)), ZERO)
    proof = found["proof"]
    assert Decimal(found["rows"][-1]["cells"]["worth"]) == Decimal(proof["shown"]["amount"]) == total
    assert Decimal(proof["considered"]["amount"]) == total
