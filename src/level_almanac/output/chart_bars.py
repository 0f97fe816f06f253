"""The chart of a ranking: each member in both spans, and all other on a scale of its own."""

import textwrap
from typing import Any

from level_almanac.core.table.chart_data import Bar, Bars, BarsChart
from level_almanac.core.table.model import ReportTable
from level_almanac.output.chart_style import (
    BEFORE,
    GRID,
    INK,
    NOW,
    QUIET,
    bare_axes,
    cut,
    figure_of,
    money_words,
    percent_words,
    saved,
    scale_of,
    short,
    undrawn_words,
)

_MOST_PANELS, _MOST_BARS = 6, 25
_CHANGE_AT = {False: 0.915, True: 0.86}
"""Where changes end, as a part of the width; those in percent end at its end."""
_NAME = {False: 60, True: 30}
"""How many letters of a group's name there is room for."""


def bars(table: ReportTable, chart: BarsChart, form: str, *, bare: bool = False, dpi: int = 100) -> bytes:
    """Return the chart as a PNG or SVG."""
    panels = chart.panels[:_MOST_PANELS]
    most = max(len(panel.bars) for panel in panels)
    height = 8.0 if not bare and most <= 14 else max(4.2, min(1.4 + 0.44 * (most + 1), 14.0))
    if len(panels) > 2:
        height = max(height, 8.0)
    with figure_of(table, bare=bare, height=height) as (figure, room):
        values = [value for panel in panels for bar in _all(panel) for value in (bar.now, bar.before)]
        scale, word = (1, "") if chart.percent or chart.ratio else scale_of(values)
        unit = "percent" if chart.percent else money_words(chart.unit, word, table)
        inch = 1 / height
        _key(figure, room - 0.12 * inch, chart, unit)
        columns = 1 if len(panels) == 1 else 2
        rows = -(-len(panels) // columns)
        grid = figure.add_gridspec(
            rows, columns, left=0.17 if columns == 1 else 0.13, right=0.97, bottom=0.45 * inch, wspace=0.42,
            hspace=0.34, top=room - (0.82 if columns > 1 else 0.62) * inch,
        )  # fmt: skip
        for number, panel in enumerate(panels):
            _panel(figure, grid[number // columns, number % columns], panel, chart, scale, table, small=columns > 1)
        left = len(chart.panels) - len(panels)
        words = [f"{left} more groups"] if left else []
        if most > _MOST_BARS:
            words.append(f"members after the first {_MOST_BARS}")
        if chart.undrawn:
            words += chart.undrawn
        if words:
            figure.text(0.03, 0.12 * inch, undrawn_words(words), fontsize=8, color=QUIET)
        return saved(figure, form, dpi=dpi)


def _all(panel: Bars) -> list[Bar]:
    return [*panel.bars[:_MOST_BARS], *panel.others]


def _key(figure: Any, at: float, chart: BarsChart, unit: str) -> None:
    """Say what dark and light bars are, and what the figures beside them are in."""
    from matplotlib.patches import Rectangle

    deep = 0.018
    for left, colour, hatch, words in (
        (0.03, NOW, "", chart.now),
        (0.30, BEFORE, "////", f"{chart.against}{chart.before}" if chart.before else ""),
    ):
        if not words:
            continue
        figure.add_artist(
            Rectangle(
                (left, at - deep * 0.5), 0.022, deep, facecolor=colour, hatch=hatch, edgecolor="white", linewidth=0,
                transform=figure.transFigure,
            )
        )  # fmt: skip
        figure.text(left + 0.028, at, words, fontsize=9.5, color=INK, va="center")
    if unit:
        scales = ", each group on a scale of its own" if len(chart.panels) > 1 else ""
        figure.text(0.97, at, f"figures in {unit}{scales}", fontsize=9.5, color=INK, va="center", ha="right")


def _panel(
    figure: Any, place: Any, panel: Bars, chart: BarsChart, scale: Any, table: ReportTable, *, small: bool
) -> None:
    bars_shown = list(panel.bars[:_MOST_BARS])
    parts = [each for each in (bars_shown, list(panel.others)) if each]
    heights = [max(len(each), 1.25) for each in parts]
    inner = place.subgridspec(len(parts), 1, height_ratios=heights, hspace=0.3 if small else 0.16)
    for number, part in enumerate(parts):
        axes = figure.add_subplot(inner[number])
        _draw(axes, part, scale, table, small=small, chart=chart)
        if number == 0:
            size = 7.5 if small else 8.5
            told = (any(bar.change is not None for bar in part), any(bar.change_percent is not None for bar in part))
            heads = ((_CHANGE_AT[small], chart.heads[0]), (1.0, chart.heads[1]))
            for at, words in (head for head, there in zip(heads, told, strict=True) if there):
                axes.text(
                    at, 1.01, words, transform=axes.transAxes, fontsize=size, color=QUIET, ha="right", va="bottom"
                )
        if number == 0 and panel.name:
            axes.set_title(cut(panel.name, _NAME[small]), loc="left", fontsize=11, fontweight="bold", color=INK, pad=6)
        if panel.others and part == list(panel.others) and bars_shown:
            kinds = ["all other" if bar.label.startswith("All other") else bar.label for bar in part]
            scale_words = "a scale of its own" if len(kinds) == 1 else "a scale of their own"
            axes.text(
                1.0, 1.0, f"{' and '.join(kinds)}: on {scale_words}", transform=axes.transAxes, ha="right", va="bottom",
                fontsize=8, color=QUIET, style="italic",
            )  # fmt: skip
            axes.axhline(-0.62, color=QUIET, linewidth=0.8)


def _draw(axes: Any, part: list[Bar], scale: Any, table: ReportTable, *, small: bool, chart: BarsChart) -> None:
    size = 8 if small else 9.5
    bare_axes(axes)
    values = [value / scale for bar in part for value in (bar.now, bar.before) if value is not None]
    top, low = max([*values, 0]), min([*values, 0])
    whole = float(top - low) or 1.0
    right = float(top) + whole * (0.62 if small else 0.42)
    left = float(low) - (whole * 0.16 if low < 0 else 0.0)
    axes.set_xlim(left, right)
    axes.set_ylim(len(part) - 0.42, -0.62)
    for at, bar in enumerate(part):
        for offset, value, colour, hatch in (
            (-0.2 if chart.before else 0, bar.now, NOW, ""),
            (0.2, bar.before, BEFORE, "////"),
        ):
            if value is None:
                continue
            place = float(value / scale)
            axes.barh(
                at + offset, place, height=0.36, color=colour, hatch=hatch, edgecolor="white", linewidth=0.0, zorder=2
            )
            told = short(value / scale, table, ratio=chart.ratio)
            axes.annotate(
                told, (place, at + offset), xytext=(4 if place >= 0 else -4, 0),
                textcoords="offset points", va="center", ha="left" if place >= 0 else "right", fontsize=size - 0.5,
                color=INK if colour == NOW else QUIET, fontweight="bold" if colour == NOW else "normal", zorder=4,
            )  # fmt: skip
        words = percent_words(bar.change_percent, table)
        moved = None if bar.change is None else bar.change / scale
        change = short(moved, table, signed=True, ratio=chart.ratio) if moved is not None else ""
        for place, beside in ((left + (right - left) * _CHANGE_AT[small], change), (right, words)):
            axes.text(place, at, beside, ha="right", va="center", fontsize=size, color=INK)
    axes.set_yticks(range(len(part)), ["\n".join(textwrap.wrap(bar.label, 20)) for bar in part], fontsize=size)
    axes.set_xticks([])
    axes.axvline(0, color=INK, linewidth=0.9, zorder=3)
    axes.grid(visible=False)
    axes.hlines([at + 0.5 for at in range(len(part) - 1)], left, right, color=GRID, linewidth=0.6, zorder=0)
