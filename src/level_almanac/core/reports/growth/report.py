"""Growth: measures by year, quarter, period, week or day, with what they were before (docs/growth.md)."""

from collections.abc import Iterator
from typing import Any

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.header import listed_some, reach_notes
from level_almanac.core.language.days import Unit
from level_almanac.core.lines.edges import AskedDays
from level_almanac.core.measures.day_sums import Members
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.growth import side_by_side
from level_almanac.core.reports.growth.figures import Growing, GrowthRequest, Shown
from level_almanac.core.reports.growth.stages import Stage
from level_almanac.core.spans.compared import holiday_notes, lacking_day_notes
from level_almanac.core.spans.windows import Missing, Window, covered
from level_almanac.core.table.chart_data import Growth, GrowthChart, Place, Step
from level_almanac.core.table.model import Column, Derived, Note, Proof, ReportTable, Row, heading
from level_almanac.core.table.style import month_words

_DRAWN = 6


def growth(book: Book, request: GrowthRequest) -> MadeReport:
    """Return the report. Raises UsageMistake for what the table or the report lacks."""
    made = Growing(book, request)
    return MadeReport(growth_table(made), made)


def growth_table(growing: Growing) -> ReportTable:
    """Return the report."""
    measured = growing.measured
    names = ", ".join([measured.named, *(shown.label for shown in growing.shown if shown.kind)])
    by = f" by {measured.by[0].label}" if measured.by else ""
    facts = {**measured.facts(), "each": ", ".join(growing.request.each)}
    more, beside = list[str](), growing.request.side_by_side
    if growing.days:
        facts |= {"from": growing.days[0].isoformat(), "through": growing.days[1].isoformat()}
        more.append(range_words(*growing.days))
    if growing.words:
        facts[growing.option.removeprefix("--")] = growing.words
    return ReportTable(
        title=f"{measured.own.name.replace('_', ' ').capitalize()}: growth of {names}{by}",
        facts=facts,
        subtitle=measured.subtitle(*more),
        columns=tuple(side_by_side.columns(growing) if beside else _columns(growing)),
        rows=tuple(side_by_side.rows(growing) if beside else _rows(growing)),
        key_label="span",
        proof=_proof(growing),
        notes=tuple(dict.fromkeys(_notes(growing))),
        chart=_chart(growing),
    )


def _rows(made: Growing) -> Iterator[Row]:
    for member, shown in made.blocks:
        prefix = made.prefix(member, shown)
        if len(made.blocks) > 1:
            yield Row(f"{prefix}block", made.block_name(member, shown), 0, "group")
        yield from _block_rows(made, prefix, member, shown)


def _block_rows(growing: Growing, prefix: str, member: Members | None, shown: Shown) -> Iterator[Row]:
    unit: str = ""
    for stage in growing.stages:
        name = "To date" if stage.to_date else f"By {stage.unit}"
        if name != unit:
            unit = name
            yield heading(f"{prefix}{name.lower().replace(' ', '-')}", name)
        cells = growing.cells(stage, member, shown)
        yield Row(
            prefix + stage.key, stage.label, 1, "line", cells, growing.is_percent(shown),
            decimals=growing.decimals_of(shown), covered=covered(stage.now, growing.measured.through),
        )  # fmt: skip


def _columns(growing: Growing) -> Iterator[Column]:
    places = growing.measured.decimals
    label = growing.shown[0].label if len(growing.shown) == 1 else "figure"
    yield Column("days", "days", "text")
    yield Column("now", label, "amount", places)
    # A year has no other span before it than last year's.
    units = {stage.unit for stage in growing.stages}
    names = [("last-year", "last year")]
    if units != {"year"}:
        names.insert(0, ("before", "prior"))
    for key, name in names:
        yield Column(key, name, "amount", places)
        yield Column(f"{key}-change", "change", "amount", places, derived=Derived("now", key))
        yield Column(f"{key}-change-pct", "change %", "percent", 1, derived=Derived("now", key, percent=True))


def _reaches_back(stage: Stage) -> bool:
    """Tell whether the data begins within or after any of a row's spans."""
    spans = (stage.now, stage.before, stage.last_year)
    return any(span.early if isinstance(span, Missing) else span.begins is not None for span in spans)


def _notes(growing: Growing) -> Iterator[Note | str]:
    measured, first = growing.measured, growing.measured.first_day
    yield from measured.slips()
    if measured.selection:
        yield from measured.selection.notes
    last = max(stage.now.last for stage in growing.stages)
    yield from reach_notes(last, measured.through)
    yield from measured.early_notes(last)
    yield from measured.edge_notes(AskedDays(*growing.days) if growing.days else None)
    early = min((stage.now.first for stage in growing.stages), default=None)
    if growing.days and early is not None and early < growing.days[0]:
        yield f"Units are whole where they begin: the first is from {day_words(early)} on"
    parts = [stage for stage in growing.stages if stage.now.last != stage.now.whole_last and stage.now.unit != "day"]
    if parts and growing.as_of.compare == "same-days":
        yield "Unfinished spans are compared with the same days of the prior one and of last year"
    if growing.as_of.compare == "weekday":
        last_stage = growing.stages[-1]
        if isinstance(last_stage.last_year, Window):
            beside = f"{last_stage.now.covers} beside {last_stage.last_year.covers}"
            yield f"Last year's days are moved to the same weekdays: {beside}"
    yield from holiday_notes(((stage.now, stage.last_year) for stage in growing.stages), growing.as_of)
    if first is not None and any(map(_reaches_back, growing.stages)):
        yield f"The data begins on {day_words(first)}: nothing is compared with what reaches back before it"
    if growing.no_quarters:
        yield "The year's periods cannot be shared out among quarters, so there are none"
    yield from _span_notes(growing)
    yield from measured.blank_notes(growing.rules)
    yield from _per_notes(growing)
    yield from _apart_notes(growing)
    yield from measured.natural_notes()
    if any(measure.has_sides for measure in measured.measures):
        yield '`--of "- amount"` gives credits less debits'


def _span_notes(made: Growing) -> Iterator[str]:
    """Yield which spans have nothing to compare with, and which days the other year lacks."""
    lacking: dict[str, list[str]] = {}
    for stage in made.stages:
        if isinstance(stage.last_year, Missing):
            lacking.setdefault(stage.last_year.why, []).append(stage.label)
        elif stage.to_date or stage.unit in ("month", "day") or stage.now.last != stage.now.whole_last:
            yield from lacking_day_notes(stage.now, stage.last_year)
    for why, labels in lacking.items():
        yield f"{listed_some(labels)}: {why}, so nothing to compare with"


def _per_notes(growing: Growing) -> Iterator[str]:
    """Yield what the first measure is divided by, and which conditions do not narrow that."""
    if growing.per is not None:
        mine, other = growing.request.of.conditions, growing.per.measured.request.conditions
        left = [text for text in (*mine.only, *mine.besides) if text not in (*other.only, *other.besides)]
        yield f"{growing.per_name}: {growing.words.partition('=')[2].strip()}"
        if left:
            words = " · ".join(left)
            yield f"{growing.per_name} is not narrowed by {words}: {growing.per.measured.own.name} has no such field"


def _apart_notes(growing: Growing) -> Iterator[Note | str]:
    """Yield on which day two sources part first, and on how many days they differ, member by member too."""
    if not growing.request.less or growing.per is None:
        return
    one, other = growing.measured.measures[0].label, growing.per_name
    decimals = growing.decimals_of(growing.shown[0])
    places = growing.measured.decimals if decimals is None else decimals
    members = [member for member in dict.fromkeys(member for member, _ in growing.blocks) if member is not None]
    for member in [None, *members[:_DRAWN]]:
        apart, days = growing.apart(member)
        of = f" of {growing.measured.called(0, member[0])}" if member is not None else ""
        if not apart:
            yield f"{one} and {other}{of} are the same on each of {days:,} days"
            continue
        first = apart[0]
        words = f"{one} and {other}{of} part first on {day_words(first.day)}: {{}} and {{}}, by {{}}"
        more = f"; they differ on {len(apart):,} of {days:,} days"
        yield Note(f"{words}{more}", (first.here, first.there, first.here - first.there), places)
    if len(members) > _DRAWN:
        yield f"Of {len(members) - _DRAWN:,} more it is not told when they part: say with --only which are meant"


def _proof(made: Growing) -> Proof:
    """Return the accounting of all lines, the other table's too."""
    proof = made.measured.proof(made.rules)
    if made.per is None:
        return proof
    return proof._replace(further=(made.per.measured.proof(made.per_rules),))


def _chart(growing: Growing) -> GrowthChart | None:
    unit = next(stage.unit for stage in reversed(growing.stages))
    blocks = [block for block in growing.blocks if block[0] is not None or not growing.measured.by]
    if growing.measured.by:
        blocks = [(None, growing.shown[0]), *[block for block in blocks if block[1] is growing.shown[0]]]
    panels = [_panel(growing, member, shown, unit) for member, shown in blocks[:_DRAWN]]
    if not any(panel.steps for panel in panels):
        return None
    units = dict.fromkeys(f"by {stage.unit}" for stage in growing.stages if not stage.to_date and stage.unit != unit)
    others = [growing.block_name(*block) for block in growing.blocks if block not in blocks[:_DRAWN]]
    before = {"same-days": "same days", "whole": "whole spans", "weekday": "same weekdays"}[growing.as_of.compare]
    return GrowthChart(tuple(panels), (*units, *others), before)


def _panel(growing: Growing, member: Members | None, shown: Shown, unit: Unit) -> Growth:
    beside = growing.request.side_by_side
    blocks = side_by_side.blocks_of(growing) if beside else ()
    block = next((f"{key}:" for key, *own in blocks if own == [member, shown]), "")

    def place(stage: Stage) -> Place:
        row = stage.key if beside else f"{growing.prefix(member, shown)}{stage.key}"
        return Place(row, f"{block}now", f"{block}last-year")

    def step(stage: Stage) -> Step:
        cells: Any = growing.cells(stage, member, shown)
        part = growing.measured.part(stage.now).replace("data to", "to")
        change, rate = cells.get("last-year-change"), cells.get("last-year-change-pct")
        months = month_words(stage.now.first, stage.now.last) if stage.unit == "period" and not stage.to_date else ""
        return Step(stage.label, cells["now"], cells.get("last-year"), change, rate, part, months, place(stage))

    kind = "ratio" if shown.kind == "per" else growing.measured.measures[shown.number].kind
    return Growth(
        growing.block_name(member, shown),
        "currency" if kind == "amount" else "",
        growing.is_percent(shown),
        tuple(step(stage) for stage in growing.stages if stage.to_date),
        unit,
        tuple(step(stage) for stage in growing.stages if stage.unit == unit and not stage.to_date),
        kind == "ratio" and not growing.is_percent(shown),
    )
