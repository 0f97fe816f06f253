"""From an intake block and an export's heads to where each field of the table comes from."""

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from level_almanac.errors import BookMistake, Mistake, listed, nearest
from level_almanac.files.settings import Entity, FieldSource, IntakeBlock
from level_almanac.files.tables import Table
from level_almanac.intake.shaping.head_words import column_of
from level_almanac.store.casting import Source

IN_FILE_ORDER = "order"
"""What `line` is mapped to where the export has no line numbers."""


class MappedField(NamedTuple):
    """Where a field comes from in one export: what the block says of it, and the columns that this means."""

    source: FieldSource
    columns: tuple[int, ...]


def numbers_lines(block: IntakeBlock, heads: Sequence[str]) -> bool:
    """Tell whether the lines are to be numbered in file order."""
    return block.fields.get("line") == IN_FILE_ORDER and IN_FILE_ORDER not in heads


def mapped_fields(block: IntakeBlock, table: Table, heads: Sequence[str], where: str) -> dict[str, MappedField]:
    """Return where each mapped field comes from; raise BookMistake for heads that the file lacks or has twice.

    where: the file and the line of its heads, as messages call it.
    """
    mistakes = []
    told = block.field_sources or {
        each.name: FieldSource(head=each.name) for each in table.fields if each.name in heads
    }
    mistakes += [
        Mistake(
            f"the head line has no {each.name!r}, a field that is needed",
            where,
            allowed=f"one of {listed(repr(known) for known in heads)}",
            next_step="map it in [intake.fields], with all others",
        )
        for each in table.fields
        if not block.fields and each.required and each.name not in (*told, *block.set)
    ]
    counted = Counter(heads)
    found: dict[str, MappedField] = {}
    for field, source in told.items():
        if field == "line" and numbers_lines(block, heads):
            continue
        wanted = source.join or source.either
        columns: list[int | None] = [column_of(head, heads) for head in wanted]
        names = list(wanted)
        if not wanted:
            there = [head for head in source.heads if column_of(head, heads) is not None][:1]
            names = there or [" or ".join(source.heads)]
            columns = [column_of(head, heads) for head in names]
        if None in columns and source.optional:
            continue
        for name, column in zip(names, columns, strict=True):
            if column is None:
                what = f"the head line has no {name!r}, which the field {field} is mapped to"
                allowed, hint = f"one of {listed(repr(known) for known in heads)}", nearest(name, heads)
                mistakes.append(Mistake(what, where, allowed=allowed, next_step=hint))
            elif counted[heads[column]] > 1:
                what = f"the head {heads[column]!r}, which {field} is mapped to, stands there twice"
                mistakes.append(Mistake(what, where))
        found[field] = MappedField(source, tuple(column for column in columns if column is not None))
    if mistakes:
        raise BookMistake(*mistakes)
    return found


def sources(
    block: IntakeBlock, table: Table, columns: Mapping[str, int], entities: Mapping[str, Entity], days: Sequence[int],
    *, numbered: bool,
) -> list[Source]:  # fmt: skip
    """Return the source of each field of the table.

    columns: the column of each that is mapped; days: columns whose days are told beside their texts; numbered: whether
    lines are numbered in file order.
    """
    found = []
    for each in table.fields:
        constant = block.set.get(each.name)
        column = None if constant is not None else columns.get(each.name)
        if each.name == "line" and numbered:
            # The number itself is given when the part is written; until then the field only must not be blank.
            column, constant = None, "0"
        if each.name == "posted" and block.at_end_of_period:
            column, constant = columns["period"], None
        found.append(
            Source(
                each,
                column=column,
                constant=constant,
                values=block.values.get(each.name),
                choices=tuple(entities) if each.name == "entity" else each.choices,
                day=column in days and each.kind == "date",
            )
        )
    return found
