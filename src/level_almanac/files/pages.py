"""Pages: reports saved as text files, each with its options and the questions it asks (docs/pages.md)."""

import hashlib
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import InvalidOperation
from functools import cached_property
from pathlib import Path
from typing import Any, Literal, NamedTuple

from level_almanac.files.numbers import exact_number
from level_almanac.files.settings import STRICT
from level_almanac.immutable import immutable

FOLDER = "pages"
BUILT_IN_GROUP = "common"
"""The group of the built-in pages; a page of the book with the same name stands in front of it."""
LOCKS = "locks.toml"
QuestionKind = Literal[
    "year", "quarter", "period", "span", "day", "days", "amount", "count", "choice", "list", "text", "yes-no"
]


@immutable(kw_only=True)
class Question:
    """One `[ask.NAME]`. label: what is asked, in words; default: the answer where none is given, or nothing; least,
    most: the limits of a number, a day or a span, both included, days in words, in which `{NAME}` is an earlier answer;
    longest: the length of a pair of days at most, such as `3 months`; choices: what can be answered; optional: it may
    be left open, and then the options that take it in are left out; when: the rule on an earlier answer under which it
    is asked, and else left open.
    """

    __pydantic_config__ = STRICT
    kind: QuestionKind
    label: str = ""
    default: str = ""
    least: str = ""
    most: str = ""
    longest: str = ""
    choices: list[str] = field(default_factory=list)
    optional: bool = False
    when: str = ""


@immutable(kw_only=True)
class ExplainRule:
    """`[explain]`: which changes need an explanation. column: the change's, by key, label or number; over: its amount
    is more, either way; percent: and more of what it is compared with; totals: of totals too.
    """

    __pydantic_config__ = STRICT
    column: str
    over: str
    percent: str = "0"
    totals: bool = False


@immutable(kw_only=True)
class Tie:
    """One `[[ties]]`: a figure of this page that must be the same on another. turned: with the other sign there."""

    __pydantic_config__ = STRICT
    row: str
    column: str = "1"
    page: str
    with_row: str = ""
    with_column: str = ""
    turned: bool = False


@immutable(kw_only=True)
class PageFile:
    """What stands in a page's file. report: the command with its arguments, as on the command line; options: by their
    long names; ask: its questions by name.
    """

    __pydantic_config__ = STRICT
    report: str
    title: str = ""
    about: str = ""
    options: dict[str, Any] = field(default_factory=dict)
    ask: dict[str, Question] = field(default_factory=dict)
    explain: ExplainRule | None = None
    ties: list[Tie] = field(default_factory=list)


@dataclass(frozen=True)
class Page:
    """A page. text: its file's; path: of the file, or None where it is built in."""

    name: str
    file: PageFile
    text: str
    path: Path | None = None

    @property
    def group(self) -> str:
        """The folder it stands in, empty for the first one."""
        return self.name.rpartition("/")[0]

    @cached_property
    def sha256(self) -> str:
        """The hash of its text."""
        return hashlib.sha256(self.text.encode()).hexdigest()

    @property
    def where(self) -> str:
        """What messages call it."""
        return f"{FOLDER}/{self.name}.toml"


def page_path(root: Path, name: str) -> Path:
    """Return where the book's page of this name stands."""
    return root / FOLDER / f"{name}.toml"


def texts(section: Mapping[str, Any]) -> dict[str, Any]:
    """Return a section with its numbers and days as the texts that they are read from."""
    return {key: _text(value) for key, value in section.items()}


def _text(value: Any) -> Any:
    if isinstance(value, bool | list):
        return value
    return value.isoformat() if isinstance(value, date) else str(value)


def plain_value(value: Any) -> Any:
    """Return an option's value as texts, truth values, and lists of both."""
    if isinstance(value, list):
        return [plain_value(each) for each in value]
    return dict(value) if isinstance(value, dict) else _text(value)


def placeholders(text: str) -> Iterator[str]:
    """Yield the names of the answers that a text of a page takes in: `{limit}`, `{days.first}`."""
    yield from (found.group(1) for found in PLACEHOLDER.finditer(text) if found.group(1))


class AnswerRule(NamedTuple):
    """A rule on an answer: that it is a value, or with negated that it is not."""

    question: str
    value: str
    negated: bool


def read_rule(text: str) -> AnswerRule:
    """Read `NAME`, which means yes, `NAME is VALUE`, and either with `not`."""
    negated = text.startswith("not ")
    name, is_, value = text.removeprefix("not ").partition(" is ")
    if value.startswith("not "):
        negated, value = not negated, value.removeprefix("not ")
    return AnswerRule(name.strip(), value.strip().strip('"') if is_ else "yes", negated)


PLACEHOLDER = re.compile(r"\{\{|\}\}|\{([a-z][a-z0-9_-]*(?:\.(?:first|last))?)\}")
"""An answer's place, or a doubled brace that stands for one brace."""


def is_number(text: str) -> bool:
    """Tell whether a text is an exact number."""
    try:
        exact_number(text)
    except InvalidOperation:
        return False
    return True
