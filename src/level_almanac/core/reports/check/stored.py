"""The check of the store itself: whether its parts are still what was loaded."""

from level_almanac.core.book import Book
from level_almanac.core.reports.check.findings import KINDS, Checked
from level_almanac.errors import BookMistake, Mistake, how_many
from level_almanac.store.part_sums import damaged_parts, parts_in, unlike_noted


def stored(book: Book) -> Checked:
    """Hold each part against the hash in its name, and what it comes to against what its load noted.

    Raises BookMistake for those that are not alike: no other check, and no report, can be believed then.
    """
    parts = parts_in(book.state)
    damaged = damaged_parts(book.store, parts)
    step = book.store.mended_by
    mistakes = [Mistake("this part of the store is not what was written", part, next_step=step) for part in damaged]
    for loaded in () if damaged else book.state.files:
        if loaded.part and unlike_noted(book.engine, book.store, loaded, book.tables[loaded.table]):
            what = "the store holds other lines of this export than its load noted"
            mistakes.append(Mistake(what, loaded.path, next_step=step))
    if mistakes:
        raise BookMistake(*mistakes)
    return Checked(KINDS["store"], looked_at=how_many(len(parts), "part"))
