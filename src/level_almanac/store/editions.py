"""What an edition keeps of the store: its manifest, and the parts that it names, shared by all editions of a book.

An edition is written beside its place and moved there in one step, so that it is there whole or not at all.
"""

import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from level_almanac.errors import BookBusy, BookMistake, Mistake
from level_almanac.store.part_sums import parts_in
from level_almanac.store.state import State, Store, is_whole, manifest_of
from level_almanac.whole_file import sync_file, sync_folder, sync_tree

FOLDER = "editions"
PARTS = "parts"
DATA = "data"
_NEW = ".new-"


@contextmanager
def writing(root: Path, name: str) -> Iterator[Path]:
    """Give a folder to write an edition into, which takes its place when the block ends well and else is removed.

    Raises BookBusy where another process writes an edition of this book.
    """
    from filelock import FileLock, Timeout

    editions = root / FOLDER
    editions.mkdir(exist_ok=True)
    lock = FileLock(editions / ".lock")
    try:
        lock.acquire(timeout=0)
    except Timeout:
        step = "wait until it has ended"
        raise BookBusy(
            Mistake("another edition of this book is being written", str(editions), next_step=step)
        ) from None
    try:
        for left in editions.glob(f"{_NEW}*"):
            # What a killed run left behind belongs to nobody once the lock is ours.
            shutil.rmtree(left, ignore_errors=True)
        folder = editions / f"{_NEW}{name}"
        folder.mkdir()
        try:
            yield folder
            sync_tree(folder)
            folder.rename(editions / name)
            sync_folder(editions)
        finally:
            shutil.rmtree(folder, ignore_errors=True)
    finally:
        lock.release()


def freeze_data(store: Store, state: State, root: Path, folder: Path) -> None:
    """Keep a state and its parts for an edition in this folder; parts that another edition has kept are not copied.

    Raises BookMistake where a part of the store is damaged.
    """
    shared = root / FOLDER / PARTS
    shared.mkdir(parents=True, exist_ok=True)
    for part in parts_in(state):
        if not (shared / part).exists() or not is_whole(shared / part, part):
            beside = shared / f"{part}.new"
            store.copy(part, beside)
            if not is_whole(beside, part):
                beside.unlink()
                step = "delete the folder .almanac, load again, and issue anew"
                raise BookMistake(Mistake("a part of the store is damaged", store.path_of(part), next_step=step))
            sync_file(beside)
            beside.replace(shared / part)
    sync_folder(shared)
    kept = Store(folder / DATA)
    kept.manifests.mkdir(parents=True)
    # A load may have put another state in force meanwhile.
    name, text = manifest_of(state)
    (kept.manifests / name).write_bytes(text.encode())
    kept.current.write_text(name, encoding="ascii")


def frozen_store(folder: Path) -> Store:
    """Return the store of the edition in this folder. Its parts stand beside it, also while it is being written."""
    return Store(folder / DATA, folder.parent / PARTS)
