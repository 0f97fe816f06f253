"""The conditions that a report is asked for, as they were written and as rules; light, since most reports have none."""

from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

from level_almanac.core.lines.rule import Rule
from level_almanac.core.requests.conditions import Conditions

if TYPE_CHECKING:
    from datetime import date

    from level_almanac.core.book import Book
    from level_almanac.core.selection import Selection
    from level_almanac.core.spans.as_of import AsOf
    from level_almanac.core.table.model import Note, Slip
    from level_almanac.store.ledger_sums import Filter
    from level_almanac.store.predicate import Predicate


class LedgerConditions(NamedTuple):
    """The conditions of a report over sums of the ledger.

    rules: in order.
    words: each as it was asked for, with the dates of relative days.
    """

    rules: tuple[Rule, ...]
    words: tuple[str, ...]

    @property
    def select_lines(self) -> bool:
        """Whether a condition is on more than the account and its fields, and so selects some lines of an account."""
        if not self.rules:
            return False
        from level_almanac.store.predicate import fields_in

        fields = {field for rule in self.rules for field in fields_in(rule.predicate)}
        return any(field.partition(".")[0] != "account" for field in fields)

    @property
    def balance_words(self) -> list[str]:
        """The conditions in the heading of a report of balances."""
        return [f"of the lines that meet {' · '.join(self.words)}"] if self.select_lines else list(self.words)

    def balance_notes(self) -> Iterator[str]:
        """Yield a note if the balances of a report are not those of its accounts."""
        if self.select_lines:
            yield "Openings and balances are of the lines that meet the conditions; they are not the accounts' balances"

    def filter_of(self, book: "Book", free: Sequence[str], shown: Sequence[str]) -> "Filter | None":
        """Return what the store is to sum only, or None where there are no conditions.

        free: the measures that they are not asked for; shown: those that make what is shown.
        """
        if not self.rules:
            return None
        from level_almanac.store.ledger_sums import Filter

        source = book.line_source(book.line_fields("ledger"), [rule.predicate for rule in self.rules], ())
        return Filter(source, frozenset(free), tuple(shown))

    def slips(self, book: "Book", hidden: "Mapping[str, str] | None" = None) -> "Iterator[Slip]":
        """Yield words that no ledger line has, and what only lines of left out classes meet (see `word_slips`)."""
        if self.rules:
            from level_almanac.core.lines.slips import word_slips

            yield from word_slips(book, book.line_fields("ledger"), self.rules, hidden)

    def edge_notes(
        self, book: "Book", selection: "Selection", days: "Sequence[tuple[date, date]]", shown: "Sequence[Predicate]"
    ) -> "Iterator[Note]":
        """Yield what is one day off a period's edge, of ranges that were asked for and of days in conditions.

        shown: what lines must meet beside the conditions to be shown.
        """
        if self.rules or days:
            from level_almanac.core.lines.edges import AskedDays, edge_notes
            from level_almanac.core.lines.rules import entity_rule

            fields, calendar, decimals = book.line_fields("ledger"), selection.calendar, selection.decimals
            rules = (*entity_rule(selection), *(Rule("not shown", each) for each in shown), *self.rules)
            asked: list[AskedDays | None] = [AskedDays(*one) for one in days] or [None]
            for each in asked:
                yield from edge_notes(book, fields, calendar, each, rules, decimals)


def ledger_conditions(book: "Book", conditions: Conditions, as_of: "AsOf") -> LedgerConditions:
    """Return the conditions as rules on ledger lines; raise UsageMistake for one that cannot be read."""
    if not conditions:
        return LedgerConditions((), ())
    # Most reports have none, and should not wait for what reads them.
    from level_almanac.core.lines.rules import asked_words, condition_rules

    rules = tuple(condition_rules(conditions, book.line_fields("ledger"), as_of))
    return LedgerConditions(rules, tuple(asked_words(rules)))
