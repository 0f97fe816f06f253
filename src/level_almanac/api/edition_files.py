"""The files of an edition, each by its path with what writes it."""

import json
from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from functools import partial
from typing import Any

from level_almanac.core.calendar.date_text import moment_words
from level_almanac.core.editions.issue import Writers
from level_almanac.core.editions.report import data_size
from level_almanac.core.pages.running import MadePage
from level_almanac.core.table.model import ReportTable
from level_almanac.files.editions import Edition, IssuedPage
from level_almanac.output import pdf
from level_almanac.output.beside import Beside, Job
from level_almanac.output.drawing import Picture, drawn_here
from level_almanac.output.edition_index import IndexedPage, edition_index
from level_almanac.output.files import rendered
from level_almanac.output.json_text import json_text
from level_almanac.output.pdf_together import pdf_together
from level_almanac.output.text import dressed, legible, shortened
from level_almanac.output.xlsx import workbook

File = tuple[str, Callable[[], bytes]]


def figures_of(table: ReportTable) -> dict[str, Any]:
    """Return a report's figures in its JSON shape."""
    return dict(json.loads(json_text(table)))


class _Files:
    """The files of an edition. beside: draws and writes what it can beside this process, from when a page is made."""

    def __init__(self, beside: Beside | None) -> None:
        self._ask = beside.ask if beside else lambda _: None
        self._done = beside.done if beside else Job.here

    def begin(self, made: MadePage, formats: Sequence[str]) -> None:
        """Have a page written that will be wanted, or, where it has a chart, that of the PDF drawn: that takes longest,
        and waits for nothing else.
        """
        table = dressed(made.table)
        if table.chart is not None:
            self._ask(Job(drawn_here, (pdf.picture_of(shortened(legible(table))),)))
        elif "html" in formats:
            self._ask(_page_of(table))

    def _drawn(self, picture: Picture) -> bytes:
        return self._done(Job(drawn_here, (picture,)))

    def of(self, edition: Edition, made: Sequence[MadePage], title: str) -> Iterator[File]:
        """Yield figures, reports in every format, the two files that hold all pages, and the index of them."""
        tables = [dressed(each.table) for each in made]
        seen = [legible(table) for table in tables]
        facts = [
            edition.covers,
            f"issued {moment_words(datetime.fromisoformat(edition.issued_at))} with {edition.made_with}",
            f"data loaded {moment_words(datetime.fromisoformat(edition.loaded_at))}",
        ]
        named = [(page.name, table) for page, table in zip(edition.pages, seen, strict=True)]
        together = Job(workbook, (title, facts, named))
        for job in (*(_page_of(table) for table in tables if table.chart and "html" in edition.formats), together):
            self._ask(job)
        awaited: list[File] = [(f"{edition.name}.xlsx", partial(self._done, together))]
        for page, table, each in zip(edition.pages, tables, made, strict=True):
            yield page.figures, partial(_json, each.table)
            for path in page.files:
                ending = path.rpartition(".")[2]
                if ending == "html":
                    awaited.append((path, partial(self._done, _page_of(table))))
                else:
                    yield path, partial(rendered, table, ending, self._drawn)
        yield f"{edition.name}.pdf", partial(pdf_together, title, facts, seen, self._drawn)
        yield from awaited
        yield "index.html", partial(_index, edition, title, facts, seen)


def _page_of(table: ReportTable) -> Job:
    return Job(rendered, (table, "html"))


def _json(table: ReportTable) -> bytes:
    return json_text(table).encode()


def _index(edition: Edition, title: str, facts: Sequence[str], tables: Sequence[ReportTable]) -> bytes:
    together = {"all as one PDF": f"{edition.name}.pdf", "all as one workbook": f"{edition.name}.xlsx"}
    pages = [_indexed(page, table) for page, table in zip(edition.pages, tables, strict=True)]
    below = [
        ("Changes issued without an explanation", edition.unexplained),
        ("Figures on several pages, which agree", edition.ties),
        ("Data", [_data(edition, table) for table in edition.data]),
    ]
    return edition_index(title, facts, pages, together, below).encode()


def _indexed(page: IssuedPage, table: ReportTable) -> IndexedPage:
    return IndexedPage(
        page.name, table, {path.rpartition(".")[2]: path for path in page.files}, page.findings, page.lock
    )


def _data(edition: Edition, table: str) -> str:
    through = f", complete through {edition.through[table]}" if table in edition.through else ""
    return f"{table}: {data_size(edition, table)}{through}"


def writers(beside: Beside | None = None) -> Writers:
    """Return what renders the files of an edition. beside: does what it can beside this process."""
    files = _Files(beside)
    return Writers(figures_of, files.begin, files.of)
