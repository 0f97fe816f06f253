"""Where notes about books stand that no book can write: in a folder of the person's own (docs/security.md)."""

import hashlib
import os
from pathlib import Path

_ELSEWHERE = "ALMANAC_NOTES"
"""The variable that names another folder for them."""


def note_path(root: Path, kind: str, name: str = "") -> Path:
    """Return where the note of a kind on a book stands. name: what in the book it is about, if not all of it."""
    digest = hashlib.sha256(f"{root.resolve()}\0{name}".encode("utf-8", "surrogateescape")).hexdigest()
    return _folder() / kind / digest[:32]


def _folder() -> Path:
    if told := os.environ.get(_ELSEWHERE):
        return Path(told)
    from platformdirs import user_state_path

    return user_state_path("level-almanac", appauthor=False)
