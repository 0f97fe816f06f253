"""What lies behind the figures of a trial balance."""

from collections.abc import Sequence
from datetime import date

from level_almanac.core.book import Book
from level_almanac.core.header import as_of_for
from level_almanac.core.lines.asked import ledger_conditions
from level_almanac.core.reports.trial.range import trial_measures, trial_range
from level_almanac.core.reports.trial.report import TrialRequest, trial
from level_almanac.core.table.model import ReportTable, Row
from level_almanac.core.table.pointing import find_row
from level_almanac.core.trace.model import BehindRow, Figure, Side, Term, Traced
from level_almanac.store.ledger_sums import Measures


def trial_behind(
    book: Book, request: TrialRequest, today: date, names: Sequence[str], *, leaves: bool = False
) -> Traced:
    """Return the trial balance, and what lies behind the rows that the names mean, or all rows where there are none.

    leaves: only rows that are accounts of their own. Raises UsageMistake for a name that means no row, and as `trial`
    does.
    """
    table = trial(book, request, today)
    selection = book.select(request.entities)
    shown = trial_range(book, selection.calendar, request.when, (request.first, request.last), today)
    measures = trial_measures(shown, request.after_closing)
    wanted = [find_row(table, name) for name in names] or [
        row for row in table.rows if row.cells and (not leaves or row.kind == "line")
    ]
    as_of = as_of_for(book, selection.calendar, request.when, today)
    rules = ledger_conditions(book, request.conditions, as_of, today).rules
    rows = [_behind(book, table, row, request.level, measures) for row in wanted]
    return Traced(
        table,
        rows,
        tuple(selection.entities),
        selection.comparable,
        selection.decimals,
        tuple(rule.predicate for rule in rules),
    )


def _behind(book: Book, table: ReportTable, row: Row, level: int | None, measures: Measures) -> BehindRow:
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
    sides: dict[str, Side] = {"debit": "debit", "credit": "credit"}
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
    return BehindRow(
        row, tuple(Figure(column, row.cells.get(column.key), terms[column.key]) for column in table.columns)
    )
