"""XML: the elements at a path, each a record. Its attributes and what lies in its elements are the heads."""

import csv
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from xml.parsers import expat

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.settings import IntakeBlock
from level_almanac.immutable import immutable
from level_almanac.intake.formats.json_records import OUTER
from level_almanac.intake.formats.records import Numbered, TextForm

_CHUNK = 1 << 20
_DEEPEST = 100
_MOST_ALIKE = 100


@dataclass(slots=True)
class _Element:
    """An element that is not closed yet. values: what it and the elements within it say, by head."""

    name: str
    line: int
    values: dict[str, str]
    text: list[str]
    has_elements: bool = False


@immutable
class XmlRecords:
    """One XML file: its place, the name that messages call it by, and the block, whose path names the elements from the
    outermost inward that a record lies in; what stands around them is not named.
    """

    path: Path
    name: str
    block: IntakeBlock

    def head(self) -> list[str]:
        """Return every name that any record has, in the order in which they first appear."""
        keys: dict[str, None] = {}
        for _, found in self._records():
            keys.update(dict.fromkeys(found))
        if not keys:
            what = f"no element lies at the path {self.block.path!r}"
            raise BookMistake(Mistake(what, self.name, allowed='path = "voucher.row", the names inward'))
        return list(keys)

    def write_numbered(self, target: Path, limit: int) -> Numbered:  # noqa: ARG002  as every format takes
        """Write the records behind the lines that they begin on, as `Records` says."""
        heads, form, written = self.head(), TextForm(self.block), 0
        with target.open("w", encoding="utf-8", newline="") as stream:
            writer = csv.writer(stream, quoting=csv.QUOTE_ALL, lineterminator="\n")
            for line, record in self._records():
                writer.writerow([line, *(form.text(record.get(key)) for key in heads)])
                written += 1
        return Numbered([], 0, written, 0)

    def _records(self) -> Iterator[tuple[int, dict[str, str]]]:
        steps = [step for step in self.block.path.split(".") if step]
        parser = expat.ParserCreate(namespace_separator=" ")
        walk = _Walk(steps, parser)
        try:
            with self.path.open("rb") as stream:
                while chunk := stream.read(_CHUNK):
                    parser.Parse(chunk)
                    yield from walk.taken()
                parser.Parse(b"", True)
        except (expat.ExpatError, ValueError) as error:
            raise BookMistake(Mistake("not XML", f"{self.name}:{parser.CurrentLineNumber}", str(error))) from None
        yield from walk.taken()


class _Walk:
    """Follows a file's elements, and keeps those at the path with what the elements around them say.

    What those say behind a record is not known yet when the record ends, so records wait for the outermost on the path.
    """

    def __init__(self, steps: list[str], parser: Any) -> None:
        self.steps, self.parser = steps, parser
        self.open: list[_Element] = []
        self.waiting: list[tuple[int, dict[str, str], list[dict[str, str]]]] = []
        self.done: list[tuple[int, dict[str, str]]] = []
        parser.StartElementHandler = self.start
        parser.EndElementHandler = self.end
        parser.CharacterDataHandler = self.say
        parser.EntityDeclHandler = self.refuse

    def refuse(self, *_: Any) -> None:
        """Raise ValueError: an entity of the file's own is not taken in, since it can stand for anything."""
        raise ValueError("the file declares entities of its own")

    def start(self, name: str, attributes: dict[str, str]) -> None:
        """Begin an element."""
        if len(self.open) >= _DEEPEST:
            raise ValueError("elements within elements, too deep")
        if self.open:
            self.open[-1].has_elements = True
        values = {_local(key): text for key, text in attributes.items()}
        self.open.append(_Element(_local(name), self.parser.CurrentLineNumber, values, []))

    def say(self, text: str) -> None:
        """Take in text."""
        self.open[-1].text.append(text)

    def end(self, _: str) -> None:
        """End an element: it is a record, or part of one, or around some."""
        names = [each.name for each in self.open]
        element = self.open.pop()
        text = "".join(element.text).strip()
        depth = len(self.steps)
        if names[-depth:] == self.steps:
            if text:
                element.values.setdefault(element.name, text)
            around = [each.values for each in reversed(self.open[-max(depth - 1, 1) :])]
            self.waiting.append((element.line, element.values, around))
        elif self.open and (depth < 2 or self.steps[0] in names[:-1]):
            # What stands beside the path says nothing of a record.
            above = self.open[-1].values
            if text or not (element.values or element.has_elements):
                _put(above, element.name, text)
            for key, value in element.values.items():
                _put(above, f"{element.name}.{key}", value)
        if len(self.steps) < 2 or names[-1] == self.steps[0] or not self.open:
            self.settle()

    def settle(self) -> None:
        """Let the records go that wait."""
        for line, values, around in self.waiting:
            record = dict(values)
            for level, told in enumerate(around, 1):
                record |= {f"{OUTER * level}{key}": value for key, value in told.items()}
            self.done.append((line, record))
        self.waiting.clear()

    def taken(self) -> Iterator[tuple[int, dict[str, str]]]:
        """Yield the records that are whole, once."""
        yield from self.done
        self.done.clear()


def _put(values: dict[str, str], key: str, value: str) -> None:
    """Keep a value under its head; where one stands several times, the further ones have a number, to a hundred."""
    number, name = 1, key
    while name in values and number < _MOST_ALIKE:
        number += 1
        name = f"{key} {number}"
    values[name] = value


def _local(name: str) -> str:
    """Return a name without its namespace."""
    return name.rpartition(" ")[2]
