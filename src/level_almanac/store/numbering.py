"""Numbers that are to run without a gap: which are not followed by the next."""

from level_almanac.store.engine import Engine, Row
from level_almanac.store.expressions import Expression
from level_almanac.store.line_query import Asking, LineSource


def not_followed(engine: Engine, source: LineSource, entity: Expression, number: Expression) -> tuple[int, list[Row]]:
    """Return how many numbers there are, and (entity, number, the number after it in its series) where that is not the
    next one.
    """
    if source.is_empty:
        return 0, []
    asking = Asking(source)
    met = asking.met([("entity", asking.sql(entity)), ("number", asking.sql(number))], [entity, number])
    # What stands before the last digits of a number, they, and what stands after them.
    rows = engine.rows(
        f"""with numbers as materialized (
                select distinct entity, number from ({met}) where number is not null),
            begun as (
                select *, case when right(number, 1) between '0' and '9' then number
                    else regexp_replace(number, '[^0-9]*$', '') end as core
                from numbers),
            split as (select *, regexp_extract(core, '[0-9]+$') as run from begun where core <> ''),
            told as (
                select entity, number, left(core, length(core) - length(run)) as ahead,
                    substring(number, length(core) + 1) as behind, ltrim(run, '0') as digits
                from split),
            valued as materialized (
                select *, try_cast(case when digits = '' then '0' else digits end as bigint) as value from told),
            broken as (
                select entity, ahead, behind from valued group by entity, ahead, behind
                having max(value) - min(value) + 1 <> count(distinct value) or count(*) > count(value)),
            steps as (
                select valued.*, lead(valued.number) over in_order as following,
                    lead(valued.digits) over in_order as following_digits, lead(valued.value) over in_order as next
                from valued join broken on broken.entity = valued.entity and broken.ahead = valued.ahead
                    and broken.behind = valued.behind
                window in_order as (partition by valued.entity, valued.ahead, valued.behind
                    order by length(valued.digits), valued.digits, valued.number)),
            off as (
                select * from steps where following is not null and following_digits <> digits
                    and coalesce(next - value <> 1, true))
            select 0, entity, number, following, ahead, behind, length(digits) as size, digits from off
            union all select count(*), null, null, null, null, null, null, null from numbers
            order by 2, 5, 6, 7, 8""",
        asking.bind.values,
    )
    found = [row[1:4] for row in rows if row[2] is not None]
    return sum(row[0] for row in rows), found
