"""The chart of accounts of both demo companies, four levels deep: it is shipped as the export that it is."""

import csv
from importlib import resources

INCOME_WORDS = frozenset(("revenue", "direct", "overhead"))
"""The classes whose accounts are closed at each year's end, in the words of the export."""


def chart_rows() -> list[tuple[str, str, str, str, str]]:
    """Return (account, name, word for its class, parent or blank, control or blank) of each account, parents first."""
    text = resources.files(__package__).joinpath("book", "exports", "chart.csv").read_text(encoding="utf-8")
    return [(code, name, word, parent, control) for code, name, word, parent, control in csv.reader(text.splitlines())][
        1:
    ]
