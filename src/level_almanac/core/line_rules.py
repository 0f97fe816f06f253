"""The rules that a list's lines must meet, in the order of a proof: entities, entry class, dates, conditions."""

from collections.abc import Iterator, Sequence
from datetime import date
from decimal import Decimal
from typing import NamedTuple

from level_almanac.core.as_of import AsOf
from level_almanac.core.book import Book, Selection
from level_almanac.core.line_fields import LineFields
from level_almanac.core.report_table import Counted, Part
from level_almanac.core.stretches import stretches
from level_almanac.core.words.conditions import DayReach, read_condition
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.store.ledger_sums import Filter
from level_almanac.store.line_query import Left
from level_almanac.store.predicate import FieldTest, Not, Predicate, Within

ENTRY_CLASSES = ("ordinary", "adjusting", "closing", "carried")


class Rule(NamedTuple):
    """One rule: what the proof calls the lines that it leaves out, and the condition that the others meet.

    exclusion: whether it is one of --except, which takes from what was asked for.
    """

    words: str
    predicate: Predicate
    exclusion: bool = False


class Conditions(NamedTuple):
    """The conditions of --only and --except, as they were written."""

    only: tuple[str, ...] = ()
    besides: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.only or self.besides)

    @property
    def words(self) -> list[str]:
        """Each in words, for a report's head."""
        return [*(_flat(text) for text in self.only), *(f"except {_flat(text)}" for text in self.besides)]


def _flat(text: str) -> str:
    return " ".join(text.split())


def condition_rules(conditions: Conditions, fields: LineFields, reach: DayReach) -> Iterator[Rule]:
    """Yield a rule for each condition; raise UsageMistake for one that cannot be read."""
    for text in conditions.only:
        yield Rule(f"not: {_flat(text)}", read_condition(text, fields, "--only", UsageMistake, reach))
    for text in conditions.besides:
        unwanted = read_condition(text, fields, "--except", UsageMistake, reach)
        yield Rule(_flat(text), Not(unwanted), exclusion=True)


class LedgerConditions(NamedTuple):
    """The conditions of a report over sums of the ledger. rules: in order; words: each as it was asked for."""

    rules: tuple[Rule, ...]
    words: tuple[str, ...]

    def filter_of(self, book: Book, free: Sequence[str], shown: Sequence[str]) -> Filter | None:
        """Return what the store is to sum only, or None where there are no conditions.

        free: the measures that they are not asked for; shown: those that make what is shown.
        """
        if not self.rules:
            return None
        source = book.line_source(book.line_fields("ledger"), [rule.predicate for rule in self.rules], ())
        return Filter(source, frozenset(free), tuple(shown))


def ledger_conditions(book: Book, conditions: Conditions, reach: DayReach) -> LedgerConditions:
    """Return the conditions as rules on ledger lines; raise UsageMistake for one that cannot be read."""
    if not conditions:
        return LedgerConditions((), ())
    rules = condition_rules(conditions, book.line_fields("ledger"), reach)
    return LedgerConditions(tuple(rules), tuple(conditions.words))


def entity_rule(selection: Selection) -> Iterator[Rule]:
    """Yield the rule that takes only the entities of a report, where there are others."""
    if set(selection.comparable) != selection.entities.keys() or selection.unlike:
        yield Rule("other entities", FieldTest("entity", "is", tuple(selection.entities)))


def class_rules(classes: Sequence[str]) -> Iterator[Rule]:
    """Yield a rule for each entry class that is not shown. classes: those that are left out."""
    for name in classes:
        yield Rule(name, Not(FieldTest("entry", "is", (name,))))


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
    if not asked and table.name in ("ledger", "budget"):
        extras = as_of.extras
        yield Rule("other dates", Within(stretches(as_of.calendar, first, last, extras)))
        return
    yield Rule(f"no {name}", Not(FieldTest(name, "blank")))
    yield Rule("other dates", FieldTest(name, "through", (first, last)))


def proof_parts(
    rules: Sequence[Rule], found: Sequence[Left], further: Sequence[Part] = ()
) -> tuple[Counted, tuple[Part, ...]]:
    """Return what is shown and what each rule left out, as the store counted them."""
    by_rule = {left.rule: Counted(left.lines, left.amount) for left in found}
    parts = [Part(rule.words, by_rule[number]) for number, rule in enumerate(rules) if number in by_rule]
    shown = by_rule.get(None, Counted(0, Decimal(0)))
    return shown, (*parts, *further)
