"""The lines behind a report's figures, written beside them."""

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

import click

from level_almanac.cli.show import OutputRequest
from level_almanac.core.behind import BehindRow
from level_almanac.core.book import Book
from level_almanac.core.report_table import ReportTable
from level_almanac.core.trace import Traced

F = TypeVar("F", bound=Callable[..., Any])


def lines_option(command: F) -> F:
    """Add the option that writes the lines behind each figure too."""
    words = "With the lines behind each figure: links in HTML, a sheet in a workbook."
    return click.option("--with-lines", is_flag=True, help=words)(command)


def check_lines(output: OutputRequest, *, with_lines: bool) -> None:
    """Check that lines that are asked for have a place to go; raise a usage error where not."""
    endings = {path.suffix.lower() for path in output.outputs}
    if with_lines and not endings & {".html", ".xlsx", ".json"} and output.printed != "json":
        raise click.UsageError("--with-lines goes with -o FILE.html, FILE.xlsx or FILE.json")


def traced_of(book: Book, table: ReportTable, rows: Sequence[BehindRow]) -> Traced:
    """Return what a trace takes: a report with what lies behind its rows."""
    selection = book.select(tuple(table.facts["entity"].split(", ")))
    return Traced(table, rows, tuple(selection.entities), selection.comparable, selection.decimals)


def traced_table(book: Book, table: ReportTable, rows: Sequence[BehindRow]) -> ReportTable:
    """Return the report with the lines behind its rows."""
    from level_almanac.core.trace import lines_behind  # noqa: PLC0415  seldom asked for

    return table._replace(behind=lines_behind(book, traced_of(book, table, rows)))
