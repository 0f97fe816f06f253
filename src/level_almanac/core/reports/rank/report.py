"""A ranking: the largest or smallest members of a field, all other, and last year beside them (docs/rank.md)."""

from collections.abc import Iterator, Sequence
from decimal import Decimal
from typing import Any, Literal

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.columns.sums import Members, MemberSums
from level_almanac.core.header import reach_notes
from level_almanac.core.lines.edges import AskedDays
from level_almanac.core.measures.measure import Measure
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.rank.figures import OTHER, Parted, Ranking, RankRequest
from level_almanac.core.spans.compared import compared_notes, holiday_notes, rest_words
from level_almanac.core.spans.windows import Window, rest_of_cut, window_of_days
from level_almanac.core.table.change import OFFSET
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
    named, rows = bool(measured.names[-1]), tuple(_rows(ranking))
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
        rows=rows,
        key_label=ranking.by.label,
        show_keys=named,
        proof=measured.proof(ranking.rules, tuple(_checks(ranking)), measured.shown_as(ranking.rules, _spans(ranking))),
        notes=(*measured.slips(), *(measured.selection.notes if measured.selection else ()), *_notes(ranking, rows)),
        chart=_chart(ranking),
    )


def _rows(ranking: Ranking) -> Iterator[Row]:
    keys = []
    for group, parted in ranking.parted.items():
        yield from _group_rows(ranking, group, parted)
        keys.append(ranking.key(group))
    if ranking.groups_by or not ranking.parted:
        whole = ranking.whole
        cells = _total_cells(ranking, whole, offset=ranking.offset(ranking.standings, whole))
        yield Row("total", "Total", 0, "total", cells, adds=tuple((1, key) for key in keys))


def _group_rows(ranking: Ranking, group: Members, parted: Parted) -> Iterator[Row]:
    shown, others, blank = parted
    level = 1 if ranking.groups_by else 0
    whole = ranking.sums.together([*shown, *others, *blank])
    offset = ranking.offset([*shown, *others, *blank], whole)
    prefix = f"{ranking.key(group)}/" if group else ""
    keys: list[str] = []
    gone = Decimal(0)
    if ranking.groups_by:
        yield heading(ranking.key(group), ranking.name(group))
    for each in shown:
        cells = ranking.cells(each, whole, gone, offset=offset)
        gone = _decimal(cells.get("cumulated-share"))
        if ranking.request.show != "all-other":
            keys.append(f"{prefix}{ranking.key(each.members[-1:], ranking.by)}")
            yield Row(keys[-1], ranking.member_name(each), level, "line", cells)
    if others and ranking.request.show != "members":
        keys.append(f"{prefix}{OTHER}")
        cells = ranking.cells(ranking.sums.together(others), whole, gone, offset=offset)
        gone = _decimal(cells.get("cumulated-share"))
        yield Row(keys[-1], f"All other ({len(others):,})", level, "line", cells)
    for each in blank if ranking.request.show == "all" else ():
        keys.append(f"{prefix}{ranking.key(each.members[-1:], ranking.by)}")
        yield Row(keys[-1], ranking.member_name(each), level, "line", ranking.cells(each, whole, gone, offset=offset))
    every = ranking.request.show == "all" or not (others or blank)
    adds = tuple((1, key) for key in keys) if every else ()
    cells = _total_cells(ranking, whole, offset=offset)
    if ranking.groups_by:
        yield Row(ranking.key(group), f"Total {ranking.name(group)}", 0, "subtotal", cells, adds=adds)
    else:
        yield Row("total", _total_words(ranking, len(shown) + len(others)), 0, "total", cells, adds=adds)


def _total_cells(ranking: Ranking, whole: MemberSums, *, offset: bool) -> dict[str, Cell]:
    cells = ranking.cells(whole, whole, Decimal(0), offset=offset)
    return {key: cell for key, cell in cells.items() if key != "cumulated-share"}


def _total_words(made: Ranking, count: int) -> str:
    return f"Total, {count:,} {'member' if count == 1 else 'members'} of {made.by.label}"


def _checks(ranking: Ranking) -> Iterator[Check]:
    """Yield that what is shown and all other come to what the lines come to when they are not grouped at all."""
    standings = [each for parted in ranking.parted.values() for part in parted for each in part]
    holds = ranking.sums.together(standings) == ranking.sums.whole(ranking.rules)
    yield Check("members shown and all other come to the total in every column", holds)


def _notes(ranking: Ranking, rows: Sequence[Row]) -> Iterator[Note | str]:
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
    hidden = sum(len(parted.others) + len(parted.blank) for parted in ranking.parted.values())
    if ranking.request.show == "members" and hidden:
        yield f"{hidden:,} more {'is' if hidden == 1 else 'are'} not shown; totals are of all"
    before, measure = ranking.spans.before, ranking.shared
    if isinstance(before, Window) and measure is not None and (rest := rest_of_cut(before)):
        window = window_of_days(*rest, rest[1], "", ranking.measured.as_of)
        rules = ranking.measured.rules([window])
        found = groups(ranking.measured.book.engine, ranking.measured.source(rules), (), measure.parts)
        amount = measure.value(found[0][1:]) if found else None
        if amount:
            yield Note(rest_words(before), (amount,), ranking.places(measure))
    if ranking.by_size:
        yield "None is above zero, so size decides: the largest are those furthest below it"
    if ranking.ranking != ranking.columns[0].key:
        label = next(column.label for column in ranking.columns if column.key == ranking.ranking)
        yield f"Ranked by {label}"
    gone = [
        each
        for parted in ranking.parted.values()
        for each in parted.others
        if not ranking.sums.lines(each, ranking.measures[0].key)
    ]
    if gone and measure is not None and measure.kind == "amount":
        amount = ranking.sums.value(ranking.sums.together(gone), f"{measure.key}-last-year") or Decimal(0)
        words = f"Among all other, {len(gone):,} had lines last year and have none now: {{}} last year"
        yield Note(words, (amount,), ranking.measured.decimals)
    if ranking.shared is not None and any(row.cells.get("share") == "n/m" for row in rows):
        yield OFFSET.format(ranking.shared.label)
    sums = ranking.sums
    results = [
        (column.label, sums.result(ranking.whole, column.key))
        for column in ranking.columns
        if column.key in sums.places
    ]
    yield from ranking.measured.natural_notes(results)


def _spans(made: Ranking) -> list[tuple[str, Window]]:
    before = made.spans.before
    return [(made.spans.name, made.spans.now), *([("last year", before)] if isinstance(before, Window) else [])]


def _chart(ranking: Ranking) -> BarsChart | None:
    measure = ranking.measures[0]
    panels = tuple(_panel(ranking, group, parted, measure) for group, parted in ranking.parted.items())
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


def _panel(ranking: Ranking, group: Members, parted: Parted, measure: Measure) -> Bars:
    shown, others, blank = parted
    whole = ranking.sums.together([*shown, *others, *blank])
    prefix = f"{ranking.key(group)}/" if group else ""

    def bar(each: MemberSums, label: str, row: str) -> Bar:
        cells = ranking.cells(each, whole, Decimal(0))
        change: Any = cells.get(f"{measure.key}-change-pct")
        keys = (measure.key, f"{measure.key}-last-year", f"{measure.key}-change")
        now, last, moved = (None if cells[key] is None else Decimal(str(cells[key])) for key in keys)
        return Bar(label, now, last, moved, change, Place(row, keys[0], keys[1]))

    def of_member(each: MemberSums) -> Bar:
        return bar(each, ranking.member_name(each), f"{prefix}{ranking.key(each.members[-1:], ranking.by)}")

    apart: list[Bar] = []
    if others and ranking.request.show != "members":
        apart.append(bar(ranking.sums.together(others), f"All other ({len(others):,})", f"{prefix}{OTHER}"))
    if ranking.request.show == "all":
        apart += map(of_member, blank)
    drawn = shown if ranking.request.show != "all-other" else []
    return Bars(ranking.name(group), tuple(map(of_member, drawn)), tuple(apart))


def _decimal(cell: Cell) -> Decimal:
    return cell if isinstance(cell, Decimal) else Decimal(0)
