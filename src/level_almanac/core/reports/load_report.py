"""What a load did, file by file, as a report."""

from collections.abc import Mapping, Sequence
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.table.model import Cell, Column, ReportTable, Row
from level_almanac.files.currencies import decimals_of
from level_almanac.store.ledger_sums import Sums
from level_almanac.store.state import LoadedFile, State

COLUMNS = (
    Column("table", "table", "text"),
    Column("outcome", "outcome", "text"),
    Column("lines", "lines taken", "count"),
    Column("duplicates", "duplicates", "count"),
    Column("passed", "passed over", "count"),
    Column("superseded", "superseded", "count"),
    Column("set_aside", "set aside", "count"),
    Column("debit", "debit", "amount", 2),
    Column("credit", "credit", "amount", 2),
    Column("first", "first posted", "date"),
    Column("last", "last posted", "date"),
)
_WHERE_ANY = ("passed", "superseded", "set_aside")
"""Columns that stand only where an export has any."""


def load_report(
    book: Book, state: State, outcomes: Mapping[tuple[str, str], str], dropped: Sequence[str]
) -> ReportTable:
    """Return one row a file: what became of it, its lines and duplicates, debit, credit, and dates covered.

    Debits and credits stand only where all of them are in one currency.
    """
    rows = [
        Row(_key(state, loaded), loaded.path, 0, "line", _cells(book, loaded, outcomes[loaded.table, loaded.path]))
        for loaded in state.files
    ]
    rows += [Row(path, path, 0, "line", {"outcome": "let go"}) for path in dropped]
    ledger = state.files_of("ledger")
    total: dict[str, Cell] = {
        "lines": sum(loaded.lines for loaded in state.files),
        "duplicates": sum(loaded.duplicates for loaded in state.files),
        **{name: sum(getattr(loaded, name) for loaded in state.files) or None for name in _WHERE_ANY},
        **_sides(book, ledger),
        "first": min((loaded.first for loaded in ledger if loaded.first), default=None),
        "last": max((loaded.last for loaded in ledger if loaded.last), default=None),
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
    decimals = max(decimals_of(entity.currency) for entity in book.settings.entities.values())
    return ReportTable(
        title="Exports loaded",
        facts=facts,
        subtitle=(book.settings.book.name, subtitle),
        columns=tuple(
            column._replace(decimals=decimals) if column.kind == "amount" else column
            for column in COLUMNS
            if column.key not in _WHERE_ANY or any(getattr(loaded, column.key) for loaded in state.files)
        ),
        rows=tuple(rows),
        key_label="export",
    )


def _key(state: State, loaded: LoadedFile) -> str:
    shared = sum(each.path == loaded.path for each in state.files) > 1
    return f"{loaded.path}/{loaded.table}" if shared else loaded.path


def _cells(book: Book, loaded: LoadedFile, outcome: str) -> dict[str, Cell]:
    cells: dict[str, Cell] = {"table": loaded.table, "outcome": outcome, "lines": loaded.lines}
    cells["duplicates"] = loaded.duplicates or None
    cells |= {name: getattr(loaded, name) or None for name in _WHERE_ANY}
    cells |= {"first": loaded.first, "last": loaded.last}
    if loaded.table == "ledger":
        cells |= _sides(book, [loaded])
    return cells


def _sides(book: Book, files: Sequence[LoadedFile]) -> dict[str, Cell]:
    return dict(zip(("debit", "credit"), sides_of(book, files), strict=False))


def sides_of(book: Book, files: Sequence[LoadedFile]) -> tuple[Decimal, ...]:
    """Return the debits and credits of exports of the ledger; nothing where they are in several currencies."""
    sums = [(entity, Sums(*each)) for loaded in files for entity, each in loaded.sums.items()]
    if len({book.settings.entities[entity].currency for entity, _ in sums}) > 1:
        return ()
    total = sum((each for _, each in sums), Sums())
    return total.debit, total.credit
