"""Pace: what is spent of a plan, what of it was due by now, and where it will end (docs/pace.md)."""

from collections.abc import Iterator
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.header import listed_some, reach_notes
from level_almanac.core.measures.plan_proof import plan_proof
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.pace.chart import chart_of
from level_almanac.core.reports.pace.figures import PaceRequest, Pacing
from level_almanac.core.reports.pace.periods import month_columns, month_rows
from level_almanac.core.table.model import Check, Column, Note, Proof, ReportTable, Row

_ZERO = Decimal(0)
NOT_GIVEN = "not-given"


def pace(book: Book, request: PaceRequest) -> MadeReport:
    """Return the report. Raises UsageMistake for what the book or the table lacks."""
    made = Pacing(book, request)
    return MadeReport(pace_table(made), made)


def pace_table(made: Pacing) -> ReportTable:
    """Return the report."""
    measured = made.measured
    by = f" by {' and '.join(each.label for each in measured.by)}" if measured.by else ""
    what = ("income" if made.request.income else "costs") if measured.own.entries else measured.own.name
    facts = {**measured.facts(), "plan": made.scenario, "span": made.unit}
    if made.limit is not None:
        facts["limit"] = f"{made.limit:f}"
    months = made.request.by_period
    title = f"Pace of {what}{by} against {made.scenario}"
    proof = measured.proof(made.rules, tuple(_checks(made)))
    return ReportTable(
        title=f"{title}, period by period" if months else title,
        facts=facts,
        subtitle=measured.subtitle(),
        columns=tuple(month_columns(made) if months else _columns(made)),
        rows=tuple(month_rows(made) if months else _rows(made)),
        key_label="period" if months else " / ".join(each.label for each in measured.by),
        proof=proof._replace(further=(_plan_proof(made),)),
        notes=tuple(_notes(made)),
        chart=chart_of(made),
    )


def _rows(made: Pacing) -> Iterator[Row]:
    keys = []
    if made.measured.by:
        for members, going in made.goings.items():
            keys.append(made.key(members))
            yield Row(keys[-1], made.name(members), 0, "line", made.cells(going))
        if made.gap:
            keys.append(NOT_GIVEN)
            rest = {"budget": made.gap, "spent": _ZERO, "expected": made.total.expected - made.together.expected}
            yield Row(NOT_GIVEN, "Not given to any member", 0, "line", rest)
    yield Row("total", "Total", 0, "total", made.cells(made.total), adds=tuple((1, key) for key in keys))


def _columns(made: Pacing) -> Iterator[Column]:
    places, whole, now = made.measured.decimals, made.whole, made.to_date
    ends = day_words(whole.last)
    period = made.as_of.calendar.period_of(now.last)
    share = made.plans.share_words(made.scenario, period, now.last)
    share = share if share == "whole period" or now.first == period.first else f"P{period.number:02d} at {share}"
    word = made.word
    yield Column(
        "budget",
        made.scenario,
        "amount",
        places,
        whole.first,
        whole.last,
        None,
        whole.covers,
        whole.extent,
        made.scenario,
    )
    reached = made.measured.through is not None and made.measured.through >= now.last
    extent = made.measured.extent(now)
    yield Column("spent", word, "amount", places, now.first, now.last, reached, now.covers, extent)
    yield Column("spent-pct", f"% of {made.scenario}", "percent", 1, adds=False)
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
        made.scenario,
    )
    yield Column("projected", "projected end", "amount", places, covers=f"at {ends}", adds=False)
    yield Column("over", "over, −under", "amount", places, covers=f"at {ends}", adds=False)
    yield Column("over-pct", "over, −under %", "percent", 1, adds=False)


def _plan_proof(made: Pacing) -> Proof:
    """Return the accounting of all lines of plans in the table."""
    unmet = " or ".join(rule.words for rule in (*made.class_rule(), *made.measured.conditions)) or "conditions"
    shown = {line.number for line in made.all_lines}

    def rule_of(number: int, scenario: str, _: str) -> str:
        if scenario != made.scenario:
            return "other plans"
        if number in made.plans.unmet:
            return unmet
        return "" if number in shown else "other dates"

    measure, rules = "whole amount of lines shown in whole or part", ("other plans", "other dates", unmet)
    return plan_proof(made.book, made.plans, made.selection, measure, rules, rule_of, made.plan_table)


def _checks(made: Pacing) -> Iterator[Check]:
    found = made.sums.within(made.to_date)
    yield Check("members come to what was spent in all", (made.sums.value(found, 0) or _ZERO) == made.total.spent)


def _notes(made: Pacing) -> Iterator[Note | str]:
    places = made.measured.decimals
    yield from made.selection.notes
    yield from reach_notes(made.to_date.last, made.measured.through)
    if made.gap:
        less = "less" if made.gap > 0 else "more"
        words = f"The members' budgets come to {{}}, {{}} {less} than the {{}} of the whole"
        limit = made.limit or _ZERO
        yield Note(words, (made.together.budget, abs(made.gap), limit), places)
    yield from made.plans.remarks_of(made.scenario)
    none = [made.name(members) for members, going in made.goings.items() if going.lines and not going.planned]
    if none:
        yield f"No budget, and so no projection: {listed_some(none)}; over by what is spent so far"
    idle = [made.name(members) for members, going in made.goings.items() if going.planned and not going.lines]
    if idle:
        yield f"A budget and nothing yet: {listed_some(idle)}"
    early = [
        made.name(members)
        for members, going in made.goings.items()
        if going.planned and going.ends is None and going.lines
    ]
    if early:
        yield f"Nothing of the plan was due by now, so no projection: {listed_some(early)}"
    if made.as_of.day < made.whole.last:
        word = made.word
        yield f"Projected end = {word} ÷ the share of the plan that was due by now; the total's is made of totals"
