"""What a board holds of the pages of a group: each as it is, of single members, and for other spans."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType
from typing import NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.fiscal import FiscalPeriod, FiscalQuarter, FiscalYear
from level_almanac.core.fields import LineField
from level_almanac.core.pages.options import page_options
from level_almanac.core.pages.running import MadePage, PageRun, run_page
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.pages import Page
from level_almanac.files.tables import SIDE_OF
from level_almanac.store.line_query import groups

_MOST_VIEWS = 400
_SPANS = {FiscalPeriod: "period", FiscalQuarter: "quarter", FiscalYear: "year"}


class Wanted(NamedTuple):
    """What can be chosen on a board. field: whose members, or empty; spans: ids of periods, quarters and years, each
    with the option that a page is run with for it.
    """

    field: str = ""
    spans: Mapping[str, str] = MappingProxyType({})


class BoardView(NamedTuple):
    """One report of a board: of a member and for a span, empty where of all and as the page says."""

    page: str
    member: str
    span: str
    made: MadePage


def read_wanted(book: Book, field: str, spans: str) -> Wanted:
    """Return what `--members` and `--spans` say; raise UsageMistake for an id that the calendar lacks."""
    found: dict[str, str] = {}
    for text in (text.strip() for text in spans.split(",") if text.strip()):
        named = book.calendars[""].find(text, "--spans", UsageMistake)
        if type(named) not in _SPANS:
            raise UsageMistake(Mistake("no span of a page", "--spans", repr(text), "periods, quarters and years"))
        found[str(named)] = _SPANS[type(named)]
    return Wanted(field.strip().lower(), found)


def board_views(
    book: Book,
    pages: Sequence[Page],
    wanted: Wanted,
    run_of: Callable[[Page, Mapping[str, str]], PageRun],
    tell: Callable[[MadePage], object],
    lack: Callable[[Page, UsageMistake], object],
) -> Iterator[BoardView]:
    """Yield the reports of a board, those of a page together.

    run_of: gives what a page is run with, for a span by its option; tell: is told of each that was made; lack: of each
    page that cannot be made of single members, and why. Raises UsageMistake where no page's lines have the field, or
    there would be too many reports.
    """
    firsts = {page.name: run_page(book, page, run_of(page, {})) for page in pages}
    members = _members(book, firsts.values(), wanted.field) if wanted.field else {}
    every = sorted({member for of in members.values() for member in of})
    if wanted.field and not every:
        what = "no page of the group is of lines that have this field"
        raise UsageMistake(Mistake(what, "--members", repr(wanted.field)))
    count = sum((len(members.get(name, ())) + 1) * (len(wanted.spans) + 1) for name in firsts)
    if count > _MOST_VIEWS:
        got, step = f"{count:,} reports", "choose fewer spans, or a field with fewer members"
        raise UsageMistake(Mistake("too many reports for a board", got=got, allowed=f"{_MOST_VIEWS}", next_step=step))
    for page in pages:
        own = [*members.get(page.name, ())]
        for span, option in (("", ""), *wanted.spans.items()):
            when = {option: span} if span else {}
            run = run_of(page, when)
            if span and not run.when:
                continue
            for member in ("", *own):
                made = firsts[page.name]
                if span or member:
                    only = ("--only", f'{wanted.field} is "{member}"') if member else ()
                    try:
                        made = run_page(book, page, replace(run, changed=only))
                    except UsageMistake as error:
                        if not member:
                            raise
                        # Such as one with a plan that does not tell the members apart.
                        lack(page, error)
                        own = []
                        break
                tell(made)
                yield BoardView(page.name, member, span, made)


def _members(book: Book, made: Iterable[MadePage], field: str) -> dict[str, list[str]]:
    """Return by the name of a page the members that its lines have in a field; nothing where they lack it."""
    found: dict[str, list[str]] = {}
    for each in made:
        facts = each.table.facts
        table = facts.get("table") or SIDE_OF.get(facts.get("side", ""), "ledger")
        fields = book.line_fields(table)
        known: LineField | None = fields.by_name.get(field)
        if known is None or known.kind != "text" or "only" not in page_options(each.report):
            continue
        rows = groups(book.engine, book.line_source(fields), [known.value], [])
        found[each.page.name] = sorted(str(value) for value, _ in rows if value is not None and '"' not in str(value))
    return found
