"""One table's lines that meet a report's conditions, with the measures asked of them: growth, rankings and pace."""

from collections.abc import Collection, Iterator, Sequence
from datetime import date
from decimal import Decimal
from functools import cached_property
from itertools import pairwise
from typing import Any

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.calendar.positions import joined_days
from level_almanac.core.header import (
    early_notes,
    ledger_begins,
    reach_of,
    selection_facts,
    table_as_of,
    table_as_of_facts,
    table_as_of_words,
    table_words,
)
from level_almanac.core.lines.account_conditions import classes_that_can_meet
from level_almanac.core.lines.computed import ComputedReader
from level_almanac.core.lines.computed_asked import read_computed
from level_almanac.core.lines.currencies import currencies_of
from level_almanac.core.lines.day_labels import DayLabels
from level_almanac.core.lines.edges import AskedDays, edge_notes
from level_almanac.core.lines.lacking import lacking_notes, unknown_notes
from level_almanac.core.lines.member_names import names_of
from level_almanac.core.lines.natural_signs import NATURAL_NOTE, UNADDED, is_natural, is_one_sided, result_words
from level_almanac.core.lines.rule import Rule
from level_almanac.core.lines.rules import (
    asked_words,
    check_classes,
    check_date,
    class_rules,
    condition_rules,
    entity_rule,
    proof_parts,
    selection_of,
)
from level_almanac.core.lines.selected import ShownField, ShownReader, values_of
from level_almanac.core.lines.slips import word_slips
from level_almanac.core.lines.void_notes import void_notes
from level_almanac.core.measures.measure import Measure, read_measures
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.requests.options import Request, inner, option
from level_almanac.core.requests.shared import after_closing_option, condition_options, entity_option
from level_almanac.core.spans.as_of import AsOf, AsOfRequest
from level_almanac.core.spans.windows import Missing, Window, since
from level_almanac.core.subledger.state import state_of
from level_almanac.core.table.model import Check, CountedAmount, Note, Part, Proof, Slip
from level_almanac.errors import BookMistake, Mistake, UsageMistake
from level_almanac.files.tables import COST_CLASSES, CREDIT_CLASSES, INCOME_CLASSES
from level_almanac.immutable import immutable
from level_almanac.store.expressions import Constant, Expression, FieldReference, Summed
from level_almanac.store.ledger_sums import merged
from level_almanac.store.line_query import Asked, LineSource, first_day, groups, left_out
from level_almanac.store.predicate import FieldTest, Not, Predicate, Some, Within, fields_in

RESULT, NET = "result = - amount", "net = amount"
_MEANING = {RESULT: " (income less costs)", NET: " (debits less credits)"}
_KINDS_OF_ACCOUNTS = (
    frozenset({"income"}), frozenset(COST_CLASSES), frozenset({"asset"}), frozenset({"liability", "equity"}),
)  # fmt: skip


@immutable(kw_only=True)
class MeasuredRequest(Request):
    """What is asked of a table's lines. of: measures, or empty for the table's amount; compute: `name = words` each;
    by: what members are of; date: the date that counts, or empty for the table's own; beside: another table of the
    same report, whose data must reach as far.
    """

    table: str = option("table", "", metavar="TABLE", offers="table", argument=True, required=True)
    by: str = option("by", "The field whose members they are told of.", metavar="FIELD", offers="fields", listed=True)
    of: str = option(
        "of",
        "What is summed: `amount, quantity, margin %`.  [default: the table's amount; of documents and billing the net "
        "one; of the ledger the result, or the amount where conditions leave one kind of accounts]",
        metavar="MEASURES",
        listed=True,
    )
    compute: tuple[str, ...] = option(
        "compute", "A measure: `margin = (amount - cost) / amount`.", "texts", metavar="WORDS"
    )
    date: str = option("date", "Go by this date, not the one that counts.", metavar="FIELD", offers="field")
    when: AsOfRequest = inner(AsOfRequest)
    after_closing: bool = after_closing_option()
    conditions: Conditions = condition_options()
    entities: tuple[str, ...] = entity_option()
    beside: str = ""


class TableMeasures:
    """The lines of one report in the making.

    of_costs: whether its own rules say which accounts of a ledger it takes; more: further measures; across: fields of
    which members stand beside one another; where: the option that measures stand in; usual: what the first of them is
    read from; named: its measures, as titles call them; of_kind: the rule of which accounts are measured, where they
    are told apart; tells_state: whether any of it tells the state of documents on the report's day.
    """

    def __init__(
        self,
        book: Book,
        request: MeasuredRequest,
        *,
        of_costs: bool = False,
        more: Sequence[str] = (),
        across: Sequence[str] = (),
        where: str = "--of",
    ) -> None:
        self.book, self.request = book, request
        self.fields = book.line_fields(request.table)
        self.own = self.fields.table
        if self.own.plan_of:
            step = f"say `almanac pace {self.own.plan_of}`, or list its lines"
            raise UsageMistake(
                Mistake("plans stand beside what they plan", "TABLE", repr(self.own.name), next_step=step)
            )
        check_classes(self.own, {"--after-closing": request.after_closing})
        self.selection = selection_of(book, self.fields, request.entities)
        check_date(self.fields, request.date)
        self.dated = request.date or self.own.date
        if not self.dated:
            step = f"name one as `date` in [tables.{self.own.name}]"
            raise UsageMistake(
                Mistake(f"the table {self.own.name} has no date to tell days by", "TABLE", next_step=step)
            )
        if not book.parts_of(self.own.name):
            step = f"add an [[intake]] block for the table {self.own.name}, and load"
            raise BookMistake(
                Mistake("nothing is loaded into this table", "TABLE", repr(self.own.name), next_step=step)
            )
        calendar = self.selection.calendar if self.selection else book.calendars[""]
        as_of = table_as_of(book, calendar, request.when, self.own.name, self.dated, request.beside)
        # Only lines of the ledger have a period that may be an extra one.
        self.through = reach_of(book, self.own.name, self.dated)
        self.as_of: AsOf = as_of if self.in_periods else as_of._replace(extras=0)
        self.labels = DayLabels(self.own)
        self.fields = self.labels.among(self.fields, book, calendar)
        self.state = state_of(book, self.fields, self.as_of.day, request.compute, request.entities)
        self.fields = self.state.among(self.fields)
        self.conditions = tuple(condition_rules(request.conditions, self.fields, self.as_of))
        self.of_kind: tuple[Rule, ...] = ()
        of = request.of or self.own.usual_measure or self.own.measure or "count"
        if self.own.entries and not request.of and not of_costs:
            of = self._usual_of_accounts(of)
        self.usual = of
        used = (of, request.by, *more, *request.conditions.only, *request.conditions.besides)
        self.fields, computed = read_computed(self.fields, request.compute, used, self.as_of, self.labels.label)
        reader = ComputedReader(self.fields, "--of", UsageMistake, self.as_of, self.labels.label)
        self.reader = reader_of_columns = ShownReader(reader, computed, UsageMistake)
        one_sided = is_one_sided(self.conditions, book.chart)
        self.measures: tuple[Measure, ...] = tuple(
            measure
            for text in (of, *more)
            for measure in read_measures(text, reader_of_columns, where, one_sided=one_sided)
        )
        self._first = self.measures[0].key
        self._check_currencies()
        self.by: tuple[ShownField, ...] = reader_of_columns.grouped(request.by, "--by") if request.by else ()
        beside = [field for name in across for field in reader_of_columns.grouped(name, where)]
        told = values_of((*self.by, *beside, *(each.field for each in self.measures)))
        self.tells_state = self.state.are_used(self.fields, self.conditions, told)
        if self.tells_state:
            self.conditions = (self.state.rule, *self.conditions)
        else:
            self.fields = self.fields._replace(further=None)
        self.decimals = self.selection.decimals if self.selection else 2

    def _check_currencies(self) -> None:
        """Raise UsageMistake where amounts in different currencies would be added."""
        for value in currencies_of(self.own, [measure.field for measure in self.measures]).values():
            name = value.column if isinstance(value, FieldReference) else ""
            if not any(name in fields_in(rule.predicate) for rule in self.conditions):
                step = f'say which is meant, such as --only "{name} is EUR"'
                what = "amounts in different currencies are not added"
                raise UsageMistake(Mistake(what, "--of", repr(self.request.of), next_step=step))

    def _usual_of_accounts(self, natural: str) -> str:
        """Return what a ledger's lines are measured by, so that kinds of accounts are not added up without meaning.

        Without a condition that leaves accounts of one kind, that is the result of income and costs, or of
        balance-sheet accounts their debits less credits.
        """
        classes = classes_that_can_meet([rule.predicate for rule in self.conditions], self.book.chart)
        if any(classes and classes <= kind for kind in _KINDS_OF_ACCOUNTS):
            return natural
        if classes and classes.isdisjoint(INCOME_CLASSES):
            return NET
        if not classes or not classes <= set(INCOME_CLASSES):
            only = FieldTest("account.class", "is", INCOME_CLASSES)
            self.of_kind = (Rule("balance-sheet accounts", only, code="nature"),)
        return RESULT

    @property
    def in_periods(self) -> bool:
        """Whether lines count in the period that they are booked in, rather than on their bare date."""
        return self.own.entries and not self.request.date

    @property
    def day(self) -> Expression:
        """The day that a line counts on."""
        return FieldReference("counted") if self.in_periods else self.fields.by_name[self.dated].value

    def test(self, windows: Sequence[Window]) -> Predicate:
        """Return the condition of the lines in any of these windows."""
        if self.in_periods:
            return Within(merged([each for window in windows for each in window.stretches]))
        days = joined_days((window.first, window.last) for window in windows)
        tests = [FieldTest(self.dated, "through", range_) for range_ in days]
        return tests[0] if len(tests) == 1 else Some(tuple(tests))

    def before_days(self) -> Iterator[Rule]:
        """Yield the rules that come before those of days: entities, classes of entries, and a date there must be."""
        if self.selection:
            yield from entity_rule(self.selection)
        if self.own.entries:
            yield from class_rules(("carried",) if self.request.after_closing else ("carried", "closing"))
        if not self.in_periods:
            yield Rule(f"no {self.dated}", Not(FieldTest(self.dated, "blank")))

    def rules(self, windows: Sequence[Window]) -> tuple[Rule, ...]:
        """Return all rules of a report over these windows, in the order of a proof."""
        return (*self.before_days(), Rule("other dates", self.test(windows)), *self.of_kind, *self.conditions)

    def slips(self) -> Iterator[Slip]:
        """Yield words of the conditions that no line has, and what only lines that are left out meet."""
        hidden = {"carried": "", **({} if self.request.after_closing else {"closing": "--after-closing"})}
        yield from word_slips(self.book, self.fields, self.conditions, hidden)

    def edge_notes(self, asked: AskedDays | None) -> Iterator[Note]:
        """Yield what is one day off a period's edge. asked: the range of days that was asked for, if one was."""
        rules = (*self.before_days(), *self.of_kind, *self.conditions)
        named = asked._replace(dated=self.request.date) if asked else None
        yield from edge_notes(self.book, self.fields, self.as_of.calendar, named, rules, self.decimals)
        yield from void_notes(self.book, self.fields, rules, self.decimals)

    def early_notes(self, last: date) -> Iterator[str]:
        """Yield what of the table's data ends clearly before the others', and before the last day of a report."""
        yield from early_notes(self.book, self.own.name, self.selection, last)

    def source(self, rules: Sequence[Rule]) -> LineSource:
        """Return what the store is asked of."""
        return self.book.line_source(self.fields, [rule.predicate for rule in rules])

    @cached_property
    def first_day(self) -> date | None:
        """The first day of the table's data: of any of its lines, or of the base of the report's entities."""
        if self.in_periods and self.selection and any(map(self.book.state.bases.get, self.selection.entities)):
            return ledger_begins(self.book, self.selection)
        return first_day(self.book.engine, self.source(tuple(self.before_days())), self.day)

    def since(self, window: Window | Missing) -> Window | Missing:
        """Return a span with the beginning of the data marked, where that lies within or after it."""
        return since(window, self.first_day, self.as_of.calendar)

    def compared(self, window: Window | Missing) -> Window | Missing:
        """Return a span that others are compared with: none that reaches back before the data."""
        found = self.since(window)
        if isinstance(found, Window) and found.begins:
            return Missing(f"data begins {day_words(found.begins)}", early=True)
        return found

    def in_window(self, window: Window | None, value: Expression) -> Expression:
        """Return a value of the lines in a window, and nothing on all others; None: of no line."""
        return Summed(((self.test([window]), value),) if window is not None else ())

    @property
    def proven(self) -> Expression | None:
        """What a proof adds up of each line: the first measure that is a sum, or else the table's own amount."""
        for measure in self.measures:
            if measure.adds and measure.kind != "count":
                return measure.proven
        return FieldReference(self.own.measure) if self.own.measure else None

    def shown_as(self, rules: Sequence[Rule], windows: Sequence[tuple[str, Window]]) -> tuple[Part, ...]:
        """Return what the lines come to in each of these windows, where none of them overlaps another."""
        ordered = sorted((window.first, window.last) for _, window in windows)
        if len(windows) < 2 or any(one[1] >= other[0] for one, other in pairwise(ordered)):
            return ()
        measure = self.proven or Constant(Decimal(0))
        asked = []
        for _, window in windows:
            asked += [
                Asked(self.in_window(window, Constant(Decimal(1))), "count"),
                Asked(self.in_window(window, measure)),
            ]
        rows = groups(self.book.engine, self.source(rules), (), asked)
        values = rows[0][1:] if rows else ()
        pairs = zip(windows, values[::2], values[1::2], strict=False)
        return tuple(Part(name, CountedAmount(lines, Decimal(amount or 0))) for (name, _), lines, amount in pairs)

    def blank_notes(self, rules: Sequence[Rule], more: Sequence[ShownField] = ()) -> Iterator[str]:
        """Yield how many lines lack a field of a measure, and how many have a code that a linked table lacks.

        more: fields that columns are divided by, beside those of `by`.
        """
        yield from lacking_notes(self.book.engine, self.source(rules), [measure.field for measure in self.measures])
        yield from unknown_notes(self.book, self.fields, rules, (*self.by, *more))

    def proof(
        self,
        rules: Sequence[Rule],
        checks: Sequence[Check] = (),
        shown_as: tuple[Part, ...] = (),
        of: Measure | None = None,
    ) -> Proof:
        """Return the accounting of all lines of the table. of: the measure that adds up, if not the first that does."""
        own = FieldReference(self.own.measure) if self.own.measure else None
        measure, words = self.proven if of is None else of.proven, self.own.proof_measure
        counted = left_out(self.book.engine, self.source(rules), measure)
        shown, parts = proof_parts(rules, counted)
        unlike = set(self.selection.unlike) if self.selection else set()
        considered = considered_lines(self.book, self.own.name, unlike)
        if measure != own:
            # What was counted at loading is of the table's own amount: what is shown is asked for apart, of all lines.
            aside = [rule for rule in rules if rule.aside]
            every = [each for each in left_out(self.book.engine, self.source(aside), measure) if each.rule is None]
            considered = CountedAmount(considered.lines, sum((Decimal(each.amount) for each in every), Decimal(0)))
            shown_measure = of or next(each for each in self.measures if each.adds and each.kind != "count")
            words = shown_measure.label
        return Proof(words, considered, shown, parts, tuple(checks), self.decimals, shown_as, self.own.name)

    @property
    def named(self) -> str:
        """The measures as titles name them."""
        labels = ", ".join(dict.fromkeys(measure.label for measure in self.measures))
        return labels + (_MEANING.get(self.usual, "") if self.measures[0].key == self._first else "")

    def keep(self, keys: Collection[str]) -> None:
        """Keep only the measures with these keys."""
        self.measures = tuple(measure for measure in self.measures if measure.key in keys) or self.measures

    def is_natural(self, measure: Measure) -> bool:
        """Return whether a measure is an amount in the natural signs of accounts."""
        return measure.kind == "amount" and is_natural(measure.proven, self.own)

    @cached_property
    def is_of_credits(self) -> bool:
        """Whether the conditions select accounts of credit classes only."""
        classes = classes_that_can_meet([rule.predicate for rule in self.conditions], self.book.chart)
        return bool(classes) and classes <= set(CREDIT_CLASSES)

    @property
    def are_natural(self) -> bool:
        """Whether the report has amounts, and all of them are in natural signs."""
        amounts = [measure for measure in self.measures if measure.kind == "amount"]
        return bool(amounts) and all(map(self.is_natural, amounts))

    def natural_notes(self, results: Sequence[tuple[str, Decimal | None]] = ()) -> Iterator[Note | str]:
        """Yield notes on natural signs if the report has such amounts.

        results: by the label of a column credits less debits of its total if that is blank, else None.
        """
        words = result_words(self.conditions, self.book.chart, of_result=bool(self.of_kind))
        if any(map(self.is_natural, self.measures)):
            yield NATURAL_NOTE
        found = [(label, amount) for label, amount in results if amount is not None]
        if not found and any(measure.widths for measure in self.measures):
            yield UNADDED
        if found:
            named = ", ".join(f"{label} {{}}" for label, _ in found)
            yield Note(f"{UNADDED}. {words} in all: {named}", tuple(amount for _, amount in found), self.decimals)

    def extent(self, window: Window) -> str:
        """Return how much of its unit a window is, or up to where the data goes where it ends within it."""
        if self.through is None or self.through >= window.last:
            return window.extent
        return "no data yet" if self.through < window.first else f"data to {day_words(self.through)}"

    def part(self, window: Window) -> str:
        """Return the extent of a window where it, or its data, is less than the whole of its unit; else nothing."""
        whole = not window.is_part and (self.through is None or self.through >= window.last)
        return "" if whole else self.extent(window)

    @cached_property
    def names(self) -> tuple[dict[str, str], ...]:
        """For each field of `by` the names of its members, where it leads to a table that names them."""
        return tuple(self.names_of(by.key) for by in self.by)

    def names_of(self, field_: str) -> dict[str, str]:
        """Return the names of a field's members by their codes; none where it leads to no table that names them."""
        return names_of(self.book, self.own, field_)

    def name_of(self, at: int, member: Any) -> str:
        """Return the name of a member of `by`'s field at this place, or what it is itself."""
        if member is None:
            return f"(no {self.by[at].label})"
        return self.names[at].get(str(member), str(member))

    def called(self, at: int, member: Any) -> str:
        """Return the same with the member's code before its name."""
        name = self.name_of(at, member)
        return name if member is None or name == str(member) else f"{member} {name}"

    def facts(self) -> dict[str, str]:
        """Return what the report is made of, by key."""
        request = self.request
        facts = {"table": self.own.name}
        if self.selection:
            facts |= selection_facts(self.selection)
        facts |= table_as_of_facts(self.as_of, self.through)
        facts["of"] = ", ".join(measure.label for measure in self.measures)
        if request.date:
            facts["date"] = request.date
        if request.by:
            facts["by"] = request.by
        if request.after_closing:
            facts["closing_lines"] = "after closing"
        if request.conditions:
            facts["conditions"] = " · ".join(asked_words(self.conditions))
        return facts | {"loaded": self.book.state.loaded_at.astimezone(self.book.zone).isoformat(timespec="minutes")}

    def subtitle(self, *more: str) -> tuple[str, ...]:
        """Return the lines that head the report. more: what else stands in the line of the day."""
        request = self.request
        named = [self.selection.words, self.selection.currency] if self.selection else []
        if self.are_natural:
            named.append("natural signs")
        dated = [f"by {request.date}"] if request.date else []
        dated += ["after closing"] if request.after_closing else []
        dated += [self.state.words] if self.tells_state else []
        return (
            *([" · ".join(named)] if named else []),
            " · ".join([table_as_of_words(self.as_of, self.through), *dated, *more, *asked_words(self.conditions)]),
            table_words(self.book, self.own.name, self.dated),
        )


def considered_lines(book: Book, table: str, unlike: set[str]) -> CountedAmount:
    """Return all lines of a table but those of entities in another currency, as they were counted at loading."""
    found = [
        sums for loaded in book.state.files_of(table) for entity, sums in loaded.sums.items() if entity not in unlike
    ]
    return CountedAmount(sum(each[0] for each in found), sum((each[1] - each[2] for each in found), Decimal(0)))
