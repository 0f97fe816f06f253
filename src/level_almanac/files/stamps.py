"""Which text files of a book were found right, by the hash of their content.

The checker takes longer to import than a small report takes to run, so a file that was right is not checked again.
"""

import hashlib
from pathlib import Path

STORE_FOLDER = ".almanac"
_CHECKER_VERSION = b"2"


def _place(root: Path, name: str) -> Path:
    return root / STORE_FOLDER / f"checked-{name.replace('/', '-')}"


def _fingerprint(raw: bytes) -> str:
    return hashlib.sha256(_CHECKER_VERSION + raw).hexdigest()


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
