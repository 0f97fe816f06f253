"""Documents beside the ledger's control accounts: what is left where each document, and then each day, agrees."""

from collections.abc import Collection, Mapping
from datetime import date

from level_almanac.store.binding import Binding
from level_almanac.store.documents.lines import ITEM, DocumentLines
from level_almanac.store.engine import Row
from level_almanac.store.expressions import Expression
from level_almanac.store.line_query import Asking, LineSource

LEDGER = ("entity", "journal", "line", "account", "day", "document", "amount", "place", "memo", "carried")
"""What each ledger line brings, in this order. amount: as it raises what is owed; carried: 1 of a carried line."""


def unlike_days(
    lines: DocumentLines, day: date, entities: Collection[str], ledger: LineSource, values: Mapping[str, Expression]
) -> tuple[list[Row], list[Row]]:
    """Return the ledger lines and the documents, posted by the day, of each day on which they do not come to the same,
    without those of documents on which both agree.

    A credit note that came with its invoice is posted with it, in one journal and net. What was open when the books
    began is carried into them by one line, on their first day. values: those of `LEDGER`, by name.
    """
    asking = Asking(ledger)
    bind = asking.bind
    inner = asking.met([(name, asking.sql(values[name])) for name in LEDGER], list(values.values()))
    booked = lines.made(inner, bind)
    bind = Binding()
    there = f"each.entity in {bind.many(entities)} and each.posted <= {bind(day)}"
    named = lines.made(
        f"""with numbers as (select distinct entity, document from {booked} where document is not null)
            select each.*, case when numbers.document is not null then each.settles else each.number end as document
            from {lines.relation(bind)} as each
            left join numbers on each.kind = 'credit' and numbers.entity = each.entity
                and numbers.document = each.settles
            where {there}""",
        bind,
    )
    agreed = lines.made(
        f"""select entity, document from (
                select entity, document, amount, 1 as booked, 0 as told from {booked} where document is not null
                union all select entity, document, -signed, 0, 1 from {named})
            group by entity, document having sum(booked) > 0 and sum(told) > 0 and sum(amount) = 0""",
        Binding(),
    )
    left = f"""not exists (select 1 from {agreed} as agreed where agreed.entity = each.entity
        and agreed.document = each.document)"""
    booked = lines.made(f"select * from {booked} as each where {left}", Binding())
    named = lines.made(
        f"""with begun as (select entity, max(day) as day from {booked} where carried = 1 group by entity)
            select each.*, greatest(each.posted, coalesce(begun.day, each.posted)) as day from {named} as each
            left join begun on begun.entity = each.entity where {left}""",
        Binding(),
    )
    unlike = lines.made(
        f"""select entity, day from (
                select entity, day, amount from {booked} union all select entity, day, -signed from {named})
            group by entity, day having sum(amount) <> 0""",
        Binding(),
    )
    on_day = f"exists (select 1 from {unlike} as unlike where unlike.entity = each.entity and unlike.day = each.day)"
    return (
        lines.engine.rows(
            f"select {', '.join(LEDGER)} from {booked} as each where {on_day} order by day, file, file_line"
        ),
        lines.engine.rows(
            f"select {', '.join((*ITEM, *lines.further))} from {named} as each where {on_day} order by file, file_line"
        ),
    )
