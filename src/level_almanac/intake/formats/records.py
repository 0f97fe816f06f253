"""The records of an export, whatever its format: its heads, and each record as texts with the line it stands on."""

from datetime import date, datetime
from decimal import Context, Decimal
from pathlib import Path
from typing import Any, NamedTuple, Protocol

from level_almanac.errors import Mistake
from level_almanac.files.patterns import strptime_pattern
from level_almanac.files.settings import IntakeBlock

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
    there are in all, blank ones aside, and how many of them were not written because of a mistake.
    """

    mistakes: list[Mistake]
    total: int
    records: int
    unwritten: int


class TextForm:
    """Writes typed values as texts in the way that the block's own texts are written, so that all are read alike."""

    def __init__(self, block: IntakeBlock) -> None:
        self.date = next(code for pattern in block.date_patterns if (code := strptime_pattern(pattern)))
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
