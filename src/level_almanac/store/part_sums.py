"""What a part comes to, as the manifest keeps it of each, and whether parts are still what was written."""

from decimal import Decimal

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


def unlike_noted(engine: Engine, store: Store, loaded: LoadedFile, table: Table) -> bool:
    """Tell whether an export's part holds other lines or sums than its load noted."""
    sums = part_sums(engine, store.path_of(loaded.part), table)
    return sums != loaded.sums or sum(lines for lines, *_ in sums.values()) != loaded.lines
