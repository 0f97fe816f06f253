"""Days and ranges of days as people read them. Month names do not depend on the machine's language."""

from datetime import date, datetime

from level_almanac.core.table.style import MONTHS


def day_words(day: date) -> str:
    """Return a day as `17 Jun 2026`."""
    return f"{day.day} {MONTHS[day.month - 1]} {day.year}"


def range_words(first: date, last: date) -> str:
    """Return a range as `1–17 Jun 2026`, `1 Jun–31 Aug 2026` or `1 Oct 2025–17 Jun 2026`."""
    if first == last:
        return day_words(first)
    if first.year != last.year:
        return f"{day_words(first)}–{day_words(last)}"
    if first.month != last.month:
        return f"{first.day} {MONTHS[first.month - 1]}–{day_words(last)}"
    return f"{first.day}–{day_words(last)}"


def moment_words(moment: datetime) -> str:
    """Return `17 Jun 2026 07:40`, by the clock that the moment is told in."""
    return f"{day_words(moment.date())} {moment:%H:%M}"
