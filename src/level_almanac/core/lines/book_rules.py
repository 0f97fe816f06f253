"""The rules that a book states in words, and a load goes by: entry classes, and which records an intake block takes."""

from level_almanac.core.book import Book
from level_almanac.core.fields import export_fields, line_fields
from level_almanac.core.lines.conditions import read_condition
from level_almanac.errors import AlmanacError, BookMistake, Mistake
from level_almanac.files.tables import tables_of
from level_almanac.store.predicate import Predicate


def entry_class_rules(book: Book) -> dict[str, Predicate]:
    """Return entry class to the condition of its lines, in the order they are tried; raises BookMistake."""
    rules: dict[str, Predicate] = {}
    mistakes: list[Mistake] = []
    table = tables_of(book.settings.tables)["ledger"]._replace(links={})
    ledger = line_fields("ledger", {"ledger": table}).as_exported
    for name in ("carried", "closing", "adjusting"):
        text = getattr(book.settings.entry_classes, name)
        if text:
            try:
                rules[name] = read_condition(text, ledger, f"entry_classes.{name}", BookMistake)
            except AlmanacError as error:
                mistakes += error.mistakes
    if mistakes:
        raise BookMistake(*mistakes)
    return rules


def taken_rules(book: Book) -> dict[int, Predicate]:
    """Return by the number of an intake block, from 1, the condition of the records it takes; raises BookMistake."""
    return {
        number: read_condition(block.only, export_fields(), f"intake[{number}].only", BookMistake)
        for number, block in enumerate(book.settings.intake, 1)
        if block.only
    }
