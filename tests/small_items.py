"""A small book with suppliers and customers, its exports headed with our own field names."""

from collections.abc import Iterable
from pathlib import Path

from conftest import SmallBook

BOOK = """\
[book]
name = "A small book"

[entities.A]
name = "Company A"
currency = "EUR"
retained_earnings = "3100"

[calendar]
year_start = "10-01"
year_named_by = "end"
extra_periods = 1
{calendar}

[entry_classes]
carried = "source is CF"
closing = "source is CL"
{more}

[[intake]]
table = "accounts"
files = "chart.csv"
fields = {{ account = "account", name = "name", class = "class", control = "control" }}

[[intake]]
table = "ledger"
files = "ledger.csv"
set = {{ entity = "A" }}
fields = {{ journal = "journal", line = "line", posted = "posted", period = "period", account = "account", \
amount = "amount", source = "source", document = "document", party = "party" }}

[[intake]]
table = "parties"
files = "parties.csv"
fields = {{ party = "party", name = "name" }}
"""
SIDE = """
[[intake]]
table = "{table}"
files = "{table}.csv"
set = {{ entity = "A" }}
fields = {{ party = "party", kind = "kind", number = "number", line = "line", date = "date", due = "due", \
posted = "posted", amount = "amount", settles = "settles", applied = "applied", reference = "reference" }}
"""
CHART = """\
account,name,class,control
1000,Bank,asset,
1100,Customers,asset,receivable
2000,Suppliers,liability,payable
3100,Retained earnings,equity,
4000,Sales,income,
6000,Repairs,expense,
6100,Rent,expense,
"""
PARTIES = "party,name\nV1,First supplier\nV2,Second supplier\nC1,First customer\n"
LEDGER_HEADS = "journal,line,posted,period,account,amount,source,document,party\n"
ITEM_HEADS = "party,kind,number,line,date,due,posted,amount,settles,applied,reference\n"


def items_book(
    root: Path,
    payables: Iterable[str] = (),
    receivables: Iterable[str] = (),
    ledger: Iterable[str] = ("1,1,2025-10-01,,1000,5.00,,,", "1,2,2025-10-01,,4000,-5.00,,,"),
    more: str = "",
    calendar: str = "",
) -> SmallBook:
    """Write the book, unloaded. more: further sections of its file; calendar: further keys of the calendar."""
    text = BOOK.format(more=more, calendar=calendar)
    for table, lines in (("payables", list(payables)), ("receivables", list(receivables))):
        if lines:
            text += SIDE.format(table=table)
            (root / f"{table}.csv").write_text(ITEM_HEADS + "".join(f"{line}\n" for line in lines))
    (root / "almanac.toml").write_text(text)
    (root / "chart.csv").write_text(CHART)
    (root / "parties.csv").write_text(PARTIES)
    return SmallBook(root).ledger(LEDGER_HEADS + "".join(f"{line}\n" for line in ledger))
