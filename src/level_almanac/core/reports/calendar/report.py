"""The calendar as a report: years, quarters and periods, their days, and what data covers them (docs/calendar.md)."""

from collections.abc import Iterator
from datetime import date
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.calendar.fiscal import FiscalCalendar, FiscalPeriod, FiscalQuarter, FiscalYear
from level_almanac.core.header import data_facts, data_words, selection_facts
from level_almanac.core.requests.options import Request, option
from level_almanac.core.requests.shared import entity_option
from level_almanac.core.selection import Selection
from level_almanac.core.table.model import Cell, Column, CountedAmount, Part, Proof, ReportTable, Row
from level_almanac.core.table.style import MONTHS
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.immutable import immutable
from level_almanac.store.engine import Row as EngineRow
from level_almanac.store.ledger_sums import considered
from level_almanac.store.rollups import coverage
from level_almanac.store.state import State

COLUMNS = (
    Column("from", "from", "date"),
    Column("through", "through", "date"),
    Column("days", "days", "count"),
    Column("lines", "ledger lines", "count"),
    Column("debit", "debits", "amount", 2),
    Column("state", "state", "text"),
)


@immutable(kw_only=True)
class CalendarRequest(Request):
    """What the calendar is asked for. year: the id of one fiscal year, or all that hold data."""

    year: str = option("year", "Only this fiscal year.  [default: all that hold data]", metavar="ID", offers="year")
    entities: tuple[str, ...] = entity_option()


@immutable
class _Covered:
    """What the ledger holds, by fiscal position, and the day up to which it reaches."""

    counted: dict[int, CountedAmount]
    through: date | None
    calendar: FiscalCalendar

    def within(self, low: int, high: int) -> CountedAmount | None:
        found = [counted for fiscal, counted in self.counted.items() if low <= fiscal <= high]
        return sum(found[1:], found[0]) if found else None

    def state(self, first: date, last: date, last_period: FiscalPeriod, held: CountedAmount | None) -> str:
        if self.calendar.is_closed(last_period):
            return "closed"
        if self.through and self.through >= last:
            return "complete" if held else "no lines"
        if self.through and self.through >= first:
            covered = f"{(self.through - first).days + 1} of {(last - first).days + 1} days"
            return f"part, through {day_words(self.through)}, {covered}"
        return "part" if held else "ahead"


def calendar_report(book: Book, request: CalendarRequest) -> ReportTable:
    """Return the fiscal years with their quarters and periods, and the lines that count in each, carried ones aside."""
    selection = book.select(request.entities, "ledger")
    state = book.ledger_state
    days_covered = coverage(book.engine, book.store.path_of(state.rollup))
    by_fiscal: dict[int, CountedAmount] = {}
    for entity, fiscal, carried, lines, debit in days_covered:
        if entity in selection.entities and not carried:
            by_fiscal[fiscal] = by_fiscal.get(fiscal, CountedAmount(0, Decimal(0))) + CountedAmount(lines, debit)
    years = sorted({fiscal // 100 for fiscal in by_fiscal})
    if request.year:
        named = selection.calendar.find(request.year, "--year", UsageMistake)
        if not isinstance(named, FiscalYear):
            raise UsageMistake(Mistake("not a year", "--year", repr(request.year), "an id such as 2026"))
        years = [named.year]
    covered = _Covered(by_fiscal, book.data_through(), selection.calendar)
    rows = tuple(row for year in years for row in _year_rows(selection.calendar.year(year), covered))
    settings = selection.calendar.settings
    return ReportTable(
        title="Fiscal calendar",
        facts={
            **selection_facts(selection),
            **{key: told for key in ("year_start", "year_ends", "file") if (told := getattr(settings, key))},
            "year_named_by": settings.year_named_by,
            "periods": settings.periods,
            **data_facts(book),
        },
        subtitle=(f"{selection.words} · {selection.currency}", _year_words(selection.calendar), data_words(book)),
        columns=(*COLUMNS[:4], COLUMNS[4]._replace(decimals=selection.decimals), *COLUMNS[5:]),
        rows=rows,
        key_label="",
        proof=_proof(state, selection, days_covered, years),
        notes=tuple(selection.notes),
    )


def _year_words(calendar: FiscalCalendar) -> str:
    settings = calendar.settings
    extra = f", {settings.extra_periods} extra at the year's end" if settings.extra_periods else ""
    named = f"named by the calendar year they {settings.year_named_by} in"
    if settings.periods == "file":
        return f"years as told in {settings.file}{extra}"
    if settings.periods != "months":
        kind = "13 periods of 4 weeks" if settings.periods == "13x4" else f"quarters of {settings.periods} weeks"
        return f"years end on the {settings.year_ends.lower()}, {named} · {kind}{extra}"
    month, day = settings.year_start.split("-")
    return f"years start on {int(day)} {MONTHS[int(month) - 1]}, {named} · 12 months{extra}"


def _year_rows(year: FiscalYear, covered: _Covered) -> Iterator[Row]:
    yield _row(year, 0, year.first, year.last, year.year * 100 + 1, year.year * 100 + 99, year.periods[-1], covered)
    for quarter in year.quarters:
        periods = quarter.periods
        # The last quarter holds the year's extra periods, so that quarters add up to the year.
        high = periods[-1].fiscal if quarter.number < 4 else year.year * 100 + 99
        yield _row(quarter, 1, quarter.first, quarter.last, periods[0].fiscal, high, periods[-1], covered)
        for period in periods:
            yield _row(period, 2, period.first, period.last, period.fiscal, period.fiscal, period, covered)
    if not year.quarters:
        for period in year.periods:
            yield _row(period, 2, period.first, period.last, period.fiscal, period.fiscal, period, covered)
    for extra in year.extra_periods:
        yield _row(extra, 2, extra.first, extra.last, extra.fiscal, extra.fiscal, year.periods[-1], covered)


def _row(
    named: FiscalYear | FiscalQuarter | FiscalPeriod,
    level: int,
    first: date,
    last: date,
    low: int,
    high: int,
    last_period: FiscalPeriod,
    covered: _Covered,
) -> Row:
    held = covered.within(low, high)
    extra = isinstance(named, FiscalPeriod) and named.extra
    cells: dict[str, Cell] = {
        "from": first,
        "through": last,
        "days": None if extra else (last - first).days + 1,
        "lines": held.lines if held else None,
        "debit": held.amount if held else None,
        "state": "adjustments" if extra and held else covered.state(first, last, last_period, held),
    }
    return Row(str(named), str(named), level, "heading" if level < 2 else "line", cells)


def _proof(state: State, selection: Selection, found: list[EngineRow], years: list[int]) -> Proof:
    everything = considered(state, selection.comparable)
    counted = dict.fromkeys(("other entities", "carried", "other years", "shown"), CountedAmount(0, Decimal(0)))
    for entity, fiscal, carried, lines, debit in found:
        if entity in selection.unlike:
            continue
        if entity not in selection.entities:
            rule = "other entities"
        elif carried:
            rule = "carried"
        else:
            rule = "shown" if fiscal // 100 in years else "other years"
        counted[rule] += CountedAmount(lines, debit)
    shown = counted.pop("shown")
    left_out = tuple(Part(rule, each) for rule, each in counted.items() if each.lines)
    considered_lines = CountedAmount(everything.lines, everything.debit)
    return Proof("debits", considered_lines, shown, left_out, decimals=selection.decimals)
