"""The lines behind a figure of pace, of the table or of the plan."""

from collections.abc import Sequence
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.measures.plans import PlanLine
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.measured_trace import Meant, column_or, measured_lines, not_a_sum
from level_almanac.core.reports.pace.figures import Pacing
from level_almanac.core.table.model import Check, Column, CountedAmount, Part, Proof, ReportTable, Row
from level_almanac.core.table.pointing import find_row, head_words
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake


def pace_trace(book: Book, report: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the lines behind one figure of pace, of the table or of the plan.

    Raises UsageMistake where none or several are meant.
    """
    table, row_name, column_name = report.table, asked.row, asked.column
    made: Pacing = report.of
    if made.request.by_period:
        raise UsageMistake(
            Mistake("periods are traced by their own report", "--by-period", next_step="say --period ID")
        )
    row, column = find_row(table, row_name), column_or(table, column_name, "spent")
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
        raise not_a_sum(column)
    within = tuple(zip(made.measured.by, members, strict=True)) if members is not None else ()
    classes = tuple(rule for rule in made.rules if rule.words in ("no costs", "not income"))
    meant = Meant(row, column, made.to_date, within, 0, row.cells[column.key])
    return measured_lines(book, made.measured, table, meant, classes)


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
            considered=CountedAmount(lines, total),
            shown=CountedAmount(len(numbers), total),
            left_out=(Part("not behind it", CountedAmount(lines - len(numbers), Decimal(0))),),
            checks=(
                Check("the parts sum to the figure" if holds else "the parts sum to the figure: they do not", holds),
            ),
            decimals=made.measured.decimals,
            table=made.plan_table,
        ),
    )
