"""The records of an export, whatever its format: its heads, and each record as texts with the line it stands on."""

from collections.abc import Mapping
from datetime import date, datetime
from decimal import Context, Decimal
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple, Protocol

from level_almanac.errors import Mistake
from level_almanac.files.patterns import is_plain_day, strptime_pattern
from level_almanac.files.settings import IntakeBlock

TYPED_DAY = "\x01%Y-%m-%d"
"""How a day of a format that has days is written, where the block's patterns are of texts that no day is written by."""
_SPREADSHEET = Context(prec=15)
"""How exactly a spreadsheet program holds a number; what lies beyond is how its binary form came out."""


class Records(Protocol):
    """What every format gives."""

    def head(self) -> list[str]:
        """Return the heads of the columns; raise BookMistake where there are none."""

    def write_numbered(self, target: Path, limit: int) -> "Numbered":
        """Write the records as quoted UTF-8 CSV, each behind its line number, without heads and blank records.

        A record that has a mistake in its shape is not written. limit: how many mistakes are told of.
        """


class Numbered(NamedTuple):
    """What writing the records came to: the first mistakes in the file's shape and how many there are; how many records
    there are in all, blank ones aside, and how many of them were not written because of a mistake. uneven: by line what
    is wrong with records that were written and have too few fields or too many, where some rows may be no lines.
    """

    mistakes: list[Mistake]
    total: int
    records: int
    unwritten: int
    uneven: Mapping[int, Mistake] = MappingProxyType({})


class TextForm:
    """Writes typed values as texts in the way that the block's own texts are written, so that all are read alike."""

    def __init__(self, block: IntakeBlock) -> None:
        codes = [code for pattern in block.date_patterns if (code := strptime_pattern(pattern))]
        # Where no pattern can be written, days are told apart from texts by a sign that no text begins with.
        self.date = codes[0] if codes and is_plain_day(block.date_patterns) else TYPED_DAY
        self.decimal = block.decimal

    def text(self, value: Any) -> str:
        """Return a value as text: blank for nothing, numbers exact, dates by the block's first pattern."""
        if value is None:
            return ""
        if isinstance(value, bool):
            return "true" if value else "false"
        if isinstance(value, float):
            value = Decimal(repr(value)).normalize(_SPREADSHEET)
        if isinstance(value, Decimal | int):
            return f"{Decimal(value):f}".replace(".", self.decimal)
        if isinstance(value, datetime | date):
            return value.strftime(self.date)
        return str(value)


def blank(record: list[str]) -> bool:
    """Tell whether a record holds nothing."""
    return not any(text.strip() for text in record)
