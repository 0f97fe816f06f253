"""The checks of the store itself: whether its parts are still what was loaded, and which lines no longer count."""

from collections.abc import Sequence
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.reports.check.findings import KINDS, Checked, Finding, FoundLine
from level_almanac.core.table.exact import figure_words
from level_almanac.errors import BookMistake, Mistake, how_many
from level_almanac.store.part_sums import parts_in, unlike_noted
from level_almanac.store.repeats import SupersededLine, superseded_lines


def stored(book: Book) -> Checked:
    """Hold each part against the hash in its name, and what it comes to against what its load noted.

    Raises BookMistake for those that are not alike: no other check, and no report, can be believed then.
    """
    parts = parts_in(book.state)
    damaged = book.store.damaged(parts)
    step = book.store.mended_by
    mistakes = [Mistake("this part of the store is not what was written", part, next_step=step) for part in damaged]
    for loaded in () if damaged else book.state.files:
        if loaded.part and unlike_noted(book.engine, book.store, loaded, book.tables[loaded.table]):
            what = "the store holds other lines of this export than its load noted"
            mistakes.append(Mistake(what, loaded.path, next_step=step))
    if mistakes:
        raise BookMistake(*mistakes)
    return Checked(KINDS["store"], looked_at=how_many(len(parts), "part"))


def superseded(book: Book) -> Checked:
    """Return the lines whose key a later export has with other values, where the book says that the later one wins."""
    findings = []
    count = 0
    for name, table in book.tables.items():
        files = [loaded for loaded in book.state.files_of(name) if loaded.superseded]
        if not files:
            continue
        shadows = [book.store.path_of(loaded.shadow) for loaded in files]
        fields = [field.name for field in table.fields]
        found: dict[str, list[FoundLine]] = {}
        for line in superseded_lines(book.engine, table.key, fields, shadows, book.parts_of(name)):
            found.setdefault(line.file, []).append(_found_line(table.key, line))
        for path, lines in found.items():
            words = f"{how_many(len(lines), 'line')} of {path} in {name}"
            findings.append(Finding(f"superseded/{name}/{path}", words, tuple(lines), severity="warning"))
            count += len(lines)
    return Checked(KINDS["superseded"], findings, looked_at=how_many(count, "line"))


def _found_line(key: Sequence[str], line: SupersededLine) -> FoundLine:
    named = ", ".join(f"{name} {value}" for name, value in zip(key, line.key, strict=True) if value is not None)
    changes = "; ".join(f"{name} {_shown(one)}, now {_shown(other)}" for name, one, other in line.changes)
    words = f"{named}: {changes}, as {line.by}" if changes else f"{named}: as {line.by}"
    return FoundLine(words, f"{line.file}:{line.file_line}")


def _shown(value: object) -> str:
    if value is None:
        return "(blank)"
    return figure_words(value) if isinstance(value, Decimal) else str(value)
