"""What a load did, file by file, as a report."""

from collections.abc import Mapping, Sequence
from datetime import date

from level_almanac.core.book import Book
from level_almanac.core.day_words import day_words
from level_almanac.core.report_table import Cell, Column, ReportTable, Row
from level_almanac.store.state import LoadedFile, State

COLUMNS = (
    Column("table", "table", "text"),
    Column("outcome", "outcome", "text"),
    Column("lines", "lines taken", "count"),
    Column("duplicates", "duplicates", "count"),
    Column("debit", "debit", "amount", 2),
    Column("credit", "credit", "amount", 2),
    Column("first", "first posted", "date"),
    Column("last", "last posted", "date"),
)


def load_report(book: Book, state: State, outcomes: Mapping[str, str], dropped: Sequence[str]) -> ReportTable:
    """Return one row a file: what became of it, its lines and duplicates, debit, credit, and dates covered."""
    rows = [Row(loaded.path, loaded.path, 0, "line", _cells(loaded, outcomes[loaded.path])) for loaded in state.files]
    rows += [Row(path, path, 0, "line", {"outcome": "let go"}) for path in dropped]
    ledger = state.files_of("ledger")
    total: dict[str, Cell] = {
        "lines": sum(loaded.lines for loaded in state.files),
        "duplicates": sum(loaded.duplicates for loaded in state.files),
        "debit": sum((loaded.debit for loaded in ledger), ledger[0].debit * 0) if ledger else None,
        "credit": sum((loaded.credit for loaded in ledger), ledger[0].credit * 0) if ledger else None,
        "first": min((day for loaded in ledger for day in _days(loaded)), default=None),
        "last": max((day for loaded in ledger for day in _days(loaded)), default=None),
    }
    rows.append(Row("total", "Total", 0, "total", total))
    loaded_at = state.loaded_at.astimezone(book.zone)
    facts = {"book": book.settings.book.name, "loaded": loaded_at.isoformat(timespec="minutes")}
    through = state.through.get("ledger")
    if through:
        facts["complete_through"] = through.isoformat()
    subtitle = (
        f"ledger complete through {day_words(through)}" if through else "no day told through which it is complete"
    )
    return ReportTable(
        title="Exports loaded",
        facts=facts,
        subtitle=(book.settings.book.name, subtitle),
        columns=COLUMNS,
        rows=tuple(rows),
        key_label="export",
    )


def _cells(loaded: LoadedFile, outcome: str) -> dict[str, Cell]:
    cells: dict[str, Cell] = {"table": loaded.table, "outcome": outcome, "lines": loaded.lines}
    cells["duplicates"] = loaded.duplicates or None
    if loaded.table == "ledger":
        cells |= {"debit": loaded.debit, "credit": loaded.credit, "first": loaded.first, "last": loaded.last}
    return cells


def _days(loaded: LoadedFile) -> list[date]:
    return [day for day in (loaded.first, loaded.last) if day]
