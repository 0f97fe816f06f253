"""What a reader could not see of sums: lines that lack what a column is made of, and numbers that count once a key."""

from collections.abc import Iterator, Sequence
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.fields import LineField, LineFields, links_from
from level_almanac.core.lines.rule import Rule
from level_almanac.core.lines.selected import ShownField, averaged_value
from level_almanac.errors import how_many
from level_almanac.store.engine import Engine
from level_almanac.store.expressions import (
    Constant,
    Expression,
    FieldReference,
    Summed,
    is_only_linked,
    links_of,
    terms_of,
)
from level_almanac.store.line_query import Asked, LineSource, groups
from level_almanac.store.predicate import Every, FieldTest, Not, fields_in


def lacking_notes(engine: Engine, source: LineSource, columns: Sequence[ShownField]) -> Iterator[str]:
    """Yield how many lines an average uses, and how many lack a field of a ratio, a sum or a difference."""
    averaged = [column for column in columns if column.aggregate == "average" and column.value is not None]
    parts: dict[FieldReference, list[str]] = {}
    for column in columns:
        for part in _made_of(column):
            if isinstance(part, FieldReference) and not part.link:
                parts.setdefault(part, []).append(column.label)
    asked = [Asked(averaged_value(column), "count") for column in averaged]
    asked += [Asked(value, "count") for value in parts]
    if not asked:
        return
    rows = groups(engine, source, (), asked)
    lines, *counts = rows[0] if rows else (0,)
    for column, count in zip(averaged, counts, strict=False):
        yield from average_note(column.label, count, lines)
    for (part, labels), count in zip(parts.items(), counts[len(averaged) :], strict=False):
        if count < lines:
            named = ", ".join(dict.fromkeys(labels))
            taken = "takes it as zero" if len(labels) == 1 else "take it as zero"
            yield f"{lines - count:,} of {lines:,} lines have no {part.column}; {named} {taken} for them"


def average_note(label: str, used: int, lines: int) -> Iterator[str]:
    """Yield how many lines an average uses, if some have no value."""
    if used < lines:
        yield f"{label} is of {used:,} of {lines:,} lines; the other {lines - used:,} have no value"


def _made_of(column: ShownField) -> Sequence[Expression]:
    if column.ratio is not None:
        return list(column.ratio.parts.values())
    differs = column.aggregate != "average" and column.total_value is not None and column.total_value != column.value
    return terms_of(column.value) if differs and column.value is not None else []


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


def unknown_notes(book: Book, fields: LineFields, rules: Sequence[Rule], used: Sequence[ShownField]) -> Iterator[str]:
    """Yield how many lines have a code that the table it leads to lacks: they stand with those that have none.

    rules: what the lines meet; used: what a report shows or groups them by. Accounts are for `check`.
    """
    names = {name for rule in rules for name in fields_in(rule.predicate)}
    asked = {fields.by_name[name].link for name in names if name in fields.by_name}
    asked |= {link for field in used if field.value is not None for link in links_of(field.value)}
    ways = links_from(fields.table.name, book.tables)
    links = [link for link in ways if any(each == link or each.startswith(f"{link}.") for each in asked)]
    links = [link for link in links if not (fields.table.entries and link == "account")]
    if not links:
        return
    values = []
    for link in links:
        before, _, last = link.rpartition(".")
        code, key = f"code of {link}", f"key of {link}"
        fields = fields.with_computed(
            LineField(code, "text", FieldReference(last, before), fields.table.name),
            LineField(key, "text", FieldReference(book.tables[ways[link]].key[0], link), fields.table.name),
        )
        lacks = Every((Not(FieldTest(code, "blank")), FieldTest(key, "blank")))
        values.append(Summed(((lacks, Constant(Decimal(1))),)))
    source = book.line_source(fields, [rule.predicate for rule in rules])
    rows = groups(book.engine, source, (), [Asked(value, "count") for value in values])
    for link, count in zip(links, rows[0][1:] if rows else (), strict=False):
        if count:
            has, stands = ("has", "stands") if count == 1 else ("have", "stand")
            told = f"{how_many(count, 'line')} of {rows[0][0]:,} {has} a code in {link} that {ways[link]} lacks"
            yield f"{told}, and {stands} with those that have none"
