"""Hand a finished report on: to the terminal, to files, or both, in one of the book's styles."""

import functools
import os
import sys
from collections.abc import Callable, Mapping
from dataclasses import field
from pathlib import Path
from typing import Any, TypeVar

import click

from level_almanac.cli.parameters import parameter, told_of
from level_almanac.cli.say import progress_shown, say
from level_almanac.cli.session import session_of
from level_almanac.core.book import Book
from level_almanac.core.reports.definition import Report
from level_almanac.core.requests.look import LookRequest
from level_almanac.core.requests.options import options_of, read_options, request_of
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.style import Look
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.guard import check_free
from level_almanac.files.reading import find_book
from level_almanac.files.runs import keep_last
from level_almanac.immutable import immutable
from level_almanac.output.csv_text import csv_text
from level_almanac.output.files import BOOK, ENDINGS, WITH_MACROS, check_sheets, check_target, write_report
from level_almanac.output.json_text import json_text
from level_almanac.output.terminal import UNBOUND_WIDTH, print_report, text
from level_almanac.output.text import dressed, legible

_LEAST_WIDTH = 40
"""A narrower terminal breaks the lines itself."""
F = TypeVar("F", bound=Callable[..., Any])


@immutable
class OutputRequest:
    """Where a report goes and how it is to look. printed: in which format, or None for what is usual; into: the sheet
    of a workbook that is made anew, or empty; look: options of how numbers look, by name.
    """

    outputs: tuple[Path, ...] = ()
    printed: str | None = None
    into: str = ""
    look: Mapping[str, Any] = field(default_factory=dict)


def output_options(command: F) -> F:
    """Add the options that say where the report goes and how its numbers look, handed over as one `output`."""
    looks = options_of(LookRequest)

    @functools.wraps(command)
    def with_output(*args: Any, outputs: tuple[Path, ...], printed: str | None, into: str, **values: Any) -> Any:
        others = {name: value for name, value in values.items() if name not in {each.keyword for each in looks}}
        return command(*args, output=OutputRequest(outputs, printed, into, told_of(looks, values)), **others)

    endings = ", ".join(f".{ending}" for ending in ENDINGS)
    wrapped: Any = with_output
    # As click's own decorators note them: the last one first.
    wrapped.__click_params__ = [
        *map(parameter, reversed(looks)),
        click.Option(
            ["--print", "printed"],
            type=click.Choice(["terminal", "csv", "json", "md", "nothing"]),
            help="What to print.  [default: terminal, or nothing with -o]",
        ),
        click.Option(
            ["-o", "--output", "outputs"],
            multiple=True,
            type=click.Path(path_type=Path),
            metavar="FILE",
            help=f"Write a file: {endings}; repeatable.",
        ),
        click.Option(
            ["--into"],
            default="",
            metavar="SHEET",
            help="Only this sheet of a workbook that is there; all else of it stays.",
        ),
    ]
    result: F = wrapped
    return result


def check_outputs(output: OutputRequest) -> None:
    """Check every target before any work is done."""
    for path in output.outputs:
        check_target(path, output.into)
        check_free(path, "-o")
    if output.into:
        from level_almanac.output.xlsx_into import check_sheet

        check_sheet(output.into)
        if not any(path.suffix.lower().removeprefix(".") in (BOOK, WITH_MACROS) for path in output.outputs):
            step = "say -o FILE.xlsx or FILE.xlsm"
            raise UsageMistake(
                Mistake("there is no workbook to write into", "--into", repr(output.into), next_step=step)
            )
    twice = {path for path in output.outputs if output.outputs.count(path) > 1}
    if twice:
        raise UsageMistake(Mistake("the same file twice", "-o", repr(str(twice.pop()))))


def check_lines(output: OutputRequest, *, with_lines: bool) -> None:
    """Check that lines that are asked for have a place to go; raise UsageMistake where not."""
    endings = {path.suffix.lower() for path in output.outputs}
    if with_lines and not endings & {".html", ".xlsx", ".json"} and output.printed != "json":
        step = "say -o FILE.html, FILE.xlsx or FILE.json"
        raise UsageMistake(Mistake("the lines have no place to go to", "--with-lines", next_step=step))


def look_for(output: OutputRequest, book: Book) -> Look:
    """Return how a table that is no report of its own is to look; raises UsageMistake for a style that there is not."""
    known = {each.name: each for each in options_of(LookRequest)}
    asked: LookRequest = request_of(LookRequest, read_options(known, output.look, lambda name: f"--{name}"))
    return asked.look(book.file.root, book.settings, book.now)


def show(ctx: click.Context, table: ReportTable, output: OutputRequest, of: Report | None = None) -> None:
    """Print a report that has its look, and write its files; end with 1 where its proof or a check does not hold.

    of: the report that it is, where `page save` can make a page of it.
    """
    session = session_of(ctx)
    if of is not None and of.page:
        keep_last(find_book(session.folder), session.words)
    table = dressed(table)
    for path in output.outputs:
        check_sheets(table, path.suffix.lower().removeprefix("."))
    for path in output.outputs:
        with progress_shown(f"writing {path.name}"):
            write_report(table, path, output.into)
        say(f"wrote {path}")
    printed = output.printed or ("nothing" if output.outputs else "terminal")
    if printed == "csv":
        check_sheets(table, "csv")
        click.echo(csv_text(legible(table)), nl=False)
    elif printed == "json":
        click.echo(json_text(table), nl=False)
    elif printed == "md":
        from level_almanac.output.markdown import markdown

        click.echo(markdown(legible(table)), nl=False)
    elif printed == "terminal":
        print_terminal(legible(table))
    if any(each.proof is not None and not each.proof.balances for each in (*table.all_sheets, *table.traced_lines)):
        ctx.exit(1)


def print_terminal(table: ReportTable) -> None:
    """Print the report as wide as the terminal is, or at a set width where there is none."""
    columns = os.environ.get("COLUMNS", "")
    width = max(int(columns), _LEAST_WIDTH) if columns.isdigit() and int(columns[:6]) else None
    if sys.stdout.isatty():
        from rich.console import Console

        print_report(table, Console(width=width, highlight=False, emoji=False, markup=False))
    else:
        click.echo(text(table, width or UNBOUND_WIDTH), nl=False)
