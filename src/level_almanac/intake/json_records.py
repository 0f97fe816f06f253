"""JSON lines: one object a line, whose keys are the heads. Numbers are read as they are written, exact."""

import csv
import json
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import Any

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.settings import IntakeBlock
from level_almanac.intake.records import TextForm


@dataclass(frozen=True, slots=True)
class JsonRecords:
    """One file of JSON lines: its place, the name that messages call it by, and the block that says how it is read."""

    path: Path
    name: str
    block: IntakeBlock

    def head(self) -> list[str]:
        """Return every key that any object has, in the order in which they first appear."""
        keys: dict[str, None] = {}
        for _, found in self._objects([]):
            keys.update(dict.fromkeys(found))
        if not keys:
            raise BookMistake(Mistake("the file holds no object", f"{self.name}:1", allowed="one object a line"))
        return list(keys)

    def write_numbered(self, target: Path, limit: int) -> tuple[list[Mistake], int]:
        """Write the objects; a line that is no object, and a value within a value, is a mistake."""
        heads, form = self.head(), TextForm(self.block)
        mistakes: list[Mistake] = []
        with target.open("w", encoding="utf-8", newline="") as stream:
            writer = csv.writer(stream, quoting=csv.QUOTE_ALL, lineterminator="\n")
            for line, record in self._objects(mistakes):
                for key, value in record.items():
                    if isinstance(value, dict | list):
                        where = f"{self.name}:{line}: {key}"
                        mistakes.append(Mistake("values within a value", where, json.dumps(value, default=str)[:40]))
                writer.writerow([line, *(form.text(record.get(key)) for key in heads)])
        return mistakes[:limit], len(mistakes)

    def _objects(self, mistakes: list[Mistake]) -> Iterator[tuple[int, dict[str, Any]]]:
        with self.path.open("rb") as stream:
            for number, raw in enumerate(stream, 1):
                if not raw.strip():
                    continue
                try:
                    parsed = json.loads(raw.decode("utf-8-sig"), parse_float=Decimal)
                except ValueError as error:
                    mistakes.append(Mistake("not JSON", f"{self.name}:{number}", str(error)))
                    continue
                if isinstance(parsed, dict):
                    yield number, parsed
                else:
                    mistakes.append(Mistake("not an object", f"{self.name}:{number}", repr(parsed)[:40]))
