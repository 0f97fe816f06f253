"""`almanac parties`."""

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
from level_almanac.core.reports.parties.report import PartiesRequest
from level_almanac.core.reports.parties.report import parties as parties_report
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.core.subledger.subledger import Side, SubledgerRequest
from level_almanac.core.table.threshold import Threshold

F = TypeVar("F", bound=Callable[..., Any])


def parties_options(command: F) -> F:
    """Add what totals of parties are asked for with, handed over as one `request`."""

    @functools.wraps(command)
    def with_request(
        *args: Any,
        side: Side,
        when: AsOfRequest,
        days: tuple[DayWords | None, DayWords | None],
        date: str,
        thresholds: tuple[Threshold, ...],
        shown: str,
        sort: str,
        top: int | None,
        everyone: bool,
        only: tuple[str, ...],
        besides: tuple[str, ...],
        entities: tuple[str, ...],
        **others: Any,
    ) -> Any:
        request = PartiesRequest(
            of=SubledgerRequest(side=side, when=when, entities=entities, conditions=Conditions(only, besides)),
            first=days[0],
            last=days[1],
            date=date,
            thresholds=thresholds,
            show=tuple(name.strip() for name in shown.split(",") if name.strip()),
            sort=sort,
            top=top,
            everyone=everyone,
        )
        return command(*args, request=request, **others)

    wrapped: Any = with_request
    columns = "Columns, between commas: invoiced, credited, paid, written-off, open, overdue, invoices, payments, …"
    options: tuple[Callable[[Any], Any], ...] = (
        side_argument,
        dated_options,
        click.option("--date", type=FIELD, default="", metavar="FIELD", help="Go by `date`, not `posted`."),
        threshold_options("parties", "What the limits are on.  [default: the first column]"),
        click.option("--show", "shown", default="", metavar="COLUMNS", help=columns),
        click.option("--sort", default="", metavar="COLUMN", help="In order of this; amounts largest first."),
        click.option("--top", type=click.IntRange(min=1), metavar="N", help="Only the first so many."),
        click.option("--everyone", is_flag=True, help="Parties without a line in these days too, if any is open."),
        condition_options,
        entity_option,
    )
    for option in reversed(options):
        wrapped = option(wrapped)
    result: F = wrapped
    return result


@click.command()
@parties_options
@output_options
@click.pass_context
def parties(ctx: click.Context, request: PartiesRequest, output: OutputRequest) -> None:
    """Totals per supplier or customer, past thresholds or not.

    Covers the fiscal year to date, or the period, quarter, year or days
    asked for. Limits are on a party's total, after the conditions, never
    on its single documents.

    \b
    Examples:
      almanac parties payable --year 2025 --on paid --over 7500
      almanac parties payable --year 2025 --on paid --over 7500 --except "kind is payment and reference is blank"
      almanac parties receivable --quarter 2026-Q2 --show "invoiced, paid, open, overdue" --sort overdue
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    show(ctx, parties_report(book, request, book.now.date()), output, look)
