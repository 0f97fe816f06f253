"""The manual page: every command with its help, as `man` reads it.

`python -m level_almanac.cli.manual docs/almanac.1` writes it anew.
"""

import sys
from collections.abc import Iterator
from pathlib import Path

import click

from level_almanac.cli.main import almanac, commands

_EXITS = (
    ("0", "done"),
    ("1", "a check or a proof found something"),
    ("2", "what was asked cannot be taken as it is"),
    ("3", "the book or its exports hold something that cannot be taken as it is"),
    ("4", "another load or edition is being written"),
    ("130", "interrupted"),
)
_FILES = (
    ("almanac.toml", "the book: companies, calendar, tables, where the exports are"),
    ("layouts/*.toml", "statement layouts of the book"),
    ("pages/**/*.toml", "saved reports; a folder is a group"),
    ("explanations/**/*.toml", "explanations of single figures"),
    ("editions/", "what was issued, with the data and the definitions it was made from"),
    (".almanac/", "the store; it can be deleted and loaded again"),
)
_VARIABLES = (
    ("NO_COLOR", "no colour, whatever its value"),
    ("COLUMNS", "how wide reports are where there is no terminal"),
)


def manual() -> str:
    """Return the manual page as text that ends with a line end."""
    return "\n".join(_lines()) + "\n"


def _lines() -> Iterator[str]:
    context = click.Context(almanac, info_name="almanac", **almanac.context_settings)
    yield '.TH ALMANAC 1 "" "Level Almanac" "Commands"'
    yield from (".SH NAME", _plain("almanac - reports over fiscal periods from accounting exports"))
    yield from (".SH SYNOPSIS", r".B almanac", _plain("[--book DIR] COMMAND [ARGUMENTS]"))
    yield from (".SH DESCRIPTION", *_told(almanac.help or ""))
    yield from (".SH OPTIONS", *_options(almanac, context))
    yield ".SH COMMANDS"
    for name in commands():
        command = almanac.get_command(context, name)
        assert command is not None  # noqa: S101  the table of commands names those that there are
        yield from _command(command, click.Context(command, info_name=name, parent=context))
    for head, pairs in (("EXIT STATUS", _EXITS), ("FILES", _FILES), ("ENVIRONMENT", _VARIABLES)):
        yield f".SH {head}"
        for term, words in pairs:
            yield from (".TP", rf"\fB{_plain(term)}\fR", _plain(words))


def _command(command: click.Command, context: click.Context) -> Iterator[str]:
    usage = " ".join(command.collect_usage_pieces(context))
    yield from (f".SS {_plain(context.command_path)} {_plain(usage)}", *_told(command.help or ""))
    yield from _options(command, context)
    if isinstance(command, click.Group):
        for name in command.list_commands(context):
            inner = command.get_command(context, name)
            if inner is not None:
                yield from _command(inner, click.Context(inner, info_name=name, parent=context))


def _told(text: str) -> Iterator[str]:
    """Yield a help text: paragraphs are filled, and what follows a mark is left as it is."""
    verbatim = False
    for paragraph in "\n".join(line.strip("\n") for line in text.splitlines()).split("\n\n"):
        lines = paragraph.splitlines()
        verbatim = bool(lines) and lines[0].strip() == "\b"
        if verbatim:
            yield from (".PP", ".nf", *(_plain(line.rstrip()) for line in lines[1:]), ".fi")
        else:
            yield from (".PP", *(_plain(line.strip()) for line in lines))


def _options(command: click.Command, context: click.Context) -> Iterator[str]:
    for parameter in command.get_params(context):
        told = parameter.get_help_record(context) if isinstance(parameter, click.Option) else None
        if told is not None:
            yield from (".TP", rf"\fB{_plain(told[0])}\fR", _plain(" ".join(told[1].split())))


def _plain(text: str) -> str:
    """Return text whose signs mean nothing to the formatter."""
    written = text.replace("\\", r"\e").replace("-", r"\-").replace("’", "'")
    return rf"\&{written}" if written[:1] in (".", "'") else written


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(manual(), encoding="utf-8")
