"""Load a book's exports, for the command line and for Python."""

from collections.abc import Iterable, Mapping
from datetime import date
from typing import NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.language.days import DayContext, DayExpression, day_of, read_day
from level_almanac.core.lines.book_rules import entry_class_rules, record_rules
from level_almanac.core.reports.check.ledger import closed_changes
from level_almanac.core.reports.load_report import load_report
from level_almanac.core.reports.look_report import look_report
from level_almanac.core.table.model import ReportTable
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.files.reaches import reaches_of
from level_almanac.intake.load import LoadOptions, LoadRules, load, look
from level_almanac.intake.set_aside import left_out_words


class Loaded(NamedTuple):
    """What a load did, and what it warns of, in words. set_aside: how many lines it left out as wrong."""

    table: ReportTable
    warnings: tuple[str, ...]
    set_aside: int = 0


def load_book(
    book: Book,
    through: Mapping[str, DayExpression] | None = None,
    *,
    drop_missing: bool = False,
    set_aside: bool = False,
) -> Loaded:
    """Take the exports in: all of them, or nothing.

    through: the day up to which those of a table are complete, under '' for all that have dates; drop_missing: let go
    of the lines of exports that are gone; set_aside: leave wrong lines out, in files of their own. Raises BookMistake
    with every line that is wrong, BookBusy where another load is under way.
    """
    today = book.today
    context = DayContext(book.calendars[""], today, today)
    days = {table: day_of(day, context) for table, day in (through or {}).items()}
    _check_tables(book, days)
    rules = LoadRules(entry_class_rules(book), record_rules(book))
    options = LoadOptions(days, drop_missing, set_aside)
    if book.choice.store:
        book.store.is_of(book.named, claim=True)
    book.store.claim_parts(book.named)
    done = load(book.file, book.store, book.calendar_by_entity, rules, book.now, options, book.choice)
    told = [f"this load reached {reach.what} ({reach.where})" for reach in reaches_of(book.file)]
    told += [left_out_words(loaded) for loaded in done.state.files if loaded.set_aside]
    told += closed_changes(book, done.was, done.now)
    more = done.warned_of - len(done.warnings)
    warnings: tuple[str, ...] = (*told, *map(str, done.warnings), *([f"… and {more:,} more"] if more > 0 else []))
    set_aside_lines = sum(loaded.set_aside for loaded in done.state.files)
    return Loaded(load_report(book, done.state, done.outcomes, done.dropped), warnings, set_aside_lines)


def look_book(book: Book) -> Loaded:
    """Return what a load would change, and what it would warn of; nothing is changed.

    Raises as `load_book` does, for what a load would be refused for.
    """
    rules = LoadRules(entry_class_rules(book), record_rules(book))
    book.store.claim_parts(book.named)
    found = look(book.file, book.store, book.calendar_by_entity, rules, book.now, book.choice)
    more = found.warned_of - len(found.warnings)
    warnings = (*map(str, found.warnings), *([f"… and {more:,} more"] if more > 0 else []))
    return Loaded(look_report(book, found.before, found.after, found.outcomes, found.gone), warnings)


def read_through(told: Iterable[str]) -> dict[str, DayExpression]:
    """Return the days that `DAY` and `TABLE=DAY` say, by table; raise UsageMistake for one told twice, or not a day."""
    found: dict[str, DayExpression] = {}
    for text in told:
        table, equals, day = text.partition("=")
        name = table.strip() if equals else ""
        if name in found:
            raise UsageMistake(Mistake("told more than once", "--through", repr(text)))
        found[name] = read_day(day if equals else text, "--through", UsageMistake)
    return found


def _check_tables(book: Book, days: Mapping[str, date]) -> None:
    for table in days:
        known = [name for name, each in book.tables.items() if each.date and not each.plan_of]
        if table and table not in known:
            what = "no table whose lines have a date has this name"
            raise UsageMistake(Mistake(what, "--through", repr(table), listed(known), nearest(table, known)))
