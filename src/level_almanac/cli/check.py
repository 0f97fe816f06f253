"""`almanac check`."""

from collections.abc import Callable
from typing import Any, TypeVar

import click

from level_almanac.cli.options import DAY, as_of_request, open_book
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.language.days import DayWords
from level_almanac.core.reports.check.report import CheckRequest
from level_almanac.core.reports.check.report import check as check_report

F = TypeVar("F", bound=Callable[..., Any])


def checked_options(command: F) -> F:
    """Add which checks are meant, and as of when."""
    as_of = "Look at documents as of this day.  [default: where the data ends]"
    command = click.option("--as-of", type=DAY, metavar="DAY", help=as_of)(command)
    return click.argument("kinds", nargs=-1, metavar="[CHECK]...")(command)


@click.command()
@checked_options
@click.option("--only-new", is_flag=True, help="Only what the last run did not find.")
@click.option(
    "--lines",
    "most_lines",
    type=click.IntRange(min=1),
    default=8,
    show_default=True,
    metavar="N",
    help="At most so many lines of each finding.",
)
@output_options
@click.pass_context
def check(
    ctx: click.Context,
    kinds: tuple[str, ...],
    as_of: DayWords | None,
    only_new: bool,
    most_lines: int,
    output: OutputRequest,
) -> None:
    """What does not add up, in the ledger and in documents.

    Each finding has its lines, the amount, and what to do. Ends with 1
    where an error is shown. CHECK is one or more of: unbalanced, closed,
    outside, carried, gaps, unknown-party, spelt-twice, alike, over-applied,
    loose, early, control, agree.

    \b
    Examples:
      almanac check
      almanac check control over-applied
      almanac check --only-new -o findings.xlsx
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    request = CheckRequest(
        kinds=kinds, when=as_of_request(as_of, "", "", "", "with"), only_new=only_new, most_lines=most_lines
    )
    found = check_report(book, request, book.now.date())
    show(ctx, found.table, output, look)
    if found.errors:
        ctx.exit(1)
