"""What lies behind the figures of a trial balance."""

from collections.abc import Sequence

from level_almanac.core.book import Book
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.trial.report import MadeTrial
from level_almanac.core.table.model import ReportTable, Row
from level_almanac.core.table.pointing import find_row
from level_almanac.core.trace.all_rows import traced_lines
from level_almanac.core.trace.figure import trace
from level_almanac.core.trace.model import LedgerSide, Term, Traced, TracedCell, TracedRow
from level_almanac.core.trace.request import TraceRequest
from level_almanac.store.ledger_sums import Measures


def trial_trace(book: Book, made: MadeReport, asked: TraceRequest) -> ReportTable:
    """Return the lines behind a figure of a trial balance; raises as `trace` does."""
    return trace(book, traced_trial(book, made, (asked.row,)), asked)


def trial_lines(book: Book, made: MadeReport) -> tuple[ReportTable, ...]:
    """Return the lines behind all figures of a trial balance."""
    return traced_lines(book, traced_trial(book, made, (), leaves=True))


def traced_trial(book: Book, report: MadeReport, names: Sequence[str], *, leaves: bool = False) -> Traced:
    """Return the trial balance, and what lies behind the rows that the names mean, or all rows where there are none.

    leaves: only rows that are accounts of their own. Raises UsageMistake for a name that means no row.
    """
    table: ReportTable = report.table
    made_trial: MadeTrial = report.of
    selection = made_trial.selection
    wanted = [find_row(table, name) for name in names] or [
        row for row in table.rows if row.cells and (not leaves or row.kind == "line")
    ]
    return Traced(
        table,
        [_behind(book, table, row, made_trial.request.level, made_trial.measures) for row in wanted],
        tuple(selection.entities),
        selection.comparable,
        selection.decimals,
        tuple(rule.predicate for rule in made_trial.conditions.rules),
    )


def _behind(book: Book, table: ReportTable, row: Row, level: int | None, measures: Measures) -> TracedRow:
    chart = book.chart
    income = tuple(code for code, account in chart.accounts.items() if account.is_income)
    if row.key == "total":
        accounts, with_earlier = tuple(chart.accounts), True
    elif row.key in ("result", "earlier-results"):
        accounts, with_earlier = income, row.key == "earlier-results"
    else:
        accounts = tuple(code for code in chart.accounts if chart.at_level(code, level).code == row.key)
        with_earlier = False
    balance = tuple(code for code in accounts if not chart[code].is_income)
    opening = []
    if row.key != "earlier-results":
        opening.append(Term(1, accounts, measures["before"]))
    carried = accounts if with_earlier else balance
    if carried:
        opening.append(Term(1, carried, measures["earlier"]))
    sides: dict[str, LedgerSide] = {"debit": "debit", "credit": "credit"}
    within = (
        {}
        if row.key == "earlier-results"
        else {name: Term(1, accounts, measures["within"], side) for name, side in sides.items()}
    )
    terms = {
        "opening": tuple(opening),
        **{name: (within[name],) if within else () for name in sides},
        "closing": (*opening, *([Term(1, accounts, measures["within"])] if within else [])),
    }
    return TracedRow(
        row, tuple(TracedCell(column, row.cells.get(column.key), terms[column.key]) for column in table.columns)
    )
