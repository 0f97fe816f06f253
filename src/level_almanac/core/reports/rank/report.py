"""A ranking: the largest or smallest members of a field, all other, and last year beside them (docs/rank.md)."""

from collections.abc import Iterator
from decimal import Decimal
from typing import Any, Literal

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.columns.sums import Members, MemberSums
from level_almanac.core.header import reach_notes
from level_almanac.core.lines.edges import AskedDays
from level_almanac.core.measures.measure import Measure
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.rank.figures import OTHER, Ranking, RankRequest
from level_almanac.core.spans.compared import compared_notes, holiday_notes, rest_words
from level_almanac.core.spans.windows import Window, rest_of_cut, window_of_days
from level_almanac.core.table.chart_data import Bar, Bars, BarsChart, Place
from level_almanac.core.table.model import Cell, Check, Note, ReportTable, Row, heading
from level_almanac.store.line_query import groups


def rank(book: Book, request: RankRequest) -> MadeReport:
    """Return the ranking. Raises UsageMistake for what the table or the report lacks."""
    made = Ranking(book, request)
    return MadeReport(rank_table(made), made)


def rank_table(ranking: Ranking) -> ReportTable:
    """Return the report."""
    measured = ranking.measured
    how = "smallest" if ranking.request.bottom is not None else "largest"
    within = f" within {ranking.request.within}" if ranking.request.within else ""
    named = bool(measured.names[-1])
    return ReportTable(
        title=f"{measured.own.name.replace('_', ' ').capitalize()}: {measured.named} by {ranking.by.label}{within}",
        facts={
            **measured.facts(),
            "span": ranking.spans.name,
            "ranked_by": ranking.ranking,
            "members": str(ranking.most),
        },
        subtitle=measured.subtitle(f"{ranking.spans.name}, the {ranking.most:,} {how}"),
        columns=ranking.columns,
        rows=tuple(_rows(ranking)),
        key_label=ranking.by.label,
        show_keys=named,
        proof=measured.proof(ranking.rules, tuple(_checks(ranking)), measured.shown_as(ranking.rules, _spans(ranking))),
        notes=(*measured.slips(), *(measured.selection.notes if measured.selection else ()), *_notes(ranking)),
        chart=_chart(ranking),
    )


def _rows(ranking: Ranking) -> Iterator[Row]:
    keys = []
    for group, (shown, others) in ranking.parted.items():
        yield from _group_rows(ranking, group, shown, others)
        keys.append(ranking.key(group))
    if ranking.groups_by or not ranking.parted:
        whole = ranking.whole
        cells = {key: cell for key, cell in ranking.cells(whole, whole, Decimal(0)).items() if key != "cumulated-share"}
        yield Row("total", "Total", 0, "total", cells, adds=tuple((1, key) for key in keys))


def _group_rows(ranking: Ranking, group: Members, shown: list[MemberSums], others: list[MemberSums]) -> Iterator[Row]:
    level = 1 if ranking.groups_by else 0
    whole = ranking.sums.together([*shown, *others])
    prefix = f"{ranking.key(group)}/" if group else ""
    keys: list[str] = []
    gone = Decimal(0)
    if ranking.groups_by:
        yield heading(ranking.key(group), ranking.name(group))
    for each in shown:
        cells = ranking.cells(each, whole, gone)
        gone = _decimal(cells.get("cumulated-share"))
        if ranking.request.show != "all-other":
            keys.append(f"{prefix}{ranking.key(each.members[-1:], ranking.by)}")
            yield Row(keys[-1], ranking.member_name(each), level, "line", cells)
    if others and ranking.request.show != "members":
        keys.append(f"{prefix}{OTHER}")
        yield Row(
            keys[-1],
            f"All other ({len(others):,})",
            level,
            "line",
            ranking.cells(ranking.sums.together(others), whole, gone),
        )
    every = ranking.request.show == "all" or not others
    adds = tuple((1, key) for key in keys) if every else ()
    cells = {key: cell for key, cell in ranking.cells(whole, whole, Decimal(0)).items() if key != "cumulated-share"}
    if ranking.groups_by:
        yield Row(ranking.key(group), f"Total {ranking.name(group)}", 0, "subtotal", cells, adds=adds)
    else:
        yield Row("total", _total_words(ranking, len(shown) + len(others)), 0, "total", cells, adds=adds)


def _total_words(made: Ranking, count: int) -> str:
    return f"Total, {count:,} {'member' if count == 1 else 'members'} of {made.by.label}"


def _checks(ranking: Ranking) -> Iterator[Check]:
    """Yield that what is shown and all other come to what the lines come to when they are not grouped at all."""
    standings = [each for found, others in ranking.parted.values() for each in (*found, *others)]
    holds = ranking.sums.together(standings) == ranking.sums.whole(ranking.rules)
    yield Check("members shown and all other come to the total in every column", holds)


def _notes(ranking: Ranking) -> Iterator[Note | str]:
    yield from reach_notes(ranking.spans.now.last, ranking.measured.through)
    yield from ranking.measured.early_notes(ranking.spans.now.last)
    asked = ranking.request.first is not None
    days = AskedDays(ranking.spans.now.first, ranking.spans.now.last) if asked else None
    yield from ranking.measured.edge_notes(days)
    yield from compared_notes(ranking.spans.now, ranking.spans.before)
    yield from holiday_notes([(ranking.spans.now, ranking.spans.before)], ranking.measured.as_of)
    yield from ranking.measured.blank_notes(ranking.rules)
    first, now = ranking.measured.first_day, ranking.spans.now
    if first is not None and (ranking.begins_within or now.last < first):
        yield f"The data begins on {day_words(first)}: nothing is compared with what reaches back before it"
    hidden = sum(len(others) for _, others in ranking.parted.values())
    if ranking.request.show == "members" and hidden:
        yield f"{hidden:,} more {'is' if hidden == 1 else 'are'} not shown; totals are of all"
    before, measure = ranking.spans.before, ranking.shared
    if isinstance(before, Window) and measure is not None and (rest := rest_of_cut(before)):
        window = window_of_days(*rest, rest[1], "", ranking.measured.as_of)
        rules = ranking.measured.rules([window])
        rows = groups(ranking.measured.book.engine, ranking.measured.source(rules), (), measure.parts)
        amount = measure.value(rows[0][1:]) if rows else None
        if amount:
            yield Note(rest_words(before), (amount,), ranking.places(measure))
    if ranking.by_size:
        yield "None is above zero, so size decides: the largest are those furthest below it"
    if ranking.ranking != ranking.columns[0].key:
        label = next(column.label for column in ranking.columns if column.key == ranking.ranking)
        yield f"Ranked by {label}"
    gone = [
        each
        for _, others in ranking.parted.values()
        for each in others
        if not ranking.sums.lines(each, ranking.measures[0].key)
    ]
    if gone and measure is not None and measure.kind == "amount":
        amount = ranking.sums.value(ranking.sums.together(gone), f"{measure.key}-last-year") or Decimal(0)
        words = f"Among all other, {len(gone):,} had lines last year and have none now: {{}} last year"
        yield Note(words, (amount,), ranking.measured.decimals)
    if ranking.measured.own.entries and any(measure.key == "natural" for measure in ranking.measures):
        yield "Amounts are in their accounts' natural signs: income positive when earned, costs when spent"


def _spans(made: Ranking) -> list[tuple[str, Window]]:
    before = made.spans.before
    return [(made.spans.name, made.spans.now), *([("last year", before)] if isinstance(before, Window) else [])]


def _chart(ranking: Ranking) -> BarsChart | None:
    measure = ranking.measures[0]
    panels = tuple(_panel(ranking, group, *parts, measure) for group, parts in ranking.parted.items())
    if not panels:
        return None
    now, before = ranking.spans.now, ranking.spans.before
    covers = before.covers if isinstance(before, Window) else before.why
    unit: Literal["", "currency"] = "currency" if measure.kind == "amount" else ""
    return BarsChart(
        ", ".join(filter(None, (now.covers, ranking.measured.part(now)))),
        covers,
        unit,
        measure.percent,
        panels,
        undrawn=tuple(each.label for each in ranking.measures[1:]),
        ratio=measure.kind == "ratio" and not measure.percent,
    )


def _panel(
    ranking: Ranking, group: Members, shown: list[MemberSums], others: list[MemberSums], measure: Measure
) -> Bars:
    whole = ranking.sums.together([*shown, *others])

    prefix = f"{ranking.key(group)}/" if group else ""

    def bar(each: MemberSums, label: str, row: str) -> Bar:
        cells = ranking.cells(each, whole, Decimal(0))
        change: Any = cells.get(f"{measure.key}-change-pct")
        keys = (measure.key, f"{measure.key}-last-year", f"{measure.key}-change")
        now, last, moved = (None if cells[key] is None else Decimal(str(cells[key])) for key in keys)
        return Bar(label, now, last, moved, change, Place(row, keys[0], keys[1]))

    other = (
        bar(ranking.sums.together(others), f"All other ({len(others):,})", f"{prefix}{OTHER}")
        if others and ranking.request.show != "members"
        else None
    )
    drawn = shown if ranking.request.show != "all-other" else []
    bars = tuple(
        bar(each, ranking.member_name(each), f"{prefix}{ranking.key(each.members[-1:], ranking.by)}") for each in drawn
    )
    return Bars(ranking.name(group), bars, other)


def _decimal(cell: Cell) -> Decimal:
    return cell if isinstance(cell, Decimal) else Decimal(0)
