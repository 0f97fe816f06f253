"""What plans have for the members of a table, in the spans of columns."""

from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal
from typing import Literal, NamedTuple

from level_almanac.core.columns.placed import PlacedColumn
from level_almanac.core.columns.sums import Members
from level_almanac.core.lines.account_conditions import classes_that_can_meet
from level_almanac.core.lines.asked import LedgerConditions
from level_almanac.core.lines.shape import is_member
from level_almanac.core.measures.plan_proof import plan_proof
from level_almanac.core.measures.plans import PlanLine, Plans, read_plans
from level_almanac.core.measures.table_measures import TableMeasures
from level_almanac.core.selection import Selection
from level_almanac.core.spans.windows import Window
from level_almanac.core.table.change import Figure
from level_almanac.core.table.model import Proof
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.files.tables import CREDIT_CLASSES, INCOME_CLASSES

_ZERO = Decimal(0)
WHERE = "--columns"
_UNMET = "conditions"


class PlannedLine(NamedTuple):
    """A line of a plan, the table that it stands in, and the members of the report that it is of."""

    line: PlanLine
    table: str
    members: Members


class PlanFigure(NamedTuple):
    """The amounts planned for accounts of credit classes and of debit classes."""

    credit: Figure = Figure()
    debit: Figure = Figure()

    def __add__(self, other: "PlanFigure") -> "PlanFigure":  # type: ignore[override]  # a sum, not a longer tuple
        return PlanFigure(self.credit + other.credit, self.debit + other.debit)

    @property
    def figure(self) -> Figure:
        """The sum of both."""
        return self.credit + self.debit


class PlanSums:
    """The plans of one report.

    slots: the columns of plans.
    tables: by plan the table that holds it.
    across: the fields whose members are columns.
    turn_of: takes a column and returns the sign convention that it is shown in.

    Raises UsageMistake if the report cannot have plans.
    """

    def __init__(
        self,
        measured: TableMeasures,
        slots: Sequence[PlacedColumn],
        tables: Mapping[str, str],
        across: Sequence[str],
        turn_of: Callable[[PlacedColumn], Literal["natural", "credits", "debits"]],
    ) -> None:
        self.measured, self.slots, self.tables, self.across = measured, tuple(slots), tables, tuple(across)
        self.turns = {slot.key: turn_of(slot) for slot in slots}
        if measured.selection is None:
            what = "plans are kept by entity, which this table does not tell"
            raise UsageMistake(Mistake(what, WHERE, repr(slots[0].scenario)))
        self.selection: Selection = measured.selection
        if measured.own.entries:
            check_planned(measured)
        kinds = {measure.key: measure.kind for measure in measured.measures}
        own = {measured.measures[0].key, *(slot.measure for slot in slots if measured.own.entries)}
        for slot in slots:
            if kinds[slot.measure] != "amount" or slot.measure not in own:
                allowed = f"{slot.scenario} without a measure before it"
                raise UsageMistake(Mistake("a plan is of the table's usual amount", WHERE, slot.word, allowed))
        self.plans = {table: self._read(table) for table in dict.fromkeys(tables[slot.scenario] for slot in slots)}
        self.lines = [
            PlannedLine(line, table, line.members[: len(measured.by)])
            for table, plans in self.plans.items()
            for line in plans.lines
            if any(tables[slot.scenario] == table and self._part(slot, line, plans) is not None for slot in slots)
        ]
        self._figures = self._summed()

    def _read(self, table: str) -> Plans:
        fields = (*(by.key for by in self.measured.by), *self.across)
        known = self.measured.book.line_fields(table).by_name
        for name in fields:
            if name not in known:
                shared = sorted(
                    each for each in known if each in self.measured.fields.by_name and known[each].kind == "text"
                )
                what = f"lines of plans in {table} have no such field"
                where = WHERE if name in self.across else "--by"
                raise UsageMistake(Mistake(what, where, repr(name), listed(shared), nearest(name, shared)))
        rules = (*self.measured.of_kind, *self.measured.conditions)
        conditions = LedgerConditions(rules, tuple(rule.words for rule in rules))
        return read_plans(self.measured.book, self.selection, fields, conditions, table)

    def _part(self, slot: PlacedColumn, line: PlanLine, plans: Plans) -> Decimal | None:
        """Return what of a line falls into a column, None where nothing does."""
        if line.scenario != slot.scenario or not isinstance(slot.window, Window):
            return None
        if slot.field:
            value = line.members[len(self.measured.by) + self.across.index(slot.field)]
            if not is_member(value, slot.member):
                return None
        return plans.within(line, slot.window.stretches)

    def _is_credit(self, line: PlanLine) -> bool:
        account = self.measured.book.chart.accounts.get(line.account)
        return account is not None and account.account_class in CREDIT_CLASSES

    def _factor(self, line: PlanLine, slot: PlacedColumn) -> int:
        """Return 1 or -1: plans are kept in natural signs, and shown in the sign convention of their column."""
        turn = self.turns[slot.key]
        return 1 if turn == "natural" or (turn == "credits") is self._is_credit(line) else -1

    def parts(self, slot: PlacedColumn) -> list[tuple[PlannedLine, Decimal]]:
        """Return each line that has a part in a column, and that part as it is shown."""
        table = self.tables[slot.scenario]
        found = [(each, self._part(slot, each.line, self.plans[table])) for each in self.lines if each.table == table]
        return [(each, self._factor(each.line, slot) * amount) for each, amount in found if amount is not None]

    def _summed(self) -> dict[Members, dict[str, PlanFigure]]:
        figures: dict[Members, dict[str, PlanFigure]] = {}
        for slot in self.slots:
            for each, amount in self.parts(slot):
                own, figure = figures.setdefault(each.members, {}), Figure(amount, 1)
                part = PlanFigure(credit=figure) if self._is_credit(each.line) else PlanFigure(debit=figure)
                own[slot.key] = own.get(slot.key, PlanFigure()) + part
        return figures

    @property
    def members(self) -> list[Members]:
        """Every member that something is planned for."""
        return list(self._figures)

    def of(self, members: Members) -> tuple[PlanFigure, ...]:
        """Return the planned amounts of a member, in each column of plans."""
        own = self._figures.get(members, {})
        return tuple(own.get(slot.key, PlanFigure()) for slot in self.slots)

    def proofs(self, left_out: Mapping[Members, str]) -> tuple[Proof, ...]:
        """Return the accounting of all lines of plans. left_out: by member the rule that leaves it out."""
        return tuple(self._proof(table, plans, left_out) for table, plans in self.plans.items())

    def _proof(self, table: str, plans: Plans, left_out: Mapping[Members, str]) -> Proof:
        unmet = " or ".join(rule.words for rule in (*self.measured.of_kind, *self.measured.conditions)) or _UNMET
        shown = {each.line.number: each.members for each in self.lines if each.table == table}
        names = {slot.scenario for slot in self.slots}

        def rule_of(number: int, scenario: str, _: str) -> str:
            if scenario not in names:
                return "other plans"
            if number in plans.unmet:
                return unmet
            return left_out.get(shown[number], "") if number in shown else "other dates"

        rules = ("other plans", "other dates", unmet, *dict.fromkeys(left_out.values()))
        measure = "whole amount of lines shown in whole or part"
        return plan_proof(self.measured.book, plans, self.selection, measure, rules, rule_of, table)


def is_income(measured: TableMeasures) -> bool:
    """Return whether more than planned is better, in a table other than the ledger."""
    return measured.own.name in ("sales", "billing")


def check_planned(measured: TableMeasures) -> None:
    """Raise UsageMistake if a report of the ledger can have lines of balance-sheet accounts.

    The plan of a balance-sheet account is a balance, and no movement of a span.
    """
    classes = classes_that_can_meet([rule.predicate for rule in measured.conditions], measured.book.chart)
    if measured.of_kind or (classes and classes <= set(INCOME_CLASSES)):
        return
    step = 'say with --only which accounts are meant, such as --only "account.class is expense"'
    raise UsageMistake(Mistake("a plan is of income, of costs or of the result", WHERE, next_step=step))
