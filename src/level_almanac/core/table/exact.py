"""How decimals are computed and rounded: exactly where they end, else far past what is shown; half away from zero."""

from decimal import ROUND_HALF_UP, Context, Decimal
from functools import cache

EXACT = Context(prec=50, rounding=ROUND_HALF_UP)
"""Every quotient and every rounding goes by it. Sums and products of money have fewer digits, and so are exact."""


@cache
def _quantum(decimals: int) -> Decimal:
    return Decimal(1).scaleb(-decimals)


def rounded(value: Decimal | int, decimals: int) -> Decimal:
    """Return a number with so many decimals, half away from zero; what rounds to nothing has no sign."""
    found = Decimal(value).quantize(_quantum(decimals), context=EXACT)
    return found if found else abs(found)
