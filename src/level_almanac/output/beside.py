"""What is drawn and written by a process beside this one, while reports are still being made.

What draws takes longer to be loaded than most reports take to be made, and a second core is there in most machines.
"""

import copyreg
import os
import pickle
import signal
import subprocess
import sys
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager, suppress
from importlib import import_module
from types import MappingProxyType
from typing import Any, NamedTuple

_DRAWING = ("matplotlib.pyplot", "matplotlib.backends.backend_agg", "matplotlib.backends.backend_svg")
"""What takes longest to be loaded."""


def _unchanging(mapping: dict[Any, Any]) -> MappingProxyType[Any, Any]:
    return MappingProxyType(mapping)


# Of what rows have no cells; the library hands on all else.
copyreg.pickle(MappingProxyType, lambda mapping: (_unchanging, (dict(mapping),)))


class Job(NamedTuple):
    """Something to be made, by a function of this package of values that can be handed to another process."""

    function: Callable[..., bytes]
    arguments: tuple[Any, ...]

    def here(self) -> bytes:
        """Return what it makes, made by this process."""
        return self.function(*self.arguments)


class Beside:
    """Jobs that are done beside this process, one after the other; or by it, where that is nowhere else done or nobody
    asked ahead.
    """

    def __init__(self, process: "subprocess.Popen[bytes] | None") -> None:
        self._process = process
        self._asked: list[tuple[Job, Future[bytes]]] = []
        self._line = ThreadPoolExecutor(1)

    def ask(self, job: Job) -> None:
        """Have a job done that will be wanted."""
        if self._process is not None:
            self._asked.append((job, self._line.submit(self._sent, job)))

    def _sent(self, job: Job) -> bytes:
        """Return what the process makes of a job; nothing, where it does not."""
        if self._process is None or self._process.stdin is None or self._process.stdout is None:
            return b""
        try:
            self._process.stdin.write(pickle.dumps(job))
            self._process.stdin.flush()
            return bytes(pickle.load(self._process.stdout))  # noqa: S301  of our own process
        except (OSError, EOFError, pickle.PickleError):
            return b""

    def done(self, job: Job) -> bytes:
        """Return what a job makes; raises as it does."""
        made = next((made for asked, made in self._asked if asked == job), None)
        return (made.result() if made else b"") or job.here()

    def end(self) -> None:
        """End the process, whatever it is at."""
        if self._process is not None:
            self._process.kill()
        self._line.shutdown(cancel_futures=True)
        if self._process is not None:
            # Closes what leads to it, and waits for it.
            with suppress(OSError), self._process:
                pass


@contextmanager
def beside(*, drawing: bool) -> Iterator[Beside]:
    """Begin the process at once, so that it is ready when it is asked; on one core there is nothing to be won by it.

    drawing: whether charts will be wanted.
    """
    process = None
    # The folder of the book is none that programs are taken from.
    command = [sys.executable, "-P", "-m", __name__, *(_DRAWING if drawing else ())]
    if (os.cpu_count() or 1) > 1 and sys.executable and not getattr(sys, "frozen", False):
        with suppress(OSError):
            process = subprocess.Popen(  # noqa: S603  it is this package
                command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
            )
    helper = Beside(process)
    try:
        yield helper
    finally:
        helper.end()


def _do_what_is_asked(modules: Sequence[str]) -> None:
    # Ctrl-C is for who asked, and ends this too.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    for name in modules:
        import_module(name)
    with suppress(EOFError):
        while True:
            function, arguments = pickle.load(sys.stdin.buffer)  # noqa: S301  as above
            try:
                made = function(*arguments)
            except Exception:
                made = b""
            pickle.dump(made, sys.stdout.buffer)
            sys.stdout.buffer.flush()


if __name__ == "__main__":
    _do_what_is_asked(sys.argv[1:])
