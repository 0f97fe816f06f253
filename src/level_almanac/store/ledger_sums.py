"""Sums over the ledger: one query for all the columns and proof figures of a report.

Whole periods are read from the roll-up. The periods that a report cuts through are read from the sums of their days,
all of them, so that what falls outside the cut is counted as such and a proof can be made of it; or from their lines,
where it asks for fields that the sums of days are not by.
"""

from collections.abc import Collection, Iterator, Mapping, Sequence
from datetime import date, timedelta
from decimal import Decimal
from itertools import pairwise
from typing import TYPE_CHECKING, Literal, NamedTuple

from level_almanac.immutable import immutable
from level_almanac.store.binding import Binding
from level_almanac.store.day_places import PLACE, PLACE_DAY, DayPlaces, placed_lines
from level_almanac.store.engine import Engine
from level_almanac.store.predicate import FiscalRange, stretch_sql
from level_almanac.store.state import State, Store

if TYPE_CHECKING:
    from level_almanac.store.line_query import LineSource

EntryClass = Literal["ordinary", "adjusting", "closing", "base", "carried"]
"""`base`: carried lines of an entity's first loaded year; `carried`: those of later years."""
MOVEMENT: tuple[EntryClass, ...] = ("ordinary", "adjusting", "closing")
ALL_CLASSES: tuple[EntryClass, ...] = (*MOVEMENT, "base", "carried")
LAST_FISCAL = 999999
ROLLED = frozenset({"entity", "account", "fiscal", "entry_class"})
"""What every roll-up is by."""
MOST_FILTERS = 40
"""Measures from which they are met with the lines by a join: the engine's planning grows faster than its work."""


class Slice(NamedTuple):
    """The lines of these entry classes within any of the stretches, or with `outside` within none of them."""

    classes: tuple[EntryClass, ...]
    stretches: tuple[FiscalRange, ...] = (FiscalRange(0, LAST_FISCAL),)
    outside: bool = False


@immutable
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


SumKey = tuple[str | None, ...]
"""An entity, an account, and the values of further fields, None where blank."""
Measures = Mapping[str, tuple[Slice, ...]]
"""What is to be summed: by name, the slices whose union makes the sum; a line in two of them counts once."""


class Filter(NamedTuple):
    """Conditions that lines must meet to be summed. source: the conditions as rules, and where their fields are found;
    free: the measures that they are not asked for; shown: those whose lines are counted under `unmet:N` where the
    condition of this number, from 0, is the first that they do not meet.
    """

    source: "LineSource"
    free: frozenset[str]
    shown: tuple[str, ...]

    def unmet(self, measures: Measures) -> dict[str, tuple[Slice, ...]]:
        """Return the measures of what each condition leaves out."""
        slices = tuple(part for name in self.shown for part in measures[name])
        return {f"{UNMET}{number}": slices for number in range(len(self.source.rules))}


UNMET = "unmet:"


class _Reach(NamedTuple):
    """What is summed: the lines of a state, and how they are placed."""

    store: Store
    state: State
    day_places: DayPlaces | None

    @property
    def parts(self) -> list[str]:
        return [self.store.path_of(loaded.part) for loaded in self.state.files_of("ledger") if loaded.lines]

    def days_or_lines(self, needed: Collection[str], cut: Sequence[int] | None = None) -> tuple[list[str], str]:
        """Return what to read of the files that have lines in these positions, or in any, and the SQL of how many
        lines a row of it is of: the sums of their days, where those are by all fields that are needed, or the lines.
        """
        files = [
            loaded
            for loaded in self.state.files_of("ledger")
            if loaded.lines
            and (cut is None or any(loaded.fiscal_low <= fiscal <= loaded.fiscal_high for fiscal in cut))
        ]
        if all(loaded.days and set(needed) <= set(loaded.days_by) for loaded in files):
            return [self.store.path_of(loaded.days) for loaded in files], "line.lines"
        return [self.store.path_of(loaded.part) for loaded in files], "1 as lines"


def ledger_sums(
    engine: Engine,
    store: Store,
    state: State,
    measures: Measures,
    by: Sequence[str] = (),
    filter_: Filter | None = None,
    day_places: DayPlaces | None = None,
) -> dict[SumKey, dict[str, Sums]]:
    """Return the sums of each measure by (entity, account, the values of the fields of `by`), for all that have lines.

    by: known text fields of the ledger, of which a blank value is None; day_places: where each day stands, if lines are
    placed by their date alone.
    """
    if filter_ is not None:
        measures = {**measures, **filter_.unmet(measures)}
    many = len(measures) > MOST_FILTERS and filter_ is None
    joined = {name for name, slices in measures.items() if many and _can_be_joined(slices)}
    filtered = {name: slices for name, slices in measures.items() if name not in joined}
    cut = _cut_by(measures)
    reach = _Reach(store, state, day_places)
    bind = Binding()
    sums = []
    for number, (name, slices) in enumerate(filtered.items()):
        test = " or ".join(_slice_sql(part, bind) for part in slices) or "false"
        test = f"({test}) and {_met_sql(name, filter_)}" if filter_ else test
        sums += [
            f'coalesce(sum(lines) filter (where {test}), 0)::bigint as "l{number}"',
            f'coalesce(sum(debit) filter (where {test}), 0)::decimal(38, 3) as "d{number}"',
            f'coalesce(sum(credit) filter (where {test}), 0)::decimal(38, 3) as "c{number}"',
        ]
    place = _place(by)
    query = f"select {place}, {', '.join(sums)} from ({_kinds_sql(reach, cut, by, bind, filter_)}) group by {place}"
    start = 2 + len(by)
    rows = {
        row[:start]: {
            name: Sums(*row[start + 3 * number : start + 3 + 3 * number]) for number, name in enumerate(filtered)
        }
        for row in engine.rows(query, bind.values)
    }
    if joined:
        for at, name, amount in _joined_sums(engine, reach, measures, joined, by):
            rows[at][name] = amount
        for measured in rows.values():
            measured.update({name: Sums() for name in joined if name not in measured})
    return rows


def _cut_by(measures: Measures) -> list[int]:
    """Return the positions that any measure cuts through."""
    parts = (part for slices in measures.values() for part in slices)
    return sorted({stretch.low for part in parts for stretch in part.stretches if stretch.first is not None})


def _can_be_joined(slices: Sequence[Slice]) -> bool:
    """Tell whether no line is in two of the slices, so that they can be summed one by one."""
    if any(part.outside for part in slices):
        return False
    kinds: dict[str, list[tuple[int, date, int, date]]] = {}
    for part in slices:
        for stretch in part.stretches:
            edges = (stretch.low, stretch.first or date.min, stretch.high, stretch.last or date.max)
            for kind in part.classes:
                kinds.setdefault(kind, []).append(edges)
    return all(
        (one[2], one[3]) < (other[0], other[1]) for each in kinds.values() for one, other in pairwise(sorted(each))
    )


_WINDOW = {
    "number": "integer", "wanted": "varchar", "low": "integer", "high": "integer", "first_day": "date",
    "last_day": "date",
}  # fmt: skip


def _joined_sums(
    engine: Engine, reach: _Reach, measures: Measures, names: Collection[str], by: Sequence[str]
) -> Iterator[tuple[SumKey, str, Sums]]:
    """Yield (place, measure, sum) of many measures: the lines of a day are added up once, then met by the windows."""
    ordered = sorted(names)
    windows = [
        (number, kind, stretch.low, stretch.high, stretch.first, stretch.last)
        for number, name in enumerate(ordered)
        for part in measures[name]
        for stretch in part.stretches
        for kind in part.classes
    ]
    if not windows:
        return
    bind = Binding()
    asked = bind.table(_WINDOW, windows)
    place = _place(by)
    source = _kinds_sql(reach, _cut_by({name: measures[name] for name in names}), by, bind)
    query = f"""
        with days as (
            select {place}, fiscal, counted, kind, sum(lines) as lines, sum(debit) as debit, sum(credit) as credit
            from ({source}) group by {place}, fiscal, counted, kind)
        select {place}, number, sum(lines)::bigint, sum(debit)::decimal(38, 3), sum(credit)::decimal(38, 3)
        from days join {asked} as windows on kind = wanted and fiscal between low and high
            and (first_day is null or counted between first_day and last_day)
        group by {place}, number"""
    start = 2 + len(by)
    for row in engine.rows(query, bind.values):
        yield row[:start], ordered[row[start]], Sums(*row[start + 1 :])


def _met_sql(name: str, filter_: Filter) -> str:
    """Return the test of which lines a measure takes, by the condition that each does not meet."""
    if name.startswith(UNMET):
        return f"unmet = {int(name.removeprefix(UNMET))}"
    return "true" if name in filter_.free else f"unmet = {len(filter_.source.rules)}"


def _kinds_sql(
    reach: _Reach, cut: Sequence[int], by: Sequence[str], bind: Binding, filter_: Filter | None = None
) -> str:
    """Return the SQL of all lines or roll-up rows, the carried ones of first years told apart as bases."""
    place, is_base = _place(by), _base_sql(reach.state, bind)
    return f"""
        select {place}, fiscal, counted, lines, debit, credit{", unmet" if filter_ else ""},
            case when entry_class = 'carried' and {is_base} then 'base' else entry_class end as kind
        from ({_source_sql(reach, cut, by, bind, filter_)})"""


def _place(by: Sequence[str], table: str = "") -> str:
    return ", ".join(f'{table}"{field}"' for field in ("entity", "account", *by))


def _source_sql(reach: _Reach, cut: Sequence[int], by: Sequence[str], bind: Binding, filter_: Filter | None) -> str:
    store, state = reach.store, reach.state
    place = _place(by, "line.")
    unmet, joins, needed = "", "", set(by)
    if filter_ is not None:
        from level_almanac.store.line_query import Asking, columns_in

        asking = Asking(filter_.source, bind)
        unmet, joins = f", {asking.left_by()} as unmet", asking.joins([])
        needed |= columns_in(filter_.source) - ROLLED
    if reach.day_places is not None:
        # A roll-up is by the places that lines tell; the sums of days tell when lines were posted.
        parts, lines = reach.days_or_lines(needed)
        placed = placed_lines(parts, reach.day_places, bind)
        return f"""select {place}, line.{PLACE} as fiscal, line.{PLACE_DAY} as counted, line.entry_class, {lines},
                line.debit, line.credit{unmet} from {placed}{joins}"""
    if needed <= set(state.wide_fields):
        rolled = state.wide if needed else state.rollup
        rollup = f"""select {place}, line.fiscal, null::date as counted, line.entry_class, line.lines, line.debit,
                line.credit{unmet} from read_parquet({bind(store.path_of(rolled))}) as line{joins}"""
    else:
        # No roll-up is by such a field, so all lines are read.
        placed = placed_lines(reach.parts, None, bind)
        return f"""select {place}, line.fiscal, line.counted, line.entry_class, 1 as lines, line.debit,
                line.credit{unmet} from {placed}{joins}"""
    parts, lines = reach.days_or_lines(needed, cut)
    if not parts:
        # A period without lines has no rows in the roll-up either.
        return rollup
    cut_sql = f"line.fiscal in ({', '.join(bind(fiscal) for fiscal in cut)})"
    return f"""{rollup} where not {cut_sql} union all
        select {place}, line.fiscal, line.counted, line.entry_class, {lines}, line.debit, line.credit{unmet}
        from read_parquet({bind(parts)}, union_by_name = true) as line{joins} where {cut_sql}"""


def _base_sql(state: State, bind: Binding) -> str:
    tests = [
        f"(entity = {bind(entity)} and fiscal = {bind(fiscal)})" for entity, fiscal in state.bases.items() if fiscal
    ]
    return f"({' or '.join(tests)})" if tests else "false"


def _slice_sql(part: Slice, bind: Binding) -> str:
    classes = ", ".join(bind(name) for name in part.classes)
    within = " or ".join(stretch_sql(stretch, bind) for stretch in part.stretches) or "false"
    return f"(kind in ({classes}) and {'not ' if part.outside else ''}({within}))"


def considered(state: State, entities: Collection[str]) -> Sums:
    """Return what all ledger lines of these entities come to, as counted at loading and not by any report's query."""
    found = (
        Sums(*sums) for loaded in state.files_of("ledger") for entity, sums in loaded.sums.items() if entity in entities
    )
    return sum(found, Sums())


def merged(stretches: Sequence[FiscalRange]) -> tuple[FiscalRange, ...]:
    """Return what the stretches cover together, each position and day of it once."""
    whole: list[FiscalRange] = []
    for stretch in sorted((each for each in stretches if each.first is None), key=lambda each: each.low):
        if whole and stretch.low <= whole[-1].high + 1:
            whole[-1] = FiscalRange(whole[-1].low, max(whole[-1].high, stretch.high))
        else:
            whole.append(stretch)
    cut: list[FiscalRange] = []
    for low, first, last in sorted(
        (each.low, each.first, each.last) for each in stretches if each.first is not None and each.last is not None
    ):
        if any(each.low <= low <= each.high for each in whole):
            continue
        before = cut[-1] if cut and cut[-1].low == low else None
        if before and before.last is not None and first <= before.last + timedelta(days=1):
            cut[-1] = FiscalRange(low, low, before.first, max(before.last, last))
        else:
            cut.append(FiscalRange(low, low, first, last))
    return (*whole, *cut)
