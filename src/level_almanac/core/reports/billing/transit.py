"""Entries in transit: what billing by one date has and by another has not (docs/billing.md, "In transit")."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import NamedTuple

from level_almanac.core.lines.rule import Rule
from level_almanac.core.table.model import Cell, Check, CountedAmount, Note
from level_almanac.store.engine import Engine
from level_almanac.store.expressions import Constant, FieldReference, Summed
from level_almanac.store.line_query import Asked, LineSource, Order, groups, lines
from level_almanac.store.predicate import Every, FieldTest, Not, Predicate

CHARGE, PAYER, ADJUSTMENT, CUSTOMER = "charge", "payer-payment", "adjustment", "customer-payment"
FIGURES = {CHARGE: "charges", PAYER: "payer payments", ADJUSTMENT: "adjustments", CUSTOMER: "customer payments"}
_MOST_NAMED = 6


class Transit(NamedTuple):
    """One figure by posting date and by another: what of the one is not in the other, and the reverse. undated: what is
    posted and lacks the other date, which is in transit to no day that is told.
    """

    kind: str
    dated: str
    posted: CountedAmount
    undated: CountedAmount
    only_posted: CountedAmount
    only_other: CountedAmount
    other: CountedAmount

    @property
    def holds(self) -> bool:
        """Whether the entries in transit are exactly what the two figures differ by."""
        gone = self.undated + self.only_posted
        return self.posted + CountedAmount(-gone.lines, -gone.amount) + self.only_other == self.other


class Entries(NamedTuple):
    """What entries are asked of. dated: by kind the date that it goes by; scope, picked: the rules before and after
    those of days; source_of: what the store is asked of, given rules; decimals: of the currency.
    """

    engine: Engine
    source_of: Callable[[Sequence[Rule]], LineSource]
    scope: tuple[Rule, ...]
    picked: tuple[Rule, ...]
    days: tuple[date, date]
    dated: Mapping[str, str]
    decimals: int


def transits(entries: Entries) -> list[Transit]:
    """Return each figure that does not go by posting date, with the entries that make it another."""
    transits_found = []
    for kind, dated in entries.dated.items():
        if dated == "posted":
            continue
        posted, other = FieldTest("posted", "through", entries.days), FieldTest(dated, "through", entries.days)
        blank = FieldTest(dated, "blank")
        out = Every((posted, Not(other), Not(blank)))
        tests = (posted, Every((posted, blank)), out, Every((Not(posted), other)), other)
        amount = FieldReference("amount")
        asked = []
        for test in tests:
            asked += [Asked(Summed(((test, Constant(Decimal(1))),)), "count"), Asked(Summed(((test, amount),)))]
        kinds = Rule("other kinds", FieldTest("kind", "is", (kind,)))
        rows = groups(entries.engine, entries.source_of([*entries.scope, kinds, *entries.picked]), (), asked)
        values = rows[0][1:] if rows else (0, None) * len(tests)
        pairs = zip(values[::2], values[1::2], strict=True)
        counted = [CountedAmount(int(count or 0), Decimal(found or 0)) for count, found in pairs]
        transits_found.append(Transit(kind, dated, *counted))
    return transits_found


def transit_checks(entries: Entries, total: Mapping[str, Cell]) -> Iterator[Check]:
    """Yield for each such figure whether it differs from that by posting date by exactly the entries in transit.

    total: the cells of the report's total, which the figures by the other date are held against as far as it has them.
    """
    places = entries.decimals
    for each in transits(entries):
        out, into, undated = each.only_posted, each.only_other, each.undated
        without = (
            f"less {undated.lines:,} without a {each.dated} day {undated.amount:,.{places}f}, " if undated.lines else ""
        )
        yield Check(
            f"{FIGURES[each.kind]} by posted {each.posted.amount:,.{places}f}, {without}less {out.lines:,} in transit "
            f"{out.amount:,.{places}f}, and {into.lines:,} that come in {into.amount:,.{places}f}, are "
            f"{each.other.amount:,.{places}f} by {each.dated}",
            each.holds and (each.kind not in total or each.other.amount == (total[each.kind] or Decimal(0))),
        )


def undated_notes(entries: Entries) -> Iterator[Note]:
    """Yield what is posted in these days and lacks the date that is asked for, figure by figure."""
    for each in transits(entries):
        if each.undated.lines:
            what = f"{each.undated.lines:,} {FIGURES[each.kind]} posted in these days"
            words = f"{what} have no {each.dated} day, {{}} in all: they are in no figure by it"
            yield Note(words, (each.undated.amount,), entries.decimals)


def transit_notes(entries: Entries, in_transit: Predicate) -> Iterator[Note]:
    """Name the entries in transit. in_transit: their condition."""
    places = entries.decimals
    rules = (*entries.scope, Rule("not in transit", in_transit), *entries.picked)
    values = [FieldReference(name) for name in ("number", "line", "amount")]
    order = [Order(FieldReference("number")), Order(FieldReference("line"), as_number=True)]
    rows = lines(entries.engine, entries.source_of(rules), values, order)
    if not rows:
        return
    named = ", ".join(f"{number}/{line} {{}}" for number, line, _ in rows[:_MOST_NAMED])
    more = f" and {len(rows) - _MOST_NAMED:,} more; --in-transit lists them" if len(rows) > _MOST_NAMED else ""
    yield Note(f"In transit: {named}{more}", tuple(amount for _, _, amount in rows[:_MOST_NAMED]), places)
