"""When a page is run for: options of `page run`, `explain` and `edition issue`."""

from collections.abc import Mapping
from typing import Any

import click

from level_almanac.cli.names import PERIOD, QUARTER, YEAR
from level_almanac.core.book import Book
from level_almanac.core.pages.options import WHEN
from level_almanac.core.pages.running import page_when


def page_when_options(command: Any) -> Any:
    """Add the options that say when a page is run for, in place of what it says itself."""
    for name, words in reversed(
        (
            ("as-of", "As of this day, whatever the page says."),
            ("period", "For this period, whatever the page says."),
            ("quarter", "For this quarter, whatever the page says."),
            ("year", "For this fiscal year, whatever the page says."),
        )
    ):
        metavar = "DAY" if name == "as-of" else "ID"
        known = {"period": PERIOD, "quarter": QUARTER, "year": YEAR}.get(name, click.STRING)
        command = click.option(f"--{name}", type=known, default="", metavar=metavar, help=words)(command)
    return command


def asked_when(book: Book, options: Mapping[str, str]) -> dict[str, str]:
    """Return which of the `page_when_options` was given; raises as `page_when` does."""
    return page_when(book, {name: options[name.replace("-", "_")] for name in WHEN})
