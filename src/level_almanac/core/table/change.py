"""Change and change % between two figures (docs/figures.md, "Change")."""

from decimal import Decimal

from level_almanac.core.table.exact import EXACT
from level_almanac.immutable import immutable

PERCENT_PLACES = Decimal("0.0000000001")
"""A quotient seldom ends; data formats carry ten decimals of it."""


@immutable
class Figure:
    """An amount with the number of lines behind it: zero lines is not the same as zero."""

    amount: Decimal = Decimal(0)
    lines: int = 0

    def __add__(self, other: "Figure") -> "Figure":
        return Figure(self.amount + other.amount, self.lines + other.lines)

    def __sub__(self, other: "Figure") -> "Figure":
        return Figure(self.amount - other.amount, self.lines + other.lines)


def percent(part: Decimal, whole: Decimal) -> Decimal | None:
    """Return a part in percent of the whole; None where the whole is nothing."""
    if not whole:
        return None
    return EXACT.divide(part * 100, whole).quantize(PERCENT_PLACES, context=EXACT)


def change_percent(of: Figure, over: Figure) -> Decimal | str | None:
    """Return the change of one figure over another in percent of the latter's size, or the word that stands for it.

    `new` where only the first has lines, `gone` where only the second has; `n/m` where the second is zero or has the
    opposite sign; None where neither has lines.
    """
    if not of.lines and not over.lines:
        return None
    if not over.lines:
        return "new"
    if not of.lines:
        return "gone"
    if not over.amount or of.amount * over.amount < 0:
        return "n/m"
    percent = EXACT.divide((of.amount - over.amount) * 100, abs(over.amount))
    return percent.quantize(PERCENT_PLACES, context=EXACT)


def variance_percent(of: Figure, plan: Figure, favourable: int) -> Decimal | str | None:
    """Return what was booked less its plan in percent of the plan's size, or the word that stands for it.

    favourable: -1 where less than planned is better; `no plan` where nothing is planned; `n/m` where the plan is zero
    or of the opposite sign; None where neither has lines.
    """
    if not of.lines and not plan.lines:
        return None
    if not plan.lines:
        return "no plan"
    if not plan.amount or of.amount * plan.amount < 0:
        return "n/m"
    percent = EXACT.divide(favourable * (of.amount - plan.amount) * 100, abs(plan.amount))
    return percent.quantize(PERCENT_PLACES, context=EXACT)
