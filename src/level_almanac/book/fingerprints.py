"""Hashes of what a load depends on, so that a changed book is noticed."""

import hashlib
import json
from typing import Any

from level_almanac.book.settings import BookFile

READING_VERSION = 1
"""Goes up when the same export would be read into another part than before."""


def rules_fingerprint(book: BookFile) -> str:
    """Return a hash of what places and classes lines: reports refuse a store that was loaded under other rules."""
    plain = {key: book.plain.get(key) for key in ("calendar", "entry_classes")}
    plain["currencies"] = {code: entity.currency for code, entity in book.settings.entities.items()}
    # When a period was closed changes what is said of it, not where its lines stand.
    plain["calendar"] = {key: value for key, value in (plain["calendar"] or {}).items() if key != "closed_through"}
    return _hash([READING_VERSION, plain])


def reading_fingerprint(book: BookFile, block: int) -> str:
    """Return a hash of how the exports of an intake block (numbered from 0) are read."""
    plain = book.plain["intake"][block]
    return _hash([rules_fingerprint(book), plain, book.plain.get("tables", {}).get(plain["table"])])


def _hash(plain: Any) -> str:
    return hashlib.sha256(json.dumps(plain, sort_keys=True).encode()).hexdigest()
