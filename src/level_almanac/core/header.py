"""The facts that head a report: what it is of, the day it is made for and why, and how old its data is."""

from collections.abc import Iterator, Sequence
from datetime import date
from decimal import Decimal

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, moment_words
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.selection import Selection
from level_almanac.core.spans.as_of import AsOf, AsOfRequest, choice_words, choose_as_of, how_far_words, through_words
from level_almanac.files.tables import Table


def as_of_for(
    book: Book, calendar: FiscalCalendar, request: AsOfRequest, documents: Sequence[str] = (), *, ahead: bool = False
) -> AsOf:
    """Return the day that a report over the ledger is made for.

    documents: the tables of them that it is over too; ahead: whether the date that counts may lie after the data.
    """
    told = {name: book.state.through[name] for name in ("ledger", *documents) if name in book.state.through}
    first = min(told, key=lambda name: told[name], default="ledger")
    newest = None
    if not told:
        days = [book.newest_posting(), *(book.newest_document(table) for table in documents)]
        newest = max((day for day in days if day), default=None)
    what = (book.tables[first].called or first.replace("_", " "), "posting date")
    return choose_as_of(calendar, request, told.get(first), newest, book.today, what, ahead=ahead)


def table_as_of(
    book: Book,
    calendar: FiscalCalendar,
    request: AsOfRequest,
    table: str,
    dated: str,
    beside: str = "",
    dates: Sequence[str] = (),
) -> AsOf:
    """Return the day that a report over one table is made for, or of two where the data of both reaches.

    dated: the date of its lines that counts; beside: another table that the report uses; dates: where its lines go by
    several, those.
    """
    through = {name: book.state.through[name] for name in (table, beside) if name in book.state.through}
    first = min(through, key=lambda name: through[name], default=table)
    days = [] if through else [book.newest_day(table, each) for each in dict.fromkeys([dated, *dates])]
    newest = max((day for day in days if day), default=None)
    words = (book.tables[first].called or first.replace("_", " "), f"day in {table} by {dated}")
    ahead = looks_ahead(book.tables[table], dated)
    return choose_as_of(calendar, request, through.get(first), newest, book.today, words, ahead=ahead)


def looks_ahead(table: Table, dated: str) -> bool:
    """Tell whether a date of a table's lines may lie after its data: of a plan any, else one that nothing is booked by.

    dated: a date field, or empty for the one that counts.
    """
    return bool(table.plan_of) or dated not in ("", table.date, "posted", "date")


def table_as_of_facts(as_of: AsOf, through: date | None) -> dict[str, str]:
    """Return the day, its period, and how it was chosen, of a report over one table. through: how far its data goes."""
    choices = choice_words(as_of)
    facts = {"as_of": as_of.day.isoformat(), "as_of_chosen": as_of.how, "period": how_far_words(as_of, through)}
    return facts | ({"choices": ", ".join(choices)} if choices else {})


def table_as_of_words(as_of: AsOf, through: date | None) -> str:
    """Return `through 17 Jun 2026 (sales are complete through this day): 2026-P09, day 17 of 30, part`."""
    how = "" if as_of.how == "as asked" or as_of.named else f" ({as_of.how})"
    return " · ".join([f"{through_words(as_of)}{how}: {how_far_words(as_of, through)}", *choice_words(as_of)])


def ledger_begins(book: Book, selection: Selection) -> date | None:
    """Return the first day of the ledger's data: of the earliest base of the entities, or else of their first line."""
    bases = [book.state.bases.get(entity, 0) // 100 for entity in selection.entities]
    days = [selection.calendar.year(year).first for year in bases if year]
    if not days:
        for loaded in book.state.files_of("ledger"):
            period = selection.calendar.period(loaded.fiscal_low // 100, loaded.fiscal_low % 100)
            if loaded.first and period and loaded.sums.keys() & selection.entities.keys():
                # A line counts within its own period, whatever day it is dated.
                days.append(min(max(loaded.first, period.first), period.last))
    return min(days, default=None)


def reach_of(book: Book, table: str, dated: str) -> date | None:
    """Return the day up to which a table's data goes: the day told at loading, or else the newest of its lines."""
    return book.state.through.get(table) or book.newest_day(table, dated)


def reach_notes(last: date, through: date | None) -> Iterator[str]:
    """Yield that the data ends before the last day of a report, if it does."""
    if through is not None and last > through:
        yield f"The data ends on {day_words(through)}, before {day_words(last)}: what comes after is not there yet"


def as_of_notes(as_of: AsOf, last: date | None = None) -> Iterator[str]:
    """Yield that the data ends before the day of a report, or the last day that it covers, if it does."""
    yield from reach_notes(as_of.day if last is None else last, as_of.data_end)


def table_words(book: Book, table: str, dated: str) -> str:
    """Return how old a table's data is: `sales complete through 17 Jun 2026, 9 days ago; loaded 18 Jun 2026 07:40`."""
    complete = book.state.through.get(table)
    day = complete or book.newest_day(table, dated)
    ago = f", {_ago((book.today - day).days)}" if day and day <= book.today else ""
    newest = f"newest {dated} {day_words(day)}{ago}" if day else ""
    reach = f"complete through {day_words(complete)}{ago}" if complete else newest
    name = f"{table.replace('_', ' ')}{f' {reach};' if reach else ''}"
    return f"{name} loaded {_loaded_words(book, table)}"


def _ago(days: int) -> str:
    return {0: "today", 1: "yesterday"}.get(days, f"{days:,} days ago")


def selection_facts(selection: Selection) -> dict[str, str]:
    """Return which entities and which currency."""
    return {"entity": ", ".join(selection.named), "entity_name": selection.words, "currency": selection.currency}


def data_facts(book: Book, table: str = "ledger") -> dict[str, str]:
    """Return up to when a table is complete, if that was told, and when it was loaded, by the book's clock."""
    told = book.state.through.get(table)
    facts = {"complete_through": told.isoformat()} if told else {}
    if count := sum(loaded.set_aside for loaded in book.state.files):
        facts["set_aside"] = str(count)
    return facts | {"loaded": book.state.loaded_at.astimezone(book.zone).isoformat(timespec="minutes")}


def data_words(book: Book, table: str = "ledger") -> str:
    """Return the age of a table's data, as `table_words` does, or when the book's data was loaded."""
    known = book.tables.get(table)
    if known and known.date and book.parts_of(table):
        return table_words(book, table, known.date)
    return f"{table.replace('_', ' ') or 'data'} loaded {_loaded_words(book, table)}"


def pending_notes(book: Book) -> Iterator[str]:
    """Yield which exports are not loaded yet as they are now."""
    found = {how: names for how, names in zip(("new", "changed", "gone"), book.not_loaded(), strict=True) if names}
    if found:
        counts = ", ".join(f"{len(names)} {how}" for how, names in found.items())
        names = [name.rpartition("/")[2] for each in found.values() for name in each]
        told = f"{counts} ({listed_some(names, 3)})"
        yield f"Not loaded yet: {told}; `almanac load --look` tells what a load would change"


def _loaded_words(book: Book, table: str) -> str:
    """Return when the exports were loaded, and when a database was asked for lines of the table, where one was."""
    asked = [loaded.asked_at for loaded in book.state.files_of(table) if loaded.asked_at]
    more = f", its database asked {moment_words(min(asked).astimezone(book.zone))}" if asked else ""
    return f"{moment_words(book.state.loaded_at.astimezone(book.zone))}{more}{_aside_words(book)}"


def early_notes(book: Book, table: str, selection: Selection | None, last: date) -> Iterator[str]:
    """Yield what of a table's data ends clearly before that of the others, and before the last day of a report."""
    for key, day in book.state.early.items():
        name, _, entity = key.partition("/")
        told = book.state.through.get(table)
        if name != table or day >= last or (entity and selection and entity not in selection.entities):
            continue
        of = f" of {book.settings.entities[entity].name}" if entity in book.settings.entities else ""
        called = "the ledger" if table == "ledger" else table.replace("_", " ")
        more = f", though it is said to be complete through {day_words(told)}" if told else ""
        yield f"No line{of} in {called} is after {day_words(day)}{more}: see whether an export is missing"


def _aside_words(book: Book) -> str:
    """Return how many lines were set aside at loading and how much, as every report has to say."""
    aside = [loaded for loaded in book.state.files if loaded.set_aside]
    if not aside:
        return ""
    count = sum(loaded.set_aside for loaded in aside)
    sides = [sum((Decimal(loaded.aside_sums[side]) for loaded in aside), Decimal(0)) for side in (0, 1)]
    lines = "1 line was" if count == 1 else f"{count:,} lines were"
    return (
        f" · {lines} SET ASIDE as wrong, debits {sides[0]:,.2f} and credits {sides[1]:,.2f} as far as they can be read"
    )


def as_of_facts(book: Book, as_of: AsOf) -> dict[str, str]:
    """Return the day, its period, and how it was chosen."""
    far = how_far_words(as_of, book.data_through())
    choices = choice_words(as_of)
    facts = {"as_of": as_of.day.isoformat(), "as_of_chosen": as_of.how, "period": far}
    return facts | ({"choices": ", ".join(choices)} if choices else {})


def as_of_words(book: Book, as_of: AsOf) -> str:
    """Return `through 17 Jun 2026 (the ledger is complete through this day): 2026-P09, day 17 of 30, part`."""
    far = how_far_words(as_of, book.data_through())
    how = "" if as_of.how == "as asked" or as_of.named else f" ({as_of.how})"
    return " · ".join([f"{through_words(as_of)}{how}: {far}", *choice_words(as_of)])


def listed_some(names: Sequence[str], most: int = 6) -> str:
    """Return the first names, and how many more there are."""
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return f"{', '.join(names[:most])}{more}"
