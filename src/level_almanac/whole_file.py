"""Write a file in one step, so that whoever reads it sees the old content or the new one, and it lasts."""

import os
from pathlib import Path


def write_whole(path: Path, content: str | bytes, *, lasting: bool = True) -> None:
    """Write the content beside its place and move it there; raises OSError where the folder cannot be written to.

    lasting: whether it must be on the disk before this returns, as all that cannot be made again must.
    """
    beside = path.with_name(f".{path.name}.{os.getpid()}.new")
    try:
        with beside.open("wb") as stream:
            stream.write(content if isinstance(content, bytes) else content.encode("utf-8"))
            if lasting:
                stream.flush()
                os.fsync(stream.fileno())
        if path.exists():
            beside.chmod(path.stat().st_mode)
        beside.replace(path)
    finally:
        beside.unlink(missing_ok=True)
    if lasting:
        sync_folder(path.parent)


def sync_folder(folder: Path) -> None:
    """Have the disk hold which names a folder has, where the system can do that."""
    if os.name == "posix":
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
