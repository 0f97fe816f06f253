"""Roll-ups: sums by entity, account, fiscal position and entry class that whole periods are read from.

Each ledger file has a wide one, with the source and the further fields that the book declares. All of them together
make the state's wide roll-up and its thin one, which is without those. Of its days each file has sums too, for reports
that cut through a period.
"""

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from level_almanac.files.tables import Table
from level_almanac.store.engine import Engine, GatheringEngine, Row, WritingEngine

_COLUMNS = "entity, account, fiscal, entry_class"
_DAYS = "counted, posted"
_FEWER = 4
"""How many lines there are to a row of the wide sums of days at the least; otherwise thin ones are kept."""


def wide_fields(ledger: Table) -> tuple[str, ...]:
    """Return the fields that the wide roll-up is by, beside those of the thin one."""
    return ("source", *ledger.further)


def write_days(engine: WritingEngine, part: str, fields: Sequence[str], target: Path) -> None:
    """Write the sums of the days of one ledger part, by these fields too."""
    # A sum over counts would be a HUGEINT, which Parquet holds as a binary float.
    by = f"{_by(fields)}, {_DAYS}"
    _copy(
        engine,
        f"select {by}, count(*)::bigint as lines, sum(debit) as debit, sum(credit) as credit"
        f" from read_parquet($parts) group by {by}",
        by,
        [part],
        target,
    )


def write_journals(engine: WritingEngine, part: str, target: Path) -> None:
    """Write what each journal of one ledger part comes to: where it begins, how many lines it has, and its amount,
    which is nothing where it balances.
    """
    engine.write(f"select * from ({_JOURNALS.format(parts='$part')}) order by entity, journal", target, {"part": part})


_JOURNALS = """select entity, journal, file, min(file_line) as file_line, count(*)::bigint as lines,
        sum(amount) as amount
    from read_parquet({parts}, union_by_name = true) group by entity, journal, file"""


class Journals(NamedTuple):
    """The journals of a ledger. parts: those of its journals, or of its lines where they are not written, as a store of
    an earlier version has no others.
    """

    parts: Sequence[str]
    written: bool = True

    @property
    def sql(self) -> str:
        """The SQL of a row for each journal of each export; its parts are to be bound as `parts`."""
        return "read_parquet($parts)" if self.written else f"({_JOURNALS.format(parts='$parts')})"


def thinner_days(engine: WritingEngine, days: str, lines: int, fields: Sequence[str], target: Path) -> bool:
    """Write the sums of days without these fields, and tell so, where with them they are hardly fewer than lines."""
    ((rows,),) = engine.rows("select count(*) from read_parquet($days)", {"days": days})
    if not fields or rows * _FEWER <= lines:
        return False
    _merge(engine, [days], f"{_COLUMNS}, {_DAYS}", target)
    return True


def part_summary(engine: Engine, days: str) -> list[Row]:
    """Return per entity (its code, lines, debit, credit, first and last posting date, lowest and highest position).

    days: the sums of the days of a ledger part.
    """
    return engine.rows(
        """select entity, sum(lines)::bigint, sum(debit), sum(credit), min(posted), max(posted), min(fiscal),
                max(fiscal) from read_parquet($days) group by entity order by entity""",
        {"days": days},
    )


def merge_rollups(engine: GatheringEngine, rollups: Sequence[str], fields: Sequence[str], target: Path) -> None:
    """Write one roll-up by these fields that says what all of these, or sums of days, say together."""
    _merge(engine, rollups, _by(fields), target)


def _merge(engine: GatheringEngine, rollups: Sequence[str], by: str, target: Path) -> None:
    _copy(
        engine,
        f"select {by}, sum(lines)::bigint as lines, sum(debit) as debit, sum(credit) as credit"
        f" from read_parquet($parts, union_by_name = true) group by {by}",
        by,
        rollups,
        target,
    )


def _by(fields: Sequence[str]) -> str:
    return ", ".join([_COLUMNS, *(f'"{field}"' for field in fields)])


def _copy(engine: GatheringEngine, query: str, by: str, parts: Sequence[str], target: Path) -> None:
    engine.write(f"select * from ({query}) order by fiscal, {by}", target, {"parts": list(parts)})


def bases(engine: Engine, rollup: str) -> dict[str, int]:
    """Return per entity the position that the carried lines of its first year open, or 0 where it has none."""
    rows = engine.rows(
        """select entity, min(fiscal // 100) as first_year,
                min(fiscal // 100) filter (where entry_class = 'carried') as first_carried
            from read_parquet($rollup) group by entity order by entity""",
        {"rollup": rollup},
    )
    return {entity: year * 100 + 1 if carried == year else 0 for entity, year, carried in rows}


def accounts_used(engine: Engine, rollup: str) -> list[str]:
    """Return every account that has lines."""
    return [
        account for (account,) in engine.rows("select distinct account from read_parquet($rollup)", {"rollup": rollup})
    ]


def coverage(engine: Engine, rollup: str) -> list[Row]:
    """Return (entity, fiscal position, whether carried, lines, debit) for each period that has lines."""
    return engine.rows(
        """select entity, fiscal, entry_class = 'carried' as carried, sum(lines)::bigint, sum(debit)
            from read_parquet($rollup) group by entity, fiscal, carried order by entity, fiscal, carried""",
        {"rollup": rollup},
    )
