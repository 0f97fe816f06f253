"""The largest or smallest of several groups, and what the order of a report is made by."""

from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import TypeVar

from level_almanac.core.table.model import Cell

T = TypeVar("T")


def ranked(found: Sequence[T], value: Callable[[T], Cell], *, rising: bool, by_size: bool) -> list[T]:
    """Return groups in the order that a figure makes, those without one last; equal ones as they were.

    by_size: whether none is above zero, so that the largest are those furthest below it.
    """
    cells = [(value(each), each) for each in found]
    there = [(Decimal(cell), each) for cell, each in cells if isinstance(cell, Decimal | int)]
    without = [each for cell, each in cells if not isinstance(cell, Decimal | int)]
    # A sort keeps what is equal in its order, and a reversed one would turn that around.
    sign = 1 if rising is not by_size else -1
    return [*(each for _, each in sorted(there, key=lambda pair: sign * pair[0])), *without]


def apart_from_blank(found: Sequence[T], member: Callable[[T], object]) -> tuple[list[T], list[T]]:
    """Return the groups with a member, and the group without one, which takes no place in a ranking.

    A group without a member that is the only one is returned as the first.
    """
    named = [each for each in found if member(each) is not None]
    blank = [each for each in found if member(each) is None]
    return (named, blank) if named else (blank, [])


def goes_by_size(cells: Sequence[Cell]) -> bool:
    """Tell whether no figure is above zero and some are below, so that the largest are those furthest below it."""
    numbers = [Decimal(cell) for cell in cells if isinstance(cell, Decimal | int)]
    return any(number < 0 for number in numbers) and all(number <= 0 for number in numbers)
