"""A large export divided into stretches that are read by several at a time.

A CSV is divided where a record ends: at a line end that an even number of quotes stand before. Where quotes do not
divide texts that may be within a text, and then the stretch before it ends in a text that no quote closes. Whatever a
stretch meets out of the ordinary, and whatever is wrong in it, the whole export is read by one as if it had never been
divided, so what is said of it is the same.
"""

from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path
from typing import NamedTuple

from level_almanac.intake.files import ExportFile, Stretch

_CHUNK = 1 << 23
_QUOTE, _NEW_LINE = ord('"'), ord("\n")
_PACKED = (".gz", ".zip")


class RecordEnd(NamedTuple):
    """The first line end of some bytes that ends a record: the place behind it, and how many line ends come to it."""

    place: int
    lines: int


class Counted(NamedTuple):
    """What some bytes hold. lines: line ends; odd: whether the number of quotes is; even_end, odd_end: where the first
    record ends if an even number of quotes stands before these bytes, and if an odd one does.
    """

    lines: int
    odd: bool
    even_end: RecordEnd | None
    odd_end: RecordEnd | None


def is_divisible(file: ExportFile, siblings: Sequence[ExportFile]) -> bool:
    """Tell whether an export can be read in stretches, as far as its block says. siblings: all that take its lines."""
    block = file.block
    if file.path is None or file.path.suffix.lower() in _PACKED or len(siblings) > 1 or block.table == "accounts":
        return False
    if block.only or block.repeated or block.format not in ("csv", "parquet"):
        return False
    return block.format == "parquet" or (block.encoding == "utf-8" and (block.head_row, block.head_rows) == (1, 1))


def ranges_of(size: int, piece: int) -> list[tuple[int, int]]:
    """Return the bytes of a file in ranges of this size or somewhat more."""
    count = max(size // piece, 1)
    places = [size * number // count for number in range(count + 1)]
    return list(pairwise(places))


def counted(path: Path, begin: int, end: int) -> Counted:
    """Return what the bytes of a CSV from one place to another hold."""
    import numpy as np

    lines, odd, place = 0, False, begin
    ends: list[RecordEnd | None] = [None, None]
    with path.open("rb") as stream:
        stream.seek(begin)
        while place < end and (raw := stream.read(min(_CHUNK, end - place))):
            chunk = np.frombuffer(raw, dtype=np.uint8)
            new_lines = np.flatnonzero(chunk == _NEW_LINE)
            within = (np.bitwise_xor.accumulate((chunk == _QUOTE).view(np.uint8)) ^ np.uint8(odd)).view(bool)
            for parity in (number for number, known in enumerate(ends) if known is None):
                outside = np.flatnonzero(within[new_lines] == bool(parity))
                if outside.size:
                    at = int(outside[0])
                    ends[parity] = RecordEnd(place + int(new_lines[at]) + 1, lines + at + 1)
            lines, odd, place = lines + int(new_lines.size), bool(within[-1]), place + len(raw)
    return Counted(lines, odd, *ends)


def stretches_of(ranges: Sequence[tuple[int, int]], found: Sequence[Counted]) -> list[Stretch]:
    """Return the stretches of whole records, one for each range in which one ends. found: what is in each range."""
    begins = [(0, 0)]
    lines, odd = found[0].lines, found[0].odd
    for each in found[1:]:
        end = each.odd_end if odd else each.even_end
        if end is not None and end.place < ranges[-1][1]:
            begins.append((end.place, lines + end.lines))
        lines, odd = lines + each.lines, odd ^ each.odd
    ends = [*(place for place, _ in begins[1:]), ranges[-1][1]]
    return [Stretch(begin, end, ahead) for (begin, ahead), end in zip(begins, ends, strict=True)]


def rows_together(groups: Sequence[int], size: int, piece: int) -> list[Stretch]:
    """Return the stretches of a Parquet file. groups: how many rows each of its groups has; size: of it, in bytes."""
    count = max(min(size // piece, len(groups)), 1)
    borders = [sum(groups[: len(groups) * number // count]) for number in range(count + 1)]
    return [Stretch(begin, end, begin) for begin, end in pairwise(borders) if end > begin]


def cut_out(path: Path, stretch: Stretch, target: Path) -> None:
    """Write a stretch of a CSV as a file of its own, with the head line ahead."""
    with path.open("rb") as stream, target.open("wb") as piece:
        if stretch.begin:
            piece.write(stream.readline())
            stream.seek(stretch.begin)
        left = stretch.end - stretch.begin
        while left and (raw := stream.read(min(_CHUNK, left))):
            piece.write(raw)
            left -= len(raw)
