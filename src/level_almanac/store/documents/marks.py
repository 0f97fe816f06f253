"""What is known of documents whatever the day: from when on nothing of them is open, and which are in chains.

A line acts on the number that it settles. Where no line that acts is acted upon itself, what is open of a number
follows from sums alone (`open.py`): once what acts on it comes to what there is of it, all of it is settled, whatever
the day. Other numbers are in **chains**: a void of a payment of an invoice, a refund of a credit that settled one.
Those are replayed line by line, in core.

A load writes each table of documents with these marks, in their order, so that a report reads what may be open by its
day and counts the rest.
"""

from collections.abc import Mapping, Sequence
from datetime import date
from pathlib import Path

from level_almanac.files.tables import KIND_SIGNS
from level_almanac.store.binding import Binding
from level_almanac.store.engine import GatheringEngine

NEVER = date(9999, 12, 31)
MARKS = ("done_on", "number_chained", "settles_chained")
"""The day from which on nothing of a line is open, or `NEVER`; whether its number, and what it settles, is in a chain.
"""
_TAKES_BACK = ("void", "refund")
_OWN = "{one}.entity = {two}.entity and {one}.standing = {two}.standing and {one}.number = {two}.number"
_ACTS = "{one}.entity = {two}.entity and {one}.standing = {two}.standing and {one}.number = {two}.settles"


def sign_sql(bind: Binding) -> str:
    """Return the SQL of a line's sign by its kind, as `files.tables.KIND_SIGNS` has it."""
    return f"case when kind in {bind.many(kind for kind, sign in KIND_SIGNS.items() if sign > 0)} then 1 else -1 end"


EFFECT = "greatest(posted, coalesce(applied, posted))"
"""The SQL of the day from which on a line settles something: no application comes before its payment."""


def marked(lines: str, bind: Binding) -> str:
    """Return the SQL of lines with their marks.

    lines: the SQL of them, with `standing`, the code of their party, and their `sign` and `effect`.
    """
    never, back = bind(NEVER), bind.many(_TAKES_BACK)
    return f"""
        with each_line as materialized (select * from {lines}),
        groups as (
            select entity, standing, number, sign, sum(acting) is not null as acted,
                case when sum(acting) = sum(amount) then max(day) end as done_on
            from (select entity, standing, settles as number, -sign as sign, amount as acting, null as amount,
                    effect as day from each_line where settles is not null
                union all select entity, standing, number, sign, null, amount, posted from each_line) as parts
            group by entity, standing, number, sign),
        both_ways as (
            select each.entity, each.standing, each.number, each.settles from each_line as each
            join groups as own on {_OWN.format(one="own", two="each")} and own.sign = each.sign and own.acted
            where each.settles is not null),
        chained as (
            select entity, standing, number from both_ways union select entity, standing, settles from both_ways
            union select entity, standing, settles from each_line where settles is not null and kind in {back})
        select each.*, number_chain.number is not null as number_chained,
            settles_chain.number is not null as settles_chained,
            coalesce(case when settles_chain.number is not null then null
                when each.settles is not null then acts.done_on
                when number_chain.number is not null or not own.acted then null
                else own.done_on end, {never}) as done_on
        from each_line as each
        left join groups as own on {_OWN.format(one="own", two="each")} and own.sign = each.sign
        left join groups as acts on {_ACTS.format(one="acts", two="each")} and acts.sign = -each.sign
        left join chained as number_chain on {_OWN.format(one="number_chain", two="each")}
        left join chained as settles_chain on {_ACTS.format(one="settles_chain", two="each")}"""


def write_marked(engine: GatheringEngine, parts: Sequence[str], standing: Mapping[str, str], target: Path) -> None:
    """Write all lines of a table of documents with their marks. standing: codes of parties, and of whom each is one."""
    bind = Binding()
    cases = " ".join(f"when party = {bind(code)} then {bind(other)}" for code, other in standing.items())
    party = f"case {cases} else party end" if cases else "party"
    read = f"""(select *, {party} as standing, {sign_sql(bind)} as sign, {EFFECT} as effect
        from read_parquet({bind(list(parts))}, union_by_name = true))"""
    query = f"""select * exclude (standing, sign, effect) from ({marked(read, bind)})
        order by done_on, file, file_line"""
    engine.write(query, target, bind.values)
