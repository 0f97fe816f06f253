"""Charts drawn by a process beside this one, while reports are still being made and written.

What draws takes longer to be loaded than most reports take to be made, and a second core is there in most machines.
"""

import os
import pickle
import signal
import subprocess
import sys
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future
from contextlib import contextmanager, suppress
from importlib import import_module
from threading import Thread
from typing import IO, NamedTuple

from level_almanac.core.table.model import ReportTable
from level_almanac.output.chart import drawn


class Picture(NamedTuple):
    """A chart that is wanted, as `chart.drawn` draws it."""

    table: ReportTable
    form: str
    bare: bool = False
    dpi: int = 100


Draw = Callable[[Picture], bytes]
"""Returns a chart."""


def drawn_here(picture: Picture) -> bytes:
    """Return a chart, drawn by this process."""
    return drawn(picture.table, picture.form, bare=picture.bare, dpi=picture.dpi)


class Drawing:
    """Charts that are drawn beside this process, or by it, where that is nowhere else done or nobody asked ahead."""

    def __init__(self, process: "subprocess.Popen[bytes] | None") -> None:
        self._process = process
        self._asked: list[tuple[Picture, Future[bytes]]] = []
        self._taking: Thread | None = None

    def ask(self, pictures: Sequence[Picture]) -> None:
        """Have charts drawn that will be wanted, in their order; to be called once."""
        if self._process is None or self._process.stdin is None or self._process.stdout is None:
            return
        asked = [(picture, Future[bytes]()) for picture in pictures]
        with suppress(OSError):
            with self._process.stdin as sent:
                pickle.dump(list(pictures), sent)
            self._asked = asked
            self._taking = Thread(target=_taken, args=(self._process.stdout, asked), daemon=True)
            self._taking.start()

    def drawn(self, picture: Picture) -> bytes:
        """Return a chart; raises as `chart.drawn` does."""
        made = next((made for asked, made in self._asked if asked == picture), None)
        return (made.result() if made else b"") or drawn_here(picture)

    def end(self) -> None:
        """End the process, whatever it is at."""
        if self._process is not None:
            self._process.kill()
            if self._taking is not None:
                self._taking.join()
            # Closes what leads to it, and waits for it.
            with suppress(OSError), self._process:
                pass


def _taken(stream: IO[bytes], asked: Sequence[tuple[Picture, "Future[bytes]"]]) -> None:
    """Hand on what is drawn as it comes; nothing, where it does not."""
    for _, made in asked:
        try:
            made.set_result(bytes(pickle.load(stream)))  # noqa: S301  of our own process
        except (OSError, EOFError, pickle.UnpicklingError):
            made.set_result(b"")


@contextmanager
def beside() -> Iterator[Drawing]:
    """Begin what draws at once, so that it is ready when it is asked; on one core there is nothing to be won by it."""
    process = None
    # The folder of the book is none that programs are taken from.
    command = [sys.executable, "-P", "-m", __name__]
    if (os.cpu_count() or 1) > 1 and sys.executable and not getattr(sys, "frozen", False):
        with suppress(OSError):
            process = subprocess.Popen(  # noqa: S603  it is this package
                command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
            )
    drawing = Drawing(process)
    try:
        yield drawing
    finally:
        drawing.end()


def _draw_what_is_asked() -> None:
    # Ctrl-C is for who asked, and ends this too.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    for name in ("matplotlib.pyplot", "matplotlib.backends.backend_agg", "matplotlib.backends.backend_svg"):
        import_module(name)
    for picture in pickle.load(sys.stdin.buffer):  # noqa: S301  as above
        try:
            made = drawn_here(picture)
        except Exception:
            made = b""
        pickle.dump(made, sys.stdout.buffer)
        sys.stdout.buffer.flush()


if __name__ == "__main__":
    _draw_what_is_asked()
