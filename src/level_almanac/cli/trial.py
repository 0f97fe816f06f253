"""`almanac trial`."""

import click

from level_almanac.cli.options import (
    as_of_request,
    entity_option,
    last_day,
    level_option,
    open_book,
    range_options,
    when_options,
)
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.trial import TrialRequest
from level_almanac.core.trial import trial as trial_balance
from level_almanac.core.words.days import DayWords


@click.command()
@when_options
@range_options
@click.option("--after-closing", is_flag=True, help="With the closing lines of the year shown.")
@entity_option
@level_option
@output_options
@click.pass_context
def trial(
    ctx: click.Context,
    as_of: DayWords | None,
    period: str,
    quarter: str,
    year: str,
    adjustments: str,
    first: DayWords | None,
    through: DayWords | None,
    before: DayWords | None,
    after_closing: bool,
    entities: tuple[str, ...],
    level: int | None,
    output: OutputRequest,
) -> None:
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
    book = open_book(ctx)
    look = look_for(output, book)
    request = TrialRequest(
        when=as_of_request(as_of, period, quarter, year, adjustments),
        first=first,
        last=last_day(through, before),
        entities=entities,
        level=level,
        after_closing=after_closing,
    )
    show(ctx, trial_balance(book, request, book.now.date()), output, look)
