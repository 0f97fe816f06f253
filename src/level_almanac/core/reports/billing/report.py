"""Billing: charges, payments and adjustments, each by the date that matters (docs/billing.md)."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any, Literal, get_args

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.fields import SIGNED, LineField
from level_almanac.core.header import (
    early_notes,
    reach_notes,
    selection_facts,
    table_as_of,
    table_as_of_facts,
    table_words,
)
from level_almanac.core.language.days import DayExpression
from level_almanac.core.lines.computed import ComputedReader
from level_almanac.core.lines.computed_asked import read_computed
from level_almanac.core.lines.day_labels import DayLabels
from level_almanac.core.lines.edges import AskedDays, edge_notes
from level_almanac.core.lines.rows import ListRows
from level_almanac.core.lines.rule import Rule
from level_almanac.core.lines.rules import asked_words, condition_rules, entity_rule, proof_parts
from level_almanac.core.lines.selected import ShownField, ShownReader, labelled, pieces
from level_almanac.core.lines.shape import ListShape, MadeRows
from level_almanac.core.lines.slips import word_slips
from level_almanac.core.lines.source_place import EXPORT
from level_almanac.core.reports.billing.transit import (
    ADJUSTMENT,
    CHARGE,
    CUSTOMER,
    FIGURES,
    PAYER,
    Entries,
    transit_checks,
    transit_notes,
    undated_notes,
)
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.requests.options import Option, Request, inner, option, options
from level_almanac.core.requests.shared import condition_options, entity_option, first_option, last_option
from level_almanac.core.selection import Selection
from level_almanac.core.spans.as_of import COVERS, AsOfRequest, named_words
from level_almanac.core.spans.asked_range import asked_days
from level_almanac.core.table.model import Column, CountedAmount, Covered, Note, Part, Proof, ReportTable
from level_almanac.errors import BookMistake, Mistake, UsageMistake, how_many, listed
from level_almanac.immutable import immutable
from level_almanac.store.expressions import Constant, DaysBetween, Expression, FieldReference, Given, Summed
from level_almanac.store.line_query import LineSource, Order, left_out
from level_almanac.store.predicate import Every, FieldTest, Not, Predicate, Some

TABLE = "billing"
_ZERO = Constant(Decimal(0))

View = Literal["figures", "unposted", "in-transit"]


def _view(given: Mapping[str, Any]) -> View:
    if given["unposted"] and given["in-transit"]:
        raise UsageMistake(
            Mistake("these are two lists", "--unposted and --in-transit", next_step="ask for one of them")
        )
    return "unposted" if given["unposted"] else "in-transit" if given["in-transit"] else "figures"


@immutable(kw_only=True)
class BillingRequest(Request):
    """What billing is asked for. first, last: a range of days; charges_by, payments_by: the dates that matter, or empty
    for the book's; by: fields that entries are grouped by; lines: each entry; show: the columns, or empty for the usual
    ones; view: the four figures, charges that were served and not posted yet, or entries in transit between two dates;
    day: of which to make one document; within: only this group, as fields and values; kinds: only these; of_day:
    whether it is a part of that document.
    """

    charges_by: str = option("charges-by", "The date charges go by.", "choice", "", choices=("served", "posted"))
    payments_by: str = option(
        "payments-by", "The date payments go by.", "choice", "", choices=("posted", "checked", "deposited")
    )
    payer_payments_by: str = option(
        "payer-payments-by", "The date payers' payments go by, where another than customers'.", "choice", "",
        choices=("posted", "checked", "deposited"),
    )  # fmt: skip
    customer_payments_by: str = option(
        "customer-payments-by", "The date customers' payments go by, where another than payers'.", "choice", "",
        choices=("posted", "checked", "deposited"),
    )  # fmt: skip
    by: str = option(
        "by", "Group by these: office, desk, payer, reason, …", metavar="FIELDS", listed=True, offers="fields"
    )
    lines: bool = option("lines", "Each entry behind the figures.", "flag")
    show: str = option(
        "show", "Columns, between commas: its own, or fields.", metavar="FIELDS", listed=True, offers="fields"
    )
    day: DayExpression | None = option(
        "day", "One document of this day: its figures, then each entry.", "day", metavar="DAY"
    )
    view: View = options(
        Option("unposted", "Charges served by the last day and not posted by then.", "flag", default=False),
        Option("in-transit", "Entries that count in these days by one date only.", "flag", default=False),
        build=_view, default="figures", holds=lambda value: value in get_args(View), allowed=listed(get_args(View)),
    )  # fmt: skip
    when: AsOfRequest = inner(AsOfRequest, without=("compare",), helps=COVERS)
    first: DayExpression | None = first_option()
    last: DayExpression | None = last_option()
    conditions: Conditions = condition_options()
    entities: tuple[str, ...] = entity_option()
    within: tuple[tuple[str, Any], ...] = ()
    kinds: tuple[str, ...] = ()
    of_day: bool = False


class Billing:
    """One report in the making."""

    def __init__(self, book: Book, request: BillingRequest) -> None:
        self.book, self.request = book, request
        self.lines = request.lines or request.view == "in-transit"
        if not book.parts_of(TABLE):
            step = "add an [[intake]] block for the table billing, and load"
            raise BookMistake(Mistake("nothing is loaded into this table", "TABLE", "'billing'", next_step=step))
        settings = book.settings.billing
        paid = request.payments_by or settings.payments_by
        self.dated = {
            CHARGE: request.charges_by or settings.charges_by,
            PAYER: request.payer_payments_by or paid,
            CUSTOMER: request.customer_payments_by or paid,
            ADJUSTMENT: "posted",
        }
        if request.view == "in-transit" and set(self.dated.values()) == {"posted"}:
            self.dated |= {PAYER: "deposited", CUSTOMER: "deposited"}
        self.selection: Selection = book.select(request.entities, TABLE)
        # A deposit may be the newest thing that an export tells of.
        dates = ("posted", "served", "checked", "deposited")
        self.as_of = table_as_of(book, self.selection.calendar, request.when, TABLE, "posted", dates=dates)
        self.days = asked_days(request.first, request.last, self.as_of) or (self.as_of.period.first, self.as_of.day)
        count = (self.days[1] - self.days[0]).days + 1
        if settings.most_days and count > settings.most_days and request.view != "unposted" and not request.of_day:
            what, allowed = (
                "the range is longer than the book allows",
                f"{settings.most_days:,} days, as [billing] most_days",
            )
            raise UsageMistake(Mistake(what, got=f"{range_words(*self.days)}, {count:,} days", allowed=allowed))
        fields = book.line_fields(TABLE)
        self.through = self.as_of.data_end
        self.labels = DayLabels(fields.table)
        fields = self.labels.among(fields, book, self.as_of.calendar)
        used = (
            request.by,
            request.show,
            *request.conditions.only,
            *request.conditions.besides,
            *(name for name, _ in request.within),
        )
        fields, computed = read_computed(fields, (), used, self.as_of, self.labels.label)
        self.fields = fields.with_computed(LineField("counts_on", "date", self.counts_on, TABLE))
        reader = ComputedReader(self.fields, "--by", UsageMistake, self.as_of, self.labels.label)
        self.reader = reader_of_columns = ShownReader(reader, computed, UsageMistake)
        self.by = reader_of_columns.grouped(request.by, "--by") if request.by else ()
        for name, _ in request.within:
            # A group may be of a part of a date, which is no field by itself.
            (group,) = reader_of_columns.grouped(name, "--by")
            if name not in self.fields.by_name and group.value is not None:
                self.fields = self.fields.with_computed(LineField(name, group.kind, group.value, TABLE))
        self.conditions = tuple(condition_rules(request.conditions, self.fields, self.as_of))
        if request.view == "in-transit":
            self.by = (self._direction(), *self.by)
        self.scope = tuple(entity_rule(self.selection))
        self.picked = tuple(self._picked())
        self.rules = (*self.scope, *self._view_rules(), *self.picked)
        self.source = self.source_of(self.rules)

    @property
    def counts_on(self) -> Expression:
        """The day that an entry counts on, which goes by its kind."""
        cases = ((FieldTest("kind", "is", (kind,)), FieldReference(dated)) for kind, dated in self.dated.items())
        return Given(tuple(cases), FieldReference("posted"))

    # Which entries.

    def _view_rules(self) -> Iterator[Rule]:
        match self.request.view:
            case "figures":
                yield Rule(self._undated_words, Not(FieldTest("counts_on", "blank")))
                yield Rule("other dates", FieldTest("counts_on", "through", self.days))
            case "unposted":
                yield Rule("no charges", FieldTest("kind", "is", (CHARGE,)))
                yield Rule(
                    f"served after {day_words(self.day)} or no day told", FieldTest("served", "at-most", (self.day,))
                )
                yield Rule("posted by then", Not(FieldTest("posted", "at-most", (self.day,))))
            case _:
                yield Rule("not in transit", self.in_transit)

    def _picked(self) -> Iterator[Rule]:
        """Yield the rules of what was picked: kinds, conditions, one group."""
        if self.request.kinds:
            yield Rule("other kinds", FieldTest("kind", "is", self.request.kinds))
        yield from self.conditions
        for name, member in self.request.within:
            blank = FieldTest(name, "blank")
            yield Rule(f"other {name}", blank if member is None else FieldTest(name, "is", (member,)))

    @property
    def day(self) -> date:
        """The day that a cut-off is at: the last of those asked for."""
        return self.days[1]

    @property
    def _undated_words(self) -> str:
        if not self._other_dates:
            return "not posted"
        return "without the date that counts"

    @property
    def entries(self) -> Entries:
        """What is asked about entries in transit."""
        kinds = self.request.kinds or tuple(self.dated)
        return Entries(
            self.book.engine,
            self.source_of,
            self.scope,
            self.picked,
            self.days,
            {kind: date for kind, date in self.dated.items() if kind in kinds},
            self.selection.decimals,
        )

    @property
    def in_transit(self) -> Predicate:
        """The condition of the entries that count in these days by one of two dates only."""
        posted = FieldTest("posted", "through", self.days)
        parts = []
        for name, dated in self.dated.items():
            if dated != "posted":
                other, kind = FieldTest(dated, "through", self.days), FieldTest("kind", "is", (name,))
                told = Not(FieldTest(dated, "blank"))
                parts += [Every((kind, posted, Not(other), told)), Every((kind, Not(posted), other))]
        return Some(tuple(parts))

    def _direction(self) -> ShownField:
        posted = FieldTest("posted", "through", self.days)
        names = " or ".join(sorted(self._other_dates))
        here, there = "posted in these days only", f"{names} in these days only"
        value = Given(((posted, Constant(here)),), Constant(there))
        return ShownField("in-transit", "in transit", "text", value)

    def source_of(self, rules: Sequence[Rule]) -> LineSource:
        """Return what the store is asked of."""
        return self.book.line_source(self.fields, [rule.predicate for rule in rules])

    # What is shown of them.

    def _figure(self, kind: str) -> ShownField:
        test, amount = FieldTest("kind", "is", (kind,)), FieldReference("amount")
        # On a line of its own kind alone a figure stands; a group without any has nothing.
        value: Expression = Summed(((test, amount),)) if self.lines else Given(((test, amount),), _ZERO)
        return ShownField(kind, FIGURES[kind], "amount", value)

    def _shown(self) -> tuple[ShownField, ...]:
        """Return the columns that are asked for, in their order, or the usual ones."""
        usual = self._usual()
        if not self.request.show:
            return usual
        own = {name.casefold(): each for each in usual for name in (each.key, each.label)}
        found: dict[str, ShownField] = {}
        for piece in pieces(self.request.show):
            label, words = labelled(piece)
            each = own.get(words.casefold())
            if each is None:
                self.reader.check_named(words.lower(), [each.label for each in usual])
                each = self.reader.one(words, label)
            if each.key in found:
                raise UsageMistake(Mistake("shown twice", "--show", repr(each.key)))
            found[each.key] = each._replace(label=label or each.label)
        if not found:
            raise UsageMistake(Mistake("no column is left to show", "--show", repr(self.request.show)))
        return tuple(found.values())

    def _usual(self) -> tuple[ShownField, ...]:
        kinds = [kind for kind in FIGURES if kind in self.request.kinds or not self.request.kinds]
        lined = self.lines
        count = () if lined else (ShownField("count", "entries", "whole", None, "count"),)
        told = tuple(self._told())
        place = (EXPORT,) if lined else ()
        if self.request.view == "unposted":
            waiting = ShownField(
                "waiting", "days waiting", "whole", DaysBetween(FieldReference("served"), Constant(self.day)), "maximum"
            )
            oldest = ShownField(
                "served", "served" if lined else "oldest served", "date", FieldReference("served"), "minimum"
            )
            return (
                oldest,
                *told,
                waiting,
                *count,
                ShownField(CHARGE, "charges", "amount", FieldReference("amount")),
                *place,
            )
        net = ShownField("net", "net", "amount", SIGNED[TABLE])
        if self.request.view == "in-transit":
            kinds = [kind for kind in kinds if self.dated[kind] != "posted"]
        figures = tuple(self._figure(kind) for kind in kinds)
        return (*told, *count, *figures, *(() if len(figures) == 1 else (net,)), *place)

    def _told(self) -> Iterator[ShownField]:
        """Yield what is told of each entry before its amounts."""
        if not self.lines:
            return
        names = ["counts_on", "kind", "office", "desk", "party", "payer", "reason"]
        if self.request.view == "unposted":
            names = ["posted", "office", "desk", "party", "payer"]
        elif self.request.view == "in-transit":
            names = list(dict.fromkeys(["posted", *self._other_dates, "kind", "office", "party", "payer"]))
        grouped = {by.key for by in self.by}
        for name in names:
            if name not in grouped:
                field = self.fields.by_name[name]
                label = {"counts_on": "day", "party": "customer"}.get(name, name)
                yield ShownField(name, label, field.kind, field.value)

    @property
    def _other_dates(self) -> list[str]:
        return [dated for dated in dict.fromkeys(self.dated.values()) if dated != "posted"]

    def _rows(self) -> MadeRows:
        lined = self.lines
        first = "served" if self.request.view == "unposted" else "counts_on"
        order = (first, "number", "line")
        key = tuple(self.fields.by_name[name] for name in self._key())
        return ListRows(
            self.book.engine,
            self.source,
            ListShape(
                by=self.by,
                shown=self._shown(),
                sorts=(),
                limits=(),
                key=key,
                order=tuple(Order(self.fields.by_name[name].value, as_number=name == "line") for name in order),
                lines=lined or not self.by,
                first=None if lined or self.by else 0,
                measure=SIGNED[TABLE],
                decimals=self.selection.decimals,
                exclusions=0,
            ),
        ).made()

    def _key(self) -> tuple[str, ...]:
        return ("number", "line") if len(self.selection.entities) == 1 else ("entity", "number", "line")

    # The report.

    def _notes(self) -> Iterator[Note | str]:
        yield from word_slips(self.book, self.fields, self.conditions)
        yield from self.selection.notes
        yield from reach_notes(self.day, self.through)
        yield from early_notes(self.book, TABLE, self.selection, self.day)
        asked = AskedDays(*self.days, "posted") if self.request.first is not None else None
        rules = (*entity_rule(self.selection), *self.conditions)
        yield from edge_notes(self.book, self.fields, self.selection.calendar, asked, rules, self.selection.decimals)
        places = self.selection.decimals
        if self.request.view == "unposted":
            return
        if self.request.view == "figures":
            if self._other_dates:
                yield from transit_notes(self.entries, self.in_transit)
                yield from undated_notes(self.entries)
            late = Billing(self.book, replace(self.request, view="unposted", lines=False, by="", kinds=()))
            counted = {
                each.rule: each for each in left_out(self.book.engine, late.source, FieldReference("amount"))
            }.get(None)
            if counted:
                count = how_many(counted.lines, "charge")
                served = f"Served by {day_words(self.day)} and not posted by then: {count}, {{}}"
                words = f"{served}; --unposted lists them"
                yield Note(words, (counted.amount,), places)
            yield "Net is charges less payments, with adjustments as they are signed"

    def made(self) -> tuple[ReportTable, MadeRows]:
        """Return the report and what its rows were made from."""
        rows_made = self._rows()
        counted = left_out(self.book.engine, self.source, SIGNED[TABLE])
        shown, parts = proof_parts(self.rules, counted)
        return ReportTable(
            title=self._title(),
            facts=self._facts(),
            subtitle=tuple(self._subtitle()),
            columns=self._columns(rows_made),
            rows=rows_made.rows,
            key_label="/".join(self._key()) if self.lines else " / ".join(by.label for by in self.by),
            proof=self._proof(shown, parts, rows_made),
            notes=(*rows_made.notes, *self._notes()),
        ), rows_made

    def _title(self) -> str:
        by = [each.label for each in self.by if each.key != "in-transit"]
        grouped = f" by {' and '.join(by)}" if by else ""
        names = {
            "figures": "Billing",
            "unposted": "Billing: served and not posted",
            "in-transit": "Billing: entries in transit",
        }
        return names[self.request.view] + grouped

    def _columns(self, made: MadeRows) -> tuple[Column, ...]:
        """Return the columns, each amount with the days that it covers by which date."""
        dated = self.dated
        first, last = self.days
        columns = []
        for column in made.columns:
            if self.request.view == "figures" and column.key in dated:
                columns.append(column._replace(covers=f"by {dated[column.key]}"))
            elif column.key == "net" and self.request.view == "figures":
                columns.append(column._replace(first=first, through=last, covers=range_words(first, last)))
            else:
                columns.append(column)
        whole = self.request.first is not None or not self.as_of.is_cut
        told = Covered(first, last, None if self.through is None else self.through >= last, whole)
        numbers = ("amount", "count", "number")
        return tuple(each._replace(covered=told) if each.kind in numbers else each for each in columns)

    def _facts(self) -> dict[str, str]:
        request = self.request
        facts = {"table": TABLE, **selection_facts(self.selection), **table_as_of_facts(self.as_of, self.through)}
        facts |= {"from": self.days[0].isoformat(), "through": self.days[1].isoformat(), "view": request.view}
        facts |= {"charges_by": self.dated[CHARGE], **self._payment_facts}
        if request.by:
            facts["by"] = request.by
        if request.conditions:
            facts["conditions"] = " · ".join(asked_words(self.conditions))
        return facts | {"loaded": self.book.state.loaded_at.astimezone(self.book.zone).isoformat(timespec="minutes")}

    @property
    def _payment_facts(self) -> dict[str, str]:
        if self.dated[PAYER] == self.dated[CUSTOMER]:
            return {"payments_by": self.dated[PAYER]}
        return {"payer_payments_by": self.dated[PAYER], "customer_payments_by": self.dated[CUSTOMER]}

    def _subtitle(self) -> Iterator[str]:
        yield f"{self.selection.words} · {self.selection.currency}"
        ranged = range_words(*self.days) if self.request.first is not None else named_words(self.as_of, self.days)
        days = f"as of {day_words(self.day)}" if self.request.view == "unposted" else ranged
        paid = ", ".join(f"{key.replace('_', ' ')} {dated}" for key, dated in self._payment_facts.items())
        how = f"charges by {self.dated[CHARGE]}, {paid}, adjustments by posted"
        words = [days] if self.request.view == "unposted" else [days, how]
        yield " · ".join([*words, *asked_words(self.conditions)])
        yield table_words(self.book, TABLE, "posted")

    def _proof(self, shown: CountedAmount, parts: tuple[Part, ...], made: MadeRows) -> Proof:
        unlike = [rule for rule in self.rules if rule.aside]
        every = left_out(self.book.engine, self.source_of(unlike), SIGNED[TABLE])
        considered = next(
            (CountedAmount(each.lines, each.amount) for each in every if each.rule is None),
            CountedAmount(0, Decimal(0)),
        )
        checks = (
            *made.checks,
            *(transit_checks(self.entries, made.rows[-1].cells) if self.request.view == "figures" else ()),
        )
        words = "amount, payments negative"
        return Proof(words, considered, shown, parts, checks, self.selection.decimals, table=TABLE)
