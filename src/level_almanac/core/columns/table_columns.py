"""A table of any kind in columns: its members as rows, and in each column a measure in a span, or what follows from
others.

Column words are placed on the calendar as those of a statement are; what a member comes to in all of them is one
question to the store (docs/list.md, "In columns").
"""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from functools import cached_property
from typing import Any, Literal, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.columns.computing import computed, computed_cell
from level_almanac.core.columns.heads import head_of, share_head
from level_almanac.core.columns.pairs import Column as AnyColumn
from level_almanac.core.columns.pairs import PairedColumn, head_over, pair_words, paired
from level_almanac.core.columns.placed import Ground, PlacedColumn, Shown, place_columns, shared_column, with_members
from level_almanac.core.columns.plan_sums import PlanFigure, PlanSums, is_income
from level_almanac.core.columns.ranking import apart_from_blank, goes_by_size, ranked
from level_almanac.core.columns.sums import Members, MemberSums, SlotSums, ValueSlot, natural
from level_almanac.core.columns.units import CREDITS, DEBITS, NATURAL_SIGNS, MeasureUnits, Unit, check_units
from level_almanac.core.language.columns import (
    ACTUAL,
    WHERE,
    ComputedColumn,
    GroupedColumns,
    ShareColumn,
    ValueColumn,
    read_columns,
)
from level_almanac.core.language.formulas import divides, made_of, names_in
from level_almanac.core.language.parsing import pointed
from level_almanac.core.lines.member_names import called
from level_almanac.core.lines.selected import ShownField
from level_almanac.core.lines.shape import Others
from level_almanac.core.measures.measure import Measure
from level_almanac.core.measures.plan_tables import plan_tables
from level_almanac.core.measures.table_measures import MeasuredRequest, TableMeasures
from level_almanac.core.spans.windows import EVERYTHING, Missing, Window
from level_almanac.core.subledger.day_fields import DAY_FIELDS
from level_almanac.core.table.change import Figure, are_offset, change_percent, percent, variance_percent
from level_almanac.core.table.exact import unsigned_zero
from level_almanac.core.table.model import Cell, Column, ColumnKind, Derived
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.files.tables import SIDE_OF
from level_almanac.store.expressions import Expression
from level_almanac.store.line_query import groups

_KINDS: dict[str, ColumnKind] = {"amount": "amount", "quantity": "number", "count": "count", "ratio": "number"}
_ONE = Decimal(1)
TOTAL, GROUP = "total", "group"
_SHARES = (TOTAL, GROUP)
"""What a share can be of: all that is shown, or the group that a row stands in."""


class Group(NamedTuple):
    """A member, or several together: what it comes to, and what is planned for it in each column of a plan."""

    sums: MemberSums
    plans: tuple[PlanFigure, ...] = ()

    @property
    def members(self) -> Members:
        """Its values of the fields that rows are of."""
        return self.sums.members


def measure_kind(measure: Measure) -> ColumnKind:
    """Return what the cells of a measure are."""
    return "percent" if measure.percent else _KINDS[measure.kind]


def measure_places(measure: Measure, decimals: int, values: Iterable[Decimal | None]) -> int:
    """Return how many decimals a measure is shown with. decimals: of amounts; values: its figures."""
    if measure.percent:
        return 1
    if measure.kind == "amount":
        return decimals
    if measure.kind == "ratio":
        return 2
    whole = measure.kind == "count" or all(value is None or value == value.to_integral_value() for value in values)
    return 0 if whole else 2


class TableColumns:
    """One table in columns in the making. text: the column words; asked: the lines, `of` empty, as columns say that.

    Raises UsageMistake for words that the table or the calendar lacks.
    """

    def __init__(self, book: Book, asked: MeasuredRequest, text: str) -> None:
        self.book, self.text = book, text
        self.plan_tables = plan_tables(book, book.line_fields(asked.table).table.name, WHERE)
        words = tuple(self._told_apart(word) for word in read_columns(text))
        values = [
            each
            for word in words
            for each in (word.columns if isinstance(word, GroupedColumns) else (word,))
            if isinstance(each, ValueColumn)
        ]
        named = list(dict.fromkeys(word.measure for word in values if word.measure))
        usual = any(not word.measure for word in values) or not named
        first = "" if usual else named[0]
        self._check_named(named, asked)
        eaches = [word.each for word in (*words, *values) if isinstance(word, GroupedColumns | ValueColumn)]
        of_day = DAY_FIELDS if asked.table in SIDE_OF.values() else ()
        across = {each.field for each in eaches if each and each.field in of_day}
        more = named if usual else named[1:]
        self.measured = TableMeasures(book, replace(asked, of=first), more=more, across=sorted(across), where=WHERE)
        self.as_of = self.measured.as_of
        found = self.measured.measures
        self.measure_of = dict(zip([first, *more], found, strict=True)) | {"": found[0]}
        self.units = MeasureUnits(self.measured.fields)
        placed = place_columns(words, text, self.as_of, self._ground())
        shown = tuple(self._measured(column, placed[:at]) for at, column in enumerate(placed))
        self.across = self._across(shown)
        self.shown: tuple[Shown, ...] = with_members(shown, self._members_of, self._called)
        self.columns: tuple[AnyColumn, ...] = paired(self.shown, text)
        check_units(self.columns, self.unit_of, text)
        self._check_shares()
        self.slots = [column for column in self.shown if isinstance(column, PlacedColumn)]
        self.measured.keep({slot.measure for slot in self.slots})
        self.planned = [slot for slot in self.slots if slot.is_plan]
        self.booked = [slot for slot in self.slots if not slot.is_plan]
        self.plans = (
            PlanSums(
                self.measured,
                self.planned,
                self.plan_tables,
                list(dict.fromkeys(slot.field for slot in self.planned if slot.field)),
                self._turn_of_plan,
            )
            if self.planned
            else None
        )
        self.rules = self.measured.rules(self.windows)
        self.sums = SlotSums(self.measured, [self._value_slot(slot) for slot in self.booked], self._proven, self.across)

    # Words.

    def _told_apart(self, word: Any) -> Any:
        """Return a column with a single name before its span read as the measure, where no plan is called so."""
        if isinstance(word, GroupedColumns):
            return replace(word, columns=tuple(map(self._told_apart, word.columns)))
        if not isinstance(word, ValueColumn):
            return word
        if word.span.name in ("opening", "closing"):
            what, allowed = "a balance is no sum of a span's lines", "a span such as ytd, or `to date`"
            shown = pointed(self.text, word.start, len(word.span.name))
            raise UsageMistake(Mistake(what, WHERE, word.span.name, allowed, shown=shown))
        if word.scenario != ACTUAL and not word.measure and word.scenario not in self.plan_tables:
            return replace(word, measure=word.scenario.lower(), scenario=ACTUAL)
        return word

    def _check_named(self, named: Sequence[str], asked: MeasuredRequest) -> None:
        """Raise UsageMistake for a plain name that is neither a measure nor a plan, pointing at it."""
        fields = self.book.line_fields(asked.table)
        computed = [*fields.table.compute, *(text.partition("=")[0].strip().lower() for text in asked.compute)]
        told = {*fields.by_name, *(DAY_FIELDS if fields.table.name in SIDE_OF.values() else ())}
        for name in named:
            plain = name.removesuffix(" %")
            if " " in plain or plain in told or plain in computed or plain == "count":
                continue
            numbers = [
                each.name for each in fields.by_name.values() if each.kind in ("amount", "quantity") and not each.link
            ]
            known = [*numbers, *computed, "count", *self.plan_tables]
            start = max(self.text.lower().find(plain), 0)
            shown = pointed(self.text, start, len(plain))
            what, hint = "neither a measure nor a plan has this name", nearest(plain, known)
            raise UsageMistake(Mistake(what, WHERE, repr(plain), listed(known), hint, shown=shown))

    def _ground(self) -> Ground:
        def first_year() -> int | None:
            first = self.measured.first_day
            return None if first is None else self.as_of.calendar.year_of(first).year

        return Ground(lambda: list(self.plan_tables), first_year, self._check_field)

    def _check_field(self, name: str, start: int) -> None:
        fields = self.measured.fields.by_name
        if name not in fields or fields[name].kind != "text":
            known = sorted(each for each, field in fields.items() if field.kind == "text")
            what, hint = "the table has no such field to tell lines apart by", nearest(name, known)
            shown = pointed(self.text, start, len(name))
            raise UsageMistake(Mistake(what, WHERE, repr(name), listed(known), hint, shown=shown))

    def _measured(self, column: Shown, left: Sequence[Shown]) -> Shown:
        """Return a value column with its measure. left: the columns to the left of it."""
        if not isinstance(column, PlacedColumn):
            return column
        named = column.measure or self._measure_beside(column, left)
        measure = self.measure_of[named]
        label = column.label
        if named and column.value is not None and not column.value.label:
            name = "natural" if column.is_plan and measure.key == "natural" else measure.label
            label = f"{name} {label}".strip()
        window = column.window if column.is_plan else self.measured.since(self._dated(column.window))
        return column._replace(measure=measure.key, label=label, window=window)

    def _measure_beside(self, column: PlacedColumn, left: Sequence[Shown]) -> str:
        """Return the name of the measure that a plan column without one takes its signs from, empty for the usual one.

        That is the nearest amount to its left.
        """
        if not column.is_plan:
            return ""
        names = (each.measure for each in reversed(left) if isinstance(each, PlacedColumn) and not each.is_plan)
        by_key = {measure.key: name for name, measure in self.measure_of.items()}
        amounts = (by_key.get(name, name) for name in names)
        return next((name for name in amounts if self.measure_of[name].kind == "amount"), "")

    def _dated(self, window: Window | Missing) -> Window | Missing:
        """Return a window that reaches back to the first line with the day of that, as only periods know it anyway."""
        if isinstance(window, Missing) or window.unit != EVERYTHING:
            return window
        first = self.measured.first_day
        return window if first is None or first > window.last else window._replace(first=first)

    def _across(self, shown: Sequence[Shown]) -> tuple[ShownField, ...]:
        names = dict.fromkeys(each.field for each in shown if isinstance(each, PlacedColumn) and each.field)
        return tuple(field for name in names for field in self.measured.reader.grouped(name, WHERE))

    def _members_of(self, column: PlacedColumn) -> list[Any]:
        """Return the members that stand beside one another, in order; of a few largest these, and all other."""
        field = next(each for each in self.across if each.key == column.field)
        if field.value is None:
            return []
        if column.top:
            return self._largest(column, field.value)
        rules = (*self.measured.before_days(), *self.measured.of_kind, *self.measured.conditions)
        members = {row[0] for row in groups(self.book.engine, self.measured.source(rules), [field.value], [])}
        for table in dict.fromkeys(self.plan_tables.values()):
            fields = self.book.line_fields(table)
            if field.key in fields.by_name:
                source, value = self.book.line_source(fields), fields.by_name[field.key].value
                members |= {row[0] for row in groups(self.book.engine, source, [value], [])}
        return sorted(members, key=natural)

    def _largest(self, column: PlacedColumn, field: Expression) -> list[Any]:
        if column.is_plan or not isinstance(column.window, Window):
            what, allowed = "the first column says which members are largest", "one of what was booked"
            shown = pointed(self.text, max(self.text.lower().find("top"), 0), len("top"))
            raise UsageMistake(Mistake(what, WHERE, column.word, allowed, shown=shown))
        measure = self.measure_of_slot(column)
        rows = groups(
            self.book.engine, self.measured.source(self.measured.rules([column.window])), [field], measure.parts
        )
        found = sorted(((row[0], measure.value(row[2:])) for row in rows), key=lambda pair: natural(pair[0]))
        by_size = goes_by_size([value for _, value in found])
        ordered = ranked(found, lambda pair: pair[1], rising=False, by_size=by_size)
        named, blank = apart_from_blank([member for member, _ in ordered], lambda member: member)
        members: list[Any] = named[: column.top]
        if len(named) > column.top:
            members.append(Others(tuple(map(str, members)), blank=True))
        return [*members, *blank]

    def _called(self, field: str, member: Any) -> str:
        return "all other" if isinstance(member, Others) else called(self._names[field], field, member)

    @cached_property
    def _names(self) -> Mapping[str, Mapping[str, str]]:
        return {field.key: self.measured.names_of(field.key) for field in self.across}

    def _check_shares(self) -> None:
        for at, column in enumerate(self.columns):
            if isinstance(column, ShareColumn):
                if column.row.lower() not in _SHARES:
                    shown = pointed(self.text, max(self.text.find(column.row, column.start), 0), len(column.row))
                    what, allowed = "a share is of the total, or of the group that a row stands in", "total or group"
                    raise UsageMistake(Mistake(what, WHERE, repr(column.row), allowed, shown=shown))
                slot = shared_column(self.columns, column, at, self.text)
                if not self.measure_of_slot(slot).adds:
                    shown = pointed(self.text, column.start, len("share"))
                    raise UsageMistake(
                        Mistake("what does not add up has no shares", WHERE, repr(slot.label), shown=shown)
                    )

    def _value_slot(self, slot: PlacedColumn) -> ValueSlot:
        window = slot.window if isinstance(slot.window, Window) else None
        across = (slot.field, slot.member) if slot.field else None
        return ValueSlot(slot.key, self.measure_of_slot(slot), window, across)

    @property
    def windows(self) -> list[Window]:
        """The spans that lines are counted in."""
        return list(dict.fromkeys(slot.window for slot in self.booked if isinstance(slot.window, Window)))

    @property
    def adding(self) -> list[Measure]:
        """The measures that proofs are of."""
        by_key = {each.key: each for each in self.measured.measures}
        return [each for each in by_key.values() if each.adds and each.kind != "count"]

    @property
    def _proven(self) -> list[Any]:
        adding = [measure.proven for measure in self.adding]
        return adding or ([self.measured.proven] if self.measured.proven is not None else [])

    # Figures.

    def groups(self) -> list[Group]:
        """Return each member of the smallest groups, in the order of their keys; accounts in that of the chart."""
        found = {sums.members: self._planned(sums) for sums in self.sums.of_members(self.rules)} if self.booked else {}
        for members in self.plans.members if self.plans else ():
            if members not in found:
                found[members] = self._planned(self.sums.none(members))
        return [found[members] for members in sorted(found, key=self._order)]

    def _order(self, members: Members) -> tuple[Any, ...]:
        places = self.book.account_places
        return tuple(
            (places.get(str(member), len(places)) if field.key == "account" and places else 0, *natural(member))
            for field, member in zip(self.measured.by, members, strict=True)
        )

    def _planned(self, sums: MemberSums) -> Group:
        return Group(sums, self.plans.of(sums.members) if self.plans else ())

    def together(self, found: Sequence[Group], members: Members = ()) -> Group:
        """Return several groups as one."""
        plans = tuple(sum(column, PlanFigure()) for column in zip(*(each.plans for each in found), strict=True))
        return Group(self.sums.together([each.sums for each in found], members), plans or self._no_plans)

    @property
    def _no_plans(self) -> tuple[PlanFigure, ...]:
        return tuple(PlanFigure() for _ in self.planned)

    def measure_of_slot(self, slot: PlacedColumn) -> Measure:
        """Return what a value column sums."""
        return next(each for each in self.measured.measures if each.key == slot.measure)

    def unit_of(self, slot: PlacedColumn) -> Unit:
        """Return the unit of a value column."""
        return self.units.of(self.measure_of_slot(slot))

    def _turn_of_plan(self, slot: PlacedColumn) -> Literal["natural", "credits", "debits"]:
        """Return the sign convention that a plan column is shown in."""
        if not self.measured.own.entries:
            return "natural"
        signs: dict[str, Literal["credits", "debits"]] = {CREDITS: "credits", DEBITS: "debits"}
        return signs.get(self.unit_of(slot).sign, "natural")

    def figure(self, group: Group, slot: PlacedColumn) -> Figure | None:
        """Return the figure of a group in a value column.

        None if the column has no days, a ratio has no lines, or both debit and credit classes have natural amounts.
        """
        if isinstance(slot.window, Missing):
            return None
        if slot.is_plan:
            planned = group.plans[self.planned.index(slot)]
            mixed = self.measure_of_slot(slot).has_sides and planned.credit.amount and planned.debit.amount
            return None if mixed else planned.figure
        value = self.sums.amount(group.sums, slot.key)
        return None if value is None else Figure(value, self.sums.lines(group.sums, slot.key))

    def _sides(self, group: Group, slot: PlacedColumn) -> tuple[Decimal, Decimal] | None:
        """Return the natural amounts of credit and of debit classes; None if the column is not of such amounts."""
        if isinstance(slot.window, Missing) or not self.measure_of_slot(slot).has_sides:
            return None
        if slot.is_plan:
            planned = group.plans[self.planned.index(slot)]
            return planned.credit.amount, planned.debit.amount
        return self.sums.sides(group.sums, slot.key)

    def result_of(self, group: Group, slot: PlacedColumn) -> Decimal | None:
        """Return credits less debits of a blank figure of natural amounts; None if the figure is not blank."""
        sides = self._sides(group, slot)
        return sides[0] - sides[1] if sides and all(sides) else None

    def cells(self, group: Group, within: Group, whole: Group, offset: Collection[str] = ()) -> dict[str, Cell]:
        """Return the cells of a row by column.

        within: the group that it stands in.
        whole: all that is shown.
        offset: the keys of shares that are n/m in this row.
        """
        cells: dict[str, Cell] = {}
        exact: dict[str, Decimal | None] = {}
        for at, column in enumerate(self.columns):
            if isinstance(column, ComputedColumn):
                exact[column.key] = computed(column, exact)
                cells[column.key] = computed_cell(exact[column.key])
            elif column.key in offset:
                cells[column.key], exact[column.key] = "n/m", None
            else:
                cells[column.key], exact[column.key] = self._one(at, group, within, whole)
        return cells

    def offset(self, members: Sequence[Group], whole: Group, row: str) -> dict[str, str]:
        """Return the shares of a total, or of a group, that are n/m, by key, with the label of their value column.

        members: of `whole`.
        row: what the shares are of.
        """
        found = {}
        for at, column in enumerate(self.columns):
            if isinstance(column, ShareColumn) and column.row == row:
                slot = shared_column(self.columns, column, at, self.text)
                of, figures = self.figure(whole, slot), [self.figure(each, slot) for each in members]
                if of and of.lines and are_offset([each.amount for each in figures if each], of.amount):
                    found[column.key] = slot.label
        return found

    def cell(self, key: str, group: Group, within: Group, whole: Group) -> Cell:
        """Return one cell of a row, by the key of its column."""
        at = next(at for at, column in enumerate(self.columns) if column.key == key)
        if isinstance(self.columns[at], ComputedColumn):
            return self.cells(group, within, whole)[key]
        return self._one(at, group, within, whole)[0]

    def _one(self, at: int, group: Group, within: Group, whole: Group) -> tuple[Cell, Decimal | None]:
        """Return the cell of a column that is not computed from others, and its figure before rounding."""
        match self.columns[at]:
            case PlacedColumn() as column:
                figure = self.figure(group, column)
                amount = None if figure is None else figure.amount
                return self._cell(amount, column), amount
            case PairedColumn(word) as pair if word.percent:
                cell = self._change_percent(group, pair)
            case PairedColumn() as pair:
                difference = self._difference(group, pair)
                return self._cell(difference, pair.of), difference
            case ShareColumn() as share:
                slot = shared_column(self.columns, share, at, self.text)
                part, of = (self.figure(each, slot) for each in (group, whole if share.row == TOTAL else within))
                cell = percent(part.amount, of.amount) if part and of and part.lines else None
            case _:
                raise AssertionError(at)
        return cell, cell if isinstance(cell, Decimal) else None

    def _cell(self, value: Decimal | None, slot: PlacedColumn) -> Cell:
        return self.measure_of_slot(slot).cell(value, self.measured.decimals)

    def _compared(self, group: Group, pair: PairedColumn) -> tuple[Figure, Figure] | None:
        """Return both figures of a change or variance; None if one is missing or the data begins within its span."""
        of, over = self.figure(group, pair.of), self.figure(group, pair.over)
        begins = [isinstance(slot.window, Window) and slot.window.begins for slot in (pair.of, pair.over)]
        if of is None or over is None or (pair.word.kind == "change" and any(begins)):
            return None
        return of, over

    def _change_percent(self, group: Group, pair: PairedColumn) -> Cell:
        compared = self._compared(group, pair)
        if compared is None or self.measure_of_slot(pair.of).percent:
            return None
        if pair.word.kind == "variance":
            return variance_percent(*compared, self._favourable(group, pair))
        return change_percent(*compared)

    def _difference(self, group: Group, pair: PairedColumn) -> Decimal | None:
        """Return a change or variance, not rounded."""
        if pair.word.kind == "variance":
            sides = [self._sides(group, slot) for slot in (pair.of, pair.over)]
            if sides[0] and sides[1]:
                (earned, spent), (planned, planned_costs) = sides[0], sides[1]
                return (earned - planned) - (spent - planned_costs)
        compared = self._compared(group, pair)
        if compared is None:
            return None
        of, over = compared
        turn = self._favourable(group, pair) if pair.word.kind == "variance" else 1
        difference = (of - over).amount
        return difference if turn > 0 else unsigned_zero(difference.copy_negate())

    def _favourable(self, group: Group, pair: PairedColumn) -> int:
        """Return 1 if more than planned is better in this row, -1 if less is."""
        sides = [self._sides(group, slot) for slot in (pair.of, pair.over)]
        if self.measured.own.entries and any(sides):
            return 1 if any(side[0] for side in sides if side) else -1
        sign = self.unit_of(pair.of).sign
        if self.measured.own.entries:
            # Natural amounts without sides are of credit classes only, or of debit classes only.
            return 1 if sign == CREDITS or (sign == NATURAL_SIGNS and self.measured.is_of_credits) else -1
        return 1 if is_income(self.measured) else -1

    # Heads.

    def heads(self, found: Sequence[Group]) -> list[Column]:
        """Return the columns of the report. found: what is shown, by which a quantity's decimals are told."""
        keys = {column.key.lower(): column.key for column in self.columns}
        return [self._head(column, found, keys)._replace(group=head_over(column)) for column in self.columns]

    def _head(self, column: AnyColumn, found: Sequence[Group], keys: Mapping[str, str]) -> Column:
        match column:
            case PlacedColumn():
                plans = self.plans.plans[self.plan_tables[column.scenario]] if column.is_plan and self.plans else None
                head = head_of(column, self.measured.decimals, self.as_of, "movement", self.measured.through, plans)
                measure = self.measure_of_slot(column)
                return head._replace(
                    kind=measure_kind(measure), decimals=self._places(column, found), adds=measure.adds
                )
            case PairedColumn():
                return self._paired_head(column, found)
            case ShareColumn():
                return share_head(column, self.columns, self.text)
            case ComputedColumn():
                ratio = divides(column.formula)
                amounts = all(head == "amount" for head in self._kinds_in(column))
                kind: ColumnKind = "amount" if amounts and not ratio else "number"
                places = self.measured.decimals if kind == "amount" else 2
                made = made_of(column.formula, keys)
                label = column.label or column.key
                return Column(column.key, label, kind, places, made=made, adds=not ratio and amounts)
        raise AssertionError(column)

    def _kinds_in(self, column: ComputedColumn) -> Iterator[str]:
        for name in names_in(column.formula):
            slot = next((each for each in self.slots if each.key == name.name.lower()), None)
            yield measure_kind(self.measure_of_slot(slot)) if slot else "amount"

    def _places(self, slot: PlacedColumn, found: Sequence[Group]) -> int:
        measure = self.measure_of_slot(slot)
        figures = (self.figure(group, slot) for group in found)
        return measure_places(measure, self.measured.decimals, (each.amount if each else None for each in figures))

    def _paired_head(self, pair: PairedColumn, found: Sequence[Group]) -> Column:
        measure, word = self.measure_of_slot(pair.of), pair.word
        label = f"{word.label or (f'{word.kind} %' if word.percent else word.kind)} {pair.label}".strip()
        covers = "" if pair.beside else pair_words(pair)
        favourable = word.kind == "variance"
        exact = measure.kind == "amount"
        derived = Derived(pair.of.key, pair.over.key, word.percent, favourable=favourable) if exact else None
        if word.percent:
            return Column(pair.key, label, "percent", 1, covers=covers, derived=derived, adds=False)
        if measure.percent:
            return Column(pair.key, f"{label}, points", "number", 1, covers=covers, adds=False)
        kind, places = measure_kind(measure), self._places(pair.of, found)
        return Column(pair.key, label, kind, places, covers=covers, derived=derived, adds=measure.adds)
