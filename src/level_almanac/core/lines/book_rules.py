"""The rules that a book states in words, and a load goes by: entry classes, and which records an intake block takes."""

from collections.abc import Iterator

from level_almanac.core.book import Book
from level_almanac.core.fields import export_fields, line_fields
from level_almanac.core.lines.conditions import read_condition
from level_almanac.errors import AlmanacError, BookMistake, Mistake
from level_almanac.files.settings import BookSettings
from level_almanac.files.tables import Field, Table, tables_of
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


def record_rules(book: Book) -> dict[tuple[int, str], Predicate]:
    """Return what intake blocks say of records in words: by the number of the block, from 1, and the key that says it.

    What the book says of accounts stands under block 0. Raises BookMistake with every mistake.
    """
    rules: dict[tuple[int, str], Predicate] = {}
    mistakes: list[Mistake] = []
    for number, key, text in _told(book.settings):
        fields = export_fields() if number else _ACCOUNT_FIELDS
        where = f"intake[{number}].{key}" if number else key
        try:
            rules[number, key] = read_condition(text, fields, where, BookMistake)
        except AlmanacError as error:
            mistakes += error.mistakes
    if mistakes:
        raise BookMistake(*mistakes)
    return rules


_ACCOUNT_FIELDS = line_fields("chart", {"chart": Table("chart", ("account",), (Field("account"), Field("name")))})
"""What the book can ask of an account that no export gives a class."""


def _told(settings: BookSettings) -> Iterator[tuple[int, str, str]]:
    """Yield (the number of a block, the key, the condition) of all that is said of records in words."""
    for number, block in enumerate(settings.intake, 1):
        keyed = {"only": block.only}
        keyed |= {f"pass_over[{at}]": text for at, text in enumerate(block.passed_over, 1)}
        keyed |= {f"totals[{at}].rows": told.rows for at, told in enumerate(block.totals, 1)}
        for name, source in block.field_sources.items():
            keyed |= {f"fields.{name}.rows": source.rows, f"fields.{name}.until": source.until}
        yield from ((number, key, text) for key, text in keyed.items() if text)
    yield from ((0, f"chart.classes.{name}", text) for name, text in settings.chart.classes.items())
