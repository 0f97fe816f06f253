"""What the commands of one run share: the book they are about, and where a finished report goes."""

import os
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from level_almanac.core.book import Book
    from level_almanac.core.table.model import ReportTable

REPORTS = (
    "statement", "trial", "detail", "list", "parties", "documents", "aging", "billing", "growth", "rank", "pace",
    "check", "calendar",
)  # fmt: skip
"""The commands whose reports can be saved as pages."""


@dataclass(slots=True)
class Session:
    """One run. folder: where the book is looked for; words: the command as it was asked for, with its own options.

    opened: the book to use, where that is open already, as an edition's is; taken: what collects the reports instead
    of their being printed, where a page is run.
    """

    folder: Path = Path()
    words: tuple[str, ...] = ()
    opened: "Book | None" = None
    taken: "list[ReportTable] | None" = None


def bold(words: str) -> str:
    """Return words in bold type; as they are where no colour is wanted, which click does not ask."""
    return words if os.environ.get("NO_COLOR") else click.style(words, bold=True)


def session_of(ctx: click.Context) -> Session:
    """Return the session that a command is run in."""
    found = ctx.find_root().obj
    return found if isinstance(found, Session) else Session()
