"""Write a report to a file in the format that its ending names."""

from importlib import import_module
from pathlib import Path

from level_almanac.core.table.model import ReportTable
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.output.text import legible
from level_almanac.whole_file import write_whole

_RENDERERS = {
    "xlsx": ("xlsx", "xlsx"),
    "csv": ("csv_text", "csv_text"),
    "json": ("json_text", "json_text"),
    "html": ("html", "html"),
    "pdf": ("pdf", "pdf"),
    "md": ("markdown", "markdown"),
    "parquet": ("parquet", "parquet"),
    "png": ("chart", "png"),
    "svg": ("chart", "svg"),
    "txt": ("terminal", "text"),
}
"""Per ending the module of this package and its function, so that only the one asked for is imported."""
ENDINGS = tuple(_RENDERERS)
_OF_ONE_TABLE = ("csv", "parquet", "png", "svg")
_EXACT = ("json", "parquet")
"""The formats for programs, which keep every letter as it is."""


def check_target(path: Path) -> None:
    """Raise UsageMistake where no format has the file's ending or its folder is not there, before any work is done."""
    ending = path.suffix.lower().removeprefix(".")
    if ending not in ENDINGS:
        endings = listed(f".{known}" for known in ENDINGS)
        hint = nearest(ending, ENDINGS)
        raise UsageMistake(Mistake("no format has this ending", "-o", repr(str(path)), endings, hint))
    if not path.parent.is_dir():
        raise UsageMistake(Mistake("there is no such folder", "-o", repr(str(path.parent))))
    if path.is_dir():
        raise UsageMistake(Mistake("this is a folder", "-o", repr(str(path)), "a file"))


def rendered(table: ReportTable, ending: str) -> bytes:
    """Return the report in the format of this ending; raise UsageMistake where that has room for one table only."""
    check_sheets(table, ending)
    module, function = _RENDERERS[ending]
    seen = table if ending in _EXACT else legible(table)
    written = getattr(import_module(f"level_almanac.output.{module}"), function)(seen)
    return written if isinstance(written, bytes) else str(written).encode("utf-8")


def check_sheets(table: ReportTable, ending: str) -> None:
    """Raise UsageMistake where a report of several sheets is asked for in a format of one table."""
    if table.sheets and ending in _OF_ONE_TABLE:
        what, got = f"a .{ending} is of one table", f"{len(table.all_sheets)} sheets: {table.title}, …"
        kept = listed(f".{each}" for each in ENDINGS if each not in _OF_ONE_TABLE)
        raise UsageMistake(Mistake(what, "-o", got, kept))


def write_report(table: ReportTable, path: Path) -> None:
    """Write the report; a file that is there already is replaced only by a whole one. The target was checked."""
    written = rendered(table, path.suffix.lower().removeprefix("."))
    try:
        write_whole(path, written)
    except PermissionError as error:
        step = "close it where it is open, or write elsewhere; what was there is as it was"
        raise UsageMistake(Mistake("cannot be written", "-o", f"{path}: {error.strerror}", next_step=step)) from error
    except OSError as error:
        raise UsageMistake(Mistake("cannot be written", "-o", f"{path}: {error.strerror}")) from error
