"""What a report has drawn of it: exact figures and their words, as the chart's picture is to tell them.

Every figure of a chart stands in the report's table too, or in the one that its docs name.
"""

from datetime import date
from decimal import Decimal
from typing import Literal, NamedTuple


class Place(NamedTuple):
    """Where the figures of a chart stand in the report's table: the key of their row, and those of their columns."""

    row: str = ""
    now: str = ""
    before: str = ""


class Bar(NamedTuple):
    """A member in both spans, its change, and that in percent or the word for it; place: in the table."""

    label: str
    now: Decimal | None
    before: Decimal | None
    change: Decimal | None
    change_percent: Decimal | str | None
    place: Place = Place()


class Bars(NamedTuple):
    """One group's members.

    others: all other members together, and the lines without a member, drawn on a scale of their own.
    """

    name: str
    bars: tuple[Bar, ...]
    others: tuple[Bar, ...] = ()


class BarsChart(NamedTuple):
    """Members in two columns. now, before: what both are, before empty where there is one; unit: `currency` where bars
    are amounts; against: what stands before the words of the second; undrawn: the columns that are in the table alone;
    heads: of the change and of that in percent; ratio: whether they are ratios, told with two decimals.
    """

    now: str
    before: str
    unit: Literal["", "currency"]
    percent: bool
    panels: tuple[Bars, ...]
    against: str = "last year: "
    undrawn: tuple[str, ...] = ()
    heads: tuple[str, str] = ("change", "change %")
    ratio: bool = False


class Step(NamedTuple):
    """One unit of the calendar: its figure, last year's, and the change; part: how much of it, if not all; months: of a
    period those that it is of; place: in the table.
    """

    label: str
    now: Decimal | None
    before: Decimal | None
    change: Decimal | None
    change_percent: Decimal | str | None
    part: str = ""
    months: str = ""
    place: Place = Place()


class Growth(NamedTuple):
    """One measure over time. to_date: the spans to date; unit: `currency` where it is of amounts; ratio: whether its
    figures are ratios, told with two decimals.
    """

    name: str
    unit: Literal["", "currency"]
    percent: bool
    to_date: tuple[Step, ...]
    step: str
    steps: tuple[Step, ...]
    ratio: bool = False


class GrowthChart(NamedTuple):
    """Growth of one or more measures or members. undrawn: what is in the table alone; before: which days last year's
    are.
    """

    panels: tuple[Growth, ...]
    undrawn: tuple[str, ...] = ()
    before: str = "same days"


class PacePoint(NamedTuple):
    """The end of a day: what is planned and spent by then, from the span's first day."""

    day: date
    plan: Decimal
    actual: Decimal | None


class Pace(NamedTuple):
    """One member's pace. limit: its whole budget; ends: what it is projected to end at, None where nothing tells; over:
    whether that is past the limit, or short of it, None where it is neither.
    """

    name: str
    limit: Decimal
    points: tuple[PacePoint, ...]
    as_of: date
    spent: Decimal
    ends: Decimal | None
    words: str
    over: bool | None = None


class PaceChart(NamedTuple):
    """Pace of the whole and of each member. first, last: the days of the span; costs: whether less is better; plan: its
    name.
    """

    first: date
    last: date
    whole: Pace
    members: tuple[Pace, ...]
    costs: bool
    plan: str


ChartData = BarsChart | GrowthChart | PaceChart
