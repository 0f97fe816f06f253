"""Closing journals, taken out whole and never one side of them: one closing line makes its whole journal closing."""

from collections.abc import Sequence
from pathlib import Path

from level_almanac.store.engine import Row, WritingEngine
from level_almanac.store.lines import LEDGER_ORDER, PACKED, ROW_GROUP


def closing_journals(engine: WritingEngine, parts: Sequence[str]) -> list[Row]:
    """Return (export) for each whose part holds lines of a closing journal that do not say so, or no longer rightly."""
    engine.run(
        """create or replace temp table closing_journals as
            select distinct entity, journal from read_parquet($parts, union_by_name = true)
            where own_class = 'closing'""",
        {"parts": list(parts)},
    )
    # Each side is asked for on its own, so that only lines that can be of it are looked at.
    return engine.rows(
        """select distinct file from read_parquet($parts, union_by_name = true)
                semi join closing_journals using (entity, journal)
            where own_class in ('ordinary', 'adjusting') and entry_class <> 'closing'
            union
            select distinct file from read_parquet($parts, union_by_name = true)
                anti join closing_journals using (entity, journal)
            where own_class in ('ordinary', 'adjusting') and entry_class = 'closing'""",
        {"parts": list(parts)},
    )


_EFFECTIVE = """case when own_class in ('ordinary', 'adjusting')
    and (entity, journal) in (select (entity, journal) from closing_journals) then 'closing' else own_class end"""


def rewrite_classes(engine: WritingEngine, part: str, target: Path) -> None:
    """Write a part anew with the entry classes that its journals give its lines."""
    engine.run(
        f"""copy (select * replace ({_EFFECTIVE} as entry_class) from read_parquet($part) order by {LEDGER_ORDER})
            to $target (format parquet, {PACKED}, row_group_size {ROW_GROUP})""",
        {"part": part, "target": str(target)},
    )
