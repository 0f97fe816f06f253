"""The lines behind a figure of growth, a ranking or pace (docs/trace.md)."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.lines.rule import Rule
from level_almanac.core.lines.selected import ShownField
from level_almanac.core.measures.measure import Measure
from level_almanac.core.measures.plans import PlanLine
from level_almanac.core.measures.table_measures import Measured
from level_almanac.core.reports.growth.figures import Growing, GrowthRequest
from level_almanac.core.reports.growth.report import growth_table
from level_almanac.core.reports.growth.stages import Stage
from level_almanac.core.reports.list.report import Listing, ListRequest
from level_almanac.core.reports.pace.figures import PaceRequest, Pacing
from level_almanac.core.reports.pace.report import pace_table
from level_almanac.core.reports.rank.figures import Ranking, RankRequest
from level_almanac.core.reports.rank.report import rank_table
from level_almanac.core.spans.windows import Missing, Window
from level_almanac.core.table.model import Cell, Check, Column, Counted, Part, Proof, ReportTable, Row
from level_almanac.core.table.pointing import find_column, find_row, head_words
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.store.expressions import Column as Place
from level_almanac.store.expressions import Expression


class Meant(NamedTuple):
    """A figure that is traced. within: the group whose lines it is of; number: of its measure."""

    row: Row
    column: Column
    window: Window
    within: tuple[tuple[ShownField, Any], ...]
    number: int
    cell: Cell


def rank_behind(book: Book, request: RankRequest, row_name: str, column_name: str, today: date) -> ReportTable:
    """Return the lines behind one figure of a ranking. Raises UsageMistake where none or several are meant."""
    made = Ranking(book, request, today)
    table = rank_table(made)
    row, column = find_row(table, row_name), _column(table, column_name, made.columns[0].key)
    number = next(
        (at for at, each in enumerate(made.measures) if column.key in (each.key, f"{each.key}-last-year")), None
    )
    if number is None:
        raise _not_a_sum(column)
    before = column.key.endswith("-last-year")
    window = made.spans.before if before else made.spans.now
    if isinstance(window, Missing):
        raise UsageMistake(Mistake(f"the column has no figures: {window.why}", "--column", repr(column_name)))
    members, others = made.behind.get(row.key, ((), None))
    within = list(zip(made.measured.by, members, strict=False))
    if others is not None:
        within.append((made.by, others))
    return _lines(book, made.measured, table, Meant(row, column, window, tuple(within), number, row.cells[column.key]))


def growth_behind(book: Book, request: GrowthRequest, row_name: str, column_name: str, today: date) -> ReportTable:
    """Return the lines behind one figure of growth. Raises UsageMistake as `rank_behind` does."""
    made = Growing(book, request, today)
    table = growth_table(made)
    row, column = find_row(table, row_name), _column(table, column_name, "now")
    if column.key not in ("now", "before", "last-year"):
        raise _not_a_sum(column)
    for member, shown in made.blocks:
        prefix = made.prefix(member, shown)
        stage = next((stage for stage in made.stages if prefix + stage.key == row.key), None)
        if stage is None:
            continue
        measured = made.measured
        if shown.kind == "of_per" and made.per is not None:
            measured = made.per.measured
        elif shown.kind == "per":
            step = f"trace {made.shown[0].label} and {made.per_name} by themselves"
            raise UsageMistake(Mistake("this figure is made of two others", "--row", repr(row.key), next_step=step))
        window = _window(stage, column)
        within = tuple(zip(measured.by, member, strict=True)) if member is not None else ()
        return _lines(
            book, measured, table, Meant(row, column, window, within, shown.number, row.cells.get(column.key))
        )
    raise AssertionError(row.key)


def _window(stage: Stage, column: Column) -> Window:
    window = {"now": stage.now, "before": stage.before, "last-year": stage.last_year}[column.key]
    if isinstance(window, Missing):
        raise UsageMistake(Mistake(f"the figure is blank: {window.why}", "--column", repr(column.key)))
    return window


def pace_behind(book: Book, request: PaceRequest, row_name: str, column_name: str, today: date) -> ReportTable:
    """Return the lines behind one figure of pace, of the table or of the plan. Raises as `rank_behind` does."""
    made = Pacing(book, request, today)
    table = pace_table(made)
    if request.months:
        raise UsageMistake(Mistake("periods are traced by their own report", "--months", next_step="say --period ID"))
    row, column = find_row(table, row_name), _column(table, column_name, "spent")
    members = next((each for each in made.members if made.key(each) == row.key and row.key != "total"), None)
    if members is None and row.key != "total":
        raise UsageMistake(Mistake("nothing lies behind what no member has", "--row", repr(row.key)))
    if column.key in ("budget", "expected"):
        if row.key == "total" and made.gap:
            raise UsageMistake(
                Mistake("the whole's limit was told, and is no sum of lines", "--column", repr(column.key))
            )
        lines = made.members[members] if members is not None else made.all_lines
        window = made.whole if column.key == "budget" else made.to_date
        return _plan_lines(
            made, table, row, column, [(line, made.plans.within(line, window.stretches)) for line in lines]
        )
    if column.key != "spent":
        raise _not_a_sum(column)
    within = tuple(zip(made.measured.by, members, strict=True)) if members is not None else ()
    classes = tuple(rule for rule in made.rules if rule.words in ("no costs", "not income"))
    meant = Meant(row, column, made.to_date, within, 0, row.cells[column.key])
    return _lines(book, made.measured, table, meant, classes)


def _column(table: ReportTable, name: str, usual: str) -> Column:
    return find_column(table, name) if name else next(each for each in table.columns if each.key == usual)


def _not_a_sum(column: Column) -> UsageMistake:
    step = "trace the figures that it is made of"
    return UsageMistake(Mistake("this column is no sum of lines", "--column", repr(column.key), next_step=step))


def _lines(book: Book, measured: Measured, table: ReportTable, meant: Meant, more: Sequence[Rule] = ()) -> ReportTable:
    """Return the lines that a figure is of, with what each adds to it, and whether they sum to it."""
    asked = measured.request
    measure = measured.measures[meant.number]
    sums = tuple(_sums(measure))
    request = ListRequest(
        table=measured.own.name,
        compute=asked.compute,
        conditions=asked.conditions,
        when=asked.when,
        entities=asked.entities,
    )
    days = Rule("other dates", measured.test([meant.window]))
    before = [rule for rule in measured.before_days() if rule.words not in ("other entities", "another currency")]
    found, _ = Listing(
        book, request, measured.today, meant.within, sums, measured.labels.asked, (*before, days, *more)
    ).made()
    total = found.rows[-1]
    values = [total.cells.get(column.key) for column in sums]
    told = measure.value([*values] if measure.parts and sums else [_count(found)])
    cell = Decimal(str(meant.cell)) if isinstance(meant.cell, Decimal | int) else None
    off = (told or Decimal(0)) != (cell or Decimal(0))
    words = "the lines come to the figure" if measure.kind == "ratio" else "the lines sum to the figure"
    check = Check(f"{words}: not to {cell}, but to {told}" if off else words, not off)
    proof = found.proof._replace(checks=(*found.proof.checks, check)) if found.proof else None
    head = f"{table.title} · {meant.row.label} · {head_words(meant.column)}"
    return found._replace(title=f"Behind {meant.row.label}", subtitle=(head, *found.subtitle), proof=proof)


def _sums(measure: Measure) -> list[ShownField]:
    """Return the columns of what a line adds to each part of a measure."""
    if measure.kind == "count":
        return []
    if measure.kind != "ratio":
        return [measure.field._replace(aggregate="sum")]
    found = []
    for number, part in enumerate(measure.parts, 1):
        name = _name_of(part.value) or f"part {number}"
        aggregate: Any = "count" if part.summing == "count" else "sum"
        found.append(ShownField(f"part-{number}", name, "amount", part.value, aggregate))
    return found


def _name_of(value: Expression) -> str:
    return value.column if isinstance(value, Place) else ""


def _count(table: ReportTable) -> int:
    return table.proof.shown.lines if table.proof else 0


def _plan_lines(
    made: Pacing, table: ReportTable, row: Row, column: Column, parts: Sequence[tuple[PlanLine, Decimal | None]]
) -> ReportTable:
    """Return the lines of a plan behind a figure, each with the part of it that the figure holds."""
    rows = []
    for line, amount in parts:
        if amount is None:
            continue
        place = made.plans.places[line.number]
        period = f"{line.fiscal // 100}-P{line.fiscal % 100:02d}"
        members = ", ".join("" if each is None else each for each in line.members)
        rows.append(Row(f"{place}/{period}", place, 0, "line", {"members": members, "period": period, "part": amount}))
    total = sum((amount for _, amount in parts if amount is not None), Decimal(0))
    holds = total == row.cells[column.key]
    rows.append(Row("total", "Total", 0, "total", {"part": total}, adds=tuple((1, each.key) for each in rows)))
    lines = sum(loaded.lines for loaded in made.book.state.files_of(made.plan_table))
    numbers = {line.number for line, amount in parts if amount is not None}
    return ReportTable(
        title=f"Behind {row.label}",
        facts={**table.facts, "traced": row.key, "report": table.title},
        subtitle=(f"{table.title} · {row.label} · {head_words(column)} of the plan {made.scenario}", *table.subtitle),
        columns=(
            Column("members", " / ".join(made.fields) or "of", "text"),
            Column("period", "period", "text"),
            column._replace(key="part"),
        ),
        rows=tuple(rows),
        key_label="line of the export",
        proof=Proof(
            measure="part of the plan in the figure",
            considered=Counted(lines, total),
            shown=Counted(len(numbers), total),
            left_out=(Part("not behind it", Counted(lines - len(numbers), Decimal(0))),),
            checks=(
                Check("the parts sum to the figure" if holds else "the parts sum to the figure: they do not", holds),
            ),
            decimals=made.measured.decimals,
            table=made.plan_table,
        ),
    )
