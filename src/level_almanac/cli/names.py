"""Names that a book knows, as types of options and arguments: a shell that completes words can offer them.

They take any text; whether it is right is for the core to say, with the nearest name. Completing never fails: where
there is no book, or it has mistakes, nothing is offered.
"""

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from level_almanac.errors import AlmanacError

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem

    from level_almanac.core.book import Book

Offers = Iterable[tuple[str, str]]
"""Names with a word of what each is."""
_YEARS_OFFERED = 4


class Name(click.ParamType[str]):
    """A name of some kind. find: what there is of it in a book, given the words before; several: whether it is one of
    a list between commas.
    """

    def __init__(self, name: str, find: "Callable[[Book, click.Context], Offers]", *, several: bool = False) -> None:
        self.name = name
        self.find = find
        self.several = several

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> str:  # noqa: ARG002  click's signature
        """Return the text as it is."""
        return str(value)

    def shell_complete(
        self,
        ctx: click.Context,
        param: click.Parameter,  # noqa: ARG002  click's signature
        incomplete: str,
    ) -> "list[CompletionItem]":
        """Return the names that begin as what is written so far, or as the last of a list."""
        from click.shell_completion import CompletionItem

        from level_almanac.core.book import Book
        from level_almanac.files.engines import DUCKDB

        front, comma, last = incomplete.rpartition(",") if self.several else ("", "", incomplete)
        written = last.lstrip()
        before = f"{front}{comma}{last[: len(last) - len(written)]}"
        folder = ctx.find_root().params.get("book") or Path()
        try:
            # Nobody waits for a cluster at a key.
            found = list(self.find(Book.open(folder, DUCKDB), ctx))
        except (AlmanacError, OSError):
            return []
        return [CompletionItem(f"{before}{name}", help=what) for name, what in found if name.startswith(written)]


def _pages(book: "Book", _: click.Context) -> Offers:
    from level_almanac.files.page_reading import built_in_names, page_names, read_page

    mine = page_names(book.file.root)
    for name in [*mine, *(each for each in built_in_names() if each not in mine)]:
        try:
            yield name, read_page(book.file.root, name).file.about
        except AlmanacError:
            yield name, "cannot be read"


def _pages_and_groups(book: "Book", ctx: click.Context) -> Offers:
    pages = list(_pages(book, ctx))
    yield from ((group, "a group") for group in sorted({name.rpartition("/")[0] for name, _ in pages} - {""}))
    yield from pages


def _editions(book: "Book", _: click.Context) -> Offers:
    from level_almanac.files.editions import edition_folder, edition_names, read_edition

    for name in edition_names(book.file.root):
        yield name, read_edition(edition_folder(book.file.root, name)).covers


def _layouts(book: "Book", _: click.Context) -> Offers:
    from level_almanac.files.layout_reading import layout_names

    return ((name, book.layout(name).title) for name in layout_names(book.file.root))


def _tables(book: "Book", _: click.Context) -> Offers:
    return ((name, "") for name in book.tables)


def _fields(book: "Book", ctx: click.Context) -> Offers:
    """Yield the fields of the table that the command is about."""
    sides = {"payable": "payables", "receivable": "receivables"}
    # Before a line is whole, what stands in it is found as it was written.
    written = [str(ctx.params.get("table")), str(ctx.params.get("side")), *ctx.args, ctx.info_name or ""]
    tables = (sides.get(word, word) for word in written)
    name = next((table for table in tables if table in book.tables), "ledger")
    return ((field, each.kind) for field, each in book.line_fields(name).by_name.items())


def _accounts(book: "Book", _: click.Context) -> Offers:
    return ((code, account.name) for code, account in book.chart.accounts.items())


def _entities(book: "Book", _: click.Context) -> Offers:
    return ((code, entity.name) for code, entity in book.settings.entities.items())


def _styles(book: "Book", _: click.Context) -> Offers:
    return ((name, "") for name in book.settings.styles)


def _plans(book: "Book", _: click.Context) -> Offers:
    return ((name, "") for name in book.scenarios)


def _spans(kind: str) -> "Callable[[Book, click.Context], Offers]":
    def find(book: "Book", _: click.Context) -> Offers:
        from level_almanac.core.calendar.date_text import range_words

        calendar, today = book.calendars[""], book.today
        last = calendar.year_of(book.data_through() or today)
        for number in range(last.year, last.year - _YEARS_OFFERED, -1):
            year = calendar.year(number)
            if kind == "year":
                yield str(year), range_words(year.first, year.last)
            elif kind == "quarter":
                yield from ((str(each), range_words(each.first, each.last)) for each in year.quarters)
            else:
                periods = (*year.periods, *year.extra_periods)
                yield from ((str(each), range_words(each.first, each.last)) for each in periods)

    return find


PAGE = Name("page", _pages)
PAGES = Name("page or group", _pages_and_groups)
EDITION = Name("edition", _editions)
LAYOUT = Name("layout", _layouts)
TABLE = Name("table", _tables)
FIELD = Name("field", _fields)
FIELDS = Name("fields", _fields, several=True)
ACCOUNT = Name("account", _accounts)
ENTITY = Name("entity", _entities)
STYLE = Name("style", _styles)
PLAN = Name("plan", _plans)
YEAR = Name("year", _spans("year"))
QUARTER = Name("quarter", _spans("quarter"))
PERIOD = Name("period", _spans("period"))
OFFERED = {
    each.name: each
    for each in (
        PAGE,
        PAGES,
        EDITION,
        LAYOUT,
        TABLE,
        FIELD,
        FIELDS,
        ACCOUNT,
        ENTITY,
        STYLE,
        PLAN,
        YEAR,
        QUARTER,
        PERIOD,
    )
}
"""By what an option offers, the type that completes it."""
