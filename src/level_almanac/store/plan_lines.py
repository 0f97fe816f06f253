"""The lines of the `budget` table: few enough to be read whole, since each is shared out over days on its own."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from level_almanac.store.engine import Engine, Row

if TYPE_CHECKING:
    from level_almanac.store.expressions import Expression
    from level_almanac.store.line_query import LineSource


def plan_lines(
    engine: Engine, source: "LineSource", by: "Sequence[Expression | None]", order: Sequence[str]
) -> list[Row]:
    """Return the lines in an order that no file's order changes: (scenario, entity, account, fiscal position, day or
    None, amount or None, share or None, name of the total that it is a share of or None, file and line of the export,
    how many of the rules it meets before the first that it does not, then the fields of `by`) of each.

    A fiscal position that ends in 00 is a whole year; a plan that is not kept by account has an empty one. by: a None
    stands for a field that plans lack, blank everywhere; order: the names of the table's key fields.
    """
    from level_almanac.store.line_query import Asking

    asking = Asking(source)
    fields = "".join(f", {asking.sql(value)}" if value is not None else ", null" for value in by)
    account = "line.account" if "account" in order else "''"
    key = ", ".join(f'line."{field}"' for field in order)
    parts, met = asking.bind(list(source.parts)), asking.left_by()
    joins = asking.joins([value for value in by if value is not None])
    return engine.rows(
        f"""select line.scenario, line.entity, {account}, line.fiscal, line.counted, line.amount, line.share,
                line.share_of, line.file || ':' || line.file_line, {met}{fields}
            from read_parquet({parts}, union_by_name = true) as line{joins}
            order by {key}, line.file, line.file_line""",
        asking.bind.values,
    )


def scenarios(engine: Engine, parts: Sequence[str]) -> list[str]:
    """Return the names of all scenarios, in order."""
    rows = engine.rows(
        "select distinct scenario from read_parquet($parts, union_by_name = true) order by scenario",
        {"parts": list(parts)},
    )
    return [scenario for (scenario,) in rows]


def plan_summary(engine: Engine, part: str) -> list[Row]:
    """Return per entity (its code, lines, sum of the amounts that are given)."""
    return engine.rows(
        """select entity, count(*), coalesce(sum(amount), 0) from read_parquet($part)
            group by entity order by entity""",
        {"part": part},
    )


def accounts_planned(engine: Engine, parts: Sequence[str]) -> list[str]:
    """Return every account that has a plan."""
    rows = engine.rows(
        "select distinct account from read_parquet($parts, union_by_name = true)", {"parts": list(parts)}
    )
    return [account for (account,) in rows]
