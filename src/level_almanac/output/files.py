"""Write a report to a file in the format that its ending names."""

from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING

from level_almanac.core.table.model import ReportTable
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.output.text import legible
from level_almanac.whole_file import write_whole

if TYPE_CHECKING:
    from level_almanac.output.drawing import Draw

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
BOOK, WITH_MACROS = "xlsx", "xlsm"
"""Workbooks; those with macros are never made here, and only written into."""
_OF_ONE_TABLE = ("csv", "parquet", "png", "svg")
_WITH_CHART = ("html", "pdf")
"""Formats that have a report's chart beside its figures."""
_EXACT = ("json", "parquet")
"""The formats for programs, which keep every letter as it is."""


def check_target(path: Path, into: str = "") -> None:
    """Raise UsageMistake where no format has the file's ending or its folder is not there, before any work is done.

    into: the sheet of a workbook that is to be made anew, or empty.
    """
    ending = path.suffix.lower().removeprefix(".")
    if ending not in ENDINGS and not (into and ending == WITH_MACROS):
        endings = listed(f".{known}" for known in ENDINGS)
        hint = nearest(ending, ENDINGS)
        raise UsageMistake(Mistake("no format has this ending", "-o", repr(str(path)), endings, hint))
    if not path.parent.is_dir():
        raise UsageMistake(Mistake("there is no such folder", "-o", repr(str(path.parent))))
    if path.is_dir():
        raise UsageMistake(Mistake("this is a folder", "-o", repr(str(path)), "a file"))


def rendered(table: ReportTable, ending: str, draw: "Draw | None" = None) -> bytes:
    """Return the report in the format of this ending; raise UsageMistake where that has room for one table only.

    draw: draws its chart.
    """
    check_sheets(table, ending)
    module, function = _RENDERERS[ending]
    seen = table if ending in _EXACT else legible(table)
    drawing = {"draw": draw} if draw and ending in _WITH_CHART else {}
    written = getattr(import_module(f"level_almanac.output.{module}"), function)(seen, **drawing)
    return written if isinstance(written, bytes) else str(written).encode("utf-8")


def _with_sheet(table: ReportTable, path: Path, into: str) -> bytes:
    from level_almanac.output.xlsx import sheet_alone
    from level_almanac.output.xlsx_into import refreshed

    if table.sheets or table.traced_lines:
        what = "this report has several sheets" if table.sheets else "lines have a sheet of their own"
        raise UsageMistake(Mistake(what, "--into", repr(into), "a report of one table"))
    seen = legible(table)
    if path.exists():
        return refreshed(path.read_bytes(), into, seen)
    if path.suffix.lower() == f".{WITH_MACROS}":
        raise UsageMistake(
            Mistake("there is no such workbook to write into", "-o", repr(str(path)), "one that is there")
        )
    return sheet_alone(seen, into)


def check_sheets(table: ReportTable, ending: str) -> None:
    """Raise UsageMistake where a report of several sheets is asked for in a format of one table."""
    if table.sheets and ending in _OF_ONE_TABLE:
        what, got = f"a .{ending} is of one table", f"{len(table.all_sheets)} sheets: {table.title}, …"
        kept = listed(f".{each}" for each in ENDINGS if each not in _OF_ONE_TABLE)
        raise UsageMistake(Mistake(what, "-o", got, kept))


def write_report(table: ReportTable, path: Path, into: str = "") -> None:
    """Write the report; a file that is there already is replaced only by a whole one. The target was checked.

    into: the sheet that is made anew where it is a workbook, all else of which stays; raises UsageMistake as that does.
    """
    ending = path.suffix.lower().removeprefix(".")
    written = _with_sheet(table, path, into) if into and ending in (BOOK, WITH_MACROS) else rendered(table, ending)
    try:
        write_whole(path, written)
    except PermissionError as error:
        step = "close it where it is open, or write elsewhere; what was there is as it was"
        raise UsageMistake(Mistake("cannot be written", "-o", f"{path}: {error.strerror}", next_step=step)) from error
    except OSError as error:
        raise UsageMistake(Mistake("cannot be written", "-o", f"{path}: {error.strerror}")) from error
