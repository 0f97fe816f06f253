"""Column words: `ptd; ptd last year; change; change %`."""

from dataclasses import dataclass
from typing import Literal

from level_almanac.core.words.parsing import parse, pointed
from level_almanac.errors import Mistake, UsageMistake

Span = Literal["ptd", "qtd", "ytd", "period", "quarter", "year"]
Shift = Literal["", "prior", "last year"]
WHERE = "--columns"


@dataclass(frozen=True, slots=True)
class ValueColumn:
    """A span of the calendar, moved or not. key: unique among the columns."""

    key: str
    span: Span
    shift: Shift = ""


@dataclass(frozen=True, slots=True)
class ChangeColumn:
    """The change of one value column over another, as an amount or in percent. of, over: their keys."""

    key: str
    of: str
    over: str
    percent: bool


ColumnWords = tuple[ValueColumn | ChangeColumn, ...]

DEFAULT_TEXT = "ptd; ptd last year; change; change %; ytd; ytd last year; change; change %"
DEFAULT_COLUMNS: ColumnWords = (
    ValueColumn("ptd", "ptd"),
    ValueColumn("ptd-last-year", "ptd", "last year"),
    ChangeColumn("change", "ptd", "ptd-last-year", percent=False),
    ChangeColumn("change-pct", "ptd", "ptd-last-year", percent=True),
    ValueColumn("ytd", "ytd"),
    ValueColumn("ytd-last-year", "ytd", "last year"),
    ChangeColumn("change-2", "ytd", "ytd-last-year", percent=False),
    ChangeColumn("change-pct-2", "ytd", "ytd-last-year", percent=True),
)
"""What `DEFAULT_TEXT` reads as, written out so that the report asked for most need not load the grammar."""


def read_columns(text: str) -> ColumnWords:
    """Return the columns that the expression names, in its order.

    A change is that of the two value columns to its left. Raises UsageMistake with the word at fault.
    """
    if text == DEFAULT_TEXT:
        return DEFAULT_COLUMNS
    from lark import Token, Tree  # noqa: PLC0415  not needed where no expression is read

    tree = parse(text, "columns", WHERE, UsageMistake)
    columns: list[ValueColumn | ChangeColumn] = []
    keys: dict[str, int] = {}
    for child in tree.children:
        if not isinstance(child, Tree):
            continue
        tokens = list(child.scan_values(lambda value: isinstance(value, Token)))
        words = [" ".join(str(token).lower().split()) for token in tokens]
        slug = "-".join(words).replace("%", "pct").replace(" ", "-")
        keys[slug] = keys.get(slug, 0) + 1
        key = slug if keys[slug] == 1 else f"{slug}-{keys[slug]}"
        if child.data == "value":
            columns.append(ValueColumn(key, words[0], words[1] if len(words) > 1 else ""))  # type: ignore[arg-type]  # the grammar lets no other word through
            continue
        values = [column.key for column in columns if isinstance(column, ValueColumn)]
        if len(values) < 2:
            raise UsageMistake(
                Mistake(
                    "nothing to compare",
                    WHERE,
                    repr(words[0]),
                    "two value columns to the left of it",
                    shown=pointed(text, tokens[0].start_pos or 0, len(tokens[0])),
                )
            )
        columns.append(ChangeColumn(key, values[-2], values[-1], percent=len(words) > 1))
    return tuple(columns)
