"""How a report is to look: a style for its numbers and days, and what stands around it on paper (docs/styles.md)."""

from collections.abc import Mapping
from dataclasses import field, replace
from datetime import date, datetime
from pathlib import Path
from types import MappingProxyType
from typing import Any

from level_almanac.errors import BookMistake, Mistake, UsageMistake, listed, nearest
from level_almanac.files.outside import place_of
from level_almanac.files.page_line import PLACES, wrong_place
from level_almanac.files.settings import BookSettings, PageSettings, StyleSettings
from level_almanac.immutable import immutable

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
"""The months as people read them, whatever the machine's language."""
DEFAULT_STYLE = "default"
"""The style of a book that is used where none is asked for."""


@immutable
class Look:
    """A number style and a page set-up. logo: the image's place; prepared: when the report was made; title: of the
    report, in place of its own.
    """

    style: StyleSettings = field(default_factory=StyleSettings)
    page: PageSettings = field(default_factory=PageSettings)
    logo: Path | None = None
    prepared: datetime | None = None
    title: str = ""


def look_of(
    root: Path,
    settings: BookSettings,
    style: str,
    parts: dict[str, Any],
    prepared: datetime,
    around: Mapping[str, Any] = MappingProxyType({}),
) -> Look:
    """Return the look of the book's reports in one of its styles.

    style: its name, or empty for the book's default; parts, around: single settings of numbers, and of the page, that
    were asked for and win. Raises UsageMistake for a style that the book lacks, and for a logo, or a place in a line,
    that there is not; BookMistake for a logo that the book names and lacks.
    """
    if style and style not in settings.styles:
        hint = nearest(style, settings.styles) or "add a section [styles.NAME] to almanac.toml"
        raise UsageMistake(Mistake("no style has this name", "--style", repr(style), listed(settings.styles), hint))
    base = settings.styles.get(style or DEFAULT_STYLE, StyleSettings())
    page = replace(settings.page, **around)
    where, error = ("--logo", UsageMistake) if "logo" in around else ("page.logo", BookMistake)
    logo = place_of(root, page.logo, where) if page.logo else None
    if logo is not None and not page.logo.lower().endswith((".png", ".jpg", ".jpeg")):
        raise error(Mistake("not an image that every format takes", where, repr(page.logo), "a .png or .jpg file"))
    if logo is not None and not logo.is_file():
        raise error(Mistake("there is no such file", where, repr(page.logo)))
    if wrong := wrong_place(page.period_line):
        raise UsageMistake(Mistake("stands for nothing of a report", "--period-line", repr(wrong), listed(PLACES)))
    return Look(replace(base, **parts), page, logo, prepared)


def styled_day(day: date, look: Look) -> str:
    """Return a day in the style's form."""
    match look.style.dates:
        case "YYYY-MM-DD":
            return day.isoformat()
        case "DD.MM.YYYY":
            return f"{day:%d.%m.%Y}"
        case "DD/MM/YYYY":
            return f"{day:%d/%m/%Y}"
        case "MM/DD/YYYY":
            return f"{day:%m/%d/%Y}"
    return f"{day.day} {MONTHS[day.month - 1]} {day.year}"


def month_words(first: date, last: date) -> str:
    """Return the months that days lie in, the first and the last: `May`, or `May–Jun`."""
    names = [MONTHS[day.month - 1] for day in (first, last)]
    return names[0] if names[0] == names[1] else "–".join(names)
