"""How decimals are computed and rounded: exactly where they end, else far past what is shown; half away from zero."""

from decimal import ROUND_HALF_UP, Context, Decimal
from fractions import Fraction
from functools import cache

EXACT = Context(prec=50, rounding=ROUND_HALF_UP)
"""Every quotient and every rounding goes by it. Sums and products of money have fewer digits, and so are exact."""


@cache
def _quantum(decimals: int) -> Decimal:
    return Decimal(1).scaleb(-decimals)


def rounded_fraction(value: Fraction, decimals: int) -> Decimal:
    """Return a quotient with so many decimals, half away from zero, exact until this step."""
    scaled = abs(value) * 10**decimals
    # Twice the numerator and half of one more: the whole part of that is the nearest number, the upper one of two.
    nearest = (2 * scaled.numerator + scaled.denominator) // (2 * scaled.denominator)
    return Decimal(-nearest if value < 0 else nearest).scaleb(-decimals, context=EXACT)


def rounded(value: Decimal | int, decimals: int) -> Decimal:
    """Return a number with so many decimals, half away from zero; what rounds to nothing has no sign."""
    found = Decimal(value).quantize(_quantum(decimals), context=EXACT)
    return unsigned_zero(found)


def exact_text(value: Decimal) -> str:
    """Return a number as files for programs have it, with the digits that it has; nothing has no sign."""
    return f"{unsigned_zero(value):f}"


def unsigned_zero(value: Decimal) -> Decimal:
    """Return a number without the sign that nothing has as a factor of minus one leaves it."""
    return value if value else abs(value)


def figure_words(amount: Decimal, decimals: int | None = None) -> str:
    """Return an amount as messages and notes write it: `−1,204.50`."""
    return f"{unsigned_zero(amount) if decimals is None else rounded(amount, decimals):,f}".replace("-", "−")


def off_words(amount: Decimal, decimals: int | None = None) -> str:
    """Return by how much something is off, with its sign: `+1,204.50`."""
    return f"{unsigned_zero(amount) if decimals is None else rounded(amount, decimals):+,f}".replace("-", "−")
