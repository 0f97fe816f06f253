"""How a report's numbers are asked to look, in place of what the book's style says."""

from dataclasses import dataclass, fields
from datetime import datetime
from pathlib import Path
from typing import Literal

from level_almanac.core.requests.options import Request, option
from level_almanac.core.table.style import Look, look_of
from level_almanac.files.settings import BookSettings


@dataclass(frozen=True, slots=True, kw_only=True)
class LookRequest(Request):
    """A style of the book by name, and settings that win over it; what is None is as the style says."""

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

    def look(self, root: Path, settings: BookSettings, prepared: datetime) -> Look:
        """Return the look of a book's reports; raises as `look_of` does."""
        told = {each.name: getattr(self, each.name) for each in fields(self) if each.name != "style"}
        parts = {name: value for name, value in told.items() if value is not None}
        return look_of(root, settings, self.style, parts, prepared)
