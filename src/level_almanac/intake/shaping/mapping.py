"""From an intake block and an export's heads to where each field of the table comes from."""

from collections import Counter
from collections.abc import Mapping, Sequence

from level_almanac.errors import BookMistake, Mistake, listed, nearest
from level_almanac.files.settings import Entity, IntakeBlock
from level_almanac.files.tables import Table
from level_almanac.store.casting import Source

IN_FILE_ORDER = "order"
"""What `line` is mapped to where the export has no line numbers."""


def numbers_lines(block: IntakeBlock, heads: Sequence[str]) -> bool:
    """Tell whether the lines are to be numbered in file order."""
    return block.fields.get("line") == IN_FILE_ORDER and IN_FILE_ORDER not in heads


def sources(
    block: IntakeBlock, table: Table, heads: Sequence[str], name: str, entities: Mapping[str, Entity]
) -> list[Source]:
    """Return the source of each field of the table; raise BookMistake for heads that the file lacks or has twice.

    name: what messages call the file.
    """
    mistakes = []
    counted = Counter(heads)
    heads_of = block.fields or {each.name: each.name for each in table.fields if each.name in heads}
    mistakes += [
        Mistake(
            f"the head line has no {each.name!r}, a field that is needed",
            f"{name}:1",
            allowed=f"one of {listed(repr(known) for known in heads)}",
            next_step="map it in [intake.fields], with all others",
        )
        for each in table.fields
        if not block.fields and each.required and each.name not in (*heads_of, *block.set)
    ]
    for field, head in heads_of.items():
        if field == "line" and numbers_lines(block, heads):
            continue
        if head not in counted:
            mistakes.append(
                Mistake(
                    f"the head line has no {head!r}, which the field {field} is mapped to",
                    f"{name}:1",
                    allowed=f"one of {listed(repr(known) for known in heads)}",
                    next_step=nearest(head, heads),
                )
            )
        elif counted[head] > 1:
            mistakes.append(Mistake(f"the head {head!r}, which {field} is mapped to, stands there twice", f"{name}:1"))
    if mistakes:
        raise BookMistake(*mistakes)
    sources_found = []
    for each in table.fields:
        mapped = None if each.name in block.set else heads_of.get(each.name)
        constant = block.set.get(each.name)
        if each.name == "line" and numbers_lines(block, heads):
            # The number itself is given when the part is written; until then the field only must not be blank.
            mapped, constant = None, "0"
        sources_found.append(
            Source(
                each,
                column=heads.index(mapped) if mapped is not None else None,
                constant=constant,
                values=block.values.get(each.name),
                choices=tuple(entities) if each.name == "entity" else each.choices,
            )
        )
    return sources_found
