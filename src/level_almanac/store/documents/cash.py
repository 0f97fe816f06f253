"""Ledger lines of income and cost that belong to documents, and what of them counts by a day (docs/cash-basis.md).

A line counts by the share of its document that is settled by then, rounded half away from zero; in whole units of the
least decimal, so that nothing is divided as a binary float.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from datetime import date

from level_almanac.store.binding import Binding
from level_almanac.store.documents.lines import DocumentLines
from level_almanac.store.engine import Row
from level_almanac.store.expressions import Expression, FieldReference
from level_almanac.store.line_query import Asking, LineSource
from level_almanac.store.predicate import FiscalRange, Predicate, stretch_sql

LINE = ("entity", "account", "amount", "counted", "fiscal", "document", "party")
"""What of a ledger line is asked for by name."""
_KINDS = ("invoice", "credit")
_ORDER = (("receivable", "invoice"), ("payable", "invoice"), ("payable", "credit"), ("receivable", "credit"))
"""Which document a number is of, where several of one party have it."""


class LinkedLines:
    """The lines of one report that are linked to documents and count, or are booked, in a stretch of days.

    sides: the documents by side; entities: whose are meant; ledger: the lines that may be linked; values: by name those
    of `LINE`, the party by its standing code; fields: what lines are told apart by; scale: decimals of what is rounded;
    first, last: the day before the stretch, and its last.
    """

    def __init__(
        self,
        sides: Mapping[str, DocumentLines],
        entities: Collection[str],
        ledger: LineSource,
        values: Mapping[str, Expression],
        fields: Sequence[Expression],
        scale: int,
        first: date,
        last: date,
    ) -> None:
        self.lines = next(iter(sides.values()))
        self.engine, self.sides, self.ledger, self.scale = self.lines.engine, sides, ledger, scale
        self.first, self.last = first, last
        self.members = tuple(f"m{number}" for number in range(len(fields)))
        self.values = {**values, **dict(zip(self.members, fields, strict=True))}
        self._documents = self._made_documents(entities)
        self._mixed = self._made_mixed(entities)
        bind = Binding()
        kept = ", ".join(["entity", "account", "amount", "counted", "fiscal", "document", *self.members])
        self._linked = self.lines.made(
            f"select {kept}, of_party, done_on from {self._link(bind, (), {})}",
            bind,
        )
        self._settled = ""

    def _in_stretch(self, bind: Binding) -> str:
        first, last = bind(self.first), bind(self.last)
        return f"each.counted <= {last} and (each.counted > {first} or own.done_on > {first})"

    def _every(self, bind: Binding, entities: Collection[str]) -> str:
        """Return the SQL of every line that is of a document of either side."""
        cases = " ".join(
            f"when side = '{side}' and kind = '{kind}' then {at}" for at, (side, kind) in enumerate(_ORDER)
        )
        sides = " union all ".join(
            f"select '{side}' as side, kind, entity, party, number, posted, amount, done_on from {lines.relation(bind)}"
            for side, lines in self.sides.items()
        )
        return f"""(select *, case {cases} end as standing from ({sides})
            where kind in {bind.many(_KINDS)} and entity in {bind.many(entities)})"""

    def _made_documents(self, entities: Collection[str]) -> str:
        """Make the table of every number that is of a document, which kind of which side that is, from when on nothing
        is open of it, and whether that is not alike for all of its lines.
        """
        bind = Binding()
        return self.lines.made(
            f"""select entity, party, number, min(standing) as standing, max(done_on) as done_on,
                    min(done_on) <> max(done_on) as is_mixed
                from {self._every(bind, entities)} group by entity, party, number""",
            bind,
        )

    def _made_mixed(self, entities: Collection[str]) -> str:
        """Make the table of the lines of documents of which some lines are done before others."""
        bind = Binding()
        ((there,),) = self.engine.rows(f"select count(*) filter (where is_mixed) from {self._documents}")
        every = self._every(bind, entities) if there else f"(select * from {self._every(bind, entities)} where false)"
        return self.lines.made(
            f"""select each.entity, each.party, each.number, each.posted, each.amount, each.done_on
                from {every} as each join (select * from {self._documents} where is_mixed) as own
                    on own.entity = each.entity and own.party = each.party and own.number = each.number
                        and own.standing = each.standing""",
            bind,
        )

    def _link(self, bind: Binding, rules: Sequence[Predicate], further: Mapping[str, Expression]) -> str:
        """Return the SQL of the lines that belong to a document, with its party and when it is done."""
        named = {**self.values, **further}
        source = replace(self.ledger, rules=(*self.ledger.rules, *rules))
        asking = Asking(source, bind)
        inner = asking.met([(name, asking.sql(value)) for name, value in named.items()], list(named.values()))
        within = self._in_stretch(bind)
        names = ", ".join(f"each.{name}" for name in (*named, "file", "file_line"))
        same = "own.entity = each.entity and own.number = each.document"
        # A line without a party is told by its number alone, where that is one document's only.
        return f"""(
            select {names}, own.party as of_party, own.done_on
            from ({inner}) as each join {self._documents} as own on {same} and own.party = each.party
            where each.party is not null and {within}
            union all
            select {names}, own.party, own.done_on from ({inner}) as each
            join (select entity, number, min(party) as party, max(done_on) as done_on from {self._documents}
                group by entity, number having count(*) = 1) as own on {same}
            where each.party is null and {within})"""

    def count(self) -> int:
        """Return how many lines there are."""
        return int(self.engine.rows(f"select count(*) from {self._linked}")[0][0])

    def settle(self, days: Sequence[date], open_: Mapping[str, str]) -> None:
        """Make what is settled by the end of some days of each document that is not done then. open_: by side the table
        of what may be open on those days.
        """
        bind = Binding()
        parts = [
            f"""select days.as_of, entity, party, number, amount, amount as settled
                from {self._mixed} as each join (select unnest({bind(list(days))}::date[]) as as_of) as days
                    on each.posted <= days.as_of and each.done_on <= days.as_of"""
        ]
        for side, table in open_.items():
            of = " or ".join(
                f"(own.standing = {at} and each.kind = '{kind}')"
                for at, (one, kind) in enumerate(_ORDER)
                if one == side
            )
            parts.append(
                f"""select each.as_of, own.entity, own.party, own.number, each.amount,
                        each.amount - each.sign * each.open
                    from {table} as each join {self._documents} as own on own.entity = each.entity
                        and own.party = each.party and own.number = each.number and ({of})"""
            )
        # More applied than there was settles no more than the whole.
        self._settled = self.lines.made(
            f"""select as_of, entity, party, number, sum(amount) as whole,
                    least(greatest(sum(settled), 0), sum(amount)) as settled
                from ({" union all ".join(parts)}) group by as_of, entity, party, number""",
            bind,
        )

    def _share(self, of: str, day: str) -> str:
        """Return the SQL of what counts of a line by the end of a day; it cannot count before it is booked."""
        decimals, places = self.lines.decimals, self.scale
        unit = f"{10**decimals}::hugeint"
        amount, settled, whole = (
            f"({each} * {10**decimals})::hugeint" for each in ("abs(each.amount)", f"{of}.settled", f"{of}.whole")
        )
        rounded = f"(2 * {amount} * {settled} * {10**places}::hugeint + {whole} * {unit}) // (2 * {whole} * {unit})"
        exact = f"({rounded})::decimal(30, 0) * {10**-places:.{places}f}::decimal(8, {places})" if places else rounded
        return f"""(case when each.counted > {day} then 0
            when {of}.number is null then case when each.done_on <= {day} then each.amount else 0 end
            when {of}.settled = {of}.whole then each.amount
            else sign(each.amount)::integer * ({exact})::decimal(38, {places}) end)"""

    def _changes(
        self, lines: str, bind: Binding, stretches: Sequence[FiscalRange], days: tuple[date, date] | None
    ) -> str:
        """Return the SQL of lines with what is booked and what counts of each in a stretch of days."""
        tests = " or ".join(stretch_sql(each, bind, "each.fiscal", "each.counted") for each in stretches)
        paid, joins, settled, within = "0", "", "null as settled, null as whole", "true"
        if days is not None:
            before, last = (bind(day) for day in days)
            paid = f"{self._share('ended', last)} - {self._share('begun', before)}"
            joins = " ".join(
                f"""left join (select * from {self._settled} where as_of = {day}) as {name}
                    on {name}.entity = each.entity and {name}.party = each.of_party and {name}.number = each.document"""
                for name, day in (("ended", last), ("begun", before))
            )
            # Of what is done by the end, all is settled; what is done before and booked before changes nothing.
            settled = f"""coalesce(ended.settled, case when each.done_on <= {last} then 1 end) as settled,
                coalesce(ended.whole, case when each.done_on <= {last} then 1 end) as whole"""
            within = f"each.counted <= {last} and (each.counted > {before} or each.done_on > {before})"
        return f"""(select each.*, case when {tests or "false"} then each.amount else 0 end as booked, {paid} as paid,
            {settled} from {lines} as each {joins} where {within})"""

    def changes(self, windows: Sequence[tuple[Sequence[FiscalRange], tuple[date, date] | None]]) -> list[Row]:
        """Return per stretch of days, by its number, entity, account and members: how many lines are booked in it, how
        many are paid, what is booked and what is paid.

        windows: of each the fiscal stretches, and the day before the first and the last day, both settled; None where
        nothing is paid.
        """
        bind = Binding()
        keys = ", ".join(["entity", "account", *self.members])
        parts = [
            f"""select {at} as stretch, {keys}, count(*) filter (where booked <> 0), count(*) filter (where paid <> 0),
                    sum(booked), sum(paid)
                from {self._changes(self._linked, bind, stretches, days)} where booked <> 0 or paid <> 0
                group by {keys}"""
            for at, (stretches, days) in enumerate(windows)
        ]
        return self.engine.rows(f"{' union all '.join(parts)} order by stretch, {keys}", bind.values) if parts else []

    def lines_of(
        self,
        stretches: Sequence[FiscalRange],
        days: tuple[date, date] | None,
        rules: Sequence[Predicate],
        further: Mapping[str, Expression],
    ) -> list[Row]:
        """Return the same line by line, in order of days: entity, account, amount, day, document, members, the further
        values, settled and whole of the document by the end, and what is paid. rules: which lines are wanted.
        """
        bind = Binding()
        linked = self._link(bind, rules, further)
        names = (
            "entity",
            "account",
            "amount",
            "counted",
            "document",
            *self.members,
            *further,
            "settled",
            "whole",
            "paid",
        )
        return self.engine.rows(
            f"""select {", ".join(names)} from {self._changes(linked, bind, stretches, days)}
                where booked <> 0 or paid <> 0 order by counted, journal, file, file_line, line""",
            bind.values,
        )

    def keys(self, rules: Sequence[Predicate]) -> set[Row]:
        """Return (entity, journal, line) of the linked lines that meet the rules."""
        bind = Binding()
        linked = self._link(bind, rules, {name: FieldReference(name) for name in ("journal", "line")})
        return set(self.engine.rows(f"select entity, journal, line from {linked}", bind.values))
