"""Read a CSV export exactly: its head, each record with the line it starts on, and what is wrong with its shape.

The store's fast reader takes the plain files. Whatever it meets out of the ordinary is read here instead, record by
record, so that a line number is right even after a line end within quotes.
"""

import csv
import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from level_almanac.errors import BookMistake, Mistake

_CODECS = {"utf-8": "utf-8-sig", "latin-1": "latin-1", "windows-1252": "cp1252"}
_CHUNK = 1 << 20


@dataclass(frozen=True, slots=True)
class Fingerprint:
    """An export's SHA-256 and how many lines it has, its last one counted with or without a line end."""

    sha256: str
    lines: int


def fingerprint(path: Path) -> Fingerprint:
    """Hash a file and count its lines in one reading."""
    digest, newlines, last = hashlib.sha256(), 0, b"\n"
    with path.open("rb") as stream:
        while chunk := stream.read(_CHUNK):
            digest.update(chunk)
            newlines += chunk.count(b"\n")
            last = chunk[-1:]
    return Fingerprint(digest.hexdigest(), newlines + (last != b"\n"))


@dataclass(frozen=True, slots=True)
class CsvText:
    """One CSV export: its file, the name that messages call it by, its encoding and delimiter."""

    path: Path
    name: str
    encoding: str
    delimiter: str

    def head(self) -> list[str]:
        """Return the heads of the columns; raise BookMistake where there is no head line or it cannot be decoded."""
        for _, record in self._records([]):
            return [head.strip() for head in record]
        raise BookMistake(Mistake("the file is empty", f"{self.name}:1", allowed="a head line and records"))

    def write_numbered(self, target: Path, limit: int) -> tuple[list[Mistake], int]:
        """Write the records as quoted UTF-8 CSV, each behind its line number, leaving out the head and blank lines.

        Returns the first mistakes in the file's shape and how many there are; where there are any, what was written
        holds the other records only.
        """
        mistakes: list[Mistake] = []
        heads = 0
        with target.open("w", encoding="utf-8", newline="") as stream:
            writer = csv.writer(stream, quoting=csv.QUOTE_ALL, lineterminator="\n")
            for line, record in self._records(mistakes):
                if not heads:
                    heads = len(record)
                elif len(record) == heads:
                    writer.writerow([line, *record])
                elif record:
                    mistakes.append(
                        Mistake(
                            f"the record has {len(record)} fields",
                            f"{self.name}:{line}",
                            allowed=f"{heads}, as in the head line, between {self.delimiter!r}",
                        )
                    )
        return mistakes[:limit], len(mistakes)

    def _records(self, mistakes: list[Mistake]) -> Iterator[tuple[int, list[str]]]:
        with self.path.open("rb") as stream:
            reader = csv.reader(self._lines(stream, mistakes), delimiter=self.delimiter, strict=True)
            start = 1
            while True:
                try:
                    record = next(reader)
                except StopIteration:
                    return
                except csv.Error as error:
                    # Where a quote is never closed, no later record can be told from its text.
                    mistakes.append(Mistake(f"not CSV: {error}", f"{self.name}:{start}"))
                    if start == 1:
                        raise BookMistake(*mistakes) from None
                    return
                yield start, record
                start = reader.line_num + 1

    def _lines(self, stream: BinaryIO, mistakes: list[Mistake]) -> Iterator[str]:
        codec = _CODECS[self.encoding]
        for number, raw in enumerate(stream, 1):
            try:
                # Only a file's first line can begin with a byte order mark.
                yield raw.decode(codec if number == 1 or self.encoding != "utf-8" else "utf-8")
            except UnicodeDecodeError as error:
                mistake = Mistake(
                    f"not {self.encoding} text",
                    f"{self.name}:{number}",
                    f"byte {raw[error.start]:#04x} after {raw[: error.start].decode(codec)[-20:]!r}",
                    next_step='name the file\'s encoding in its intake block, such as encoding = "latin-1"',
                )
                if number == 1:
                    raise BookMistake(mistake) from None
                mistakes.append(mistake)
                # The line stays in its place, so that the numbers of those after it are right.
                yield raw.decode("latin-1")
