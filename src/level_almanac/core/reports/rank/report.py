"""A ranking: the largest or smallest members of a field, all other, and last year beside them (docs/rank.md)."""

from collections.abc import Iterator
from decimal import Decimal
from typing import Any, Literal

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.header import reach_notes
from level_almanac.core.measures.measure import Measure
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.rank.figures import OTHER, Members, Ranking, RankRequest, Standing, folded
from level_almanac.core.spans.compared import compared_notes, rest_words
from level_almanac.core.spans.windows import Window, rest_of_cut, window_of_days
from level_almanac.core.table.chart_data import Bar, Bars, BarsChart
from level_almanac.core.table.model import Cell, Check, Note, ReportTable, Row, heading
from level_almanac.store.line_query import groups


def rank(book: Book, request: RankRequest) -> MadeReport:
    """Return the ranking. Raises UsageMistake for what the table or the report lacks."""
    made = Ranking(book, request)
    return MadeReport(rank_table(made), made)


def rank_table(made: Ranking) -> ReportTable:
    """Return the report."""
    measured = made.measured
    how = "smallest" if made.request.bottom is not None else "largest"
    within = f" within {made.request.within}" if made.request.within else ""
    names = ", ".join(measure.label for measure in made.measures)
    named = bool(measured.names[-1])
    return ReportTable(
        title=f"{measured.own.name.replace('_', ' ').capitalize()}: {names} by {made.by.label}{within}",
        facts={**measured.facts(), "span": made.spans.name, "ranked_by": made.ranking, "members": str(made.most)},
        subtitle=measured.subtitle(f"{made.spans.name}, the {made.most:,} {how}"),
        columns=made.columns,
        rows=tuple(_rows(made)),
        key_label=made.by.label,
        show_keys=named,
        proof=measured.proof(made.rules, tuple(_checks(made)), measured.shown_as(made.rules, _spans(made))),
        notes=(*(measured.selection.notes if measured.selection else ()), *_notes(made)),
        chart=_chart(made),
    )


def _rows(made: Ranking) -> Iterator[Row]:
    keys = []
    for group, (shown, others) in made.parted.items():
        yield from _group_rows(made, group, shown, others)
        keys.append(made.key(group))
    if made.groups_by or not made.parted:
        whole = made.whole
        cells = {key: cell for key, cell in made.cells(whole, whole, Decimal(0)).items() if key != "cumulated-share"}
        yield Row("total", "Total", 0, "total", cells, adds=tuple((1, key) for key in keys))


def _group_rows(made: Ranking, group: Members, shown: list[Standing], others: list[Standing]) -> Iterator[Row]:
    level = 1 if made.groups_by else 0
    whole = folded([*shown, *others])
    prefix = f"{made.key(group)}/" if group else ""
    keys: list[str] = []
    gone = Decimal(0)
    if made.groups_by:
        yield heading(made.key(group), made.name(group))
    for each in shown:
        cells = made.cells(each, whole, gone)
        gone = _decimal(cells.get("cumulated-share"))
        if made.request.show != "all-other":
            keys.append(f"{prefix}{made.key(each.members[-1:], made.by)}")
            yield Row(keys[-1], each.name, level, "line", cells)
    if others and made.request.show != "members":
        keys.append(f"{prefix}{OTHER}")
        yield Row(keys[-1], f"All other ({len(others):,})", level, "line", made.cells(folded(others), whole, gone))
    every = made.request.show == "all" or not others
    adds = tuple((1, key) for key in keys) if every else ()
    cells = {key: cell for key, cell in made.cells(whole, whole, Decimal(0)).items() if key != "cumulated-share"}
    if made.groups_by:
        yield Row(made.key(group), f"Total {made.name(group)}", 0, "subtotal", cells, adds=adds)
    else:
        yield Row("total", _total_words(made, len(shown) + len(others)), 0, "total", cells, adds=adds)


def _total_words(made: Ranking, count: int) -> str:
    return f"Total, {count:,} {'member' if count == 1 else 'members'} of {made.by.label}"


def _checks(made: Ranking) -> Iterator[Check]:
    """Yield that what is shown and all other come to what the lines come to when they are not grouped at all."""
    rows = groups(made.measured.book.engine, made.measured.source(made.rules), (), made.asked)
    sides = made.sides(rows[0][1:]) if rows else (made.whole.now, made.whole.before)
    shown = [each for found, others in made.parted.values() for each in (*found, *others)]
    together = folded(shown) if shown else made.whole
    holds = (together.now, together.before) == sides
    yield Check("members shown and all other come to the total in every column", holds)


def _notes(made: Ranking) -> Iterator[Note | str]:
    yield from reach_notes(made.spans.now.last, made.measured.through)
    yield from compared_notes(made.spans.now, made.spans.before)
    yield from made.measured.blank_notes(made.rules)
    first = made.measured.first_day
    if first is not None and isinstance(made.spans.before, Window) and made.spans.before.first < first:
        yield f"The first line is of {day_words(first)}, within last year's span"
    hidden = sum(len(others) for _, others in made.parted.values())
    if made.request.show == "members" and hidden:
        yield f"{hidden:,} more {'is' if hidden == 1 else 'are'} not shown; totals are of all"
    before, measure = made.spans.before, made.shared
    if isinstance(before, Window) and measure is not None and (rest := rest_of_cut(before)):
        window = window_of_days(*rest, rest[1], "", made.measured.as_of)
        rules = made.measured.rules([window])
        rows = groups(made.measured.book.engine, made.measured.source(rules), (), measure.parts)
        amount = measure.value(rows[0][1:]) if rows else None
        if amount:
            yield Note(rest_words(before), (amount,), made.places(measure))
    if made.ranking != made.columns[0].key:
        label = next(column.label for column in made.columns if column.key == made.ranking)
        yield f"Ranked by {label}"
    gone = [each for _, others in made.parted.values() for each in others if not each.now.lines]
    if gone and measure is not None and measure.kind == "amount":
        amount = made.value(folded(gone).before, measure) or Decimal(0)
        words = f"Among all other, {len(gone):,} had lines last year and have none now: {{}} last year"
        yield Note(words, (amount,), made.measured.decimals)
    if made.measured.own.entries and any(measure.key == "natural" for measure in made.measures):
        yield "Amounts are in their accounts' natural signs: income positive when earned, costs when spent"


def _spans(made: Ranking) -> list[tuple[str, Window]]:
    before = made.spans.before
    return [(made.spans.name, made.spans.now), *([("last year", before)] if isinstance(before, Window) else [])]


def _chart(made: Ranking) -> BarsChart | None:
    measure = made.measures[0]
    panels = tuple(_panel(made, group, *parts, measure) for group, parts in made.parted.items())
    if not panels:
        return None
    now, before = made.spans.now, made.spans.before
    covers = before.covers if isinstance(before, Window) else before.why
    unit: Literal["", "currency"] = "currency" if measure.kind == "amount" else ""
    return BarsChart(
        ", ".join(filter(None, (now.covers, made.measured.part(now)))), covers, unit, measure.percent, panels
    )


def _panel(made: Ranking, group: Members, shown: list[Standing], others: list[Standing], measure: Measure) -> Bars:
    whole = folded([*shown, *others])

    def bar(each: Standing, label: str) -> Bar:
        cells = made.cells(each, whole, Decimal(0))
        change: Any = cells.get(f"{measure.key}-change-pct")
        keys = (measure.key, f"{measure.key}-last-year", f"{measure.key}-change")
        now, last, moved = (None if cells[key] is None else Decimal(str(cells[key])) for key in keys)
        return Bar(label, now, last, moved, change)

    other = bar(folded(others), f"All other ({len(others):,})") if others and made.request.show != "members" else None
    bars = tuple(bar(each, each.name) for each in shown) if made.request.show != "all-other" else ()
    return Bars(made.name(group), bars, other)


def _decimal(cell: Cell) -> Decimal:
    return cell if isinstance(cell, Decimal) else Decimal(0)
