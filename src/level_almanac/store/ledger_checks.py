"""What a load looks at in the ledger parts it has written, before they are put in force."""

from collections.abc import Sequence
from datetime import date
from typing import Any

from level_almanac.store.engine import Engine, Row
from level_almanac.store.rollups import Journals

ALL = 2**31 - 1
"""A limit that lets all rows through: the greatest that every engine takes."""


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


def unbalanced_journals(engine: Engine, journals: Journals, limit: int) -> list[Row]:
    """Return (entity, journal, its first line, debit − credit, count in all) of such journals; a line as `file` and
    `file_line`.

    A journal that balances within each of its exports balances.
    """
    return engine.rows(
        f"""with off as (
                select entity, journal, sum(amount) as amount from {journals.sql}
                where amount <> 0 group by entity, journal having sum(amount) <> 0)
            select each.entity, each.journal, min({{'file': each.file, 'file_line': each.file_line}}) as place,
                off.amount, count(*) over ()
            from {journals.sql} as each join off on off.entity = each.entity and off.journal = each.journal
            group by each.entity, each.journal, off.amount order by place limit {limit}""",
        {"parts": list(journals.parts)},
    )


def journals_counted(engine: Engine, journals: Journals) -> tuple[int, int]:
    """Return how many journals there are, and how many lines they have."""
    ((count, lines),) = engine.rows(
        f"""select count(*), coalesce(sum(lines), 0)::bigint
            from (select entity, journal, sum(lines) as lines from {journals.sql} group by entity, journal)""",
        {"parts": list(journals.parts)},
    )
    return int(count), int(lines)


def newest_posting(engine: Engine, parts: Sequence[str], today: date) -> date | None:
    """Return the newest posting date that is not after today, if there is one."""
    ((newest,),) = engine.rows(
        "select max(posted) from read_parquet($parts, union_by_name = true) where posted <= $today",
        {"parts": list(parts), "today": today},
    )
    return newest if isinstance(newest, date) else None


_OUTSIDE = "posted <> counted and entry_class <> 'carried'"


def lines_outside(engine: Engine, parts: Sequence[str], days: Sequence[str] | None) -> list[Row]:
    """Return (entity, journal, line, posting date, position, account, amount, memo, file, line of the file) of each
    line that is not carried and counts on another day than it is dated.

    days: the sums of the days of these parts, or None where there are not all of them.
    """
    values: dict[str, Any] = {"parts": list(parts)}
    among = ""
    if days is not None:
        places = engine.rows(
            f"select distinct fiscal, account from read_parquet($days, union_by_name = true) where {_OUTSIDE}",
            {"days": list(days)},
        )
        if not places:
            return []
        among = " and fiscal in (select unnest($fiscals)) and account in (select unnest($accounts))"
        values |= {
            "fiscals": sorted({place[0] for place in places}),
            "accounts": sorted({place[1] for place in places}),
        }
    return engine.rows(
        f"""select entity, journal, line, posted, fiscal, account, amount, memo, file, file_line
            from read_parquet($parts, union_by_name = true)
            where {_OUTSIDE}{among} order by file, file_line, line""",
        values,
    )


def period_sums(engine: Engine, rollup: str) -> list[Row]:
    """Return (entity, position, lines, debit, credit) of each entity and position. rollup: the merged one."""
    return engine.rows(
        """select entity, fiscal, sum(lines)::bigint, sum(debit)::decimal(38, 3), sum(credit)::decimal(38, 3)
            from read_parquet($rollup) where entry_class <> 'carried'
            group by entity, fiscal order by entity, fiscal""",
        {"rollup": rollup},
    )


def carried_years(engine: Engine, rollup: str) -> list[Row]:
    """Return each (entity, position) that carried lines open. rollup: the merged one."""
    return engine.rows(
        """select distinct entity, fiscal from read_parquet($rollup)
            where entry_class = 'carried' order by entity, fiscal""",
        {"rollup": rollup},
    )
