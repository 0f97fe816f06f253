"""What lines lack of that a column is made of: it counts there with nothing, and that is told."""

from collections.abc import Iterator, Sequence

from level_almanac.core.lines.selected import ShownField
from level_almanac.store.engine import Engine
from level_almanac.store.expressions import Expression, FieldReference, terms_of
from level_almanac.store.line_query import Asked, LineSource, groups


def lacking_notes(engine: Engine, source: LineSource, columns: Sequence[ShownField]) -> Iterator[str]:
    """Yield how many lines have nothing in a field that a ratio, sum or difference of several is made of."""
    parts: dict[str, FieldReference] = {}
    for column in columns:
        made_of: Sequence[Expression] = []
        if column.ratio is not None:
            made_of = list(column.ratio.parts.values())
        elif column.total_value is not None and column.total_value != column.value:
            made_of = terms_of(column.value) if column.value is not None else []
        parts |= {part.column: part for part in made_of if isinstance(part, FieldReference) and not part.link}
    if not parts:
        return
    rows = groups(engine, source, (), [Asked(value, "count") for value in parts.values()])
    for name, count in zip(parts, rows[0][1:] if rows else (), strict=False):
        if count < rows[0][0]:
            yield f"{rows[0][0] - count:,} of {rows[0][0]:,} lines have no {name}, and count in it with nothing"
