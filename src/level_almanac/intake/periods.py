"""The periods and years that exports tell: by number, by a month's name, or by the name of a file or sheet."""

import re
from datetime import date
from pathlib import PurePosixPath
from typing import Protocol

from level_almanac.errors import BookMistake, Mistake, listed
from level_almanac.files.patterns import month_of, period_pattern
from level_almanac.files.settings import IntakeBlock
from level_almanac.store.place import FiscalPosition

_YEAR = re.compile(r"(?:FY)?(\d{4})", re.IGNORECASE)
_YEAR_IN_NAME = re.compile(r"(?<!\d)((?:19|20|21)\d\d)(?=(?:\d{2}|\d{4})?(?!\d))")


class PlacesDays(Protocol):
    """What the intake asks of a calendar."""

    def place(self, posted: date, year: int | None, number: int | None) -> FiscalPosition | None:
        """Return where a line stands by its date, and its period's year and number where the export tells them.

        None where the calendar has no such period.
        """

    def plan_place(self, year: int | None, number: int | None) -> FiscalPosition | None:
        """Return where a plan for a period stands, or for a whole year where there is no number; None as above."""

    def month_place(self, year: int, month: int, *, fiscal: bool) -> tuple[int, int] | None:
        """Return the fiscal year and the number of the period that is a month, or None where months are no periods.

        fiscal: whether the year is a fiscal one, rather than the calendar's.
        """

    def last_day(self, year: int, number: int) -> date | None:
        """Return the last day of a period, or None where the calendar has no such period."""


def year_told(block: IntakeBlock, name: str, sheet: str) -> int | None:
    """Return the year that stands for those that days and periods do not tell, if the block says where it is.

    name: the file's; sheet: the sheet's. Raises BookMistake where the name that is to tell it does not.
    """
    if not block.year:
        return None
    if str(block.year).isdigit():
        return int(block.year)
    text = sheet if block.year == "sheet name" else PurePosixPath(name).name
    years = sorted({int(found) for found in _YEAR_IN_NAME.findall(text)})
    if len(years) != 1:
        got = f"{text!r} has {listed(map(str, years))}" if years else repr(text)
        raise BookMistake(Mistake(f"the {block.year} tells no one year", name, got, "year = 2026, or a name with one"))
    return years[0]


def told_period(
    text: str | None, pattern: str, calendar: PlacesDays, year: int | None, *, plan: bool
) -> tuple[int | None, int | None] | None:
    """Return the year and number that a period's text tells, or None where it tells none. A plan can be for a year.

    year: the one of texts that tell none, where the block says it.
    """
    if text is None:
        return None
    if plan and (whole := _YEAR.fullmatch(text)):
        return int(whole[1]), None
    expression = period_pattern(pattern)
    match = expression.fullmatch(text) if expression else None
    if match is None:
        return None
    told = match.groupdict()
    own = int(told["year"]) if told.get("year") else year
    if told.get("number"):
        return own, int(told["number"])
    month = int(told["month"]) if told.get("month") else month_of(told["word"])
    if month is None or own is None:
        return None
    return calendar.month_place(own, month, fiscal=not told.get("year"))
