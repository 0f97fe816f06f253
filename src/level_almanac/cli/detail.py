"""`almanac detail`."""

import click

from level_almanac.cli.names import ACCOUNT
from level_almanac.cli.options import (
    condition_options,
    dated_options,
    entity_option,
    open_book,
)
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.language.days import DayWords
from level_almanac.core.reports.detail.report import DetailRequest
from level_almanac.core.reports.detail.report import detail as account_detail
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest


@click.command()
@click.argument("accounts", type=ACCOUNT, nargs=-1, required=True, metavar="ACCOUNT...")
@dated_options
@condition_options
@click.option(
    "--show", "shown", default="", metavar="FIELDS", help="Fields of the lines.  [default: document, party, memo]"
)
@click.option("--subtotals", is_flag=True, help="A row for what each period moved.")
@click.option("--carried", is_flag=True, help="The carried lines of the year too, apart.")
@click.option("--after-closing", is_flag=True, help="With the closing lines of the year shown.")
@entity_option
@output_options
@click.pass_context
def detail(
    ctx: click.Context,
    accounts: tuple[str, ...],
    when: AsOfRequest,
    days: tuple[DayWords | None, DayWords | None],
    only: tuple[str, ...],
    besides: tuple[str, ...],
    shown: str,
    subtotals: bool,
    carried: bool,
    after_closing: bool,
    entities: tuple[str, ...],
    output: OutputRequest,
) -> None:
    """Account detail: opening, each line, running balance, closing.

    ACCOUNT is a code, with all accounts below it; a class; a range such as
    "6100 through 6199"; or a condition on the chart. With a period, quarter or
    year it covers that; with a day, or nothing, the fiscal year to date.

    \b
    Examples:
      almanac detail 12110 --period 2026-P08
      almanac detail "61100 through 61199" --year 2025 --subtotals
      almanac detail "control is payable" --from 2026-05-01 --through 2026-05-15
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    request = DetailRequest(
        accounts=accounts,
        when=when,
        first=days[0],
        last=days[1],
        entities=entities,
        show=shown,
        subtotals=subtotals,
        carried=carried,
        after_closing=after_closing,
        conditions=Conditions(only, besides),
    )
    show(ctx, account_detail(book, request, book.now.date()), output, look)
