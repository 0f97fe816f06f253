"""`almanac documents`."""

import functools
from collections.abc import Callable
from typing import Any, TypeVar

import click

from level_almanac.cli.items import side_argument
from level_almanac.cli.names import FIELD
from level_almanac.cli.options import condition_options, dated_options, entity_option, open_book
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.cli.thresholds import threshold_options
from level_almanac.core.language.days import DayWords
from level_almanac.core.reports.documents.report import DocumentsRequest, Which
from level_almanac.core.reports.documents.report import documents as documents_report
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.core.subledger.subledger import Side, SubledgerRequest
from level_almanac.core.table.threshold import Threshold

F = TypeVar("F", bound=Callable[..., Any])


def documents_options(command: F) -> F:
    """Add what a list of documents is asked for with, handed over as one `request`."""

    @functools.wraps(command)
    def with_request(
        *args: Any,
        side: Side,
        open_only: bool,
        overdue: bool,
        unapplied: bool,
        settled: bool,
        when: AsOfRequest,
        days: tuple[DayWords | None, DayWords | None],
        date: str,
        by: str,
        sort: str,
        top: int | None,
        thresholds: tuple[Threshold, ...],
        only: tuple[str, ...],
        besides: tuple[str, ...],
        entities: tuple[str, ...],
        **others: Any,
    ) -> Any:
        asked: list[Which] = []
        asked += ["open"] if open_only else []
        asked += ["overdue"] if overdue else []
        asked += ["unapplied"] if unapplied else []
        if len(asked) > 1:
            raise click.UsageError(f"{' and '.join(f'--{name}' for name in asked)}: ask for one of them")
        of = SubledgerRequest(side=side, when=when, entities=entities, conditions=Conditions(only, besides))
        request = DocumentsRequest(
            of=of,
            which=asked[0] if asked else "all",
            first=days[0],
            last=days[1],
            date=date,
            by=by,
            settled=settled,
            thresholds=thresholds,
            sort=sort,
            top=top,
        )
        return command(*args, request=request, **others)

    wrapped: Any = with_request
    options: tuple[Callable[[Any], Any], ...] = (
        side_argument,
        click.option("--open", "open_only", is_flag=True, help="Only what is open on the day."),
        click.option("--overdue", is_flag=True, help="Only invoices that are open past their due date."),
        click.option("--unapplied", is_flag=True, help="Only payments and credits that settle nothing yet."),
        click.option("--settled", is_flag=True, help="What settled each, beneath it."),
        dated_options,
        click.option(
            "--date", type=FIELD, default="", metavar="FIELD", help="The date that days are told by.  [default: posted]"
        ),
        click.option("--by", type=FIELD, default="", metavar="FIELD", help="In groups with totals, such as `party`."),
        click.option("--sort", default="", metavar="COLUMN", help="In order of this; amounts largest first."),
        click.option("--top", type=click.IntRange(min=1), metavar="N", help="Only the first so many."),
        threshold_options("documents", "What the limits are on.  [default: open, or amount of all]"),
        condition_options,
        entity_option,
    )
    for option in reversed(options):
        wrapped = option(wrapped)
    result: F = wrapped
    return result


@click.command()
@documents_options
@output_options
@click.pass_context
def documents(ctx: click.Context, request: DocumentsRequest, output: OutputRequest) -> None:
    """Invoices and credits: all, open, overdue, unapplied.

    A period, quarter or year takes the documents posted in it, as of its
    end, and --from with --through those of a range. With --as-of alone all
    documents count.

    \b
    Examples:
      almanac documents receivable --overdue --over 2000
      almanac documents payable --open --by party
      almanac documents payable --only "party is V007" --year 2025 --settled
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    show(ctx, documents_report(book, request, book.now.date()), output, look)
