"""Documents beside the ledger's control accounts: what is left where each document, and then each day, agrees."""

from collections.abc import Collection, Mapping, Sequence
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
    booked = _booked(lines, ledger, values, ("entity", "day", "document", "amount", "carried"))
    sums = lines.made(
        f"""select entity, document, sum(amount) as amount from {booked} where document is not null
            group by entity, document""",
        Binding(),
    )
    bind = Binding()
    named = lines.made(_named(lines, bind, day, entities, sums, ("entity", "posted", "signed", "place")), bind)
    # Few documents are not on both sides alike, and those are looked up quicker than the many that are.
    unlike_documents = lines.made(
        f"""select coalesce(sums.entity, told.entity) as entity, coalesce(sums.document, told.document) as document
            from {sums} as sums full join (
                select entity, document, sum(signed) as signed from {named} group by entity, document) as told
                on told.entity = sums.entity and told.document = sums.document
            where told.signed is distinct from sums.amount""",
        Binding(),
    )
    left = _left(unlike_documents)
    begun = f"(select entity, max(day) as day from {booked} as each where carried = 1 and {left} group by entity)"
    unlike = lines.made(
        f"""select entity, day from (
                select entity, day, amount from {booked} as each where {left}
                union all
                select each.entity, greatest(each.posted, coalesce(begun.day, each.posted)), -each.signed
                from {named} as each left join {begun} as begun on begun.entity = each.entity where {left})
            group by entity, day having sum(amount) <> 0""",
        Binding(),
    )
    if not lines.engine.rows(f"select 1 from {unlike} limit 1"):
        return [], []
    # Few lines are left: only of those more is read.
    asking = Asking(ledger)
    every = asking.met([(name, asking.sql(values[name])) for name in LEDGER], [values[name] for name in LEDGER])
    of_days = lines.engine.rows(
        f"""select {", ".join(f"each.{name}" for name in LEDGER)} from ({every}) as each
            join {unlike} as unlike on unlike.entity = each.entity and unlike.day = each.day
            where {left} order by each.day, each.file, each.file_line, each.line""",
        asking.bind.values,
    )
    places = lines.engine.rows(
        f"""select each.place from {named} as each
            left join {begun} as begun on begun.entity = each.entity
            join {unlike} as unlike on unlike.entity = each.entity
                and unlike.day = greatest(each.posted, coalesce(begun.day, each.posted))
            where {left}"""
    )
    bind = Binding()
    return of_days, lines.engine.rows(
        f"""select {", ".join((*ITEM, *lines.further))} from {lines.relation(bind)} as each
            where place in {bind.many(place for (place,) in places)} order by file, file_line, number, line""",
        bind.values,
    )


def _left(unlike: str) -> str:
    """Return the SQL that tells whether a line is of no document on which both sides agree."""
    return f"""(each.document is null or exists (select 1 from {unlike} as one where one.entity = each.entity
        and one.document = each.document))"""


def _booked(lines: DocumentLines, ledger: LineSource, values: Mapping[str, Expression], names: Sequence[str]) -> str:
    asking = Asking(ledger)
    sql = asking.met([(name, asking.sql(values[name])) for name in names], [values[name] for name in names])
    return lines.made(f"select {', '.join(names)} from ({sql})", asking.bind)


def _named(
    lines: DocumentLines, bind: Binding, day: date, entities: Collection[str], sums: str, names: Sequence[str]
) -> str:
    """Return the SQL of the documents posted by the day, with the number that the ledger has them under."""
    return f"""
        select {", ".join(f"each.{name}" for name in names)},
            case when sums.document is not null then each.settles else each.number end as document
        from {lines.relation(bind)} as each
        left join {sums} as sums on sums.entity = each.entity
            and sums.document = case when each.kind = 'credit' then each.settles end
        where each.entity in {bind.many(entities)} and each.posted <= {bind(day)}"""
