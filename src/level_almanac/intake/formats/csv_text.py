"""Read a CSV export exactly: its head, each record with the line it starts on, and what is wrong with its shape.

The store's fast reader takes the plain files. Whatever it meets out of the ordinary is read here instead, record by
record, so that a line number is right even after a line end within quotes.
"""

import codecs
import csv
import hashlib
from collections.abc import Iterator
from dataclasses import replace
from itertools import chain
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple, Self

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.settings import IntakeBlock
from level_almanac.immutable import immutable
from level_almanac.intake.formats.heads import SEPARATOR_TOLD, heads_over, numbered_heads
from level_almanac.intake.formats.records import Numbered
from level_almanac.store.exports import CsvBytes, Folds

_CODECS = {"utf-8": "utf-8-sig", "latin-1": "latin-1", "windows-1252": "cp1252"}
_CHUNK = 1 << 20
_QUOTE, _NEW_LINE, _RETURN, _SPACE, _BEYOND = ord('"'), ord("\n"), ord("\r"), ord(" "), 0x80
_FOLDED = (_NEW_LINE, _RETURN)
_FOLDED_AT_ONCE = _CHUNK << 3
LONGEST = 2_000_000
"""How many letters a record may have: what reads the work file has room for so many, whatever they are."""


def fingerprint(path: Path) -> str:
    """Return the SHA-256 of a file."""
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def _tells_delimiter(record: list[str], delimiter: str) -> bool:
    """Tell whether a record is the line `sep=;` that some programs put first, for others to know the delimiter by."""
    text = delimiter.join(record).strip()
    return text.lower().startswith(SEPARATOR_TOLD) and len(text) <= len(SEPARATOR_TOLD) + 1


def measured(path: Path, delimiter: str, *, quotes_within: bool) -> CsvBytes | None:
    """Return what the bytes of a CSV come to; None where readers do not agree on some, as a bare carriage return.

    quotes_within: whether quotes may stand within texts, or around nothing.
    """
    import numpy as np

    size, ends, last = 0, 0, b""
    counted = dict.fromkeys((_NEW_LINE, _RETURN, _QUOTE), 0)
    divides = delimiter.encode()
    divided = 0
    # A delimiter of several bytes, or one that is a space, leaves open what stands beside it.
    spaced = len(divides) != 1 or delimiter == " "
    beside = np.zeros(256, dtype=bool)
    beside[[divides[0], _QUOTE, _NEW_LINE, _RETURN]] = True
    with path.open("rb") as stream:
        marked = stream.read(len(codecs.BOM_UTF8)) == codecs.BOM_UTF8
        stream.seek(0)
        while chunk := stream.read(_CHUNK):
            size += len(chunk)
            if b"\0" in chunk:
                return None
            octets = np.frombuffer(chunk, dtype=np.uint8)
            for sign in counted:
                counted[sign] += int(np.count_nonzero(octets == sign)) if sign in chunk else 0
            divided += int(np.count_nonzero(octets == divides[0])) if len(divides) == 1 else chunk.count(divides)
            if not spaced:
                # With what stands before it, which is a line end before the first and after the last.
                begun = octets[len(codecs.BOM_UTF8) :] if marked and size == len(chunk) else octets
                joined = np.concatenate((np.frombuffer(last or b"\n", dtype=np.uint8), begun))
                spaced = _is_spaced(joined, beside, only_ascii=chunk.isascii() and last.isascii())
            ends += (chunk.count(b"\r\n") if counted[_RETURN] else 0) + (last == b"\r" and chunk[:1] == b"\n")
            last = chunk[-1:]
    spaced = spaced or last == b" " or last >= bytes([_BEYOND])
    returns, new_lines = counted[_RETURN], counted[_NEW_LINE]
    if returns not in (0, new_lines) or returns != ends:
        return None
    bare = size - returns - new_lines - (len(codecs.BOM_UTF8) if marked else 0)
    lines, quotes = new_lines + (last != b"\n"), counted[_QUOTE]
    return CsvBytes(bare, lines, quotes, quotes > 0 and quotes_within, divided, spaced)


def _is_spaced(octets: Any, beside: Any, *, only_ascii: bool) -> bool:
    """Tell whether a space, or a byte that may be of one beyond ASCII, stands where a text begins or ends. beside: of
    each byte whether a text begins behind it or ends before it.
    """
    import numpy as np

    at = np.flatnonzero(octets == _SPACE if only_ascii else (octets == _SPACE) | (octets >= _BEYOND))
    begins, ends = beside[octets[at[at > 0] - 1]], beside[octets[at[at < octets.size - 1] + 1]]
    return bool(begins.any() or ends.any())


class Quoted(NamedTuple):
    """Where in a file the line ends are that stand within quotes: its new lines, and its carriage returns. within:
    whether quotes may stand within texts, or around nothing; else they divide texts and do nothing else.
    """

    new_lines: Any
    returns: Any
    within: bool


def folded(path: Path, delimiter: str, heads: int, target: Path, quoted: Quoted) -> tuple[Folds, int] | None:
    """Copy a CSV with each record on one line: another sign stands for a line end within quotes, and behind the record
    follows a row of none for each, so that what comes later stands on its own line still.

    Returns the signs, which are some that the file does not have, and how many rows of none there are; or None, with
    nothing of worth written, where no quotes hold a line end.
    """
    signs = _free_signs(path) if quoted.new_lines.size else []
    if len(signs) < len(Folds._fields):
        return None
    folds = Folds(*signs[:3])
    of_none = chr(folds.no_record).encode() + delimiter.encode() * (heads - 1)
    place = owed = 0
    with path.open("rb") as stream, target.open("wb") as copy:
        while raw := bytearray(stream.read(_FOLDED_AT_ONCE)):
            until = place + len(raw)
            within, returns = (each[slice(*each.searchsorted((place, until)))] - place for each in quoted[:2])
            for at in returns.tolist():
                raw[at] = folds.carriage
            written = since = 0
            for at in [*within.tolist(), len(raw)]:
                # Rows that are owed follow the line end that stands before the next that is folded.
                if owed and (end := raw.find(b"\n", since, at)) >= 0:
                    copy.write(raw[written : end + 1])
                    copy.write((of_none + (b"\r\n" if raw[max(end - 1, 0) : end] == b"\r" else b"\n")) * owed)
                    written, owed = end + 1, 0
                if at < len(raw):
                    raw[at], owed, since = folds.new_line, owed + 1, at + 1
            copy.write(raw[written:])
            place = until
    # Behind a last record that no line end follows stand none.
    return folds, int(quoted.new_lines.size) - owed


def quoted(path: Path, delimiter: str) -> Quoted:
    """Return which line ends of a file stand within quotes; none of them where quotes are not what divides texts."""
    import numpy as np

    none = np.zeros(0, dtype=np.int64)
    unclear = Quoted(none, none, within=True)
    if not delimiter.isascii():
        return unclear
    opens_after = np.zeros(256, dtype=bool)
    opens_after[[ord(delimiter), _NEW_LINE, _QUOTE]] = True
    found: list[list[Any]] = [[], []]
    place, before, odd, doubled = 0, b"\n", 0, False
    with path.open("rb") as stream:
        # What a byte order mark stands before is the beginning of a field.
        marked = len(codecs.BOM_UTF8) if stream.read(len(codecs.BOM_UTF8)) == codecs.BOM_UTF8 else 0
        stream.seek(0)
        while raw := stream.read(_CHUNK):
            if odd or b'"' in raw:
                chunk = np.frombuffer(raw, dtype=np.uint8)
                quotes = np.flatnonzero(chunk == _QUOTE)
                # Each second one opens, where a field begins or right behind one that closed: both are one sign then.
                ahead = np.where(quotes > 0, chunk[quotes - 1], before[0])
                if not (opens_after[ahead[odd::2]] | (quotes[odd::2] + place == marked)).all():
                    return unclear
                doubled = doubled or bool((ahead == _QUOTE).any())
                after = (odd + quotes.size) % 2
                for places, end in zip(found, _FOLDED, strict=True):
                    at = np.flatnonzero(chunk == end) if end in raw else none
                    # How many line ends stand before each quote, from one that opens to the one that closes.
                    spans = np.concatenate(([0] * odd, at.searchsorted(quotes), [at.size] * after)).reshape(-1, 2)
                    spans = spans[spans[:, 0] < spans[:, 1]].astype(int)
                    places += [at[start:stop] + place for start, stop in spans]
                odd = after
            place, before = place + len(raw), raw[-1:]
    ends = [np.concatenate(places or [none]) for places in found]
    return unclear if odd else Quoted(ends[0], ends[1], doubled)


def _free_signs(path: Path) -> list[int]:
    """Return signs that a file has none of, and that no reader takes for a line end or a blank."""
    free = [sign for sign in range(1, 32) if sign not in b"\t\n\r\v\f\x1c\x1d\x1e\x1f"]
    with path.open("rb") as stream:
        while raw := stream.read(_FOLDED_AT_ONCE):
            free = [sign for sign in free if sign not in raw]
    return free


@immutable
class CsvText:
    """One CSV export: its file, the name that messages call it by, its encoding and delimiter.

    head_row, head_rows: on which line the heads stand, 0 for none, and over how many records; uneven: whether a record
    may lack its last blanks or have more of them; forgiving: whether one that has too few fields, or too many, is
    written all the same, since the block may pass it over; escaped: whether a quote within quotes has a backslash
    before it rather than standing twice.
    """

    path: Path
    name: str
    encoding: str
    delimiter: str
    head_row: int = 1
    head_rows: int = 1
    uneven: bool = False
    forgiving: bool = False
    escaped: bool = False

    @classmethod
    def of(cls, path: Path, name: str, block: IntakeBlock) -> Self:
        """Return the export of a block. path: its text in UTF-8, or in an encoding that is read line by line."""
        encoding = block.encoding if block.encoding in _CODECS else "utf-8"
        return cls(
            path, name, encoding, block.delimiter, block.head_row, block.head_rows, block.uneven_rows,
            bool(block.passed_over or block.totals), block.quotes == "backslash",
        )  # fmt: skip

    @property
    def is_plain(self) -> bool:
        """Whether it has one head line, which is its first, and nothing about it is out of the ordinary."""
        usual = (self.head_row, self.head_rows) == (1, 1) and not self.escaped
        return self.encoding == "utf-8" and usual

    def head(self) -> list[str]:
        """Return the heads of the columns; raise BookMistake where there is no head line or it cannot be decoded."""
        return self._begun([])[0]

    def first(self) -> list[str]:
        """Return the first record as it stands; raises as `head` does."""
        return self._begun([])[1][0][1]

    def _begun(self, mistakes: list[Mistake]) -> tuple[list[str], list[tuple[int, list[str]]], Iterator[Any]]:
        """Return the heads, the records that they stand in, or the first one where there are none, and the records from
        there on.
        """
        records = iter(self._records(mistakes))
        rows: list[tuple[int, list[str]]] = []
        for line, record in records:
            told = line == 1 and self.head_row == 1 and _tells_delimiter(record, self.delimiter)
            if line < self.head_row or told or (not record and not rows):
                continue
            rows.append((line, record))
            if not self.head_row:
                return numbered_heads(len(record)), rows, records
            if len(rows) == self.head_rows:
                return heads_over([record for _, record in rows]), rows, records
        if mistakes:
            raise BookMistake(*mistakes)
        if self.head_row > 1:
            what, step = f"the file has no line {self.head_row}", "say the heads' line as head_row"
            raise BookMistake(Mistake(what, self.name, next_step=step))
        raise BookMistake(Mistake("the file is empty", f"{self.name}:1", allowed="a head line and records"))

    def write_numbered(self, target: Path, limit: int) -> Numbered:
        """Write the records behind the numbers of their lines, as `Records` says."""
        mistakes: list[Mistake] = []
        uneven: dict[int, Mistake] = {}
        records = unwritten = 0
        heads, begun, following = self._begun(mistakes)
        told, width = len(mistakes), len(heads)
        with target.open("w", encoding="utf-8", newline="") as stream:
            writer = csv.writer(stream, quoting=csv.QUOTE_ALL, lineterminator="\n")
            for line, record in chain(() if self.head_row else begun, following):
                if not record:
                    continue
                if (what := self._wrong(record, width)) and self.forgiving and len(record) != width:
                    uneven[line] = replace(what, where=f"{self.name}:{line}")
                elif what:
                    mistakes.append(replace(what, where=f"{self.name}:{line}"))
                records += 1
                if len(mistakes) > told:
                    # Whatever was met since the record before is of this one.
                    unwritten, told = unwritten + 1, len(mistakes)
                else:
                    writer.writerow([line, *record[:width], *[""] * (width - len(record))])
        # A quote that is never closed leaves one record that is none.
        lost = len(mistakes) > told
        return Numbered(mistakes[:limit], len(mistakes), records + lost, unwritten + lost, uneven)

    def _wrong(self, record: list[str], heads: int) -> Mistake | None:
        if (letters := sum(map(len, record))) > LONGEST:
            return Mistake(f"the record has {letters:,} letters", allowed=f"{LONGEST:,} at the most")
        if len(record) != heads and not (self.uneven and not any(text.strip() for text in record[heads:])):
            allowed = f"{heads}, as in the head line, between {self.delimiter!r}"
            step = ""
            if len(record) < heads or not any(text.strip() for text in record[heads:]):
                step = "uneven_rows = true takes the rest for blank"
            return Mistake(f"the record has {len(record)} fields", allowed=allowed, next_step=step)
        return None

    def _records(self, mistakes: list[Mistake]) -> Iterator[tuple[int, list[str]]]:
        csv.field_size_limit(LONGEST)
        with self.path.open("rb") as stream:
            lines = self.lines(stream, mistakes)
            how: dict[str, Any] = {"doublequote": False, "escapechar": "\\"} if self.escaped else {}
            reader = csv.reader(lines, delimiter=self.delimiter, strict=True, **how)
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

    def lines(self, stream: BinaryIO, mistakes: list[Mistake]) -> Iterator[str]:
        """Yield the lines of the file as texts, and add a mistake for each that its encoding does not fit."""
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
