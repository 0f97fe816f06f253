"""Voids and the lines that they void: the lines to match, and lines that have the values of the voided line.

`core/settlements` decides which line a void undoes.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import NamedTuple

from level_almanac.store.binding import Binding
from level_almanac.store.day_places import placed_lines
from level_almanac.store.documents.marks import NEVER
from level_almanac.store.engine import Engine, Row
from level_almanac.store.line_query import LineSource
from level_almanac.store.predicate import quoted, tested_name

SETTLING_LINE = (
    "entity", "standing", "kind", "number", "line", "date", "due", "posted", "amount", "settles", "applied",
    "reference",
)  # fmt: skip
"""The columns of `settling_lines`, in order, followed by the party's code on the line."""
VOID_PART, VOID_OF = "void_part", "void_of"
"""Columns of `with_voided_lines`: the number of a void's part, and the kind of the line that it voids."""
_TYPES = {
    "entity": "varchar", "party": "varchar", "number": "varchar", "line": "varchar", "to_party": "varchar",
    "to_kind": "varchar", "to_number": "varchar", "to_line": "varchar", "nth": "integer",
}  # fmt: skip
_VOID = ("entity", "party", "number", "line")


class VoidPart(NamedTuple):
    """One line that a void undoes, in whole or in part.

    entity, party, number, line: the key of the void; party is the code on the line.
    to_party, to_kind, to_number, to_line: the key of the voided line.
    amount: how much of the void is for this line; not signed.
    """

    entity: str
    party: str
    number: str
    line: str
    to_party: str
    to_kind: str
    to_number: str
    to_line: str
    amount: Decimal


def settling_lines(engine: Engine, parts: Sequence[str], standing: Mapping[str, str], *, marked: bool) -> list[Row]:
    """Return the lines that decide what each void undoes, in the order of the exports; none if there are no voids.

    standing: for each party code that is taken as another, the other.
    marked: whether the parts have the marks of a load. A number that a void names is never marked as settled.
    """
    bind = Binding()
    read = f"read_parquet({bind(list(parts))}, union_by_name = true)"
    if marked:
        read = f"(select * from {read} where done_on = {bind(NEVER)})"
    ((voids,),) = engine.rows(f"select count(*) from {read} where kind = 'void' and settles is not null", bind.values)
    if not voids:
        return []
    cases = " ".join(f"when party = {bind(code)} then {bind(other)}" for code, other in standing.items())
    party = f"case {cases} else party end" if cases else "party"
    columns = ", ".join(f"each.{name}" for name in (*SETTLING_LINE, "party"))
    return engine.rows(
        f"""with lines as (select *, {party} as standing from {read}),
            named as (
                select distinct entity, standing, settles as number from lines
                where kind in ('void', 'refund') and settles is not null)
        select {columns} from lines as each
        left join named as own on own.entity = each.entity and own.standing = each.standing
            and own.number = each.number
        left join named as other on other.entity = each.entity and other.standing = each.standing
            and other.number = each.settles
        where own.number is not null or other.number is not null
        order by each.file, each.file_line, each.number, each.line""",
        bind.values,
    )


def with_voided_lines(
    source: LineSource, voids: Sequence[VoidPart], columns: Sequence[str], *, by_kind: bool
) -> LineSource:
    """Return the lines, with the value of the voided line in each of these columns under its `tested` name.

    A line that voids nothing has its own values there. A void of several lines becomes several lines, one for each
    different set of these values, whose amounts add up to its amount.

    columns: columns of the table's lines.
    by_kind: whether the kind of the voided line also splits a void.
    """
    scale = max(0, *(-int(each.amount.as_tuple().exponent) for each in voids))
    kind = "void.to_kind" if by_kind else "case when void.to_kind = 'refund' then 'refund' else 'other' end"

    own = ", ".join(f"void.{name}" for name in (*_VOID, "nth", "amount"))

    def relation(bind: Binding) -> str:
        inner = source.relation(bind) if source.relation else placed_lines(source.parts, source.day_places, bind)
        rows = [(*each[:-1], nth, each.amount) for nth, each in enumerate(voids)]
        void = bind.table({**_TYPES, "amount": f"decimal(38, {scale})"}, rows)
        numbered = list(enumerate(columns))
        of_voided = "".join(f", voided.{quoted(name)} as of_{at}" for at, name in numbered)
        group = ", ".join((*_VOID, VOID_OF, *(f"of_{at}" for at, _ in numbered)))
        tested = "".join(
            f", case when part.number is not null then part.of_{at} else line.{quoted(name)} end"
            f" as {quoted(tested_name(name))}"
            for at, name in numbered
        )
        return f"""(
            select line.* exclude (amount), part.{VOID_PART}, part.{VOID_OF},
                case when part.number is not null then part.amount else line.amount end as amount{tested}
            from {inner}
            left join (
                select {group}, sum(amount)::decimal(18, {scale}) as amount,
                    (row_number() over (partition by {", ".join(_VOID)} order by min(nth)))::integer as {VOID_PART}
                from (
                    select {own}, {kind} as {VOID_OF}{of_voided}
                    from {void} as void{_voided_lines(inner) if columns else ""}) as each
                group by {group}) as part
                on line.kind = 'void' and {" and ".join(f"part.{name} = line.{name}" for name in _VOID)}) as line"""

    return replace(source, relation=relation, part=VOID_PART)


def _voided_lines(lines: str) -> str:
    """Return the SQL that joins the voided lines."""
    return f""" join (select line.* from {lines}) as voided
        on voided.entity = void.entity and voided.party = void.to_party and voided.kind = void.to_kind
            and voided.number = void.to_number and voided.line = void.to_line"""
