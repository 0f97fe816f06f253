"""A plain CSV read by the store's fast reader, where what that reads is certain to be what the exact one would."""

from pathlib import Path
from typing import NamedTuple

from level_almanac.intake.formats.csv_text import CsvText, folded, measured, quoted
from level_almanac.intake.formats.heads import SEPARATOR_TOLD
from level_almanac.store.engine import WritingEngine
from level_almanac.store.exports import COUNTED_ROWS, copy_plain_csv, folded_rows


class FastRead(NamedTuple):
    """rows: the FROM clause of the work file's rows with their lines; records: how many there are."""

    rows: str
    records: int


def copied_fast(engine: WritingEngine, text: CsvText, work: Path, target: Path) -> FastRead | None:
    """Copy the records of a UTF-8 CSV as texts into `target`; None where only the exact reader can tell what they are.

    Raises BookMistake for a file without a head line.
    """
    if not text.is_plain:
        return None
    heads = text.first()
    if any(head.lower().startswith(SEPARATOR_TOLD) for head in heads[:1]):
        return None
    # A blank line of one column may be a record or none, and a head of several lines moves all that follow.
    if len(heads) < 2 or any("\n" in head for head in heads):
        return None
    # A line end within quotes ends a record for a reader that looks at lines alone.
    copy = work / "folded.csv"
    quotes = quoted(text.path, text.delimiter)
    fold = folded(text.path, text.delimiter, len(heads), copy, quotes)
    source = copy if fold else text.path
    there = measured(source, text.delimiter, quotes_within=quotes.within)
    if there is None or not copy_plain_csv(engine, source, text.delimiter, heads, target, there):
        return None
    if fold is None:
        return FastRead(COUNTED_ROWS, there.lines - 1)
    signs, added = fold
    return FastRead(folded_rows(engine, target, len(heads), signs), there.lines - 1 - added)
