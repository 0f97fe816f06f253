"""Sums over the ledger: one query for all the columns and proof figures of a report.

Whole periods are read from the roll-up. The periods that a report cuts through are read from their lines, all of them,
so that what falls outside the cut is counted as such and a proof can be made of it.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Literal

from level_almanac.store.binding import Binding
from level_almanac.store.engine import Engine
from level_almanac.store.state import State, Store

EntryClass = Literal["ordinary", "adjusting", "closing", "base", "carried"]
"""`base`: carried lines of an entity's first loaded year; `carried`: those of later years."""
MOVEMENT: tuple[EntryClass, ...] = ("ordinary", "adjusting", "closing")
LAST_FISCAL = 999999


@dataclass(frozen=True, slots=True)
class Stretch:
    """The fiscal positions from `low` through `high`, or of one position the days from `first` through `last`."""

    low: int
    high: int
    first: date | None = None
    last: date | None = None


@dataclass(frozen=True, slots=True)
class Slice:
    """The lines of these entry classes within any of the stretches, or with `outside` within none of them."""

    classes: tuple[EntryClass, ...]
    stretches: tuple[Stretch, ...] = (Stretch(0, LAST_FISCAL),)
    outside: bool = False


@dataclass(frozen=True, slots=True)
class Sums:
    """How many lines, and their exact debit and credit."""

    lines: int = 0
    debit: Decimal = Decimal(0)
    credit: Decimal = Decimal(0)

    @property
    def amount(self) -> Decimal:
        """The sum with debits positive."""
        return self.debit - self.credit

    def __add__(self, other: "Sums") -> "Sums":
        return Sums(self.lines + other.lines, self.debit + other.debit, self.credit + other.credit)


Measures = Mapping[str, tuple[Slice, ...]]
"""What is to be summed: by name, the slices whose union makes the sum; a line in two of them counts once."""


def ledger_sums(
    engine: Engine, store: Store, state: State, measures: Measures
) -> dict[tuple[str, str], dict[str, Sums]]:
    """Return the sums of each measure by (entity, account), for every account that has lines at all."""
    cut = sorted(
        {
            stretch.low
            for slices in measures.values()
            for part in slices
            for stretch in part.stretches
            if stretch.first is not None
        }
    )
    bind = Binding()
    sums = []
    for number, slices in enumerate(measures.values()):
        test = " or ".join(_slice_sql(part, bind) for part in slices) or "false"
        sums += [
            f'coalesce(sum(lines) filter (where {test}), 0)::bigint as "l{number}"',
            f'coalesce(sum(debit) filter (where {test}), 0)::decimal(38, 3) as "d{number}"',
            f'coalesce(sum(credit) filter (where {test}), 0)::decimal(38, 3) as "c{number}"',
        ]
    query = f"""
        select entity, account, {", ".join(sums)}
        from (select entity, account, fiscal, counted, lines, debit, credit,
                case when entry_class = 'carried' and {_base_sql(state, bind)} then 'base' else entry_class end as kind
            from ({_source_sql(store, state, cut, bind)}))
        group by entity, account"""
    return {
        (row[0], row[1]): {name: Sums(*row[2 + 3 * number : 5 + 3 * number]) for number, name in enumerate(measures)}
        for row in engine.rows(query, bind.values)
    }


def _source_sql(store: Store, state: State, cut: Sequence[int], bind: Binding) -> str:
    rollup = f"""select entity, account, fiscal, null::date as counted, entry_class, lines, debit, credit
        from read_parquet({bind(store.path_of(state.rollup))})"""
    parts = [
        store.path_of(loaded.part)
        for loaded in state.files_of("ledger")
        if loaded.lines and any(loaded.fiscal_low <= fiscal <= loaded.fiscal_high for fiscal in cut)
    ]
    if not parts:
        # A period without lines has no rows in the roll-up either.
        return rollup
    cut_sql = f"fiscal in ({', '.join(bind(fiscal) for fiscal in cut)})"
    return f"""{rollup} where not {cut_sql} union all
        select entity, account, fiscal, counted, entry_class, 1, debit, credit
        from read_parquet({bind(parts)}, union_by_name = true) where {cut_sql}"""


def _base_sql(state: State, bind: Binding) -> str:
    tests = [
        f"(entity = {bind(entity)} and fiscal = {bind(fiscal)})" for entity, fiscal in state.bases.items() if fiscal
    ]
    return f"({' or '.join(tests)})" if tests else "false"


def _slice_sql(part: Slice, bind: Binding) -> str:
    classes = ", ".join(bind(name) for name in part.classes)
    within = " or ".join(_stretch_sql(stretch, bind) for stretch in part.stretches) or "false"
    return f"(kind in ({classes}) and {'not ' if part.outside else ''}({within}))"


def _stretch_sql(stretch: Stretch, bind: Binding) -> str:
    if stretch.first is None or stretch.last is None:
        return f"fiscal between {bind(stretch.low)} and {bind(stretch.high)}"
    return f"(fiscal = {bind(stretch.low)} and counted between {bind(stretch.first)} and {bind(stretch.last)})"


def considered(state: State, entities: Collection[str]) -> Sums:
    """Return what all ledger lines of these entities come to, as counted at loading and not by any report's query."""
    found = (
        Sums(*sums) for loaded in state.files_of("ledger") for entity, sums in loaded.sums.items() if entity in entities
    )
    return sum(found, Sums())
