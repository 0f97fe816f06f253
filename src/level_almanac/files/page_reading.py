"""Read pages: the book's own, and those that every book has to copy from."""

import re
import tomllib
from collections.abc import Mapping
from decimal import Decimal
from importlib import resources
from pathlib import Path
from typing import Any

from level_almanac.errors import BookMistake, Mistake, UsageMistake, listed, nearest
from level_almanac.files.definition import read_definition
from level_almanac.files.names import is_device
from level_almanac.files.pages import (
    BUILT_IN_GROUP,
    FOLDER,
    LOCKS,
    ExplainRule,
    Page,
    PageFile,
    Question,
    Tie,
    page_path,
    plain_value,
    texts,
)

_NAME = re.compile(r"[a-z0-9]+(-[a-z0-9]+)*(/[a-z0-9]+(-[a-z0-9]+)*)*")


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
    if not _NAME.fullmatch(name) or f"{name}.toml" == LOCKS or is_device(name):
        allowed = "small letters, digits and hyphens, with / after a group, such as month-end/income"
        raise UsageMistake(Mistake("not a name for a page", option, repr(name), allowed))


def read_page(root: Path, name: str) -> Page:
    """Return the book's page of this name, or the built-in one.

    Raises UsageMistake where there is none, BookMistake with every mistake in it.
    """
    called = name.removeprefix(f"{FOLDER}/").removesuffix(".toml")
    path = page_path(root, called)
    if _NAME.fullmatch(called) and path.is_file():
        text, plain = read_definition(root, f"{FOLDER}/{called}.toml", "page:page_mistakes")
        return Page(called, _file(plain), text, path)
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


def page_of(name: str, text: str) -> Page:
    """Return a page that is not saved yet; raises BookMistake with every mistake in its text."""
    from level_almanac.files.validation.page import page_mistakes

    plain = tomllib.loads(text, parse_float=Decimal)
    mistakes = page_mistakes(plain, f"{FOLDER}/{name}.toml")
    if mistakes:
        raise BookMistake(*mistakes)
    return Page(name, _file(plain), text)


def pages_named(root: Path, names: tuple[str, ...]) -> list[str]:
    """Return the names of the pages that names of pages or of groups mean, in their order and once each.

    Raises UsageMistake for a name that means none.
    """
    known = [*page_names(root), *built_in_names()]
    pages: dict[str, None] = {}
    for name in names:
        called = name.strip().rstrip("/")
        meant = [each for each in known if each == called or each.startswith(f"{called}/")]
        if not meant:
            read_page(root, called)
        pages.update(dict.fromkeys(meant))
    return list(pages)


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
