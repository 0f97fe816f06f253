"""Hand a finished report on: to the terminal, to files, or both, in one of the book's styles."""

import functools
import os
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

import click

from level_almanac.cli.names import STYLE
from level_almanac.cli.session import REPORTS, session_of
from level_almanac.core.book import Book
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.style import Look, look_of
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.reading import find_book
from level_almanac.files.runs import keep_last
from level_almanac.output.csv_text import csv_text
from level_almanac.output.files import ENDINGS, check_target, write_report
from level_almanac.output.json_text import json_text
from level_almanac.output.terminal import UNBOUND_WIDTH, print_report, text
from level_almanac.output.words import dressed

F = TypeVar("F", bound=Callable[..., Any])
_PARTS = ("negatives", "units", "decimals", "zeros")


@dataclass(frozen=True, slots=True)
class OutputRequest:
    """Where a report goes and how it is to look. style: of the book, by name; parts: settings that win over it."""

    outputs: tuple[Path, ...] = ()
    printed: str | None = None
    style: str = ""
    parts: tuple[tuple[str, Any], ...] = ()


def output_options(command: F) -> F:
    """Add the options that say where the report goes and how its numbers look, handed over as one `output`."""

    @functools.wraps(command)
    def with_output(*args: Any, outputs: tuple[Path, ...], printed: str | None, style: str, **others: Any) -> Any:
        parts = tuple((name, value) for name in _PARTS if (value := others.pop(name)) is not None)
        return command(*args, output=OutputRequest(outputs, printed, style, parts), **others)

    wrapped: Any = with_output
    for option in reversed(
        (
            click.option(
                "-o",
                "--output",
                "outputs",
                multiple=True,
                type=click.Path(path_type=Path),
                metavar="FILE",
                help=f"Write a file: {', '.join(f'.{ending}' for ending in ENDINGS)}; repeatable.",
            ),
            click.option(
                "--print",
                "printed",
                type=click.Choice(["terminal", "csv", "json", "md", "nothing"]),
                help="What to print.  [default: terminal, or nothing with -o]",
            ),
            click.option(
                "--style", type=STYLE, default="", metavar="NAME", help="Show numbers in this style of the book."
            ),
            click.option("--negatives", type=click.Choice(["minus", "parens", "red"]), help="How negatives look."),
            click.option("--units", type=click.Choice([1, 1000, 1000000]), help="Show amounts in these units."),
            click.option("--decimals", type=click.IntRange(0, 4), metavar="N", help="Show so many decimals."),
            click.option("--zeros", type=click.Choice(["zero", "dash", "blank"]), help="How a zero looks."),
        )
    ):
        wrapped = option(wrapped)
    result: F = wrapped
    return result


def check_outputs(output: OutputRequest) -> None:
    """Check every target before any work is done."""
    for path in output.outputs:
        check_target(path)
    twice = {path for path in output.outputs if output.outputs.count(path) > 1}
    if twice:
        raise UsageMistake(Mistake("the same file twice", "-o", repr(str(twice.pop()))))


def look_for(output: OutputRequest, book: Book) -> Look:
    """Return how the reports of a book are to look, before any work is done."""
    return look_of(book.file.root, book.settings, output.style, dict(output.parts), book.now)


def show(ctx: click.Context, table: ReportTable, output: OutputRequest, look: Look) -> None:
    """Print the report and write its files; end with 1 where its proof or a check in it does not hold.

    In a page's run the report is only handed back.
    """
    table = table._replace(look=look)
    session = session_of(ctx)
    if session.taken is not None:
        session.taken.append(table)
        return
    if session.words[:1] and session.words[0] in REPORTS:
        # `page save` can make a page of it.
        keep_last(find_book(session.folder), session.words)
    hand_on(ctx, table, output)


def hand_on(ctx: click.Context, table: ReportTable, output: OutputRequest) -> None:
    """Print a report that has its look, and write its files, as `show` does."""
    table = dressed(table)
    for path in output.outputs:
        write_report(table, path)
        click.echo(f"wrote {path}", err=True)
    printed = output.printed or ("nothing" if output.outputs else "terminal")
    if printed == "csv":
        click.echo(csv_text(table), nl=False)
    elif printed == "json":
        click.echo(json_text(table), nl=False)
    elif printed == "md":
        from level_almanac.output.markdown import markdown  # noqa: PLC0415  seldom asked for

        click.echo(markdown(table), nl=False)
    elif printed == "terminal":
        print_terminal(table)
    if any(each.proof is not None and not each.proof.balances for each in (table, *table.behind)):
        ctx.exit(1)


def print_terminal(table: ReportTable) -> None:
    """Print the report as wide as the terminal is, or at a set width where there is none."""
    told = os.environ.get("COLUMNS", "")
    width = int(told) if told.isdigit() and int(told) else None
    if sys.stdout.isatty():
        from rich.console import Console  # noqa: PLC0415  only a terminal needs it

        print_report(table, Console(width=width, highlight=False, emoji=False, markup=False))
    else:
        click.echo(text(table, width or UNBOUND_WIDTH), nl=False)
