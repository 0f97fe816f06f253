"""What commands say beside their reports: on stderr, and visibly whatever stands in a name or a value."""

import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import click

from level_almanac.cli.session import bold
from level_almanac.progress import Listener, heard_by
from level_almanac.shown_text import visible


def say(words: str = "", *, strong: bool = False) -> None:
    """Print a line for the person who runs the command, in bold type where it is strong and there is a terminal."""
    click.echo(bold(visible(words)) if strong else visible(words), err=True)


_PATIENCE, _PAUSE = 1.0, 0.2
"""Seconds that a person waits without a word, and how often the words change then."""
_WIDTH = 78
_LINES: list["_Line"] = []
_LEAST_DONE = 0.05
"""The share of the whole that has to be done before it is said how long the rest takes."""


class _Line:
    """The line on a terminal that tells how far a piece of work has come."""

    def __init__(self, label: str) -> None:
        self.label = label
        self.listener = Listener(self.say)
        self.said = self.listener.since + _PATIENCE - _PAUSE
        self.shown = self.hidden = False
        self._turn, self._over = threading.Lock(), threading.Event()
        self._ticker = threading.Thread(target=self._tick, daemon=True)

    def _tick(self) -> None:
        while not self._over.wait(_PAUSE):
            self.say()

    def say(self) -> None:
        """Tell what is being done, for how long, and how long yet; nothing where it was told just now."""
        with self._turn:
            now = time.monotonic()
            if self.hidden or now < self.said + _PAUSE or self._over.is_set():
                return
            self.said, self.shown = now, True
            words = self._words(now - self.listener.since)
            click.echo(f"\r{words:<{_WIDTH}}", err=True, nl=False)

    def _words(self, elapsed: float) -> str:
        done, took = self.listener.done()
        words = self.listener.step.words
        doing = visible(f"{self.label}: {words}" if words else self.label)
        far = f"{_seconds(elapsed)}"
        if done >= _LEAST_DONE:
            far = f"{done:.0%}, about {_seconds(took * (1 - done) / done)} yet"
        # What is cut off is what is being done, never how far.
        return f"{doing[: _WIDTH - len(far) - 2]}, {far}"

    def __enter__(self) -> None:
        self._ticker.start()

    def clear(self) -> None:
        """Take the line off the terminal."""
        with self._turn:
            if self.shown:
                click.echo(f"\r{'':<{_WIDTH}}\r", err=True, nl=False)
            self.shown = False

    def __exit__(self, *_error: object) -> None:
        self._over.set()
        self._ticker.join()
        self.clear()


def _seconds(count: float) -> str:
    whole = round(count)
    return f"{whole} s" if whole < 60 else f"{whole // 60} min {whole % 60:02} s"


@contextmanager
def progress_shown(label: str) -> Iterator[None]:
    """Tell on a terminal how far a long piece of work has come, on one line that is gone at the end."""
    if not sys.stderr.isatty():
        yield
        return
    line = _Line(label)
    _LINES.append(line)
    try:
        with line, heard_by(line.listener):
            yield
    finally:
        _LINES.pop()


@contextmanager
def progress_hidden() -> Iterator[None]:
    """Keep the line off the terminal while something else stands there, as a question does."""
    for line in _LINES[-1:]:
        line.hidden = True
        line.clear()
    try:
        yield
    finally:
        for line in _LINES[-1:]:
            line.hidden = False
