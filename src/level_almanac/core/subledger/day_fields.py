"""What a document has on the day of a report: `open`, `settled`, `late` and `status` (docs/open-items.md).

They are asked of the store beside each line, wherever a field of the lines can be named.
"""

import re
from collections.abc import Callable, Sequence
from datetime import date
from decimal import Decimal
from functools import cached_property

from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.fields import SIGNED, Further, LineField, LineFields
from level_almanac.core.lines.rule import Rule
from level_almanac.core.subledger.open_on_day import OpenOnDay
from level_almanac.files.tables import SIDE_OF
from level_almanac.store.documents.open import STATE
from level_almanac.store.expressions import (
    Arithmetic,
    Beside,
    Constant,
    DaysBetween,
    Expression,
    FieldReference,
    Given,
    Summed,
    parts_of,
)
from level_almanac.store.line_query import LineSource
from level_almanac.store.predicate import Every, FieldTest, Not, Predicate, fields_in

DAY_FIELDS = ("open", "settled", "late", "status")
STATUSES = ("open", "part settled", "settled", "unapplied", "void", "over-applied")
"""What a line can be on a day, in the order in which documents go through it."""
_OPEN, _OVER, _TAKEN = (FieldReference(name) for name in STATE)
_ZERO = Decimal(0)
_IS_OPEN: Predicate = Not(FieldTest("open then", "is", (_ZERO,)))
_IS_INVOICE = FieldTest("kind", "is", ("invoice",))
_DEFINED = re.compile(r"\s*([a-z][a-z0-9_]*)\s*=", re.IGNORECASE)


class DayFields:
    """The fields of one report that tell the state on its day.

    computed: `name = words` of each field that the report computes, which go before these where they have a name of
    theirs, as do fields of the lines; opened: gives the documents as they stood on the day, once they are asked of.
    """

    def __init__(self, fields: LineFields, day: date, computed: Sequence[str], opened: Callable[[], OpenOnDay]) -> None:
        self.day, self._opened = day, opened
        own = {*fields.by_name, *fields.table.compute}
        own |= {named[1].lower() for text in computed if (named := _DEFINED.match(text))}
        here = DAY_FIELDS if fields.table.name in SIDE_OF.values() else ()
        self.names = tuple(name for name in here if name not in own)

    def among(self, fields: LineFields) -> LineFields:
        """Return the fields of a table of documents with these among them; those of any other as they are."""
        if not self.names:
            return fields
        found = {field.name: field for field in day_fields(fields, self.day) if field.name in self.names}
        return fields.with_computed(*found.values())._replace(further=Further(_places(fields), self._beside))

    def are_used(self, fields: LineFields, rules: Sequence[Rule], values: Sequence[Expression]) -> bool:
        """Tell whether rules, or values that are asked for, are made of any of these."""
        if not self.names:
            return False
        places = fields.places
        tested = [places[name] for rule in rules for name in fields_in(rule.predicate) if name in places]
        return any(part in (_OPEN, _OVER, _TAKEN) for value in (*tested, *values) for part in parts_of(value, places))

    @property
    def rule(self) -> Rule:
        """The rule of lines that are not there on the day yet."""
        return Rule(f"posted after {day_words(self.day)}", FieldTest("posted", "at-most", (self.day,)))

    @property
    def words(self) -> str:
        """What tells the day in the head of a report."""
        return f"open and status as of {day_words(self.day)}"

    def _beside(self, source: LineSource) -> LineSource:
        return self._state.beside(source)

    @cached_property
    def _state(self) -> OpenOnDay:
        return self._opened()


def _places(fields: LineFields) -> dict[str, Expression]:
    """Return where conditions find what the fields are made of, by names that no field can have."""
    due: Expression = Given(((FieldTest("due", "blank"), FieldReference("date")),), FieldReference("due"))
    settled: Expression = Arithmetic("-", _OPEN, SIGNED[fields.table.name])
    return {"open then": _OPEN, "over then": _OVER, "taken then": _TAKEN, "due then": due, "settled then": settled}


def day_fields(fields: LineFields, day: date) -> tuple[LineField, ...]:
    """Return the fields that tell the state on a day, whether or not the lines have others of their names."""
    places = _places(fields)
    is_there = Not(FieldTest("open then", "blank"))
    is_late = Every((_IS_INVOICE, is_there, _IS_OPEN, FieldTest("due then", "under", (day,))))
    status: Expression = Given(
        (
            (FieldTest("over then", "over", (_ZERO,)), Constant("over-applied")),
            (FieldTest("taken then", "is", (Decimal(1),)), Constant("void")),
            (Every((FieldTest("kind", "is", ("void",)), Not(_IS_OPEN))), Constant("void")),
            (Not(_IS_OPEN), Constant("settled")),
            (Not(_IS_INVOICE), Constant("unapplied")),
            (FieldTest("settled then", "is", (_ZERO,)), Constant("open")),
        ),
        Constant("part settled"),
    )
    late = Summed(((is_late, DaysBetween(places["due then"], Constant(day))),))
    return (
        LineField("open", "amount", _OPEN, ""),
        LineField("settled", "amount", places["settled then"], ""),
        LineField("late", "whole", late, ""),
        LineField("status", "text", Beside(status, _OPEN), ""),
    )
