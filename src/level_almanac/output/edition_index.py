"""The page that an edition is opened with: its reports with links to their files, its tie-outs and its data."""

from collections.abc import Sequence
from typing import NamedTuple

from level_almanac.core.table.model import ReportTable
from level_almanac.output.template import template
from level_almanac.output.terminal import page_lines


class IndexedPage(NamedTuple):
    """A page in the index. links: ending to file, relative to the index; findings: what its proof found; state: what
    stands beside it, such as that it is locked.
    """

    name: str
    table: ReportTable
    links: dict[str, str]
    findings: Sequence[str]
    state: str


def edition_index(
    title: str,
    facts: Sequence[str],
    pages: Sequence[IndexedPage],
    together: dict[str, str],
    below: Sequence[tuple[str, Sequence[str]]],
) -> str:
    """Return the index as HTML. together: label to file of what holds all pages; below: headed lists of lines."""
    made: str = template("edition.html.j2").render(
        title=title,
        facts=facts,
        together=together,
        pages=[
            {
                "name": page.name,
                "title": page.table.title,
                "lines": page_lines(page.table)[:2],
                "first": page.links.get("html") or next(iter(page.links.values()), ""),
                "links": page.links,
                "adds_up": page.table.proof is None or page.table.proof.adds_up,
                "proven": page.table.proof is not None,
                "findings": page.findings,
                "state": page.state,
            }
            for page in pages
        ],
        below=below,
    )
    return made
