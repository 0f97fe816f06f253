"""Conditions on voids: a void is tested with the values of the line that it voids (docs/conditions.md, "Voids")."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from level_almanac.core.fields import VOID_OF_PLACE, VOID_PART_PLACE
from level_almanac.core.settlements.item import Item
from level_almanac.core.settlements.voids_and_refunds import undone_settlements
from level_almanac.files.tables import SIDE_OF
from level_almanac.store.documents.voids import VOID_OF, VOID_PART, VoidPart, settling_lines, with_voided_lines
from level_almanac.store.engine import Engine
from level_almanac.store.expressions import (
    Arithmetic,
    Beside,
    DaysBetween,
    Expression,
    FieldReference,
    Given,
    Joined,
    Keyed,
    Labelled,
    OrZero,
    Piece,
    Rounded,
    Summed,
    parts_of,
)
from level_almanac.store.line_query import LineSource
from level_almanac.store.predicate import (
    Every,
    FieldTest,
    Not,
    OnVoidedLine,
    Predicate,
    Some,
    fields_in,
    looked_up,
    own_values,
    tested_name,
)

if TYPE_CHECKING:
    from level_almanac.core.fields import LineFields

_NAMES = ("number", "line", "settles", "file", "file_line")
_DAYS = ("posted", "counted", "applied", "period")
_OWN_FIELDS = frozenset((*_NAMES, *_DAYS, "open", "settled", "late", "status"))
"""The fields that a void keeps as its own: what names it, the days that it counts on, and its state on a day."""
_OWN_COLUMNS = _OWN_FIELDS | {"open_then", "over_then", "taken_then"}


def on_voided_line(condition: Predicate, fields: "LineFields") -> Predicate:
    """Return a condition of --only or --except as it is tested on lines; unchanged for tables without voids.

    `kind` is a void's own if the condition names `void`, or no other field.
    """
    if fields.table.name not in SIDE_OF.values():
        return condition
    names = fields_in(condition)
    own = {"kind"} if names == {"kind"} or _names_void(condition) else set()
    followed = frozenset(name for name in names - own if not _is_own(name, fields))
    return OnVoidedLine(condition, followed) if followed or names else condition


def _names_void(condition: Predicate) -> bool:
    match condition:
        case FieldTest("kind", _, words, _):
            return "void" in words
        case Not(part) | OnVoidedLine(part, _):
            return _names_void(part)
        case Every(parts) | Some(parts):
            return any(_names_void(part) for part in parts)
    return False


def _is_own(name: str, fields: "LineFields") -> bool:
    """Return whether a void keeps the field: it is one of its own, or is computed from such fields only."""
    if name in _OWN_FIELDS:
        return True
    columns = [part for part in parts_of(fields.places[name], fields.places) if isinstance(part, FieldReference)]
    return bool(columns) and all(not part.link and part.column in _OWN_COLUMNS for part in columns)


def void_parts(
    engine: Engine, parts: Sequence[str], standing: Mapping[str, str], *, marked: bool
) -> tuple[VoidPart, ...]:
    """Return each line that a void undoes, of all voids of a table.

    parts: the parts with the table's lines.
    standing: for each party code that is taken as another, the other.
    marked: whether the parts have the marks of a load.
    """
    rows = settling_lines(engine, parts, standing, marked=marked)
    items = [Item(**dict(zip(Item._fields, row[:-1], strict=False)), exported_party=row[-1]) for row in rows]
    return tuple(
        VoidPart(
            item.entity, item.exported_party, item.number, item.line,
            items[to].exported_party, items[to].kind, items[to].number, items[to].line, amount,
        )
        for at, undone in sorted(undone_settlements(items).items())
        if (item := items[at]).kind == "void"
        for to, amount in zip(undone.lines, undone.amounts, strict=True)
    )  # fmt: skip


def with_voids(source: LineSource, voids: Sequence[VoidPart], *, by_kind: bool = False) -> LineSource:
    """Return lines of documents on which voids are tested with the values of the lines that they void.

    by_kind: whether totals need the kind of the voided line.
    """
    rules = source.rules
    names = {name for rule in rules for name in looked_up(rule) if name not in source.places}
    of_refund = any(each.to_kind == "refund" for each in voids)
    if not voids or not (names or of_refund or by_kind):
        return replace(source, rules=tuple(own_values(rule) for rule in rules)) if names else source
    following = _Following(source.places)
    for name in sorted(names):
        following.add(name.removeprefix(tested_name("")))
    found = with_voided_lines(source, voids, sorted(following.columns), by_kind=by_kind)
    links = {
        tested_name(link): linked for link, linked in source.links.items() if link.partition(".")[0] in following.links
    }
    places = {
        **source.places,
        **following.places,
        VOID_OF_PLACE: FieldReference(VOID_OF),
        VOID_PART_PLACE: FieldReference(VOID_PART),
    }
    return replace(found, places=places, links={**source.links, **links})


class _Following:
    """Rewrites values of a line into those of the line that it voids.

    columns: the columns that are needed of the voided line.
    links: the fields among them that lead to other tables.
    places: the rewritten value of each name, under its `tested` name.
    """

    def __init__(self, places: Mapping[str, Expression]) -> None:
        self._own = places
        self.columns: set[str] = set()
        self.links: set[str] = set()
        self.places: dict[str, Expression] = {}

    def add(self, name: str) -> None:
        """Add a field, and all that its value is made of."""
        if tested_name(name) not in self.places:
            # A name is known before its value is rewritten: a value can test its own name.
            self.places[tested_name(name)] = self._own[name]
            self.places[tested_name(name)] = self._rewritten(self._own[name])

    def _rewritten(self, value: Expression) -> Expression:  # noqa: C901, PLR0912  one case a kind
        follow = self._rewritten
        match value:
            case FieldReference(column, link, is_price):
                first = link.partition(".")[0] if link else column
                self.columns.add(first)
                if link:
                    self.links.add(first)
                    return FieldReference(column, tested_name(link), is_price)
                return FieldReference(tested_name(column), is_price=is_price)
            case Labelled(of, number, _):
                return Labelled(follow(of), number, tested=True)
            case Arithmetic(operation, left, right):
                return Arithmetic(operation, follow(left), follow(right))
            case DaysBetween(first_day, last_day):
                return DaysBetween(follow(first_day), follow(last_day))
            case Given(cases, otherwise):
                return Given(self._cases(cases), follow(otherwise))
            case Summed(cases):
                return Summed(self._cases(cases))
            case Joined(parts):
                return Joined(tuple(follow(part) for part in parts))
            case Piece(end, length, of):
                return Piece(end, length, follow(of))
            case Rounded(part, decimals):
                return Rounded(follow(part), decimals)
            case OrZero(part):
                return OrZero(follow(part))
            case Keyed(part):
                return Keyed(follow(part))
            case Beside(part, other):
                return Beside(follow(part), follow(other))
        return value

    def _cases(self, cases: Iterable[tuple[Predicate, Expression]]) -> tuple[tuple[Predicate, Expression], ...]:
        return tuple((self._test(test), self._rewritten(value)) for test, value in cases)

    def _test(self, test: Predicate) -> Predicate:
        names = fields_in(test)
        for name in names:
            self.add(name)
        return OnVoidedLine(test, frozenset(names))


def separated(rules: Sequence[Predicate]) -> Predicate | None:
    """Return the test of voids that conditions separate from the line that they void; None if none can be.

    rules: conditions, of which some test own values of a void.
    """
    tests = [rule for rule in rules if _separates(rule)]
    if not tests:
        return None
    every, voided = Every(tuple(rules)), Every(tuple(_all_followed(rule) for rule in rules))
    return Some((Every((every, Not(voided))), Every((Not(every), voided))))


def _separates(rule: Predicate) -> bool:
    match rule:
        case OnVoidedLine(part, followed):
            return bool(fields_in(part) - followed)
        case Not(part):
            return _separates(part)
    return False


def _all_followed(rule: Predicate) -> Predicate:
    match rule:
        case OnVoidedLine(part, _):
            return OnVoidedLine(part, frozenset(fields_in(part)))
        case Not(part):
            return Not(_all_followed(part))
    return rule
