"""Pace period by period: what was planned, due and spent in each, and summed up (docs/pace.md)."""

from collections.abc import Iterator
from decimal import Decimal
from typing import Literal

from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.language.days import moved
from level_almanac.core.reports.pace.figures import Pacing
from level_almanac.core.spans.windows import Window, covered, window_of_days, window_of_period
from level_almanac.core.table.model import Cell, Column, Row

_ZERO = Decimal(0)


def _periods(pacing: Pacing) -> list[tuple[str, Window, Window | None]]:
    """Each period of the span: its id, its days, and those that are over by the day of the report."""
    calendar, spans = pacing.as_of.calendar, list[tuple[str, Window, Window | None]]()
    day = pacing.whole.first
    while day <= pacing.whole.last:
        period = calendar.period_of(day)
        at = pacing.as_of._replace(day=min(period.last, pacing.as_of.day), period=period)
        done = window_of_days(period.first, at.day, period.last, "period", at) if period.first <= at.day else None
        spans.append((str(period), window_of_days(period.first, period.last, period.last, "period", at), done))
        year = calendar.year(period.year)
        if period.last == year.last == pacing.as_of.day and pacing.measured.in_periods:
            for count, extra in enumerate(year.extra_periods[: pacing.as_of.extras], 1):
                window = window_of_period(extra, pacing.as_of, count)
                spans.append((str(extra), window, window))
        day = moved(period.last, 1, "day", calendar)
    return spans


def month_columns(pacing: Pacing) -> Iterator[Column]:
    """Yield the columns."""
    places = pacing.measured.decimals
    word = pacing.word
    yield Column("days", "days", "text")
    yield Column("plan", pacing.scenario, "amount", places, scenario=pacing.scenario)
    yield Column("due", "due by now", "amount", places, scenario=pacing.scenario)
    yield Column("fact", word, "amount", places)
    yield Column("over", "over, −under", "amount", places)
    yield Column("due-so-far", "due so far", "amount", places, scenario=pacing.scenario, adds=False)
    yield Column("fact-so-far", f"{word} so far", "amount", places, adds=False)
    yield Column("over-so-far", "over so far", "amount", places, adds=False)


def month_rows(pacing: Pacing) -> Iterator[Row]:
    """Yield the periods of each member and of all, and what they come to."""
    for members in [*(pacing.goings if pacing.measured.by else ()), None]:
        prefix = ""
        if pacing.measured.by:
            prefix = f"{pacing.key(members)}/" if members is not None else "all/"
            yield Row(f"{prefix}block", pacing.name(members) if members is not None else "All", 0, "group")
        lines = pacing.members[members] if members is not None else pacing.all_lines
        due_so_far = fact_so_far = _ZERO
        keys = []
        for name, whole, done in _periods(pacing):
            plan = pacing.planned(lines, whole)
            cells: dict[str, Cell] = {"days": whole.covers, "plan": plan}
            if whole.unit == "adjustments":
                cells["days"] = "adjustments"
            if done is not None:
                due = pacing.planned(lines, done)
                fact = pacing.sums.value(pacing.sums.within(done, members), 0) or _ZERO
                due_so_far, fact_so_far = due_so_far + due, fact_so_far + fact
                if done.last < whole.last:
                    cells["days"] = f"{whole.covers}, through {day_words(done.last)}"
                cells |= {"due": due, "fact": fact, "over": fact - due, "due-so-far": due_so_far}
                cells |= {"fact-so-far": fact_so_far, "over-so-far": fact_so_far - due_so_far}
            keys.append(f"{prefix}{name}")
            told = covered(done or whole, pacing.measured.through)
            yield Row(keys[-1], name, 0, "line", cells, covered=told)
        going = pacing.goings[members] if members is not None else pacing.together
        total: dict[str, Cell] = {"plan": going.budget, "due": going.expected, "fact": going.spent}
        total["over"] = going.spent - going.expected
        label = "Total" if members is None else f"Total {pacing.name(members)}"
        kind: Literal["total", "subtotal"] = "total" if members is None else "subtotal"
        yield Row(f"{prefix}total", label, 0, kind, total, adds=tuple((1, key) for key in keys))
