"""JSON: an array of objects, or one object a line, whose keys are the heads. Numbers are read as they are written.

Within an object, the keys of another are told by both names: `party.code`. Where the records of a path lie within
others, as the rows of a voucher, the keys of those stand behind a `^`.
"""

import csv
import json
import re
from collections.abc import Iterator, Mapping
from decimal import Decimal
from pathlib import Path
from typing import Any

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.settings import IntakeBlock
from level_almanac.immutable import immutable
from level_almanac.intake.formats.records import Numbered, TextForm

OUTER = "^"
"""What the head of a key begins with that stands in the object around a record."""
_MOST_DIGITS = 60
"""How large or how small a number may be; what a book holds has far fewer digits."""
_DEEPEST = 50
"""How many values may stand within one another. Held by ourselves: each Python goes as deep as it likes."""
_TOO_DEEP = f"values within values, more than {_DEEPEST} deep"


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
    return re.sub(r"Decimal\('([^']*)'\)", r"\1", repr(value))[:40]


def _broken(text: str) -> bool:
    """Tell whether a text holds half of a pair of surrogates, which no file of texts can hold."""
    return any("\ud800" <= letter <= "\udfff" for letter in text)


def flattened(record: Mapping[str, Any], ahead: str = "") -> Iterator[tuple[str, Any]]:
    """Yield the values of an object by their heads, those of objects within it by both names."""
    for key, value in record.items():
        if isinstance(value, dict) and value:
            yield from flattened(value, f"{ahead}{key}.")
        else:
            yield f"{ahead}{key}", value


@immutable
class JsonRecords:
    """One file of JSON: its place, the name that messages call it by, and the block that says how it is read."""

    path: Path
    name: str
    block: IntakeBlock

    def head(self) -> list[str]:
        """Return every key that any object has, in the order in which they first appear."""
        keys: dict[str, None] = {}
        mistakes: list[Mistake] = []
        for _, found in self._records(mistakes):
            keys.update(dict.fromkeys(found))
        if mistakes and not keys:
            raise BookMistake(*mistakes)
        if not keys:
            allowed = "one object a line" if self.block.format == "jsonl" else "an array of objects, at `path`"
            raise BookMistake(Mistake("the file holds no object", f"{self.name}:1", allowed=allowed))
        return list(keys)

    def write_numbered(self, target: Path, limit: int) -> Numbered:
        """Write the objects behind the numbers of their lines, or of the records where one text holds them all, as
        `Records` says; a list for a value is a mistake where a field is to take it.
        """
        heads, form = self.head(), TextForm(self.block)
        mistakes: list[Mistake] = []
        written = 0
        with target.open("w", encoding="utf-8", newline="") as stream:
            writer = csv.writer(stream, quoting=csv.QUOTE_ALL, lineterminator="\n")
            for line, record in self._records(mistakes):
                if wrong := [mistake for key, value in record.items() if (mistake := self._wrong(line, key, value))]:
                    mistakes += wrong[:1]
                    continue
                writer.writerow([line, *("" if _holds(each := record.get(key)) else form.text(each) for key in heads)])
                written += 1
        return Numbered(mistakes[:limit], len(mistakes), written + len(mistakes), len(mistakes))

    def _wrong(self, line: int, key: str, value: Any) -> Mistake | None:
        where = f"{self.name}:{line}: {ascii(key)[1:-1] if _broken(key) else key}"
        if _broken(key) or (isinstance(value, str) and _broken(value)):
            return Mistake("no text: half of a letter", where, ascii(value)[:40])
        if _holds(value) and value and self._is_taken(key):
            step = f'path = "{key}" takes the objects within' if isinstance(value, list) else ""
            return Mistake("values within a value", where, _words_of(value), next_step=step)
        return None

    def _is_taken(self, key: str) -> bool:
        sources = self.block.field_sources.values()
        return not sources or any(key in (*each.heads, *each.join, *each.either) for each in sources)

    def _records(self, mistakes: list[Mistake]) -> Iterator[tuple[int, dict[str, Any]]]:
        for line, found in self._objects(mistakes):
            yield line, dict(flattened(found))

    def _objects(self, mistakes: list[Mistake]) -> Iterator[tuple[int, dict[str, Any]]]:
        if self.block.format == "json":
            yield from self._whole()
            return
        with self.path.open("rb") as stream:
            for number, raw in enumerate(stream, 1):
                if not raw.strip():
                    continue
                try:
                    parsed = parsed_json(raw)
                except ValueError as error:
                    mistakes.append(Mistake("not JSON", f"{self.name}:{number}", str(error)))
                    continue
                if isinstance(parsed, dict):
                    yield number, parsed
                else:
                    mistakes.append(Mistake("not an object", f"{self.name}:{number}", repr(parsed)[:40]))

    def _whole(self) -> Iterator[tuple[int, dict[str, Any]]]:
        """Yield the objects at the block's path, numbered as they stand there."""
        try:
            whole = parsed_json(self.path.read_bytes())
        except ValueError as error:
            raise BookMistake(Mistake("not JSON", self.name, str(error))) from None
        steps = [step for step in self.block.path.split(".") if step]
        yield from enumerate(self._at(whole, steps, {}, ""), 1)

    def _at(self, value: Any, steps: list[str], around: dict[str, Any], place: str) -> Iterator[dict[str, Any]]:
        """Yield the objects that lie behind these steps. around: what the objects on the way say, behind `^`."""
        if isinstance(value, list):
            for number, each in enumerate(value, 1):
                yield from self._at(each, steps, around, f"{place}[{number}]")
        elif not isinstance(value, dict):
            where = f"{self.name}: {place}" if place else self.name
            raise BookMistake(Mistake("not an object", where, repr(value)[:40]))
        elif not steps:
            yield {**value, **around}
        elif steps[0] not in value:
            known = ", ".join(list(value)[:20])
            what = f"no object has {steps[0]!r}, which the path names"
            raise BookMistake(Mistake(what, f"{self.name}: {place}" if place else self.name, allowed=known))
        else:
            rest = {key: each for key, each in value.items() if key != steps[0]}
            outer = {f"{OUTER}{key}": each for key, each in flattened(rest) if not _holds(each)}
            pushed = {f"{OUTER}{key}": each for key, each in around.items()}
            yield from self._at(value[steps[0]], steps[1:], {**pushed, **outer}, f"{place}.{steps[0]}".lstrip("."))


def _holds(value: Any) -> bool:
    return isinstance(value, dict | list)


def parsed_json(raw: bytes) -> Any:
    """Return what a text of JSON holds, its numbers as they are written.

    Raises ValueError where it is no JSON, says two things, or holds values within one another too deep.
    """
    try:
        parsed = json.loads(
            raw.decode("utf-8-sig"), parse_float=_number, parse_int=_number, parse_constant=_no_number,
            object_pairs_hook=_object,
        )  # fmt: skip
    except RecursionError:
        raise ValueError(_TOO_DEEP) from None
    level = [parsed]
    for _ in range(_DEEPEST):
        insides = (each.values() if isinstance(each, dict) else each for each in level if _holds(each))
        level = [value for inside in insides for value in inside if _holds(value)]
        if not level:
            return parsed
    raise ValueError(_TOO_DEEP)
