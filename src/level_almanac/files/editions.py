"""Editions: what was issued, with the definitions it was made from and the hash of each of its files."""

import hashlib
import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict, field
from datetime import datetime
from pathlib import Path

from level_almanac.errors import BookMistake, Mistake, UsageMistake, nearest
from level_almanac.files.explanations import FOLDER as EXPLANATIONS
from level_almanac.files.layout_reading import layout_texts
from level_almanac.files.names import is_device
from level_almanac.files.outside import BOOK_FILE, check_allowed, file_reach, kept_as, leads_out, lies_within, place_of
from level_almanac.files.pages import LOCKS, Page, page_path
from level_almanac.files.settings import BookFile
from level_almanac.files.stamps import carry_stamps
from level_almanac.immutable import immutable

FOLDER = "editions"
BOOK = "book"
"""The folder of an edition that holds the book's definitions as they were."""
FIGURES = "figures"
REPORTS = "reports"
RECORD = "edition.json"
SEAL = "seal"
FORMAT = 1
_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]*")
_TAKEN = ("parts", "now")
"""The folder of the data, and what `edition compare` calls the book as it is."""


@immutable(kw_only=True)
class IssuedPage:
    """A page of an edition. words: the command it came to; answers: by question; lock: in words; sha256: of its file;
    figures, files: where they stand in the edition; findings: checks of its proof that do not hold.
    """

    name: str
    title: str
    words: list[str]
    answers: dict[str, str] = field(default_factory=dict)
    lock: str = ""
    sha256: str = ""
    figures: str = ""
    files: list[str] = field(default_factory=list)
    findings: list[str] = field(default_factory=list)


@immutable(kw_only=True)
class Edition:
    """The record of an edition. made_with: the program and its version; when: the option and the day or id that it was
    made for; covers: the same in words; data: lines by table; through: up to when each table's exports were said to be
    complete; set_aside: lines left out at loading as wrong, by table; ties: the figures that agree across pages, in
    words; files: the hash of each; rules: the number of those that its figures were made by.
    """

    format: int = FORMAT
    name: str
    made_with: str
    issued_at: str
    when: dict[str, str]
    covers: str
    formats: list[str]
    pages: list[IssuedPage]
    loaded_at: str
    data: dict[str, int]
    through: dict[str, str]
    ties: list[str] = field(default_factory=list)
    unexplained: list[str] = field(default_factory=list)
    files: dict[str, str] = field(default_factory=dict)
    rules: int = 1
    set_aside: dict[str, int] = field(default_factory=dict)


def check_edition_name(root: Path, name: str) -> None:
    """Raise UsageMistake where an edition cannot be called this, or one is."""
    if not _NAME.fullmatch(name) or name in _TAKEN or is_device(name) or name.endswith("."):
        allowed = "letters, digits, full stops, hyphens and underscores, such as 2026-P08"
        raise UsageMistake(Mistake("not a name for an edition", "NAME", repr(name), allowed))
    if (root / FOLDER / name).exists():
        step = f"issue it under another name, such as {name}-b"
        raise UsageMistake(Mistake("an edition is never written over", "NAME", repr(name), next_step=step))


def edition_names(root: Path) -> list[str]:
    """Return the names of the book's editions."""
    return sorted(path.parent.name for path in (root / FOLDER).glob(f"*/{RECORD}") if path.parent.name[0] != ".")


def edition_folder(root: Path, name: str) -> Path:
    """Return the folder of an edition; raise UsageMistake where there is none of this name."""
    folder = root / FOLDER / name
    if not _NAME.fullmatch(name) or not (folder / RECORD).is_file():
        hint = nearest(name, edition_names(root)) or "`almanac edition list` tells the names"
        raise UsageMistake(Mistake("no edition has this name", "NAME", repr(name), next_step=hint))
    links = [path for path in folder.rglob("*") if path.is_symlink()]
    check_allowed(
        root, [reach for path in links for reach in file_reach(root, path, path.relative_to(root).as_posix())]
    )
    return folder


def read_edition(folder: Path) -> Edition:
    """Return the record of the edition in this folder; raise BookMistake where it cannot be read."""
    where = f"{FOLDER}/{folder.name}/{RECORD}"
    try:
        plain = json.loads((folder / RECORD).read_text(encoding="utf-8"))
        if plain["format"] != FORMAT:
            step = f"it was issued with {plain['made_with']}; use that"
            raise BookMistake(Mistake("an edition of another format", where, str(plain["format"]), next_step=step))
        edition = Edition(**{**plain, "pages": [IssuedPage(**page) for page in plain["pages"]]})
        for moment in (edition.issued_at, edition.loaded_at):
            datetime.fromisoformat(moment)
        if any(map(leads_out, _files_named(edition))):
            raise ValueError("it names a file that lies outside of it")
        return edition
    except (OSError, ValueError, KeyError, TypeError, AttributeError) as error:
        raise BookMistake(Mistake("the edition's record cannot be read", where, str(error))) from None


def _files_named(edition: Edition) -> list[str]:
    pages = edition.pages
    return [*edition.files, *(path for page in pages for path in (page.name, page.figures, *page.files))]


def freeze_definitions(file: BookFile, pages: Sequence[Page], folder: Path) -> None:
    """Keep in an edition's folder what its pages are made from, built-in layouts and pages too."""
    kept = folder / BOOK
    texts = {f"layouts/{name}.toml": text for name, text in layout_texts(file.root).items()}
    texts |= {str(page_path(kept, page.name).relative_to(kept)): page.text for page in pages}
    for path, text in texts.items():
        (kept / path).parent.mkdir(parents=True, exist_ok=True)
        (kept / path).write_text(text, "utf-8", "surrogateescape", newline="")
    told = [f"{EXPLANATIONS}/{page.name}.toml" for page in pages]
    logos = [logo for page in pages if isinstance(logo := page.file.options.get("logo"), str) and logo]
    for path in [*_further_files(file), *told, *logos]:
        source = place_of(file.root, path, BOOK_FILE)
        # What lies outside the book is kept within the edition, and found there.
        target = kept / (path if lies_within(file.root, file.root / path) else kept_as(path))
        if source.is_file():
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(source.read_bytes())
    carry_stamps(file.root, kept)


def _further_files(file: BookFile) -> list[str]:
    """Return the files beside layouts and pages that reports depend on, relative to the book."""
    settings = file.settings
    calendars = [settings.calendar, *settings.calendars.values()]
    told = [each.file for each in calendars if each.file]
    return [BOOK_FILE, f"pages/{LOCKS}", *told, *([settings.page.logo] if settings.page.logo else [])]


def definitions_of(folder: Path, edition: Edition) -> dict[str, str]:
    """Return the texts of the definitions that an edition keeps, by their place in a book.

    Explanations and locks are left out: they move no figure.
    """
    front = f"{BOOK}/"
    beside = (f"{front}{EXPLANATIONS}/", f"{front}pages/{LOCKS}")
    return {
        path.removeprefix(front): (folder / path).read_text(encoding="utf-8", errors="replace")
        for path in edition.files
        if path.startswith(front) and not path.startswith(beside)
    }


def hashes_of(folder: Path) -> dict[str, str]:
    """Return the hash of every file of an edition by its path, the record and the seal left out."""
    by_path = {}
    for path in sorted(folder.rglob("*")):
        name = path.relative_to(folder).as_posix()
        if path.is_file() and name not in (RECORD, SEAL):
            with path.open("rb") as stream:
                by_path[name] = hashlib.file_digest(stream, "sha256").hexdigest()
    return by_path


def write_record(folder: Path, edition: Edition) -> str:
    """Write an edition's record and its seal, the hash over all, and return that."""
    raw = (json.dumps(asdict(edition), ensure_ascii=False, indent=1) + "\n").encode()
    (folder / RECORD).write_bytes(raw)
    seal = hashlib.sha256(raw).hexdigest()
    (folder / SEAL).write_text(f"{seal}\n", encoding="ascii")
    return seal


def seal_of(folder: Path) -> str:
    """Return the seal that stands in an edition's folder, empty where it is gone."""
    try:
        return (folder / SEAL).read_text(encoding="ascii", errors="replace")
    except OSError:
        return ""


def broken_files(folder: Path, edition: Edition) -> list[str]:
    """Return in words what is not as it was issued: the record, and files that are changed, gone or new."""
    raw = (folder / RECORD).read_bytes()
    broken = [] if seal_of(folder) == f"{hashlib.sha256(raw).hexdigest()}\n" else [f"{RECORD} does not fit the seal"]
    there: Mapping[str, str] = hashes_of(folder)
    for name, sha256 in edition.files.items():
        if name not in there:
            broken.append(f"{name} is gone")
        elif there[name] != sha256:
            broken.append(f"{name} was changed")
    return broken + [f"{name} was not part of it" for name in there if name not in edition.files]


def record_facts(edition: Edition) -> dict[str, str]:
    """Return what an edition was issued for, when and by what, as facts of a report."""
    return {
        "edition": edition.name,
        "covers": edition.covers,
        "issued": edition.issued_at,
        "made_with": edition.made_with,
    }
