"""Statement layouts: text files that say which rows a statement has (docs/layouts.md)."""

from dataclasses import field
from typing import Literal

from level_almanac.files.settings import STRICT
from level_almanac.immutable import immutable

FOLDER = "layouts"
RowMeasure = Literal["movement", "balance"]
Show = Literal["sum", "each", "tree"]
Sign = Literal["natural", "turned", "debit", "credit"]
Better = Literal["", "more", "less", "neither"]
SOURCES = ("accounts", "classes", "branch", "sum_of", "formula", "ratio")


@immutable(kw_only=True)
class LayoutRow:
    """One `[[rows]]` block. What it shows comes from at most one of SOURCES, from `results` alone, or from nothing,
    when it is a heading or a blank line.

    accounts: a condition on the chart; classes: of accounts; branch: accounts with all below them; show: one row of
    their sum, one row each, or the tree; heading: what stands above them; total: the label of their total beneath;
    results: earlier results and the running year's as rows among them; sum_of: keys of rows; formula, ratio:
    arithmetic on keys of rows; sign: how amounts are turned; better: which way is favourable; memo: shown beside the
    statement and not part of it; only_with: the row is shown only where that row is.
    """

    __pydantic_config__ = STRICT
    key: str = ""
    label: str = ""
    heading: str = ""
    total: str = ""
    accounts: str = ""
    classes: str | list[str] = ""
    branch: str | list[str] = ""
    show: Show = "sum"
    results: bool = False
    sum_of: list[str] = field(default_factory=list)
    formula: str = ""
    ratio: str = ""
    blank: bool = False
    sign: Sign = "natural"
    better: Better = ""
    measure: Literal["", "movement", "balance"] = ""
    kind: Literal["", "line", "subtotal", "total"] = ""
    level: int = 0
    memo: bool = False
    only_with: str = ""

    @property
    def sources(self) -> list[str]:
        """The names of the keys that say where its figures come from."""
        return [name for name in SOURCES if getattr(self, name)]


@immutable(kw_only=True)
class Layout:
    """One layout. name: its file's; columns: the column words it has by default; zero: formulas on rows that must come
    to nothing in every column; covers: which accounts it must have a row for, or empty for those its measure is about.
    """

    __pydantic_config__ = STRICT
    name: str = ""
    title: str
    measure: RowMeasure = "movement"
    covers: Literal["", "income", "balance", "all"] = ""
    columns: str = "ptd; ptd last year; change; change %; ytd; ytd last year; change; change %"
    zero: list[str] = field(default_factory=list)
    rows: list[LayoutRow] = field(default_factory=list)

    @property
    def scope(self) -> Literal["income", "balance", "all"]:
        """Which accounts it must have a row for."""
        return self.covers or ("income" if self.measure == "movement" else "balance")

    def where(self, number: int, key: str = "") -> str:
        """Return what messages call the row of this number, counted from 1, and a key of it."""
        return f"{FOLDER}/{self.name}.toml: rows[{number}]" + (f".{key}" if key else "")
