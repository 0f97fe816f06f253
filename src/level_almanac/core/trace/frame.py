"""The one table that every trace is shown as: which figure it is of, its lines, and whether they sum to it."""

from collections.abc import Iterable, Iterator, Sequence
from decimal import Decimal

from level_almanac.core.table.exact import off_words
from level_almanac.core.table.model import Cell, Check, Column, CountedAmount, Note, Part, Proof, ReportTable, Row
from level_almanac.core.table.pointing import head_words
from level_almanac.core.trace.model import PlanPart

_ZERO = Decimal(0)
SUMMED = "summed"
"""The fact of a trace that names its column which sums to the figure, where it has others too."""


def behind(report: ReportTable, row: Row, heads: str, trace: ReportTable) -> ReportTable:
    """Return a trace under the head that all have. report: whose figure it is of; heads: its columns, in words."""
    head = f"{report.title} · {row.label} · {heads}" if heads else f"{report.title} · {row.label}"
    return trace._replace(title=f"Behind {row.label}", subtitle=(head, *trace.subtitle))


def framed(
    report: ReportTable,
    row: Row,
    heads: str,
    columns: Sequence[Column],
    rows: Sequence[Row],
    key_label: str,
    proof: Proof,
    notes: Iterable[Note | str] = (),
) -> ReportTable:
    """Return the trace of a row's figure, with the facts of the report that it stands in."""
    facts = {**report.facts, "traced": row.key, "report": report.title}
    trace = ReportTable(
        "", facts, report.subtitle, tuple(columns), tuple(rows), key_label, proof=proof, notes=tuple(notes)
    )
    return behind(report, row, heads, trace)


def sum_check(words: str, total: Decimal, cell: Cell) -> Check:
    """Return whether what a trace shows sums to the figure, in words that tell by how much it does not."""
    figure = Decimal(cell) if isinstance(cell, Decimal | int) else _ZERO
    return Check(words if total == figure else f"{words}: off by {off_words(total - figure)}", total == figure)


def total_row(key: str, total: Decimal, of: Iterable[str]) -> Row:
    """Return the row that sums up a trace. key: of the column; of: the keys of the rows that it sums."""
    return Row("total", "Total", 0, "total", {key: total}, adds=tuple((1, each) for each in of))


def others_of(considered: CountedAmount, shown: CountedAmount, words: str = "not behind it") -> tuple[Part, ...]:
    """Return what is considered and not shown, as a part of a proof, if there is any."""
    left = CountedAmount(considered.lines - shown.lines, considered.amount - shown.amount)
    return (Part(words, left),) if left.lines else ()


def plan_trace(
    report: ReportTable,
    row: Row,
    column: Column,
    of: Column,
    parts: Sequence[PlanPart],
    plan: tuple[str, int],
    decimals: int,
) -> ReportTable:
    """Return the lines of a plan behind a figure, each with the part of it that the figure holds.

    of: the column of what the lines are of; plan: the table that they stand in, and how many lines that has.
    """
    table, lines = plan
    rows = [
        Row(
            name, part.place, 0, "line",
            {of.key: part.of, "period": part.period, "part": part.amount},
        )
        for name, part in zip(_names(parts), parts, strict=True)
    ]  # fmt: skip
    total = sum((part.amount for part in parts), _ZERO)
    counted = CountedAmount(len({part.line for part in parts}), total)
    return framed(
        report,
        row,
        f"{head_words(column)} of the plan {column.scenario}",
        (of, Column("period", "period", "text"), column._replace(key="part")),
        [*rows, total_row("part", total, [each.key for each in rows])],
        "line of the export",
        Proof(
            measure="part of the plan in the figure",
            considered=CountedAmount(lines, total),
            shown=counted,
            left_out=(Part("not behind it", CountedAmount(lines - counted.lines, _ZERO)),),
            checks=(sum_check("the parts sum to the figure", total, row.cells.get(column.key)),),
            decimals=decimals,
            table=table,
        ),
    )


def _names(parts: Sequence[PlanPart]) -> Iterator[str]:
    """Yield what tells each part from all others: its row of the export and period; of several lines of a row which."""
    of_row: dict[str, list[int]] = {}
    for line, place in sorted({(part.line, part.place) for part in parts}):
        of_row.setdefault(place, []).append(line)
    for part in parts:
        lines = of_row[part.place]
        which = f"/{lines.index(part.line) + 1}" if len(lines) > 1 else ""
        yield f"{part.place}{which}/{part.period}"
