"""The charts' own style: shades, strokes and words tell things apart, so that they can be read in grey.

Figures are exact until they are placed; a binary float only says where on the paper something is drawn.
"""

import io
import textwrap
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from datetime import date
from decimal import Decimal
from typing import Any

from level_almanac.core.table.exact import rounded
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.style import MONTHS
from level_almanac.output.terminal import page_lines
from level_almanac.output.text import grouped, with_texts

COLOURS = ("#1f5f7a", "#d98a29", "#6b7f3a", "#8a4f7d", "#4d4d4d", "#b0563c")
"""Told apart by people who see colours otherwise, and in grey by how dark they are."""
INK, QUIET, GRID, PALE = "#1d2733", "#5d6875", "#dde2e7", "#c4ccd4"
NOW, BEFORE, AHEAD = "#1f5f7a", "#b9c3cc", "#b0563c"
"""This span, the one it is compared with, and what is not there yet."""
MINUS = "−"
_SCALES = ((Decimal(1_000_000), "million"), (Decimal(1_000), "thousand"))
_WIDTH, _HEIGHT = 12.8, 8.0
_UNDRAWN = 130
"""How many letters there are for what is not drawn."""
_LONGEST_NAME, _LONGEST_TITLE, _LONGEST_FACT = 60, 100, 400
"""How many letters of each there is room for."""


STYLE: Any = {
    "font.family": "DejaVu Sans", "font.size": 10, "svg.hashsalt": "almanac", "axes.unicode_minus": True,
    "hatch.linewidth": 0.6, "text.parse_math": False,
}  # fmt: skip
"""A dollar sign in a name is one, and begins no formula."""


@contextmanager
def figure_of(table: ReportTable, *, bare: bool, height: float = _HEIGHT) -> Iterator[tuple[Any, float]]:
    """Yield a figure with the report's title and facts, and how high on it there is room for what is drawn.

    bare: without title and facts, for a page that has them already; height: in inches.
    """
    import matplotlib as mpl

    mpl.use("agg")
    from matplotlib import pyplot

    with mpl.rc_context(STYLE):
        figure = pyplot.figure(figsize=(_WIDTH, height), dpi=100)
        room = 0.985
        if not bare:
            lines = [line for words in page_lines(table) for line in textwrap.wrap(words, 150)]
            inch = 1 / height
            figure.text(0.03, 1 - 0.28 * inch, table.title, fontsize=16, fontweight="bold", color=INK, va="top")
            figure.text(0.03, 1 - 0.62 * inch, "\n".join(lines), fontsize=8.5, color=QUIET, va="top", linespacing=1.35)
            room = 1 - (0.74 + 0.17 * len(lines)) * inch
        try:
            yield figure, room
        finally:
            pyplot.close(figure)


def fitted(table: ReportTable) -> ReportTable:
    """Return the report with each text cut to the room that a chart has for it; the table itself has them whole."""
    names = with_texts(table, lambda text: cut(text, _LONGEST_NAME))
    return names._replace(
        title=cut(table.title, _LONGEST_TITLE),
        facts=table.facts,
        subtitle=tuple(cut(line, _LONGEST_FACT) for line in table.subtitle),
    )


def cut(text: str, most: int) -> str:
    """Return a text on one line, cut with a mark where it has more letters than there is room for."""
    line = " ".join(text.split("\n"))
    return line if len(line) <= most else f"{line[: most - 1]}…"


def saved(figure: Any, form: str, *, dpi: int = 100) -> bytes:
    """Return the figure as a PNG, SVG or, for the PDF, TIFF, the same each time."""
    stream = io.BytesIO()
    metadata: Any = {"Date": None} if form == "svg" else {"Software": None} if form == "png" else None
    figure.savefig(stream, format=form, metadata=metadata, dpi=dpi)
    return stream.getvalue()


def scale_of(values: Iterable[Decimal | None]) -> tuple[Decimal, str]:
    """Return by how much figures are divided, and that in words; three figures or more of the largest are left."""
    most = max((abs(value) for value in values if value is not None), default=Decimal(0))
    return next(((scale, word) for scale, word in _SCALES if most >= 100 * scale), (Decimal(1), ""))


def short(value: Decimal, table: ReportTable, *, signed: bool = False, ratio: bool = False) -> str:
    """Return a figure as it stands beside its mark; signed: with a plus where it is above zero; ratio: with two
    decimals, as in the table.
    """
    number = rounded(value, 2 if ratio else 1 if abs(value) < 100 and value % 1 else 0)
    sign = MINUS if number < 0 else "+" if signed and number > 0 else ""
    return f"{sign}{grouped(number, table)}"


def undrawn_words(names: Sequence[str]) -> str:
    """Return what is said of what is in the table and not in the picture, on one line."""
    return f"in the table and not drawn: {cut(', '.join(names), _UNDRAWN)}"


def percent_words(change: Decimal | str | None, table: ReportTable) -> str:
    """Return a change in percent as it stands on a chart."""
    if change is None or isinstance(change, str):
        return change or ""
    number = rounded(change, 1)
    sign = MINUS if number < 0 else "+" if number > 0 else ""
    return f"{sign}{grouped(number, table)} %"


def money_words(unit: str, word: str, table: ReportTable) -> str:
    """Return what figures are in: `EUR thousand`."""
    currency = table.facts.get("currency", "") if unit == "currency" else ""
    return " ".join(each for each in (currency, word) if each)


def day_label(day: date, *, year: bool = False) -> str:
    """Return a day as it stands on an axis."""
    return f"{day.day} {MONTHS[day.month - 1]}{f' {day.year}' if year else ''}"


def bare_axes(axes: Any) -> None:
    """Take away all of an axis's frame that says nothing."""
    for side in ("top", "right", "left", "bottom"):
        axes.spines[side].set_visible(False)
    axes.tick_params(length=0, colors=INK)


def spread(places: list[float], apart: float) -> list[float]:
    """Return places in their order moved as little as can be so that none is nearer than `apart` to the next.

    Those that must share their room are pooled, and each pool stands around its own mean, which is least in squares.
    """
    order = sorted(range(len(places)), key=lambda at: places[at])
    pools: list[tuple[float, int]] = []
    for number, at in enumerate(order):
        mean, size = places[at] - number * apart, 1
        while pools and pools[-1][0] > mean:
            before, count = pools.pop()
            mean, size = (before * count + mean * size) / (count + size), count + size
        pools.append((mean, size))
    levels = [mean for mean, size in pools for _ in range(size)]
    moved = list(places)
    for number, (at, level) in enumerate(zip(order, levels, strict=True)):
        moved[at] = level + number * apart
    return moved
