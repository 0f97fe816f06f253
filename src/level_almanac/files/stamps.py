"""Which text files of a book were found right, by the hash of their content.

The checker takes longer to import than a small report takes to run, so a file that was right is not checked again. The
note of it stands outside the book, which could else say of itself that it was checked.
"""

import hashlib
from contextlib import suppress
from dataclasses import fields, is_dataclass
from functools import cache
from pathlib import Path

from level_almanac import __version__
from level_almanac.files import layouts, pages, settings
from level_almanac.files.notes import note_path
from level_almanac.whole_file import write_whole

STORE_FOLDER = ".almanac"


@cache
def _checker() -> bytes:
    """Return a hash of what files are held against: the shapes that they may have, and the release that checks them."""
    kinds = [kind for module in (settings, layouts, pages) for kind in vars(module).values() if isinstance(kind, type)]
    shapes = sorted(
        f"{kind.__module__}.{kind.__qualname__}: {[(each.name, str(each.type)) for each in fields(kind)]}"
        for kind in {kind for kind in kinds if is_dataclass(kind)}
    )
    return hashlib.sha256(repr((__version__, shapes)).encode()).digest()


def _fingerprint(raw: bytes) -> str:
    return hashlib.sha256(_checker() + raw).hexdigest()


def is_stamped(root: Path, name: str, raw: bytes) -> bool:
    """Tell whether the file of this name was found right with this content."""
    try:
        return note_path(root, "checked", name).read_text() == _fingerprint(raw)
    except OSError:
        return False


def stamp(root: Path, name: str, raw: bytes) -> None:
    """Remember that the file is right with this content."""
    path = note_path(root, "checked", name)
    # Where there is no place for notes, it is checked each time; that is slower and no less right.
    with suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, _fingerprint(raw), lasting=False)


def carry_stamps(root: Path, copied: Path) -> None:
    """Remember of copied files that they are right, where those of their names were with this content."""
    for path in copied.rglob("*.toml"):
        name, raw = path.relative_to(copied).as_posix(), path.read_bytes()
        if is_stamped(root, name, raw):
            stamp(copied, name, raw)
