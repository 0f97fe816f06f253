"""Check a calendar's section of `almanac.toml`: its kind, and what that kind needs."""

import re
from collections.abc import Iterator
from datetime import date

from level_almanac.errors import Mistake
from level_almanac.files.settings import CalendarSettings
from level_almanac.files.year_ends import WEEKDAYS, YEAR_ENDS

_CALENDAR_KEYS = {
    "year_start": "the month and day a year starts on, such as year_start = '10-01'",
    "year_ends": "the day a year ends on, such as year_ends = 'last saturday of september'",
    "file": "the file of periods, such as file = 'periods.csv'",
}


def calendar_mistakes(where: str, calendar: CalendarSettings) -> Iterator[Mistake]:
    """Yield the mistakes in one calendar. where: its section."""
    needed = {"months": "year_start", "file": "file"}.get(calendar.periods, "year_ends")
    for name in ("year_start", "year_ends", "file"):
        given = getattr(calendar, name)
        if name == needed and not given:
            what = f"periods = {calendar.periods!r} needs this key"
            yield Mistake(what, f"{where}.{name}", next_step=_CALENDAR_KEYS[name])
        elif name != needed and given:
            what = f"this key does not go with periods = {calendar.periods!r}"
            yield Mistake(what, f"{where}.{name}", repr(given), needed)
    if calendar.periods == "months" and calendar.year_start:
        yield from _year_start_mistakes(where, calendar)
    yield from _week_mistakes(where, calendar)
    if not 0 <= calendar.extra_periods <= 4:
        yield Mistake("out of range", f"{where}.extra_periods", str(calendar.extra_periods), "0 to 4")
    for day in calendar.holidays:
        if not _is_day(day.partition(" ")[0]):
            allowed = "days as 'YYYY-MM-DD', each with its name or without"
            yield Mistake("not a day", f"{where}.holidays", repr(day), allowed)


def _week_mistakes(where: str, calendar: CalendarSettings) -> Iterator[Mistake]:
    if not calendar.year_ends:
        return
    match = YEAR_ENDS.fullmatch(calendar.year_ends)
    if match is None:
        allowed = "'last saturday of january' or 'saturday nearest the end of january'"
        yield Mistake("not a day a year of weeks can end on", f"{where}.year_ends", repr(calendar.year_ends), allowed)
        return
    after = WEEKDAYS[(WEEKDAYS.index((match["last"] or match["nearest"]).lower()) + 1) % 7]
    if calendar.week_starts not in ("", after):
        got = repr(calendar.week_starts)
        yield Mistake("the weeks of this year start on another day", f"{where}.week_starts", got, repr(after))


def _is_day(text: str) -> bool:
    try:
        return len(text) == 10 and date.fromisoformat(text) is not None
    except ValueError:
        return False


def _year_start_mistakes(where: str, calendar: CalendarSettings) -> Iterator[Mistake]:
    allowed = "month and day as 'MM-DD', the day from 01 to 28"
    try:
        month, day = (int(part) for part in calendar.year_start.split("-"))
        right = re.fullmatch(r"\d\d-\d\d", calendar.year_start) and date(2001, month, day).day <= 28
    except ValueError:
        right = False
    if not right:
        yield Mistake("not a day a year can start on", f"{where}.year_start", repr(calendar.year_start), allowed)
