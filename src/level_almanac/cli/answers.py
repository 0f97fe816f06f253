"""The answers to a page's questions: from the command line, from a file, or asked for at the terminal."""

import sys
import tomllib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

import click

from level_almanac.cli.say import progress_hidden, say
from level_almanac.cli.session import bold
from level_almanac.core.pages.questions import AnswerReader, rule_words
from level_almanac.errors import AlmanacError, BookMistake, Mistake, UsageMistake
from level_almanac.files.pages import Page
from level_almanac.shown_text import visible

_OPEN = "-"
"""What leaves a question open that has a default, which an empty line would take."""


def told_answers(pairs: Sequence[str], file: Path | None) -> dict[str, str]:
    """Return the answers of `--answer NAME=VALUE` and of a file; the former win. Raises UsageMistake."""
    answers = _from_file(file) if file else {}
    for pair in pairs:
        name, equals, value = pair.partition("=")
        if not equals or not name.strip():
            raise UsageMistake(Mistake("not an answer", "--answer", repr(pair), "NAME=VALUE, such as period=2026-P08"))
        answers[name.strip()] = value
    return answers


def _from_file(path: Path) -> dict[str, str]:
    try:
        plain = tomllib.loads(path.read_text(encoding="utf-8"), parse_float=str)
    except FileNotFoundError:
        raise UsageMistake(Mistake("there is no such file", "--answers", repr(str(path)))) from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise BookMistake(
            Mistake("not a file of answers", str(path), str(error), 'lines such as period = "2026-P08"')
        ) from None
    answers = {}
    for name, value in plain.items():
        if isinstance(value, dict):
            raise BookMistake(Mistake("not an answer", f"{path}: {name}", allowed='a line such as period = "2026-P08"'))
        if isinstance(value, bool):
            answers[name] = "yes" if value else "no"
        else:
            answers[name] = ", ".join(map(str, value)) if isinstance(value, list) else str(value)
    return answers


def has_terminal() -> bool:
    """Tell whether there is a person to ask: only where both ends of the talk are a terminal."""
    return sys.stdin.isatty() and sys.stderr.isatty()


def asking(page: Page, again: Mapping[str, str]) -> Callable[[AnswerReader, str], str]:
    """Return what asks a person for an answer at the terminal. again: the answers of the last run, as defaults."""

    def ask(reader: AnswerReader, name: str) -> str:
        question = page.file.ask[name]
        default = again.get(name, question.default)
        shown = default
        if default:
            try:
                answer = reader.read(name, question, default).text
                shown = default if answer == default else f"{default}: {answer}"
            except AlmanacError:
                default = shown = ""
        label = bold(visible(question.label or name))
        rules = rule_words(reader.bounded(question))
        if question.optional and default:
            rules = rules.replace("or nothing", f"or {_OPEN} to leave it open")
        told = f"{label} ({rules})" + (f" [{shown}]" if shown else "")
        while True:
            with progress_hidden():
                text = str(click.prompt(told, default="", show_default=False, err=True)).strip() or default
            if question.optional and text in ("", _OPEN):
                return ""
            try:
                reader.read(name, question, text)
            except AlmanacError as error:
                for mistake in error.mistakes:
                    say(f"  {replace(mistake, where='')}")
            else:
                return text

    return ask
