"""The computed fields that a report uses: those that it asks for, and those that the book computes for its table."""

import re
from collections.abc import Sequence

from level_almanac.core.fields import LineField, LineFields
from level_almanac.core.lines.computed import Computed, ComputedReader, Labels
from level_almanac.core.spans.as_of import AsOf
from level_almanac.errors import BookMistake, Mistake, UsageMistake


def read_computed(
    fields: LineFields, asked: Sequence[str], used: Sequence[str], reach: AsOf, labels: Labels
) -> tuple[LineFields, dict[str, Computed]]:
    """Return the fields with the computed ones among them, and these by name, ratios too.

    asked: `name = words` each; used: the texts that may name one of the book's, so that others need not be read.
    Raises UsageMistake or BookMistake for words that cannot be read.
    """
    computed: dict[str, Computed] = {}
    told = {name: words for name, words in fields.table.compute.items() if _names(name, [*used, *asked])}
    for name, words in told.items():
        where = f"tables.{fields.table.name}.compute.{name}"
        fields = _with(fields, ComputedReader(fields, where, BookMistake, reach, labels), f"{name} = {words}", computed)
    for text in asked:
        fields = _with(fields, ComputedReader(fields, "--compute", UsageMistake, reach, labels), text, computed)
    return fields, computed


def _names(name: str, texts: Sequence[str]) -> bool:
    return any(re.search(rf"\b{name}\b", text, re.IGNORECASE) for text in texts)


def _with(fields: LineFields, reader: ComputedReader, text: str, computed: dict[str, Computed]) -> LineFields:
    computed_field = reader.read(text)
    if computed_field.name in computed:
        raise UsageMistake(Mistake("computed twice", reader.where, repr(computed_field.name)))
    computed[computed_field.name] = computed_field
    if computed_field.value is None:
        return fields
    return fields.with_computed(
        LineField(computed_field.name, computed_field.kind, computed_field.value, fields.table.name)
    )
