"""How a report is to look: a style for its numbers and days, and what stands around it on paper (docs/styles.md)."""

from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import Path
from typing import Any

from level_almanac.errors import BookMistake, Mistake, UsageMistake, listed, nearest
from level_almanac.files.outside import place_of
from level_almanac.files.settings import BookSettings, PageSettings, StyleSettings

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
"""The months as people read them, whatever the machine's language."""
DEFAULT_STYLE = "default"
"""The style of a book that is used where none is asked for."""


@dataclass(frozen=True, slots=True)
class Look:
    """A number style and a page set-up. logo: the image's place; prepared: when the report was made."""

    style: StyleSettings = field(default_factory=StyleSettings)
    page: PageSettings = field(default_factory=PageSettings)
    logo: Path | None = None
    prepared: datetime | None = None


def look_of(root: Path, settings: BookSettings, style: str, parts: dict[str, Any], prepared: datetime) -> Look:
    """Return the look of the book's reports in one of its styles.

    style: its name, or empty for the book's default; parts: single settings that were asked for, which win. Raises
    UsageMistake for a style that the book lacks, BookMistake for a logo that is not there.
    """
    if style and style not in settings.styles:
        hint = nearest(style, settings.styles) or "add a section [styles.NAME] to almanac.toml"
        raise UsageMistake(Mistake("no style has this name", "--style", repr(style), listed(settings.styles), hint))
    base = settings.styles.get(style or DEFAULT_STYLE, StyleSettings())
    logo = place_of(root, settings.page.logo, "page.logo") if settings.page.logo else None
    if logo is not None and not logo.is_file():
        raise BookMistake(Mistake("there is no such file", "page.logo", repr(settings.page.logo)))
    return Look(replace(base, **parts), settings.page, logo, prepared)
