"""What can be asked of a table's lines: its own fields, and those of the tables that it links to (docs/fields.md)."""

from collections.abc import Callable, Iterator, Mapping
from decimal import Decimal
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, NamedTuple

from level_almanac.files.tables import BILLING_SIGNS, CREDIT_CLASSES, KIND_SIGNS, SIDE_OF, Kind, Table
from level_almanac.store.expressions import Arithmetic, Constant, Expression, FieldReference, Given, PeriodId
from level_almanac.store.predicate import FieldTest

if TYPE_CHECKING:
    from level_almanac.store.line_query import LineSource

LINE_FIELDS = {"file": "text", "file_line": "whole"}
"""What every line knows of where it came from."""
_MOST_HOPS = 4
LEDGER_FIELDS = {"counted": "date", "entry": "text"}
"""What the store adds to a ledger line: the day that it counts on, and its entry class."""
TURNED: Expression = Arithmetic("-", Constant(Decimal(0)), FieldReference("amount"))
NATURAL: Expression = Given(((FieldTest("account.class", "is", CREDIT_CLASSES), TURNED),), FieldReference("amount"))
"""A ledger line's amount in the natural sign of its account's class (docs/figures.md, "Signs")."""


VOID_OF_PLACE, VOID_PART_PLACE = "void of", "void part"
"""The names under which conditions find the kind of the line that a void undoes, and the number of a void's part. No
field can have such names.
"""


def _signed(signs: Mapping[str, int]) -> Given:
    return Given(
        ((FieldTest("kind", "is", tuple(kind for kind, sign in signs.items() if sign > 0)), FieldReference("amount")),),
        TURNED,
    )


def _signed_document() -> Expression:
    by_kind = _signed(KIND_SIGNS)
    return Given(((FieldTest(VOID_OF_PLACE, "is", ("refund",)), TURNED), *by_kind.cases), by_kind.otherwise)


SIGNED = {**{table: _signed_document() for table in SIDE_OF.values()}, "billing": _signed(BILLING_SIGNS)}
"""By table what a line, by its kind, does to what a party owes or is owed, or to what was billed and is to come."""


class LineField(NamedTuple):
    """One field of a table's lines. value: where it is found; link: the field through which another table is reached,
    or the fields hop by hop, as `item.range`, or empty; table: where it stands; number_like: whether its text is
    compared and sorted as a number; weight: what the average of a price is weighted by; label: what the book calls it
    in heads, or empty.
    """

    name: str
    kind: Kind
    value: Expression
    table: str
    link: str = ""
    number_like: bool = False
    weight: Expression | None = None
    label: str = ""


class Further(NamedTuple):
    """What lines have that is not stored with them. places: where it is found; of: takes what the store is asked of and
    returns the same with that beside each line.
    """

    places: Mapping[str, Expression]
    of: "Callable[[LineSource], LineSource]"


class LineFields(NamedTuple):
    """All fields of one table's lines by name, and which tables have a field of a name that this one lacks.

    further: values that are not stored with the lines, if any is asked for.
    labelled: adds the labels of days that fields are computed from, if a report computes such fields.
    """

    table: Table
    by_name: Mapping[str, LineField]
    elsewhere: Mapping[str, tuple[str, ...]]
    further: Further | None = None
    labelled: "Callable[[LineSource], LineSource] | None" = None

    def with_computed(self, *fields: LineField) -> "LineFields":
        """Return the same with more fields."""
        return self._replace(by_name={**self.by_name, **{field.name: field for field in fields}})

    @property
    def as_exported(self) -> "LineFields":
        """The same without what a line has only once it is in the book."""
        added = (*LINE_FIELDS, *LEDGER_FIELDS)
        return self._replace(by_name={name: field for name, field in self.by_name.items() if name not in added})

    @property
    def places(self) -> dict[str, Expression]:
        """Where each field is found, and what places a line in the calendar."""
        return {
            **{name: field.value for name, field in self.by_name.items()},
            "fiscal": FieldReference("fiscal"),
            "counted": FieldReference("counted"),
            "place": FieldReference("fiscal"),
            "place_day": FieldReference("counted"),
            "entry_class": FieldReference("entry_class"),
            VOID_OF_PLACE: Constant(""),
            **(self.further.places if self.further else {}),
        }


class AnyHead(dict[str, LineField]):
    """Every name is a text field: the heads of an export are known only once it is read."""

    def get(self, name: str, default: Any = None) -> Any:  # noqa: ARG002  dict's signature
        """Return a text field of this name."""
        return LineField(name, "text", FieldReference(name), "")


def export_fields() -> LineFields:
    """Return what the condition of an intake block can ask of an export: any of its heads."""
    return LineFields(Table("export", (), ()), AnyHead(), {})


def line_fields(
    name: str, tables: Mapping[str, Table], same_as: Mapping[str, str] = MappingProxyType({})
) -> LineFields:
    """Return the fields of a table's lines, with those of the tables that it links to.

    same_as: the codes of parties to those that stand for them.
    """
    table = tables[name]
    by_name = {field.name: field for field in _own(table)}
    if name in SIDE_OF.values():
        party_told = by_name["party"]._replace(name="party_told")
        by_name = {
            **by_name,
            "party_told": party_told,
            "party": by_name["party"]._replace(value=_standing(party_told, same_as)),
        }
    for link, target in links_from(name, tables).items():
        by_name |= {
            f"{link}.{field.name}": field._replace(name=f"{link}.{field.name}", value=_reached(field, link), link=link)
            for field in _own(tables[target])
            if field.name not in (*tables[target].key, *LINE_FIELDS) and not isinstance(field.value, PeriodId)
        }
    elsewhere: dict[str, tuple[str, ...]] = {}
    for other in tables.values():
        for field in other.fields:
            if field.name not in by_name:
                elsewhere[field.name] = (*elsewhere.get(field.name, ()), other.name)
    return LineFields(table, by_name, elsewhere)


def links_from(name: str, tables: Mapping[str, Table]) -> dict[str, str]:
    """Return every way from a table to others, hop by hop as `item.range`, and the table that it leads to.

    A way never comes by a table twice, and has so many hops at the most.
    """
    found: dict[str, str] = {}
    ways: list[tuple[str, tuple[str, ...]]] = [("", (name,))]
    for _ in range(_MOST_HOPS):
        further: list[tuple[str, tuple[str, ...]]] = []
        for way, passed in ways:
            for link, target in tables[passed[-1]].links.items():
                if target not in passed:
                    found[f"{way}{link}"] = target
                    further.append((f"{way}{link}.", (*passed, target)))
        ways = further
    return found


def _standing(told: LineField, same_as: Mapping[str, str]) -> Expression:
    """Return the code that stands for a party, where codes are one with others."""
    cases = tuple((FieldTest(told.name, "is", (code,)), Constant(standing)) for code, standing in same_as.items())
    return Given(cases, told.value) if cases else told.value


def _own(table: Table) -> Iterator[LineField]:
    for field in table.fields:
        placed = field.kind == "period"
        yield LineField(
            field.name,
            field.kind,
            PeriodId() if placed else FieldReference(field.name, is_price=field.price),
            table.name,
            number_like=field.name in table.number_like,
            weight=FieldReference(table.weights[field.name]) if field.name in table.weights else None,
            label=table.labels.get(field.name, ""),
        )
    if table.entries:
        yield LineField("counted", "date", FieldReference("counted"), table.name)
        yield LineField("entry", "text", FieldReference("entry_class"), table.name)
        yield LineField("natural", "amount", NATURAL, table.name)
    if table.name in SIGNED:
        yield LineField("signed", "amount", SIGNED[table.name], table.name)
    yield LineField("file", "text", FieldReference("file"), table.name)
    yield LineField("file_line", "whole", FieldReference("file_line"), table.name)


def _reached(field: LineField, link: str) -> Expression:
    return FieldReference(field.value.column, link) if isinstance(field.value, FieldReference) else field.value
