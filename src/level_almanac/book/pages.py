"""Pages: reports saved as text files, each with its options and the questions it asks (docs/pages.md)."""

import hashlib
import re
import tomllib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal, InvalidOperation
from functools import cached_property
from importlib import resources
from pathlib import Path
from typing import Any, Literal

from level_almanac.book.settings import STRICT
from level_almanac.book.stamps import is_stamped, stamp
from level_almanac.errors import BookMistake, Mistake, UsageMistake, listed, nearest

FOLDER = "pages"
BUILT_IN_GROUP = "common"
"""The group of the built-in pages; a page of the book with the same name stands in front of it."""
LOCKS = "locks.toml"
_NAME = re.compile(r"[a-z0-9]+(-[a-z0-9]+)*(/[a-z0-9]+(-[a-z0-9]+)*)*")
QuestionKind = Literal["year", "quarter", "period", "day", "days", "amount", "choice", "list", "text", "yes-no"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """One `[ask.NAME]`. label: what is asked, in words; default: the answer where none is given, or nothing; least,
    most: the limits of an amount, a day or a span, both included, days in words; longest: the length of a pair of days
    at most, such as `3 months`; choices: what can be answered; optional: it may be left open, and then the options
    that take it in are left out.
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


@dataclass(frozen=True, slots=True, kw_only=True)
class ExplainRule:
    """`[explain]`: which changes need an explanation. column: the change's, by key, label or number; over: its amount
    is more, either way; percent: and more of what it is compared with; totals: of totals too.
    """

    __pydantic_config__ = STRICT
    column: str
    over: str
    percent: str = "0"
    totals: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Tie:
    """One `[[ties]]`: a figure of this page that must be the same on another. turned: with the other sign there."""

    __pydantic_config__ = STRICT
    row: str
    column: str = "1"
    page: str
    with_row: str = ""
    with_column: str = ""
    turned: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
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


def page_names(root: Path) -> list[str]:
    """Return the names of the book's pages."""
    folder = root / FOLDER
    found = (path.relative_to(folder).with_suffix("").as_posix() for path in folder.rglob("*.toml"))
    return sorted(name for name in found if f"{name}.toml" != LOCKS)


def built_in_names() -> list[str]:
    """Return the names of the pages that every book has to copy from."""
    found = resources.files(__package__).joinpath(FOLDER, BUILT_IN_GROUP).iterdir()
    return sorted(
        f"{BUILT_IN_GROUP}/{file.name.removesuffix('.toml')}" for file in found if file.name.endswith(".toml")
    )


def check_name(name: str, option: str = "NAME") -> None:
    """Raise UsageMistake where a page cannot be called this."""
    if not _NAME.fullmatch(name) or f"{name}.toml" == LOCKS:
        allowed = "small letters, digits and hyphens, with / after a group, such as month-end/income"
        raise UsageMistake(Mistake("not a name for a page", option, repr(name), allowed))


def page_path(root: Path, name: str) -> Path:
    """Return where the book's page of this name stands."""
    return root / FOLDER / f"{name}.toml"


def read_page(root: Path, name: str) -> Page:
    """Return the book's page of this name, or the built-in one.

    Raises UsageMistake where there is none, BookMistake with every mistake in it.
    """
    called = name.removeprefix(f"{FOLDER}/").removesuffix(".toml")
    path = page_path(root, called)
    if _NAME.fullmatch(called) and path.is_file():
        return _read(root, path, called)
    if called in built_in_names():
        text = resources.files(__package__).joinpath(FOLDER, f"{called}.toml").read_text(encoding="utf-8")
        return Page(called, _file(tomllib.loads(text, parse_float=Decimal)), text)
    known = [*page_names(root), *built_in_names()]
    within = [each for each in known if each.startswith(f"{called.rstrip('/')}/")]
    if within:
        raise UsageMistake(Mistake("this is a group of pages", "PAGE", repr(name), listed(within)))
    # The group is often what was forgotten.
    hint = next((f"did you mean {each!r}?" for each in known if each.endswith(f"/{called}")), nearest(called, known))
    step = hint or "`almanac page list` tells the names"
    raise UsageMistake(Mistake("no page has this name", "PAGE", repr(name), next_step=step))


def pages_named(root: Path, names: tuple[str, ...]) -> list[str]:
    """Return the names of the pages that names of pages or of groups mean, in their order and once each.

    Raises UsageMistake for a name that means none.
    """
    known = [*page_names(root), *built_in_names()]
    found: dict[str, None] = {}
    for name in names:
        called = name.strip().rstrip("/")
        meant = [each for each in known if each == called or each.startswith(f"{called}/")]
        if not meant:
            read_page(root, called)
        found.update(dict.fromkeys(meant))
    return list(found)


def _read(root: Path, path: Path, name: str) -> Page:
    where, raw = f"{FOLDER}/{name}.toml", path.read_bytes()
    try:
        text = raw.decode("utf-8")
        plain = tomllib.loads(text, parse_float=Decimal)
    except UnicodeDecodeError:
        raise BookMistake(Mistake("not UTF-8 text", where)) from None
    except tomllib.TOMLDecodeError as error:
        raise BookMistake(Mistake("not TOML", where, str(error))) from None
    if not is_stamped(root, where, raw):
        from level_almanac.book.page_checking import page_mistakes  # noqa: PLC0415  heavy: pydantic

        mistakes = page_mistakes(plain, where)
        if mistakes:
            raise BookMistake(*mistakes)
        stamp(root, where, raw)
    return Page(name, _file(plain), text, path)


def _file(plain: dict[str, Any]) -> PageFile:
    return PageFile(
        report=plain["report"],
        title=plain.get("title", ""),
        about=plain.get("about", ""),
        options={name: plain_value(value) for name, value in plain.get("options", {}).items()},
        ask={name: _question(section) for name, section in plain.get("ask", {}).items()},
        explain=ExplainRule(**texts(plain["explain"])) if "explain" in plain else None,
        ties=[Tie(**texts(each)) for each in plain.get("ties", [])],
    )


def _question(section: Mapping[str, Any]) -> Question:
    return Question(**texts(section))


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


PLACEHOLDER = re.compile(r"\{\{|\}\}|\{([a-z][a-z0-9_-]*(?:\.(?:first|last))?)\}")
"""An answer's place, or a doubled brace that stands for one brace."""


def is_number(text: str) -> bool:
    """Tell whether a text is an exact number."""
    try:
        return Decimal(text).is_finite()
    except InvalidOperation:
        return False
