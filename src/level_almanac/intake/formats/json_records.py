"""JSON lines: one object a line, whose keys are the heads. Numbers are read as they are written, exact."""

import csv
import json
import re
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import Any

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.settings import IntakeBlock
from level_almanac.intake.formats.records import Numbered, TextForm

_MOST_DIGITS = 60
"""How large or how small a number may be; what a book holds has far fewer digits."""


def _number(text: str) -> Decimal:
    number = Decimal(text)
    if abs(number.adjusted()) > _MOST_DIGITS or len(text) > 2 * _MOST_DIGITS:
        raise ValueError(f"a number of more than {_MOST_DIGITS} digits: {text[:20]}")
    return number


def _no_number(text: str) -> Any:
    raise ValueError(f"{text} is no number")


def _object(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        twice = next(key for at, (key, _) in enumerate(pairs) if key in dict(pairs[:at]))
        raise ValueError(f"the key {twice!r} stands twice")
    return found


def _words_of(value: Any) -> str:
    """Return how a value within another begins, its numbers as they are written."""
    try:
        return re.sub(r"Decimal\('([^']*)'\)", r"\1", repr(value))[:40]
    except RecursionError:
        return "too deep"


def _broken(text: str) -> bool:
    """Tell whether a text holds half of a pair of surrogates, which no file of texts can hold."""
    return any("\ud800" <= letter <= "\udfff" for letter in text)


@dataclass(frozen=True, slots=True)
class JsonRecords:
    """One file of JSON lines: its place, the name that messages call it by, and the block that says how it is read."""

    path: Path
    name: str
    block: IntakeBlock

    def head(self) -> list[str]:
        """Return every key that any object has, in the order in which they first appear."""
        keys: dict[str, None] = {}
        mistakes: list[Mistake] = []
        for _, found in self._objects(mistakes):
            keys.update(dict.fromkeys(found))
        if mistakes and not keys:
            raise BookMistake(*mistakes)
        if not keys:
            raise BookMistake(Mistake("the file holds no object", f"{self.name}:1", allowed="one object a line"))
        return list(keys)

    def write_numbered(self, target: Path, limit: int) -> Numbered:
        """Write the objects behind the numbers of their lines, as `Records` says; one within another is a mistake."""
        heads, form = self.head(), TextForm(self.block)
        mistakes: list[Mistake] = []
        written = 0
        with target.open("w", encoding="utf-8", newline="") as stream:
            writer = csv.writer(stream, quoting=csv.QUOTE_ALL, lineterminator="\n")
            for line, record in self._objects(mistakes):
                if wrong := [mistake for key, value in record.items() if (mistake := self._wrong(line, key, value))]:
                    mistakes += wrong[:1]
                    continue
                writer.writerow([line, *(form.text(record.get(key)) for key in heads)])
                written += 1
        return Numbered(mistakes[:limit], len(mistakes), written + len(mistakes), len(mistakes))

    def _wrong(self, line: int, key: str, value: Any) -> Mistake | None:
        where = f"{self.name}:{line}: {ascii(key)[1:-1] if _broken(key) else key}"
        if _broken(key) or (isinstance(value, str) and _broken(value)):
            return Mistake("no text: half of a letter", where, ascii(value)[:40])
        if isinstance(value, dict | list):
            return Mistake("values within a value", where, _words_of(value))
        return None

    def _objects(self, mistakes: list[Mistake]) -> Iterator[tuple[int, dict[str, Any]]]:
        with self.path.open("rb") as stream:
            for number, raw in enumerate(stream, 1):
                if not raw.strip():
                    continue
                try:
                    parsed = json.loads(
                        raw.decode("utf-8-sig"), parse_float=_number, parse_int=_number, parse_constant=_no_number,
                        object_pairs_hook=_object,
                    )  # fmt: skip
                except (ValueError, RecursionError) as error:
                    told = str(error) if isinstance(error, ValueError) else "values within values, too deep"
                    mistakes.append(Mistake("not JSON", f"{self.name}:{number}", told))
                    continue
                if isinstance(parsed, dict):
                    yield number, parsed
                else:
                    mistakes.append(Mistake("not an object", f"{self.name}:{number}", repr(parsed)[:40]))
