"""`almanac trace`."""

import functools
from collections.abc import Callable
from dataclasses import replace
from typing import Any, TypeVar

import click

from level_almanac.cli.aging import aging_options
from level_almanac.cli.billing import billing_options
from level_almanac.cli.check import checked_options
from level_almanac.cli.documents import documents_options
from level_almanac.cli.growth import growth_options
from level_almanac.cli.list import list_options
from level_almanac.cli.options import as_of_request, open_book
from level_almanac.cli.pace import pace_options
from level_almanac.cli.parties import parties_options
from level_almanac.cli.rank import rank_options
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.cli.statement import statement_options
from level_almanac.cli.trial import trial_options
from level_almanac.core.book import Book
from level_almanac.core.language.days import DayWords
from level_almanac.core.reports.aging.trace import aging_behind
from level_almanac.core.reports.billing.trace import billing_behind
from level_almanac.core.reports.check.report import CheckRequest, check_behind
from level_almanac.core.reports.documents.trace import documents_behind
from level_almanac.core.reports.list.report import ListRequest
from level_almanac.core.reports.list.trace import listing_behind
from level_almanac.core.reports.measured_trace import growth_behind, pace_behind, rank_behind
from level_almanac.core.reports.parties.trace import parties_behind
from level_almanac.core.reports.statement.report import StatementRequest
from level_almanac.core.reports.statement.trace import statement_behind
from level_almanac.core.reports.trial.report import TrialRequest
from level_almanac.core.reports.trial.trace import trial_behind
from level_almanac.core.table.model import ReportTable
from level_almanac.core.trace.figure import Level, TraceRequest
from level_almanac.core.trace.figure import trace as lines_behind
from level_almanac.core.trace.model import Traced

F = TypeVar("F", bound=Callable[..., Any])


def _trace_options(command: F) -> F:
    """Add which figure is meant and how far down, handed over as one `asked`."""

    @functools.wraps(command)
    def with_asked(
        *args: Any,
        row: str,
        column: str,
        down_to: Level | None,
        whole_journals: bool,
        first_rows: int | None,
        **others: Any,
    ) -> Any:
        asked = TraceRequest(row=row, column=column, level=down_to, journals=whole_journals, first=first_rows)
        return command(*args, asked=asked, **others)

    wrapped: Any = with_asked
    column = "The column: its key, its label, or its number from the left.  [default: all]"
    down_to = "How far down.  [default: the accounts of a row that has several, else its lines]"
    options: tuple[Callable[[Any], Any], ...] = (
        click.option("--row", required=True, metavar="ROW", help="The row: its key, its label, or how that begins."),
        click.option("--column", default="", metavar="COLUMN", help=column),
        click.option("--down-to", type=click.Choice(["class", "account", "journal", "line"]), help=down_to),
        click.option("--whole-journals", is_flag=True, help="All lines of each journal behind the figure."),
        click.option(
            "--first", "first_rows", type=click.IntRange(min=1), metavar="N", help="Only the first so many rows."
        ),
    )
    for option in reversed(options):
        wrapped = option(wrapped)
    result: F = wrapped
    return result


@click.group()
def trace() -> None:
    """The lines behind any figure of a report.

    Write `almanac trace` for `almanac`, and say which figure: its row as it
    stands on the screen, and its column by its head or by its number.

    \b
    Examples:
      almanac trace statement income --row "Total income" --column 1
      almanac trace statement income --period 2026-P08 --row 40110 --column "last year"
      almanac trace trial --period 2026-P08 --row 12110 --column debit --whole-journals
      almanac trace list ledger --by vessel --row Brae
      almanac trace aging payable --row V017 --column over-90
      almanac trace rank sales --by item --top 3 --row all-other --column "last year"
    """


@trace.command("statement")
@statement_options
@_trace_options
@output_options
@click.pass_context
def _statement(ctx: click.Context, request: StatementRequest, asked: TraceRequest, output: OutputRequest) -> None:
    """The lines behind a figure of a statement.

    \b
    Examples:
      almanac trace statement income --period 2026-P08 --row 40110 --column "last year"
    """
    check_outputs(output)
    book = open_book(ctx)
    _show(ctx, book, statement_behind(book, request, book.now.date(), (asked.row,)), asked, output)


@trace.command("trial")
@trial_options
@_trace_options
@output_options
@click.pass_context
def _trial(ctx: click.Context, request: TrialRequest, asked: TraceRequest, output: OutputRequest) -> None:
    """The lines behind a figure of the trial balance.

    \b
    Examples:
      almanac trace trial --period 2026-P08 --row 12110 --column debit --whole-journals
    """
    check_outputs(output)
    book = open_book(ctx)
    _show(ctx, book, trial_behind(book, request, book.now.date(), (asked.row,)), asked, output)


@trace.command("list")
@list_options
@click.option("--row", required=True, metavar="ROW", help="The group: its key, its label, or how that begins.")
@click.option("--first", "first_rows", type=click.IntRange(min=1), metavar="N", help="Only the first so many lines.")
@output_options
@click.pass_context
def _list(ctx: click.Context, request: ListRequest, row: str, first_rows: int | None, output: OutputRequest) -> None:
    """The lines behind a group of a list.

    \b
    Examples:
      almanac trace list ledger --by vessel --row Brae
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    asked = replace(request, first_rows=first_rows)
    show(ctx, listing_behind(book, asked, row, book.now.date()), output, look)


def _figure_options(command: F) -> F:
    """Add which figure of a report over documents is meant."""
    for option in reversed(
        (
            click.option(
                "--row", required=True, metavar="ROW", help="The row: its key, its label, or how that begins."
            ),
            click.option(
                "--column", default="", metavar="COLUMN", help="The column: its key, its label, or its number."
            ),
        )
    ):
        command = option(command)
    return command


def _figures(
    name: str, words: str, example: str, options: Callable[[Any], Any], behind: Callable[..., ReportTable]
) -> None:
    """Add the command that shows what lies behind a figure of one report. behind: core's function that finds it."""

    @trace.command(name, help=f"{words}\n\n\b\nExamples:\n  almanac trace {name} {example}")
    @options
    @_figure_options
    @output_options
    @click.pass_context
    def _command(ctx: click.Context, request: Any, row: str, column: str, output: OutputRequest) -> None:
        check_outputs(output)
        book = open_book(ctx)
        look = look_for(output, book)
        show(ctx, behind(book, request, row, column, book.now.date()), output, look)


_figures(
    "aging",
    "The documents behind a figure of an aging.",
    "payable --row V017 --column over-90",
    aging_options,
    aging_behind,
)
_figures(
    "documents",
    "What settled a document, and its ledger lines.",
    "receivable --overdue --row total",
    documents_options,
    documents_behind,
)
_figures(
    "parties",
    "The documents behind a party's total.",
    "payable --year 2025 --row V007 --column paid",
    parties_options,
    parties_behind,
)
_figures(
    "billing",
    "The entries behind a figure of billing.",
    "--by office --row Kelsay --column net",
    billing_options,
    billing_behind,
)
_figures(
    "growth",
    "The lines behind a figure of growth.",
    "sales --each quarter --row 2026-Q2 --column now",
    growth_options,
    growth_behind,
)
_figures(
    "rank",
    "The lines behind a figure of a ranking, all other too.",
    "sales --by item --top 3 --row all-other",
    rank_options,
    rank_behind,
)
_figures(
    "pace", "The lines behind a figure of pace, or those of the plan.",
    "ledger --by department --row SEA --column spent", pace_options, pace_behind,
)  # fmt: skip


@trace.command("check")
@checked_options
@click.option("--row", required=True, metavar="ROW", help="The finding: its key, its words, or how they begin.")
@output_options
@click.pass_context
def _check(ctx: click.Context, kinds: tuple[str, ...], as_of: DayWords | None, row: str, output: OutputRequest) -> None:
    """All lines of one finding.

    \b
    Examples:
      almanac trace check --row control/LINE/payable
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    request = CheckRequest(kinds=kinds, when=as_of_request(as_of, "", "", "", "with"))
    show(ctx, check_behind(book, request, row, book.now.date()), output, look)


def _show(
    ctx: click.Context,
    book: Book,
    traced: Traced,
    asked: TraceRequest,
    output: OutputRequest,
) -> None:
    look = look_for(output, book)
    show(ctx, lines_behind(book, traced, asked), output, look)
