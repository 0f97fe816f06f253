"""Where a ledger line stands in the calendar, as the store holds it."""

from collections.abc import Mapping
from datetime import date
from typing import NamedTuple


class FiscalPosition(NamedTuple):
    """Where a line stands: its fiscal position (year × 100 + period number) and the day it counts on.

    carried_fiscal, carried_day: the first period of the year that a carried line of this date opens, and its first
    day; None where the date is neither the last nor the first day of a fiscal year.
    """

    fiscal: int
    counted: date
    carried_fiscal: int | None
    carried_day: date | None


Placements = Mapping[tuple[date | None, str | None, str | None], FiscalPosition]
"""The place of each different posting date, period text and entity that an export holds; no entity where all of the
book's keep one calendar."""
