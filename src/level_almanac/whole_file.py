"""Write a file in one step, so that whoever reads it sees the old content or the new one, and it lasts."""

import glob
import os
import time
from pathlib import Path

_LEFT_BEHIND = 3600
_TRIES, _PAUSE = 20, 0.05


def write_whole(path: Path, content: str | bytes, *, lasting: bool = True) -> None:
    """Write the content beside its place and move it there; raises OSError where the folder cannot be written to.

    lasting: whether it must be on the disk before this returns, as all that cannot be made again must.
    """
    beside = path.with_name(f".{path.name}.{os.getpid()}.new")
    for left in path.parent.glob(f".{glob.escape(path.name)}.*.new"):
        # What a killed process left behind; one that is at work now is done long before an hour is over.
        if left.stat().st_mtime < time.time() - _LEFT_BEHIND:
            left.unlink(missing_ok=True)
    try:
        with beside.open("wb") as stream:
            stream.write(content if isinstance(content, bytes) else content.encode("utf-8"))
            if lasting:
                stream.flush()
                os.fsync(stream.fileno())
        if path.exists():
            beside.chmod(path.stat().st_mode)
        _move(beside, path)
    finally:
        beside.unlink(missing_ok=True)
    if lasting:
        sync_folder(path.parent)


def _move(source: Path, target: Path) -> None:
    """Move a file to its place; where a system refuses that while somebody reads what is there, wait for a moment."""
    for left in range(_TRIES, -1, -1):
        try:
            source.replace(target)
        except PermissionError as error:
            if not left or getattr(error, "winerror", None) is None:
                raise
            time.sleep(_PAUSE)
        else:
            return


def sync_tree(folder: Path) -> None:
    """Have the disk hold a folder, all files and folders in it, and their names."""
    for path in folder.rglob("*"):
        if path.is_dir():
            sync_folder(path)
        elif path.is_file():
            sync_file(path)
    sync_folder(folder)


def sync_file(path: Path) -> None:
    """Have the disk hold a file's content. Some systems flush only what is open for writing."""
    with path.open("rb+") as stream:
        os.fsync(stream.fileno())


def sync_folder(folder: Path) -> None:
    """Have the disk hold which names a folder has, where the system can do that."""
    try:
        handle = os.open(folder, os.O_RDONLY)
    except PermissionError:
        # Some systems open no folder, and have the names on the disk without.
        return
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
