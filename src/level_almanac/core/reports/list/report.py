"""A list: any fields of a table's lines, one by one or in groups, with what each rule left out (docs/list.md)."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.fields import LineField
from level_almanac.core.header import (
    as_of_for,
    as_of_notes,
    data_facts,
    data_words,
    early_notes,
    reach_of,
    selection_facts,
    table_as_of,
)
from level_almanac.core.language.days import Unit
from level_almanac.core.language.parsing import pointed
from level_almanac.core.lines.computed import ComputedReader
from level_almanac.core.lines.computed_asked import read_computed
from level_almanac.core.lines.currencies import currencies_of
from level_almanac.core.lines.day_labels import DayLabels
from level_almanac.core.lines.edges import AskedDays, edge_notes
from level_almanac.core.lines.lacking import lacking_notes, once_notes, unknown_notes
from level_almanac.core.lines.member_names import names_of
from level_almanac.core.lines.natural_signs import is_natural, is_one_sided, result_words
from level_almanac.core.lines.rows import ListRows
from level_almanac.core.lines.rule import Rule
from level_almanac.core.lines.rules import (
    asked_words,
    check_classes,
    check_date,
    class_rules,
    condition_rules,
    date_rules,
    entity_rule,
    proof_parts,
    selection_of,
)
from level_almanac.core.lines.selected import ShownField, ShownReader, values_of
from level_almanac.core.lines.shape import ListShape, MadeRows, member_test
from level_almanac.core.lines.slips import word_slips
from level_almanac.core.lines.source_place import EXPORT
from level_almanac.core.lines.void_notes import void_notes
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.list.flat import flattened
from level_almanac.core.reports.list.request import ListRequest, check_columned
from level_almanac.core.requests.conditions import flat
from level_almanac.core.spans.as_of import named_words
from level_almanac.core.spans.asked_range import asked_days
from level_almanac.core.subledger.state import state_of
from level_almanac.core.table.model import Column, CountedAmount, Covered, Note, Part, Proof, ReportTable, Slip
from level_almanac.core.table.threshold import Threshold
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.files.tables import SIDE_OF
from level_almanac.store.expressions import Expression, FieldReference, is_rate
from level_almanac.store.line_query import Order, left_out
from level_almanac.store.predicate import FieldTest

_ZERO = Decimal(0)


def listing(book: Book, request: ListRequest) -> MadeReport:
    """Return the list. Raises UsageMistake for what the table lacks and for expressions that cannot be read."""
    check_columned(request)
    if request.columns:
        from level_almanac.core.reports.list.columned import columned

        return columned(book, request)
    made = Listing(book, request)
    table, rows = made.made()
    if request.flat:
        members = {key: members for key, members in rows.members.items() if len(members) == len(made.by)}
        table = flattened(table, made.by, members, [names_of(book, made.own, each.key) for each in made.by])
    return MadeReport(table, (made, rows), by_row=True)


class Listing:
    """One list in the making: its words read, its lines asked for, its rows made.

    within: only the lines of one group, as its fields and their values, or `Others` than some; sums: columns that are
    shown after the usual ones; labels: the parts of dates that those fields are already known by; window: rules in
    place of those of classes and days.
    """

    def __init__(
        self,
        book: Book,
        request: ListRequest,
        within: tuple[tuple[ShownField, Any], ...] = (),
        sums: tuple[ShownField, ...] = (),
        labels: Sequence[tuple[LineField, Unit]] = (),
        window: Sequence[Rule] = (),
    ) -> None:
        self.within, self.window = within, window
        self.book, self.request = book, request
        self.fields = book.line_fields(request.table)
        self.own = self.fields.table
        self.selection = selection_of(book, self.fields, request.entities)
        calendar = self.selection.calendar if self.selection else book.calendars[""]
        check_date(self.fields, request.date)
        check_classes(self.own, {"--carried": request.carried, "--after-closing": request.after_closing})
        dated = request.date or self.own.date
        own = dated and not self.own.entries and book.parts_of(self.own.name)
        self.as_of = (
            table_as_of(book, calendar, request.when, self.own.name, dated)
            if own
            else as_of_for(book, calendar, request.when)
        )
        self.labels = DayLabels(self.own, labels)
        self.fields = self.labels.among(self.fields, book, calendar)
        self.state = state_of(book, self.fields, self.as_of.day, request.compute, request.entities)
        self.fields = self.state.among(self.fields)
        self._read_words()
        if within or sums:
            self._show_behind(sums)
        self.days = asked_days(request.first, request.last, self.as_of)
        self.conditions = tuple(condition_rules(request.conditions, self.fields, self.as_of))
        told = values_of((*self.by, *self.shown, *(sort.field for sort in self.sorts)))
        self.tells_state = self.state.are_used(self.fields, self.conditions, told)
        if not self.tells_state:
            self.fields = self.fields._replace(further=None)
        self.one_sided = is_one_sided(self.conditions, book.chart)
        self.rules = tuple(self._rules())
        fields = self.fields.with_computed(
            *(
                LineField(f"group {by.key}", by.kind, by.value or FieldReference(by.key), self.own.name)
                for by, _ in within
            ),
            *(
                LineField(f"each {shown.key}", shown.kind, shown.value, self.own.name)
                for limit, shown in self.limits
                if limit.each and shown.value is not None
            ),
        )
        self.source = book.line_source(fields, [rule.predicate for rule in self.rules])

    def _read_words(self) -> None:
        request = self.request
        used = (request.show, request.by, request.sort, *request.conditions.only, *request.conditions.besides)
        self.fields, computed = read_computed(self.fields, request.compute, used, self.as_of, self.labels.label)
        reader = ComputedReader(self.fields, "--show", UsageMistake, self.as_of, self.labels.label)
        reader_of_columns = ShownReader(reader, computed, UsageMistake)
        self.by = reader_of_columns.grouped(request.by, "--by") if request.by else ()
        text = request.show or self._default_shown()
        self.shown = (
            reader_of_columns.shown(text, "--show", tuple(name.lower() for name in request.yes)) if text else ()
        )
        self.sorts = reader_of_columns.sorts(request.sort, "--sort") if request.sort else ()
        if not request.lines:
            self._check_sorts()
        self.limits = [(limit, self._on(limit)) for limit in request.thresholds]

    def _show_behind(self, sums: tuple[ShownField, ...]) -> None:
        """Show the usual fields, then the figures that are to be explained, and where each line came from."""
        usual = [each for each in self.shown if each.key not in {column.key for column in sums}]
        self.shown = (*(each for each in usual if each.kind != "amount"), *sums, EXPORT)

    def _default_shown(self) -> str:
        own = [field for field in self.fields.by_name.values() if not field.link and field.table == self.own.name]
        if self.by and not self.request.lines:
            sums = [field.name for field in own if field.kind in ("amount", "quantity") and not is_rate(field.value)]
            return ", ".join(["count", *(self.own.usual_sums or sums)])
        if self.own.usual_columns:
            return self.own.usual_columns
        hidden = {*self.own.key, "file", "file_line"}
        return ", ".join(each.name for each in own if each.name not in hidden) or ", ".join(self.own.key)

    def _check_sorts(self) -> None:
        if not self.by:
            for sort in self.sorts:
                if sort.field.value is None:
                    caret = pointed(self.request.sort, sort.start, len(sort.key))
                    what, step = "this is not a value of single lines", "say --by FIELD to put groups in order by it"
                    raise UsageMistake(Mistake(what, "--sort", repr(sort.key), next_step=step, shown=caret))
            return
        known = [each.key for each in (*self.by, *self.shown)]
        for sort in self.sorts:
            if sort.key not in known:
                what, hint = "neither a column nor what lines are grouped by", nearest(sort.key, known)
                caret = pointed(self.request.sort, sort.start, len(sort.key))
                raise UsageMistake(Mistake(what, "--sort", repr(sort.key), listed(known), hint, shown=caret))

    def _on(self, limit: Threshold) -> ShownField:
        numbers = [each for each in self.shown if each.kind in ("amount", "quantity", "whole")]
        if not limit.each and not self.by:
            step = "say --by FIELD for the totals of its members, or --each for single lines"
            raise UsageMistake(Mistake("a threshold is on totals", f"--{limit.limit}", next_step=step))
        amounts = [each for each in numbers if each.key != "count"] or numbers
        if not limit.on and amounts:
            return amounts[0]
        column = next((each for each in numbers if limit.on in (each.key, each.label)), None)
        if column is None:
            known = [each.key for each in numbers]
            what = "no number is shown" if not known else "no column of numbers has this name"
            raise UsageMistake(Mistake(what, "--on", repr(limit.on), listed(known), nearest(limit.on, known)))
        if limit.each and column.value is None:
            what = "this is not a value of single lines"
            raise UsageMistake(Mistake(what, "--on", repr(column.key)))
        return column

    def _rules(self) -> Iterator[Rule]:
        request = self.request
        if self.selection and self.fields.table.field("entity"):
            yield from entity_rule(self.selection)
        if self.window:
            yield from self.window
        else:
            if self.own.entries:
                classes = {"carried": request.carried, "closing": request.after_closing}
                yield from class_rules([name for name, is_shown in classes.items() if not is_shown])
            if self.days:
                yield from self._day_rules(*self.days)
        if self.tells_state:
            yield self.state.rule
        yield from self.conditions
        for by, member in self.within:
            yield Rule(f"other {by.label}", member_test(f"group {by.key}", member))
        for limit, shown in self.limits:
            if limit.each:
                yield Rule(f"{shown.key} not {limit.words}", _limit_test(f"each {shown.key}", limit))

    def _day_rules(self, first: date, last: date) -> Iterator[Rule]:
        named = self.as_of.named
        if named is not None and getattr(named, "extra", False) and not self.request.date:
            if "period" not in self.fields.by_name:
                step = f"ask for --year {str(named)[:4]}, or for a range of days"
                raise UsageMistake(
                    Mistake("an extra period has no days of its own", "--period", str(named), next_step=step)
                )
            yield Rule("other periods", FieldTest("period", "is", (str(named),)))
            return
        yield from date_rules(self.fields, self.request.date, first, last, self.as_of)

    def made(self) -> tuple[ReportTable, MadeRows]:
        """Ask the store, and return the report and what its rows were made from."""
        proven = self._proven()
        decimals = self.selection.decimals if self.selection else 2
        rows_made = self._rows(proven[0].measure, decimals).made()
        below = rows_made.below_threshold
        places = {column.key: column.decimals for column in rows_made.columns}
        # What limits leave out is known of the amount that they are on alone.
        first, *others = (
            self._proof(each.words, each.measure, below, places.get(each.key, decimals))
            for each in proven[: 1 if below.lines else None]
        )
        table = ReportTable(
            title=f"{self.own.name.replace('_', ' ').capitalize()}: {self._title_words()}",
            facts=self._facts(),
            subtitle=tuple(self._subtitle()),
            columns=self._not_blank(rows_made),
            rows=rows_made.rows,
            key_label=self._key_label(),
            proof=first._replace(checks=rows_made.checks, further=tuple(others)),
            notes=(
                *self._slips(),
                *(self.selection.notes if self.selection else ()),
                *self._notes(),
                *lacking_notes(self.book.engine, self.source, self.shown),
                *once_notes(self.shown),
                *unknown_notes(self.book, self.fields, self.rules, (*self.by, *self.shown)),
                *rows_made.notes,
            ),
        )
        return table, rows_made

    def _slips(self) -> Iterator[Slip]:
        request = self.request
        hidden = {"carried": "--carried"} if not request.carried else {}
        hidden |= {"closing": "--after-closing"} if not request.after_closing else {}
        yield from word_slips(self.book, self.fields, self.conditions, hidden)

    def _proven(self) -> list["Proven"]:
        """Return what the proof sums: each amount that is shown and adds up, or each quantity if no amount is shown."""
        apart = currencies_of(self.own, self.shown)
        shown: dict[Expression, Proven] = {}
        limited = [column for limit, column in self.limits if not limit.each]
        own = FieldReference(self.own.measure) if self.own.measure else None
        for kind in ("amount", "quantity"):
            for column in (*limited, *self.shown):
                value = column.total_value
                adds = column.kind == kind and column.ratio is None and column.aggregate in ("", "sum")
                if adds and column.summing == "sum" and column.key not in apart and value is not None:
                    words = self.own.proof_measure if value == own else column.label
                    shown.setdefault(value, Proven(words, value, column.key))
            if shown:
                break
        found = list(shown.values())
        if not limited:
            # The sums that were counted at loading are of the table's own amount, so it comes first.
            found.sort(key=lambda each: each.measure != own)
        return found or [Proven(self.own.proof_measure, own, "")]

    def _proof(self, words: str, measure: Expression | None, below: CountedAmount, decimals: int) -> Proof:
        counted, parts = proof_parts(self.rules, left_out(self.book.engine, self.source, measure))
        considered = self._considered()
        if measure != (FieldReference(self.own.measure) if self.own.measure else None):
            aside = [rule.predicate for rule in self.rules if rule.aside]
            source = replace(self.source, rules=tuple(aside))
            every = [each for each in left_out(self.book.engine, source, measure) if each.rule is None]
            considered = CountedAmount(considered.lines, sum((Decimal(each.amount) for each in every), _ZERO))
        more = (Part(self._below_threshold_words(), below),) if below.lines else ()
        return Proof(
            measure=words,
            considered=considered,
            shown=CountedAmount(counted.lines - below.lines, counted.amount - below.amount),
            left_out=(*parts, *more),
            decimals=decimals,
            table=self.own.name,
        )

    def _not_blank(self, made: MadeRows) -> tuple[Column, ...]:
        """Return the columns, without those that nobody asked for and no line has anything in."""
        filled = {key for row in made.rows for key, cell in row.cells.items() if cell is not None}
        kept = tuple(column for column in made.columns if self.request.show or column.key in filled)
        columns = kept or made.columns
        if self.days is None:
            return columns
        through = reach_of(self.book, self.own.name, self.request.date or self.own.date)
        whole = self.request.first is not None or not self.as_of.is_cut
        told = Covered(*self.days, None if through is None else through >= self.days[1], whole)
        numbers = ("amount", "count", "number")
        return tuple(each._replace(covered=told) if each.kind in numbers else each for each in columns)

    def _notes(self) -> Iterator[Note | str]:
        ranged = self.request.first is not None and self.days is not None
        asked = AskedDays(*self.days, self.request.date) if ranged and self.days else None
        rules = [rule for rule in self.rules if rule.code != "dates"]
        decimals = self.selection.decimals if self.selection else 2
        yield from edge_notes(self.book, self.fields, self.as_of.calendar, asked, rules, decimals)
        yield from void_notes(self.book, self.fields, self.rules, decimals)
        if self.days and not self.as_of.ahead:
            yield from as_of_notes(self.as_of, self.days[1])
            yield from early_notes(self.book, self.own.name, self.selection, self.days[1])
        if self.own.name in SIDE_OF.values() and any(each.key in ("amount", "amount-turned") for each in self.shown):
            yield "Amounts of all kinds are above zero; `signed` has each with its kind's sign"

    def _rows(self, measure: Expression | None, decimals: int) -> "ListRows":
        totals = [(limit, shown) for limit, shown in self.limits if not limit.each]
        each = any(limit.each for limit, _ in self.limits)
        exclusions = 0 if each else sum(rule.exclusion for rule in self.rules)
        return ListRows(
            self.book.engine,
            self.source,
            ListShape(
                by=self.by,
                shown=self.shown,
                sorts=self.sorts,
                limits=tuple(totals),
                key=tuple(self.fields.by_name[name] for name in self._line_key()),
                order=self._order(),
                lines=self.request.lines or not self.by,
                first=self.request.first_rows,
                measure=measure,
                decimals=decimals,
                exclusions=exclusions,
                apart=currencies_of(self.own, self.shown),
                is_split=self._is_split,
                result_words=result_words(self.conditions, self.book.chart),
                places=self.book.account_places,
            ),
        )

    def _is_split(self, value: Expression) -> bool:
        return not self.one_sided and is_natural(value, self.own)

    def _order(self) -> tuple[Order, ...]:
        """Return the order of lines that nothing else is asked of."""
        names = self.own.order or self.own.key
        found = [self.fields.by_name[name] for name in names]
        return tuple(Order(each.value, as_number=each.kind == "text") for each in found)

    def _below_threshold_words(self) -> str:
        return " and ".join(f"{shown.key} not {limit.words}" for limit, shown in self.limits if not limit.each)

    def _title_words(self) -> str:
        if not self.by:
            return "lines"
        by = " and ".join(each.label for each in self.by)
        return f"lines by {by}" if self.request.lines else f"by {by}"

    def _key_label(self) -> str:
        if self.by and not self.request.lines:
            return " / ".join(each.label for each in self.by)
        return "/".join(self._line_key())

    def _line_key(self) -> tuple[str, ...]:
        one = self.selection is not None and len(self.selection.entities) == 1
        return tuple(name for name in self.own.key if not (one and name == "entity" and len(self.own.key) > 1))

    def _facts(self) -> dict[str, str]:
        request = self.request
        facts = {"table": self.own.name}
        if self.selection:
            facts |= selection_facts(self.selection)
        if self.days:
            facts |= {"from": self.days[0].isoformat(), "through": self.days[1].isoformat()}
        if request.date:
            facts["date"] = request.date
        if request.after_closing:
            facts["closing_lines"] = "after closing"
        if request.conditions:
            facts["conditions"] = " · ".join(asked_words(self.conditions))
        if request.compute:
            facts |= {"as_of": self.as_of.day.isoformat(), "compute": " · ".join(map(flat, request.compute))}
        if self.tells_state:
            facts["as_of"] = self.as_of.day.isoformat()
        if self.by:
            facts["by"] = request.by
        if self.limits:
            facts["thresholds"] = " · ".join(self._limit_words())
        return facts | data_facts(self.book, self.own.name)

    def _limit_words(self) -> list[str]:
        return [f"{'each ' if limit.each else ''}{shown.label} {limit.words}" for limit, shown in self.limits]

    def _subtitle(self) -> Iterator[str]:
        words = [self.selection.words, self.selection.currency] if self.selection else []
        words += [self._signs] if self._signs else []
        if words:
            yield " · ".join(words)
        words = ["all dates"] if self.own.date else []
        if self.days:
            ranged = self.request.first is not None
            words = [range_words(*self.days) if ranged else named_words(self.as_of, self.days)]
        if self.request.date:
            words.append(f"by {self.request.date}")
        words += ["after closing"] if self.request.after_closing else []
        words += [self.state.words] if self.tells_state else []
        words += [*asked_words(self.conditions), *self._limit_words()]
        if words:
            yield " · ".join(words)
        if self.request.compute:
            # What is computed may go by the day, and is read with its rule.
            yield " · ".join([f"as of {day_words(self.as_of.day)}", *map(flat, self.request.compute)])
        yield data_words(self.book, self.own.name)

    @property
    def _signs(self) -> str:
        """The sign convention of the amounts shown."""
        amounts = [each.value for each in self.shown if each.kind == "amount" and each.value is not None]
        natural = [is_natural(value, self.own) for value in amounts]
        return "natural signs" if natural and all(natural) else self.own.signs

    def _considered(self) -> CountedAmount:
        unlike = set(self.selection.unlike) if self.selection else set()
        considered = [
            sums
            for loaded in self.book.state.files_of(self.own.name)
            for entity, sums in loaded.sums.items()
            if entity not in unlike
        ]
        return CountedAmount(
            sum(each[0] for each in considered), sum((each[1] - each[2] for each in considered), _ZERO)
        )


class Proven(NamedTuple):
    """What a proof sums: its name, the value of a line, None for none, and the key of the column that shows it."""

    words: str
    measure: Expression | None
    key: str


def _limit_test(name: str, limit: Threshold) -> FieldTest:
    operator: Any = "through" if limit.limit == "between" else limit.limit
    return FieldTest(name, operator, limit.values)
