"""Numbers as people write them: exact, and no larger than what a book can hold."""

import re
from decimal import Decimal, InvalidOperation

MOST_DIGITS = 30
_NUMBER = re.compile(r"[-+−]?(\d+\.?\d*|\.\d+)", re.ASCII)


def exact_number(text: str) -> Decimal:
    """Return the number that a text is, such as `7500` or `-12.50`; raises InvalidOperation for anything else.

    Powers of ten are no way to write an amount: `1e999999999` has more digits than there is room for anywhere.
    """
    if not _NUMBER.fullmatch(text) or len(text) > MOST_DIGITS + 2:
        raise InvalidOperation
    return Decimal(text.replace("−", "-"))
