"""The units of the calendar that days lie in, as values of lines: the quarter of `posted`, the week of `served`."""

from collections.abc import Sequence
from dataclasses import replace

from level_almanac.core.book import Book
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.fields import LineField, LineFields
from level_almanac.core.language.days import Unit
from level_almanac.core.spans.divided import unit_id
from level_almanac.files.tables import Table
from level_almanac.store.engine import Engine
from level_almanac.store.expressions import Labelled
from level_almanac.store.line_query import LineSource, days_of


class DayLabels:
    """The labels that one report asks for. asked: those that are known already, by their numbers."""

    def __init__(self, table: Table, asked: Sequence[tuple[LineField, Unit]] = ()) -> None:
        self.table = table
        self.asked: list[tuple[LineField, Unit]] = list(asked)

    def label(self, found: LineField, unit: Unit) -> Labelled | None:
        """Return the label of a unit that each line's day lies in; None where lines have a period of their own."""
        if unit == "period" and found.name in (self.table.date, "counted") and self.table.entries:
            # A line has a period of its own, which may be an extra one.
            return None
        if (found, unit) not in self.asked:
            self.asked.append((found, unit))
        return Labelled(found.value, self.asked.index((found, unit)))

    def among(self, fields: LineFields, book: Book, calendar: FiscalCalendar) -> LineFields:
        """Return the fields of a table whose lines bring these labels wherever they are read."""
        return fields._replace(labelled=lambda source: self.labelled(source, book.engine, calendar))

    def labelled(self, source: LineSource, engine: Engine, calendar: FiscalCalendar) -> LineSource:
        """Return the source with the label of each day that its lines have."""
        bare = replace(source, rules=())
        labels = []
        for found, unit in self.asked:
            days = days_of(engine, bare, found.value)
            labels.append({day: unit_id(day, unit, calendar) for day in days})
        return replace(source, labels=tuple(labels))
