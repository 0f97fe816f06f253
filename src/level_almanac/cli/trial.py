"""`almanac trial`."""

import functools
from collections.abc import Callable
from typing import Any, TypeVar

import click

from level_almanac.cli.options import (
    condition_options,
    dated_options,
    entity_option,
    level_option,
    open_book,
)
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.cli.traced import check_lines, lines_option, traced_table
from level_almanac.core.language.days import DayWords
from level_almanac.core.reports.trial.report import TrialRequest
from level_almanac.core.reports.trial.report import trial as trial_balance
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest

F = TypeVar("F", bound=Callable[..., Any])


def trial_options(command: F) -> F:
    """Add what a trial balance is asked for with, handed over as one `request`."""

    @functools.wraps(command)
    def with_request(
        *args: Any,
        when: AsOfRequest,
        days: tuple[DayWords | None, DayWords | None],
        after_closing: bool,
        entities: tuple[str, ...],
        level: int | None,
        only: tuple[str, ...],
        besides: tuple[str, ...],
        **others: Any,
    ) -> Any:
        request = TrialRequest(
            when=when,
            first=days[0],
            last=days[1],
            entities=entities,
            level=level,
            after_closing=after_closing,
            conditions=Conditions(only, besides),
        )
        return command(*args, request=request, **others)

    wrapped: Any = with_request
    closing = click.option("--after-closing", is_flag=True, help="With the closing lines of the year shown.")
    options: tuple[Callable[[Any], Any], ...] = (
        dated_options,
        closing,
        condition_options,
        entity_option,
        level_option,
    )
    for option in reversed(options):
        wrapped = option(wrapped)
    result: F = wrapped
    return result


@click.command()
@trial_options
@lines_option
@output_options
@click.pass_context
def trial(ctx: click.Context, request: TrialRequest, with_lines: bool, output: OutputRequest) -> None:
    """Trial balance: opening, debit, credit, closing.

    With a period, quarter or year it covers that; with a day, or nothing,
    the fiscal year to date.

    \b
    Examples:
      almanac trial --period 2026-P08
      almanac trial --year 2025 --after-closing --entity LINE
      almanac trial --from 2026-04-01 --through 2026-05-31 --level 2
    """
    check_outputs(output)
    check_lines(ctx, output, with_lines=with_lines)
    book = open_book(ctx)
    look = look_for(output, book)
    today = book.now.date()
    table = trial_balance(book, request, today)
    if with_lines:
        from level_almanac.core.reports.trial.trace import trial_behind  # noqa: PLC0415  seldom asked for

        table = traced_table(book, trial_behind(book, request, today, (), leaves=True))
    show(ctx, table, output, look)
