"""Load a book's exports, for the command line and for Python."""

from typing import NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.language.days import DayContext, DayExpression, day_of
from level_almanac.core.lines.book_rules import entry_class_rules, taken_rules
from level_almanac.core.reports.load_report import load_report
from level_almanac.core.table.model import ReportTable
from level_almanac.files.reaches import reaches_of
from level_almanac.intake.load import LoadOptions, LoadRules, load
from level_almanac.intake.set_aside import left_out_words


class Loaded(NamedTuple):
    """What a load did, and what it warns of, in words."""

    table: ReportTable
    warnings: tuple[str, ...]


def load_book(
    book: Book, through: DayExpression | None = None, *, drop_missing: bool = False, set_aside: bool = False
) -> Loaded:
    """Take the exports in: all of them, or nothing.

    through: the day up to which they are complete; drop_missing: let go of the lines of exports that are gone;
    set_aside: leave wrong lines out, in files of their own. Raises BookMistake with every line that is wrong, BookBusy
    where another load is under way.
    """
    today = book.today
    day = day_of(through, DayContext(book.calendars[""], today, today)) if through is not None else None
    rules = LoadRules(entry_class_rules(book), taken_rules(book))
    options = LoadOptions(day, drop_missing, set_aside)
    done = load(book.file, book.store, book.calendar_by_entity, rules, book.now, options)
    told = [f"this load reached {reach.what} ({reach.where})" for reach in reaches_of(book.file)]
    told += [left_out_words(loaded) for loaded in done.state.files if loaded.set_aside]
    more = done.warned_of - len(done.warnings)
    warnings: tuple[str, ...] = (*told, *map(str, done.warnings), *([f"… and {more:,} more"] if more > 0 else []))
    return Loaded(load_report(book, done.state, done.outcomes, done.dropped), warnings)
