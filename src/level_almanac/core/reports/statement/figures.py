"""The figures of a statement: what each account has in each value column, asked of the store in one query.

Amounts are debit-positive throughout; rows turn them (docs/layouts.md, "Signs").
"""

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING, Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.fiscal import FiscalPeriod
from level_almanac.core.calendar.positions import stretches
from level_almanac.core.columns.placed import PlacedColumn, Shown, with_members
from level_almanac.core.columns.ranking import apart_from_blank
from level_almanac.core.columns.sums import natural
from level_almanac.core.lines.asked import LedgerConditions
from level_almanac.core.lines.member_names import called, linked_values, names_of
from level_almanac.core.lines.shape import Others, is_member
from level_almanac.core.reports.statement.arrangement import EARLIER, RESULT, nature
from level_almanac.core.selection import Selection
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.spans.windows import Window, rest_of_cut, up_to
from level_almanac.core.table.change import Figure
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.layouts import RowMeasure
from level_almanac.store.ledger_sums import ALL_CLASSES, MOVEMENT, EntryClass, Measures, Slice, SumKey, Sums, merged
from level_almanac.store.predicate import FiscalRange

if TYPE_CHECKING:
    from level_almanac.core.measures.plans import PlanLine, Plans
    from level_almanac.core.reports.statement.cash_basis import CashBasis

FREE = ("other dates", "closing", "carried", "all lines")
"""The measures of a proof that conditions are not asked for."""
COUNTED: tuple[EntryClass, ...] = ("ordinary", "adjusting")
Block = str | None
"""A member of the field that a statement is in blocks by; None where a line has no value in it."""
Amounts = Mapping[str, Figure]
"""Figures by account, debit-positive; results stand under names of their own."""
WHOLE = ""
"""The block of everything."""


class Figures(NamedTuple):
    """What was found. slots: the columns with the members of fields made into one each; blocks: the members to show;
    by_block: per block, slot key and measure, the amounts of each account; sums: all of the store's answer; plans: the
    plans that were read, if any; asked: the fields that places and plan lines tell, beside entity and account; cash:
    what was counted when it was paid, if the statement is on that basis.
    """

    slots: tuple[Shown, ...]
    blocks: tuple[Block, ...]
    by_block: Mapping[tuple[Block, str, RowMeasure], Amounts]
    sums: Mapping[SumKey, Mapping[str, Sums]]
    plans: "Plans | None"
    asked: tuple[str, ...] = ()
    cash: "CashBasis | None" = None

    def of(self, block: Block, slot: str, measure: RowMeasure) -> Amounts:
        """Return the amounts by account in one block and column."""
        return self.by_block.get((block, slot, measure), {})


def asked_names(slot: PlacedColumn, measure: RowMeasure) -> tuple[str, ...]:
    """Return what the store's measures for a column are called."""
    return (f"m:{slot.asked}",) if measure == "movement" else (f"e:{slot.asked}", f"y:{slot.asked}")


def earlier_slices(window: Window, as_of: AsOf) -> tuple[Slice, ...]:
    """Return all that a balance holds from before the fiscal year of its day, the base among it."""
    calendar = as_of.calendar
    if window.before:
        first = calendar.year_of(window.first).year * 100
        return (Slice(MOVEMENT, (FiscalRange(0, first),)), Slice(("base",), (FiscalRange(0, first + 1),)))
    day = window.balance_day
    earlier = Slice(MOVEMENT, (FiscalRange(0, calendar.year_of(day).year * 100),))
    return (earlier, Slice(("base",), (FiscalRange(0, calendar.period_of(day).fiscal),)))


def measures_of(shown: Sequence[Shown], measures: Iterable[RowMeasure], as_of: AsOf) -> Measures:
    """Return what the store is to sum for these columns, and for the proof."""
    wanted: dict[str, tuple[Slice, ...]] = {}
    moved: list[FiscalRange] = []
    balanced: list[FiscalRange] = []
    based: list[FiscalRange] = []
    for slot in shown:
        if not isinstance(slot, PlacedColumn) or slot.is_plan or not isinstance(slot.window, Window):
            continue
        window = slot.window
        if "movement" in measures:
            wanted[f"m:{slot.asked}"] = (Slice(COUNTED, window.stretches),)
            moved += window.stretches
            if rest := rest_of_cut(window):
                wanted[f"r:{slot.asked}"] = (Slice(COUNTED, stretches(as_of.calendar, *rest, 0, crossing=False)),)
        if "balance" in measures:
            earlier = earlier_slices(window, as_of)
            within = () if window.before else up_to(window, as_of.calendar)
            wanted[f"e:{slot.asked}"] = earlier
            wanted[f"y:{slot.asked}"] = (Slice(MOVEMENT, within),)
            balanced += [*earlier[0].stretches, *within]
            based += earlier[1].stretches
    any_moved, any_balanced, any_based = merged([*moved, *balanced]), merged(balanced), merged(based)
    return {
        **wanted,
        "shown": (Slice(COUNTED, any_moved), Slice(("closing",), any_balanced), Slice(("base",), any_based)),
        "other dates": (Slice(COUNTED, any_moved, outside=True),),
        "closing": (Slice(("closing",), any_balanced, outside=True),),
        "carried": (Slice(("carried",)), Slice(("base",), any_based, outside=True)),
        "all lines": (Slice(ALL_CLASSES),),
    }


def figures_of(
    book: Book,
    selection: Selection,
    shown: Sequence[Shown],
    measures: set[RowMeasure],
    as_of: AsOf,
    by: str,
    conditions: LedgerConditions,
    make_cash: "Callable[[Sequence[str], Sequence[Window]], CashBasis] | None" = None,
) -> Figures:
    """Return the figures of every column. by: the field that the statement is in blocks by, or empty; make_cash: takes
    the fields that lines are told apart by, and the days of all columns, where the statement is on the cash basis.
    """
    fields = tuple(dict.fromkeys(slot.field for slot in shown if isinstance(slot, PlacedColumn) and slot.field))
    # What a code leads to is told of the sums of the codes themselves.
    roots = dict.fromkeys(field.partition(".")[0] for field in [*fields, *([by] if by else [])])
    asked = [field for field in roots if field != "entity"]
    sums = book.sums_by(measures_of(shown, measures, as_of), asked, conditions.filter_of(book, FREE, ("shown",)))
    planned = any(isinstance(slot, PlacedColumn) and slot.is_plan for slot in shown)
    plans = _read_plans(book, selection, asked, conditions) if planned else None
    windows = [
        slot.window
        for slot in shown
        if isinstance(slot, PlacedColumn) and not slot.is_plan and isinstance(slot.window, Window)
    ]
    cash = make_cash(asked, windows) if make_cash else None
    gatherer = _Gatherer(book, selection, as_of, asked, by, plans, cash)
    members = {field: gatherer.members(field, shown, measures, sums) for field in [*fields, *([by] if by else [])]}
    names = {field: names_of(book, book.tables["ledger"], field) for field in fields}

    def members_of(column: PlacedColumn) -> Sequence[Any]:
        return gatherer.largest(column, members[column.field], measures, sums) if column.top else members[column.field]

    def name_of(field: str, member: Any) -> str:
        return "all other" if isinstance(member, Others) else called(names[field], field, member)

    slots = with_members(shown, members_of, name_of)
    for slot in slots:
        if isinstance(slot, PlacedColumn) and isinstance(slot.window, Window):
            gatherer.gather(slot, measures, sums)
    return Figures(slots, tuple(members[by]) if by else (), gatherer.by_block, sums, plans, tuple(asked), cash)


def _read_plans(book: Book, selection: Selection, fields: Sequence[str], conditions: LedgerConditions) -> "Plans":
    from level_almanac.core.measures.plans import read_plans

    return read_plans(book, selection, fields, conditions)


class PlannedPart(NamedTuple):
    """What a line of a plan has in a column, debit-positive, under the name of an account or a result."""

    line: "PlanLine"
    measure: RowMeasure
    name: str
    amount: Decimal


def planned_parts(
    book: Book, selection: Selection, figures: Figures, slot: PlacedColumn, as_of: AsOf, block: Block, by: str
) -> Iterator[PlannedPart]:
    """Yield what each line of a plan has in a column of one block."""
    gatherer = _Gatherer(book, selection, as_of, figures.asked, by, figures.plans)
    both: tuple[RowMeasure, ...] = ("movement", "balance")
    yield from (part for part in gatherer.planned(slot, both) if gatherer.is_in(part.line, block))


@dataclass
class _Gatherer:
    """Puts the store's sums and the plans under block, column and account."""

    book: Book
    selection: Selection
    as_of: AsOf
    asked: Sequence[str]
    by: str
    plans: "Plans | None"
    cash: "CashBasis | None" = None

    def __post_init__(self) -> None:
        self.by_block: defaultdict[tuple[Block, str, RowMeasure], defaultdict[str, Figure]] = defaultdict(
            lambda: defaultdict(Figure)
        )
        self._linked: dict[str, Mapping[str, str]] = {}

    def _member(self, field: str, entity: str | None, values: Sequence[str | None]) -> str | None:
        root, leads, _ = field.partition(".")
        code = entity if root == "entity" else values[self.asked.index(root)]
        if not leads:
            return code
        if field not in self._linked:
            self._linked[field] = linked_values(self.book, self.book.tables["ledger"], field)
        return self._linked[field].get(str(code))

    def members(
        self, field: str, shown: Sequence[Shown], measures: set[RowMeasure], sums: Mapping[SumKey, Mapping[str, Sums]]
    ) -> list[str | None]:
        """Return the members of a field that have anything to show, those without a value last."""
        names = [
            name
            for slot in shown
            if isinstance(slot, PlacedColumn) and not slot.is_plan and isinstance(slot.window, Window)
            and field in (slot.field, self.by)
            for measure in measures
            for name in asked_names(slot, measure)
        ]  # fmt: skip
        members = {
            self._member(field, place[0], place[2:])
            for place, measured in sums.items()
            if place[0] in self.selection.entities
            and (self._is_income(place[1]) or "balance" in measures)
            and any(measured[name].lines for name in names)
        }
        for slot in shown:
            if self.plans and isinstance(slot, PlacedColumn) and slot.is_plan and isinstance(slot.window, Window):
                members |= {
                    self._member(field, line.entity, line.members)
                    for line in self.plans.lines
                    if line.scenario == slot.scenario
                    and line.entity in self.selection.entities
                    and self.plans.within(line, slot.window.stretches) is not None
                }
        for slot in shown:
            if self.cash and isinstance(slot, PlacedColumn) and not slot.is_plan and isinstance(slot.window, Window):
                members |= {
                    self._member(field, change.entity, change.members) for change in self.cash.changes(slot.window)
                }
        return sorted(members, key=lambda member: (member is None, member or ""))

    def largest(
        self,
        column: PlacedColumn,
        members: Sequence[str | None],
        measures: set[RowMeasure],
        sums: Mapping[SumKey, Mapping[str, Sums]],
    ) -> list[Any]:
        """Return the members that a column is largest of, whichever its sign, and all other as one."""
        if column.is_plan:
            what, allowed = "the first column says which members are largest", "one of what was booked"
            raise UsageMistake(Mistake(what, "--columns", column.word, allowed))
        totals: defaultdict[str | None, Decimal] = defaultdict(Decimal)
        for place, measured in sums.items():
            if place[0] in self.selection.entities and (self._is_income(place[1]) or "balance" in measures):
                names = (name for measure in measures for name in asked_names(column, measure))
                totals[self._member(column.field, place[0], place[2:])] += sum(
                    (measured[name].amount for name in names), Decimal(0)
                )
        ordered = sorted(members, key=lambda member: (-abs(totals[member]), *natural(member)))
        named, blank = apart_from_blank(ordered, lambda member: member)
        found: list[Any] = named[: column.top]
        if len(named) > column.top:
            found.append(Others(tuple(map(str, found)), blank=True))
        return [*found, *blank]

    def _is_income(self, account: str | None) -> bool:
        return self.book.chart[str(account)].is_income

    def gather(self, slot: PlacedColumn, measures: set[RowMeasure], sums: Mapping[SumKey, Mapping[str, Sums]]) -> None:
        """Take in one column."""
        if slot.is_plan:
            self._gather_plan(slot, measures)
            return
        for place, measured in sums.items():
            entity, account, *values = place
            if entity not in self.selection.entities:
                continue
            if slot.field and not is_member(self._member(slot.field, entity, values), slot.member):
                continue
            for measure in measures:
                measured_amounts = [measured[name] for name in asked_names(slot, measure)]
                if any(each.lines for each in measured_amounts):
                    figures = [Figure(each.amount, each.lines) for each in measured_amounts]
                    for block in self._blocks(entity, values):
                        self._put(block, slot, measure, str(account), figures)
        if self.cash:
            self._gather_cash(slot, self.cash)

    def _gather_cash(self, slot: PlacedColumn, cash: "CashBasis") -> None:
        """Put what was paid of linked lines in the place of what was booked."""
        if not isinstance(slot.window, Window):
            return
        for each in cash.changes(slot.window):
            if slot.field and not is_member(self._member(slot.field, each.entity, each.members), slot.member):
                continue
            change = Figure(each.paid.amount - each.booked.amount, each.paid.lines - each.booked.lines)
            for block in self._blocks(each.entity, each.members):
                self.by_block[block, slot.key, "movement"][each.account] += change

    def _blocks(self, entity: str | None, values: Sequence[str | None]) -> list[Block]:
        return [WHOLE, self._member(self.by, entity, values)] if self.by else [WHOLE]

    def _put(
        self, block: Block, slot: PlacedColumn, measure: RowMeasure, account: str, figures: Sequence[Figure]
    ) -> None:
        under = self.by_block[block, slot.key, measure]
        if measure == "balance" and self._is_income(account):
            under[EARLIER] += figures[0]
            under[RESULT] += figures[1]
        else:
            under[account] += sum(figures[1:], figures[0])

    def _gather_plan(self, slot: PlacedColumn, measures: set[RowMeasure]) -> None:
        for part in self.planned(slot, measures):
            for block in self._blocks(part.line.entity, part.line.members):
                self.by_block[block, slot.key, part.measure][part.name] += Figure(part.amount, 1)

    def planned(self, slot: PlacedColumn, measures: Iterable[RowMeasure]) -> Iterator["PlannedPart"]:
        """Yield what each line of a plan has in a column."""
        if self.plans is None or not isinstance(slot.window, Window):
            return
        window = slot.window
        period = self.as_of.calendar.period_of(window.balance_day)
        for line in self.plans.lines:
            if line.scenario != slot.scenario or line.entity not in self.selection.entities:
                continue
            if slot.field and not is_member(self._member(slot.field, line.entity, line.members), slot.member):
                continue
            sign = nature(self.book.chart[line.account])
            for measure in measures:
                name, amount = self._planned(line, window, period, measure, self.plans)
                if amount is not None:
                    yield PlannedPart(line, measure, name, sign * amount)

    def is_in(self, line: "PlanLine", block: Block) -> bool:
        """Tell whether a line of a plan counts in a block."""
        return block in self._blocks(line.entity, line.members)

    def _planned(
        self, line: "PlanLine", window: Window, period: FiscalPeriod, measure: RowMeasure, plans: "Plans"
    ) -> tuple[str, Decimal | None]:
        """Return under which name a plan line counts in a column, and with what. period: that of its last day."""
        income = self._is_income(line.account)
        if measure == "movement":
            return line.account, plans.within(line, window.stretches) if income else None
        if income:
            # A planned balance stands at its period's end, and so does the result that it holds.
            in_year = line.fiscal // 100 == period.year and line.fiscal <= period.fiscal
            return RESULT, line.amount if in_year else None
        return line.account, line.amount if line.fiscal == period.fiscal else None
