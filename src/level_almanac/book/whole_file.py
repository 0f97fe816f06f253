"""Write a text file in one step, so that whoever reads it sees the old text or the new one."""

import os
from pathlib import Path


def write_whole(path: Path, text: str) -> None:
    """Write the text beside its place and move it there; raises OSError where the folder cannot be written to."""
    beside = path.with_name(f".{path.name}.{os.getpid()}.new")
    beside.write_text(text, encoding="utf-8", newline="")
    beside.replace(path)
