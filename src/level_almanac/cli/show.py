"""Hand a finished report on: to the terminal, to files, or both."""

import os
import sys
from collections.abc import Sequence
from pathlib import Path

import click

from level_almanac.core.report_table import ReportTable
from level_almanac.output.csv_text import csv_text
from level_almanac.output.files import check_target, write_report
from level_almanac.output.json_text import json_text
from level_almanac.output.terminal import UNBOUND_WIDTH, print_report, text


def check_outputs(outputs: Sequence[Path]) -> None:
    """Check every target before any work is done."""
    for path in outputs:
        check_target(path)


def show(ctx: click.Context, table: ReportTable, outputs: Sequence[Path] = (), printed: str | None = None) -> None:
    """Print the report and write its files; end with 1 where its proof or a check in it does not hold."""
    for path in outputs:
        write_report(table, path)
        click.echo(f"wrote {path}", err=True)
    printed = printed or ("nothing" if outputs else "terminal")
    if printed == "csv":
        click.echo(csv_text(table), nl=False)
    elif printed == "json":
        click.echo(json_text(table), nl=False)
    elif printed == "terminal":
        print_terminal(table)
    if table.proof is not None and not table.proof.balances:
        ctx.exit(1)


def print_terminal(table: ReportTable) -> None:
    """Print the report as wide as the terminal is, or at a set width where there is none."""
    from rich.console import Console  # noqa: PLC0415  needed for no other format

    told = os.environ.get("COLUMNS", "")
    width = int(told) if told.isdigit() and int(told) else None
    if sys.stdout.isatty():
        print_report(table, Console(width=width, highlight=False, emoji=False, markup=False))
    else:
        click.echo(text(table, width or UNBOUND_WIDTH), nl=False)
