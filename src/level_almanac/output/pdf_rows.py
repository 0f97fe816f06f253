"""A table of many rows on paper: made page by page, since to divide all that is left anew for each page never ends."""

from collections.abc import Callable
from typing import Any

from level_almanac.progress import tell


def long_rows(made: Callable[[int, int], Any], count: int, at_once: int) -> Any:
    """Return what is set as one table of so many rows.

    made: takes the first row and the one after the last, and returns them as a table under its heads; at_once: how many
    rows are looked at for a page, more where a page holds more.
    """
    from reportlab.platypus import Flowable

    class Rows(Flowable):  # type: ignore[misc]  # the library has no types
        """The rows from one on."""

        def __init__(self, start: int) -> None:
            super().__init__()
            self.start, self.hAlign = start, "LEFT"
            self.ahead = at_once

        def wrap(self, wide: float, high: float) -> tuple[float, float]:
            self.table = made(self.start, self.start + self.ahead)
            width, height = self.table.wrap(wide, high)
            while height <= high and self.start + self.ahead < count:
                self.ahead *= 2
                self.table = made(self.start, self.start + self.ahead)
                width, height = self.table.wrap(wide, high)
            return width, height

        def split(self, wide: float, high: float) -> list[Any]:
            tell(f"row {self.start:,} of {count:,}")
            parts = self.table.split(wide, high)
            if len(parts) < 2:
                return list(parts)
            # The heads stand above the rows of each part.
            return [parts[0], Rows(self.start + len(parts[0]._cellvalues) - 1)]

        def draw(self) -> None:
            self.table.drawOn(self.canv, 0, 0)

    return Rows(0)
