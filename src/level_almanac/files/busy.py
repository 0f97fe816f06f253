"""One process at a time reads and writes again the texts that a book keeps of its pages."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from level_almanac.errors import BookBusy, Mistake
from level_almanac.files.stamps import STORE_FOLDER

_PATIENCE = 20
"""How many seconds to wait for another that writes: each is done in a moment."""


@contextmanager
def writing_texts(root: Path) -> Iterator[None]:
    """Hold off every other that reads a text of the book to write it anew; raise BookBusy where one takes too long."""
    from filelock import FileLock, Timeout

    folder = root / STORE_FOLDER
    folder.mkdir(exist_ok=True)
    lock = FileLock(folder / "texts.lock")
    try:
        lock.acquire(timeout=_PATIENCE)
    except Timeout:
        what = "another command writes to this book's pages or explanations"
        raise BookBusy(Mistake(what, str(root), next_step="wait until it has ended")) from None
    try:
        yield
    finally:
        lock.release()
