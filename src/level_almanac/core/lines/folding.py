"""How what several groups of lines come to is put together to what all of their lines come to."""

from collections.abc import Sequence
from decimal import Decimal
from functools import reduce
from typing import Any

from level_almanac.core.table.exact import EXACT
from level_almanac.store.line_query import Summing


def folded(summing: Summing, values: Sequence[Any]) -> Any:
    """Return the value of some groups together, as the store would have given it for all of their lines."""
    there = [value for value in values if value is not None]
    match summing:
        case "once":
            found = {(*each["keys"], each["number"]): each for value in there for each in value}
            return list(found.values()) or None
        case "values":
            return frozenset(each for value in there for each in value) or None
        case "sum" | "count":
            return reduce(_added, there) if there else None
        case "minimum":
            return min(there, default=None)
        case "maximum":
            return max(there, default=None)
    return there[0] if len(there) == len(values) and there and all(value == there[0] for value in there) else None


def added_up(value: Any) -> Any:
    """Return the number of a group: what linked ones come to, each there once; or how many different values it has."""
    if isinstance(value, frozenset) or (isinstance(value, list) and value and not isinstance(value[0], dict)):
        return len(value)
    return reduce(_added, (each["number"] for each in value)) if isinstance(value, list) else value


def alone(summing: Summing, value: Any) -> Any:
    """Return what a line by itself has of a value, as a group would have it."""
    if summing == "count":
        return 0 if value is None else 1
    return [value] if summing in ("once", "values") and value is not None else value


def _added(one: Any, other: Any) -> Any:
    # A product of two amounts can have more figures than Python's decimals keep by themselves.
    return EXACT.add(one, other) if isinstance(one, Decimal) and isinstance(other, Decimal) else one + other
