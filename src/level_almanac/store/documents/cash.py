"""Ledger lines of income and cost that belong to documents, and what of them counts by a day (docs/cash-basis.md).

A line counts by the share of its document that is settled by then, rounded half away from zero; in whole units of the
least decimal, so that nothing is divided as a binary float.
"""

from collections.abc import Collection, Mapping, Sequence
from datetime import date
from typing import Any

from level_almanac.store.binding import Binding
from level_almanac.store.documents.lines import DocumentLines
from level_almanac.store.documents.open import OpenLines
from level_almanac.store.engine import Row
from level_almanac.store.expressions import Expression
from level_almanac.store.line_query import Asking, LineSource
from level_almanac.store.predicate import FiscalRange, Predicate, stretch_sql

LINE = ("entity", "account", "amount", "counted", "fiscal", "document", "party")
"""What of a ledger line is asked for by name."""
_KINDS = ("invoice", "credit")
_ORDER = (("receivable", "invoice"), ("payable", "invoice"), ("payable", "credit"), ("receivable", "credit"))
"""Which document a number is of, where several of one party have it."""


class LinkedLines:
    """The lines of one report that are linked to documents. sides: the documents by side; entities: whose are meant;
    ledger: the lines that may be linked; values: by name those of `LINE`, the party by its standing code; fields: what
    lines are told apart by; scale: decimals of what is rounded.
    """

    def __init__(
        self,
        sides: Mapping[str, DocumentLines],
        entities: Collection[str],
        ledger: LineSource,
        values: Mapping[str, Expression],
        fields: Sequence[Expression],
        scale: int,
    ) -> None:
        self.lines = next(iter(sides.values()))
        self.engine, self.sides, self.ledger, self.scale = self.lines.engine, sides, ledger, scale
        self.members = tuple(f"m{number}" for number in range(len(fields)))
        self.values = {**values, **dict(zip(self.members, fields, strict=True))}
        self._documents = self._made_documents(entities)
        bind = Binding()
        kept = ", ".join(["entity", "account", "amount", "counted", "fiscal", *self.members, "id"])
        self._linked = self.lines.made(f"select {kept} from {self._link(bind, (), {})}", bind)
        self._by_day: dict[date, str] = {}

    def _made_documents(self, entities: Collection[str]) -> str:
        """Make the table of every document that a line may belong to, with a number of its own."""
        bind = Binding()
        rank = " ".join(f"when side = '{side}' and kind = '{kind}' then {at}" for at, (side, kind) in enumerate(_ORDER))
        every = " union all ".join(
            f"""select '{side}' as side, kind, entity, party, number from {lines.relation(bind)} as each
                where kind in {bind.many(_KINDS)} and entity in {bind.many(entities)}"""
            for side, lines in self.sides.items()
        )
        return self.lines.made(
            f"""select row_number() over (order by entity, party, number) as id, entity, party, number, standing
                from (select entity, party, number, min(case {rank} end) as standing from ({every})
                    group by entity, party, number)""",
            bind,
        )

    def _link(self, bind: Binding, rules: Sequence[Predicate], further: Mapping[str, Expression]) -> str:
        """Return the SQL of the lines that belong to a document, and which that is."""
        named = {**self.values, **further}
        source = LineSource(
            self.ledger.parts, self.ledger.links, self.ledger.places, (*self.ledger.rules, *rules),
            day_places=self.ledger.day_places,
        )  # fmt: skip
        asking = Asking(source, bind)
        inner = asking.lines([(name, asking.sql(value)) for name, value in named.items()], list(named.values()))
        return f"""(
            with alone as (select entity, number, min(id) as id from {self._documents} group by entity, number
                having count(*) = 1)
            select {", ".join(f"each.{name}" for name in named)}, each.file, each.file_line,
                coalesce(own.id, alone.id) as id
            from (select * from ({inner}) where left_by = {len(source.rules)}) as each
            left join {self._documents} as own on own.entity = each.entity and own.party = each.party
                and own.number = each.document
            left join alone on each.party is null and alone.entity = each.entity and alone.number = each.document
            where own.id is not null or alone.id is not null)"""

    def count(self) -> int:
        """Return how many lines there are."""
        return int(self.engine.rows(f"select count(*) from {self._linked}")[0][0])

    def settle(self, day: date, open_: Mapping[str, OpenLines]) -> None:
        """Make what of every document is settled by the end of a day. open_: the documents on that day, by side."""
        if day in self._by_day:
            return
        bind = Binding()
        parts = []
        for side, lines in self.sides.items():
            of = " or ".join(
                f"(own.standing = {at} and each.kind = '{kind}')"
                for at, (one, kind) in enumerate(_ORDER)
                if one == side
            )
            same = "own.entity = each.entity and own.party = each.party and own.number = each.number"
            parts += [
                f"""select own.id, each.amount, each.amount as settled from {lines.relation(bind)} as each
                    join {self._documents} as own on {same} and ({of}) where each.posted <= {bind(day)}""",
                f"""select own.id, 0, -each.sign * each.open from {open_[side].table} as each
                    join {self._documents} as own on {same} and ({of})""",
            ]
        # More applied than there was settles no more than the whole.
        self._by_day[day] = self.lines.made(
            f"""select id, sum(amount) as whole, least(greatest(sum(settled), 0), sum(amount)) as settled
                from ({" union all ".join(parts)}) group by id""",
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
        return f"""(case when {of}.id is null or each.counted > {day} then 0
            when {of}.settled = {of}.whole then each.amount
            else sign(each.amount)::integer * ({exact})::decimal(38, {places}) end)"""

    def _changes(
        self, lines: str, bind: Binding, stretches: Sequence[FiscalRange], days: tuple[date, date] | None
    ) -> str:
        """Return the SQL of lines with what is booked and what counts of each in a stretch of days."""
        tests = " or ".join(stretch_sql(each, bind, "each.fiscal", "each.counted") for each in stretches)
        paid, joins, settled = "0", "", "null as settled, null as whole"
        if days is not None:
            before, last = days
            paid = f"{self._share('ended', bind(last))} - {self._share('begun', bind(before))}"
            joins = f"""left join {self._by_day[last]} as ended on ended.id = each.id
                left join {self._by_day[before]} as begun on begun.id = each.id"""
            settled = "ended.settled, ended.whole"
        return f"""(select each.*, case when {tests or "false"} then each.amount else 0 end as booked, {paid} as paid,
            {settled} from {lines} as each {joins})"""

    def changes(self, stretches: Sequence[FiscalRange], days: tuple[date, date] | None) -> list[Row]:
        """Return per entity, account and members: how many lines are booked in the stretches, how many are paid, what
        is booked and what is paid. days: the day before the first and the last one, both settled; None where none is paid.
        """
        bind = Binding()
        keys = ", ".join(["entity", "account", *self.members])
        return self.engine.rows(
            f"""select {keys}, count(*) filter (where booked <> 0), count(*) filter (where paid <> 0), sum(booked),
                    sum(paid)
                from {self._changes(self._linked, bind, stretches, days)} where booked <> 0 or paid <> 0
                group by {keys} order by {keys}""",
            bind.values,
        )

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
                where booked <> 0 or paid <> 0 order by counted, journal, file, file_line""",
            bind.values,
        )

    def places(self, rules: Sequence[Predicate]) -> set[Any]:
        """Return (file, line) of the linked lines that meet the rules."""
        bind = Binding()
        rows = self.engine.rows(f"select file, file_line from {self._link(bind, rules, {})}", bind.values)
        return set(rows)
