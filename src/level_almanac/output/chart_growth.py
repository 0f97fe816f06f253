"""The chart of growth: the spans to date, then each unit of the calendar, last year's beside it."""

from decimal import Decimal
from typing import Any

from level_almanac.core.table.chart_data import Growth, GrowthChart, Step
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

_MOST_STEPS, _MOST_TOLD = 40, 16
_NAMED, _NAMED_OF_TWO = 20, 11
"""How many bars there is room to name: alone, and beside another panel."""
_GAP = 1.0
"""Inches between two rows of panels."""
_NAME, _NAME_OF_TWO, _NAME_TO_DATE = 60, 40, 14
"""How many letters of a member's name there is room for: alone, beside another panel, and over the spans to date."""


def growth(table: ReportTable, chart: GrowthChart, form: str, *, bare: bool = False, dpi: int = 100) -> bytes:
    """Return the chart as a PNG or SVG."""
    panels = chart.panels
    height = 8.0 if not bare else (4.6 if len(panels) == 1 else 8.0)
    with figure_of(table, bare=bare, height=height) as (figure, room):
        inch = 1 / height
        columns = 1 if len(panels) <= 3 else 2
        rows = -(-len(panels) // columns)
        _key(figure, room - 0.1 * inch, panels[0], chart.before)
        undrawn = [f"{panels[0].step}s before the last {_MOST_STEPS}"] if len(panels[0].steps) > _MOST_STEPS else []
        undrawn += chart.undrawn
        deep = 0.16 * any(step.months for panel in panels for step in panel.steps) + 0.2 * bool(undrawn)
        top, bottom = room - 0.82 * inch, (0.62 + deep) * inch
        # Between rows there is room for the names beneath the one and the head of the other, however many there are.
        high = ((top - bottom) * height - (rows - 1) * _GAP) / rows
        grid = figure.add_gridspec(
            rows, columns, left=0.05, right=0.975, top=top, bottom=bottom, hspace=_GAP / high, wspace=0.14
        )
        if undrawn:
            figure.text(0.03, 0.1 * inch, undrawn_words(undrawn), fontsize=8, color=QUIET)
        for number, panel in enumerate(panels):
            place = grid[number // columns, number % columns]
            _panel(figure, place, panel, table, dense=len(panels) > 1, to_date=columns == 1)
        return saved(figure, form, dpi=dpi)


def _key(figure: Any, at: float, panel: Growth, before: str) -> None:
    from matplotlib.patches import Rectangle

    part = any(step.part for step in panel.steps)
    marks: list[tuple[float, str, str, str]] = [
        (0.03, NOW, "", f"each {panel.step}"),
        (0.17, BEFORE, "////", f"last year, {before}"),
    ]
    if part:
        marks.append((0.36, NOW, "....", "not finished: its days so far"))
    for left, colour, hatch, words in marks:
        figure.add_artist(
            Rectangle(
                (left, at - 0.009), 0.022, 0.018, facecolor=colour, hatch=hatch, edgecolor="white", linewidth=0,
                transform=figure.transFigure,
            )
        )  # fmt: skip
        figure.text(left + 0.028, at, words, fontsize=9.5, color=INK, va="center")
    if len(panel.steps) <= _MOST_TOLD:
        words = "above the bars: the figure, and its change over last year"
        figure.text(0.975, at, words, fontsize=9, color=QUIET, va="center", ha="right")


def _panel(figure: Any, place: Any, panel: Growth, table: ReportTable, *, dense: bool, to_date: bool) -> None:
    steps = panel.steps[-_MOST_STEPS:]
    parts = [each for each in ((panel.to_date if to_date else ()), steps) if each]
    ratios = [0.3 if each is panel.to_date else 1.0 for each in parts]
    inner = place.subgridspec(1, len(parts), width_ratios=ratios, wspace=0.1)
    for number, part in enumerate(parts):
        axes = figure.add_subplot(inner[number])
        values = [value for step in part for value in (step.now, step.before)]
        scale, word = (Decimal(1), "") if panel.percent or panel.ratio else scale_of(values)
        unit = "percent" if panel.percent else money_words(panel.unit, word, table)
        _draw(axes, part, scale, table, panel, dense=dense, named=_NAMED if to_date else _NAMED_OF_TWO)
        room = _NAME_TO_DATE if part is not parts[-1] else _NAME if to_date else _NAME_OF_TWO
        name = cut(panel.name, room)
        name = f"{name}, to date" if part is panel.to_date else f"{name} by {panel.step}"
        title = f"{name}{f', {unit}' if unit else ''}"
        axes.set_title(title, loc="left", fontsize=10.5 if not dense else 9.5, fontweight="bold", color=INK, pad=16)


def _draw(
    axes: Any, steps: tuple[Step, ...], scale: Decimal, table: ReportTable, panel: Growth, *, dense: bool, named: int
) -> None:
    percent = panel.percent
    bare_axes(axes)
    few = len(steps) <= _MOST_TOLD
    size = 8.5 if not dense else 7.5
    values = [value / scale for step in steps for value in (step.now, step.before) if value is not None]
    top, low = float(max([*values, Decimal(0)])), float(min([*values, Decimal(0)]))
    whole = (top - low) or 1.0
    axes.set_ylim(low - (0.12 * whole if low < 0 else 0), top + (0.3 if dense else 0.12) * whole)
    axes.set_xlim(-0.6, len(steps) - 0.4)
    for at, step in enumerate(steps):
        for offset, value, colour, hatch in (
            (0.2, step.before, BEFORE, "////"),
            (-0.2, step.now, NOW, "...." if step.part else ""),
        ):
            if value is None:
                continue
            wide = 0.38
            axes.bar(
                at + offset, float(value / scale), width=wide, color=colour, hatch=hatch, edgecolor="white",
                linewidth=0.0, zorder=2,
            )  # fmt: skip
        if step.now is None or not few:
            continue
        peak = max(float(value / scale) for value in (step.now, step.before or Decimal(0), Decimal(0)))
        above = f"{short(step.now / scale, table, ratio=panel.ratio)}{' %' if percent else ''}"
        words = percent_words(step.change_percent, table)
        if percent and step.change is not None:
            words = f"{short(step.change, table, signed=True)} pt"
        axes.annotate(
            above, (at, peak), xytext=(0, 14 if words else 4), textcoords="offset points", ha="center", va="bottom",
            fontsize=size, fontweight="bold", color=INK,
        )  # fmt: skip
        if words:
            axes.annotate(
                words, (at, peak), xytext=(0, 3), textcoords="offset points", ha="center", va="bottom",
                fontsize=size - 0.5, color=QUIET,
            )  # fmt: skip
    names = [_tick(step, spans=steps is panel.to_date) for step in steps]
    # The last one is always named, since it is the one that may not be finished.
    told = sorted(range(len(names) - 1, -1, -(-(-len(names) // named) or 1)))
    axes.set_xticks(told, [names[at] for at in told], fontsize=size)
    axes.set_yticks([])
    axes.axhline(0, color=INK, linewidth=0.9, zorder=3)
    if not few:
        from matplotlib.ticker import MaxNLocator

        axes.yaxis.set_major_locator(MaxNLocator(5))
        axes.yaxis.set_major_formatter(lambda value, _: short(Decimal(repr(float(value))), table))
        axes.tick_params(axis="y", labelsize=size)
        axes.grid(visible=True, axis="y", color=GRID, linewidth=0.8, zorder=0)


def _tick(step: Step, *, spans: bool) -> str:
    # `2026-W07` and `17 Jun 2026` alike stand in two lines, so that those of many bars have room.
    day, _, year = step.label.rpartition(" ")
    name = step.label.replace(" to date", "\nto date") if spans else step.label.replace("-", "\n", 1)
    if step.months:
        name = f"{name}\n{step.months}"
    elif day and year.isdigit():
        name = f"{day}\n{year}"
    return f"{name}\n{step.part}" if step.part else name
