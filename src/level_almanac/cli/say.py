"""What commands say beside their reports: on stderr, and visibly whatever stands in a name or a value."""

import click

from level_almanac.shown_text import visible


def say(words: str = "") -> None:
    """Print a line for the person who runs the command."""
    click.echo(visible(words), err=True)
