"""What commands say beside their reports: on stderr, and visibly whatever stands in a name or a value."""

import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager

import click

from level_almanac.cli.session import bold
from level_almanac.progress import heard_by
from level_almanac.shown_text import visible


def say(words: str = "", *, strong: bool = False) -> None:
    """Print a line for the person who runs the command, in bold type where it is strong and there is a terminal."""
    click.echo(bold(visible(words)) if strong else visible(words), err=True)


_PATIENCE, _PAUSE = 1.0, 0.2
"""Seconds that a person waits without a word, and how often the words change then."""
_WIDTH = 72


@contextmanager
def progress_shown(label: str) -> Iterator[None]:
    """Tell on a terminal how far a long piece of work has come, on one line that is gone at the end."""
    if not sys.stderr.isatty():
        yield
        return
    said = time.monotonic() + _PATIENCE - _PAUSE
    shown = False

    def hear(words: str) -> None:
        nonlocal said, shown
        if time.monotonic() >= said + _PAUSE:
            said, shown = time.monotonic(), True
            click.echo(f"\r{visible(f'{label}: {words}')[:_WIDTH]:<{_WIDTH}}", err=True, nl=False)

    try:
        with heard_by(hear):
            yield
    finally:
        if shown:
            click.echo(f"\r{'':<{_WIDTH}}\r", err=True, nl=False)
