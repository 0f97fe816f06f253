"""The chart of pace: the limit, the plan, what was spent, and where it leads; one small chart for each member."""

from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from level_almanac.core.table.chart_data import Pace, PaceChart
from level_almanac.core.table.model import ReportTable
from level_almanac.output.chart_style import (
    AHEAD,
    GRID,
    INK,
    NOW,
    QUIET,
    bare_axes,
    day_label,
    figure_of,
    money_words,
    saved,
    scale_of,
    short,
    spread,
)

_MOST_MEMBERS = 12
_ACROSS = 4


def pace(table: ReportTable, chart: PaceChart, form: str, *, bare: bool = False, dpi: int = 100) -> bytes:
    """Return the chart as a PNG or SVG."""
    members = chart.members[:_MOST_MEMBERS]
    height = 8.0 if not bare else 4.8 if not members else 6.4 if len(members) <= _ACROSS else 8.0
    with figure_of(table, bare=bare, height=height) as (figure, room):
        inch = 1 / height
        rows = -(-len(members) // _ACROSS)
        below = 0.0 if not rows else {1: 0.36, 2: 0.5, 3: 0.58}[rows]
        bottom = 0.5 * inch
        whole_bottom = bottom + below * (room - bottom) + (0.42 * inch if rows else 0)
        place = figure.add_axes((0.07, whole_bottom, 0.72, room - 0.42 * inch - whole_bottom))
        _whole(place, chart, table)
        if members:
            across = min(_ACROSS, len(members))
            grid = figure.add_gridspec(
                rows, across, left=0.04, right=0.97, bottom=bottom, top=bottom + below * (room - bottom) - 0.32 * inch,
                hspace=0.75, wspace=0.3,
            )  # fmt: skip
            for number, member in enumerate(members):
                _member(figure.add_subplot(grid[number // across, number % across]), chart, member, table)
        left = len(chart.members) - len(members)
        if left:
            words = f"in the table and not drawn: {left} more members, with the smallest budgets"
            figure.text(0.04, 0.12 * inch, words, fontsize=8, color=QUIET)
        return saved(figure, form, dpi=dpi)


def _place(day: date, chart: PaceChart) -> float:
    """Return where the end of a day stands, in days from the span's first."""
    return float((day - chart.first).days + 1)


def _lines(axes: Any, chart: PaceChart, pace_: Pace, scale: Decimal, *, thin: bool) -> None:
    end = _place(chart.last, chart)
    width = 1.4 if thin else 2.2
    places = [0.0, *(_place(point.day, chart) for point in pace_.points)]
    plan = [0.0, *(float(point.plan / scale) for point in pace_.points)]
    done = [(place, point.actual) for place, point in zip(places[1:], pace_.points, strict=True)]
    spent = [(0.0, 0.0), *((place, float(actual / scale)) for place, actual in done if actual is not None)]
    axes.axhline(float(pace_.limit / scale), color=INK, linewidth=1.1, zorder=2)
    axes.plot(places, plan, color=QUIET, linewidth=width * 0.75, linestyle=(0, (4, 2)), zorder=3)
    axes.plot(*zip(*spent, strict=True), color=NOW, linewidth=width * 1.3, zorder=5, solid_capstyle="round")
    if pace_.ends is not None and pace_.as_of < chart.last:
        ends = (spent[-1][0], end), (spent[-1][1], float(pace_.ends / scale))
        axes.plot(*ends, color=AHEAD, linewidth=width, linestyle=(0, (1, 1.3)), zorder=4)
        axes.plot([end], [ends[1][1]], marker="o", color=AHEAD, markersize=3 if thin else 6, zorder=6, clip_on=False)
    axes.plot(
        [spent[-1][0]], [spent[-1][1]], marker="o", color=NOW, markersize=3.5 if thin else 7, zorder=6, clip_on=False
    )
    figures = [*plan, *(value for _, value in spent), float(pace_.limit / scale)]
    figures.append(float(pace_.ends / scale) if pace_.ends is not None else 0.0)
    low, high = min([*figures, 0.0]), max(figures)
    axes.set_ylim(low - (0.05 * (high - low) if low < 0 else 0), high + 0.1 * ((high - low) or 1))
    axes.set_xlim(0, end)


def _whole(axes: Any, chart: PaceChart, table: ReportTable) -> None:
    whole = chart.whole
    figures = [whole.limit, whole.ends, whole.spent]
    scale, word = scale_of(figures)
    unit = money_words("currency", word, table)
    bare_axes(axes)
    _lines(axes, chart, whole, scale, thin=False)
    axes.grid(visible=True, axis="y", color=GRID, linewidth=0.8, zorder=0)
    axes.yaxis.set_major_formatter(lambda value, _: short(Decimal(repr(float(value))), table))
    axes.tick_params(labelsize=9)
    axes.set_title(f"The whole, {unit}, summed up from {day_label(chart.first, year=True)}", loc="left", fontsize=11,
                   fontweight="bold", color=INK, pad=8)  # fmt: skip
    _months(axes, chart)
    _as_of(axes, chart, whole, table, scale)
    word = "spent" if chart.costs else "earned"
    ends: list[tuple[Decimal, str, str]] = [
        (whole.limit, f"{chart.plan} of the whole span\n{short(whole.limit / scale, table)}", INK)
    ]
    if whole.ends is not None and whole.as_of < chart.last:
        more = f", {whole.words}" if whole.words else ""
        told = f"projected end{more}\n{short(whole.ends / scale, table)}"
        ends.append((whole.ends, told, AHEAD))
    elif whole.as_of >= chart.last:
        ends.append((whole.spent, f"{word} in all\n{short(whole.spent / scale, table)}", NOW))
    low, high = axes.get_ylim()
    # Two lines of type and a little, in what the axis counts in.
    apart = (high - low) * 0.48 / (axes.get_position().height * axes.figure.get_figheight())
    places = spread([float(value / scale) for value, _, _ in ends], apart)
    for (_, words, colour), place in zip(ends, places, strict=True):
        axes.annotate(
            words, (1.012, place), xycoords=("axes fraction", "data"), va="center", fontsize=9.5, fontweight="bold",
            color=colour, annotation_clip=False, linespacing=1.3,
        )  # fmt: skip


def _as_of(axes: Any, chart: PaceChart, whole: Pace, table: ReportTable, scale: Decimal) -> None:
    """Mark the day of the report, and say what was spent and due by then."""
    if whole.as_of >= chart.last:
        return
    at = _place(whole.as_of, chart)
    axes.axvline(at, color=QUIET, linewidth=0.8, linestyle=":", zorder=1)
    due = next((point.plan for point in whole.points if point.day == whole.as_of), None)
    word = "spent" if chart.costs else "earned"
    labels = [(whole.spent, f"{word} {short(whole.spent / scale, table)}", NOW)]
    if due is not None:
        labels.append((due, f"{chart.plan} due by {day_label(whole.as_of)}: {short(due / scale, table)}", QUIET))
    # What is summed up rises from left to right, which leaves room below it on the right and above it on the left.
    for (value, words, colour), above in zip(sorted(labels), (False, True), strict=False):
        axes.annotate(
            words, (at, float(value / scale)), xytext=(-9, 7) if above else (9, -9), textcoords="offset points",
            va="bottom" if above else "top", ha="right" if above else "left", fontsize=9.5, fontweight="bold",
            color=colour, zorder=7,
        )  # fmt: skip


def _months(axes: Any, chart: PaceChart, *, few: bool = False) -> None:
    """Put the days on the axis at which units end: the points of the plan."""
    days = [point.day for point in chart.whole.points if point.day != chart.whole.as_of or point.day == chart.last]
    most = 3 if few else 13
    every = max(1, -(-len(days) // most))
    # The last day is always told, and others so far before it that their words have room.
    days_told = sorted(set(days[::-1][::every]))
    if few:
        days_told = [chart.first - timedelta(days=1), chart.last]
    names = [day_label(chart.first if few and day < chart.first else day) for day in days_told]
    axes.set_xticks([_place(day, chart) for day in days_told], names)
    axes.tick_params(axis="x", pad=10 if few else 14)
    for label in axes.get_xticklabels():
        label.set_va("baseline")


def _member(axes: Any, chart: PaceChart, member: Pace, table: ReportTable) -> None:
    scale, word = scale_of([member.limit, member.ends, member.spent])
    bare_axes(axes)
    _lines(axes, chart, member, scale, thin=True)
    axes.set_yticks([])
    _months(axes, chart, few=True)
    axes.tick_params(labelsize=7.5)
    labels = axes.get_xticklabels()
    if len(labels) == 2:
        labels[0].set_ha("left")
        labels[1].set_ha("right")
    axes.axhline(0, color=INK, linewidth=0.7)
    name = member.name if len(member.name) <= 28 else f"{member.name[:27]}…"
    axes.set_title(name, loc="left", fontsize=9.5, fontweight="bold", color=INK, pad=17)
    unit = f" {word}" if word else ""
    spent = "spent" if chart.costs else "earned"
    words = f"{spent} {short(member.spent / scale, table)} of {short(member.limit / scale, table)}{unit}"
    if member.words:
        words += f" · {member.words}"
    strong = member.over is chart.costs
    axes.text(
        0.0, 1.04, words, transform=axes.transAxes, fontsize=8, color=INK if strong else QUIET, va="bottom",
        fontweight="bold" if strong else "normal",
    )  # fmt: skip
