"""How far a long piece of work has come, told to whoever wants to know: the command line, where a person looks on."""

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import NamedTuple

_LISTENERS: list["Listener"] = []


class _Within(threading.local):
    """What a thread's work is part of: each the words for it, and what share of the whole is done at its two ends."""

    def __init__(self) -> None:
        self.spans: list[tuple[str, float, float]] = []
        self.held: Held | None = None

    @property
    def is_held(self) -> bool:
        """Whether another thread tells what is being done."""
        return self.held is not None and not self.held.is_over


class Held:
    """What a thread tells that works beside the one which makes this: nothing is heard of it until that has ended with
    its own, since of two that tell at a time the later would hide the other.
    """

    def __init__(self) -> None:
        self._spans = list(_WITHIN.spans)
        self.words = ""
        self.is_over = False

    def begin(self) -> None:
        """Hold back what the thread tells that calls this, which works at the same as the other."""
        _WITHIN.spans, _WITHIN.held = self._spans, self

    def let_go(self) -> None:
        """Let it be heard from now on."""
        self.is_over = True
        if self.words:
            tell(self.words)


_WITHIN = _Within()


class Step(NamedTuple):
    """What is being done. begun, ended: what share of the whole is done when it begins and when it ends, from 0 to 1;
    where both are 0 that is not known, and it is told how far the step itself is.
    """

    words: str
    begun: float = 0.0
    ended: float = 0.0


class Listener:
    """Hears what is told. heard: called at each step."""

    def __init__(self, heard: Callable[[], None]) -> None:
        self.heard = heard
        self.step = Step("")
        self.since = time.monotonic()
        self._most = 0.0
        self._gauge: Callable[[], float] | None = None
        self._gauged_since = self.since

    @contextmanager
    def gauged(self, gauge: Callable[[], float]) -> Iterator[None]:
        """Ask meanwhile how far a statement is."""
        self._gauge, self._gauged_since = gauge, time.monotonic()
        try:
            yield
        finally:
            self._gauge = None

    def done(self) -> tuple[float, float]:
        """Return what share is done, and for how many seconds that took: of the whole, or of what is being done where
        that is all that is known.
        """
        gauge, now = self._gauge, time.monotonic()
        part = min(max(gauge() / 100, 0.0), 1.0) if gauge is not None else 0.0
        if not self.step.ended:
            return part, now - self._gauged_since
        # Of several things that are done at a time, one may tell of less than another did.
        self._most = max(self._most, self.step.begun + (self.step.ended - self.step.begun) * part)
        return self._most, now - self.since


def tell(words: str, begun: float = 0.0, ended: float = 0.0) -> None:
    """Say what is being done, and what share of the whole is done when it begins and when it ends, if that is known."""
    if _WITHIN.is_held and _WITHIN.held is not None:
        _WITHIN.held.words = words
        return
    for listener in _LISTENERS[-1:]:
        prefix, low, high = _WITHIN.spans[-1] if _WITHIN.spans else ("", 0.0, 1.0)
        span = high - low
        listener.step = Step(f"{prefix}{words}", low + span * begun, low + span * ended if ended else 0.0)
        listener.heard()


@contextmanager
def within(words: str, begun: float, ended: float) -> Iterator[None]:
    """Take what is told meanwhile as part of something larger. words: what that is; begun, ended: of the whole."""
    _WITHIN.spans.append((f"{words}: ", begun, ended))
    try:
        yield
    finally:
        _WITHIN.spans.pop()


def is_heard() -> bool:
    """Tell whether anybody wants to know."""
    return bool(_LISTENERS)


@contextmanager
def gauged(gauge: Callable[[], float]) -> Iterator[None]:
    """Let whoever wants to know ask meanwhile how far a statement is. gauge: tells it in percent, or -1."""
    if not _LISTENERS or _WITHIN.is_held:
        yield
        return
    with _LISTENERS[-1].gauged(gauge):
        yield


@contextmanager
def heard_by(listener: Listener) -> Iterator[None]:
    """Have a listener hear of all that is told meanwhile."""
    _LISTENERS.append(listener)
    try:
        yield
    finally:
        _LISTENERS.pop()
