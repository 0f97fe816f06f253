"""Closing journals, taken out whole and never one side of them: one closing line makes its whole journal closing."""

from collections.abc import Sequence
from pathlib import Path

from level_almanac.store.engine import Engine, GatheringEngine
from level_almanac.store.lines import LEDGER_ORDER

_CLOSING = "(select entity, journal from read_parquet($closing)) as closing"


def write_closing(engine: GatheringEngine, parts: Sequence[str], target: Path) -> None:
    """Write which journals have a closing line in any of these parts."""
    query = """select distinct entity, journal from read_parquet($parts, union_by_name = true)
        where own_class = 'closing' order by entity, journal"""
    engine.write(query, target, {"parts": list(parts)})


def to_reclassify(engine: Engine, parts: Sequence[str], closing: Path) -> set[str]:
    """Return the exports whose parts hold lines of a closing journal that do not say so, or no longer rightly.

    closing: what `write_closing` wrote.
    """
    # Each side is asked for on its own, so that only lines that can be of it are looked at.
    rows = engine.rows(
        f"""select distinct file from read_parquet($parts, union_by_name = true)
                semi join {_CLOSING} using (entity, journal)
            where own_class in ('ordinary', 'adjusting') and entry_class <> 'closing'
            union
            select distinct file from read_parquet($parts, union_by_name = true)
                anti join {_CLOSING} using (entity, journal)
            where own_class in ('ordinary', 'adjusting') and entry_class = 'closing'""",
        {"parts": list(parts), "closing": str(closing)},
    )
    return {file for (file,) in rows}


_EFFECTIVE = f"""case when own_class in ('ordinary', 'adjusting')
    and (entity, journal) in (select (entity, journal) from {_CLOSING}) then 'closing' else own_class end"""


def rewrite_classes(engine: GatheringEngine, part: str, closing: Path, target: Path) -> None:
    """Write a part anew with the entry classes that its journals give its lines. closing: as `to_reclassify` has it."""
    engine.write(
        f"select * replace ({_EFFECTIVE} as entry_class) from read_parquet($part) order by {LEDGER_ORDER}",
        target,
        {"part": part, "closing": str(closing)},
    )
