"""The figures of a report as an edition keeps them, and which of them differ from another report's."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Any, NamedTuple

from level_almanac.core.calendar.date_text import range_words

Value = Decimal | str | int | None


class IssuedFigure(NamedTuple):
    """One cell. row, column: their keys; row_label, column_label: in words; kind: of its column; total: whether it
    stands in a row that is not a line.
    """

    row: str
    column: str
    row_label: str
    column_label: str
    kind: str
    value: Value
    total: bool = False

    @property
    def is_number(self) -> bool:
        """Whether it can be more or less."""
        return self.kind in ("amount", "percent", "number", "count")

    @property
    def words(self) -> str:
        """The row and the column in words."""
        return f"{self.row_label}, {self.column_label}"


CellKey = tuple[str, str]


def figures_in(report: Mapping[str, Any]) -> dict[CellKey, IssuedFigure]:
    """Return the figures of a report in its JSON shape by the keys of row and column; a key used twice is numbered.

    Those of its sheets have the number of the sheet before the key of their row, and its title before that row's label.
    """
    figures = _figures_of(report)
    for number, sheet in enumerate(report.get("sheets", ()), 1):
        for (row, column), figure in _figures_of(sheet).items():
            named = f"{number}:{row}"
            figures[named, column] = figure._replace(row=named, row_label=f"{sheet['title']}: {figure.row_label}")
    return figures


def _figures_of(report: Mapping[str, Any]) -> dict[CellKey, IssuedFigure]:
    figures: dict[CellKey, IssuedFigure] = {}
    seen: dict[str, int] = {}
    columns = list(_columns(report["columns"]))
    for row in report["rows"]:
        key = str(row["key"])
        seen[key] = seen.get(key, 0) + 1
        named = key if seen[key] == 1 else f"{key}#{seen[key]}"
        for column, label, kind in columns:
            if column in row["cells"]:
                value = _value(row["cells"][column], kind)
                figures[named, column] = IssuedFigure(
                    named, column, row["label"], label, kind, value, row["kind"] != "line"
                )
    return figures


def _columns(columns: Sequence[Mapping[str, Any]]) -> Iterator[tuple[str, str, str]]:
    """Yield the key, the head in words and the kind of each column.

    A column without days whose label others have too, as a change, is named with the column that its group begins with.
    """
    labels = Counter(column["label"] for column in columns)
    group, dated = "", False
    for column in columns:
        days = [date.fromisoformat(day) for day in (column["from"], column["through"]) if day]
        words = f"{column['group']}: {column['label']}" if column.get("group") else column["label"]
        if days:
            group = group if dated else words
            words = f"{words} {range_words(days[0], days[-1])}"
        elif labels[words] > 1 and group:
            words = f"{words}, {group}"
        dated = bool(days)
        yield str(column["key"]), words, str(column["type"])


def _value(cell: Any, kind: str) -> Value:
    if isinstance(cell, str) and kind in ("amount", "percent", "number"):
        try:
            return Decimal(cell)
        except InvalidOperation:
            return cell
    return None if cell is None else cell if isinstance(cell, int) else str(cell)


class Moved(NamedTuple):
    """A figure that is not the same in two reports; one of them may lack it."""

    before: IssuedFigure | None
    after: IssuedFigure | None

    @property
    def figure(self) -> IssuedFigure:
        """The figure as it is named, where it is there now."""
        found = self.after or self.before
        assert found is not None  # noqa: S101  one of the two is always there
        return found

    @property
    def difference(self) -> Decimal | None:
        """By how much it differs, what is not there counting as nothing; None where it is no number."""
        values = [each.value if each else None for each in (self.before, self.after)]
        if not self.figure.is_number or any(isinstance(value, str) for value in values):
            return None
        before, after = (Decimal(value) if isinstance(value, Decimal | int) else Decimal(0) for value in values)
        return after - before


def summed_difference(before: Mapping[CellKey, IssuedFigure], after: Mapping[CellKey, IssuedFigure]) -> Decimal:
    """Return what all numbers of the later report come to less those of the earlier one, whether they differ or not.

    A figure that is a word on one side is left out on both, as it has no difference.
    """
    total = Decimal(0)
    for sign, side, other in ((1, after, before), (-1, before, after)):
        for place, figure in side.items():
            there = other[place].value if place in other else None
            if figure.is_number and isinstance(figure.value, Decimal | int) and not isinstance(there, str):
                total += sign * figure.value
    return total


def moved_figures(before: Mapping[CellKey, IssuedFigure], after: Mapping[CellKey, IssuedFigure]) -> Iterator[Moved]:
    """Yield the figures that differ, in the order of the later report, and then those that only the earlier one has."""
    for place, figure in after.items():
        earlier = before.get(place)
        if (earlier.value if earlier else None) != figure.value:
            yield Moved(earlier, figure)
    for place, figure in before.items():
        if place not in after and figure.value is not None:
            yield Moved(figure, None)
