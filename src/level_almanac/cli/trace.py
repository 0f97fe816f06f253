"""`almanac trace`."""

import click

from level_almanac.cli.reports import Traces


@click.group(cls=Traces)
def trace() -> None:
    """The lines behind any figure of a report.

    Write `almanac trace` for `almanac`, and say which figure: its row as it
    stands on the screen, and its column by its head or by its number.

    \b
    Examples:
      almanac trace statement income --row "Total income" --column 1
      almanac trace statement income --period 2026-P08 --row 4011 --column 2
      almanac trace trial --period 2026-P08 --row 12110 --column debit --whole-journals
      almanac trace list ledger --by vessel --row Brae
      almanac trace aging payable --row V017 --column over-90
      almanac trace rank sales --by item --top 3 --row all-other --column "last year"
    """
