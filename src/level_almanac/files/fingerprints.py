"""Hashes of what a load depends on, so that a changed book is noticed."""

import hashlib
import json
import re
from collections.abc import Mapping, Sequence
from functools import cache
from importlib import resources
from typing import Any

from level_almanac.files import patterns
from level_almanac.files.outside import place_of
from level_almanac.files.settings import BookFile
from level_almanac.files.tables import ACCOUNT_CLASSES, BILLING_SIGNS, BUILT_IN, KIND_SIGNS

_NUMBERED = {
    "17ab907b0d3cf22e9be39aff6a278f9d72db94f8fdca8ed2140419211f75e923": 2,
    # A field can be reached over several tables: what could be said before means what it meant.
    "5204e9847d62cdc3a701e63985548509cb06f2ddf6b9bc3b2efd9cdf56e5c868": 2,
}
"""What was numbered by hand before it was derived: stores and editions of that time are read as they are."""


@cache
def reading_version() -> str | int:
    """Return what stands for how exports are read and conditions understood: tables, fields, patterns, the grammar of
    conditions and days.

    Where any of these changes, the same export could be read into another part than before, and is loaded anew.
    """
    # Whether a field is a price, its last part, says how it is added up, not how it is read.
    tables = [
        (table.name, table.key, [tuple(field)[:-1] for field in table.fields], table.date, sorted(table.links.items()))
        for table in BUILT_IN.values()
    ]
    grammar = resources.files("level_almanac.core.language").joinpath("grammar.lark").read_text(encoding="utf-8")
    signs = (KIND_SIGNS, BILLING_SIGNS, ACCOUNT_CLASSES)
    digest = _hash([tables, signs, patterns.READ, _rules_behind(grammar, ("condition", "day"))])
    return _NUMBERED.get(digest, digest)


_RULE = re.compile(r"[?!]?([a-z_]+|[A-Z_]+)(?:\.\d+)?:(.*)")


def _rules_behind(grammar: str, starts: Sequence[str]) -> list[list[str]]:
    """Return the rules of a grammar that these are made of, in order: comments, spacing and all others mean nothing."""
    rules: dict[str, list[str]] = {}
    name = ""
    for line in grammar.splitlines():
        words = line.split("//")[0]
        if found := _RULE.match(words):
            name = found[1]
            rules[name] = []
        if words.strip() and name:
            rules[name] += words.split()
    wanted = list(starts)
    for each in wanted:
        wanted += [
            word for word in re.findall(r"[A-Za-z_]+", " ".join(rules[each])) if word in rules and word not in wanted
        ]
    return [words for name, words in rules.items() if name in wanted]


def rules_fingerprint(book: BookFile) -> str:
    """Return a hash of what places and classes lines: reports refuse a store that was loaded under other rules."""
    plain: dict[str, Any] = {"entry_classes": book.plain.get("entry_classes")}
    plain["currencies"] = {code: entity.currency for code, entity in book.settings.entities.items()}
    plain["calendar"] = _placing(book, book.plain["calendar"])
    further = {name: _placing(book, section) for name, section in book.plain.get("calendars", {}).items()}
    if further:
        plain["calendars"] = further
        plain["calendar_of"] = {code: entity.calendar for code, entity in book.settings.entities.items()}
    return _hash([reading_version(), plain])


def _placing(book: BookFile, calendar: Mapping[str, Any]) -> dict[str, Any]:
    # When a period was closed, and which days are holidays, changes what is said of lines, not where they stand.
    plain = {key: value for key, value in calendar.items() if key not in ("closed_through", "holidays")}
    if plain.get("file"):
        path = place_of(book.root, plain["file"], "calendar.file")
        plain["told"] = path.read_text(encoding="utf-8-sig", errors="replace") if path.is_file() else ""
    return plain


def reading_fingerprint(book: BookFile, blocks: Sequence[int], block: int, classes: Mapping[str, str]) -> str:
    """Return a hash of how the exports of an intake block (numbered from 0) are read.

    blocks: all of its file; classes: of each account, which some blocks tell the signs of amounts by.
    """
    plain = book.plain["intake"][block]
    shared = [book.plain["intake"][each].get("only") for each in blocks]
    zone = book.settings.book.time_zone
    table = book.plain.get("tables", {}).get(plain["table"])
    if table is not None:
        # What stands over figures says nothing of how lines are read.
        table = {key: value for key, value in table.items() if key != "labels"}
    told = [rules_fingerprint(book), plain, shared, zone, table or None]
    others = [{key: book.plain["intake"][each].get(key) for key in _OF_RECORDS} for each in blocks]
    if any(any(each.values()) for each in others):
        told.append(others)
    if plain.get("signs") in ("natural", "ledger"):
        told.append(dict(classes))
    if plain["table"] == "accounts" and book.plain.get("chart"):
        told.append(book.plain["chart"])
    return _hash(told)


_OF_RECORDS = ("pass_over", "totals", "shares_records", "head_row", "head_rows")
"""Keys of a block that say which records it leaves to the others of its file."""


def _hash(plain: Any) -> str:
    return hashlib.sha256(json.dumps(plain, sort_keys=True).encode()).hexdigest()
