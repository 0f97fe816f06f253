"""What is open on a day, by sums: of each number, what acts on it is given out in order (docs/open-items.md).

The lines that act on a number stand one after another in the order in which they take effect, so that each is a stretch
of one running sum; so do the number's own lines, in the order of their line numbers. A line settles of another what
their stretches have in common. What is more than there is goes onto the last.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal
from functools import cached_property
from typing import NamedTuple

from level_almanac.store.binding import Binding
from level_almanac.store.day_places import placed_lines
from level_almanac.store.documents.lines import DocumentLines
from level_almanac.store.engine import Row
from level_almanac.store.expressions import Expression, FieldReference
from level_almanac.store.line_query import LineSource

_IS_NUMBER = "regexp_matches(each.line, '^[0-9]+$')"
_LINE_ORDER = f"""(not {_IS_NUMBER}), (case when {_IS_NUMBER} then length(ltrim(each.line, '0')) else 0 end),
    (case when {_IS_NUMBER} then ltrim(each.line, '0') else each.line end), each.file, each.file_line"""
"""The order of a number's own lines: those with a number for a line by that, before others."""
_SAME = """{one}.entity = {two}.entity and {one}.party = {two}.party and {one}.number = {two}.number
    and {one}.sign = {two}.sign"""
_ACTS = """{one}.entity = {two}.entity and {one}.party = {two}.party and {one}.number = {two}.settles
    and {one}.sign = -{two}.sign"""
_STORED = ("entity", "kind", "number", "line", "file", "file_line")
"""What tells a stored line from all others, with its party: of one row of an export several may come."""
_CHAINED = (
    "struct(as_of date, place varchar, change decimal(38, {scale}), over decimal(38, {scale}), unmatched boolean, "
    "taken boolean)[]"
)
_NUMBERS = "struct(entity varchar, party varchar, number varchar, sign integer)[]"


DOCUMENT = (
    "entity", "party", "kind", "number", "line", "posted", "amount", "settles", "place", "sign", "signed", "effect",
    "file", "file_line", "done_on", "number_chained", "settles_chained",
)  # fmt: skip
"""What makes out what is open of lines, and of which document they are."""


STATE = ("open_then", "over_then", "taken_then")
"""What stored lines have beside them of a day: what is open of each, how much more was applied to it, and whether voids
took it back (1 or 0).
"""


class InChain(NamedTuple):
    """What was found of a line in a chain. change: by how much what is open of it is more than its signed amount; over:
    how much more was applied to it than there was; unmatched: whether what it settles is not there; taken: whether
    voids took all of it back.
    """

    change: Decimal
    over: Decimal = Decimal(0)
    unmatched: bool = False
    taken: bool = False


class Number(NamedTuple):
    """What lines act on: a number of a party, and the sign of its lines."""

    entity: str
    party: str
    number: str
    sign: int


def made_open(
    lines: DocumentLines,
    names: Sequence[str],
    entities: Sequence[str],
    chained: Mapping[date, Mapping[str, InChain]],
) -> str:
    """Make the table of the lines, posted by each of some days (`as_of`), that something may be open of then: `open` of
    each, by how much more was applied to it (`over`), whether what it settles is not there (`unmatched`: 1 or 0), and
    whether voids took it back (`taken`: 1 or 0).

    names: what each brings; entities: those that it is of; chained: by day what was found line by line, by the places
    of lines that are in chains.
    """
    days, bind = sorted(chained), Binding()
    # Whole numbers: all lines of one have the same mark, and so have those that act on it.
    near = lines.made(
        f"""select {", ".join(f"each.{name}" for name in names)}, days.as_of
            from {lines.relation(bind)} as each
            join (select unnest({bind(days)}::date[]) as as_of) as days
                on each.posted <= days.as_of and each.done_on > days.as_of
            where each.entity in {bind.many(entities)} and each.posted <= {bind(days[-1])}
                and each.done_on > {bind(days[0])}""",
        bind,
    )
    # Of each number and sign: what acts on it, what there is of it, and in how many lines.
    acted = lines.made(
        f"""select as_of, entity, party, number, sign, sum(acting) as acting, sum(amount) as amount,
                count(amount) as lines
            from (
                select as_of, entity, party, settles as number, -sign as sign, amount as acting, null as amount
                    from {near} where settles is not null and not settles_chained and effect <= as_of
                union all
                select as_of, entity, party, number, sign, null, amount from {near} where not number_chained)
            group by as_of, entity, party, number, sign having sum(acting) is not null""",
        Binding(),
    )
    bind = Binding()
    change, over, unmatched, taken, chains = "0", "0", "false", "false", ""
    found = [
        {"as_of": day, "place": place, **each._asdict()} for day, of in chained.items() for place, each in of.items()
    ]
    if found:
        change, over, unmatched, taken = (f"chains.one.{name}" for name in ("change", "over", "unmatched", "taken"))
        told = _CHAINED.format(scale=lines.decimals)
        chains = f"""left join (select unnest({bind(found)}::{told}) as one) as chains
            on chains.one.place = each.place and chains.one.as_of = each.as_of"""
    return lines.made(
        f"""with several as (
                select each.as_of, each.place, sum(each.amount) over in_order - each.amount as before, each.amount,
                    acted.acting, acted.amount as whole, row_number() over in_order = acted.lines as is_last
                from {near} as each
                join {acted} as acted on acted.as_of = each.as_of and {_SAME.format(one="acted", two="each")}
                where acted.lines > 1
                window in_order as (partition by each.as_of, each.entity, each.party, each.number, each.sign
                    order by {_LINE_ORDER} rows unbounded preceding)),
            given as (
                select as_of, place, greatest(least(amount, acting - before), 0) as acting,
                    case when is_last then greatest(acting - whole, 0) else 0 end as over
                from several)
            select each.*,
                case when acts.lines > 0 then 0
                    when acted.lines = 1 then each.sign * (each.amount - acted.acting)
                    when acted.lines > 1 then each.sign * (each.amount - given.acting - given.over)
                    else each.signed end + coalesce({change}, 0) as open,
                coalesce(case when acted.lines = 1 then greatest(acted.acting - acted.amount, 0) else given.over end,
                    {over}, 0) as over,
                case when acts.lines = 0 or {unmatched} then 1 else 0 end as unmatched,
                case when {taken} then 1 else 0 end as taken
            from {near} as each
            left join {acted} as acted on acted.as_of = each.as_of and {_SAME.format(one="acted", two="each")}
            left join {acted} as acts on acts.as_of = each.as_of and {_ACTS.format(one="acts", two="each")}
                and each.effect <= each.as_of
            left join given on given.place = each.place and given.as_of = each.as_of
            {chains}""",
        bind,
    )


class OpenLines:
    """The state on a day of the lines posted by then.

    entities: those that it is of; chained: what was found line by line, by the places of lines that are in chains.
    """

    def __init__(
        self, lines: DocumentLines, day: date, entities: Sequence[str], chained: Mapping[str, InChain]
    ) -> None:
        self.lines, self.day, self.entities = lines, day, tuple(entities)
        self._table = made_open(lines, lines.names, self.entities, {day: chained})

    def _there(self, bind: Binding) -> str:
        """Return the SQL that tests a line for its entity, and for being posted by the day."""
        return f"each.entity in {bind.many(self.entities)} and each.posted <= {bind(self.day)}"

    def source(self) -> LineSource:
        """Return the lines that something may be open of, to be asked of by the names of all lines, and `open`, `over`
        and `unmatched` (1 or 0). Of all others, those posted by the day that are done by it, nothing is open.
        """
        return LineSource((), {}, self._places, relation=lambda _bind: f"{self._table} as line", part="void_part")

    def beside(self, stored: LineSource) -> LineSource:
        """Return the lines of the table as they are stored, each with its state on the day beside it (`STATE`); of one
        that is posted later all of that is blank.
        """

        def relation(bind: Binding) -> str:
            there, names = f"line.posted <= {bind(self.day)}", ("open", "over", "taken")
            same = " and ".join(f"state.{name} = line.{name}" for name in _STORED)
            state = ", ".join(f"case when {there} then coalesce(state.{name}, 0) end as {name}_then" for name in names)
            return f"""(select line.*, {state} from {placed_lines(stored.parts, None, bind)}
                left join {self._table} as state on state.exported_party = line.party and {same}) as line"""

        return replace(stored, relation=relation)

    def whole(self) -> LineSource:
        """Return all lines posted by the day, to be asked of by the same names."""

        def relation(bind: Binding) -> str:
            names = ", ".join(f"each.{name}" for name in self.lines.names)
            return f"""(select {names}, open, over, unmatched from {self._table} as each
                union all select {names}, 0, 0, 0 from {self.lines.relation(bind)} as each
                    where {self._there(bind)} and done_on <= {bind(self.day)}) as line"""

        return LineSource((), {}, self._places, relation=relation, part="void_part")

    @property
    def _places(self) -> dict[str, Expression]:
        return {**self.lines.places, **{name: FieldReference(name) for name in ("open", "over", "unmatched")}}

    def applications(self, numbers: Sequence[Number]) -> list[Row]:
        """Return what was applied to lines of these numbers, outside chains: (place of the one, place of the other,
        amount, day from which it is), in the order in which it was.
        """
        bind = Binding()
        given = bind([each._asdict() for each in numbers])
        return self._applications(
            f"(select one.*, false as is_plain from (select unnest({given}::{_NUMBERS}) as one))", bind
        )

    def early(self) -> list[Row]:
        """Return the same of what is dated after the day on which it was settled, by other than a void."""
        return [row[:4] for row in self._unlike if row[-1]]

    def _applications(self, numbers: str, bind: Binding, further: str = "") -> list[Row]:
        return self.lines.engine.rows(
            f"""select by_place, to_place, amount, day{further} from {self._pairs(numbers, bind)}
                order by effect, by_file, by_line, is_rest, nth""",
            bind.values,
        )

    @cached_property
    def _unlike(self) -> list[Row]:
        """The applications to numbers that are not one line, settled after its date and by no more than it is; of each
        last whether the number is not such a line, and whether it is settled before its date.
        """
        return self._applications(
            f"(select * from {self._numbers} where not is_plain or last_dated > first_effect)",
            Binding(),
            ", not is_plain, by_kind <> 'void' and to_dated > effect",
        )

    def count_applications(self) -> int:
        """Return how many applications there are outside chains."""
        ((count,),) = self.lines.engine.rows(f"select coalesce(sum(acts), 0) from {self._numbers} where is_plain")
        return int(count) + sum(1 for row in self._unlike if row[-2])

    @cached_property
    def _numbers(self) -> str:
        """The table of every number outside chains that is acted on, with what of it there is on the day."""
        bind = Binding()
        there = self._there(bind)
        return self.lines.made(
            f"""select entity, party, number, sign, count(acting) filter (where acting <> 0) as acts,
                    count(amount) as lines, sum(acting) as acting, sum(amount) as amount,
                    max(dated) as last_dated, min(effect) as first_effect,
                    count(amount) = 1 and sum(acting) <= sum(amount) as is_plain
                from (
                    select entity, party, settles as number, -sign as sign, amount as acting, null as amount,
                        null as dated, effect
                    from {self.lines.relation(bind)} as each
                    where {there} and settles is not null and not settles_chained and effect <= {bind(self.day)}
                    union all
                    select entity, party, number, sign, null, amount, dated, null
                    from {self.lines.relation(bind)} as each where {there} and not number_chained)
                group by entity, party, number, sign having count(acting) > 0 and count(amount) > 0""",
            bind,
        )

    def _pairs(self, numbers: str, bind: Binding) -> str:
        """Return the SQL of all applications to lines of some numbers outside chains."""
        there, lines = self._there(bind), self.lines.relation(bind)
        return f"""(
            with wanted as ({numbers}),
            acting as (
                select each.place, each.kind, each.effect, each.file, each.file_line, each.amount, wanted.entity,
                    wanted.party, wanted.number, wanted.sign, wanted.is_plain,
                    sum(each.amount) over (partition by wanted.entity, wanted.party, wanted.number, wanted.sign
                        order by each.effect, each.file, each.file_line, each.number, each.line
                        rows unbounded preceding) as upto
                from {lines} as each join wanted on {_ACTS.format(one="wanted", two="each")}
                where {there} and each.effect <= {bind(self.day)} and not each.settles_chained),
            targets as (
                select each.place, each.dated, each.posted, each.entity, each.party, each.number, each.sign,
                    each.amount, sum(each.amount) over in_order as upto,
                    row_number() over in_order as nth,
                    sum(each.amount) over (partition by each.entity, each.party, each.number, each.sign) as whole,
                    count(*) over (partition by each.entity, each.party, each.number, each.sign) as lines
                from {lines} as each join wanted on {_SAME.format(one="wanted", two="each")}
                where {there} and not each.number_chained
                window in_order as (partition by each.entity, each.party, each.number, each.sign
                    order by {_LINE_ORDER} rows unbounded preceding)),
            met as (
                select one.place as by_place, one.file as by_file, one.file_line as by_line, one.kind as by_kind,
                    one.is_plain, one.effect, other.place as to_place, other.dated as to_dated, other.nth,
                    greatest(one.effect, other.posted) as day,
                    least(one.upto, other.upto) - greatest(one.upto - one.amount, other.upto - other.amount) as shared,
                    case when other.nth = other.lines
                        then one.upto - greatest(one.upto - one.amount, other.whole) else 0 end as rest
                from acting as one join targets as other on {_SAME.format(one="one", two="other")})
            select *, shared as amount, 0 as is_rest from met where shared > 0
            union all select *, rest, 1 from met where rest > 0)"""
