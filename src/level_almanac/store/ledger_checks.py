"""What a load looks at in the ledger parts it has written, before they are put in force."""

import sys
from collections.abc import Sequence
from datetime import date

from level_almanac.store.engine import Engine, Row

ALL = sys.maxsize
"""A limit that lets all rows through."""


def entity_sums(engine: Engine, part: str) -> list[Row]:
    """Return per entity (its code, lines, debit, credit) of the lines of a part."""
    return engine.rows(
        """select entity, count(*), sum(debit), sum(credit)
            from read_parquet($part) group by entity order by entity""",
        {"part": part},
    )


def lines_without_place(engine: Engine, parts: Sequence[str], limit: int) -> list[Row]:
    """Return (file, line, posting date, count in all) of carried lines whose date opens no year."""
    return engine.rows(
        f"""select file, file_line, posted, count(*) over () from read_parquet($parts, union_by_name = true)
            where fiscal is null order by file, file_line limit {limit}""",
        {"parts": list(parts)},
    )


def lines_of_accounts(engine: Engine, parts: Sequence[str], accounts: Sequence[str], limit: int) -> list[Row]:
    """Return (file, line, account, count in all) of the first lines that are on one of these accounts."""
    return engine.rows(
        f"""select file, file_line, account, count(*) over () from read_parquet($parts, union_by_name = true)
            where account in (select unnest($accounts)) order by file, file_line limit {limit}""",
        {"parts": list(parts), "accounts": list(accounts)},
    )


def unbalanced_journals(engine: Engine, parts: Sequence[str], limit: int) -> tuple[list[Row], int, int]:
    """Return (entity, journal, file and line of its first line, debit − credit, count in all) of such journals; how
    many journals there are, and how many lines they have.
    """
    rows = engine.rows(
        """with journals as materialized (
                select entity, journal, sum(amount) as amount, count(*) as lines
                from read_parquet($parts, union_by_name = true) group by entity, journal)
            select entity, journal, amount, 0, 0 from journals where amount <> 0
            union all select null, null, null, count(*), coalesce(sum(lines), 0)::bigint from journals""",
        {"parts": list(parts)},
    )
    ((journals, lines),) = (row[3:] for row in rows if row[0] is None)
    off = {(entity, journal): amount for entity, journal, amount, *_ in rows if entity is not None}
    # Where a journal begins is looked for of the few that do not balance.
    begun = (
        engine.rows(
            f"""select entity, journal, min((file, file_line)) as place, count(*) over ()
            from read_parquet($parts, union_by_name = true)
            where journal in (select unnest($journals)) and (entity, journal) in (
                select (one.entity, one.journal) from (
                    select unnest($off::struct(entity varchar, journal varchar)[]) as one))
            group by entity, journal order by place limit {limit}""",
            {
                "parts": list(parts),
                "journals": sorted({journal for _, journal in off}),
                "off": [{"entity": entity, "journal": journal} for entity, journal in off],
            },
        )
        if off
        else []
    )
    found = [(entity, journal, place, off[entity, journal], count) for entity, journal, place, count in begun]
    return found, int(journals), int(lines)


def newest_posting(engine: Engine, parts: Sequence[str], today: date) -> date | None:
    """Return the newest posting date that is not after today, if there is one."""
    ((newest,),) = engine.rows(
        "select max(posted) from read_parquet($parts, union_by_name = true) where posted <= $today",
        {"parts": list(parts), "today": today},
    )
    return newest if isinstance(newest, date) else None


def lines_outside(engine: Engine, parts: Sequence[str]) -> list[Row]:
    """Return (entity, journal, line, posting date, position, account, amount, memo, file, line of the file) of each
    line that is not carried and counts on another day than it is dated.
    """
    return engine.rows(
        """select entity, journal, line, posted, fiscal, account, amount, memo, file, file_line
            from read_parquet($parts, union_by_name = true)
            where posted <> counted and entry_class <> 'carried' order by file, file_line""",
        {"parts": list(parts)},
    )


def period_sums(engine: Engine, rollup: str) -> list[Row]:
    """Return (entity, position, lines, debit, credit) of each entity and position. rollup: the merged one."""
    return engine.rows(
        """select entity, fiscal, sum(lines)::bigint, sum(debit)::decimal(38, 3), sum(credit)::decimal(38, 3)
            from read_parquet($rollup) where entry_class <> 'carried'
            group by entity, fiscal order by entity, fiscal""",
        {"rollup": rollup},
    )


def carried_years(engine: Engine, parts: Sequence[str]) -> list[Row]:
    """Return each (entity, position) that carried lines open."""
    return engine.rows(
        """select distinct entity, fiscal from read_parquet($parts, union_by_name = true)
            where entry_class = 'carried' order by entity, fiscal""",
        {"parts": list(parts)},
    )
