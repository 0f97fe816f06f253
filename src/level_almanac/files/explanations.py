"""Explanations: what a person wrote of single figures of a page, kept in text files of the book (docs/pages.md)."""

import tomllib
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.busy import writing_texts
from level_almanac.files.pages import is_number
from level_almanac.immutable import immutable
from level_almanac.whole_file import write_whole

FOLDER = "explanations"
_HEAD = "# Explanations of single figures; `almanac explain` writes them, and each counts for its period alone.\n"
_KEYS = ("period", "row", "column", "figure", "text", "by", "written")


@immutable(kw_only=True)
class WrittenExplanation:
    """One explanation. period: the fiscal period that the figure ends in; row, column: the figure's keys; figure: what
    it was, as an exact number; by: who wrote it; written: the day.
    """

    period: str
    row: str
    column: str
    figure: str
    text: str
    by: str = ""
    written: str = ""

    @property
    def place(self) -> tuple[str, str, str]:
        """What it is an explanation of."""
        return (self.period, self.row, self.column)


def explanations_path(root: Path, page: str) -> Path:
    """Return where the explanations of a page stand."""
    return root / FOLDER / f"{page}.toml"


def read_explanations(root: Path, page: str) -> list[WrittenExplanation]:
    """Return the explanations of a page's figures; raise BookMistake where their file is not right."""
    path = explanations_path(root, page)
    where = f"{FOLDER}/{page}.toml"
    try:
        plain: dict[str, Any] = tomllib.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError:
        return []
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise BookMistake(Mistake("not TOML", where, str(error))) from None
    sections = plain.get("explanation", [])
    if not isinstance(sections, list) or not all(isinstance(section, dict) for section in sections):
        raise BookMistake(Mistake("not allowed here", f"{where}: explanation", allowed="[[explanation]] blocks"))
    explanations, mistakes = [], list[Mistake]()
    for number, section in enumerate(sections, 1):
        place = f"{where}: explanation[{number}]"
        missing = [key for key in _KEYS[:5] if not isinstance(section.get(key), str)]
        if missing:
            mistakes.append(Mistake("this key is missing, or no text", f"{place}.{missing[0]}"))
        elif unknown := [key for key in section if key not in _KEYS]:
            mistakes.append(Mistake("unknown key", f"{place}.{unknown[0]}", allowed=", ".join(_KEYS)))
        elif not is_number(section["figure"]):
            mistakes.append(Mistake("not a number", f"{place}.figure", repr(section["figure"]), "such as -1971.85"))
        else:
            explanations.append(WrittenExplanation(**{key: str(value) for key, value in section.items()}))
    if mistakes:
        raise BookMistake(*mistakes)
    return explanations


def keep_explanation(root: Path, page: str, explanation: WrittenExplanation) -> Path:
    """Write an explanation, in place of the one that its figure has for the period, and return the file's path."""
    with writing_texts(root):
        kept = [each for each in read_explanations(root, page) if each.place != explanation.place]
        return _write(root, page, [*kept, explanation])


def drop_explanation(root: Path, page: str, place: tuple[str, str, str]) -> bool:
    """Take the explanation of a figure out; return whether there was one."""
    with writing_texts(root):
        found = read_explanations(root, page)
        kept = [each for each in found if each.place != place]
        _write(root, page, kept)
        return len(kept) < len(found)


def _write(root: Path, page: str, explanations: Sequence[WrittenExplanation]) -> Path:
    import tomlkit

    path = explanations_path(root, page)
    path.parent.mkdir(parents=True, exist_ok=True)
    document = tomlkit.parse(path.read_text(encoding="utf-8") if path.exists() else _HEAD)
    before: Any = document.get("explanation", [])
    sections = tomlkit.aot()
    for each in explanations:
        plain = {key: value for key, value in asdict(each).items() if value}
        # A section that stays keeps its comments.
        same = next((section for section in before if dict(section) == plain), None)
        if same is None:
            same = tomlkit.table()
            same.update(plain)
        sections.append(same)
    document["explanation"] = sections
    write_whole(path, tomlkit.dumps(document))
    return path
