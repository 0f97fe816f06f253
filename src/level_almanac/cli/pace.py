"""`almanac pace`."""

import functools
from collections.abc import Callable
from decimal import Decimal
from typing import Any, Literal, TypeVar

import click

from level_almanac.cli.measured import measured_options
from level_almanac.cli.names import PLAN
from level_almanac.cli.options import as_of_request, open_book, when_options
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.cli.thresholds import AMOUNT
from level_almanac.core.language.days import DayWords
from level_almanac.core.measures.table_measures import MeasuredRequest
from level_almanac.core.reports.pace.figures import PaceRequest
from level_almanac.core.reports.pace.report import pace as pace_report

F = TypeVar("F", bound=Callable[..., Any])


def pace_options(command: F) -> F:
    """Add what pace is asked for with, handed over as one `request`."""

    @functools.wraps(command)
    def with_request(
        *args: Any,
        of: MeasuredRequest,
        plan: str,
        span: Literal["year", "quarter", "period"] | None,
        limit: Decimal | None,
        income: bool,
        months: bool,
        **others: Any,
    ) -> Any:
        request = PaceRequest(of=of, plan=plan, span=span, limit=limit, income=income, months=months)
        return command(*args, request=request, **others)

    wrapped: Any = with_request
    options: tuple[Callable[[Any], Any], ...] = (
        _as_of_options,
        measured_options("The field whose members have budgets."),
        click.option(
            "--plan", type=PLAN, default="", metavar="NAME", help="Which plan.  [default: budget, or the only one]"
        ),
        click.option(
            "--span",
            type=click.Choice(["year", "quarter", "period"]),
            help="What the budget is for.  [default: the year, or what is named]",
        ),
        click.option("--limit", type=AMOUNT, metavar="N", help="The whole budget, if not the sum of its members'."),
        click.option("--income", is_flag=True, help="Of the ledger: income against its plan, not costs."),
        click.option("--months", is_flag=True, help="Period by period: planned, due, spent, over."),
    )
    for option in reversed(options):
        wrapped = option(wrapped)
    result: F = wrapped
    return result


def _as_of_options(command: F) -> F:
    @functools.wraps(command)
    def with_when(
        *args: Any, as_of: DayWords | None, period: str, quarter: str, year: str, adjustments: str, **others: Any
    ) -> Any:
        return command(*args, when=as_of_request(as_of, period, quarter, year, adjustments), **others)

    wrapped: Any = with_when
    result: F = when_options(wrapped)
    return result


@click.command()
@pace_options
@output_options
@click.pass_context
def pace(ctx: click.Context, request: PaceRequest, output: OutputRequest) -> None:
    """Spending against a budget, and where it will end.

    What was due by now is the finished periods' plan and a share of the part
    period's. What is spent, divided by that share, is where it will end.

    \b
    Examples:
      almanac pace ledger --entity LINE
      almanac pace ledger --entity LINE --by department
      almanac pace ledger --entity LINE --by account --only "account begins 61" --months
      almanac pace sales --by route -o pace.png
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    show(ctx, pace_report(book, request, book.now.date()), output, look)
