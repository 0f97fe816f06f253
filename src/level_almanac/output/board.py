"""A board: the reports of several pages in one HTML file, each also of single members and of other spans.

Whatever can be chosen was computed ahead, with its own proof: nothing is summed in the browser.
"""

import re
from collections.abc import Sequence
from typing import NamedTuple

from level_almanac.core.table.model import ReportTable
from level_almanac.output.html import html
from level_almanac.output.template import template

_BODY = re.compile(r"<body>\n?(.*?)<script>", re.DOTALL)
_STYLE = re.compile(r"<style>\n?(.*?)</style>", re.DOTALL)
_NAMES = re.compile(r' id="[^"]*"')
"""Names of rows, which would stand in several reports."""


class View(NamedTuple):
    """One report of a board. page: its name; member, span: what it is of, empty where of all and as the page says."""

    page: str
    member: str
    span: str
    table: ReportTable


class Board(NamedTuple):
    """What a board is made of. field: whose members can be chosen, or empty; views: those of a page stand together."""

    title: str
    facts: Sequence[str]
    field: str
    views: Sequence[View]


def board_html(board: Board) -> str:
    """Return the board as one file that needs no network."""
    made = [html(view.table, sortable=True) for view in board.views]
    pages = {view.page: view.table.title for view in reversed(board.views)}
    text: str = template("board.html.j2").render(
        title=board.title,
        facts=board.facts,
        style=_found(_STYLE, made[0]),
        pages=[(name, pages[name]) for name in dict.fromkeys(view.page for view in board.views)],
        field=board.field,
        members=[name for name in dict.fromkeys(view.member for view in board.views) if name],
        spans=[name for name in dict.fromkeys(view.span for view in board.views) if name],
        views=[
            {"page": view.page, "member": view.member, "span": view.span, "body": _NAMES.sub("", _found(_BODY, text))}
            for view, text in zip(board.views, made, strict=True)
        ],
    )
    return text


def _found(part: re.Pattern[str], text: str) -> str:
    found = part.search(text)
    return found[1] if found else ""
