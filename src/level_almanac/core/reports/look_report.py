"""What a load would change, export by export, as a report."""

from collections.abc import Iterator, Mapping, Sequence

from level_almanac.core.book import Book
from level_almanac.core.header import data_words
from level_almanac.core.reports.load_report import sides_of
from level_almanac.core.table.model import Cell, Column, ReportTable, Row
from level_almanac.errors import how_many
from level_almanac.files.currencies import decimals_of
from level_almanac.store.state import LoadedFile

Key = tuple[str, str]


def look_report(
    book: Book,
    before: Mapping[Key, LoadedFile],
    after: Mapping[Key, LoadedFile],
    outcomes: Mapping[Key, str],
    gone: Sequence[str],
) -> ReportTable:
    """Return one row for each export that a load would take anew, change or miss, with its lines now and then.

    before, after: the exports as they are loaded and as they would be, by table and path; gone: those not there now.
    """
    rows = [
        Row(f"{path}/{table}", path, 0, "line", _cells(book, outcomes[table, path], before.get((table, path)), entry))
        for (table, path), entry in sorted(after.items())
        if outcomes[table, path] != "unchanged"
    ]
    rows += [
        Row(f"{path}/{table}", path, 0, "line", _cells(book, "gone", entry, None))
        for (table, path), entry in sorted(before.items())
        if path in gone
    ]
    totals: dict[str, Cell] = {
        key: sum(each for row in rows if isinstance(each := row.cells.get(key), int)) for key in ("now", "then")
    }
    same = sum(outcome == "unchanged" for outcome in outcomes.values())
    rows.append(Row("total", "Total of these", 0, "total", totals))
    decimals = max(decimals_of(entity.currency) for entity in book.settings.entities.values())
    counts = [
        f"{count:,} {how}" for how in ("new", "changed") if (count := sum(each == how for each in outcomes.values()))
    ]
    counts += [f"{len(gone):,} gone"] if gone else []
    words = ", ".join(counts) or "nothing"
    loaded = (data_words(book, ""),) if before else ("nothing is loaded yet",)
    return ReportTable(
        title="What a load would change",
        facts={"book": book.settings.book.name, "unchanged": str(same), "gone": str(len(gone))},
        subtitle=(book.settings.book.name, f"{words}; {how_many(same, 'export')} as loaded", *loaded),
        columns=(
            Column("table", "table", "text"),
            Column("outcome", "outcome", "text"),
            Column("now", "lines now", "count"),
            Column("then", "lines then", "count"),
            Column("debit", "debit, change", "amount", decimals),
            Column("credit", "credit, change", "amount", decimals),
        ),
        rows=tuple(rows),
        key_label="export",
        notes=tuple(_notes(gone)),
    )


def _notes(gone: Sequence[str]) -> Iterator[str]:
    yield "Nothing was changed: the book is as it was loaded"
    if gone:
        yield "What is gone is refused by a load, unless it is told to let go of it with --drop-missing"


def _cells(book: Book, outcome: str, before: LoadedFile | None, after: LoadedFile | None) -> dict[str, Cell]:
    entry = after or before
    assert entry is not None  # noqa: S101  one of the two is there
    lines = {"now": before.lines if before else 0, "then": after.lines if after else 0}
    cells: dict[str, Cell] = {"table": entry.table, "outcome": outcome, **lines}
    if entry.table == "ledger":
        now, then = (sides_of(book, [each]) if each else None for each in (before, after))
        for side in (0, 1):
            if now != () and then != ():
                cells[("debit", "credit")[side]] = (then[side] if then else 0) - (now[side] if now else 0)
    return cells
