"""What the commands of one run share: the book they are about, and their own words."""

import os
from dataclasses import dataclass
from pathlib import Path

import click


@dataclass(slots=True)
class Session:
    """One run. folder: where the book is looked for; engine: what computes it, if that is told; words: the command as
    it was asked for, with its own options.
    """

    folder: Path = Path()
    engine: str = ""
    words: tuple[str, ...] = ()


def bold(words: str) -> str:
    """Return words in bold type; as they are where no colour is wanted, which click does not ask."""
    return words if os.environ.get("NO_COLOR") else click.style(words, bold=True)


def session_of(ctx: click.Context) -> Session:
    """Return the session that a command is run in."""
    found = ctx.find_root().obj
    return found if isinstance(found, Session) else Session()
