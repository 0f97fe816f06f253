"""How the members of a plan go: what is spent of it, what was due by now, and where it will end (docs/pace.md)."""

from collections.abc import Sequence
from decimal import Decimal
from fractions import Fraction
from functools import cached_property
from typing import Literal, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.columns.units import CREDITS, DEBITS, NATURAL_SIGNS, MeasureUnits
from level_almanac.core.language.columns import NO_SHIFT, Span, SpanName
from level_almanac.core.lines.asked import LedgerConditions
from level_almanac.core.lines.rule import Rule
from level_almanac.core.measures.day_sums import DaySums, Members
from level_almanac.core.measures.measure import padded
from level_almanac.core.measures.plan_tables import plan_tables
from level_almanac.core.measures.plans import PlanLine, Plans, read_plans
from level_almanac.core.measures.table_measures import MeasuredRequest, TableMeasures
from level_almanac.core.requests.options import Option, Request, inner, option, options
from level_almanac.core.selection import Selection
from level_almanac.core.spans.windows import Window, window_of
from level_almanac.core.table.change import percent
from level_almanac.core.table.exact import rounded_fraction
from level_almanac.core.table.model import Cell
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.files.tables import COST_CLASSES
from level_almanac.immutable import immutable
from level_almanac.store.predicate import FieldTest

Unit = Literal["year", "quarter", "period"]
_TO_DATE: dict[Unit, SpanName] = {"year": "ytd", "quarter": "qtd", "period": "ptd"}
_ZERO = Decimal(0)
NOT_GIVEN = "not-given"
NO_BUDGET = "no budget"


@immutable(kw_only=True)
class PaceRequest(Request):
    """What pace is asked for. of: the lines, `by` the fields that members are of; plan: its name, or empty for the only
    one or `budget`; span: what of the calendar the budget is for; limit: the whole budget, where it is not the sum of
    its members'; income: of a ledger, income against its plan rather than costs; by_period: a table by period.
    """

    plan: str = option("plan", "Which plan.  [default: budget, or the only one]", metavar="NAME", offers="plan")
    span: Unit | None = option(
        "span", "What the budget is for.  [default: the year, or what is named]", "choice",
        choices=("year", "quarter", "period"),
    )  # fmt: skip
    limit: Decimal | None = option("limit", "The whole budget, if not the sum of its members'.", "amount", metavar="N")
    income: bool = option("income", "Of the ledger: income against its plan, not costs.", "flag")
    by_period: bool = options(
        Option("by-period", "Period by period: planned, due, spent, over.", "flag", default=False),
        Option("months", "As --by-period.", "flag", default=False, replaced_by="by-period"),
        build=lambda given: given["by-period"] or given["months"],
        default=False,
        holds=lambda value: isinstance(value, bool),
        allowed="true or false",
    )
    of: MeasuredRequest = inner(
        MeasuredRequest, required=True, without=("compare",), helps={"by": "The field whose members have budgets."}
    )


class Going(NamedTuple):
    """How one member, or the whole, goes. due: what is expected by now before it is rounded; lines, planned: how many
    lines were spent on it, and planned for it.
    """

    budget: Decimal
    spent: Decimal
    expected: Decimal
    due: Fraction
    ends: Decimal | None
    lines: int
    planned: int

    @property
    def over(self) -> Decimal | None:
        """What it is projected to be over, or under where negative; what is spent without a budget is over already."""
        if self.ends is not None:
            return self.ends - self.budget
        return self.spent if not self.budget else None


class Pacing:
    """One report in the making."""

    def __init__(self, book: Book, request: PaceRequest) -> None:
        self.book, self.request = book, request
        self.measured = TableMeasures(book, request.of, of_costs=True)
        measured = self.measured
        if measured.selection is None:
            raise UsageMistake(
                Mistake("plans are kept by entity, which this table does not tell", "TABLE", repr(measured.own.name))
            )
        self.selection: Selection = measured.selection
        if request.income and not measured.own.entries:
            raise UsageMistake(Mistake("only the ledger has costs and income", "--income", repr(measured.own.name)))
        if len(measured.measures) != 1 or measured.measures[0].kind != "amount":
            raise UsageMistake(Mistake("a plan is of one amount", "--of", repr(request.of.of)))
        sign = MeasureUnits(measured.fields).of(measured.measures[0]).sign
        if measured.own.entries and sign not in (NATURAL_SIGNS, CREDITS if request.income else DEBITS):
            what, step = "a plan is in natural signs", "write `--of natural`, or leave --of out"
            raise UsageMistake(Mistake(what, "--of", f"{request.of.of} ({sign})", next_step=step))
        self.scenario, self.plan_table = self._plan()
        self.as_of = measured.as_of
        self.unit: Unit = request.span or self._named_unit()
        self.whole = self._window(self.unit)
        to_date = measured.since(self._window(_TO_DATE[self.unit]))
        self.to_date = to_date if isinstance(to_date, Window) else self._window(_TO_DATE[self.unit])
        self.rules = self._rules()
        self.sums = DaySums(measured, self.rules)
        self.plans = self._read()
        self.members = self._members()

    def _named_unit(self) -> Unit:
        named = self.as_of.named
        names: dict[str, Unit] = {"FiscalPeriod": "period", "FiscalQuarter": "quarter"}
        return names.get(type(named).__name__, "year")

    def _window(self, name: SpanName) -> Window:
        found = window_of(Span(name), NO_SHIFT, self.as_of)
        assert isinstance(found, Window)  # noqa: S101  these always have days
        return found

    def _plan(self) -> tuple[str, str]:
        """Return the name of the plan and the table that holds it."""
        known = plan_tables(self.book, self.measured.own.name, "--plan")
        if not known:
            step = f"load one into a table with plan_of = {self.measured.own.name!r}"
            raise UsageMistake(
                Mistake("nothing is planned for this table", "TABLE", repr(self.measured.own.name), next_step=step)
            )
        asked = self.request.plan or ("budget" if "budget" in known else "")
        if not asked and len(known) == 1:
            asked = next(iter(known))
        if asked not in known:
            what, hint = (
                "which plan is meant is not clear" if not asked else "no plan has this name",
                nearest(asked, known),
            )
            raise UsageMistake(Mistake(what, "--plan", repr(asked) if asked else "", listed(sorted(known)), hint))
        return asked, known[asked]

    def _rules(self) -> tuple[Rule, ...]:
        measured = self.measured
        classes = self.class_rule()
        days = Rule("other dates", measured.test([self.to_date]))
        return (*measured.before_days(), days, *classes, *measured.conditions)

    def class_rule(self) -> tuple[Rule, ...]:
        """Return the rule that takes a ledger's costs, or its income; none for other tables."""
        if not self.measured.own.entries:
            return ()
        names = ("income",) if self.request.income else COST_CLASSES
        words = "not income" if self.request.income else "no costs"
        return (Rule(words, FieldTest("account.class", "is", names), code="nature"),)

    @property
    def fields(self) -> tuple[str, ...]:
        """The fields that members are of."""
        return tuple(by.key for by in self.measured.by)

    def _read(self) -> Plans:
        known = self.book.line_fields(self.plan_table).by_name
        for name in self.fields:
            if name not in known:
                shared = sorted(
                    each for each in known if each in self.measured.fields.by_name and known[each].kind == "text"
                )
                what = f"lines of plans in {self.plan_table} have no such field"
                raise UsageMistake(Mistake(what, "--by", repr(name), listed(shared), nearest(name, shared)))
        rules = (*self.class_rule(), *self.measured.conditions)
        conditions = LedgerConditions(rules, tuple(rule.words for rule in rules))
        return read_plans(self.book, self.selection, self.fields, conditions, self.plan_table)

    def _members(self) -> dict[Members, list[PlanLine]]:
        """Return the plan lines of each member that has any, or that something was spent on."""
        by_members: dict[Members, list[PlanLine]] = {members: [] for members in self.sums.by_member}
        for line in self.plans.lines:
            if line.scenario == self.scenario and self.plans.within(line, self.whole.stretches) is not None:
                by_members.setdefault(line.members, []).append(line)
        return by_members

    def planned(self, lines: Sequence[PlanLine], window: Window) -> Decimal:
        """Return what of these lines of plans falls into a window."""
        # Plans stand in periods, whatever the lines that they plan go by.
        return sum((self.plans.within(line, window.stretches) or _ZERO for line in lines), _ZERO)

    # Figures.

    def going(self, members: Members) -> Going:
        """Return how a member goes."""
        lines = self.members[members]
        sums = self.sums.within(self.to_date, members)
        spent = self.sums.value(sums, 0) or _ZERO
        due = sum((self.plans.exact_within(line, self.to_date.stretches) for line in lines), Fraction(0))
        budget, expected = self.planned(lines, self.whole), self.planned(lines, self.to_date)
        return self._going(budget, spent, expected, due, sums.lines, len(lines))

    def _going(
        self, budget: Decimal, spent: Decimal, expected: Decimal, due: Fraction, lines: int, planned: int
    ) -> Going:
        return Going(budget, spent, expected, due, self._ends(budget, spent, due), lines, planned)

    def _ends(self, budget: Decimal, spent: Decimal, due: Fraction) -> Decimal | None:
        """Return what is spent divided by the share of the plan that has gone by; None where none of it has."""
        if self.as_of.day >= self.whole.last:
            return spent
        if not due or not budget:
            return None
        return rounded_fraction(Fraction(spent) * Fraction(budget) / due, self.measured.decimals)

    @cached_property
    def goings(self) -> dict[Members, Going]:
        """How each member goes, the largest budget first, then what was most spent on, then by key."""
        by_members = {members: self.going(members) for members in self.members}

        def order(members: Members) -> tuple[Decimal, Decimal, list[tuple[bool, str]]]:
            going = by_members[members]
            return -going.budget, -going.spent, [(each is None, str(each)) for each in members]

        return {members: by_members[members] for members in sorted(by_members, key=order)}

    @cached_property
    def together(self) -> Going:
        """All members as they sum up."""
        all_ = list(self.goings.values())
        budget, spent, expected = (
            sum((getattr(each, name) for each in all_), _ZERO) for name in ("budget", "spent", "expected")
        )
        due = sum((each.due for each in all_), Fraction(0))
        return self._going(
            budget, spent, expected, due, sum(each.lines for each in all_), sum(each.planned for each in all_)
        )

    @cached_property
    def limit(self) -> Decimal | None:
        """What the whole has, where that was told apart from its members."""
        if self.request.limit is not None:
            return self.request.limit
        rows = self.book.plan_lines((), (), self.plan_table)
        chosen = [
            row
            for row in rows
            if row[0] == self.scenario and row[1] in self.selection.entities and row[3] // 100 == self.as_of.period.year
        ]
        totals = {row[7] for row in chosen}
        if self.unit != "year" or len(totals) != 1 or None in totals:
            return None
        if self.measured.conditions or len({row[1] for row in chosen}) > 1:
            return None
        return Decimal(self.book.settings.plans[self.scenario].totals[str(totals.pop())])

    @property
    def gap(self) -> Decimal:
        """What of the limit no member has; negative where they have more."""
        return _ZERO if self.limit is None else self.limit - self.together.budget

    @cached_property
    def total(self) -> Going:
        """The whole: its limit, and of what no member has the same part by now as of the rest."""
        all_ = self.together
        if not self.gap or self.limit is None:
            return all_
        exact = Fraction(self.gap) * all_.due / Fraction(all_.budget) if all_.budget else Fraction(0)
        more = rounded_fraction(exact, self.measured.decimals)
        return self._going(self.limit, all_.spent, all_.expected + more, all_.due + exact, all_.lines, all_.planned)

    def cells(self, going: Going) -> dict[str, Cell]:
        """Return the cells of a row."""
        has_plan = going.planned > 0 or bool(going.budget)
        over = going.over
        places = self.measured.decimals
        return {
            "budget": padded(going.budget, places),
            "spent": padded(going.spent, places),
            "spent-pct": percent(going.spent, going.budget) if has_plan else NO_BUDGET,
            "expected": padded(going.expected, places),
            "projected": padded(going.ends, places),
            "over": padded(over, places),
            "over-pct": None if over is None else percent(over, going.budget) if has_plan else NO_BUDGET,
        }

    # Names.

    def key(self, members: Members) -> str:
        """Return the key of a member's row."""
        named = zip(members, self.measured.by, strict=True)
        return "/".join(f"{by.key}-blank" if member is None else str(member) for member, by in named)

    def name(self, members: Members) -> str:
        """Return what a member is called."""
        return ", ".join(self.measured.called(at, member) for at, member in enumerate(members))

    @property
    def is_income(self) -> bool:
        """Whether more than planned is what is hoped for."""
        return self.request.income or self.measured.own.name in ("sales", "billing")

    @property
    def word(self) -> str:
        """What the table's side of the plan is called."""
        return "earned" if self.is_income else "spent"

    @property
    def all_lines(self) -> list[PlanLine]:
        """The plan lines of all members."""
        return [line for lines in self.members.values() for line in lines]
