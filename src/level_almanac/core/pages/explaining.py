"""Explanations put to the figures of a page, and which figures lack one that the page requires (docs/pages.md)."""

from collections.abc import Iterator, Sequence
from datetime import date
from decimal import Decimal
from typing import NamedTuple

from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.table.exact import figure_words
from level_almanac.core.table.model import Column, Explanation, ReportTable, Row
from level_almanac.core.table.pointing import find_column, find_row, head_words
from level_almanac.errors import AlmanacError, BookMistake, Mistake, UsageMistake
from level_almanac.files.explanations import WrittenExplanation
from level_almanac.files.pages import ExplainRule, Page


class Explainable(NamedTuple):
    """A figure that can be explained: where it stands, its period, and what it is."""

    row: Row
    column: Column
    period: str
    figure: Decimal

    @property
    def words(self) -> str:
        """The row and the column in words."""
        return f"{self.row.label.strip()}, {head_words(self.column)}"


class Unexplained(NamedTuple):
    """A change that the page requires an explanation of. percent: of what it is compared with, None where that is
    nothing; stale: whether it has one, written for another figure.
    """

    of: Explainable
    percent: Decimal | None
    stale: bool

    @property
    def words(self) -> str:
        """The figure, and what is wrong."""
        percent = f", {figure_words(self.percent, 1)} %" if self.percent is not None else ""
        state = "its explanation is stale" if self.stale else "not explained"
        return f"{self.of.words}: {figure_words(self.of.figure)}{percent}: {state}"


def explainable(table: ReportTable, row_name: str, column_name: str, calendar: FiscalCalendar) -> Explainable:
    """Return the figure that a person means; raise UsageMistake where none or several are meant, or it is no number."""
    row, column = find_row(table, row_name), find_column(table, column_name)
    cells = _figure(table, row, column, calendar)
    if cells is None:
        words = f"{row.label.strip()}, {head_words(column)}"
        raise UsageMistake(Mistake("there is no figure to explain", "--column", repr(words)))
    return cells


def _figure(table: ReportTable, row: Row, column: Column, calendar: FiscalCalendar) -> Explainable | None:
    cell = row.cells.get(column.key)
    if not isinstance(cell, Decimal | int):
        return None
    return Explainable(row, column, _period_of(table, column, calendar), Decimal(cell))


def _period_of(table: ReportTable, column: Column, calendar: FiscalCalendar) -> str:
    """Return the period that a figure ends in: of its column, or of the one it is compared from, or of the report."""
    columns = {each.key: each for each in table.columns}
    day = column.through
    while day is None and column.derived is not None and column.derived.of in columns:
        column = columns[column.derived.of]
        day = column.through
    day_told = table.facts.get("as_of") or table.facts.get("through")
    if day is None and day_told:
        day = date.fromisoformat(day_told[:10])
    return str(calendar.period_of(day)) if day else ""


def explained(
    table: ReportTable, written: Sequence[WrittenExplanation], page: Page, calendar: FiscalCalendar
) -> tuple[ReportTable, list[Unexplained]]:
    """Return the report with the explanations of its figures, and the changes that lack one which the page requires.

    Raises BookMistake where the page's rule names no column of changes.
    """
    by_place = {each.place: each for each in written}
    explanations: list[Explanation] = []
    for row in table.rows:
        for column in table.columns if by_place else ():
            figure = _figure(table, row, column, calendar)
            text = by_place.get((figure.period, row.key, column.key)) if figure else None
            if figure and text:
                was = Decimal(text.figure)
                stale = was if was != figure.figure else None
                explanations.append(Explanation(row.key, column.key, figure.words, text.text, text.by, stale))
    table = table._replace(explanations=tuple(explanations))
    rule = page.file.explain
    if rule is None:
        return table, []
    missing = list(_missing(table, rule, page, calendar))
    notes = [f"NEEDS AN EXPLANATION: {each.words}" for each in missing]
    return table._replace(notes=(*table.notes, *notes)), missing


def _missing(table: ReportTable, rule: ExplainRule, page: Page, calendar: FiscalCalendar) -> Iterator[Unexplained]:
    try:
        column = find_column(table, rule.column)
    except AlmanacError as error:
        mistake = error.mistakes[0]
        where = f"{page.where}: explain.column"
        raise BookMistake(Mistake(mistake.what, where, mistake.got, mistake.allowed, mistake.next_step)) from None
    if column.derived is None or column.derived.percent:
        what, where = "this column is no change of amounts", f"{page.where}: explain.column"
        raise BookMistake(Mistake(what, where, repr(rule.column), "a column such as change or variance"))
    explained_cells = {(each.row, each.column): each.stale is None for each in table.explanations}
    for row in table.rows:
        figure = _figure(table, row, column, calendar)
        if figure is None or row.percent or (row.kind != "line" and not rule.totals):
            continue
        over = row.cells.get(column.derived.over)
        base = abs(over) if isinstance(over, Decimal) else Decimal(0)
        if not _is_past(figure.figure, base, rule) or explained_cells.get((row.key, column.key)):
            continue
        percent = abs(figure.figure) / base * 100 if base else None
        yield Unexplained(figure, percent, (row.key, column.key) in explained_cells)


def _is_past(change: Decimal, base: Decimal, rule: ExplainRule) -> bool:
    """Tell whether a change is past both limits; where it is compared with nothing, it is past any percentage."""
    return abs(change) > Decimal(rule.over) and (not base or abs(change) * 100 > Decimal(rule.percent) * base)
