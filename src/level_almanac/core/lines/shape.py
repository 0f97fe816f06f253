"""What a list is made of: its columns, groups, order and limits; and what its rows came to."""

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any, NamedTuple

from level_almanac.core.fields import LineField
from level_almanac.core.lines.selected import ShownField, SortField
from level_almanac.core.table.model import Check, Column, CountedAmount, Note, Row
from level_almanac.core.table.threshold import Threshold
from level_almanac.store.expressions import Expression
from level_almanac.store.line_query import Order
from level_almanac.store.predicate import Every, FieldTest, Not, Predicate


class Others(NamedTuple):
    """All members of a field but these; blank: whether the lines without one are among these."""

    than: tuple[str, ...]
    blank: bool = False

    def holds(self, member: Any) -> bool:
        """Tell whether a member is one of them."""
        return not self.blank if member is None else str(member) not in self.than


def member_test(field: str, member: Any) -> Predicate:
    """Return the condition of the lines that have a member, none, or one of all other members, in a field."""
    if isinstance(member, Others):
        blank = FieldTest(field, "blank")
        named = FieldTest(field, "is", member.than)
        return Every((Not(named), Not(blank))) if member.blank else Not(named)
    return FieldTest(field, "blank") if member is None else FieldTest(field, "is", (member,))


def is_member(value: Any, of: Any) -> bool:
    """Tell whether a line's value is a member, or one of all other members."""
    return of.holds(value) if isinstance(of, Others) else bool(value == of)


class ListShape(NamedTuple):
    """What rows a list has. by: what its groups are of, outermost first; shown: its columns; sorts: what rows are in
    order by; limits: on the totals of the smallest groups; key: the fields that name a line; order: of lines else;
    lines: whether lines are shown; first: how many rows of the outermost kind; measure: what a proof adds up; decimals:
    of amounts; exclusions: how many of the last rules take from what was asked for; apart: by the key of a column what
    tells the currencies of its amounts apart, which are never added; places: where accounts stand, if not by code.
    is_split: returns whether a value is an amount in natural signs, which is summed by side.
    result_words: the name of credits less debits, which a note gives for a total that is blank for that reason.
    """

    by: tuple[ShownField, ...]
    shown: tuple[ShownField, ...]
    sorts: tuple[SortField, ...]
    limits: tuple[tuple[Threshold, ShownField], ...]
    key: tuple[LineField, ...]
    order: tuple[Order, ...]
    lines: bool
    first: int | None
    measure: Expression | None
    decimals: int
    exclusions: int
    apart: Mapping[str, Expression] = MappingProxyType({})
    is_split: Callable[[Expression], bool] = lambda _: False
    result_words: str = ""
    places: Mapping[str, int] = MappingProxyType({})


class MadeRows(NamedTuple):
    """The rows and columns. below_threshold: the lines of groups that a threshold left out; members: by the key
    of a group's row its values of `by`.
    """

    columns: tuple[Column, ...]
    rows: tuple[Row, ...]
    below_threshold: CountedAmount
    checks: tuple[Check, ...]
    notes: tuple[Note | str, ...]
    members: Mapping[str, tuple[Any, ...]] = MappingProxyType({})
