"""The columns that `--show` names of documents and parties: the report's own, and any fields beside them."""

from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.fields import LineFields
from level_almanac.core.lines.cells import CellPlan, column_of, tidied
from level_almanac.core.lines.computed import ComputedReader
from level_almanac.core.lines.computed_asked import read_computed
from level_almanac.core.lines.currencies import currencies_of
from level_almanac.core.lines.day_labels import DayLabels
from level_almanac.core.lines.lacking import average_note
from level_almanac.core.lines.selected import ShownField, ShownReader, labelled, pieces
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.table.model import Cell, Column, Row
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.store.expressions import FieldReference
from level_almanac.store.line_query import Asked, lines

_OF_PARTY = "party."


class Named(NamedTuple):
    """One column that is shown. key: what it is pointed with, the report's own where it is one of these; label: of its
    head, or empty for the usual one; field: what it is else; of_party: whether that is of the party itself.
    """

    key: str
    label: str = ""
    field: ShownField | None = None
    of_party: bool = False


class Wanted(NamedTuple):
    """What is to be shown. text: as it was asked for; own: the keys of the report's own columns; by_party: whether its
    rows are of parties, whose fields then are theirs and not those of single lines.
    """

    text: str = ""
    own: Sequence[str] = ()
    by_party: bool = False


USUAL = Wanted()
"""Nothing else than what a report shows by itself."""


class Beside:
    """The columns of one report, as far as they are named. fields: of the lines.

    Raises UsageMistake for what the lines lack.
    """

    def __init__(self, book: Book, fields: LineFields, wanted: Wanted, as_of: AsOf, labels: DayLabels) -> None:
        self.book = book
        fields, computed = read_computed(fields, (), (wanted.text,), as_of, labels.label)
        words = ComputedReader(fields, "--show", UsageMistake, as_of, labels.label)
        self.reader = ShownReader(words, computed, UsageMistake)
        self.columns = self._read(wanted) if wanted.text else ()
        found = [each.field for each in self.columns if each.field is not None and not each.of_party]
        self.plan = CellPlan(found, apart=currencies_of(fields.table, found))
        self._whole: tuple[int, Sequence[Any]] = (0, ())

    def _read(self, wanted: Wanted) -> tuple[Named, ...]:
        own = {key.casefold(): key for key in wanted.own}
        parties = self.book.line_fields("parties").by_name if wanted.by_party else {}
        found: dict[str, Named] = {}
        for piece in pieces(wanted.text):
            label, words = labelled(piece)
            name = words.casefold()
            of_party = parties.get(name.removeprefix(_OF_PARTY)) if name.startswith(_OF_PARTY) else None
            if name in own:
                named = Named(own[name], label)
            elif of_party is not None:
                head = label or of_party.label or name
                named = Named(name, head, ShownField(name, head, of_party.kind, of_party.value), of_party=True)
            else:
                self.reader.check_named(name, wanted.own)
                field = self.reader.one(words, label)
                named = Named(field.key, field.label, field)
            taken = own.get((label or named.key).casefold())
            if taken is not None and (named.field is not None or taken != named.key):
                what, step = "the report has a column of this name", "give it another label"
                raise UsageMistake(Mistake(what, "--show", repr(piece), next_step=step))
            if named.key in found:
                raise UsageMistake(Mistake("shown twice", "--show", repr(named.key)))
            found[named.key] = named
        if not found:
            raise UsageMistake(Mistake("no column is left to show", "--show", repr(wanted.text)))
        return tuple(found.values())

    @property
    def asked(self) -> list[Asked]:
        """The values of lines that the store is asked for."""
        return self.plan.asked

    @property
    def names(self) -> tuple[str, ...]:
        """The keys of all columns, in order."""
        return tuple(each.key for each in self.columns)

    @property
    def fields(self) -> tuple[str, ...]:
        """The keys of those columns that are not the report's own."""
        return tuple(each.key for each in self.columns if each.field is not None)

    @property
    def sums(self) -> tuple[str, ...]:
        """The keys of those columns that lines add up to, of amounts or of the lines themselves."""
        found = (each.field for each in self.columns if each.field is not None and not each.of_party)
        return tuple(each.key for each in found if each.key == "count" or (each.kind == "amount" and _adds(each)))

    def cells(self, count: int, sums: Sequence[Any], *, total: bool = False) -> dict[str, Cell]:
        """Return the cells of some lines. sums: of what the plan asks for; total: whether a total's, which tells no
        value that its lines only have in common.
        """
        if count > self._whole[0]:
            self._whole = (count, sums)
        return {
            each.key: self.plan.cell(each.field, count, sums)
            for each in self.columns
            if each.field is not None
            and not each.of_party
            and not (total and each.field.ratio is None and each.field.summing == "only")
        }

    def notes(self) -> Iterator[str]:
        """Yield how many lines each average uses, of the largest group that cells were made for: the total."""
        count, sums = self._whole
        for label, place in self.plan.averaged.values() if sums else ():
            yield from average_note(label, int(sums[place] or 0), count)

    def of_party(self, code: str) -> dict[str, Cell]:
        """Return the cells of a party that are of its own fields."""
        return dict(self._parties.get(code, {}))

    @cached_property
    def _parties(self) -> Mapping[str, Mapping[str, Cell]]:
        named = {each.key: each.field.value for each in self.columns if each.of_party and each.field is not None}
        if not named:
            return {}
        source = self.book.line_source(self.book.line_fields("parties"))
        values = [value for value in named.values() if value is not None]
        rows = lines(self.book.engine, source, [FieldReference("party"), *values], ())
        return {code: dict(zip(named, cells, strict=True)) for code, *cells in rows}

    def chosen(self, usual: Sequence[Column], rows: Sequence[Row], decimals: int) -> tuple[Column, ...]:
        """Return the columns that are asked for, in their order, or the usual ones of a report where none is.

        usual: all that are its own; rows: of it; decimals: of amounts.
        """
        own = {column.key: column for column in usual}
        found = []
        for each in self.columns:
            if each.field is None:
                found.append(own[each.key]._replace(label=each.label or own[each.key].label))
            else:
                column = column_of(each.field, [row.cells.get(each.key) for row in rows], decimals)
                found.append(column._replace(adds=False) if each.of_party else column)
        return tuple(found) or tuple(usual)


def _adds(field: ShownField) -> bool:
    return field.ratio is None and field.aggregate in ("", "sum") and field.summing == "sum"


def tidy(columns: Sequence[Column], cells: Mapping[str, Cell]) -> dict[str, Cell]:
    """Return cells with as many decimals as their columns have."""
    numbers = {column.key: column for column in columns if column.kind in ("amount", "number", "count")}
    return {key: tidied(cell, numbers[key]) if key in numbers else cell for key, cell in cells.items()}
