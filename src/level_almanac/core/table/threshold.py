"""A limit that amounts are held against."""

from decimal import Decimal
from typing import Literal

from level_almanac.core.table.exact import figure_words
from level_almanac.errors import Mistake, UsageMistake, listed
from level_almanac.immutable import immutable

Limit = Literal["over", "at-least", "under", "at-most", "between"]
_ENDS = {"over": 1, "at-least": 1, "under": 1, "at-most": 1, "between": 2}


@immutable
class Threshold:
    """A limit on a column. on: the column's key, or empty for the first number; values: one, or both ends of between;
    each: whether it is held against single lines rather than totals.
    """

    limit: Limit
    values: tuple[Decimal, ...]
    on: str = ""
    each: bool = False

    def holds(self, value: Decimal | None) -> bool:
        """Tell whether a value lies within the limit; what has none does not."""
        if value is None:
            return False
        match self.limit:
            case "over":
                return value > self.values[0]
            case "at-least":
                return value >= self.values[0]
            case "under":
                return value < self.values[0]
            case "at-most":
                return value <= self.values[0]
        return self.values[0] <= value <= self.values[1]

    def __post_init__(self) -> None:
        if (
            self.limit not in _ENDS
            or len(self.values) != _ENDS[self.limit]
            or not all(type(each) is Decimal for each in self.values)
        ):
            allowed = f"{listed(_ENDS)}, with one Decimal, or two for between"
            raise UsageMistake(Mistake("not a limit", "Threshold", f"{self.limit!r}, {self.values!r}", allowed))

    @property
    def words(self) -> str:
        """The limit in words."""
        return f"{self.limit.replace('-', ' ')} {' and '.join(figure_words(value) for value in self.values)}"
