"""The lines behind a report's figures, written beside them."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, TypeVar

import click

from level_almanac.cli.session import session_of
from level_almanac.cli.show import OutputRequest
from level_almanac.core.book import Book
from level_almanac.core.table.model import ReportTable

if TYPE_CHECKING:
    from level_almanac.core.trace.model import Traced

F = TypeVar("F", bound=Callable[..., Any])


def lines_option(command: F) -> F:
    """Add the option that writes the lines behind each figure too."""
    words = "With the lines behind each figure: links in HTML, a sheet in a workbook."
    return click.option("--with-lines", is_flag=True, help=words)(command)


def check_lines(ctx: click.Context, output: OutputRequest, *, with_lines: bool) -> None:
    """Check that lines that are asked for have a place to go; raise a usage error where not.

    Where the report goes to from a page is not known here.
    """
    if session_of(ctx).taken is not None:
        return
    endings = {path.suffix.lower() for path in output.outputs}
    if with_lines and not endings & {".html", ".xlsx", ".json"} and output.printed != "json":
        raise click.UsageError("--with-lines goes with -o FILE.html, FILE.xlsx or FILE.json")


def traced_table(book: Book, traced: "Traced") -> ReportTable:
    """Return the report with the lines behind its rows."""
    from level_almanac.core.trace.all_rows import lines_behind  # noqa: PLC0415  seldom asked for

    return traced.table._replace(behind=lines_behind(book, traced))
