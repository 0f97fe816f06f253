"""What no report may be written over: the book's own files, and whatever its intake takes for an export."""

import fnmatch
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.outside import BOOK_FILE

_FOLDERS = (".almanac", "editions", "explanations", "kept", "layouts", "pages", "set-aside")


def check_free(path: Path, option: str) -> None:
    """Raise UsageMistake where a file to be written is one that a book above it is made of, or would be."""
    whole = path.resolve()
    root = next((folder for folder in whole.parents if (folder / BOOK_FILE).is_file()), None)
    if root is None:
        return
    name = whole.relative_to(root)
    try:
        plain = tomllib.loads((root / BOOK_FILE).read_text(encoding="utf-8"))
    except (OSError, ValueError):
        plain = {}
    step = "write it elsewhere"
    if name.parts[0] in _FOLDERS or name.as_posix() in (BOOK_FILE, *_named(plain)):
        raise UsageMistake(Mistake("this is a file of the book itself", option, repr(str(path)), next_step=step))
    for number, pattern in _patterns(plain):
        # In a pattern `*` stays within a folder, `**` does not.
        alike = "**" in pattern or pattern.count("/") == name.as_posix().count("/")
        if name.as_posix() == pattern or (alike and fnmatch.fnmatchcase(name.as_posix(), pattern.replace("**/", "*"))):
            what = f"intake[{number}] takes this file for an export"
            raise UsageMistake(Mistake(what, option, repr(str(path)), next_step=step))


def _named(plain: dict[str, Any]) -> Iterator[str]:
    calendars = plain.get("calendars", {})
    for section in (plain.get("calendar", {}), *(calendars.values() if isinstance(calendars, dict) else ())):
        yield str(section.get("file", "")) if isinstance(section, dict) else ""
    page = plain.get("page", {})
    yield str(page.get("logo", "")) if isinstance(page, dict) else ""


def _patterns(plain: dict[str, Any]) -> Iterator[tuple[int, str]]:
    blocks = plain.get("intake", [])
    for number, block in enumerate(blocks if isinstance(blocks, list) else [], 1):
        files = block.get("files", []) if isinstance(block, dict) else []
        yield from ((number, str(each)) for each in ([files] if isinstance(files, str) else files))
