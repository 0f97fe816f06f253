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


def chart_of(pacing: Pacing) -> PaceChart | None:
    """Return the chart, or None where there is nothing to draw."""
    if not pacing.total.budget and not pacing.total.lines:
        return None
    members = [_panel(pacing, pacing.name(each), each, going) for each, going in pacing.goings.items()]
    whole = _panel(pacing, pacing.selection.words, None, pacing.total)
    shown = tuple(members) if pacing.measured.by else ()
    return PaceChart(pacing.whole.first, pacing.whole.last, whole, shown, not pacing.is_income, pacing.scenario)


def _panel(pacing: Pacing, name: str, members: Members | None, going: Going) -> Pace:
    lines = pacing.members[members] if members is not None else pacing.all_lines
    points = []
    for day in _drawn_days(pacing):
        # A window's ends decide what of a plan and of the lines lies within.
        at = pacing.as_of._replace(day=day, period=pacing.as_of.calendar.period_of(day))
        window = window_of_days(pacing.whole.first, day, day, "period", at)
        plan = pacing.planned(lines, window)
        actual = None
        if day <= pacing.as_of.day:
            actual = pacing.sums.value(
                pacing.sums.within(pacing.to_date if day == pacing.as_of.day else window, members), 0
            )
            actual = actual or _ZERO
        points.append(PacePoint(day, plan, actual))
    if members is None and pacing.gap and pacing.together.budget:
        scale = EXACT.divide(pacing.total.budget, pacing.together.budget)
        points = [point._replace(plan=EXACT.multiply(point.plan, scale)) for point in points]
    over = going.over
    words, past = NO_BUDGET if not going.planned and not going.budget else "", None
    if over is not None and going.budget:
        rate = rounded(percent(over, going.budget) or _ZERO, 1)
        past = rate > 0 if rate else None
        words = "as planned" if past is None else f"{'over' if past else 'under'} {abs(rate)} %"
    return Pace(name, going.budget, tuple(points), pacing.as_of.day, going.spent, going.ends, words, past)


def _drawn_days(pacing: Pacing) -> list[date]:
    """The ends of the units that the chart's lines lead through, and the day of the report."""
    unit: Literal["day", "week", "period"] = "day"
    if pacing.unit != "period":
        unit = "period" if pacing.unit == "year" else "week"
    days, day = {min(pacing.as_of.day, pacing.whole.last)}, pacing.whole.first
    while day <= pacing.whole.last:
        last = min(unit_days(day, unit, pacing.as_of.calendar)[1], pacing.whole.last)
        days.add(last)
        day = moved(last, 1, "day", pacing.as_of.calendar)
    return sorted(days)
