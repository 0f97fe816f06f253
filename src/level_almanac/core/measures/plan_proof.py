"""The accounting of all lines of plans that a report considered."""

from collections.abc import Callable, Sequence
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.measures.plans import Plans
from level_almanac.core.selection import Selection
from level_almanac.core.table.model import CountedAmount, Part, Proof

_ZERO = Decimal(0)


def plan_proof(
    book: Book,
    plans: Plans,
    selection: Selection,
    measure: str,
    rules: Sequence[str],
    rule_of: Callable[[int, str, str], str],
    table: str = "budget",
) -> Proof:
    """Return the proof of the lines of a table of plans, those of entities in another currency aside.

    measure: what the amounts are of; rules: what lines are left out by, in the order of the proof; rule_of: the rule
    that leaves out the line of a number, a scenario and an account, or nothing where it is shown.
    """
    parts = dict.fromkeys(("", "other entities", *rules), CountedAmount(0, _ZERO))
    considered = _ZERO
    for number, (scenario, entity, account, amount) in enumerate(plans.counted):
        if entity in selection.unlike:
            continue
        considered += amount
        rule = rule_of(number, scenario, account) if entity in selection.entities else "other entities"
        parts[rule] += CountedAmount(1, amount)
    # Counted apart: as the load counted them.
    lines = [each for loaded in book.state.files_of(table) for each in loaded.sums.items()]
    count = sum(sums[0] for entity, sums in lines if entity not in selection.unlike)
    left_out = tuple(Part(rule, each) for rule, each in parts.items() if rule and each.lines)
    return Proof(
        measure, CountedAmount(count, considered), parts[""], left_out, decimals=selection.decimals, table=table
    )
