"""The rules that a list's lines must meet, in the order of a proof: entities, entry class, dates, conditions."""

from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.calendar.positions import stretches
from level_almanac.core.fields import LineFields
from level_almanac.core.lines.conditions import read_dated_condition
from level_almanac.core.lines.rule import Rule
from level_almanac.core.requests.conditions import Conditions, flat
from level_almanac.core.selection import Selection
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.table.model import CountedAmount, Part
from level_almanac.core.void_conditions import on_voided_line
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.files.tables import Table
from level_almanac.store.line_query import Left
from level_almanac.store.predicate import FieldTest, Not, Within

ENTRY_CLASSES = ("ordinary", "adjusting", "closing", "carried")


def condition_rules(conditions: Conditions, fields: LineFields, reach: AsOf) -> Iterator[Rule]:
    """Yield a rule for each condition; raise UsageMistake for one that cannot be read."""
    for text in conditions.only:
        wanted, dated = read_dated_condition(text, fields, "--only", UsageMistake, reach)
        words = flat(dated)
        yield Rule(f"not: {words}", on_voided_line(wanted, fields), asked=words)
    for text in conditions.besides:
        unwanted, dated = read_dated_condition(text, fields, "--except", UsageMistake, reach)
        words = flat(dated)
        yield Rule(words, Not(on_voided_line(unwanted, fields)), exclusion=True, asked=f"except {words}")


def asked_words(rules: Sequence[Rule]) -> list[str]:
    """Return the conditions that a report was asked for, for its heading, with the dates of relative days."""
    return [rule.asked for rule in rules if rule.asked]


def selection_of(book: Book, fields: LineFields, codes: Sequence[str]) -> Selection | None:
    """Return the entities of a table that has them; None for one that does not.

    Raises UsageMistake where it does not and codes are asked for.
    """
    if fields.table.field("entity"):
        return book.select(codes, fields.table.name)
    if codes:
        what = f"the table {fields.table.name} does not tell entities apart"
        raise UsageMistake(Mistake(what, "--entity", repr(codes[0])))
    return None


def entity_rule(selection: Selection) -> Iterator[Rule]:
    """Yield the rules that take only the entities of a report, where there are others.

    Amounts in another currency are not added to its own, not even in its proof.
    """
    if selection.unlike:
        yield Rule("another currency", FieldTest("entity", "is", selection.comparable), aside=True, code="entity")
    if set(selection.comparable) != selection.entities.keys():
        yield Rule("other entities", FieldTest("entity", "is", tuple(selection.entities)), code="entity")


def class_rules(classes: Sequence[str]) -> Iterator[Rule]:
    """Yield a rule for each entry class that is not shown. classes: those that are left out."""
    for name in classes:
        yield Rule(name, Not(FieldTest("entry", "is", (name,))))


def check_classes(table: Table, asked: Mapping[str, bool]) -> None:
    """Raise UsageMistake for an option of entry classes that is asked for of a table without them."""
    for option, is_asked in asked.items():
        if is_asked and not table.entries:
            raise UsageMistake(Mistake("only the ledger has such lines", option, repr(table.name)))


def check_date(fields: LineFields, asked: str) -> None:
    """Raise UsageMistake where the table has no such date."""
    dates = [field.name for field in fields.by_name.values() if field.kind == "date"]
    if asked and asked not in dates:
        what, hint = f"the table {fields.table.name} has no such date", nearest(asked, dates)
        raise UsageMistake(Mistake(what, "--date", repr(asked), listed(dates), hint))


def date_rules(fields: LineFields, asked: str, first: date, last: date, as_of: AsOf) -> Iterator[Rule]:
    """Yield the rules that take the days from first through last. asked: the date field that counts, or empty.

    Raises UsageMistake where the table has no such date.
    """
    table = fields.table
    name = asked or table.date
    if not name:
        what = f"the table {table.name} has no date to tell days by"
        raise UsageMistake(
            Mistake(what, "--from", next_step=f"leave the days out, or name a date in [tables.{table.name}]")
        )
    if not asked and table.in_periods:
        extras = as_of.extras
        yield Rule("other dates", Within(stretches(as_of.calendar, first, last, extras)), code="dates")
        return
    yield Rule(f"no {name}", Not(FieldTest(name, "blank")), code="dates")
    yield Rule("other dates", FieldTest(name, "through", (first, last)), code="dates")


def proof_parts(rules: Sequence[Rule], found: Sequence[Left]) -> tuple[CountedAmount, tuple[Part, ...]]:
    """Return what is shown and what each rule left out, as the store counted them."""
    by_rule = {left.rule: CountedAmount(left.lines, left.amount) for left in found}
    parts = [
        Part(rule.words, by_rule[number]) for number, rule in enumerate(rules) if number in by_rule and not rule.aside
    ]
    shown = by_rule.get(None, CountedAmount(0, Decimal(0)))
    return shown, tuple(parts)
