"""A small book of sales, billing and plans, made in place for one test."""

from collections.abc import Iterable
from pathlib import Path

from conftest import CHART, SmallBook

SALES_HEADS = "number,line,date,item,route,quantity,amount,cost\n"
BILLING_HEADS = "number,line,kind,served,posted,checked,deposited,office,desk,party,payer,reason,amount\n"
PLAN_HEADS = "scenario,period,date,route,amount,share,share_of\n"
BOOK = """\
[book]
name = "A small shop"

[entities.A]
name = "Amberquay"
currency = "EUR"
retained_earnings = "3100"

[calendar]
{calendar}

[tables.sales.fields]
route = "text"

[tables.sales.compute]
margin = "(amount - cost) / amount"

[tables.goals]
plan_of = "sales"

[tables.goals.fields]
route = "text"

{more}
[[intake]]
table = "accounts"
files = "chart.csv"

[[intake]]
table = "sales"
files = "sales*.csv"
set = {{ entity = "A" }}

[[intake]]
table = "billing"
files = "billing*.csv"
set = {{ entity = "A" }}

[[intake]]
table = "goals"
files = "goals*.csv"
set = {{ entity = "A" }}
"""


def sales_book(
    folder: Path,
    sales: Iterable[str] = (),
    *,
    billing: Iterable[str] = (),
    goals: Iterable[str] = (),
    calendar: str = 'year_start = "01-01"',
    more: str = "",
) -> SmallBook:
    """Return a book with these lines, not loaded yet. A sale is `day,item,route,quantity,amount,cost`."""
    (folder / "almanac.toml").write_text(BOOK.format(calendar=calendar, more=more), encoding="utf-8")
    (folder / "chart.csv").write_text(CHART, encoding="utf-8")
    numbered = [f"S{number},1,{line}\n" for number, line in enumerate(sales, 1)]
    for name, heads, lines in (
        ("sales", SALES_HEADS, numbered),
        ("billing", BILLING_HEADS, [f"{line}\n" for line in billing]),
        ("goals", PLAN_HEADS, [f"{line}\n" for line in goals]),
    ):
        (folder / f"{name}.csv").write_text(heads + "".join(lines), encoding="utf-8")
    return SmallBook(folder)
