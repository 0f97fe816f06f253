"""What a book reaches outside its own folder. Only a person allows that, never the book (docs/security.md).

What is allowed stands in a note that no book can write, one a book: `file:PATH`, which a folder's path gives for all
within it, `host:NAME:PORT` of a database, and `env:NAME`, a variable of the environment.
"""

import hashlib
import json
import os
import re
import shlex
from collections.abc import Collection, Iterator
from pathlib import Path
from typing import NamedTuple

from level_almanac.errors import BookMistake, Mistake, UsageMistake
from level_almanac.files.database_url import file_in, hosts_in, is_file, variables_in
from level_almanac.files.notes import note_path
from level_almanac.whole_file import write_whole

BOOK_FILE = "almanac.toml"
OWN_FOLDERS = (".almanac", "editions", "explanations", "kept", "layouts", "pages", "set-aside")
_KEPT = "from-outside"
"""The folder of an edition's book that holds copies of files that lie outside the book."""
_REACH = re.compile(r"file:.+|host:.+:\d+|env:\w+")
_WHAT = {
    "file": "this leads out of the book's folder",
    "host": "the book asks a database at this address",
    "env": "the book asks for a variable of the environment",
}


class Reach(NamedTuple):
    """One thing outside a book that it reaches for, as `file:/srv/erp.sqlite`, and where the book says so."""

    what: str
    where: str


def lies_within(root: Path, path: Path) -> bool:
    """Tell whether a path, all links followed, is the folder or lies in it."""
    whole, base = path.resolve(), root.resolve()
    return whole == base or base in whole.parents


def leads_out(name: str) -> bool:
    """Tell whether a path or pattern names what does not lie in a folder, links aside."""
    # A drive alone, or a root without one, leads out too.
    return bool(Path(name).anchor) or ".." in Path(name).parts


def file_reach(root: Path, path: Path, where: str) -> Iterator[Reach]:
    """Yield what a path reaches for, if it leads out of the book."""
    if not lies_within(root, path):
        yield Reach(f"file:{path.resolve()}", where)


def allowed(root: Path) -> tuple[str, ...]:
    """Return what the person has allowed this book to reach for."""
    try:
        return tuple(map(str, json.loads(note_path(root, "allowed").read_text(encoding="utf-8"))["allowed"]))
    except FileNotFoundError:
        return ()
    except (ValueError, KeyError, TypeError):
        step = "delete it, and say again what is allowed, with `almanac allow`"
        path = note_path(root, "allowed")
        raise BookMistake(
            Mistake("the note of what this book may reach is damaged", str(path), next_step=step)
        ) from None


def is_allowed(what: str, granted: Collection[str]) -> bool:
    """Tell whether this may be reached for: as itself, or as a file within a folder that may."""
    if what in granted:
        return True
    kind, _, path = what.partition(":")
    return kind == "file" and any(f"file:{folder}" in granted for folder in Path(path).parents)


def allow(root: Path, reaches: Collection[str]) -> None:
    """Let the book reach for these from now on. Raises UsageMistake for words that name nothing of the kind."""
    for what in reaches:
        if not _REACH.fullmatch(what):
            expected = "file:PATH, host:NAME:PORT or env:NAME"
            raise UsageMistake(Mistake("nothing that can be allowed", "WHAT", repr(what), expected))
    plain = (f"file:{Path(what[5:]).resolve()}" if what.startswith("file:") else what for what in reaches)
    _keep(root, [*allowed(root), *plain])


def forbid(root: Path, reaches: Collection[str]) -> None:
    """Let the book reach for these no longer. Raises UsageMistake for what was not allowed."""
    granted = allowed(root)
    for what in reaches:
        if what not in granted:
            raise UsageMistake(Mistake("this was not allowed", "--not", repr(what), ", ".join(granted)))
    _keep(root, [what for what in granted if what not in reaches])


def _keep(root: Path, granted: Collection[str]) -> None:
    path = note_path(root, "allowed")
    path.parent.mkdir(parents=True, exist_ok=True)
    write_whole(path, json.dumps({"book": str(root.resolve()), "allowed": sorted(set(granted))}, indent=1))


def check_allowed(root: Path, reaches: Collection[Reach]) -> None:
    """Raise BookMistake for each of these that the person has not allowed."""
    if not reaches:
        return
    granted = allowed(root)
    if mistakes := [_not_allowed(reach) for reach in reaches if not is_allowed(reach.what, granted)]:
        raise BookMistake(*mistakes)


def _not_allowed(reach: Reach) -> Mistake:
    kind, _, told = reach.what.partition(":")
    step = f"if you trust the book with it, run `almanac allow {shlex.quote(reach.what)}`"
    return Mistake(_WHAT[kind], reach.where, told, next_step=step)


def place_of(root: Path, name: str, where: str) -> Path:
    """Return where a file stands that the book names, in an edition the copy that it keeps of one from outside.

    Raises BookMistake where it leads out of the book and the person has not allowed that.
    """
    path, kept = root / name, root / kept_as(name)
    if not lies_within(root, path):
        if kept.is_file() and lies_within(root, kept):
            return kept
        check_allowed(root, list(file_reach(root, path, where)))
    return path


def kept_as(name: str) -> str:
    """Return what an edition calls its copy of a file from outside."""
    return f"{_KEPT}/{hashlib.sha256(name.encode()).hexdigest()[:16]}{Path(name).suffix}"


def links_out(root: Path) -> list[Reach]:
    """Return the links among the book's own files and folders that lead out of it."""
    found = [Path(BOOK_FILE)] if (root / BOOK_FILE).is_symlink() else []
    for folder in OWN_FOLDERS:
        if _is_link(root / folder):
            found.append(Path(folder))
        elif (root / folder).is_dir():
            with os.scandir(root / folder) as entries:
                found += [Path(folder, entry.name) for entry in entries if _is_link(Path(entry.path))]
    return [reach for path in found for reach in file_reach(root, root / path, path.as_posix())]


def _is_link(path: Path) -> bool:
    # Windows has links of another kind, which versions of Python before 3.12 cannot tell.
    is_junction = getattr(os.path, "isjunction", None)
    return path.is_symlink() or bool(is_junction and is_junction(path))


def url_reaches(root: Path, url: str, where: str) -> Iterator[Reach]:
    """Yield what a database's url reaches for: variables, a file out of the book, or each of a server's hosts."""
    names = variables_in(url)
    yield from (Reach(f"env:{name}", where) for name in names)
    if is_file(url):
        # What a variable holds is looked at once it may be.
        if not names or all(is_allowed(f"env:{name}", allowed(root)) for name in names):
            yield from file_reach(root, root / file_in(url, os.environ), where)
    else:
        yield from (Reach(f"host:{host}", where) for host in hosts_in(url))
