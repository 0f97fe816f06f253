"""Put answers into a page: its command and its options as they are to be run (docs/pages.md)."""

import shlex
from collections.abc import Collection, Iterator, Mapping
from re import Match
from typing import Any, Literal, NamedTuple

from level_almanac.core.pages.questions import Answer, rule_holds
from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.pages import PLACEHOLDER, Page, placeholders

Answers = Mapping[str, Answer | None]
SPAN_OPTIONS: tuple[Literal["period", "quarter", "year"], ...] = ("period", "quarter", "year")
Value = str | bool | list[str]


class Filled(NamedTuple):
    """A page with its answers in it. words: its command and arguments; options: by long name."""

    words: tuple[str, ...]
    options: dict[str, Value]


def filled(page: Page, answers: Answers) -> Filled:
    """Return the page with its answers in place.

    An option, or a part of one that is a list, is left out where it takes in an answer that was left open, or where
    its condition is not met. Raises BookMistake for a command that has an unclosed quote.
    """
    try:
        words = shlex.split(page.file.report)
    except ValueError as error:
        raise BookMistake(Mistake("the command cannot be read", f"{page.where}: report", str(error))) from None
    options: dict[str, Value] = {}
    for name, value in page.file.options.items():
        if isinstance(value, list):
            found = [_part(each, answers) for each in value]
            parts = [
                part for each in found for part in (each if isinstance(each, list) else [each]) if isinstance(part, str)
            ]
            if parts or not value:
                options[name] = parts
            continue
        part = _part(value, answers)
        if part is not None:
            options[_option_of(name, str(value), answers)] = part
    return Filled(tuple(_filled(word, answers) for word in words), options)


def _option_of(name: str, text: str, answers: Answers) -> str:
    """Return the option that a value stands in: of a whole answer that is a span, the one of the span's own kind."""
    whole = PLACEHOLDER.fullmatch(text)
    answer = answers.get(whole.group(1)) if whole and whole.group(1) else None
    return answer.unit if name in SPAN_OPTIONS and answer and answer.unit else name


def _part(value: object, answers: Answers) -> Value | None:
    """Return one value or one part of a list with its answers, None where it is left out.

    The answers of a list are as many values, for an option that can be given more than once.
    """
    if isinstance(value, bool):
        return value
    if isinstance(value, dict):
        if not rule_holds(str(value["if"]), answers):
            return None
        value = value["words"]
    text = str(value)
    names = [name.partition(".")[0] for name in placeholders(text)]
    if any(answers.get(name) is None for name in names):
        return None
    whole = PLACEHOLDER.fullmatch(text)
    answer = answers.get(names[0]) if whole and names else None
    return list(answer.texts) if answer and len(answer.texts) > 1 else _filled(text, answers)


def _filled(text: str, answers: Answers) -> str:
    whole = PLACEHOLDER.fullmatch(text)

    def value_of(found: Match[str]) -> str:
        if found.group(1) is None:
            return found.group(0)[0]
        name, _, end = found.group(1).partition(".")
        answer = answers.get(name)
        if answer is None:
            return ""
        if end:
            return str(answer.first if end == "first" else answer.last)
        # The page's author may have set the quotes.
        within_quotes = text[: found.start()].count('"') % 2 == 1
        if whole or within_quotes or not answer.quoted:
            return answer.text
        return ", ".join(f'"{each}"' for each in answer.texts)

    return PLACEHOLDER.sub(value_of, text)


def answers_words(page: Page, answers: Answers, replaced: Collection[str] = ()) -> str:
    """Return the answers as a report notes them: `Which period: 2026-P08; Paid more than: 7500`.

    replaced: options that were given another value than the page's, so that an answer in them alone counts for nothing.
    """
    taken = {name.partition(".")[0] for text in _texts(page, replaced) for name in placeholders(text)}
    taken |= {name for name in answers if any(name in rule.split() for rule in _rules(page, replaced))}
    told = ((page.file.ask[name].label or name, answer) for name, answer in answers.items() if name in taken)
    return "; ".join(f"{label.rstrip('?')}: {answer.text if answer else 'left open'}" for label, answer in told)


def _parts(page: Page, replaced: Collection[str]) -> Iterator[Any]:
    for name, value in page.file.options.items():
        if name not in replaced:
            yield from value if isinstance(value, list) else [value]


def _texts(page: Page, replaced: Collection[str]) -> Iterator[str]:
    yield page.file.report
    for part in _parts(page, replaced):
        yield str(part["words"] if isinstance(part, dict) else part)


def _rules(page: Page, replaced: Collection[str]) -> Iterator[str]:
    yield from (str(part["if"]) for part in _parts(page, replaced) if isinstance(part, dict))
