"""What reports over documents have in common: the lines of one side, its parties, and the tally of their proof."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any, Literal

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.fields import SIGNED, VOID_OF_PLACE, VOID_PART_PLACE, LineField
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
from level_almanac.core.lines.day_labels import DayLabels
from level_almanac.core.lines.edges import AskedDays, edge_notes
from level_almanac.core.lines.rule import Rule
from level_almanac.core.lines.rules import asked_words, condition_rules, entity_rule
from level_almanac.core.lines.slips import word_slips
from level_almanac.core.lines.source_place import SOURCE_PLACE
from level_almanac.core.lines.void_notes import void_notes
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.requests.options import Request, inner, option
from level_almanac.core.requests.shared import condition_options, entity_option
from level_almanac.core.settlements.item import BEHIND_EXPORT, Item, counted_kind
from level_almanac.core.spans.as_of import AsOf, AsOfRequest
from level_almanac.core.subledger.beside import USUAL, Beside, Wanted
from level_almanac.core.subledger.day_fields import DayFields
from level_almanac.core.subledger.open_items import replay
from level_almanac.core.subledger.open_on_day import OpenOnDay, chains_of, in_chains, item_of
from level_almanac.core.table.model import Cell, CountedAmount, Covered, Note, Part
from level_almanac.errors import BookMistake, Mistake, UsageMistake, nearest
from level_almanac.files.tables import SIDE_OF
from level_almanac.files.validation.findings import standing_code
from level_almanac.immutable import immutable
from level_almanac.progress import tell
from level_almanac.store.documents.lines import ITEM, DocumentLines
from level_almanac.store.documents.open import DOCUMENT, made_open
from level_almanac.store.documents.voids import VOID_PART
from level_almanac.store.engine import Row
from level_almanac.store.expressions import Constant, Expression, FieldReference, Given, Joined
from level_almanac.store.line_query import Asked, LineSource, Order, groups, lines
from level_almanac.store.predicate import Every, FieldTest, Predicate

SubledgerSide = Literal["payable", "receivable"]
_ZERO = Decimal(0)
_STORED = Decimal("0.000001")
"""The decimals of amounts that the store counts for a proof."""
_KEY = ("entity", "party", "kind", "number", "line")
_ITEM_FIELDS = (
    "entity", "party", "kind", "number", "line", "date", "due", "posted", "amount", "settles", "applied", "reference",
)  # fmt: skip


@immutable(kw_only=True)
class SubledgerRequest(Request):
    """Which documents a report is of. side: payable or receivable; when: the day that it is made for."""

    side: SubledgerSide = option("side", "", "choice", choices=("payable", "receivable"), argument=True, required=True)
    when: AsOfRequest = inner(AsOfRequest, without=("compare",))
    conditions: Conditions = condition_options()
    entities: tuple[str, ...] = entity_option()


class Subledger:
    """The lines of payables or receivables that a report is of, all that were posted, ever.

    further: the fields whose values each line is to bring along; dated: the date that the report's days go by, or empty
    for the one that counts; state_on: gives the day on which fields tell what is open; shown: what is to be
    shown of the lines.
    """

    def __init__(
        self,
        book: Book,
        request: SubledgerRequest,
        further: Sequence[str] = (),
        dated: str = "",
        state_on: Callable[[AsOf], date] = lambda as_of: as_of.day,
        shown: Wanted = USUAL,
    ) -> None:
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
        bare = replace(request, conditions=Conditions())
        at = state_on(self.as_of)
        self.day_fields = DayFields(self.fields, at, (), lambda: Subledger(book, bare).open_on(at))
        self.fields = self.day_fields.among(self.fields)
        self.labels = DayLabels(self.fields.table)
        self.fields = self.labels.among(self.fields, book, self.selection.calendar)
        self.beside = Beside(book, self.fields, shown, self.as_of, self.labels)
        self.fields = self.beside.reader.reader.fields
        self.named = len(further)
        self.values = [self.field(name, "--by").value for name in further]
        self.values += [each.value for each in self.beside.asked]
        self.rules: tuple[Rule, ...] = (
            *entity_rule(self.selection),
            *condition_rules(request.conditions, self.fields, self.as_of),
        )
        if not self.day_fields.are_used(self.fields, self.rules, self.values):
            self.fields = self.fields._replace(further=None)
        self.names = _party_names(book)
        self.lines = self._read()
        rows = self.lines.in_chains()
        self.chained, self.numbers = chains_of(rows, len(self.values))
        self._on_day: dict[date, OpenOnDay] = {}

    def field(self, name: str, where: str) -> LineField:
        """Return a field of the lines; raise UsageMistake for one that they lack."""
        field = self.fields.by_name.get(name.strip())
        if field is None:
            what, hint = f"{self.table} have no such field", nearest(name, self.fields.by_name)
            raise UsageMistake(Mistake(what, where, repr(name), f"one that `almanac fields {self.table}` tells", hint))
        return field

    def _read(self) -> DocumentLines:
        """Return the lines of every entity whose amounts can be added."""
        tell(f"reading {self.table}")
        own = {"dated" if name == "date" else name: self.fields.by_name[name].value for name in _ITEM_FIELDS}
        marked = self.book.marked_parts(self.table)
        rules = [rule.predicate for rule in self.rules]
        source = self.book.line_source(self.fields, rules, marked or None, by_void=True)
        void_part = source.places.get(VOID_PART_PLACE)
        own |= {"exported_party": FieldReference("party"), "void_of": source.places[VOID_OF_PLACE]}
        own |= {"void_part": void_part or Constant(Decimal(1))}
        own |= {"place": self._place(own, with_parts=void_part is not None)}
        engine, entities = self.book.engine, self.selection.comparable
        return DocumentLines(engine, source, own, self.values, entities, marked=bool(marked))

    def _place(self, own: Mapping[str, Expression], *, with_parts: bool) -> Expression:
        """Return the unique key of a line: its file and line, and its own key if one row can become several lines.

        own: its fields, by name.
        with_parts: whether voids may be split into parts, which have numbers.
        """
        blocks = (block for block in self.book.settings.intake if block.table == self.table)
        split = any(block.across or block.split for block in blocks)
        key = [part for name in _KEY for part in (Constant(BEHIND_EXPORT), own[name])] if split else []
        part = FieldReference(VOID_PART)
        is_later = FieldTest(VOID_PART_PLACE, "over", (Decimal(1),))
        later = Given(((is_later, Joined((Constant(BEHIND_EXPORT), part))),), Constant(""))
        return Joined((*SOURCE_PLACE.parts, *key, *([later] if with_parts else ())))

    def open_on(self, day: date) -> OpenOnDay:
        """Return the documents of the report's entities as they stood at the end of a day."""
        if day not in self._on_day:
            tell(f"what is open of {self.table} on {day_words(day)}")
            entities, further = self.selection.entities, len(self.values)
            self._on_day[day] = OpenOnDay(self.lines, day, entities, self.chained, self.numbers, further)
        return self._on_day[day]

    def open_on_days(self, days: Sequence[date]) -> str:
        """Return the table of what may be open on each of some days, with what the store needs to link lines to it."""
        chosen = [item for item in self.chained if item.entity in self.selection.entities]
        found = {day: in_chains(replay(chosen, day, self.numbers)) for day in days}
        return made_open(self.lines, DOCUMENT, sorted(self.selection.entities), found)

    def groups(self, by: Sequence[Expression], asked: Sequence[Asked], rules: Sequence[Predicate] = ()) -> list[Row]:
        """Return for each group of all lines that meet the rules, whatever their entity and day, its values of `by`,
        how many lines it has, and each value asked for: fields of a line, and `signed`.
        """
        return groups(self.book.engine, self._asked(rules), by, asked)

    def items(self, rules: Sequence[Predicate], order: Sequence[Order] = ()) -> list[Item]:
        """Return the lines that meet the rules, whatever their entity and day, in order, else that of the exports."""
        names = [*ITEM, *(f"f{number}" for number in range(len(self.values)))]
        rows = lines(self.book.engine, self._asked(rules), [FieldReference(name) for name in names], order)
        return [item_of(row, len(self.values)) for row in rows]

    def shown_of(self, item: Item) -> tuple[Any, ...]:
        """Return what a line has of the values that are shown, as `Beside` makes cells of them."""
        return self.beside.plan.alone(item.further[self.named :])

    def share_of(self, item: Item, key: str) -> Decimal:
        """Return what a line adds to a column that `Beside.sums` names."""
        cell = self.beside.cells(1, self.shown_of(item))[key]
        return Decimal(cell) if isinstance(cell, Decimal | int) else _ZERO

    @property
    def asked_beside(self) -> list[Asked]:
        """The same as the store is asked for them, of groups of lines."""
        asked = enumerate(self.beside.asked, start=self.named)
        return [Asked(FieldReference(f"f{at}"), each.summing) for at, each in asked]

    def _asked(self, rules: Sequence[Predicate]) -> LineSource:
        return replace(self.lines.source(), rules=tuple(rules))

    @property
    def chosen(self) -> FieldTest:
        """That a line is of the entities that the report is of, whatever its conditions."""
        return FieldTest("entity", "is", tuple(self.selection.entities))

    def key_of(self, item: Item) -> str:
        """Return what a person points at a document with; its entity before it where there are several."""
        return item.key if len(self.selection.entities) == 1 else f"{item.entity}/{item.key}"

    def rule_words(self, failed: int) -> str:
        """Return what a proof calls the rule of a number, which leaves a line out, or nothing where it meets all."""
        return self.rules[failed].words if failed < len(self.rules) else ""

    @property
    def met(self) -> FieldTest:
        """That a line meets every rule."""
        return FieldTest("failed_rule", "at-least", (Decimal(len(self.rules)),))

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

    def considered(self, rules: Sequence[Predicate] = ()) -> CountedAmount:
        """Return the number of lines and the signed amount of those that meet the rules, by a query of its own."""
        meets = Given(((Every(tuple(rules)), Constant(Decimal(1))),), Constant(_ZERO))
        rows = self._all_lines([meets], Asked(SIGNED[self.table]))
        amount = sum((row[2] for row in rows if row[0]), _ZERO)
        return CountedAmount(sum(row[1] for row in rows), amount.quantize(_STORED))

    def considered_by_kind(self) -> dict[str, CountedAmount]:
        """Return the lines of each counted kind and their amounts, not signed, by a query of its own."""
        rows = self._all_lines(
            [FieldReference("kind"), self._all().places[VOID_OF_PLACE]], Asked(FieldReference("amount"))
        )
        return {counted_kind(kind, void_of): CountedAmount(count, amount) for kind, void_of, count, amount in rows}

    def _all(self) -> LineSource:
        """Return all lines of the table in the currency, with voids split as the conditions split them."""
        comparable = FieldTest("entity", "is", self.selection.comparable)
        rules = [comparable, *(rule.predicate for rule in self.rules)]
        return self.book.line_source(self.fields, rules, by_void=True)

    def _all_lines(self, by: Sequence[Expression], asked: Asked) -> list[Row]:
        return groups(self.book.engine, self._all(), by, [asked], less=len(self.rules))

    def notes(self) -> Iterator[str]:
        """Yield what a reader has to know of the entities and the day."""
        yield from word_slips(self.book, self.fields, [rule for rule in self.rules if rule.code != "entity"])
        yield from self.selection.notes
        yield from as_of_notes(self.as_of)
        yield from early_notes(self.book, self.table, self.selection, self.day)
        yield from self.beside.notes()

    def standing_on(self, day: date) -> Covered:
        """Return that figures tell the state at the end of a day."""
        through = reach_of(self.book, self.table, "posted")
        return Covered(None, day, None if through is None else through >= day, True)

    def edge_notes(self, days: tuple[date, date] | None, dated: str = "") -> Iterator[Note]:
        """Yield what is one day off a period's edge. days: the range that was asked for, if one was, in `dated`."""
        asked = AskedDays(*days, dated) if days else None
        decimals = self.selection.decimals
        yield from edge_notes(self.book, self.fields, self.selection.calendar, asked, self.rules, decimals)

    def void_notes(self, days: tuple[date, date], dated: str) -> Iterator[Note]:
        """Yield the voids of these days that a condition separates from the line that they void. dated: the date field
        of the days, or empty for `posted`.
        """
        within = Rule("other dates", FieldTest(dated or "posted", "through", days))
        yield from void_notes(self.book, self.fields, (within, *self.rules), self.selection.decimals)

    def facts(self) -> dict[str, str]:
        """Return what heads the report, by key."""
        facts = {
            "side": self.request.side,
            **selection_facts(self.selection),
            "as_of": self.day.isoformat(),
            "as_of_chosen": self.as_of.how,
        }
        if self.request.conditions:
            facts["conditions"] = " · ".join(asked_words(self.rules))
        return facts | data_facts(self.book, self.table)

    def subtitle(self, *words: str) -> tuple[str, ...]:
        """Return what heads the report, as lines to be read. words: of this report, on a line with the conditions."""
        pieces = [*(word for word in words if word), *asked_words(self.rules)]
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

    def add(self, rule: str, lines: int, amount: Decimal) -> None:
        """Count lines under the rule that leaves them out, or as shown where that is empty."""
        part = self._parts.setdefault(rule, [0, _ZERO])
        part[0] += lines
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
    """Return what rows are sorted by: numbers largest first, all else in its order, ties by key, blank ones last."""
    number = cell if isinstance(cell, Decimal | int) else None
    if number is None and cell is not None:
        return (False, cell, key)
    return (number is None, -number if number is not None else 0, key)


def later_words(day: date) -> str:
    """Return what a proof calls the lines that came after a report's day."""
    return f"posted after {day_words(day)}"
