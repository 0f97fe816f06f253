"""Two things that are asked of a book at the same time, since one alone leaves a core idle."""

from collections.abc import Callable
from threading import Thread
from time import monotonic
from typing import Generic, TypeVar

from level_almanac.core.book import Book
from level_almanac.progress import Held
from level_almanac.store.engine import EngineBeside

_PATIENCE = 5.0
"""Seconds that are waited for work to end that is not wanted any more."""

Beside = TypeVar("Beside")
Here = TypeVar("Here")


class _Asking(Thread, Generic[Beside]):
    """What is asked of a book by a thread, with an engine of its own: what it came to, or what it failed with."""

    def __init__(self, book: Book, engine: EngineBeside, asked: Callable[[Book], Beside]) -> None:
        super().__init__(daemon=True)
        self._book, self._engine, self._asked = book.asked_of(engine), engine, asked
        self.held = Held()
        self.found: list[Beside] = []
        self.error: BaseException | None = None

    def run(self) -> None:
        self.held.begin()
        try:
            self.found.append(self._asked(self._book))
        except BaseException as error:
            # Whatever it was, whoever waits for it hears of it.
            self.error = error
        finally:
            self._engine.close()

    def stop(self) -> None:
        """End what is being done; it keeps nobody from ending, either."""
        last = monotonic() + _PATIENCE
        while self.is_alive() and monotonic() < last:
            # A statement that was about to begin does not hear of it the first time.
            self._engine.interrupt()
            self.join(0.05)


def at_once(book: Book, beside: Callable[[Book], Beside], here: Callable[[], Here]) -> tuple[Beside, Here]:
    """Return what both come to. Raises what `beside` does, or else what `here` does, as one after the other would.

    beside: takes the book, with an engine of its own where there is one that can be asked at the same time.
    """
    engine = book.engine.beside()
    if engine is None:
        return beside(book), here()
    asking = _Asking(book, engine, beside)
    asking.start()
    try:
        made = here()
        asking.held.let_go()
        asking.join()
    except Exception:
        asking.join()
        if asking.error is None:
            raise
    except BaseException:
        # Ctrl-C is heard by this thread alone.
        asking.stop()
        raise
    if asking.error is not None:
        raise asking.error
    return asking.found[0], made
