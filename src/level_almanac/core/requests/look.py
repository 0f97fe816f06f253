"""How a report's numbers are asked to look, in place of what the book's style says."""

from dataclasses import fields, replace
from datetime import datetime
from pathlib import Path
from typing import Literal

from level_almanac.core.requests.options import Request, option
from level_almanac.core.table.style import Look, look_of
from level_almanac.files.page_line import LEAST_SIZE, MOST_SIZE
from level_almanac.files.settings import BookSettings, Orientation, PageSettings
from level_almanac.immutable import immutable


@immutable(kw_only=True)
class LookRequest(Request):
    """A style of the book by name, and settings that win over it and over what the book says of the page; what is None
    is as these say. title: of the report; period_line: a line beneath it.
    """

    style: str = option("style", "Show numbers in this style of the book.", metavar="NAME", offers="style")
    negatives: Literal["minus", "parens", "red"] | None = option(
        "negatives", "How negatives look.", "choice", choices=("minus", "parens", "red")
    )
    units: Literal[1, 1000, 1000000] | None = option(
        "units", "Show amounts in these units.", "choice", choices=(1, 1000, 1000000)
    )
    decimals: int | None = option("decimals", "Show so many decimals.", "count", metavar="N", least=0, most=4)
    zeros: Literal["zero", "dash", "blank"] | None = option(
        "zeros", "How a zero looks.", "choice", choices=("zero", "dash", "blank")
    )

    title: str | None = option("title", "The report's title.", default=None, metavar="TEXT")
    period_line: str | None = option(
        "period-line", "A line beneath the title; {entity}, {days} and {as-of} are the report's.", metavar="TEXT"
    )
    header: str | None = option("header", "At the top of each printed page.", metavar="TEXT")
    footer: str | None = option("footer", "At the foot of each printed page.", metavar="TEXT")
    logo: str | None = option("logo", "An image of the book's folder.", metavar="FILE")
    orientation: Orientation | None = option(
        "orientation", "How printed pages are turned.", "choice", choices=("auto", "portrait", "landscape")
    )
    font_size: int | None = option(
        "font-size", "Points of printed figures, where all fit.", "count", metavar="N", least=LEAST_SIZE, most=MOST_SIZE
    )

    def look(self, root: Path, settings: BookSettings, prepared: datetime) -> Look:
        """Return the look of a book's reports; raises as `look_of` does."""
        told = {each.name: getattr(self, each.name) for each in fields(self) if each.name not in ("style", "title")}
        given = {name: value for name, value in told.items() if value not in (None, "")}
        around = {each.name for each in fields(PageSettings)}
        parts = {name: value for name, value in given.items() if name not in around}
        page = {name: value for name, value in given.items() if name in around}
        return replace(look_of(root, settings, self.style, parts, prepared, page), title=self.title or "")
