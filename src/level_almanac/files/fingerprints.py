"""Hashes of what a load depends on, so that a changed book is noticed."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from typing import Any

from level_almanac.files.settings import BookFile

READING_VERSION = 2
"""Goes up when the same export would be read into another part than before."""


def rules_fingerprint(book: BookFile) -> str:
    """Return a hash of what places and classes lines: reports refuse a store that was loaded under other rules."""
    plain: dict[str, Any] = {"entry_classes": book.plain.get("entry_classes")}
    plain["currencies"] = {code: entity.currency for code, entity in book.settings.entities.items()}
    plain["calendar"] = _placing(book, book.plain["calendar"])
    further = {name: _placing(book, section) for name, section in book.plain.get("calendars", {}).items()}
    if further:
        plain["calendars"] = further
        plain["calendar_of"] = {code: entity.calendar for code, entity in book.settings.entities.items()}
    return _hash([READING_VERSION, plain])


def _placing(book: BookFile, calendar: Mapping[str, Any]) -> dict[str, Any]:
    # When a period was closed, and which days are holidays, changes what is said of lines, not where they stand.
    plain = {key: value for key, value in calendar.items() if key not in ("closed_through", "holidays")}
    if plain.get("file"):
        path = book.root / plain["file"]
        plain["told"] = path.read_text(encoding="utf-8-sig", errors="replace") if path.is_file() else ""
    return plain


def reading_fingerprint(book: BookFile, blocks: Sequence[int], block: int) -> str:
    """Return a hash of how the exports of an intake block (numbered from 0) are read. blocks: all of its file."""
    plain = book.plain["intake"][block]
    shared = [book.plain["intake"][each].get("only") for each in blocks]
    zone = book.settings.book.time_zone
    return _hash([rules_fingerprint(book), plain, shared, zone, book.plain.get("tables", {}).get(plain["table"])])


def _hash(plain: Any) -> str:
    return hashlib.sha256(json.dumps(plain, sort_keys=True).encode()).hexdigest()
