"""Note voids that a condition separates from the line that they void (docs/conditions.md, "Voids")."""

from collections.abc import Iterator, Sequence

from level_almanac.core.book import Book
from level_almanac.core.fields import SIGNED, VOID_OF_PLACE, LineFields
from level_almanac.core.lines.rule import Rule
from level_almanac.core.table.model import Note
from level_almanac.core.void_conditions import separated
from level_almanac.errors import how_many
from level_almanac.files.tables import SIDE_OF
from level_almanac.store.expressions import Constant, Given
from level_almanac.store.line_query import Asked, groups
from level_almanac.store.predicate import Every, FieldTest, Not, OnVoidedLine, Predicate


def void_notes(book: Book, fields: LineFields, rules: Sequence[Rule], decimals: int) -> Iterator[Note]:
    """Yield the number and signed amount of voids that are included without the line that they void, or excluded
    although it is included.

    rules: entities, days and conditions of the report.
    """
    table = fields.table.name
    conditions = [rule.predicate for rule in rules if _tests_voids(rule.predicate)]
    test = separated(conditions) if table in SIDE_OF.values() and book.void_parts(table) else None
    if test is None:
        return
    others = [rule.predicate for rule in rules if not _tests_voids(rule.predicate)]
    source = book.line_source(fields, [*others, Not(FieldTest(VOID_OF_PLACE, "blank")), test], by_void=True)
    included = Given(((Every(tuple(conditions)), Constant("included")),), Constant("excluded"))
    for state, count, amount in sorted(groups(book.engine, source, [included], [Asked(SIGNED[table])])):
        voids = how_many(count, "void")
        if state == "included":
            words = f"{voids}, {{}}, included without the line that they void"
        else:
            words = f"{voids}, {{}}, excluded although the line that they void is included"
        yield Note(f"{words}: a condition tests a void's own values", (amount,), decimals)


def _tests_voids(predicate: Predicate) -> bool:
    match predicate:
        case OnVoidedLine():
            return True
        case Not(part):
            return _tests_voids(part)
    return False
