"""Plans: yearly amounts and shares turned into periods, and what of a period's plan falls on which days.

All of it is exact: parts are rounded cumulatively, over the days and over the lines of one account and period, so that
they sum to the whole to the cent whichever way they are cut (docs/plans.md).
"""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date, timedelta
from decimal import Decimal
from fractions import Fraction

from level_almanac.core.book import Book
from level_almanac.core.calendar.fiscal import FiscalCalendar, FiscalPeriod
from level_almanac.core.lines.asked import LedgerConditions
from level_almanac.core.selection import Selection
from level_almanac.core.table.exact import rounded_fraction
from level_almanac.errors import BookMistake, Mistake, UsageMistake, nearest
from level_almanac.files.settings import PlanSettings, ProfileSettings
from level_almanac.files.year_ends import WEEKDAYS
from level_almanac.immutable import immutable
from level_almanac.store.engine import Row
from level_almanac.store.predicate import FiscalRange, Predicate, fields_in

_ZERO = Decimal(0)
_ONE_DAY = timedelta(days=1)
_NOTHING, _WHOLE = Fraction(0), Fraction(1)


@immutable
class PlanLine:
    """What one line of a plan has for one period, or on one day.

    number: of the line it comes from; fiscal: its period's position; amount: in the account's natural sign; before: the
    sum of the lines of the same account and period that come before it; members: the values of the fields asked for.
    """

    number: int
    scenario: str
    entity: str
    account: str
    fiscal: int
    day: date | None
    amount: Decimal
    before: Decimal
    members: tuple[str | None, ...]


@immutable
class Plans:
    """The lines of all plans of a book, in periods, and the remarks that came up in making them so.

    counted: the lines as they were loaded, (scenario, entity, account, whole amount), by their number; places: the
    file and line of each; unmet: the numbers of those that a condition leaves out, which are in no line.
    """

    lines: tuple[PlanLine, ...]
    counted: tuple[tuple[str, str, str, Decimal], ...]
    remarks: tuple[str, ...]
    calendar: FiscalCalendar
    settings: Mapping[str, PlanSettings]
    profiles: Mapping[str, ProfileSettings]
    decimals: int
    places: tuple[str, ...] = ()
    unmet: frozenset[int] = frozenset()

    def within(self, line: PlanLine, stretches: Iterable[FiscalRange]) -> Decimal | None:
        """Return what of a line falls into any of these stretches, or None where nothing of it does."""
        for stretch in stretches:
            if not stretch.low <= line.fiscal <= stretch.high:
                continue
            if stretch.first is None or stretch.last is None:
                return line.amount
            if line.day is not None:
                if stretch.first <= line.day <= stretch.last:
                    return line.amount
                continue
            return self._part(line, stretch.first, stretch.last)
        return None

    def exact_within(self, line: PlanLine, stretches: Iterable[FiscalRange]) -> Fraction:
        """Return the same before it is rounded."""
        for stretch in stretches:
            if stretch.low <= line.fiscal <= stretch.high:
                if stretch.first is None or stretch.last is None or line.day is not None:
                    return Fraction(self.within(line, (stretch,)) or 0)
                period = self._period(line)
                before = stretch.first - _ONE_DAY
                shares = (self.share(line.scenario, period, day) for day in (stretch.last, before))
                return Fraction(line.amount) * (next(shares) - next(shares))
        return Fraction(0)

    def _period(self, line: PlanLine) -> FiscalPeriod:
        period = self.calendar.period(line.fiscal // 100, line.fiscal % 100)
        if period is None:
            raise AssertionError(line.fiscal)
        return period

    def _part(self, line: PlanLine, first: date, last: date) -> Decimal:
        period = self._period(line)
        through, before = (self.share(line.scenario, period, day) for day in (last, first - _ONE_DAY))
        upper, lower = line.before + line.amount, line.before
        places = self.decimals
        return (
            rounded_part(upper, through, places)
            - rounded_part(lower, through, places)
            - rounded_part(upper, before, places)
            + rounded_part(lower, before, places)
        )

    def remarks_of(self, scenario: str) -> tuple[str, ...]:
        """Return the remarks that are of one plan."""
        return tuple(remark for remark in self.remarks if f" in {scenario} " in remark)

    def way(self, scenario: str) -> str:
        """Return how a plan is shared out over the days of a period."""
        return self.settings[scenario].part_period if scenario in self.settings else "even"

    def share(self, scenario: str, period: FiscalPeriod, day: date) -> Fraction:
        """Return how much of a period's plan has come by the end of a day, from 0 to 1."""
        if day < period.first:
            return _NOTHING
        way = self.way(scenario)
        if day >= period.last or way == "whole":
            return _WHOLE
        weighed = self.weights(way, period.first, period.last)
        # A period without a working day is shared out evenly rather than not at all.
        return Fraction(self.weights(way, period.first, day), weighed) if weighed else even_share(period, day)

    def weights(self, way: str, first: date, last: date) -> int:
        """Return what the days from first through last weigh together."""
        days = (first + timedelta(days=number) for number in range((last - first).days + 1))
        if way == "even":
            return (last - first).days + 1
        if way == "working":
            return sum(day.weekday() < 5 and day not in self.calendar.holidays for day in days)
        return sum(getattr(self.profiles[way], WEEKDAYS[day.weekday()]) for day in days)

    def share_words(self, scenario: str, period: FiscalPeriod, day: date) -> str:
        """Return how much of the period's plan is counted through a day, in words: `17/30 days`."""
        way = self.way(scenario)
        if way == "whole" or day >= period.last:
            return "whole period"
        done, total = self.weights(way, period.first, day), self.weights(way, period.first, period.last)
        if way not in ("even", "working") or not total:
            return f"{way} to day {(day - period.first).days + 1}/{period.days}"
        return f"{done}/{total} {'working ' if way == 'working' else ''}days"


def even_share(period: FiscalPeriod, day: date) -> Fraction:
    """Return the days gone of the period's days."""
    return Fraction((day - period.first).days + 1, period.days)


def rounded_part(amount: Decimal, share: Fraction, places: int) -> Decimal:
    """Return the share of an amount, computed exactly and rounded last, half away from zero."""
    if share == 1:
        return amount
    return rounded_fraction(Fraction(amount) * share, places)


def read_plans(
    book: Book, selection: Selection, fields: Sequence[str], conditions: LedgerConditions, table: str = "budget"
) -> Plans:
    """Return the plans of the entities selected, in periods.

    fields: those whose values each line is to tell; conditions: those of the report, for lines of plans too; table:
    that holds the plans. Raises
    UsageMistake where a condition asks for what plans lack, BookMistake where a line is a share of a total that the
    book does not name, or a year's parts do not fit.
    """
    rows = book.plan_lines(fields, plan_rules(book, conditions, table), table)
    unmet = frozenset(number for number, row in enumerate(rows) if row[9] < len(conditions.rules))
    maker = _Maker(book, selection)
    amounts = maker.amounts(rows)
    lines = tuple(line for line in maker.in_periods(rows, amounts) if line.number not in unmet)
    counted = tuple((row[0], row[1], row[2], amount) for row, amount in zip(rows, amounts, strict=True))
    settings = book.settings
    return Plans(
        lines,
        counted,
        tuple(maker.remarks),
        selection.calendar,
        settings.plans,
        settings.profiles,
        selection.decimals,
        tuple(row[8] for row in rows),
        unmet,
    )


def plan_rules(book: Book, conditions: LedgerConditions, table: str = "budget") -> list[Predicate]:
    """Return the conditions as ones on lines of plans; raise UsageMistake where one asks for what plans lack."""
    known = book.line_fields(table).by_name
    for rule in conditions.rules:
        for field in sorted(fields_in(rule.predicate)):
            if field not in known:
                what = f"lines of plans have no {field}, so a plan cannot stand beside this condition"
                step = f"leave the plan's columns out, or declare the field in [tables.{table}]"
                raise UsageMistake(Mistake(what, "--only", rule.words, next_step=step))
    return [rule.predicate for rule in conditions.rules]


class _Maker:
    """Turns the lines of plans, as loaded, into amounts for periods."""

    def __init__(self, book: Book, selection: Selection) -> None:
        self.book, self.entities = book, selection.entities
        self.calendar, self.decimals = selection.calendar, selection.decimals
        self.remarks: list[str] = []

    def amounts(self, rows: Sequence[Row]) -> list[Decimal]:
        """Return each line's amount, shares of one total rounded so that they sum to their part of it."""
        gone: defaultdict[tuple[str, str], Fraction] = defaultdict(Fraction)
        amounts = []
        for scenario, _, _, _, _, amount, share, share_of, *_ in rows:
            if share is None:
                amounts.append(amount)
                continue
            total = self._total(scenario, share_of)
            before = gone[scenario, share_of]
            after = before + Fraction(share) / 100
            places = self.decimals
            # A part past the whole is none of it, so no share may pass for the whole itself.
            amounts.append(rounded_share(total, after, places) - rounded_share(total, before, places))
            gone[scenario, share_of] = after
        for (scenario, name), share in gone.items():
            if share != 1:
                percent = Decimal(share.numerator * 100) / share.denominator
                self.remarks.append(f"The shares of {name} in {scenario} come to {percent.normalize():f} %, not to 100")
        return amounts

    def _total(self, scenario: str, name: str) -> Decimal:
        totals = self.book.settings.plans[scenario].totals if scenario in self.book.settings.plans else {}
        if name not in totals:
            where, step = f"plans.{scenario}.totals", nearest(name, totals) or f"add {name} = 'AMOUNT'"
            raise BookMistake(Mistake("a plan has shares of a total that is not named", where, repr(name), "", step))
        return Decimal(totals[name])

    def in_periods(self, rows: Sequence[Row], amounts: Sequence[Decimal]) -> Iterator[PlanLine]:
        """Yield what each line has for each period, a year's plan shared out over its periods."""
        before: defaultdict[tuple[str, str, str, int], Decimal] = defaultdict(Decimal)
        for number, (row, amount) in enumerate(zip(rows, amounts, strict=True)):
            scenario, entity, account, fiscal, day, _, _, _, _, _, *members = row
            if entity not in self.entities:
                # It may keep another calendar, in which its years are other ones.
                continue
            parts = [(fiscal, amount)]
            if fiscal % 100 == 0:
                year_before = before[scenario, entity, account, fiscal]
                before[scenario, entity, account, fiscal] += amount
                parts = list(self._year(scenario, fiscal // 100, amount, year_before))
            for position, part in parts:
                group = (scenario, entity, account, position)
                yield PlanLine(number, scenario, entity, account, position, day, part, before[group], tuple(members))
                if day is None:
                    before[group] += part

    def _year(self, scenario: str, year: int, amount: Decimal, before: Decimal) -> Iterator[tuple[int, Decimal]]:
        periods = self.calendar.year(year).periods
        settings = self.book.settings.plans.get(scenario)
        told = [Fraction(str(part)) / 100 for part in settings.year_split] if settings else []
        days = sum(period.days for period in periods)
        split = told or [Fraction(period.days, days) for period in periods]
        if len(split) != len(periods):
            where, got = f"plans.{scenario}.year_split", f"{len(split)} parts"
            raise BookMistake(Mistake("not a part for each period", where, got, f"{len(periods)} for {year}"))
        gone, places = Fraction(0), self.decimals
        for period, part in zip(periods, split, strict=True):
            after = gone + part
            through, earlier = (
                rounded_part(before + amount, share, places) - rounded_part(before, share, places)
                for share in (after, gone)
            )
            yield period.fiscal, through - earlier
            gone = after


def rounded_share(total: Decimal, share: Fraction, places: int) -> Decimal:
    """Return a share of a total, which can also be more than all of it."""
    return rounded_part(total, share, places) if share else _ZERO
