"""Amounts in the natural signs of their accounts.

Income earned and costs spent are both positive, so their sum has no meaning. Such an amount is therefore summed apart
for credit classes and for debit classes, and a figure that needs both is blank (docs/figures.md, "Signs").
"""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from decimal import Decimal
from typing import Any

from level_almanac.core.accounts import ChartOfAccounts
from level_almanac.core.fields import NATURAL
from level_almanac.core.lines.account_conditions import classes_that_can_meet
from level_almanac.core.lines.rule import Rule
from level_almanac.files.tables import CREDIT_CLASSES, INCOME_CLASSES, Table
from level_almanac.store.expressions import Constant, Expression, FieldReference, Summed, parts_of
from level_almanac.store.line_query import Asked
from level_almanac.store.predicate import FieldTest, Not

CREDIT_SIDE = FieldTest("account.class", "is", CREDIT_CLASSES)
NATURAL_NOTE = "Amounts are in their accounts' natural signs: income positive when earned, costs when spent"

UNADDED = "Natural amounts of credit and debit classes are not added: a figure of both is blank"


def is_natural(value: Expression, table: Table) -> bool:
    """Return whether the value of a line of this table is made of an amount in its account's natural sign."""
    planned = FieldReference("amount") if table.plan_of == "ledger" else None
    nowhere: defaultdict[str, Expression] = defaultdict(lambda: Constant(""))
    return any(part in (NATURAL, planned) for part in parts_of(value, nowhere))


def is_one_sided(conditions: Sequence[Rule], chart: ChartOfAccounts) -> bool:
    """Return whether the conditions select accounts of credit classes only, or of debit classes only."""
    classes = classes_that_can_meet([rule.predicate for rule in conditions], chart)
    return bool(classes) and (classes <= set(CREDIT_CLASSES) or classes.isdisjoint(CREDIT_CLASSES))


def result_words(conditions: Sequence[Rule], chart: ChartOfAccounts, *, of_result: bool = False) -> str:
    """Return the name of credits less debits in a report, such as `Income less costs`.

    of_result: whether the report itself selects income and costs.
    """
    classes = classes_that_can_meet([rule.predicate for rule in conditions], chart)
    result = of_result or (classes and classes <= set(INCOME_CLASSES))
    return "Income less costs" if result else "Credits less debits"


def by_side(asked: Asked) -> tuple[Asked, Asked]:
    """Return a sum as two: of the lines of credit classes, and of all others."""
    sides = (CREDIT_SIDE, Not(CREDIT_SIDE))
    credit, debit = (asked._replace(value=Summed(((side, asked.value),))) for side in sides)
    return credit, debit


def sides_of(found: Sequence[Any]) -> tuple[Decimal, Decimal]:
    """Return the sums of both sides, zero if there is none."""
    credit, debit = (Decimal(0) if value is None else Decimal(value) for value in found)
    return credit, debit


def joined_sides(found: Sequence[Any], widths: Sequence[int]) -> Iterator[Any]:
    """Yield one value for each sum, and None for one whose two sides both have an amount.

    found: the sums in order; widths: for each whether it takes one place of `found`, or two as sides.
    """
    at = 0
    for width in widths:
        one = found[at]
        if width == 2:
            other = found[at + 1]
            one = None if one and other else (other if one is None or not one else one)
        yield one
        at += width
