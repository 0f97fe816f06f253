"""A table of many rows on paper: made page by page, since to divide all that is left anew for each page never ends.

Rows that are one line of plain texts each, as most of such a table are, are set as they are, at the places where the
library's tables set them; a page that has others is one of those tables.
"""

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

from reportlab.platypus import Flowable

from level_almanac.output.pdf_style import INK, REGULAR, RULE, colour_of, known_width
from level_almanac.progress import tell

_ABOVE, _BELOW, _LEADING = 1.1, 1.6, 1.2
"""What stands above and below a text in points, and how high a line is in sizes of its type."""


class PlainRow(NamedTuple):
    """A row of plain texts. indent: of its label; pale: the numbers of cells that are shown so."""

    texts: list[str]
    indent: float
    pale: set[int]


class LongRows(NamedTuple):
    """The rows of a long table. made: takes the first row and the one after the last, and returns them as a table under
    its heads; plain: each row, or None for one that is not plain; places: where its texts are set, from the left, and
    whether they end there; front: how many of them stand before the cells; size: of the type.
    """

    made: Callable[[int, int], Any]
    plain: Sequence[PlainRow | None]
    places: Sequence[tuple[float, bool]]
    front: int
    size: float

    @property
    def high(self) -> float:
        """How high a plain row is."""
        return self.size * _LEADING + _ABOVE + _BELOW


def long_rows(rows: LongRows) -> Any:
    """Return what is set as one table of these rows."""
    return _Rows(rows, rows.made(0, 0), 0)


class _Page(Flowable):  # type: ignore[misc]  # the library has no types
    """The heads, and plain rows under them."""

    def __init__(self, rows: LongRows, heads: Any, plain: Sequence[PlainRow]) -> None:
        super().__init__()
        self.rows, self.heads, self.plain, self.hAlign = rows, heads, plain, "LEFT"

    def wrap(self, wide: float, high: float) -> tuple[float, float]:
        width, height = self.heads.wrap(wide, high)
        return width, height + len(self.plain) * self.rows.high

    def draw(self) -> None:
        top = len(self.plain) * self.rows.high
        self.heads.drawOn(self.canv, 0, top)
        _set_rows(self.canv, self.rows, self.plain, top)


class _Rows(Flowable):  # type: ignore[misc]  # as above
    """The rows from one on."""

    def __init__(self, rows: LongRows, heads: Any, start: int) -> None:
        super().__init__()
        self.rows, self.heads, self.start, self.hAlign = rows, heads, start, "LEFT"
        self.page: Any = None
        self.table: Any = None

    def wrap(self, wide: float, high: float) -> tuple[float, float]:
        rows, count, end = self.rows, len(self.rows.plain), self.start
        width, used = self.heads.wrap(wide, high)
        while end < count and used + rows.high <= high:
            used, end = used + rows.high, end + 1
        self.page = self.table = None
        plain = [row for row in rows.plain[self.start : end] if row is not None]
        if end == self.start:
            # No row is less high than a plain one.
            return width, high + 1
        if end < count and len(plain) == end - self.start:
            self.page = _Page(rows, self.heads, plain)
            return width, high + 1
        end = min(count, end + 1)
        self.table = rows.made(self.start, end)
        width, height = self.table.wrap(wide, high)
        return width, height if end == count else max(height, high + 1)

    def split(self, wide: float, high: float) -> list[Any]:
        tell(f"row {self.start:,} of {len(self.rows.plain):,}")
        if self.page is not None:
            return [self.page, self._from(self.start + len(self.page.plain))]
        parts = self.table.split(wide, high) if self.table is not None else []
        if len(parts) < 2:
            return list(parts)
        # The heads stand above the rows of each part.
        return [parts[0], self._from(self.start + len(parts[0]._cellvalues) - 1)]

    def _from(self, start: int) -> "_Rows":
        return _Rows(self.rows, self.heads, start)

    def draw(self) -> None:
        self.table.drawOn(self.canv, 0, 0)


def _set_rows(canvas: Any, rows: LongRows, plain: Sequence[PlainRow], top: float) -> None:
    """Set rows one under another, the first one's upper edge being `top` above where the canvas is."""
    words, ink, rule = canvas.beginText(), colour_of(INK), colour_of(RULE)
    words.setFont(REGULAR, rows.size)
    words.setFillColor(ink)
    for number, row in enumerate(plain, 1):
        # Set as the library sets a text in the middle of a cell.
        base = top - number * rows.high
        y = base + (_BELOW + rows.high - _ABOVE + rows.size * _LEADING) / 2 - rows.size
        for at, (text, (place, to_the_right)) in enumerate(zip(row.texts, rows.places, strict=True), -rows.front):
            if not text:
                continue
            x = place - known_width(text) * rows.size if to_the_right else place
            words.setTextOrigin(x + (row.indent if at == -1 else 0), y)
            if at in row.pale:
                words.setFillColor(rule)
                words.textOut(text)
                words.setFillColor(ink)
            else:
                words.textOut(text)
    canvas.drawText(words)
