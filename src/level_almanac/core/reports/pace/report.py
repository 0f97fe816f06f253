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
from level_almanac.core.spans.windows import covered
from level_almanac.core.table.model import Check, Column, Covered, Note, Proof, ReportTable, Row

_ZERO = Decimal(0)
NOT_GIVEN = "not-given"


def pace(book: Book, request: PaceRequest) -> MadeReport:
    """Return the report. Raises UsageMistake for what the book or the table lacks."""
    made = Pacing(book, request)
    return MadeReport(pace_table(made), made)


def pace_table(pacing: Pacing) -> ReportTable:
    """Return the report."""
    measured = pacing.measured
    by = f" by {' and '.join(each.label for each in measured.by)}" if measured.by else ""
    what = ("income" if pacing.request.income else "costs") if measured.own.entries else measured.own.name
    facts = {**measured.facts(), "plan": pacing.scenario, "span": pacing.unit}
    if pacing.limit is not None:
        facts["limit"] = f"{pacing.limit:f}"
    months = pacing.request.by_period
    title = f"Pace of {what}{by} against {pacing.scenario}"
    proof = measured.proof(pacing.rules, tuple(_checks(pacing)))
    return ReportTable(
        title=f"{title}, period by period" if months else title,
        facts=facts,
        subtitle=measured.subtitle(),
        columns=tuple(month_columns(pacing) if months else _columns(pacing)),
        rows=tuple(month_rows(pacing) if months else _rows(pacing)),
        key_label="period" if months else " / ".join(each.label for each in measured.by),
        proof=proof._replace(further=(_plan_proof(pacing),)),
        notes=tuple(_notes(pacing)),
        chart=chart_of(pacing),
    )


def _rows(pacing: Pacing) -> Iterator[Row]:
    keys = []
    if pacing.measured.by:
        for members, going in pacing.goings.items():
            keys.append(pacing.key(members))
            yield Row(keys[-1], pacing.name(members), 0, "line", pacing.cells(going))
        if pacing.gap:
            keys.append(NOT_GIVEN)
            rest = {"budget": pacing.gap, "spent": _ZERO, "expected": pacing.total.expected - pacing.together.expected}
            yield Row(NOT_GIVEN, "Not given to any member", 0, "line", rest)
    yield Row("total", "Total", 0, "total", pacing.cells(pacing.total), adds=tuple((1, key) for key in keys))


def _columns(pacing: Pacing) -> Iterator[Column]:
    places, whole, now = pacing.measured.decimals, pacing.whole, pacing.to_date
    ends = day_words(whole.last)
    period = pacing.as_of.calendar.period_of(now.last)
    share = pacing.plans.share_words(pacing.scenario, period, now.last)
    share = share if share == "whole period" or now.first == period.first else f"P{period.number:02d} at {share}"
    word = pacing.word
    planned = covered(whole, pacing.measured.through, plan=True)
    spent = covered(now, pacing.measured.through)
    ended = Covered(
        None, whole.last, pacing.measured.through is not None and pacing.measured.through >= whole.last, True
    )
    yield Column(
        "budget",
        pacing.scenario,
        "amount",
        places,
        whole.first,
        whole.last,
        None,
        whole.covers,
        whole.extent,
        pacing.scenario,
        covered=planned,
    )
    reached = pacing.measured.through is not None and pacing.measured.through >= now.last
    extent = pacing.measured.extent(now)
    yield Column("spent", word, "amount", places, now.first, now.last, reached, now.covers, extent, covered=spent)
    yield Column("spent-pct", f"% of {pacing.scenario}", "percent", 1, adds=False, covered=spent)
    yield Column(
        "expected", "expected to date", "amount", places, now.first, now.last, None, now.covers, share, pacing.scenario,
        covered=spent._replace(complete=True),
    )  # fmt: skip
    yield Column("projected", "projected end", "amount", places, covers=f"at {ends}", adds=False, covered=ended)
    yield Column("over", "over, −under", "amount", places, covers=f"at {ends}", adds=False, covered=ended)
    yield Column("over-pct", "over, −under %", "percent", 1, adds=False, covered=ended)


def _plan_proof(pacing: Pacing) -> Proof:
    """Return the accounting of all lines of plans in the table."""
    unmet = " or ".join(rule.words for rule in (*pacing.class_rule(), *pacing.measured.conditions)) or "conditions"
    shown = {line.number for line in pacing.all_lines}

    def rule_of(number: int, scenario: str, _: str) -> str:
        if scenario != pacing.scenario:
            return "other plans"
        if number in pacing.plans.unmet:
            return unmet
        return "" if number in shown else "other dates"

    measure, rules = "whole amount of lines shown in whole or part", ("other plans", "other dates", unmet)
    return plan_proof(pacing.book, pacing.plans, pacing.selection, measure, rules, rule_of, pacing.plan_table)


def _checks(made: Pacing) -> Iterator[Check]:
    found = made.sums.within(made.to_date)
    yield Check("members come to what was spent in all", (made.sums.value(found, 0) or _ZERO) == made.total.spent)


def _notes(pacing: Pacing) -> Iterator[Note | str]:
    places = pacing.measured.decimals
    yield from pacing.measured.slips()
    yield from pacing.selection.notes
    yield from reach_notes(pacing.to_date.last, pacing.measured.through)
    yield from pacing.measured.early_notes(pacing.to_date.last)
    yield from pacing.measured.edge_notes(None)
    first, now = pacing.measured.first_day, pacing.to_date
    if first is not None and (now.begins or now.last < first):
        yield f"The data begins on {day_words(first)}: nothing {pacing.word} before is there, and the plan of then is"
    if pacing.gap:
        less = "less" if pacing.gap > 0 else "more"
        words = f"The members' budgets come to {{}}, {{}} {less} than the {{}} of the whole"
        limit = pacing.limit or _ZERO
        yield Note(words, (pacing.together.budget, abs(pacing.gap), limit), places)
    yield from pacing.plans.remarks_of(pacing.scenario)
    none = [pacing.name(members) for members, going in pacing.goings.items() if going.lines and not going.planned]
    if none:
        yield f"No budget, and so no projection: {listed_some(none)}; over by what is spent so far"
    idle = [pacing.name(members) for members, going in pacing.goings.items() if going.planned and not going.lines]
    if idle:
        yield f"A budget and nothing yet: {listed_some(idle)}"
    early = [
        pacing.name(members)
        for members, going in pacing.goings.items()
        if going.planned and going.ends is None and going.lines
    ]
    if early:
        yield f"Nothing of the plan was due by now, so no projection: {listed_some(early)}"
    if pacing.as_of.day < pacing.whole.last:
        word = pacing.word
        yield f"Projected end = {word} ÷ the share of the plan that was due by now; the total's is made of totals"
