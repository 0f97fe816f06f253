"""Adds to a book's `almanac.toml` what was proposed for it, its own words and comments kept."""

import tomllib
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.outside import BOOK_FILE
from level_almanac.whole_file import write_whole


def add_blocks(root: Path, text: str, further: Mapping[str, Mapping[str, Any]] = MappingProxyType({})) -> None:
    """Put sections behind those that the book has, or change nothing.

    further: by a table that the book speaks of already, the fields that are to be added there. Raises BookMistake where
    the book would not be right with them, with each mistake.
    """
    from level_almanac.files.validation.book_file import mistakes_in

    path = root / BOOK_FILE
    before = _with_fields(path.read_text(encoding="utf-8"), further)
    after = f"{before.rstrip()}\n\n{text.strip()}\n"
    try:
        plain: Mapping[str, Any] = tomllib.loads(after)
    except tomllib.TOMLDecodeError as error:
        raise BookMistake(Mistake("with the proposed blocks it is not TOML", BOOK_FILE, str(error))) from None
    mistakes = mistakes_in(plain)
    if mistakes:
        raise BookMistake(*mistakes)
    write_whole(path, after)


def _with_fields(text: str, further: Mapping[str, Mapping[str, Any]]) -> str:
    """Return a book's text with further fields of its tables, whatever else stands there kept."""
    if not further:
        return text
    import tomlkit

    document = tomlkit.parse(text)
    for table, told in further.items():
        section: Any = document["tables"][table]
        fields = section.setdefault("fields", tomlkit.table())
        for name, kind in told.get("fields", {}).items():
            fields.setdefault(name, kind)
    return tomlkit.dumps(document)
