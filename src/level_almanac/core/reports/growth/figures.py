"""What growth is told of: measures, members, spans, and the figure of each (docs/growth.md)."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import date, timedelta
from decimal import Decimal
from typing import Any, Literal, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.columns.units import MeasureUnits
from level_almanac.core.language.days import DayExpression, Unit
from level_almanac.core.measures.day_sums import DaySums, Members, in_order
from level_almanac.core.measures.measure import padded
from level_almanac.core.measures.table_measures import MeasuredRequest, TableMeasures
from level_almanac.core.reports.growth.stages import UNITS, Spans, Stage, request_units, stages_of
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.requests.options import Option, Request, inner, is_texts, option, options
from level_almanac.core.requests.shared import first_option, last_option
from level_almanac.core.spans.as_of import COVERS
from level_almanac.core.spans.asked_range import asked_days
from level_almanac.core.spans.windows import Missing, Window, window_of_days
from level_almanac.core.table.change import PERCENT_PLACES, Figure, change_percent
from level_almanac.core.table.exact import EXACT
from level_almanac.core.table.model import Cell
from level_almanac.errors import Mistake, UsageMistake, listed
from level_almanac.immutable import immutable

_MOST_MEMBERS = 40
_ALL = 1_000_000
"""More of any unit than there can be."""
_PER = re.compile(
    r"\s*([a-z][a-z0-9_]*)\s*=\s*(.+?)\s+of\s+([a-z][a-z0-9_]*)(?:\s+if\s+(.+))?\s*", re.IGNORECASE | re.DOTALL
)


@immutable(kw_only=True)
class GrowthRequest(Request):
    """What growth is asked for. of: the lines and measures, `by` the field that it is told of member by member; each:
    the units of the calendar; last: how many of each, or all; first, through: a range of days instead; per: `name =
    measure of table if condition`, by which the first measure is divided; less: the same, which is taken from the first
    measure; side_by_side: whether measures and members
    stand beside one another, beside last year's.
    """

    each: tuple[Unit, ...] = options(
        Option(
            "each", "Units of the calendar: year, quarter, period, month, week, day.", metavar="UNITS",
            default="year, quarter, period", show_default=True,
        ),
        build=lambda given: request_units(given["each"]), default=("year", "quarter", "period"),
        holds=lambda value: is_texts(value) and bool(value) and set(value) <= set(UNITS),
        allowed=f"a tuple of {listed(UNITS)}",
    )  # fmt: skip
    last: int | Literal["all"] | None = options(
        Option("last", "So many of each unit, the latest ones, or `all` that there are.", metavar="N", default=""),
        build=lambda given: _how_many(given["last"]), default=None,
        holds=lambda value: value in (None, "all") or (type(value) is int and value > 0),
        allowed="a whole number, 1 or more, or `all`",
    )  # fmt: skip
    per: str = option(
        "per", "Divide by a measure of another table: `spend = natural of ledger if account.class is expense`.",
        metavar="WORDS",
    )  # fmt: skip
    less: str = option(
        "less", "Take a measure of another table off: `booked = natural of ledger if account begins 401`.",
        metavar="WORDS",
    )  # fmt: skip
    side_by_side: bool = option("side-by-side", "Spans as rows, measures and members beside one another.", "flag")
    of: MeasuredRequest = inner(
        MeasuredRequest,
        required=True,
        helps={
            **COVERS,
            "by": "Tell it of each member of this field, and of all.",
            "compare": "Cut the span compared with an unfinished one at the same day, or leave it whole.",
        },
    )
    first: DayExpression | None = first_option()
    through: DayExpression | None = last_option()


class Shown(NamedTuple):
    """One block's figures: what is measured, by its number; per: divided by the other table's; less: less that; of_per:
    that itself.
    """

    key: str
    label: str
    number: int
    kind: Literal["", "per", "less", "of_per"] = ""


class Apart(NamedTuple):
    """A day on which two tables' measures differ, and what each has."""

    day: date
    here: Decimal
    there: Decimal


class Growing:
    """One report in the making."""

    def __init__(self, book: Book, request: GrowthRequest) -> None:
        self.request = request
        if request.per and request.less:
            what, step = "a measure is divided by another table's, or that is taken off", "ask for one of them"
            raise UsageMistake(Mistake(what, got="--per and --less", next_step=step))
        self.words, self.option = request.per or request.less, "--less" if request.less else "--per"
        per = _PER.fullmatch(self.words)
        self.measured = TableMeasures(book, replace(request.of, beside=per[3].lower() if per else ""))
        if len(self.measured.by) > 1:
            raise UsageMistake(Mistake("members of one field at a time", "--by", repr(request.of.by)))
        self.as_of = self.measured.as_of
        other = self._other()
        if other is not None and other.in_periods:
            # The other table's lines may stand in extra periods, which this one's days tell nothing of.
            self.as_of = self.as_of._replace(extras=other.as_of.extras)
        self.days = asked_days(request.first, request.through, self.as_of) if request.first or request.through else None
        year = self.as_of.calendar.year(self.as_of.period.year)
        # Where periods cannot be shared out among quarters, the other units that were asked for still are told.
        self.no_quarters = not year.quarters and "quarter" in request.each and len(request.each) > 1
        each = tuple(unit for unit in request.each if unit != "quarter" or not self.no_quarters)
        last = _ALL if request.last == "all" else request.last
        spans = Spans(each, last, self.days, self.as_of, self.measured.first_day, self.measured.in_periods)
        self.stages = tuple(self._since(stage) for stage in stages_of(spans))
        windows = [window for stage in self.stages for window in stage.windows]
        self.rules = self.measured.rules(windows)
        self.sums = DaySums(self.measured, self.rules)
        self.per_rules = other.rules(windows) if other is not None else ()
        self.per = DaySums(other, self.per_rules) if other is not None else None
        self.shown = tuple(self._shown())
        self.blocks = tuple(self._blocks())

    # What is asked for.

    def _since(self, stage: Stage) -> Stage:
        """Return a row with the beginning of the data marked: what reaches back before it is compared with nothing."""
        now = self.measured.since(stage.now)
        before, last_year = self.measured.compared(stage.before), self.measured.compared(stage.last_year)
        if isinstance(now, Window) and now.begins:
            before = last_year = Missing(f"data begins {day_words(now.begins)}", early=True)
        return stage._replace(now=now if isinstance(now, Window) else stage.now, before=before, last_year=last_year)

    def _other(self) -> TableMeasures | None:
        """Return the lines of the other table, which have the same members and meet what conditions they can."""
        self.per_name = ""
        if not self.words:
            return None
        per = _PER.fullmatch(self.words)
        if per is None:
            allowed = "`name = measure of table`, as in `spend = natural of ledger if account.class is expense`"
            raise UsageMistake(Mistake("not a measure of another table", self.option, repr(self.words), allowed))
        name, of, table, condition = per.groups()
        asked, fields = self.request.of, self.measured.book.line_fields(table.lower())
        if asked.by and asked.by not in fields.by_name:
            what = f"both tables need the field that members are of, and {table} lacks it"
            shared = sorted(set(fields.by_name) & set(self.measured.fields.by_name))
            raise UsageMistake(Mistake(what, self.option, repr(asked.by), listed(shared)))
        only = (*self._shared(asked.conditions.only, fields), *([condition] if condition else []))
        conditions = Conditions(only, self._shared(asked.conditions.besides, fields))
        other = TableMeasures(
            self.measured.book,
            MeasuredRequest(
                table=table.lower(),
                of=of,
                by=asked.by,
                after_closing=asked.after_closing and fields.table.entries,
                conditions=conditions,
                when=asked.when,
                entities=asked.entities,
            ),
        )
        if len(other.measures) != 1:
            raise UsageMistake(Mistake("one measure of the other table is needed", self.option, repr(of)))
        mine = self.measured.measures[0]
        units = [MeasureUnits(each.fields).of(each.measures[0]) for each in (self.measured, other)]
        if self.request.less and (not units[0].is_like(units[1]) or not mine.adds):
            what = f"{mine.label} and {other.measures[0].label} are not like columns, or do not add up"
            got = f"{of} ({units[1].words}), taken off {mine.key} ({units[0].words})"
            raise UsageMistake(Mistake(what, self.option, got, "two amounts, quantities or counts"))
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
            how: Literal["per", "less"] = "less" if self.request.less else "per"
            yield Shown(f"{first.key}-{how}-{self.per_name}", f"{first.label} {how} {self.per_name}", 0, how)

    def _blocks(self) -> Iterator[tuple[Members | None, Shown]]:
        """Yield each member with each measure, last all members together."""
        members: list[Members | None] = []
        if self.measured.by:
            # Who has only what is divided by belongs to the report too.
            found = {*self.sums.members, *(self.per.members if self.per is not None else ())}
            ordered = in_order(found)
            if self.measured.by[0].key == "account" and (places := self.measured.book.account_places):
                ordered.sort(key=lambda members: places.get(str(members[0]), len(places)))
            members += ordered
            if len(members) > _MOST_MEMBERS:
                step = "say with --only which are meant"
                got = f"{len(members):,}"
                raise UsageMistake(Mistake("too many members", "--by", got, f"{_MOST_MEMBERS} at the most", step))
        for member in [*members, None]:
            for shown in self.shown:
                yield member, shown

    # Figures.

    def figure(self, window: Window | Missing, member: Members | None, shown: Shown) -> Figure | None:
        """Return a figure; None where it has none, or its span ends before the table's first line."""
        first = self.measured.first_day
        if isinstance(window, Missing) or first is None or window.last < first:
            return None
        sums = self.sums.within(window, member)
        if shown.kind == "":
            value = self.sums.value(sums, shown.number)
            if value is None and not sums.lines and self.measured.measures[shown.number].adds:
                value = Decimal(0)
            return None if value is None else Figure(value, sums.lines)
        assert self.per is not None  # noqa: S101  such figures are only shown where it is
        other = self.per.within(window, member)
        below = self.per.value(other, 0)
        if below is None and other.lines and self.per.measured.measures[0].has_sides:
            return None
        if shown.kind == "of_per":
            return Figure(below or Decimal(0), other.lines)
        above = self.sums.value(sums, 0)
        if above is None and sums.lines and self.measured.measures[0].has_sides:
            return None
        if shown.kind == "less":
            return Figure((above or Decimal(0)) - (below or Decimal(0)), sums.lines + other.lines)
        if above is None or not below:
            return None
        return Figure(EXACT.divide(above, below), sums.lines)

    def cells(self, stage: Stage, member: Members | None, shown: Shown) -> dict[str, Cell]:
        """Return the cells of a row."""
        now, before, last = (
            self.figure(window, member, shown) for window in (stage.now, stage.before, stage.last_year)
        )

        def cell(value: Decimal) -> Cell:
            decimals = self.decimals_of(shown)
            if shown.kind == "per" or (not shown.kind and self.measured.measures[shown.number].kind == "ratio"):
                return value.quantize(PERCENT_PLACES, context=EXACT)
            return padded(value, self.measured.decimals if decimals is None else decimals)

        cells: dict[str, Cell] = {
            "days": self._days_words(stage.now),
            "now": cell(now.amount) if now else None,
        }
        for key, other in (("before", before), ("last-year", last)):
            if other is None:
                continue
            cells[key] = cell(other.amount)
            if now is not None:
                cells[f"{key}-change"] = cell((now - other).amount)
                cells[f"{key}-change-pct"] = None if self.is_percent(shown) else change_percent(now, other)
        return cells

    def _days_words(self, window: Window) -> str:
        if window.unit == "adjustments":
            return "adjustments"
        return ", ".join(filter(None, (window.covers, self.measured.part(window))))

    def is_percent(self, shown: Shown) -> bool:
        """Tell whether figures are percents."""
        return not shown.kind and self.measured.measures[shown.number].percent

    def decimals_of(self, shown: Shown) -> int | None:
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

    def apart(self, member: Members | None = None) -> tuple[list[Apart], int]:
        """Return the days of the report on which what is taken off differs from what it is taken from, and how many
        days there are.
        """
        windows = [stage.now for stage in self.stages if stage.now.unit != "adjustments"]
        first, last = min(each.first for each in windows), max(each.last for each in windows)
        begins = [measured.first_day for measured in (self.measured, self.per.measured if self.per else self.measured)]
        first = max([first, *([min(day for day in begins if day)] if any(begins) else [])])
        found: list[Apart] = []
        for number in range((last - first).days + 1):
            day = first + timedelta(days=number)
            window = window_of_days(day, day, day, "day", self.as_of)
            here, there = (
                each.value(each.within(window, member), 0) or Decimal(0) for each in (self.sums, self.per) if each
            )
            if here != there:
                found.append(Apart(day, here, there))
        return found, (last - first).days + 1

    # Names.

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
        return "All" if member is None else self.measured.called(0, member[0])


def _how_many(text: str) -> int | Literal["all"] | None:
    """Return how many of each unit a text asks for; raise UsageMistake for what is no number of them."""
    if text.strip().lower() in ("", "all"):
        return "all" if text.strip() else None
    if not text.strip().isdigit() or int(text) == 0:
        raise UsageMistake(Mistake("not so many", "--last", repr(text), "a whole number, 1 or more, or `all`"))
    return int(text)


def _words(text: str) -> list[str]:
    return [word.lower() for word in re.findall(r"[a-z][a-z0-9_]*(?:\.[a-z][a-z0-9_]*)*", text, re.IGNORECASE)]
