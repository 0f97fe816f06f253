"""Check a layout's file: each mistake with its row and key, and what is allowed there."""

import re
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

from pydantic import ValidationError

from level_almanac.errors import Mistake, listed, nearest
from level_almanac.files.layouts import SOURCES, Layout, LayoutRow
from level_almanac.files.tables import ACCOUNT_CLASSES
from level_almanac.files.validation.book_file import checker_of, json_of, shape_mistake

_ROW_KEY = re.compile(r"[a-z][a-z0-9]*(-[a-z0-9]+)*")


def layout_mistakes(plain: Mapping[str, Any], where: str) -> list[Mistake]:
    """Return every mistake in the shape of a parsed layout. where: its file, as messages call it."""
    try:
        layout = checker_of(Layout).validate_json(json_of(plain))
    except ValidationError as error:
        found = [shape_mistake(each, Layout, {"rows": LayoutRow}) for each in error.errors(include_url=False)]
        return [replace(mistake, where=f"{where}: {mistake.where}") for mistake in dict.fromkeys(found)]
    if "name" in plain:
        return [Mistake("unknown key", f"{where}: name", next_step="a layout is named by its file")]
    mistakes = [] if layout.rows else [Mistake("a layout needs rows", where, next_step="add [[rows]] blocks")]
    for number, row in enumerate(layout.rows, 1):
        mistakes += _row_mistakes(row, f"{where}: rows[{number}]")
    return mistakes


def _row_mistakes(row: LayoutRow, where: str) -> Iterator[Mistake]:
    sources = [*row.sources, *(["blank"] if row.blank else [])]
    if len(sources) > 1:
        yield Mistake("more than one source of figures", where, " and ".join(sources), "one of them")
    if not sources and not row.heading and not row.results:
        yield Mistake("the row shows nothing", where, allowed=f"one of {listed(SOURCES)}, a heading, or blank = true")
    if sources not in ([], ["blank"]) and not row.key:
        yield Mistake("a row with figures needs a key", f"{where}.key")
    if row.key and not _ROW_KEY.fullmatch(row.key):
        allowed = "small letters, digits and hyphens, a letter first"
        yield Mistake("not a row key", f"{where}.key", repr(row.key), allowed)
    takes_accounts = bool({"accounts", "classes", "branch"} & {*sources})
    if sources and sources != ["blank"] and not row.label and not (takes_accounts and row.heading):
        yield Mistake("a row with figures needs a label", f"{where}.label")
    if not takes_accounts and row.show != "sum":
        yield Mistake("there are no accounts to show", f"{where}.show", repr(row.show))
    known = [row.classes] if isinstance(row.classes, str) else row.classes
    for name in known if row.classes else []:
        if name not in ACCOUNT_CLASSES:
            hint = nearest(name, ACCOUNT_CLASSES)
            yield Mistake("not an account class", f"{where}.classes", repr(name), listed(ACCOUNT_CLASSES), hint)
    if not 0 <= row.level <= 6:
        yield Mistake("out of range", f"{where}.level", str(row.level), "0 to 6")
