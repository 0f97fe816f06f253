"""Statement layouts: text files that say which rows a statement has (docs/layouts.md)."""

import tomllib
from dataclasses import dataclass, field
from importlib import resources
from pathlib import Path
from typing import Any, Literal

from level_almanac.book.settings import STRICT
from level_almanac.book.stamps import is_stamped, stamp
from level_almanac.errors import BookMistake, Mistake, UsageMistake, listed, nearest

FOLDER = "layouts"
BUILT_IN = ("income", "balance")
Measure = Literal["movement", "balance"]
Show = Literal["sum", "each", "tree"]
Sign = Literal["natural", "turned", "debit", "credit"]
Better = Literal["", "more", "less", "neither"]
SOURCES = ("accounts", "classes", "branch", "sum_of", "formula", "ratio")


@dataclass(frozen=True, slots=True, kw_only=True)
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


@dataclass(frozen=True, slots=True, kw_only=True)
class Layout:
    """One layout. name: its file's; columns: the column words it has by default; zero: formulas on rows that must come
    to nothing in every column; covers: which accounts it must have a row for, or empty for those its measure is about.
    """

    __pydantic_config__ = STRICT
    name: str = ""
    title: str
    measure: Measure = "movement"
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


def layout_names(root: Path) -> list[str]:
    """Return the names of the book's layouts and of the built-in ones."""
    own = sorted(path.stem for path in (root / FOLDER).glob("*.toml"))
    return [*own, *(name for name in BUILT_IN if name not in own)]


def layout_texts(root: Path) -> dict[str, str]:
    """Return the text of every layout that a statement of this book can have, built-in ones too, by name."""
    texts = {name: _built_in_text(name) for name in BUILT_IN}
    # One that is not right is kept as it is: no page may use it.
    own = {path.stem: path.read_text("utf-8", "surrogateescape") for path in (root / FOLDER).glob("*.toml")}
    return texts | own


def _built_in_text(name: str) -> str:
    return resources.files(__package__).joinpath(FOLDER, f"{name}.toml").read_text(encoding="utf-8")


def read_layout(root: Path, name: str) -> Layout:
    """Return the book's layout of this name, or the built-in one.

    Raises UsageMistake where there is none, BookMistake with every mistake in it.
    """
    path = root / FOLDER / f"{name}.toml"
    if "/" not in name and path.is_file():
        return _read(root, path, name)
    if name not in BUILT_IN:
        known = layout_names(root)
        raise UsageMistake(
            Mistake("no layout has this name", "LAYOUT", repr(name), listed(known), nearest(name, known))
        )
    return _layout(tomllib.loads(_built_in_text(name)), name)


def _read(root: Path, path: Path, name: str) -> Layout:
    where = f"{FOLDER}/{name}.toml"
    raw = path.read_bytes()
    try:
        plain = tomllib.loads(raw.decode("utf-8"))
    except UnicodeDecodeError:
        raise BookMistake(Mistake("not UTF-8 text", where)) from None
    except tomllib.TOMLDecodeError as error:
        raise BookMistake(Mistake("not TOML", where, str(error))) from None
    if not is_stamped(root, where, raw):
        from level_almanac.book.layout_checking import layout_mistakes  # noqa: PLC0415  heavy: pydantic

        mistakes = layout_mistakes(plain, where)
        if mistakes:
            raise BookMistake(*mistakes)
        stamp(root, where, raw)
    return _layout(plain, name)


def _layout(plain: dict[str, Any], name: str) -> Layout:
    rows = [LayoutRow(**row) for row in plain.get("rows", [])]
    return Layout(**{**plain, "rows": rows, "name": name})
