"""How far a long piece of work has come, told to whoever wants to know: the command line, where a person looks on."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager

_LISTENERS: list[Callable[[str], None]] = []


def tell(words: str) -> None:
    """Say how far the work has come."""
    for listener in _LISTENERS[-1:]:
        listener(words)


@contextmanager
def heard_by(listener: Callable[[str], None]) -> Iterator[None]:
    """Have a listener hear of all that is told meanwhile."""
    _LISTENERS.append(listener)
    try:
        yield
    finally:
        _LISTENERS.pop()
