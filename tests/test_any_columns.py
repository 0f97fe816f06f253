"""Any columns of the ledger, by any field and under any conditions, against plain loops over the exports.

A group's amounts are kept here as the stored sums of its lines, debits positive, one of income and one of costs. Every
figure follows from those four numbers (booked and planned), whatever its sign convention.
"""

import csv
import shlex
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from functools import cache
from itertools import pairwise
from pathlib import Path
from typing import Any, NamedTuple

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import examples, run_almanac
from second_route import ZERO, Line, read
from test_recalculated import Written, differences

CLASSES = {"revenue": "income", "direct": "direct-cost", "overhead": "expense"}
COSTS = ("direct-cost", "expense")
CLASS_SETS = (("income", *COSTS), ("income",), COSTS, ("expense",), ("income", "expense"))
WHERE: dict[str, Callable[["Booked"], bool]] = {
    "": lambda _: True,
    '--only "department is SEA"': lambda line: line.department == "SEA",
    '--only "department in OFF, SLIP"': lambda line: line.department in ("OFF", "SLIP"),
    '--except "department is TERM"': lambda line: line.department != "TERM",
    "--entity LINE": lambda line: line.entity == "LINE",
    "--entity YARD": lambda line: line.entity == "YARD",
    '--only "account begins 60 or account begins 401 or account begins 51"': lambda line: line.account.startswith(("60", "401", "51")),
}  # fmt: skip
BY: dict[str, Callable[["Booked"], str]] = {
    "account.class": lambda line: line.account_class,
    "department": lambda line: line.department or "department-blank",
    "entity": lambda line: line.entity,
    "account": lambda line: line.account,
    "account.class, department": lambda line: f"{line.account_class}/{line.department or 'department-blank'}",
}
PERIODS = ("2025-P02", "2025-P06", "2025-P11", "2026-P01", "2026-P03", "2026-P08")


class Booked(NamedTuple):
    """A line of the ledger or of the plan, debits positive."""

    entity: str
    account: str
    account_class: str
    department: str
    fiscal: int
    amount: Decimal


@dataclass
class Sides:
    """The stored sums of some lines: of income, and of costs."""

    income: Decimal = ZERO
    costs: Decimal = ZERO
    lines: int = 0

    def add(self, line: Booked) -> None:
        self.lines += 1
        if line.account_class == "income":
            self.income += line.amount
        else:
            self.costs += line.amount

    def shown(self, signs: str) -> Decimal | None:
        """Return the figure in a sign convention; None for natural amounts of both sides."""
        if signs == "natural":
            return None if self.income and self.costs else self.costs - self.income
        return (self.income + self.costs) * (1 if signs == "debits" else -1)


@dataclass
class Row:
    """A group's sums by column."""

    booked: dict[str, Sides] = field(default_factory=lambda: defaultdict(Sides))
    planned: dict[str, Sides] = field(default_factory=lambda: defaultdict(Sides))


@cache
def booked(book: Path) -> list[Booked]:
    classes = chart(book)
    return [
        Booked(line.entity, line.account, classes[line.account], line.department, line.year * 100 + line.period, line.amount)
        for line in read(book) if is_counted(line, classes)
    ]  # fmt: skip


def is_counted(line: Line, classes: dict[str, str]) -> bool:
    return line.source not in ("CF", "CL") and line.account in classes


@cache
def chart(book: Path) -> dict[str, str]:
    """Return the class of each income-statement account."""
    with (book / "exports/chart.csv").open(encoding="utf-8", newline="") as stream:
        return {row["Code"]: CLASSES[row["Type"]] for row in csv.DictReader(stream) if row["Type"] in CLASSES}


@cache
def planned(book: Path) -> list[Booked]:
    classes, lines = chart(book), []
    for path in sorted(book.glob("exports/plans/budget-*.csv")):
        with path.open(encoding="utf-8", newline="") as stream:
            for row in csv.DictReader(stream):
                year, period = row["Month"].split("-")
                of, natural = classes[row["Account"]], Decimal(row["Planned"])
                amount = -natural if of == "income" else natural
                fiscal = int(year) * 100 + int(period)
                lines.append(Booked(row["Company"], row["Account"], of, row["Dept"], fiscal, amount))
    return lines


class Column(NamedTuple):
    """A booked span in one measure, with what is compared with it. compared: budget, last year or nothing."""

    measure: str
    span: str
    compared: str


@st.composite
def requests(draw: st.DrawFn) -> tuple[tuple[str, ...], str, str, str, list[Column]]:
    columns = draw(
        st.lists(
            st.builds(
                Column,
                st.sampled_from(["", "natural", "amount"]),
                st.sampled_from(["ptd", "qtd", "ytd"]),
                st.sampled_from(["", "budget", "last year"]),
            ),
            min_size=1,
            max_size=3,
        )
    )
    where, by, period = (draw(st.sampled_from(list(values))) for values in (WHERE, BY, PERIODS))
    return draw(st.sampled_from(CLASS_SETS)), where, by, period, columns


def words_of(columns: list[Column]) -> str:
    """Return the column words; each label has the number of its column."""
    words = []
    for number, column in enumerate(columns):
        measured = f"{column.measure} {column.span}".strip()
        words.append(f"a{number} = {measured}")
        if column.compared == "budget":
            words += [f"b{number} = budget {column.span}", f"v{number} = variance of a{number} over b{number}",
                      f"p{number} = variance % of a{number} over b{number}"]  # fmt: skip
        if column.compared == "last year":
            words += [f"b{number} = {measured} last year", f"v{number} = change of a{number} over b{number}",
                      f"p{number} = change % of a{number} over b{number}"]  # fmt: skip
    return "; ".join(words)


def stretch(span: str, period: str, back: int = 0) -> range:
    """Return the fiscal positions of a span that ends with a period."""
    year, number = int(period[:4]) - back, int(period[6:])
    first = {"ptd": number, "qtd": (number - 1) // 3 * 3 + 1, "ytd": 1}[span]
    return range(year * 100 + first, year * 100 + number + 1)


def rows_of(
    book: Path, classes: tuple[str, ...], where: str, by: str, period: str, columns: list[Column]
) -> dict[str, Row]:
    """Return the groups and the total."""
    rows: dict[str, Row] = defaultdict(Row)

    def count(lines: list[Booked], place: str, name: str, span: range) -> None:
        for line in lines:
            if line.account_class in classes and WHERE[where](line) and line.fiscal in span:
                for key in (BY[by](line), "total"):
                    getattr(rows[key], place)[name].add(line)

    for number, column in enumerate(columns):
        count(booked(book), "booked", f"a{number}", stretch(column.span, period))
        if column.compared == "budget":
            count(planned(book), "planned", f"b{number}", stretch(column.span, period))
        if column.compared == "last year":
            count(booked(book), "booked", f"b{number}", stretch(column.span, period, 1))
    return rows


def number(cell: Any) -> Decimal | None:
    return None if cell is None else Decimal(cell)


@given(asked=requests())
@examples(of=30)
def test_any_columns_are_what_plain_loops_give(
    demo: Path, tmp_path_factory: Any, asked: tuple[tuple[str, ...], str, str, str, list[Column]]
) -> None:
    classes, where, by, period, columns = asked
    file = tmp_path_factory.mktemp("any") / "x.xlsx"
    condition = f'--only "account.class in {", ".join(classes)}"'
    words = f'list ledger --by "{by}" --period {period} {condition} {where} --columns "{words_of(columns)}"'
    ran = run_almanac(*shlex.split(words), "-o", file, "--print", "json", book=demo)
    assert ran.code == 0, f"{words}\n{ran.err}"
    rows = rows_of(demo, classes, where, by, period, columns)
    found = {row["key"]: row["cells"] for row in ran.json["rows"] if row["kind"] in ("line", "total")}
    assert set(found) == set(rows) | {"total"}, words
    usual = "natural" if classes in (("income",), COSTS, ("expense",)) else "credits"
    for key, cells in found.items():
        for at, column in enumerate(columns):
            signs = {"": usual, "natural": "natural", "amount": "debits"}[column.measure]
            check_column(cells, rows[key], at, column, signs, f"{words}\n{key}")
    made = Written(file, ran.json)
    assert not differences(made, {place: made.value(place) for place, _ in made.cells().values()}), words


def check_column(cells: dict[str, Any], row: Row, at: int, column: Column, signs: str, words: str) -> None:
    """Hold the cells of one column, and of what is compared with it, against the sums of the row."""
    of = row.booked[f"a{at}"]
    over = row.planned[f"b{at}"] if column.compared == "budget" else row.booked[f"b{at}"]
    one, other = of.shown(signs), over.shown(signs)
    assert number(cells[f"a{at}"]) == one, words
    if not column.compared:
        return
    assert number(cells[f"b{at}"]) == other, words
    difference = None if one is None or other is None else one - other
    if column.compared == "budget":
        # More income and less cost than planned are both favourable: the stored sum is lower.
        difference = (over.income + over.costs) - (of.income + of.costs)
    assert number(cells[f"v{at}"]) == difference, words
    shown = cells[f"p{at}"]
    if one is None or other is None or difference is None:
        assert shown is None, words
    elif of.lines and over.lines and one * other > 0:
        assert abs(Decimal(shown) - difference * 100 / abs(other)) < Decimal("1e-9"), words
    else:
        assert shown in (None, "new", "gone", "n/m", "no plan") or not one, words


@pytest.mark.parametrize("unit", ["year", "quarter", "2 periods", "period", "month", "day"])
@pytest.mark.parametrize(
    "span",
    ["last 2 years", "2024-11-15 through 2026-01-20", "to date", "last 2 years last year"],
)
def test_a_divided_span_is_the_sum_of_its_parts(demo: Path, unit: str, span: str) -> None:
    if unit == "day":
        span = "2025-08-10 through 2025-10-20"
    words = f'list ledger --by account.class --columns "each {unit} {span}; {span}"'
    ran = run_almanac(*shlex.split(words), "--print", "json", book=demo)
    assert ran.code == 0, ran.err
    report = ran.json
    *parts, whole = report["columns"]
    lines = [line for line in read(demo) if is_counted(line, chart(demo))]
    total = report["rows"][-1]["cells"]
    extra = [part for part in parts if part["key"].endswith("P13")]
    there = [part for part in parts if part not in extra and total[part["key"]] is not None]
    edges = [(part["from"], part["through"]) for part in there]
    assert edges, words
    assert all(one[1] < other[0] for one, other in pairwise(edges)), words
    # Lines of extra periods count on the year's last day, in columns of their own beside periods.
    apart = unit in ("period", "2 periods", "month", "day")
    added = ZERO
    for part in (*there, *extra):
        within = [line for line in lines if is_within(part, line.day)]
        kept = [line for line in within if (line.period == 13) == (part in extra) or not apart]
        amount = -sum((line.amount for line in kept), ZERO)
        assert Decimal(total[part["key"]]) == amount, (words, part)
        added += amount
    adjusted = -sum((line.amount for line in lines if line.period == 13 and is_within(whole, line.day)), ZERO)
    assert Decimal(total[whole["key"]]) == added + (adjusted if unit in ("month", "day") else ZERO), words


def is_within(column: dict[str, Any], day: date) -> bool:
    first, last = column.get("from") or "2000-01-01", column["through"]
    return date.fromisoformat(first) <= day <= date.fromisoformat(last)
