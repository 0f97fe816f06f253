"""Which text files of a book were found right, by the hash of their content.

The checker takes longer to import than a small report takes to run, so a file that was right is not checked again.
"""

import hashlib
from dataclasses import fields, is_dataclass
from functools import cache
from pathlib import Path

from level_almanac import __version__
from level_almanac.files import layouts, pages, settings

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


def _place(root: Path, name: str) -> Path:
    return root / STORE_FOLDER / f"checked-{name.replace('/', '-')}"


def _fingerprint(raw: bytes) -> str:
    return hashlib.sha256(_checker() + raw).hexdigest()


def is_stamped(root: Path, name: str, raw: bytes) -> bool:
    """Tell whether the file of this name was found right with this content."""
    try:
        return _place(root, name).read_text() == _fingerprint(raw)
    except OSError:
        return False


def stamp(root: Path, name: str, raw: bytes) -> None:
    """Remember that the file is right with this content."""
    # A book on a read-only disk is checked each time; that is slower and no less right.
    try:
        if (root / STORE_FOLDER).is_dir():
            _place(root, name).write_text(_fingerprint(raw))
    except OSError:
        pass
