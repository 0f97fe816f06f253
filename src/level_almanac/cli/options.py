"""What several commands begin with: the book that they are about."""

import click

from level_almanac.cli.session import session_of
from level_almanac.core.book import Book


def open_book(ctx: click.Context) -> Book:
    """Open the book that `--book` names, to be computed by what `--engine` tells."""
    session = session_of(ctx)
    return Book.open(session.folder, session.engine)
