"""PNG and SVG: a chart of a statement's totals, over time where its columns divide a span, else side by side.

Shades, line styles and words tell things apart, so that it can be read in grey; colours are safe for the colour-blind.
"""

import re
import textwrap
import warnings
from decimal import Decimal
from typing import Any

from level_almanac.core.table.chart_data import BarsChart, GrowthChart, PaceChart
from level_almanac.core.table.model import Column, ReportTable, Row
from level_almanac.core.table.style import month_words
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.output.chart_bars import bars
from level_almanac.output.chart_growth import growth
from level_almanac.output.chart_pace import pace
from level_almanac.output.chart_style import (
    COLOURS,
    GRID,
    INK,
    PALE,
    QUIET,
    STYLE,
    bare_axes,
    fitted,
    saved,
    scale_of,
    short,
)
from level_almanac.output.terminal import page_lines

_DASHES = ("-", "--", "-.", ":", (0, (5, 1, 1, 1, 1, 1)), (0, (1, 2)))
_MARKERS = ("o", "s", "^", "D", "v", "P")
_FEW_LINES = 12
_MOST_ROWS, _MOST_BARS, _MOST_NAMED, _MOST_TOLD = 8, 4, 4, 16
_PERIOD = re.compile(r"\d{4}-P\d{2}$")
_WIDEST_NAME = 26
"""How many letters there are room for beside a bar."""


def png(table: ReportTable) -> bytes:
    """Return the chart as a PNG of 1280 by 800 points."""
    return drawn(table, "png")


def svg(table: ReportTable) -> bytes:
    """Return the chart as an SVG."""
    return drawn(table, "svg")


def drawn(table: ReportTable, form: str, *, bare: bool = False, dpi: int = 100) -> bytes:
    """Return the report's own chart, or else one of its totals.

    form: png, svg or tif; bare: without title and facts, for a page that has them; dpi: points to the inch of pixels.
    """
    with warnings.catch_warnings():
        # A letter that the typeface lacks is drawn as a box, which tells enough.
        warnings.simplefilter("ignore")
        table = fitted(table)
        match table.chart:
            case BarsChart() as chart:
                return bars(table, chart, form, bare=bare, dpi=dpi)
            case GrowthChart() as chart:
                return growth(table, chart, form, bare=bare, dpi=dpi)
            case PaceChart() as chart:
                return pace(table, chart, form, bare=bare, dpi=dpi)
        return _drawn(table, form)


def _drawn(table: ReportTable, form: str) -> bytes:
    rows = [row for row in table.rows if row.level == 0 and row.kind in ("subtotal", "total") and not row.percent]
    rows = rows or [row for row in table.rows if row.kind in ("line", "subtotal", "total") and not row.percent]
    lines = [row for row in table.rows if row.level == 0 and row.kind == "line" and not row.percent]
    if len(rows) == 1 and 2 <= len(lines) <= _FEW_LINES:
        # One total alone says less than what it is made of.
        rows = lines
    # A statement in blocks is drawn as its whole.
    if any(row.kind == "group" for row in table.rows):
        rows = [row for row in rows if row.key.startswith("all/")]
    columns = [column for column in table.columns if column.kind == "amount" and column.derived is None]
    rows = [row for row in rows if any(isinstance(row.cells.get(column.key), Decimal) for column in columns)]
    if not any(row.cells.get(column.key) for row in rows for column in columns):
        what = "this report has no totals to draw"
        raise UsageMistake(Mistake(what, "-o", next_step="write it as .xlsx, .html or .pdf"))
    import matplotlib as mpl

    mpl.use("agg")
    from matplotlib import pyplot

    with mpl.rc_context(STYLE):
        figure, axes = pyplot.subplots(figsize=(12.8, 8.0), dpi=100)
        cells = [row.cells.get(column.key) for row in rows for column in columns]
        scale, unit = scale_of(cell for cell in cells if isinstance(cell, Decimal))
        series = _series(columns)
        if len(series[0]) > 2:
            _over_time(axes, table, rows[:_MOST_ROWS], series, scale)
        else:
            _side_by_side(axes, table, rows[:_MOST_ROWS], columns[:_MOST_BARS], scale)
        undrawn = [f"{len(rows) - _MOST_ROWS} more rows"] if len(rows) > _MOST_ROWS else []
        drawn = [column for each in series[:2] for column in each] if len(series[0]) > 2 else columns[:_MOST_BARS]
        left = [column for column in columns if column not in drawn]
        undrawn += [" ".join(part for part in (column.label, column.covers) if part) for column in left[:_MOST_NAMED]]
        undrawn += [f"{len(left) - _MOST_NAMED} more columns"] if len(left) > _MOST_NAMED else []
        _frame(figure, axes, table, unit, undrawn)
        picture = saved(figure, form)
        pyplot.close(figure)
    return picture


def _series(columns: list[Column]) -> list[list[Column]]:
    """Return the columns that divide a span, those of one span together; or all of them in one list."""
    series: dict[str, list[Column]] = {}
    for column in columns:
        if column.series and column.covers != "adjustments":
            series.setdefault(column.series, []).append(column)
    first, *others = list(series.values()) or [columns if len(columns) < 3 else columns[:0]]
    return [first, *(each for each in others if _same_places(first, each))]


def _same_places(one: list[Column], other: list[Column]) -> bool:
    """Tell whether both are of the same days or members, as a plan's are of those beside it, and so share places."""
    pairs = zip(one, other, strict=False)
    return len(one) == len(other) and all(b.key.endswith(a.key) and a.first == b.first for a, b in pairs)


def _value(row: Row, column: Column, scale: Decimal) -> Decimal | None:
    """Return the figure in the chart's units, exact, as its label tells it."""
    cell = row.cells.get(column.key)
    return cell / scale if isinstance(cell, Decimal) else None


def _place(value: Decimal | None) -> float | None:
    """Return where a figure is drawn, which is the only thing that a binary float is made for."""
    return None if value is None else float(value)


def _over_time(axes: Any, table: ReportTable, rows: list[Row], series: list[list[Column]], scale: Decimal) -> None:
    names = [_tick(column) for column in series[0]]
    # Members of a field have no order in time, so nothing leads from one to the next.
    ordered = len({column.first for column in series[0]}) > 1
    ends: list[tuple[Decimal, str, str]] = []
    total = next((row for row in rows if row.kind == "total"), None)
    if total is not None:
        heights = [_value(total, column, scale) or Decimal(0) for column in series[0]]
        drawn = [_place(height) for height in heights]
        axes.bar(range(len(heights)), drawn, width=0.62, color=PALE, edgecolor=QUIET, linewidth=0.6, zorder=2)
        for at, height in enumerate(heights if len(heights) <= _MOST_TOLD else []):
            text = short(height, table)
            axes.annotate(
                text, (at, float(height)), xytext=(0, 3 if height >= 0 else -3), textcoords="offset points",
                ha="center", va="bottom" if height >= 0 else "top", fontsize=8,
                color=INK, zorder=5,
            )  # fmt: skip
        ends.append((heights[-1], f"{total.label} (bars)", QUIET))
    for number, row in enumerate(row for row in rows if row is not total):
        for order, columns in enumerate(series[:2]):
            heights_or_none = [_value(row, column, scale) for column in columns]
            colour = COLOURS[number % len(COLOURS)]
            axes.plot(
                range(len(columns)), [_place(height) for height in heights_or_none], color=colour, zorder=3,
                marker=_MARKERS[number % 6],
                linestyle=_DASHES[number % 6] if ordered and not order else ":" if ordered else "none",
                markersize=3 if order else 5 if ordered else 8,
                linewidth=1.0 if order else 1.9,
            )  # fmt: skip
            last = next((height for height in reversed(heights_or_none) if height is not None), Decimal(0))
            word = f"{row.label}, {columns[0].scenario}" if order else row.label
            ends.append((last, word, colour))
    few = len(names) <= 14
    axes.set_xticks(range(len(names)), names, rotation=0 if few else 60, fontsize=9 if few else 7)
    axes.set_xlim(-0.6, len(names) - 0.4)
    _label_ends(axes, ends, len(names) - 0.3)


def _tick(column: Column) -> str:
    """Return what stands beneath a column of the chart, a part span marked as one."""
    days = (column.first, column.through)
    named = _PERIOD.search(column.label) and days[0] and days[1]
    lines = [column.label, month_words(days[0], days[1]) if named and days[0] and days[1] else ""]
    lines += [column.extent] if column.extent and not column.whole else []
    return "\n".join(line for line in lines if line)


def _label_ends(axes: Any, ends: list[tuple[Decimal, str, str]], at: float) -> None:
    """Name each line at its end, moved apart where two would stand on one another."""
    low, high = axes.get_ylim()
    apart = (high - low) * 0.042
    place = low - apart
    for height, words, colour in sorted(ends):
        drawn = float(height)
        place = max(drawn, place + apart)
        axes.annotate(
            "\n".join(textwrap.wrap(words, 24)), (at, drawn), xytext=(at, place), color=colour, fontsize=9,
            va="center", annotation_clip=False, fontweight="bold",
        )  # fmt: skip


def _side_by_side(axes: Any, table: ReportTable, rows: list[Row], columns: list[Column], scale: Decimal) -> None:
    thick = 0.8 / len(columns)
    for order, column in enumerate(columns):
        places = [at + (order - (len(columns) - 1) / 2) * thick for at in range(len(rows))]
        values = [_value(row, column, scale) or Decimal(0) for row in rows]
        name = " · ".join(words for words in (column.label, column.covers, column.extent) if words)
        axes.barh(
            places, [_place(value) for value in values], height=thick * 0.9, color=COLOURS[order], label=name,
            zorder=2, hatch=("", "//", "..", "xx")[order], edgecolor="white", linewidth=0.4,
        )  # fmt: skip
        for place, value in zip(places, values, strict=True):
            axes.annotate(
                short(value, table), (float(value), place), xytext=(4 if value >= 0 else -4, 0),
                textcoords="offset points", va="center", ha="left" if value >= 0 else "right", fontsize=9,
                color=INK,
            )  # fmt: skip
    axes.set_yticks(range(len(rows)), ["\n".join(textwrap.wrap(row.label, _WIDEST_NAME)) for row in rows], fontsize=10)
    axes.invert_yaxis()
    axes.margins(x=0.12)
    axes.legend(
        loc="lower left", bbox_to_anchor=(-0.01, 1.0), ncols=2, frameon=False, fontsize=9, handlelength=2.6,
        columnspacing=3,
    )  # fmt: skip


def _frame(figure: Any, axes: Any, table: ReportTable, unit: str, undrawn: list[str]) -> None:
    bare_axes(axes)
    upright = bool(axes.get_legend())
    axes.grid(visible=True, axis="x" if upright else "y", color=GRID, linewidth=0.8, zorder=0)
    (axes.axvline if upright else axes.axhline)(0, color=INK, linewidth=0.9, zorder=4)
    money = " ".join(word for word in (unit, table.facts.get("currency", "")) if word)
    (axes.set_xlabel if upright else axes.set_ylabel)(money, color=QUIET)
    axis = axes.xaxis if upright else axes.yaxis
    axis.set_major_formatter(lambda value, _: short(Decimal(repr(float(value))), table))
    lines = [line for words in page_lines(table) for line in textwrap.wrap(words, 150)]
    figure.text(0.045, 0.965, table.title, fontsize=16, fontweight="bold", color=INK, va="top")
    figure.text(0.045, 0.925, "\n".join(lines), fontsize=8.5, color=QUIET, va="top", linespacing=1.35)
    if undrawn:
        words = f"in the table and not drawn: {', '.join(undrawn)}"
        figure.text(0.045, 0.015, words, fontsize=8, color=QUIET)
    top = 0.90 - 0.022 * len(lines) - (0.065 if upright else 0)
    # Names that stand aslant need more room above the line that says what is not drawn.
    ticks = axes.get_xticklabels()
    deep = max((tick.get_text().count("\n") for tick in ticks), default=0)
    bottom = 0.14 if any(tick.get_rotation() for tick in ticks) else 0.08 + 0.02 * max(deep - 1, 0)
    figure.subplots_adjust(left=0.16 if upright else 0.075, right=0.96 if upright else 0.85, top=top, bottom=bottom)
