"""Pace: what is spent of a plan, what of it was due by now, and where it will end (docs/pace.md)."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import ROUND_HALF_UP, Context, Decimal
from functools import cached_property
from typing import Literal, NamedTuple

from level_almanac.book.tables import COST_CLASSES
from level_almanac.core.book import Book, Selection
from level_almanac.core.change import percent
from level_almanac.core.charts import Pace as PacePanel
from level_almanac.core.charts import PaceChart, PacePoint
from level_almanac.core.conditions_asked import LedgerConditions, Rule
from level_almanac.core.day_sums import DaySums, Members
from level_almanac.core.day_words import day_words
from level_almanac.core.facts import reach_notes
from level_almanac.core.measured import Measured, MeasuredRequest
from level_almanac.core.measures import padded
from level_almanac.core.plans import PlanLine, Plans, read_plans
from level_almanac.core.report_table import Cell, Check, Column, Counted, Note, Part, Proof, ReportTable, Row
from level_almanac.core.windows import Window, window_of, window_of_days, window_of_period
from level_almanac.core.words.columns import NO_SHIFT, Span, SpanName
from level_almanac.core.words.days import moved, unit_days
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.store.predicate import FieldTest, Stretch

Unit = Literal["year", "quarter", "period"]
_TO_DATE: dict[Unit, SpanName] = {"year": "ytd", "quarter": "qtd", "period": "ptd"}
_ZERO = Decimal(0)
_EXACT = Context(prec=60)
NOT_GIVEN = "not-given"
NO_BUDGET = "no budget"


@dataclass(frozen=True, slots=True, kw_only=True)
class PaceRequest:
    """What pace is asked for. of: the lines, `by` the fields that members are of; plan: its name, or empty for the only
    one or `budget`; span: what of the calendar the budget is for; limit: the whole budget, where it is not the sum of
    its members'; income: of a ledger, income against its plan rather than costs; months: a table by period.
    """

    of: MeasuredRequest
    plan: str = ""
    span: Unit | None = None
    limit: Decimal | None = None
    income: bool = False
    months: bool = False


class Going(NamedTuple):
    """How one member, or the whole, goes. lines, planned: how many lines were spent on it, and planned for it."""

    budget: Decimal
    spent: Decimal
    expected: Decimal
    ends: Decimal | None
    lines: int
    planned: int

    @property
    def over(self) -> Decimal | None:
        """What it is projected to be over, or under where negative; what is spent without a budget is over already."""
        if self.ends is not None:
            return self.ends - self.budget
        return self.spent if not self.budget else None


@dataclass(slots=True)
class _Member:
    """The plan lines of one member."""

    lines: list[PlanLine] = field(default_factory=list)


def pace(book: Book, request: PaceRequest, today: date) -> ReportTable:
    """Return the report. Raises UsageMistake for what the book or the table lacks."""
    return Pacing(book, request, today).table()


class Pacing:
    """One report in the making."""

    def __init__(self, book: Book, request: PaceRequest, today: date) -> None:
        self.book, self.request, self.today = book, request, today
        self.measured = Measured(book, request.of, today)
        measured = self.measured
        if measured.selection is None:
            raise UsageMistake(
                Mistake("plans are kept by entity, which this table does not tell", "TABLE", repr(measured.own.name))
            )
        self.selection: Selection = measured.selection
        if request.income and measured.own.name != "ledger":
            raise UsageMistake(Mistake("only the ledger has costs and income", "--income", repr(measured.own.name)))
        if len(measured.measures) != 1 or measured.measures[0].kind != "amount":
            raise UsageMistake(Mistake("a plan is of one amount", "--of", repr(request.of.of)))
        self.scenario, self.plan_table = self._plan()
        self.as_of = measured.as_of
        self.unit: Unit = request.span or self._named_unit()
        self.whole = self._window(self.unit)
        self.to_date = self._window(_TO_DATE[self.unit])
        self.rules = self._rules()
        self.sums = DaySums(measured, self.rules)
        self.plans = self._read()
        self.members = self._members()

    def _named_unit(self) -> Unit:
        named = self.as_of.named
        names: dict[str, Unit] = {"FiscalPeriod": "period", "FiscalQuarter": "quarter"}
        return names.get(type(named).__name__, "year")

    def _window(self, name: SpanName) -> Window:
        found = window_of(Span(name), NO_SHIFT, self.as_of, self.today)
        assert isinstance(found, Window)  # noqa: S101  these always have days
        return found

    def _plan(self) -> tuple[str, str]:
        """Return the name of the plan and the table that holds it."""
        known: dict[str, str] = {}
        for name, table in self.book.tables.items():
            if table.plan_of == self.measured.own.name:
                for scenario in self.book.scenarios_in(name):
                    if scenario in known:
                        what = f"{known[scenario]} and {name} both hold a plan of this name"
                        raise UsageMistake(Mistake(what, "--plan", repr(scenario)))
                    known[scenario] = name
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
        classes = self._class_rule()
        days = Rule("other dates", measured.test([self.to_date]))
        return (*measured.before_days(), days, *classes, *measured.conditions)

    def _class_rule(self) -> tuple[Rule, ...]:
        if self.measured.own.name != "ledger":
            return ()
        names = ("income",) if self.request.income else COST_CLASSES
        words = "not income" if self.request.income else "no costs"
        return (Rule(words, FieldTest("account.class", "is", names)),)

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
        rules = (*self._class_rule(), *self.measured.conditions)
        conditions = LedgerConditions(rules, tuple(rule.words for rule in rules))
        return read_plans(self.book, self.selection, self.fields, conditions, self.plan_table)

    def _members(self) -> dict[Members, _Member]:
        found: dict[Members, _Member] = {}
        for line in self.plans.lines:
            if line.scenario == self.scenario and self._within(line, self.whole) is not None:
                found.setdefault(line.members, _Member()).lines.append(line)
        for members in self.sums.by_member:
            found.setdefault(members, _Member())
        return found

    def _within(self, line: PlanLine, window: Window) -> Decimal | None:
        return self.plans.within(line, self._stretches(window))

    def _stretches(self, window: Window) -> tuple[Stretch, ...]:
        # Plans stand in periods, whatever the lines that they plan go by.
        return window.stretches

    def planned(self, lines: Sequence[PlanLine], window: Window) -> Decimal:
        """Return what of these lines of plans falls into a window."""
        return sum((self._within(line, window) or _ZERO for line in lines), _ZERO)

    # Figures.

    def going(self, members: Members) -> Going:
        """Return how a member goes."""
        lines = self.members[members].lines
        found = self.sums.within(self.to_date, members)
        spent = self.sums.value(found, 0) or _ZERO
        return self._going(
            self.planned(lines, self.whole), spent, self.planned(lines, self.to_date), found.lines, len(lines)
        )

    def _going(self, budget: Decimal, spent: Decimal, expected: Decimal, lines: int, planned: int) -> Going:
        return Going(budget, spent, expected, self._ends(budget, spent, expected), lines, planned)

    def _ends(self, budget: Decimal, spent: Decimal, expected: Decimal) -> Decimal | None:
        """Return what is spent divided by the share of the plan that has gone by; None where none of it has."""
        if self.as_of.day >= self.whole.last:
            return spent
        if not expected or not budget:
            return None
        exact = _EXACT.divide(_EXACT.multiply(spent, budget), expected)
        return exact.quantize(Decimal(1).scaleb(-self.measured.decimals), rounding=ROUND_HALF_UP, context=_EXACT)

    @cached_property
    def goings(self) -> dict[Members, Going]:
        """How each member goes, the largest budget first, then what was most spent on, then by key."""
        found = {members: self.going(members) for members in self.members}

        def order(members: Members) -> tuple[Decimal, Decimal, list[tuple[bool, str]]]:
            going = found[members]
            return -going.budget, -going.spent, [(each is None, str(each)) for each in members]

        return {members: found[members] for members in sorted(found, key=order)}

    @cached_property
    def together(self) -> Going:
        """All members as they sum up."""
        all_ = list(self.goings.values())
        budget, spent, expected = (
            sum((getattr(each, name) for each in all_), _ZERO) for name in ("budget", "spent", "expected")
        )
        return self._going(
            budget, spent, expected, sum(each.lines for each in all_), sum(each.planned for each in all_)
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
        share = _EXACT.divide(all_.expected, all_.budget) if all_.budget else _ZERO
        more = _EXACT.multiply(self.gap, share).quantize(
            Decimal(1).scaleb(-self.measured.decimals), rounding=ROUND_HALF_UP, context=_EXACT
        )
        return self._going(self.limit, all_.spent, all_.expected + more, all_.lines, all_.planned)

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

    # The report.

    def key(self, members: Members) -> str:
        """Return the key of a member's row."""
        named = zip(members, self.measured.by, strict=True)
        return "/".join(f"{by.key}-blank" if member is None else str(member) for member, by in named)

    def name(self, members: Members) -> str:
        """Return what a member is called."""
        named = zip(members, self.measured.by, strict=True)
        return ", ".join(f"(no {by.label})" if member is None else self._called(by.key, member) for member, by in named)

    def _called(self, field_: str, member: str) -> str:
        if field_ == "account" and member in self.book.chart.accounts:
            return f"{member} {self.book.chart[member].name}"
        return str(member)

    def _rows(self) -> Iterator[Row]:
        keys = []
        if self.measured.by:
            for members, going in self.goings.items():
                keys.append(self.key(members))
                yield Row(keys[-1], self.name(members), 0, "line", self.cells(going))
            if self.gap:
                keys.append(NOT_GIVEN)
                rest = {"budget": self.gap, "spent": _ZERO, "expected": self.total.expected - self.together.expected}
                yield Row(NOT_GIVEN, "Not given to any member", 0, "line", rest)
        yield Row("total", "Total", 0, "total", self.cells(self.total), adds=tuple((1, key) for key in keys))

    def _columns(self) -> Iterator[Column]:
        places, whole, now = self.measured.decimals, self.whole, self.to_date
        ends = day_words(whole.last)
        period = self.as_of.calendar.period_of(now.last)
        share = self.plans.share_words(self.scenario, period, now.last)
        share = share if share == "whole period" or now.first == period.first else f"P{period.number:02d} at {share}"
        word = "earned" if self._is_income else "spent"
        yield Column(
            "budget",
            self.scenario,
            "amount",
            places,
            whole.first,
            whole.last,
            None,
            whole.covers,
            whole.extent,
            self.scenario,
        )
        reached = self.measured.through is not None and self.measured.through >= now.last
        extent = self.measured.extent(now)
        yield Column("spent", word, "amount", places, now.first, now.last, reached, now.covers, extent)
        yield Column("spent-pct", f"% of {self.scenario}", "percent", 1, adds=False)
        yield Column(
            "expected",
            "expected to date",
            "amount",
            places,
            now.first,
            now.last,
            None,
            now.covers,
            share,
            self.scenario,
        )
        yield Column("projected", "projected end", "amount", places, covers=f"at {ends}", adds=False)
        yield Column("over", "over, −under", "amount", places, covers=f"at {ends}", adds=False)
        yield Column("over-pct", "over, −under %", "percent", 1, adds=False)

    @property
    def _is_income(self) -> bool:
        return self.request.income or self.measured.own.name in ("sales", "billing")

    def _plan_proof(self) -> Proof:
        """Return the accounting of all lines of plans in the table."""
        unmet = " or ".join(rule.words for rule in (*self._class_rule(), *self.measured.conditions)) or "conditions"
        rules = ("other entities", "other plans", "other dates", unmet)
        parts = dict.fromkeys(rules, Counted(0, _ZERO))
        shown = {line.number for member in self.members.values() for line in member.lines}
        found = Counted(0, _ZERO)
        for number, (scenario, entity, _, amount) in enumerate(self.plans.counted):
            one = Counted(1, amount)
            if entity in self.selection.unlike:
                continue
            if entity not in self.selection.entities:
                parts["other entities"] += one
            elif scenario != self.scenario:
                parts["other plans"] += one
            elif number in self.plans.unmet:
                parts[unmet] += one
            elif number in shown:
                found += one
            else:
                parts["other dates"] += one
        lines = [each for loaded in self.book.state.files_of(self.plan_table) for each in loaded.sums.items()]
        count = sum(sums[0] for entity, sums in lines if entity not in self.selection.unlike)
        amount = sum((each[3] for each in self.plans.counted if each[1] not in self.selection.unlike), _ZERO)
        left = tuple(Part(rule, each) for rule, each in parts.items() if each.lines)
        words = "whole amount of lines shown in whole or part"
        return Proof(words, Counted(count, amount), found, left, decimals=self.measured.decimals, table=self.plan_table)

    def _checks(self) -> Iterator[Check]:
        found = self.sums.within(self.to_date)
        yield Check("members come to what was spent in all", (self.sums.value(found, 0) or _ZERO) == self.total.spent)

    def _notes(self) -> Iterator[Note | str]:
        places = self.measured.decimals
        yield from self.selection.notes
        yield from reach_notes(self.to_date.last, self.measured.through)
        if self.gap:
            less = "less" if self.gap > 0 else "more"
            words = f"The members' budgets come to {{}}, {{}} {less} than the {{}} of the whole"
            limit = self.limit or _ZERO
            yield Note(words, (self.together.budget, abs(self.gap), limit), places)
        yield from self.plans.remarks_of(self.scenario)
        none = [self.name(members) for members, going in self.goings.items() if going.lines and not going.planned]
        if none:
            yield f"No budget, and so no projection: {listed_some(none)}; over by what is spent so far"
        idle = [self.name(members) for members, going in self.goings.items() if going.planned and not going.lines]
        if idle:
            yield f"A budget and nothing yet: {listed_some(idle)}"
        early = [
            self.name(members)
            for members, going in self.goings.items()
            if going.planned and going.ends is None and going.lines
        ]
        if early:
            yield f"Nothing of the plan was due by now, so no projection: {listed_some(early)}"
        if self.as_of.day < self.whole.last:
            word = "earned" if self._is_income else "spent"
            yield f"Projected end = {word} ÷ the share of the plan that was due by now; the total's is made of totals"

    def table(self) -> ReportTable:
        """Return the report."""
        measured = self.measured
        by = f" by {' and '.join(each.label for each in measured.by)}" if measured.by else ""
        what = ("income" if self.request.income else "costs") if measured.own.name == "ledger" else measured.own.name
        facts = {**measured.facts(), "plan": self.scenario, "span": self.unit}
        if self.limit is not None:
            facts["limit"] = f"{self.limit:f}"
        months = self.request.months
        title = f"Pace of {what}{by} against {self.scenario}"
        proof = measured.proof(self.rules, tuple(self._checks()))
        return ReportTable(
            title=f"{title}, period by period" if months else title,
            facts=facts,
            subtitle=measured.subtitle(),
            columns=tuple(self._month_columns() if months else self._columns()),
            rows=tuple(self._month_rows() if months else self._rows()),
            key_label="period" if months else " / ".join(each.label for each in measured.by),
            proof=proof._replace(further=(self._plan_proof(),)),
            notes=tuple(self._notes()),
            chart=self._chart(),
        )

    # Period by period.

    @cached_property
    def periods(self) -> list[tuple[str, Window, Window | None]]:
        """Each period of the span: its id, its days, and those that are over by the day of the report."""
        calendar, found = self.as_of.calendar, list[tuple[str, Window, Window | None]]()
        day = self.whole.first
        while day <= self.whole.last:
            period = calendar.period_of(day)
            at = self.as_of._replace(day=min(period.last, self.as_of.day), period=period)
            done = window_of_days(period.first, at.day, period.last, "period", at) if period.first <= at.day else None
            found.append((str(period), window_of_days(period.first, period.last, period.last, "period", at), done))
            year = calendar.year(period.year)
            if period.last == year.last == self.as_of.day and self.measured.in_periods:
                for count, extra in enumerate(year.extra_periods[: self.as_of.extras], 1):
                    window = window_of_period(extra, self.as_of, count)
                    found.append((str(extra), window, window))
            day = moved(period.last, 1, "day", calendar)
        return found

    def _month_columns(self) -> Iterator[Column]:
        places = self.measured.decimals
        word = "earned" if self._is_income else "spent"
        yield Column("days", "days", "text")
        yield Column("plan", self.scenario, "amount", places, scenario=self.scenario)
        yield Column("due", "due by now", "amount", places, scenario=self.scenario)
        yield Column("fact", word, "amount", places)
        yield Column("over", "over, −under", "amount", places)
        yield Column("due-so-far", "due so far", "amount", places, scenario=self.scenario, adds=False)
        yield Column("fact-so-far", f"{word} so far", "amount", places, adds=False)
        yield Column("over-so-far", "over so far", "amount", places, adds=False)

    def _month_rows(self) -> Iterator[Row]:
        for members in [*(self.goings if self.measured.by else ()), None]:
            prefix = ""
            if self.measured.by:
                prefix = f"{self.key(members)}/" if members is not None else "all/"
                yield Row(f"{prefix}block", self.name(members) if members is not None else "All", 0, "group")
            lines = self.members[members].lines if members is not None else self._all_lines
            due_so_far = fact_so_far = _ZERO
            keys = []
            for name, whole, done in self.periods:
                plan = self.planned(lines, whole)
                cells: dict[str, Cell] = {"days": whole.covers, "plan": plan}
                if whole.unit == "adjustments":
                    cells["days"] = "adjustments"
                if done is not None:
                    due = self.planned(lines, done)
                    fact = self.sums.value(self.sums.within(done, members), 0) or _ZERO
                    due_so_far, fact_so_far = due_so_far + due, fact_so_far + fact
                    if done.last < whole.last:
                        cells["days"] = f"{whole.covers}, through {day_words(done.last)}"
                    cells |= {"due": due, "fact": fact, "over": fact - due, "due-so-far": due_so_far}
                    cells |= {"fact-so-far": fact_so_far, "over-so-far": fact_so_far - due_so_far}
                keys.append(f"{prefix}{name}")
                yield Row(keys[-1], name, 0, "line", cells)
            going = self.goings[members] if members is not None else self.together
            total: dict[str, Cell] = {"plan": going.budget, "due": going.expected, "fact": going.spent}
            total["over"] = going.spent - going.expected
            label = "Total" if members is None else f"Total {self.name(members)}"
            kind: Literal["total", "subtotal"] = "total" if members is None else "subtotal"
            yield Row(f"{prefix}total", label, 0, kind, total, adds=tuple((1, key) for key in keys))

    @property
    def _all_lines(self) -> list[PlanLine]:
        return [line for member in self.members.values() for line in member.lines]

    # The chart.

    def _chart(self) -> PaceChart | None:
        if not self.total.budget and not self.total.lines:
            return None
        members = [self._panel(self.name(each), each, going) for each, going in self.goings.items()]
        whole = self._panel(self.selection.words, None, self.total)
        shown = tuple(members) if self.measured.by else ()
        return PaceChart(self.whole.first, self.whole.last, whole, shown, not self._is_income, self.scenario)

    def _panel(self, name: str, members: Members | None, going: Going) -> PacePanel:
        lines = self.members[members].lines if members is not None else self._all_lines
        points = []
        for day in self._drawn_days:
            # A window's ends decide what of a plan and of the lines lies within.
            at = self.as_of._replace(day=day, period=self.as_of.calendar.period_of(day))
            window = window_of_days(self.whole.first, day, day, "period", at)
            plan = self.planned(lines, window)
            actual = None
            if day <= self.as_of.day:
                actual = self.sums.value(
                    self.sums.within(self.to_date if day == self.as_of.day else window, members), 0
                )
                actual = actual or _ZERO
            points.append(PacePoint(day, plan, actual))
        if members is None and self.gap and self.together.budget:
            scale = _EXACT.divide(self.total.budget, self.together.budget)
            points = [point._replace(plan=_EXACT.multiply(point.plan, scale)) for point in points]
        over = going.over
        words = NO_BUDGET if not going.planned and not going.budget else ""
        if over is not None and going.budget:
            rate = percent(over, going.budget)
            words = "" if rate is None else _over_words(rate)
        return PacePanel(name, going.budget, tuple(points), self.as_of.day, going.spent, going.ends, words)

    @cached_property
    def _drawn_days(self) -> list[date]:
        """The ends of the units that the chart's lines lead through, and the day of the report."""
        unit: Literal["day", "week", "period"] = "day"
        if self.unit != "period":
            unit = "period" if self.unit == "year" else "week"
        days, day = {min(self.as_of.day, self.whole.last)}, self.whole.first
        while day <= self.whole.last:
            last = min(unit_days(day, unit, self.as_of.calendar)[1], self.whole.last)
            days.add(last)
            day = moved(last, 1, "day", self.as_of.calendar)
        return sorted(days)


def _over_words(rate: Decimal) -> str:
    shown = rate.quantize(Decimal("0.1"), rounding=ROUND_HALF_UP)
    return f"{'over' if shown > 0 else 'under'} {abs(shown)} %" if shown else "as planned"


def listed_some(names: Sequence[str], most: int = 6) -> str:
    """Return the first names, and how many more there are."""
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return f"{', '.join(names[:most])}{more}"
