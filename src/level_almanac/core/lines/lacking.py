"""What a reader could not see of sums: lines that lack what a column is made of, and numbers that count once a key."""

from collections.abc import Iterator, Sequence

from level_almanac.core.lines.selected import ShownField
from level_almanac.store.engine import Engine
from level_almanac.store.expressions import Expression, FieldReference, is_only_linked, links_of, terms_of
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


def once_notes(columns: Sequence[ShownField]) -> Iterator[str]:
    """Yield which columns hold a number of another table, that is not added up over the lines it stands on."""
    found: dict[str, list[str]] = {}
    for column in columns:
        parts = list(column.ratio.parts.values()) if column.ratio is not None else []
        if column.summing == "once" and column.value is not None:
            parts = [column.value]
        for link in sorted({link for part in parts if is_only_linked(part) for link in links_of(part)}):
            found.setdefault(link, []).append(column.label)
    for link, labels in found.items():
        yield f"{', '.join(labels)}: what is of one {link} counts once in a group or total, however many lines it has"
