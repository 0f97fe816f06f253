"""Made-up documents as the store has them, without a book: what is asked of them in sets is held against a replay."""

from collections.abc import Mapping, Sequence
from typing import Any

from level_almanac.core.settlements.item import Item
from level_almanac.core.settlements.voids_and_refunds import undone_settlements
from level_almanac.store.documents.lines import ITEM, DocumentLines
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from level_almanac.store.expressions import Expression, FieldReference
from level_almanac.store.line_query import LineSource

_KINDS = {
    "dated": "date", "due": "date", "posted": "date", "applied": "date", "day": "date", "amount": "decimal(18, 2)",
    "file_line": "bigint", "carried": "integer", "void_part": "integer",
}  # fmt: skip
VALUES: dict[str, Expression] = {name: FieldReference(name) for name in ITEM if name != "failed_rule"}


def lines_of(engine: DuckDBEngine, table: str, names: Sequence[str], rows: Sequence[Mapping[str, Any]]) -> LineSource:
    """Return rows as lines of an export that the store is asked of; they stand there in their order."""
    told = ", ".join(f"{name} {_KINDS.get(name, 'varchar')}" for name in (*names, "file", "file_line"))
    kept = [{name: row[name] for name in names} | {"file": "f", "file_line": at} for at, row in enumerate(rows)]
    engine.run(
        f"create table {table} as select one.* from (select unnest($rows::struct({told})[]) as one)", {"rows": kept}
    )
    places: dict[str, Expression] = {name: FieldReference(name) for name in names}
    return LineSource((), {}, places, relation=lambda _bind: f"{table} as line")


def documents_of(engine: DuckDBEngine, items: Sequence[Item], entities: Sequence[str]) -> DocumentLines:
    """Return documents, each at the place `f:N`, by its number."""
    undone = undone_settlements(items)
    of = {at: items[each.lines[0]].kind for at, each in undone.items() if items[at].kind == "void"}
    rows = [
        {**item._asdict(), "place": f"f:{at}", "exported_party": item.party, "void_of": of.get(at)}
        for at, item in enumerate(items)
    ]
    return DocumentLines(engine, lines_of(engine, "docs", list(VALUES), rows), VALUES, (), entities, marked=False)
