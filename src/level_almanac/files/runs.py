"""What was last run in a book: the last report's command, and the answers of each run of a page."""

import json
import os
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path
from typing import Any

from level_almanac.files.stamps import STORE_FOLDER
from level_almanac.immutable import immutable
from level_almanac.whole_file import write_whole

_LAST = "last-report.json"
_ANSWERS = "answers.jsonl"


@immutable
class Answers:
    """The answers of one run of a page. at: when, in words."""

    page: str
    at: str
    answers: Mapping[str, str]


@immutable
class LastPage:
    """The page that the last report was made by. options: as it was run, with its questions in them; answers: those
    that were given in place of its defaults.
    """

    name: str
    options: Mapping[str, Any]
    answers: Mapping[str, str]


def keep_last(root: Path, words: tuple[str, ...], page: LastPage | None = None) -> None:
    """Keep the words of a report's command, and by which page it was made; a book on a read-only disk keeps none."""
    with suppress(OSError, TypeError):
        (root / STORE_FOLDER).mkdir(exist_ok=True)
        plain = {"words": list(words), **({"page": asdict(page)} if page else {})}
        write_whole(root / STORE_FOLDER / _LAST, json.dumps(plain), lasting=False)


def last_words(root: Path) -> tuple[str, ...]:
    """Return the words of the last report's command, none where no report was made."""
    plain = _last(root)
    try:
        return tuple(map(str, plain["words"] if isinstance(plain, dict) else plain))
    except (KeyError, TypeError):
        return ()


def last_page(root: Path) -> LastPage | None:
    """Return the page that the last report was made by, or None where it was made by none."""
    plain = _last(root)
    try:
        return LastPage(**plain["page"])
    except (KeyError, TypeError, IndexError):
        return None


def _last(root: Path) -> Any:
    try:
        return json.loads((root / STORE_FOLDER / _LAST).read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return ()


def keep_answers(root: Path, answers: Answers) -> None:
    """Add the answers of one run; a book on a read-only disk keeps none."""
    line = json.dumps({"page": answers.page, "at": answers.at, "answers": dict(answers.answers)})
    try:
        with (root / STORE_FOLDER / _ANSWERS).open("a+b") as stream:
            # A line that a killed run cut short must not swallow this one.
            size = stream.seek(0, os.SEEK_END)
            stream.seek(max(size - 1, 0))
            whole = not size or stream.read(1) == b"\n"
            stream.write(f"{'' if whole else chr(10)}{line}\n".encode())
    except OSError:
        pass


def kept_answers(root: Path, page: str) -> list[Answers]:
    """Return the answers of every run of a page, oldest first; a line cut short by a killed run is passed over."""
    kept = []
    try:
        lines = (root / STORE_FOLDER / _ANSWERS).read_text(encoding="utf-8", errors="replace").split("\n")
    except OSError:
        return []
    for line in lines:
        try:
            plain = json.loads(line)
            if plain["page"] == page:
                kept.append(Answers(page, str(plain["at"]), {str(k): str(v) for k, v in plain["answers"].items()}))
        except (ValueError, KeyError, TypeError, AttributeError):
            continue
    return kept
