"""Charts in workbooks, drawn by the program that reads them, on a sheet of their own.

What is drawn stands beside each chart, as a formula that leads to the figure in the report, so that both are the same.
"""

from collections.abc import Callable, Iterator, Sequence
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.table.chart_data import Bar, BarsChart, GrowthChart, Pace, PaceChart, Place, Step
from level_almanac.core.table.model import ReportTable
from level_almanac.output.chart_style import BEFORE, GRID, NOW, QUIET, cut, day_label, undrawn_words

SHEET = "Charts"
_MOST_PANELS = 12
_HIGH, _WIDE = 320, 760
"""Pixels of a chart."""
_ROWS = 18
"""How many rows of the sheet a chart takes at the least."""
_CHART_AT = 5
"""The column that charts begin in, right of what they are drawn from."""
_LONGEST_TITLE = 120
Where = Callable[[Place, str], str]
"""Takes where a figure stands in its table, and in which of the columns; returns its formula, or nothing."""


class _Drawn(NamedTuple):
    """One chart. name: of it alone, beneath the title of its report; kind: as the library calls it; heads: of the
    columns, the first of its names; rows: names and figures, and where these stand in the table.
    """

    title: str
    name: str
    kind: str
    heads: tuple[str, ...]
    rows: tuple[tuple[str, tuple[Decimal | None, ...], Place], ...]
    decimals: int


def write_charts(book: Any, reports: Sequence[tuple[ReportTable, Where]]) -> None:
    """Write the sheet with the charts of all reports that have one; none where none has. where: finds their cells."""
    drawn = [(table, where, charts) for table, where in reports if (charts := [*_drawn(table)])]
    if not drawn:
        return
    sheet = book.add_worksheet(SHEET)
    form = {"font_name": "Calibri", "font_size": 10}
    looks = {
        "bold": book.add_format({**form, "bold": True, "font_size": 12}),
        "head": book.add_format({**form, "bold": True, "bottom": 1, "align": "right", "text_wrap": True}),
        "name": book.add_format(form),
        "note": book.add_format({**form, "font_color": QUIET}),
    }
    sheet.hide_gridlines(2)
    sheet.set_column(0, 0, 34)
    sheet.set_column(1, _CHART_AT - 1, 16)
    at = 0
    for table, where, charts in drawn:
        for each in charts:
            at = _write(book, sheet, at, each, where, looks)
        if words := _undrawn(table):
            sheet.write_string(at - 2, 0, undrawn_words(words), looks["note"])
    sheet.set_landscape()
    sheet.fit_to_pages(1, 0)


def _write(book: Any, sheet: Any, first: int, drawn: _Drawn, where: Where, looks: dict[str, Any]) -> int:
    """Write a chart and what it is drawn from, and return the first row below."""
    told = f"{drawn.title}: {drawn.name}" if drawn.name else drawn.title
    sheet.write_string(first, 0, told, looks["bold"])
    for number, head in enumerate(drawn.heads):
        sheet.write_string(first + 1, number, head, looks["head"])
    figures = book.add_format(
        {
            "font_name": "Calibri",
            "font_size": 10,
            "num_format": f"#,##0{'.' * bool(drawn.decimals)}{'0' * drawn.decimals}",
        }
    )
    for at, (name, values, place) in enumerate(drawn.rows, first + 2):
        sheet.write_string(at, 0, name, looks["name"])
        for number, (value, side) in enumerate(zip(values, ("now", "before"), strict=False), 1):
            formula = where(place, side)
            if value is None:
                continue
            if formula:
                sheet.write_formula(at, number, formula, figures, value)
            else:
                sheet.write_number(at, number, value, figures)
    last = first + 1 + len(drawn.rows)
    chart = book.add_chart({"type": drawn.kind})
    lined = drawn.kind == "line"
    for number, colour in zip(range(1, len(drawn.heads)), (NOW, QUIET if lined else BEFORE), strict=False):
        shade = {"color": colour}
        dashed = {"dash_type": "dash", "width": 1.25} if number > 1 else {"width": 2.5}
        chart.add_series(
            {
                "name": [SHEET, first + 1, number],
                "categories": [SHEET, first + 2, 0, last, 0],
                "values": [SHEET, first + 2, number, last, number],
                **({"line": {**shade, **dashed}} if lined else {"fill": shade, "gap": 60}),
            }
        )
    chart.set_title(
        {"name": cut(drawn.name or drawn.title, _LONGEST_TITLE), "name_font": {"size": 12}, "overlay": False}
    )
    chart.set_legend({"position": "bottom"} if len(drawn.heads) > 2 else {"none": True})
    axis = {
        "num_format": "#,##0",
        "major_gridlines": {"visible": True, "line": {"color": GRID}},
        "line": {"none": True},
    }
    if drawn.kind == "bar":
        # The first member stands at the top, as in the table.
        chart.set_y_axis({"reverse": True})
        chart.set_x_axis(axis)
    else:
        chart.set_y_axis(axis)
    chart.set_size({"width": _WIDE, "height": max(_HIGH, 24 * len(drawn.rows) if drawn.kind == "bar" else _HIGH)})
    sheet.insert_chart(first, _CHART_AT, chart)
    deep = max(_ROWS, len(drawn.rows) * (2 if drawn.kind == "bar" else 1))
    return max(last, first + deep) + 3


def _drawn(table: ReportTable) -> Iterator[_Drawn]:
    match table.chart:
        case BarsChart() as chart:
            yield from _bars(table, chart)
        case GrowthChart() as chart:
            for panel in chart.panels[:_MOST_PANELS]:
                for steps, words in ((panel.to_date, "to date"), (panel.steps, f"by {panel.step}")):
                    if steps:
                        rows = tuple((_tick(step), (step.now, step.before), step.place) for step in steps)
                        name = f"{panel.name} {words}"
                        yield _Drawn(
                            table.title, name, "column", ("", "now", f"last year, {chart.before}"), rows, _places(steps)
                        )
        case PaceChart() as chart:
            for each in (chart.whole, *chart.members[:_MOST_PANELS]):
                yield _pace(table, chart, each)


def _undrawn(table: ReportTable) -> list[str]:
    """Return the words for what is in a report and on none of its charts here."""
    match table.chart:
        case BarsChart() as chart:
            others = dict.fromkeys(bar.label.split(" (")[0].lower() for panel in chart.panels for bar in panel.others)
            return [*_further(chart.panels, "groups"), *others, *chart.undrawn]
        case GrowthChart() as chart:
            return [*_further(chart.panels, "blocks"), *chart.undrawn]
        case PaceChart() as chart:
            ends = ["projected end"] if chart.whole.ends is not None else []
            return [*_further(chart.members, "members"), *ends]
    return []


def _further(panels: Sequence[object], name: str) -> list[str]:
    left = len(panels) - _MOST_PANELS
    return [f"{left} more {name}"] if left > 0 else []


def _bars(table: ReportTable, chart: BarsChart) -> Iterator[_Drawn]:
    heads = ("", chart.now or "now", *([f"{chart.against}{chart.before}"] if chart.before else []))
    # All other members together would leave those that are shown no room.
    for panel in chart.panels[:_MOST_PANELS]:
        rows = tuple((bar.label, (bar.now, bar.before)[: len(heads) - 1], bar.place) for bar in panel.bars)
        if rows:
            yield _Drawn(table.title, panel.name, "bar", heads, rows, _places(panel.bars))


def _pace(table: ReportTable, chart: PaceChart, pace: Pace) -> _Drawn:
    rows = tuple((day_label(point.day, year=True), (point.actual, point.plan), Place()) for point in pace.points)
    return _Drawn(table.title, pace.name, "line", ("", "actual", chart.plan), rows, 2)


def _tick(step: Step) -> str:
    return " ".join(part for part in (step.label, step.months, f"({step.part})" if step.part else "") if part)


def _places(figures: Sequence[Bar] | Sequence[Step]) -> int:
    values = (value for each in figures for value in (each.now, each.before) if value is not None)
    return max((max(-int(value.as_tuple().exponent), 0) for value in values), default=0)
