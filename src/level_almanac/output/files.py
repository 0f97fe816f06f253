"""Write a report to a file in the format that its ending names."""

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

from level_almanac.core.report_table import ReportTable
from level_almanac.errors import Mistake, UsageMistake, listed
from level_almanac.output.csv_text import csv_text
from level_almanac.output.json_text import json_text
from level_almanac.output.terminal import text

RENDERERS: dict[str, Callable[[ReportTable], str]] = {"csv": csv_text, "json": json_text, "txt": text}


def check_target(path: Path) -> None:
    """Raise UsageMistake where no format has the file's ending or its folder is not there, before any work is done."""
    ending = path.suffix.lower().removeprefix(".")
    if ending not in RENDERERS:
        endings = listed(f".{known}" for known in RENDERERS)
        raise UsageMistake(Mistake("no format has this ending", "-o", repr(str(path)), endings))
    if not path.parent.is_dir():
        raise UsageMistake(Mistake("there is no such folder", "-o", repr(str(path.parent))))
    if path.is_dir():
        raise UsageMistake(Mistake("this is a folder", "-o", repr(str(path)), "a file"))


def write_report(table: ReportTable, path: Path) -> None:
    """Write the report; a file that is there already is replaced only by a whole one. The target was checked."""
    written = RENDERERS[path.suffix.lower().removeprefix(".")](table)
    try:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
        with os.fdopen(handle, "w", encoding="utf-8", newline="") as stream:
            stream.write(written)
        mode = path.stat().st_mode if path.exists() else 0o666 & ~_umask()
        Path(name).chmod(mode)
        Path(name).replace(path)
    except OSError as error:
        raise UsageMistake(Mistake("cannot be written", "-o", f"{path}: {error.strerror}")) from error


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
