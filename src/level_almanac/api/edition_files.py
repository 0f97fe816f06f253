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
from level_almanac.output import html, pdf
from level_almanac.output.drawing import Drawing, Picture
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


def edition_files(drawing: Drawing | None, edition: Edition, made: Sequence[MadePage], title: str) -> Iterator[File]:
    """Yield figures, reports in every format, the two files that hold all pages, and the index that links to them.

    drawing: draws charts beside this process.
    """
    tables = [dressed(each.table) for each in made]
    seen = [legible(table) for table in tables]
    draw = drawing.drawn if drawing else None
    if drawing is not None:
        drawing.ask(list(_pictures(edition.formats, seen)))
    for page, table, each in zip(edition.pages, tables, made, strict=True):
        yield page.figures, partial(_json, each.table)
        for path in page.files:
            yield path, partial(rendered, table, path.rpartition(".")[2], draw)
    facts = [
        edition.covers,
        f"issued {moment_words(datetime.fromisoformat(edition.issued_at))} with {edition.made_with}",
        f"data loaded {moment_words(datetime.fromisoformat(edition.loaded_at))}",
    ]
    named = [(page.name, table) for page, table in zip(edition.pages, seen, strict=True)]
    yield f"{edition.name}.pdf", partial(pdf_together, title, facts, seen, draw)
    yield f"{edition.name}.xlsx", partial(workbook, title, facts, named)
    yield "index.html", partial(_index, edition, title, facts, seen)


def _pictures(formats: Sequence[str], seen: Sequence[ReportTable]) -> Iterator[Picture]:
    """Yield the charts of an edition, in the order in which they are wanted."""
    with_charts = [table for table in seen if table.chart is not None]
    if "html" in formats:
        yield from map(html.picture_of, with_charts)
    yield from (pdf.picture_of(shortened(table)) for table in with_charts)


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


def writers(drawing: Drawing | None = None) -> Writers:
    """Return what renders the files of an edition. drawing: draws charts beside this process."""
    return Writers(figures_of, partial(edition_files, drawing))
