"""The lines of payables or receivables that a report is of, by names of their own."""

import itertools
import weakref
from collections.abc import Mapping, Sequence
from functools import cached_property

from level_almanac.store.binding import Binding
from level_almanac.store.documents import marks
from level_almanac.store.documents.marks import EFFECT, MARKS, sign_sql
from level_almanac.store.engine import Engine, Row
from level_almanac.store.expressions import Expression, FieldReference
from level_almanac.store.line_query import Asking, LineSource

ITEM = (
    "entity", "party", "kind", "number", "line", "dated", "due", "posted", "amount", "settles", "applied", "reference",
    "place", "exported_party", "failed_rule", "void_of", "void_part",
)  # fmt: skip
"""What each line brings to core, in this order, and after it the further values that were asked for."""
_ADDED = (*MARKS, "sign", "signed", "effect", "file", "file_line")
_SERIAL = itertools.count(1)


class _Table:
    """A table of the engine's, which goes when nothing holds it any more."""

    def __init__(self, engine: Engine, name: str) -> None:
        weakref.finalize(self, engine.drop, name).atexit = False


class DocumentLines:
    """The lines of one table, whatever their day.

    source: the lines and the rules that each is held against; values: by name those of `ITEM`, but for the number of
    the rule, which the source says; further: values that a report wants besides; entities: whose lines are taken;
    marked: whether they are stored with their marks, or those are to be made now.
    """

    def __init__(
        self,
        engine: Engine,
        source: LineSource,
        values: Mapping[str, Expression],
        further: Sequence[Expression],
        entities: Sequence[str],
        *,
        marked: bool,
    ) -> None:
        self.engine, self._stored, self._entities = engine, source, tuple(entities)
        self.further = tuple(f"f{number}" for number in range(len(further)))
        self.names = (*ITEM, *self.further, *_ADDED)
        """What a line can be asked for."""
        self._named = {**values, **dict(zip(self.further, further, strict=True))}
        self._tables: list[_Table] = []
        self._made = ""
        if marked:
            self._named |= {name: FieldReference(name) for name in MARKS}
        else:
            bind = Binding()
            lines = f"(select *, party as standing from {self._read(bind)})"
            self._made = self.made(f"select * exclude (standing) from ({marks.marked(lines, bind)})", bind)

    def relation(self, bind: Binding) -> str:
        """Return the SQL of the lines."""
        return self._made or self._read(bind)

    def _read(self, bind: Binding) -> str:
        asking = Asking(self._stored, bind)
        inner = asking.lines(
            [(name, asking.sql(value)) for name, value in self._named.items()], [*self._named.values()]
        )
        return f"""(select *, sign * amount as signed from (
            select {", ".join(self._named)}, file, file_line, left_by as failed_rule,
                case when void_of = 'refund' then -1 else {sign_sql(bind)} end as sign, {EFFECT} as effect
            from ({inner}) where entity in {bind.many(self._entities)}))"""

    def made(self, sql: str, bind: Binding) -> str:
        """Make a table of the engine's from a statement, and return its name; it goes when the lines do."""
        name = f"documents_{next(_SERIAL)}"
        self.engine.make(name, sql, bind.values)
        self._tables.append(_Table(self.engine, name))
        return name

    @cached_property
    def decimals(self) -> int:
        """Return how many decimals amounts are stored with."""
        bind = Binding()
        ((least,),) = self.engine.rows(f"select min(amount) from {self.relation(bind)}", bind.values)
        return 2 if least is None else -int(least.as_tuple().exponent)

    def in_chains(self) -> list[Row]:
        """Return the lines that have a number of a chain, or settle one, in the order of the exports: what each brings,
        and then whether its number is of a chain, and what it settles.
        """
        bind = Binding()
        columns = ", ".join((*ITEM, *self.further, "number_chained", "settles_chained"))
        return self.engine.rows(
            f"""select {columns} from {self.relation(bind)} as each
                where done_on = {bind(marks.NEVER)} and (number_chained or settles_chained)
                order by file, file_line, number, line, void_part""",
            bind.values,
        )

    def source(self) -> LineSource:
        """Return all lines, to be asked of by their `names`."""
        return LineSource((), {}, self.places, relation=lambda bind: f"{self.relation(bind)} as line", part="void_part")

    @property
    def places(self) -> dict[str, Expression]:
        """Where each value is found that can be asked for."""
        return {name: FieldReference(name) for name in self.names}
