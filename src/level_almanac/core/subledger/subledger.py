"""What reports over documents have in common: the lines of one side, its parties, and the tally of their proof."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from functools import cached_property
from typing import Any, Literal

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.fields import SIGNED, LineField
from level_almanac.core.header import (
    as_of_for,
    as_of_notes,
    as_of_words,
    data_facts,
    data_words,
    early_notes,
    looks_ahead,
    reach_of,
    selection_facts,
)
from level_almanac.core.lines.edges import AskedDays, edge_notes
from level_almanac.core.lines.rule import Rule
from level_almanac.core.lines.rules import condition_rules, entity_rule
from level_almanac.core.lines.slips import word_slips
from level_almanac.core.lines.source_place import SOURCE_PLACE
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.requests.options import Request, inner, option
from level_almanac.core.requests.shared import condition_options, entity_option
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.core.subledger.item import Item
from level_almanac.core.subledger.taken_back import taken_back
from level_almanac.core.table.model import Cell, CountedAmount, Covered, Note, Part
from level_almanac.errors import BookMistake, Mistake, UsageMistake, nearest
from level_almanac.files.tables import SIDE_OF
from level_almanac.files.validation.findings import standing_code
from level_almanac.store.expressions import Constant, Expression, FieldReference, Given
from level_almanac.store.line_query import left_out, lines, lines_met
from level_almanac.store.predicate import FieldTest, Predicate, fields_in

SubledgerSide = Literal["payable", "receivable"]
_ZERO = Decimal(0)
_ITEM_FIELDS = (
    "entity", "party", "kind", "number", "line", "date", "due", "posted", "amount", "settles", "applied", "reference",
)  # fmt: skip


_ONE = Constant(Decimal(1))
_OF_THE_LINE = frozenset(
    {"entity", "party", "kind", "number", "line", "amount", "signed", "settles", "applied", "file", "file_line"}
)
"""Fields whose conditions a void or refund meets or fails by itself; all others are those of what it takes back."""


def _carries(rule: Rule) -> bool:
    fields = {name.partition(".")[0] for name in fields_in(rule.predicate)}
    return bool(fields) and fields.isdisjoint(_OF_THE_LINE)


@dataclass(frozen=True, slots=True, kw_only=True)
class SubledgerRequest(Request):
    """Which documents a report is of. side: payable or receivable; when: the day that it is made for."""

    side: SubledgerSide = option("side", "", "choice", choices=("payable", "receivable"), argument=True, required=True)
    when: AsOfRequest = inner(AsOfRequest, without=("compare",))
    conditions: Conditions = condition_options()
    entities: tuple[str, ...] = entity_option()


class Subledger:
    """The lines of payables or receivables that a report is of, all that were posted, ever.

    further: the fields whose values each line is to bring along; dated: the date that the report's days go by, or empty
    for the one that counts.
    """

    def __init__(self, book: Book, request: SubledgerRequest, further: Sequence[str] = (), dated: str = "") -> None:
        self.book, self.request = book, request
        self.table = SIDE_OF[request.side]
        self.fields = book.line_fields(self.table)
        if not book.parts_of(self.table):
            step = f'add an [[intake]] block with table = "{self.table}" and run `almanac load`'
            raise BookMistake(Mistake(f"no {self.table} are loaded", "almanac.toml", next_step=step))
        self.selection = book.select(request.entities, self.table)
        ahead = looks_ahead(self.fields.table, dated)
        self.as_of = as_of_for(book, self.selection.calendar, request.when, (self.table,), ahead=ahead)
        self.day = self.as_of.day
        self.further = [self.field(name, "--by") for name in further]
        self.rules: tuple[Rule, ...] = (
            *entity_rule(self.selection),
            *condition_rules(request.conditions, self.fields, self.as_of),
        )
        self.names = _party_names(book)
        self.items = self._read()

    def field(self, name: str, where: str) -> LineField:
        """Return a field of the lines; raise UsageMistake for one that they lack."""
        field = self.fields.by_name.get(name.strip())
        if field is None:
            what, hint = f"{self.table} have no such field", nearest(name, self.fields.by_name)
            raise UsageMistake(Mistake(what, where, repr(name), f"one that `almanac fields {self.table}` tells", hint))
        return field

    def _read(self) -> list[Item]:
        """Return the lines of every entity whose amounts can be added, in the order of the exports."""
        own = [self.fields.by_name[name].value for name in _ITEM_FIELDS]
        values = [*own, FieldReference("party"), SOURCE_PLACE, *(each.value for each in self.further)]
        # Of each line whether it meets each condition, where one can carry from a payment to what takes it back.
        carried = [number for number, rule in enumerate(self.rules) if _carries(rule)]
        tested = range(len(self.rules)) if carried else ()
        values += [Given(((self.rules[number].predicate, _ONE),), Constant(_ZERO)) for number in tested]
        source = self.book.line_source(self.fields, [rule.predicate for rule in self.rules])
        comparable = set(self.selection.comparable)
        items: list[Item] = []
        met: list[Sequence[bool]] = []
        for left_by, entity, party, kind, number, line, *rest in lines_met(self.book.engine, source, values):
            dated, due, posted, amount, settles, applied, reference, told, place, *further = rest
            further, tests = further[: len(self.further)], further[len(self.further) :]
            if entity in comparable:
                met.append([bool(test) for test in tests])
                items.append(
                    Item(
                        entity,
                        party,
                        kind,
                        number,
                        line,
                        dated,
                        due,
                        posted,
                        Decimal(amount),
                        settles,
                        applied,
                        reference,
                        place,
                        told,
                        left_by,
                        tuple(further),
                    )
                )
        for at, taken in taken_back(items).items() if carried else ():
            # What takes a payment back goes with it, whatever its own reference or payee says.
            passed = [met[taken.lines[0] if number in carried else at][number] for number in tested]
            items[at] = items[at]._replace(failed_rule=passed.index(False) if False in passed else len(passed))
        return items

    @cached_property
    def chosen(self) -> list[Item]:
        """The lines of the entities that the report is of, whatever its conditions."""
        return [item for item in self.items if item.entity in self.selection.entities]

    def key_of(self, item: Item) -> str:
        """Return what a person points at a document with; its entity before it where there are several."""
        return item.key if len(self.selection.entities) == 1 else f"{item.entity}/{item.key}"

    def rule_of(self, item: Item) -> str:
        """Return what a proof calls the rule that leaves a line out, or nothing where it meets all."""
        return self.rules[item.failed_rule].words if item.failed_rule < len(self.rules) else ""

    def other_entity(self, item: Item) -> str:
        """Return what a proof calls the rule of entities, where that leaves a line out: it comes before all others."""
        failed = self.rules[item.failed_rule] if item.failed_rule < len(self.rules) else None
        return failed.words if failed is not None and failed.code == "entity" else ""

    def proof_order(self, *between: str) -> list[str]:
        """Return the order of a proof's rules: of entities, those of days that stand between, then the conditions."""
        entity = [rule.words for rule in self.rules if rule.code == "entity"]
        return [*entity, *between, *(rule.words for rule in self.rules if rule.code != "entity")]

    def standing(self, party: str) -> str:
        """Return the code that stands for a party's."""
        return standing_code(party, self.book.settings.parties.same_as) or party

    def name_of(self, party: str) -> str:
        """Return a party's name, or its code where it is on no list."""
        return self.names.get(party, party)

    def considered(self, rules: Sequence[Predicate] = (), measure: Expression | None = None) -> CountedAmount:
        """Return how many lines the table has, and what those that meet the rules come to; asked apart.

        measure: what is added up of each line, or None for its amount signed by kind.
        """
        comparable = FieldTest("entity", "is", self.selection.comparable)
        source = self.book.line_source(self.fields, [comparable, *rules])
        left = left_out(self.book.engine, source, measure or SIGNED[self.table])
        counted = [CountedAmount(each.lines, each.amount) for each in left if each.rule != 0]
        amount = sum((each.amount for each in left if each.rule is None), _ZERO)
        return CountedAmount(sum(each.lines for each in counted), amount)

    def notes(self) -> Iterator[str]:
        """Yield what a reader has to know of the entities and the day."""
        yield from word_slips(self.book, self.fields, [rule for rule in self.rules if rule.code != "entity"])
        yield from self.selection.notes
        yield from as_of_notes(self.as_of)
        yield from early_notes(self.book, self.table, self.selection, self.day)

    def standing_on(self, day: date) -> Covered:
        """Return that figures tell the state at the end of a day."""
        through = reach_of(self.book, self.table, "posted")
        return Covered(None, day, None if through is None else through >= day, True)

    def edge_notes(self, days: tuple[date, date] | None, dated: str = "") -> Iterator[Note]:
        """Yield what is one day off a period's edge. days: the range that was asked for, if one was, in `dated`."""
        asked = AskedDays(*days, dated) if days else None
        decimals = self.selection.decimals
        yield from edge_notes(self.book, self.fields, self.selection.calendar, asked, self.rules, decimals)

    def facts(self) -> dict[str, str]:
        """Return what heads the report, by key."""
        facts = {
            "side": self.request.side,
            **selection_facts(self.selection),
            "as_of": self.day.isoformat(),
            "as_of_chosen": self.as_of.how,
        }
        if self.request.conditions:
            facts["conditions"] = " · ".join(self.request.conditions.words)
        return facts | data_facts(self.book, self.table)

    def subtitle(self, *words: str) -> tuple[str, ...]:
        """Return what heads the report, as lines to be read. words: of this report, on a line with the conditions."""
        pieces = [*(word for word in words if word), *self.request.conditions.words]
        return (
            f"{self.selection.words} · {self.selection.currency}",
            as_of_words(self.book, self.as_of),
            *([" · ".join(pieces)] if pieces else []),
            data_words(self.book, self.table),
        )


def _party_names(book: Book) -> dict[str, str]:
    fields = book.line_fields("parties")
    source = book.line_source(fields)
    return dict(lines(book.engine, source, [FieldReference("party"), FieldReference("name")], ()))


class Tally:
    """The lines that rules left out, and those that are shown: what a proof is made of. order: of the rules."""

    def __init__(self, order: Sequence[str]) -> None:
        self._parts: dict[str, list[Any]] = {rule: [0, _ZERO] for rule in ("", *order)}

    def add(self, rule: str, amount: Decimal) -> None:
        """Count a line under the rule that leaves it out, or as shown where that is empty."""
        part = self._parts.setdefault(rule, [0, _ZERO])
        part[0] += 1
        part[1] += amount

    @property
    def shown(self) -> CountedAmount:
        """The lines that are shown."""
        return CountedAmount(*self._parts[""])

    @property
    def parts(self) -> tuple[Part, ...]:
        """What each rule left out, where it did."""
        return tuple(
            Part(rule, CountedAmount(*counted)) for rule, counted in self._parts.items() if rule and counted[0]
        )


def age_of(item: Item, day: date, by: str) -> int:
    """Return how many days late a document is on a day, by its due date or its own; by that where it has no other."""
    return (day - (item.due or item.dated if by == "due" else item.dated)).days


def in_order(cell: Cell, key: str) -> tuple[Any, ...]:
    """Return what rows are sorted by, largest first and ties by key, blank ones last."""
    number = cell if isinstance(cell, Decimal | int) else None
    return (number is None, -number if number is not None else 0, key)


def later_words(day: date) -> str:
    """Return what a proof calls the lines that came after a report's day."""
    return f"posted after {day_words(day)}"
