"""Text files whose bytes are turned into UTF-8 lines before anything reads them."""

import codecs
from pathlib import Path

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.settings import IntakeBlock

_CODECS = {
    "utf-16": "utf-16", "latin-2": "iso8859-2", "windows-1250": "cp1250", "cp850": "cp850", "cp852": "cp852",
}  # fmt: skip
"""Encodings that are turned into UTF-8 first; the others are read line by line, so that a wrong byte has its line."""
_CHUNK = 1 << 20


def in_utf8(path: Path, name: str, block: IntakeBlock, work: Path) -> Path:
    """Return the file itself, or a copy in UTF-8 whose lines end in new lines.

    A copy is made of other encodings, and where lines end in carriage returns alone. name: what messages call it.
    Raises BookMistake for bytes that the encoding does not have.
    """
    codec = _CODECS.get(block.encoding)
    if codec is None and not _returns_alone(path):
        return path
    target = work / "in-utf8.txt"
    decoder = codecs.getincrementaldecoder(codec)() if codec else None
    alone = None
    with path.open("rb") as stream, target.open("wb") as copy:
        try:
            while chunk := stream.read(_CHUNK):
                plain = decoder.decode(chunk).encode("utf-8") if decoder else chunk
                alone = b"\r" in plain and b"\n" not in plain if alone is None else alone
                copy.write(plain.replace(b"\r", b"\n") if alone else plain)
            if decoder:
                copy.write(decoder.decode(b"", final=True).encode("utf-8"))
        except (UnicodeError, ValueError) as error:
            step = "name the file's encoding in its intake block"
            raise BookMistake(Mistake(f"not {block.encoding} text", name, str(error)[:80], next_step=step)) from None
    return target


def _returns_alone(path: Path) -> bool:
    """Tell whether lines end in carriage returns alone, as the file's beginning has it."""
    with path.open("rb") as stream:
        chunk = stream.read(_CHUNK)
    return b"\r" in chunk and b"\n" not in chunk
