"""Change and change % between two figures (docs/figures.md, "Change")."""

from collections.abc import Iterable
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
        return Figure(EXACT.subtract(self.amount, other.amount), self.lines + other.lines)


def _hundredfold(amount: Decimal, turn: int = 1) -> Decimal:
    return EXACT.multiply(amount, Decimal(100 * turn))


def percent(part: Decimal, whole: Decimal) -> Decimal | None:
    """Return a part in percent of the whole; None where the whole is nothing."""
    if not whole:
        return None
    return EXACT.divide(_hundredfold(part), whole).quantize(PERCENT_PLACES, context=EXACT)


OFFSET = "Amounts of both signs offset each other in {}, so its shares are n/m"


def are_offset(members: Iterable[Decimal], whole: Decimal) -> bool:
    """Return whether shares of a total mean nothing: it is zero, or a member is larger in size than it is."""
    return not whole or any(member.copy_abs() > whole.copy_abs() for member in members)


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
    percent = EXACT.divide(_hundredfold(EXACT.subtract(of.amount, over.amount)), over.amount.copy_abs())
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
    percent = EXACT.divide(_hundredfold(EXACT.subtract(of.amount, plan.amount), favourable), plan.amount.copy_abs())
    return percent.quantize(PERCENT_PLACES, context=EXACT)
