"""What a chart of pace draws: the limit, the plan, what was spent, and where it leads."""

from datetime import date
from decimal import Decimal
from typing import Literal

from level_almanac.core.language.days import moved, unit_days
from level_almanac.core.measures.day_sums import Members
from level_almanac.core.reports.pace.figures import NO_BUDGET, Going, Pacing
from level_almanac.core.spans.windows import window_of_days
from level_almanac.core.table.change import percent
from level_almanac.core.table.chart_data import Pace, PaceChart, PacePoint
from level_almanac.core.table.exact import EXACT, rounded

_ZERO = Decimal(0)


def chart_of(made: Pacing) -> PaceChart | None:
    """Return the chart, or None where there is nothing to draw."""
    if not made.total.budget and not made.total.lines:
        return None
    members = [_panel(made, made.name(each), each, going) for each, going in made.goings.items()]
    whole = _panel(made, made.selection.words, None, made.total)
    shown = tuple(members) if made.measured.by else ()
    return PaceChart(made.whole.first, made.whole.last, whole, shown, not made.is_income, made.scenario)


def _panel(made: Pacing, name: str, members: Members | None, going: Going) -> Pace:
    lines = made.members[members] if members is not None else made.all_lines
    points = []
    for day in _drawn_days(made):
        # A window's ends decide what of a plan and of the lines lies within.
        at = made.as_of._replace(day=day, period=made.as_of.calendar.period_of(day))
        window = window_of_days(made.whole.first, day, day, "period", at)
        plan = made.planned(lines, window)
        actual = None
        if day <= made.as_of.day:
            actual = made.sums.value(made.sums.within(made.to_date if day == made.as_of.day else window, members), 0)
            actual = actual or _ZERO
        points.append(PacePoint(day, plan, actual))
    if members is None and made.gap and made.together.budget:
        scale = EXACT.divide(made.total.budget, made.together.budget)
        points = [point._replace(plan=EXACT.multiply(point.plan, scale)) for point in points]
    over = going.over
    words, past = NO_BUDGET if not going.planned and not going.budget else "", None
    if over is not None and going.budget:
        rate = rounded(percent(over, going.budget) or _ZERO, 1)
        past = rate > 0 if rate else None
        words = "as planned" if past is None else f"{'over' if past else 'under'} {abs(rate)} %"
    return Pace(name, going.budget, tuple(points), made.as_of.day, going.spent, going.ends, words, past)


def _drawn_days(made: Pacing) -> list[date]:
    """The ends of the units that the chart's lines lead through, and the day of the report."""
    unit: Literal["day", "week", "period"] = "day"
    if made.unit != "period":
        unit = "period" if made.unit == "year" else "week"
    days, day = {min(made.as_of.day, made.whole.last)}, made.whole.first
    while day <= made.whole.last:
        last = min(unit_days(day, unit, made.as_of.calendar)[1], made.whole.last)
        days.add(last)
        day = moved(last, 1, "day", made.as_of.calendar)
    return sorted(days)
