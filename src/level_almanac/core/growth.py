"""Growth: measures by year, quarter, period, week or day, with what they were before (docs/growth.md)."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from functools import cached_property
from typing import Any, Literal, NamedTuple

from level_almanac.core.as_of import AsOf
from level_almanac.core.book import Book
from level_almanac.core.change import PERCENT_PLACES, Figure, change_percent
from level_almanac.core.charts import Growth as GrowthPanel
from level_almanac.core.charts import GrowthChart, Step
from level_almanac.core.compared_spans import compared_notes
from level_almanac.core.conditions_asked import Conditions
from level_almanac.core.day_sums import DaySums, Members, in_order
from level_almanac.core.day_words import day_words, range_words
from level_almanac.core.divided import unit_id
from level_almanac.core.facts import reach_notes
from level_almanac.core.measured import Measured, MeasuredRequest
from level_almanac.core.measures import padded
from level_almanac.core.ranges import asked_days
from level_almanac.core.report_table import Cell, Column, Derived, Note, Proof, ReportTable, Row
from level_almanac.core.windows import Missing, Window, window_of, window_of_period
from level_almanac.core.words.columns import LAST_YEAR, NO_SHIFT, Shift, Span, SpanName
from level_almanac.core.words.days import DayWords, Unit, unit_days
from level_almanac.errors import Mistake, UsageMistake, listed, nearest

UNITS: tuple[Unit, ...] = ("year", "quarter", "period", "month", "week", "day")
_TO_DATE: dict[Unit, SpanName] = {
    "year": "ytd", "quarter": "qtd", "period": "ptd", "month": "mtd", "week": "wtd", "day": "day",
}  # fmt: skip
_LAST: dict[Unit, int] = {"year": 5, "quarter": 8, "period": 13, "month": 13, "week": 13, "day": 14}
"""How many rows of each unit are shown unless more are asked for."""
_MOST_MEMBERS = 40
_MOST_ROWS = 2_000
_DRAWN = 6
_PER = re.compile(
    r"\s*([a-z][a-z0-9_]*)\s*=\s*(.+?)\s+of\s+([a-z][a-z0-9_]*)(?:\s+if\s+(.+))?\s*", re.IGNORECASE | re.DOTALL
)


@dataclass(frozen=True, slots=True, kw_only=True)
class GrowthRequest:
    """What growth is asked for. of: the lines and measures, `by` the field that it is told of member by member; each:
    the units of the calendar; last: how many of each; first, through: a range of days instead; per: `name = measure of
    table if condition`, by which the first measure is divided.
    """

    of: MeasuredRequest
    each: tuple[Unit, ...] = ("year", "quarter", "period")
    last: int | None = None
    first: DayWords | None = None
    through: DayWords | None = None
    per: str = ""


class Stage(NamedTuple):
    """One row: a span, the one before it and last year's. unit: of the calendar, or empty for a span to date."""

    key: str
    label: str
    unit: Unit
    now: Window
    before: Window | Missing
    last_year: Window | Missing
    to_date: bool = False


class Shown(NamedTuple):
    """One block's figures: what is measured, by its number; per: divided by the other table's; of_per: that itself."""

    key: str
    label: str
    number: int
    kind: Literal["", "per", "of_per"] = ""


def growth(book: Book, request: GrowthRequest, today: date) -> ReportTable:
    """Return the report. Raises UsageMistake for what the table or the report lacks."""
    return Growing(book, request, today).table()


class Growing:
    """One report in the making."""

    def __init__(self, book: Book, request: GrowthRequest, today: date) -> None:
        self.request, self.today = request, today
        self.measured = Measured(book, request.of, today)
        if len(self.measured.by) > 1:
            raise UsageMistake(Mistake("members of one field at a time", "--by", repr(request.of.by)))
        self.as_of = self.measured.as_of
        other = self._other()
        if other is not None and other.in_periods:
            # The other table's lines may stand in extra periods, which this one's days tell nothing of.
            self.as_of = self.as_of._replace(extras=other.as_of.extras)
        self.days = (
            asked_days(request.first, request.through, self.as_of, today) if request.first or request.through else None
        )
        self.stages = tuple(self._stages())
        windows = [window for stage in self.stages for window in _windows(stage)]
        self.rules = self.measured.rules(windows)
        self.sums = DaySums(self.measured, self.rules)
        self.per_rules = other.rules(windows) if other is not None else ()
        self.per = DaySums(other, self.per_rules) if other is not None else None
        self.shown = tuple(self._shown())
        self.blocks = tuple(self._blocks())

    # What is asked for.

    def _other(self) -> Measured | None:
        """Return the lines of the other table, which have the same members and meet what conditions they can."""
        self.per_name = ""
        if not self.request.per:
            return None
        told = _PER.fullmatch(self.request.per)
        if told is None:
            allowed = "`name = measure of table`, as in `spend = natural of ledger if account.class is expense`"
            raise UsageMistake(Mistake("not a measure of another table", "--per", repr(self.request.per), allowed))
        name, of, table, condition = told.groups()
        asked, fields = self.request.of, self.measured.book.line_fields(table.lower())
        if asked.by and asked.by not in fields.by_name:
            what = f"both tables need the field that members are of, and {table} lacks it"
            shared = sorted(set(fields.by_name) & set(self.measured.fields.by_name))
            raise UsageMistake(Mistake(what, "--per", repr(asked.by), listed(shared)))
        only = (*self._shared(asked.conditions.only, fields), *([condition] if condition else []))
        conditions = Conditions(only, self._shared(asked.conditions.besides, fields))
        other = Measured(
            self.measured.book,
            MeasuredRequest(
                table=table.lower(), of=of, by=asked.by, conditions=conditions, when=asked.when, entities=asked.entities
            ),
            self.today,
        )
        if len(other.measures) != 1:
            raise UsageMistake(Mistake("one measure to divide by is needed", "--per", repr(of)))
        self.per_name = name.lower()
        return other

    def _shared(self, texts: Sequence[str], fields: Any) -> tuple[str, ...]:
        """Return the conditions whose fields the other table has too."""
        mine = self.measured.fields.by_name
        return tuple(text for text in texts if all(name in fields.by_name for name in _words(text) if name in mine))

    def _shown(self) -> Iterator[Shown]:
        for number, measure in enumerate(self.measured.measures):
            yield Shown(measure.key, measure.label, number)
        if self.per is not None:
            yield Shown(self.per_name, self.per_name, 0, "of_per")
            first = self.measured.measures[0]
            yield Shown(f"{first.key}-per-{self.per_name}", f"{first.label} per {self.per_name}", 0, "per")

    def _blocks(self) -> Iterator[tuple[Members | None, Shown]]:
        """Yield each member with each measure, last all members together."""
        members: list[Members | None] = []
        if self.measured.by:
            # Who has only what is divided by belongs to the report too.
            found = {*self.sums.members, *(self.per.members if self.per is not None else ())}
            members += in_order(found)
            if len(members) > _MOST_MEMBERS:
                step = "say with --only which are meant"
                got = f"{len(members):,}"
                raise UsageMistake(Mistake("too many members", "--by", got, f"{_MOST_MEMBERS} at the most", step))
        for member in [*members, None]:
            for shown in self.shown:
                yield member, shown

    # Which spans.

    def _stages(self) -> Iterator[Stage]:
        if self.days is None:
            units: list[Unit] = ["year", "quarter", "period"]
            if not self.as_of.calendar.year(self.as_of.period.year).quarters:
                units.remove("quarter")
            for unit in units:
                yield self._stage(_TO_DATE[unit], f"{unit.capitalize()} to date", unit, self.as_of, to_date=True)
        count = 0
        for unit in self.request.each:
            for stage in self._stages_of(unit):
                count += 1
                if count > _MOST_ROWS:
                    raise UsageMistake(Mistake("too many rows", "--each", allowed=f"{_MOST_ROWS:,} at the most"))
                yield stage

    def _stages_of(self, unit: Unit) -> Iterator[Stage]:
        calendar, found = self.as_of.calendar, list[Stage]()
        first_day = self.measured.first_day or self.as_of.day
        low, high = self.days or (first_day, self.as_of.day)
        most = None if self.days else self.request.last or _LAST[unit]
        day, units = high, 0
        while day >= low and (most is None or units < most):
            first, last = unit_days(day, unit, calendar)
            if last < first_day:
                break
            end = min(last, high)
            at = self.as_of._replace(day=end, period=calendar.period_of(end))
            if unit == "period" and end == last:
                found += reversed(list(self._extra_stages(at)))
            label = day_words(end) if unit == "day" else unit_id(end, unit, calendar)
            found.append(self._stage(unit_id(end, unit, calendar), label, unit, at))
            day, units = first - timedelta(days=1), units + 1
        yield from reversed(found)

    def _extra_stages(self, at: AsOf) -> Iterator[Stage]:
        """Yield the extra periods of a year after its last period."""
        year = at.calendar.year(at.period.year)
        if not self.measured.in_periods or at.day != year.last:
            return
        for count, extra in enumerate(year.extra_periods[: at.extras], 1):
            last = at.calendar.period(extra.year - 1, extra.number)
            before = Missing("an extra period is compared with last year's only")
            last_year = (
                window_of_period(last, at, count) if last and last.extra else Missing(f"{extra.year - 1} has none")
            )
            yield Stage(str(extra), str(extra), "period", window_of_period(extra, at, count), before, last_year)

    def _stage(self, key: str, label: str, unit: Unit, at: AsOf, *, to_date: bool = False) -> Stage:
        span = Span(_TO_DATE[unit])
        now = window_of(span, NO_SHIFT, at, self.today)
        assert isinstance(now, Window)  # noqa: S101  a span to date always has days
        # A day's own last year is the same day of its period, which the period's span knows to find.
        last_year = self._day_last_year(at) if unit == "day" else window_of(span, LAST_YEAR, at, self.today)
        before: Window | Missing = Missing("the year before is last year")
        if unit != "year":
            before = window_of(span, Shift("back", 1), at, self.today)
        return Stage(key, label, unit, now, before, last_year, to_date)

    def _day_last_year(self, at: AsOf) -> Window | Missing:
        found = window_of(Span("ptd"), LAST_YEAR, at, self.today)
        if isinstance(found, Missing):
            return found
        return window_of(Span("range", first=found.last, last=found.last), NO_SHIFT, at, self.today)

    # Figures.

    def figure(self, window: Window | Missing, member: Members | None, shown: Shown) -> Figure | None:
        """Return a figure; None where it has none, or its span ends before the table's first line."""
        first = self.measured.first_day
        if isinstance(window, Missing) or first is None or window.last < first:
            return None
        found = self.sums.within(window, member)
        if shown.kind == "":
            value = self.sums.value(found, shown.number)
            if value is None and self.measured.measures[shown.number].adds:
                value = Decimal(0)
            return None if value is None else Figure(value, found.lines)
        assert self.per is not None  # noqa: S101  such figures are only shown where it is
        other = self.per.within(window, member)
        below = self.per.value(other, 0)
        if shown.kind == "of_per":
            return Figure(below or Decimal(0), other.lines)
        above = self.sums.value(found, 0)
        if above is None or not below:
            return None
        return Figure((above / below).quantize(PERCENT_PLACES), found.lines)

    def cells(self, stage: Stage, member: Members | None, shown: Shown) -> dict[str, Cell]:
        """Return the cells of a row."""
        now, before, last = (
            self.figure(window, member, shown) for window in (stage.now, stage.before, stage.last_year)
        )
        decimals = self._decimals(shown)
        places = self.measured.decimals if decimals is None else decimals
        cells: dict[str, Cell] = {
            "days": self._days_words(stage.now),
            "now": padded(now.amount, places) if now else None,
        }
        for key, other in (("before", before), ("last-year", last)):
            if other is None:
                continue
            cells[key] = padded(other.amount, places)
            if now is not None:
                cells[f"{key}-change"] = padded(now.amount - other.amount, places)
                cells[f"{key}-change-pct"] = None if self._is_percent(shown) else change_percent(now, other)
        return cells

    def _days_words(self, window: Window) -> str:
        if window.unit == "adjustments":
            return "adjustments"
        told = self.measured.extent(window)
        part = f", {told}" if told and not told.startswith("whole") else ""
        return f"{window.covers}{part}"

    def _is_percent(self, shown: Shown) -> bool:
        return not shown.kind and self.measured.measures[shown.number].percent

    def _decimals(self, shown: Shown) -> int | None:
        """Return how many decimals figures that are no money have."""
        if shown.kind == "per":
            return 2
        measured = self.per.measured if shown.kind == "of_per" and self.per is not None else self.measured
        measure = measured.measures[shown.number]
        if measure.kind == "amount" or measure.percent:
            return None
        if measure.kind != "quantity":
            return 2 if measure.kind == "ratio" else 0
        values = [self.figure(stage.now, None, shown) for stage in self.stages]
        return 0 if all(each is None or each.amount == each.amount.to_integral_value() for each in values) else 2

    # Rows.

    def _rows(self) -> Iterator[Row]:
        for member, shown in self.blocks:
            prefix = self.prefix(member, shown)
            if len(self.blocks) > 1:
                yield Row(f"{prefix}block", self.block_name(member, shown), 0, "group")
            yield from self._block_rows(prefix, member, shown)

    def prefix(self, member: Members | None, shown: Shown) -> str:
        """Return what the keys of a block's rows begin with."""
        parts = []
        if self.measured.by:
            parts.append("all" if member is None else self._member_key(member))
        if len(self.shown) > 1:
            parts.append(shown.key)
        return "".join(f"{part}/" for part in parts)

    def block_name(self, member: Members | None, shown: Shown) -> str:
        """Return what a block is called."""
        names = [self._member_name(member)] if self.measured.by else []
        if len(self.shown) > 1 or not names:
            names.append(shown.label)
        return " · ".join(names)

    def _member_key(self, member: Members) -> str:
        return f"{self.measured.by[0].key}-blank" if member[0] is None else str(member[0])

    def _member_name(self, member: Members | None) -> str:
        if member is None:
            return "All"
        return f"(no {self.measured.by[0].label})" if member[0] is None else str(member[0])

    def _block_rows(self, prefix: str, member: Members | None, shown: Shown) -> Iterator[Row]:
        unit: str = ""
        for stage in self.stages:
            heading = "To date" if stage.to_date else f"By {stage.unit}"
            if heading != unit:
                unit = heading
                yield Row(f"{prefix}{heading.lower().replace(' ', '-')}:heading", heading, 0, "heading")
            cells = self.cells(stage, member, shown)
            yield Row(
                prefix + stage.key, stage.label, 1, "line", cells, self._is_percent(shown),
                decimals=self._decimals(shown),
            )  # fmt: skip

    def _columns(self) -> Iterator[Column]:
        places = self.measured.decimals
        label = self.shown[0].label if len(self.shown) == 1 else "figure"
        yield Column("days", "days", "text")
        yield Column("now", label, "amount", places)
        # A year has no other span before it than last year's.
        units = {stage.unit for stage in self.stages}
        names = [("last-year", "last year")]
        if units != {"year"}:
            names.insert(0, ("before", "one before"))
        for key, name in names:
            yield Column(key, name, "amount", places)
            yield Column(f"{key}-change", "change", "amount", places, derived=Derived("now", key))
            yield Column(f"{key}-change-pct", "change %", "percent", 1, derived=Derived("now", key, percent=True))

    # The report.

    def _notes(self) -> Iterator[Note | str]:
        measured, first = self.measured, self.measured.first_day
        if measured.selection:
            yield from measured.selection.notes
        yield from reach_notes(max(stage.now.last for stage in self.stages), measured.through)
        early = min((stage.now.first for stage in self.stages), default=None)
        if self.days and early is not None and early < self.days[0]:
            yield f"Units are whole where they begin: the first is from {day_words(early)} on"
        parts = [stage for stage in self.stages if stage.now.last != stage.now.whole_last and stage.now.unit != "day"]
        if parts and self.as_of.compare == "same-days":
            yield "Unfinished spans are compared with the same days of the one before and of last year"
        if first is not None and any(window.first < first for stage in self.stages for window in _windows(stage)):
            yield f"The first line is of {day_words(first)}: what ends before it is left blank"
        yield from self._span_notes()
        yield from measured.blank_notes(self.rules)
        yield from self._per_notes()
        if any(measure.key == "natural" for measure in measured.measures):
            yield "Amounts are in their accounts' natural signs: income positive when earned, costs when spent"

    def _span_notes(self) -> Iterator[str]:
        """Yield which spans have nothing to compare with, and which days the other year lacks."""
        for stage in self.stages:
            if isinstance(stage.last_year, Missing):
                yield f"{stage.label}: {stage.last_year.why}, so nothing to compare with"
            elif stage.to_date or stage.unit in ("month", "day") or stage.now.last != stage.now.whole_last:
                yield from (note for note in compared_notes(stage.now, stage.last_year) if "no such day" in note)

    def _per_notes(self) -> Iterator[str]:
        """Yield what the first measure is divided by, and which conditions do not narrow that."""
        if self.per is not None:
            mine, other = self.request.of.conditions, self.per.measured.request.conditions
            left = [text for text in (*mine.only, *mine.besides) if text not in (*other.only, *other.besides)]
            yield f"{self.per_name}: {self.request.per.partition('=')[2].strip()}"
            if left:
                words = " · ".join(left)
                yield f"{self.per_name} is not narrowed by {words}: {self.per.measured.own.name} has no such field"

    def proof(self) -> Proof:
        """Return the accounting of all lines, the other table's too."""
        proof = self.measured.proof(self.rules)
        if self.per is None:
            return proof
        return proof._replace(further=(self.per.measured.proof(self.per_rules),))

    @cached_property
    def made_rows(self) -> tuple[Row, ...]:
        """The rows of the report."""
        return tuple(self._rows())

    def table(self) -> ReportTable:
        """Return the report."""
        measured = self.measured
        names = ", ".join(shown.label for shown in self.shown)
        by = f" by {measured.by[0].label}" if measured.by else ""
        facts = {**measured.facts(), "each": ", ".join(self.request.each)}
        more = []
        if self.days:
            facts |= {"from": self.days[0].isoformat(), "through": self.days[1].isoformat()}
            more.append(range_words(*self.days))
        if self.request.per:
            facts["per"] = self.request.per
        return ReportTable(
            title=f"{measured.own.name.replace('_', ' ').capitalize()}: growth of {names}{by}",
            facts=facts,
            subtitle=measured.subtitle(*more),
            columns=tuple(self._columns()),
            rows=self.made_rows,
            key_label="span",
            proof=self.proof(),
            notes=tuple(dict.fromkeys(self._notes())),
            chart=self._chart(),
        )

    def _chart(self) -> GrowthChart | None:
        unit = self.request.each[-1]
        blocks = [block for block in self.blocks if block[0] is not None or not self.measured.by]
        if self.measured.by:
            blocks = [(None, self.shown[0]), *[block for block in blocks if block[1] is self.shown[0]]]
        panels = [self._panel(member, shown, unit) for member, shown in blocks[:_DRAWN]]
        return GrowthChart(tuple(panels)) if any(panel.steps for panel in panels) else None

    def _panel(self, member: Members | None, shown: Shown, unit: Unit) -> GrowthPanel:
        def step(stage: Stage) -> Step:
            cells: Any = self.cells(stage, member, shown)
            told = self.measured.extent(stage.now)
            part = "" if told.startswith("whole") else told.replace("data to", "to")
            change, rate = cells.get("last-year-change"), cells.get("last-year-change-pct")
            return Step(stage.label, cells["now"], cells.get("last-year"), change, rate, part)

        kind = "ratio" if shown.kind == "per" else self.measured.measures[shown.number].kind
        return GrowthPanel(
            self.block_name(member, shown),
            "currency" if kind == "amount" else "",
            self._is_percent(shown),
            tuple(step(stage) for stage in self.stages if stage.to_date),
            unit,
            tuple(step(stage) for stage in self.stages if stage.unit == unit and not stage.to_date),
        )


def _windows(stage: Stage) -> list[Window]:
    return [window for window in (stage.now, stage.before, stage.last_year) if isinstance(window, Window)]


def _words(text: str) -> list[str]:
    return [word.lower() for word in re.findall(r"[a-z][a-z0-9_]*(?:\.[a-z][a-z0-9_]*)?", text, re.IGNORECASE)]


def request_units(text: str) -> tuple[Unit, ...]:
    """Return the units that `year, period` names, one or more between commas."""
    units: list[Unit] = []
    for word in (word.strip().lower() for word in text.split(",") if word.strip()):
        unit = next((unit for unit in UNITS if unit == word), None)
        if unit is None:
            what, hint = "not a unit of the calendar", nearest(word, UNITS)
            raise UsageMistake(Mistake(what, "--each", repr(word), listed(UNITS), hint))
        units.append(unit)
    if not units:
        raise UsageMistake(Mistake("no unit of the calendar", "--each", repr(text), listed(UNITS)))
    return tuple(dict.fromkeys(units))
