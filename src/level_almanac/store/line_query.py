"""Questions of the lines of a table: which are shown and which rule left the others out, one by one or in groups.

Each line is met by the rules in their order, and belongs to the first that leaves it out. Linked tables are reached
by their key, of which each has but one line, so that a link neither loses a line nor makes it two.
"""

import re
from collections.abc import Callable, Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Literal, NamedTuple

from level_almanac.immutable import immutable
from level_almanac.store.binding import Binding
from level_almanac.store.day_places import DayPlaces, placed_lines
from level_almanac.store.engine import Engine, Row
from level_almanac.store.expressions import (
    Expression,
    FieldReference,
    Labelled,
    PeriodId,
    expression_sql,
    labels_in,
    labels_name,
    link_sql,
    links_in,
    parts_of,
)
from level_almanac.store.predicate import Predicate, filter_sql, looked_up, sql_of

Summing = Literal["sum", "count", "distinct", "values", "minimum", "maximum", "only", "once"]
"""How the lines of a group make one value; `distinct`: how many there are; `values`: each different one, to be counted
when groups are put together; `only`: what they all have, blank where they differ; `once`: of a `Keyed` number, each
that there is with its keys, to be added up when the groups are put together.
"""
_EACH = "(case when count({v}) > 0 then list(distinct {v}) filter (where {v} is not null) end)"
"""An engine's own list of nothing may be blank or empty."""
_SUMMED: dict[Summing, str] = {
    "sum": "sum({v})",
    "count": "count({v})",
    "distinct": "count(distinct {v})",
    "values": _EACH,
    "minimum": "min({v})",
    "maximum": "max({v})",
    "only": "(case when min({v}) = max({v}) and count({v}) = count(*) then min({v}) end)",
    "once": _EACH,
}


class LinkedParts(NamedTuple):
    """Another table, reached through a field: its parts, the field that is its key, and all of its fields."""

    key: str
    parts: tuple[str, ...]
    fields: tuple[str, ...] = ()


class Order(NamedTuple):
    """What lines are put in order by; blank ones come last. as_number: whether a text is put in order as a number."""

    value: Expression
    descending: bool = False
    as_number: bool = False


class Asked(NamedTuple):
    """A value of each line, or of each group of them as it is summed."""

    value: Expression
    summing: Summing = "sum"


@immutable
class LineSource:
    """The lines that a question is of.

    parts: of the table.
    links: by field.
    places: the value of each name that a rule can use.
    rules: the tests of a line, in order.
    labels: of days, by number.
    day_places: the fiscal position of each day, if ledger lines are placed by their date alone.
    relation: returns the SQL of the lines, as `line`, if they are not those of the parts.
    part: the column with the number of a line's part, if one line can be several rows. Only its first part is counted.
    """

    parts: tuple[str, ...]
    links: Mapping[str, LinkedParts]
    places: Mapping[str, Expression]
    rules: tuple[Predicate, ...] = ()
    labels: tuple[Mapping[date, str], ...] = ()
    day_places: DayPlaces | None = None
    relation: Callable[[Binding], str] | None = None
    part: str = ""

    @property
    def is_empty(self) -> bool:
        """Whether there is nothing to ask of."""
        return not self.parts and self.relation is None

    @property
    def as_exported(self) -> str:
        """The SQL for the order of the exports."""
        return "file, file_line, part" if self.part else "file, file_line"


class Left(NamedTuple):
    """How many lines a rule left out, by its number, or were shown where it is None, and what they come to."""

    rule: int | None
    lines: int
    amount: Decimal


def left_out(engine: Engine, source: LineSource, measure: Expression | None) -> list[Left]:
    """Return what each rule left out and what is shown. measure: what is added up, if anything is."""
    if source.is_empty:
        return []
    asking = Asking(source)
    amount = asking.sql(measure) if measure is not None else "0"
    inner = asking.lines([("amount", amount)], [measure] if measure is not None else [])
    query = f"""select left_by, {_count(source)}, coalesce(sum(amount), 0)::decimal(38, 6) from ({inner})
        group by left_by order by left_by"""
    rows = engine.rows(query, asking.bind.values)
    shown = len(source.rules)
    return [Left(None if rule == shown else rule, lines, Decimal(amount)) for rule, lines, amount in rows]


def lines(
    engine: Engine, source: LineSource, values: Sequence[Expression], order: Sequence[Order], first: int | None = None
) -> list[Row]:
    """Return the values of each line shown, in order. first: only so many."""
    if source.is_empty:
        return []
    asking = Asking(source)
    named = [(f"v{number}", asking.sql(value)) for number, value in enumerate(values)]
    sorts = [(f"o{number}", asking.order(each)) for number, each in enumerate(order)]
    inner = asking.met([*named, *sorts], [*values, *(each.value for each in order)])
    by = [f"o{number}{' desc' if each.descending else ''} nulls last" for number, each in enumerate(order)]
    query = f"select {', '.join(name for name, _ in named)} from ({inner})"
    query += f" order by {', '.join([*by, source.as_exported])}"
    if first is not None:
        query += f" limit {int(first)}"
    return engine.rows(query, asking.bind.values)


def lines_met(engine: Engine, source: LineSource, values: Sequence[Expression]) -> list[Row]:
    """Return for every line the number of the rule that leaves it out, or how many there are, and these values."""
    if source.is_empty:
        return []
    asking = Asking(source)
    named = [(f"v{number}", asking.sql(value)) for number, value in enumerate(values)]
    inner = asking.lines(named, values)
    names = ", ".join(["left_by", *(name for name, _ in named)])
    return engine.rows(f"select {names} from ({inner}) order by {source.as_exported}", asking.bind.values)


def groups(
    engine: Engine, source: LineSource, by: Sequence[Expression], asked: Sequence[Asked], less: int = 0
) -> list[Row]:
    """Return for each group its values of `by`, how many lines it has, and each value asked for.

    less: how many of the last rules are passed over.
    """
    if source.is_empty:
        return []
    asking = Asking(source)
    keys = [(f"k{number}", asking.sql(value)) for number, value in enumerate(by)]
    named = [(f"v{number}", asking.sql(each.value)) for number, each in enumerate(asked)]
    inner = asking.met([*keys, *named], [*by, *(each.value for each in asked)], less)
    sums = [_SUMMED[each.summing].format(v=f"v{number}") for number, each in enumerate(asked)]
    names = [name for name, _ in keys]
    grouped = f" group by {', '.join(names)}" if names else ""
    query = f"""select {", ".join([*names, _count(source), *sums])}
        from ({inner}){grouped}"""
    return engine.rows(query, asking.bind.values)


def days_of(engine: Engine, source: LineSource, value: Expression) -> list[date]:
    """Return each different day that the lines have there."""
    if source.is_empty:
        return []
    asking = Asking(source)
    inner = asking.lines([("day", asking.sql(value))], [value])
    rows = engine.rows(f"select distinct day from ({inner}) where day is not null", asking.bind.values)
    return [day for (day,) in rows]


def first_day(engine: Engine, source: LineSource, day: Expression) -> date | None:
    """Return the first day that the lines which meet the rules of a source have there."""
    found = groups(engine, source, (), [Asked(day, "minimum")])
    return found[0][1] if found and isinstance(found[0][1], date) else None


def columns_in(source: LineSource) -> set[str]:
    """Return the columns of the table itself that the rules ask for, those that lead to other tables among them."""
    columns: set[str] = set()
    for rule in source.rules:
        for name in looked_up(rule):
            for part in parts_of(source.places[name], source.places):
                if isinstance(part, FieldReference):
                    columns.add(part.link.partition(".")[0] or part.column)
                elif isinstance(part, PeriodId):
                    columns.add("fiscal")
    return columns


def _count(source: LineSource) -> str:
    """Return the SQL that counts the lines of a group."""
    return "count(*) filter (where coalesce(part, 1) = 1)" if source.part else "count(*)"


def _names(rule: Predicate) -> list[str]:
    return sorted(looked_up(rule))


class Asking:
    """One statement in the making: its bound values, and the names it may use. The table's lines are called `line`."""

    def __init__(self, source: LineSource, bind: Binding | None = None) -> None:
        self.source, self.bind = source, bind if bind is not None else Binding()

    def sql(self, value: Expression) -> str:
        """Return the SQL of a value."""
        return expression_sql(value, self.bind, self.field)

    def field(self, name: str) -> str:
        """Return the SQL of a field by its name."""
        return self.sql(self.source.places[name])

    def order(self, order: Order) -> str:
        """Return the SQL of what is put in order by; a number before what is none."""
        sql = self.sql(order.value)
        # Numbers of a few digits are padded rather than cast, so that both kinds stand in one order.
        return (
            f"(case when regexp_matches({sql}, '^[0-9]+$') then lpad({sql}, 30, '0') else {sql} end)"
            if (order.as_number)
            else sql
        )

    def lines(self, named: Sequence[tuple[str, str]], values: Sequence[Expression]) -> str:
        """Return the SQL of all lines with these named values and the number of the rule that leaves each out."""
        columns = "".join(f"{sql} as {name}, " for name, sql in named)
        left_by, joins = self.left_by(), self.joins(values)
        lines_ = self._from()
        return f"""select {columns}{left_by} as left_by, line.file, line.file_line{self._part}
            from {lines_}{joins}"""

    def met(self, named: Sequence[tuple[str, str]], values: Sequence[Expression], less: int = 0) -> str:
        """Return the SQL of the lines that meet the rules, with these named values. less: how many of the last rules
        are passed over.
        """
        source = self.source
        rules = source.rules[: len(source.rules) - less]
        columns = "".join(f"{sql} as {name}, " for name, sql in named)
        tests = " and ".join(filter_sql(rule, self.bind, self.field) for rule in rules)
        joins, lines_ = self.joins(values), self._from()
        return f"select {columns}line.file, line.file_line{self._part} from {lines_}{joins} where {tests or 'true'}"

    @property
    def _part(self) -> str:
        return f", line.{self.source.part} as part" if self.source.part else ""

    def _from(self) -> str:
        source = self.source
        if source.relation:
            return source.relation(self.bind)
        return placed_lines(source.parts, source.day_places, self.bind)

    def left_by(self) -> str:
        """Return the SQL of the number of the rule that leaves a line out, or of how many there are where none does."""
        tests = [sql_of(rule, self.bind, self.field) for rule in self.source.rules]
        cases = " ".join(f"when not {test} then {number}" for number, test in enumerate(tests))
        return f"case {cases} else {len(tests)} end" if tests else "0"

    def joins(self, values: Sequence[Expression]) -> str:
        """Return the joins that the rules and these values need."""
        source = self.source
        asked = [*values, *(source.places[name] for rule in source.rules for name in _names(rule))]
        links: set[str] = set().union(*(links_in(each, source.places) for each in asked))
        labelled = {(each.number, each.tested): each for value in asked for each in labels_in(value, source.places)}
        # A way to another table goes by those before it, which stand before it in order.
        ways = {link[:end] for link in links for end in (*(m.start() for m in re.finditer(r"\.", link)), len(link))}
        return "".join([*(self._link(way) for way in sorted(ways)), *map(self._labels, labelled.values())])

    def _link(self, link: str) -> str:
        linked = self.source.links[link]
        if not linked.parts:
            nothing = ", ".join(f'null as "{field}"' for field in linked.fields)
            return f""" left join (select {nothing}) as "link_{link}" on false"""
        parts = self.bind(list(linked.parts))
        return f"""
            left join read_parquet({parts}, union_by_name = true) as "link_{link}"
                on "link_{link}"."{linked.key}" = {link_sql(link)}"""

    def _labels(self, labelled: Labelled) -> str:
        labels = self.source.labels[labelled.number]
        days = self.bind.table({"day": "date", "label": "varchar"}, labels.items())
        name = labels_name(labelled)
        return f"""
            left join {days} as {name} on {name}.day = {self.sql(labelled.of)}"""
