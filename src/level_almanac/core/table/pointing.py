"""Find the row or the column of a report that a person means."""

from itertools import takewhile

from level_almanac.core.table.model import Column, ReportTable, Row
from level_almanac.errors import Mistake, UsageMistake, listed, nearest

NO_SUCH_ROW = "the report has no such row"


def find_row(table: ReportTable, name: str) -> Row:
    """Return the row that a person means by its key, or by its label or how that begins.

    Raises UsageMistake where none or several are meant.
    """
    rows = [row for row in table.rows if row.cells]
    exact = [row for row in rows if row.key == name]
    folded = name.casefold().strip()
    matching = exact or [row for row in rows if row.label.casefold() == folded]
    matching = matching or _below_heading(table, folded)
    matching = matching or [row for row in rows if row.label.casefold().startswith(folded) and folded]
    if len(matching) == 1:
        return matching[0]
    if matching:
        step = f"name it by its key: {listed(row.key for row in matching[:8])}"
        raise UsageMistake(Mistake(f"{len(matching)} rows are called this", "--row", repr(name), next_step=step))
    known = [*(row.key for row in rows), *(row.label for row in rows)]
    allowed = "a row's label, or its key as -o FILE.csv tells it"
    raise UsageMistake(Mistake(NO_SUCH_ROW, "--row", repr(name), allowed, nearest(name, known)))


def _below_heading(table: ReportTable, folded: str) -> list[Row]:
    """Return the total of the headings with this label, or where one has none the rows beneath it."""
    totals = {row.key: row for row in table.rows if row.cells}
    rows_below: list[Row] = []
    for at, row in enumerate(table.rows):
        if row.kind != "heading" or row.label.casefold() != folded:
            continue
        total = totals.get(row.group)
        within = takewhile(lambda below: below.level > row.level, table.rows[at + 1 :])  # noqa: B023  used at once
        rows_below += [total] if total else [below for below in within if below.cells]
    return rows_below


def find_column(table: ReportTable, name: str) -> Column:
    """Return the column that a person means by its key, its label, or its number from the left, counted from 1.

    Raises UsageMistake where none or several are meant.
    """
    columns = table.columns
    if name.isdigit() and 1 <= int(name) <= len(columns) and name not in {column.key for column in columns}:
        return columns[int(name) - 1]
    exact = [column for column in columns if column.key.casefold() == name.casefold().strip()]
    matching = exact or [column for column in columns if column.label.casefold() == name.casefold().strip()]
    if len(matching) == 1:
        return matching[0]
    numbered = [f"{number} ({head_words(column)})" for number, column in enumerate(columns, 1)]
    if matching:
        step = "name it by its number: " + listed(
            words for words, column in zip(numbered, columns, strict=True) if column in matching
        )
        raise UsageMistake(Mistake(f"{len(matching)} columns are called this", "--column", repr(name), next_step=step))
    hint = nearest(name, [*(column.key for column in columns), *(column.label for column in columns)])
    what = "the report has no such column"
    raise UsageMistake(Mistake(what, "--column", repr(name), listed(numbered), hint))


def head_words(column: Column) -> str:
    """Return a column's head on one line."""
    over = f"{column.group}:" if column.group else ""
    return " ".join(part for part in (over, column.label, column.covers) if part)
