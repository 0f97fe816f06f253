"""Read a CSV export exactly: its head, each record with the line it starts on, and what is wrong with its shape.

The store's fast reader takes the plain files. Whatever it meets out of the ordinary is read here instead, record by
record, so that a line number is right even after a line end within quotes.
"""

import codecs
import csv
import hashlib
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import BinaryIO

from level_almanac.errors import BookMistake, Mistake
from level_almanac.intake.records import Numbered
from level_almanac.store.exports import CsvBytes

_CODECS = {"utf-8": "utf-8-sig", "latin-1": "latin-1", "windows-1252": "cp1252"}
_CHUNK = 1 << 20
LONGEST = 2_000_000
"""How many letters a record may have: what reads the work file has room for so many, whatever they are."""


def fingerprint(path: Path) -> str:
    """Return the SHA-256 of a file."""
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def measured(path: Path, delimiter: str) -> CsvBytes | None:
    """Return what the bytes of a CSV come to; None where readers do not agree on some, as a bare carriage return."""
    size, counted, last = 0, dict.fromkeys((b"\n", b"\r", b"\r\n", b'"', b"\0", delimiter.encode()), 0), b""
    with path.open("rb") as stream:
        marked = stream.read(len(codecs.BOM_UTF8)) == codecs.BOM_UTF8
        stream.seek(0)
        while chunk := stream.read(_CHUNK):
            size += len(chunk)
            for sign in counted:
                counted[sign] += chunk.count(sign)
            counted[b"\r\n"] += last == b"\r" and chunk[:1] == b"\n"
            last = chunk[-1:]
    returns = counted[b"\r"]
    if counted[b"\0"] or returns not in (0, counted[b"\n"]) or returns != counted[b"\r\n"]:
        return None
    ended = last == b"\n"
    bare = size - returns - counted[b"\n"] - (len(codecs.BOM_UTF8) if marked else 0)
    return CsvBytes(bare, counted[b"\n"] + (not ended), counted[b'"'], counted[delimiter.encode()])


@dataclass(frozen=True, slots=True)
class CsvText:
    """One CSV export: its file, the name that messages call it by, its encoding and delimiter."""

    path: Path
    name: str
    encoding: str
    delimiter: str

    def head(self) -> list[str]:
        """Return the heads of the columns; raise BookMistake where there is no head line or it cannot be decoded."""
        return [head.strip() for head in self.first()]

    def first(self) -> list[str]:
        """Return the first record as it stands; raises as `head` does."""
        for _, record in self._records([]):
            return record
        raise BookMistake(Mistake("the file is empty", f"{self.name}:1", allowed="a head line and records"))

    def write_numbered(self, target: Path, limit: int) -> Numbered:
        """Write the records behind the numbers of their lines, as `Records` says."""
        mistakes: list[Mistake] = []
        heads = records = unwritten = told = 0
        with target.open("w", encoding="utf-8", newline="") as stream:
            writer = csv.writer(stream, quoting=csv.QUOTE_ALL, lineterminator="\n")
            for line, record in self._records(mistakes):
                if not heads:
                    heads = len(record)
                    continue
                if not record:
                    continue
                if what := self._wrong(record, heads):
                    mistakes.append(replace(what, where=f"{self.name}:{line}"))
                records += 1
                if len(mistakes) > told:
                    # Whatever was met since the record before is of this one.
                    unwritten, told = unwritten + 1, len(mistakes)
                else:
                    writer.writerow([line, *record])
        # A quote that is never closed leaves one record that is none.
        lost = len(mistakes) > told
        return Numbered(mistakes[:limit], len(mistakes), records + lost, unwritten + lost)

    def _wrong(self, record: list[str], heads: int) -> Mistake | None:
        if (letters := sum(map(len, record))) > LONGEST:
            return Mistake(f"the record has {letters:,} letters", allowed=f"{LONGEST:,} at the most")
        if len(record) != heads:
            allowed = f"{heads}, as in the head line, between {self.delimiter!r}"
            return Mistake(f"the record has {len(record)} fields", allowed=allowed)
        return None

    def _records(self, mistakes: list[Mistake]) -> Iterator[tuple[int, list[str]]]:
        csv.field_size_limit(LONGEST)
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
                    f"byte {raw[error.start]:#04x} after {raw[: error.start].decode(codec, 'replace')[-20:]!r}",
                    next_step='name the file\'s encoding in its intake block, such as encoding = "latin-1"',
                )
                if number == 1:
                    raise BookMistake(mistake) from None
                mistakes.append(mistake)
                # The line stays in its place, so that the numbers of those after it are right.
                yield raw.decode("latin-1")
