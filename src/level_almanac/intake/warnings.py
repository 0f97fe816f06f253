"""What a load takes in and yet warns of."""

from collections.abc import Mapping, Sequence
from datetime import date

from level_almanac.errors import Mistake
from level_almanac.store import ledger_checks
from level_almanac.store.engine import Engine
from level_almanac.store.state import LoadedFile


def unbalanced_journals(engine: Engine, parts: Sequence[str], limit: int) -> tuple[list[Mistake], int]:
    """Return a warning for each of the first journals that do not balance, and how many there are."""
    if not parts:
        return [], 0
    rows = ledger_checks.unbalanced_journals(engine, parts, limit)
    found = [
        Mistake(f"journal {journal} of {entity} does not balance", f"{place[0]}:{place[1]}", f"{net:+f}", "0")
        for entity, journal, place, net, _ in rows
    ]
    return found, rows[0][-1] if rows else 0


def lines_after(table: str, through: date, files: Sequence[LoadedFile]) -> list[Mistake]:
    """Warn of a day of completeness that was told once and is no longer true, because reports would end there."""
    last = max((loaded.last for loaded in files if loaded.last), default=None)
    if last is None or last <= through:
        return []
    name = "the ledger is" if table == "ledger" else f"{table} are"
    what = f"lines are dated after the day through which {name} complete"
    told = "DAY" if table == "ledger" else f"{table}=DAY"
    step = f"reports end on {through}; move that day with `almanac load --through {told}`"
    return [Mistake(what, got=str(last), next_step=step)]


def ends_early(early: Mapping[str, date], through: Mapping[str, date]) -> list[Mistake]:
    """Warn of what ends clearly before the others: an export is missing, or it goes less far."""
    found = []
    for key, day in early.items():
        table, _, entity = key.partition("/")
        of = f" of {entity}" if entity else ""
        told = f", though data is said to be complete through {through[table]}" if table in through else ""
        what = f"no line{of} in {table} is after {day}{told}"
        step = f"load what is missing, or say how far it goes with `almanac load --through {table}={day}`"
        found.append(Mistake(what, next_step=step))
    return found
