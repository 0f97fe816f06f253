"""From the texts of one export to its part: what is wrong with them, where they stand in the calendar, and the writing.

The order of a ledger part (fiscal position first, then account) lets a period or an account be read without the rest.
"""

import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal
from pathlib import Path

from level_almanac.files.tables import Table
from level_almanac.immutable import immutable
from level_almanac.store.binding import Binding
from level_almanac.store.casting import YEARS, Cast, Reason
from level_almanac.store.engine import GatheringEngine, Row, WritingEngine
from level_almanac.store.place import Placements
from level_almanac.store.predicate import Predicate, sql_of

LEDGER_ORDER = "fiscal, account, posted, file_line"


@immutable
class WrongText:
    """One text that cannot be taken: its line in the export, field, why, and the text itself.

    alike: how many further lines have what is alike, through the line `last`; texts: some of those that they have.
    """

    line: int
    field: str
    reason: Reason
    text: str
    alike: int = 0
    last: int = 0
    texts: tuple[str, ...] = ()


_NO_COLUMN = re.compile(r"null::varchar|\$\w+::varchar")
"""The SQL of a text that is a constant."""
SHOWN_OF_A_CAUSE = 3
"""How many lines are told of that have alike texts wrong in one way; of the others, how many they are."""
_SHOWN_TEXTS = 200
_BY_TEXT = ("account", "period", "choice", "calendar-day", "side", "plan-name")
"""Reasons that lie in a word itself, so that other words are other causes."""


def _cause_sql(reason: str, text: str) -> str:
    """Return the SQL of what texts have in common that are wrong in one way: the text, or what kinds of letters."""
    if reason in _BY_TEXT:
        return text
    return f"regexp_replace(regexp_replace({text}, '[0-9]+', '9', 'g'), '\\pL+', 'a', 'g')"


@immutable
class ExportLines:
    """The records of one export, copied as texts to `raw`, and the cast of each field of the table.

    rows: the FROM clause of that file's rows, each with its line; scale: how many decimals a stored amount has;
    order_by_file: number the lines within their journal in file order, since the export has no line numbers; only: the
    test of the lines that are taken, or empty for all; aside: the lines that are not, by number; order: the SQL of the
    order of lines in the export; repeated: whether a line that is said again is kept once.
    """

    engine: WritingEngine
    table: Table
    raw: Path
    rows: str
    casts: Mapping[str, Cast]
    bound: Binding
    scale: int
    order_by_file: bool = False
    only: str = ""
    aside: tuple[int, ...] = ()
    order: str = "file_line"
    repeated: bool = False

    @property
    def _rows(self) -> str:
        """The FROM clause of the lines that are taken."""
        tests = [self.only] if self.only else []
        if self.aside:
            tests.append(f"file_line not in {self.bound.many(self.aside)}")
        rows = self.rows
        return f"(select * from {rows} where {' and '.join(tests)})" if tests else rows

    def counted(self) -> tuple[int, int, int]:
        """Return how many lines the work file holds, how many of them the block does not take, and how many are set
        aside.
        """
        others = f"count(*) filter (where not coalesce({self.only}, false))" if self.only else "0"
        aside = "0"
        if self.aside:
            taken = f" and coalesce({self.only}, false)" if self.only else ""
            aside = f"count(*) filter (where file_line in {self.bound.many(self.aside)}{taken})"
        query = f"select count(*), {others}, {aside} from {self.rows}"
        ((records, left, left_out),) = self.engine.rows(query, self._values())
        return int(records), int(left), int(left_out)

    def said_again(self) -> int:
        """Return how many lines say again what an earlier one says."""
        if not self.repeated:
            return 0
        lines = f"select {self._fields({}, skip=set())} from {self._rows}"
        query = f"select (select count(*) from ({lines})) - (select count(*) from (select distinct * from ({lines})))"
        ((again,),) = self.engine.rows(query, self._values())
        return int(again)

    def write_fates(self, target: Path) -> None:
        """Write which records are taken, and which are left to other blocks."""
        taken = f"coalesce({self.only}, false)" if self.only else "true"
        self._copy(f"select file_line, bool_or({taken}) as taken from {self.rows} group by 1", target)

    def _wrong(self) -> Iterator[tuple[str, Reason, str, str]]:
        for name, cast in self.casts.items():
            for reason, condition in cast.wrong:
                yield name, reason, condition, cast.side if reason == "side" and cast.side else cast.text
        yield from self._wrong_amounts()

    def _wrong_plan(self) -> Iterator[tuple[str, Reason, str, str]]:
        period, day, amount, share = (self.casts[name].text for name in ("period", "date", "amount", "share"))
        of, scenario = self.casts["share_of"].text, self.casts["scenario"].text
        yield "scenario", "plan-name", f"coalesce(lower({scenario}) = 'actual', false)", scenario
        yield "period", "plan-when", f"(({period} is null) = ({day} is null))", f"coalesce({period}, '')"
        unclear = f"(({amount} is null) = ({share} is null) or ({share} is null) <> ({of} is null))"
        yield "amount", "plan-amount", unclear, f"coalesce({amount}, '')"

    def _wrong_amounts(self) -> Iterator[tuple[str, Reason, str, str]]:
        if self.table.plan_of:
            yield from self._wrong_plan()
        if self.table.name != "ledger":
            return
        amount, debit, credit = (self.casts[name] for name in ("amount", "debit", "credit"))
        if amount.text != "null::varchar":
            yield "amount", "blank", f"({amount.text} is null)", amount.text
            return
        both = f"coalesce({debit.value} <> 0 and {credit.value} <> 0, false)"
        yield "debit", "both-sides", both, f"concat({debit.text}, ' and ', {credit.text})"
        yield "debit", "no-side", f"({debit.text} is null and {credit.text} is null)", "null::varchar"

    def _is_all_right(self) -> bool:
        # Most exports have nothing wrong, and this asks less of each line than finding out what would be.
        wrong = [f"not {cast.sure}" for cast in self.casts.values() if cast.sure]
        wrong += [condition for cast in self.casts.values() if not cast.sure for _, condition in cast.wrong]
        wrong += [condition for _, _, condition, _ in self._wrong_amounts()]
        query = f"select 1 from {self._rows} where {' or '.join(wrong)} limit 1"
        return not self.engine.rows(query, self._values())

    def wrong_texts(self, limit: int, *, each: bool = False) -> tuple[list[WrongText], int]:
        """Return the first wrong texts in the order of their lines, and how many there are in all.

        each: every one by itself; or else some of each cause, so that many alike do not hide the others.
        """
        if self._is_all_right():
            return [], 0
        wrong = list(self._wrong())
        counts = ", ".join(f"count(*) filter (where {condition})" for _, _, condition, _ in wrong)
        rows = self.engine.rows(f"select {counts} from {self._rows}", self._values())
        total = sum(rows[0])
        if not total:
            return [], 0
        found: list[WrongText] = []
        for (name, reason, condition, text), count in zip(wrong, rows[0], strict=True):
            if count and each:
                query = f"select file_line, {text} from {self._rows} where {condition}"
                found += [
                    WrongText(line, name, reason, told or "") for line, told in self.engine.rows(query, self._values())
                ]
            elif count:
                found += self._by_cause(name, reason, condition, text, limit)
        return sorted(found, key=lambda wrong: wrong.line)[:limit], total

    def _by_cause(self, name: str, reason: Reason, condition: str, text: str, limit: int) -> list[WrongText]:
        """Return the first lines of each cause, the last of which stands for those that follow."""
        most = 1 if reason in _BY_TEXT else SHOWN_OF_A_CAUSE
        query = f"""
            select cause, count(*), min_by(told, file_line), list(file_line order by file_line)[:{most}],
                list(told order by file_line)[:{most}], max(file_line), list(distinct told)[:{_SHOWN_TEXTS}]
            from (select file_line, {text} as told, {_cause_sql(reason, f"coalesce({text}, '')")} as cause
                from {self._rows} where {condition})
            group by cause order by min(file_line) limit {limit}"""
        found = []
        for _, count, _, lines, told, last, texts in self.engine.rows(query, self._values()):
            shown = [WrongText(line, name, reason, word or "") for line, word in zip(lines, told, strict=True)]
            more = count - len(shown)
            known = tuple(word for word in texts if word)
            found += [*shown[:-1], replace(shown[-1], alike=more, last=last if more else 0, texts=known)]
        return found

    def texts(self, numbers: Sequence[int], columns: int) -> list[Row]:
        """Return (line, the text of each column) of these lines."""
        names = ", ".join(f"c{number}" for number in range(columns))
        query = f"select file_line, {names} from {self._rows} where file_line in (select unnest($numbers)) order by 1"
        return self.engine.rows(query, {**self._values(), "numbers": list(numbers)})

    def sides_of(self, numbers: Sequence[int]) -> tuple[Decimal, Decimal]:
        """Return the debits and credits of these lines, or the amounts and nothing, as far as they can be read."""
        if self.table.name == "ledger" and self.casts["amount"].text == "null::varchar":
            sides = (self.casts["debit"].value, self.casts["credit"].value)
        elif self.table.name == "ledger":
            amount = self.casts["amount"].value
            sides = (f"greatest({amount}, 0)", f"greatest(-{amount}, 0)")
        elif self.table.measure:
            sides = (self.casts[self.table.measure].value, "0")
        else:
            return Decimal(0), Decimal(0)
        sums = ", ".join(f"coalesce(sum({side}), 0)::decimal(38, 4)" for side in sides)
        query = f"select {sums} from {self._rows} where file_line in (select unnest($numbers))"
        ((debit, credit),) = self.engine.rows(query, {**self._values(), "numbers": list(numbers)})
        return Decimal(debit), Decimal(credit)

    def dates_and_periods(self, *, by_entity: bool) -> list[Row]:
        """Return each different posting date, period text and, if asked for, entity, where the date can be read."""
        posted, period = self.casts[self.table.date].value, self.casts["period"].text
        entity = self.casts["entity"].text if by_entity else "null::varchar"
        query = f"select distinct {posted}, {period}, {entity} from {self._rows}"
        query += f" where {posted} is null or year({posted}) between {YEARS}"
        return self.engine.rows(query, self._values())

    def texts_of_days(self, days: Collection[date]) -> set[str]:
        """Return each different text that stands for one of these posting dates."""
        if not days:
            return set()
        cast = self.casts[self.table.date]
        posted, text = cast.value, cast.text
        query = f"select distinct {text} from {self._rows} where {posted} in (select unnest($days))"
        return {found for (found,) in self.engine.rows(query, {**self._values(), "days": list(days)})}

    def accounts(self) -> set[str]:
        """Return each different account."""
        text = self.casts["account"].text
        rows = self.engine.rows(f"select distinct {text} from {self._rows} where {text} is not null", self._values())
        return {account for (account,) in rows}

    def lines_with(
        self, field: str, texts: Sequence[str], reason: Reason, limit: int, *, each: bool = False
    ) -> tuple[list[WrongText], int]:
        """Return the first lines whose field is one of these texts, wrong for this reason, and how many there are.

        each: every one of them; or else the first of each text.
        """
        if not texts:
            return [], 0
        text = self.casts[field].text
        values = {**self._values(), "texts": list(texts)}
        test = f"{text} in (select unnest($texts))"
        if each:
            rows = self.engine.rows(f"select file_line, {text} from {self._rows} where {test}", values)
            return [WrongText(line, field, reason, found) for line, found in rows], len(rows)
        query = f"""select min(file_line), {text}, count(*), max(file_line), sum(count(*)) over ()
            from {self._rows} where {test} group by 2 order by 1 limit {limit}"""
        rows = self.engine.rows(query, values)
        found = [
            WrongText(line, field, reason, told, count - 1, last if count > 1 else 0, tuple(texts))
            for line, told, count, last, _ in rows
        ]
        return found, int(rows[0][4]) if rows else 0

    def write_ledger(self, path: str, placements: Placements, rules: Mapping[str, Predicate], target: Path) -> None:
        """Write the ledger part. path: the export's, as the part is to tell it; rules: entry class to its condition."""
        self._keep_placements(placements)
        classes = " ".join(f"when {sql_of(rule, self.bound)} then '{name}'" for name, rule in rules.items())
        own_class = f"case {classes} else 'ordinary' end" if classes else "'ordinary'"
        debit, credit = self.casts["debit"].value, self.casts["credit"].value
        if self.casts["amount"].text != "null::varchar":
            amount = self.casts["amount"].value
            debit, credit = f"greatest({amount}, 0)", f"greatest(-{amount}, 0)"
        sides = {"debit": debit, "credit": credit}
        exact = {name: f"cast(coalesce({side}, 0) as decimal(18, {self.scale}))" for name, side in sides.items()}
        values = self._field_values(exact, skip={"amount"})
        fields = _named(values)
        # What is the same on all lines is not carried through the sorting.
        alike = {name: value for name, value in values.items() if name not in exact and self._is_alike(name)}
        sorted_ = ", ".join(f'"{name}"' for name in values if name not in alike)
        written = ", ".join(f'{alike[name]} as "{name}"' if name in alike else f'"{name}"' for name in values)
        by_entity = _by_entity(placements)
        query = f"""
            with texts as (select {fields}, file_line from {self._rows}),
            placed as (
                select texts.*, cast(debit - credit as decimal(18, {self.scale})) as amount,
                    fiscal, counted, carried_fiscal, carried_day
                from texts join placements on texts.posted = placements.day
                    and texts.period is not distinct from placements.period{by_entity}),
            classed as (select *, {own_class} as own_class from placed)
            select {written}, amount, own_class, fiscal, counted, own_class as entry_class,
                {self.bound(path)}::varchar as file, file_line
            from (select {sorted_}, amount, own_class, file_line,
                    cast(case when own_class = 'carried' then carried_fiscal else fiscal end as integer) as fiscal,
                    case when own_class = 'carried' then carried_day else counted end as counted
                from classed order by {LEDGER_ORDER})"""
        self._copy(query, target)

    def write_plan(self, path: str, placements: Placements, target: Path) -> None:
        """Write the part of a plan, each line at its period, year or day, in the order of the table's key."""
        self._keep_placements(placements)
        by_entity = _by_entity(placements)
        query = f"""
            with texts as (select {self._fields({}, skip=set())}, file_line from {self._rows})
            select texts.* exclude (file_line), fiscal, texts.date as counted,
                {self.bound(path)}::varchar as file, file_line
            from texts join placements on texts.date is not distinct from placements.day
                and texts.period is not distinct from placements.period{by_entity}
            order by {order_of(self.table)}"""
        self._copy(query, target)

    def write_plain(self, path: str, target: Path) -> None:
        """Write the part of a table that has no place in the calendar, in the order of the export."""
        fields = self._fields({}, skip=set())
        once = ""
        if self.repeated:
            names = ", ".join(f'"{name}"' for name in self.casts)
            once = f" qualify row_number() over (partition by {names} order by file_line) = 1"
        # As they are read, unless they were taken out of their order on the way.
        order = f" order by {self.order}" if self.repeated or self.order_by_file else ""
        query = f"select {fields}, {self.bound(path)}::varchar as file, file_line from {self._rows}{once}{order}"
        self._copy(query, target)

    def _is_alike(self, name: str) -> bool:
        """Tell whether a field is the same on all lines, since no column tells it."""
        cast = self.casts[name]
        own = name == "line" and self.order_by_file
        return _NO_COLUMN.fullmatch(cast.text) is not None and not cast.field.like and not own

    def _fields(self, given: Mapping[str, str], skip: set[str]) -> str:
        return _named(self._field_values(given, skip))

    def _field_values(self, given: Mapping[str, str], skip: set[str]) -> dict[str, str]:
        """Return the SQL of each field by name."""
        values = {name: given.get(name, self._value(cast)) for name, cast in self.casts.items() if name not in skip}
        if self.order_by_file:
            group = ", ".join(values[name] for name in self.table.key if name != "line")
            values["line"] = f"(row_number() over (partition by {group} order by {self.order}))::varchar"
        return values

    def _value(self, cast: Cast) -> str:
        """Return the SQL of a field's value, or of what it has where it is blank."""
        if cast.field.like:
            return f"coalesce({cast.value}, {self.casts[cast.field.like].value})"
        return f"coalesce({cast.value}, {self.bound(cast.field.default)})" if cast.field.default else cast.value

    def _keep_placements(self, placements: Placements) -> None:
        places = list(placements.values())
        self.engine.run(
            """create or replace temp table placements as select unnest($days::date[]) as day,
                unnest($periods::varchar[]) as period, unnest($entities::varchar[]) as entity,
                unnest($fiscals::integer[]) as fiscal, unnest($counted::date[]) as counted,
                unnest($carried_fiscals::integer[]) as carried_fiscal, unnest($carried_days::date[]) as carried_day""",
            {
                "days": [day for day, _, _ in placements],
                "periods": [period for _, period, _ in placements],
                "entities": [entity for _, _, entity in placements],
                "fiscals": [place.fiscal for place in places],
                "counted": [place.counted for place in places],
                "carried_fiscals": [place.carried_fiscal for place in places],
                "carried_days": [place.carried_day for place in places],
            },
        )

    def _copy(self, query: str, target: Path) -> None:
        self.engine.write(query, target, self._values())

    def _values(self) -> dict[str, object]:
        return {**self.bound.values, "raw": str(self.raw)}


def _named(values: Mapping[str, str]) -> str:
    return ", ".join(f'{value} as "{name}"' for name, value in values.items())


def join_parts(engine: GatheringEngine, table: Table, parts: Sequence[str], target: Path) -> None:
    """Write the part of an export whose stretches were written as parts of their own."""
    query = f"select * from read_parquet($parts, union_by_name = true) order by {order_of(table)}"
    engine.write(query, target, {"parts": list(parts)})


def order_of(table: Table) -> str:
    """Return the SQL of the order of a part: plans by their key, all but ledgers and plans as their exports are."""
    key = ", ".join(f'"{name}"' for name in table.key)
    return LEDGER_ORDER if table.name == "ledger" else key if table.plan_of else f"file_line, {key}"


def _by_entity(placements: Placements) -> str:
    return " and texts.entity = placements.entity" if any(entity for _, _, entity in placements) else ""
