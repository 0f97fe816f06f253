"""`almanac billing`."""

import functools
from collections.abc import Callable
from typing import Any, TypeVar

import click

from level_almanac.cli.names import FIELDS
from level_almanac.cli.options import condition_options, dated_options, entity_option, open_book
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.language.days import DayWords
from level_almanac.core.reports.billing.report import BillingRequest, View
from level_almanac.core.reports.billing.report import billing as billing_report
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest

F = TypeVar("F", bound=Callable[..., Any])


def billing_options(command: F) -> F:
    """Add what billing is asked for with, handed over as one `request`."""

    @functools.wraps(command)
    def with_request(
        *args: Any,
        when: AsOfRequest,
        days: tuple[DayWords | None, DayWords | None],
        charges_by: str | None,
        payments_by: str | None,
        by: str,
        lines: bool,
        unposted: bool,
        in_transit: bool,
        only: tuple[str, ...],
        besides: tuple[str, ...],
        entities: tuple[str, ...],
        **others: Any,
    ) -> Any:
        if unposted and in_transit:
            raise click.UsageError("--unposted and --in-transit are two lists; ask for one of them")
        view: View = "unposted" if unposted else "in-transit" if in_transit else "figures"
        request = BillingRequest(
            when=when,
            first=days[0],
            last=days[1],
            charges_by=charges_by or "",
            payments_by=payments_by or "",
            by=by,
            conditions=Conditions(only, besides),
            entities=entities,
            lines=lines or in_transit,
            view=view,
        )
        return command(*args, request=request, **others)

    wrapped: Any = with_request
    options: tuple[Callable[[Any], Any], ...] = (
        dated_options,
        click.option("--charges-by", type=click.Choice(["served", "posted"]), help="The date charges go by."),
        click.option(
            "--payments-by", type=click.Choice(["posted", "checked", "deposited"]), help="The date payments go by."
        ),
        click.option(
            "--by", type=FIELDS, default="", metavar="FIELDS", help="Group by these: office, desk, payer, reason, …"
        ),
        click.option("--lines", is_flag=True, help="Each entry behind the figures."),
        click.option("--unposted", is_flag=True, help="Charges served by the last day and not posted by then."),
        click.option("--in-transit", is_flag=True, help="Entries that count in these days by one date only."),
        condition_options,
        entity_option,
    )
    for option in reversed(options):
        wrapped = option(wrapped)
    result: F = wrapped
    return result


@click.command()
@billing_options
@output_options
@click.pass_context
def billing(ctx: click.Context, request: BillingRequest, output: OutputRequest) -> None:
    """Charges, payments and adjustments, by the date that matters.

    Covers the period to date, or the days asked for. Charges go by the day
    they were served or posted, payments by the day they were posted, the
    date of the cheque, or the day they were banked.

    \b
    Examples:
      almanac billing --by office
      almanac billing --period 2026-P08 --payments-by deposited
      almanac billing --from 2026-06-15 --through 2026-06-17 --only "office is Kelsay" --lines
      almanac billing --unposted --by "office, desk"
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    show(ctx, billing_report(book, request, book.now.date()), output, look)
