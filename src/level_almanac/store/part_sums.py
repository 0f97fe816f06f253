"""What a part comes to, as the manifest keeps it of each, and whether parts are still what was written."""

import hashlib
from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path

from level_almanac.files.tables import Table
from level_almanac.store.engine import Engine
from level_almanac.store.ledger_checks import entity_sums
from level_almanac.store.plain_checks import plain_sums
from level_almanac.store.plan_lines import plan_summary
from level_almanac.store.state import READ, LoadedFile, State, Store

Sums = dict[str, tuple[int, Decimal, Decimal]]


def part_sums(engine: Engine, part: str, table: Table) -> Sums:
    """Return what a part of a table holds by entity, as `LoadedFile.sums` keeps it: lines, debit and credit in the
    ledger, lines, amount and nothing in others; under an empty name where the table has no entities.
    """
    if table.plan_of:
        return {entity: (lines, amount, Decimal(0)) for entity, lines, amount in plan_summary(engine, part)}
    if table.name == "ledger":
        return {entity: (lines, debit, credit) for entity, lines, debit, credit in entity_sums(engine, part)}
    return plain_sums(engine, part, table.measure, by_entity=table.field("entity") is not None)


def parts_in(state: State) -> list[str]:
    """Return the names of all parts that reports of a state read."""
    found = [part for loaded in state.files for part in (getattr(loaded, name) for name in READ)]
    return sorted({part for part in (*found, state.rollup, state.wide, *state.marked.values()) if part})


def damaged_parts(store: Store, parts: Sequence[str]) -> list[str]:
    """Return which parts are not there or are not what their name says."""
    return [part for part in parts if not (store.parts / part).is_file() or not is_whole(store.parts / part, part)]


def is_whole(path: Path, part: str) -> bool:
    """Tell whether a file is what the name of a part says, which ends in the hash of its bytes."""
    with path.open("rb") as stream:
        digest = hashlib.file_digest(stream, "sha256").hexdigest()
    return digest.startswith(part.removesuffix(".parquet").rpartition("-")[2])


def unlike_noted(engine: Engine, store: Store, loaded: LoadedFile, table: Table) -> bool:
    """Tell whether an export's part holds other lines or sums than its load noted."""
    sums = part_sums(engine, store.path_of(loaded.part), table)
    return sums != loaded.sums or sum(lines for lines, *_ in sums.values()) != loaded.lines
