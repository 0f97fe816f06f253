"""What a load takes in and yet warns of."""

from collections.abc import Sequence
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


def lines_after(through: date | None, files: Sequence[LoadedFile]) -> list[Mistake]:
    """Warn of a day of completeness that was told once and is no longer true, because reports would end there."""
    last = max((loaded.last for loaded in files if loaded.last), default=None)
    if through is None or last is None or last <= through:
        return []
    what = "lines are posted after the day through which the ledger is complete"
    step = f"reports end on {through}; move that day with `almanac load --through DAY`"
    return [Mistake(what, got=str(last), next_step=step)]
