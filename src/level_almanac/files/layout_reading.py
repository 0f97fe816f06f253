"""Read layouts: the book's own, and those that every book has."""

import tomllib
from importlib import resources
from pathlib import Path
from typing import Any

from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.files.definition import read_definition
from level_almanac.files.layouts import FOLDER, Layout, LayoutRow

BUILT_IN = ("income", "balance")


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
    if "/" not in name and (root / FOLDER / f"{name}.toml").is_file():
        return _layout(read_definition(root, f"{FOLDER}/{name}.toml", "layout:layout_mistakes")[1], name)
    if name not in BUILT_IN:
        known = layout_names(root)
        raise UsageMistake(
            Mistake("no layout has this name", "LAYOUT", repr(name), listed(known), nearest(name, known))
        )
    return _layout(tomllib.loads(_built_in_text(name)), name)


def _layout(plain: dict[str, Any], name: str) -> Layout:
    rows = [LayoutRow(**row) for row in plain.get("rows", [])]
    return Layout(**{**plain, "rows": rows, "name": name})
