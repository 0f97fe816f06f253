"""`almanac fields`."""

import click

from level_almanac.cli.names import TABLE
from level_almanac.cli.options import open_book
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.reports.fields.report import FieldsRequest, fields_report


@click.command()
@click.argument("table", type=TABLE, default="", required=False)
@click.argument("word", default="", required=False)
@output_options
@click.pass_context
def fields(ctx: click.Context, table: str, word: str, output: OutputRequest) -> None:
    """What can be asked for: tables, their fields, and a few values.

    Without TABLE, the tables of the book. With WORD, or with one word that is
    no table, the fields that have it in their name.

    \b
    Examples:
      almanac fields
      almanac fields ledger
      almanac fields ledger account
      almanac fields department
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    show(ctx, fields_report(book, FieldsRequest(table=table, word=word)), output, look)
