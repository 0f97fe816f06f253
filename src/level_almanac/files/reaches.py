"""All that a book reaches for outside its folder, and which files its patterns name."""

from pathlib import Path

from level_almanac.files.outside import Reach, file_reach, leads_out, links_out, url_reaches
from level_almanac.files.settings import BookFile


def fitting(root: Path, pattern: str) -> list[Path]:
    """Return the files of a book that fit a pattern of its intake; none for one that leads out of it."""
    if leads_out(pattern):
        return []
    # A name may have signs in it that a pattern has too; the file of just this name is what is meant then.
    if (root / pattern).is_file():
        return [root / pattern]
    # A book may have been written where folders are told apart by another sign.
    plain = pattern.replace("\\", "/")
    return sorted(path for path in root.glob(plain) if path.is_file()) if not leads_out(plain) else []


def reaches_of(book: BookFile) -> list[Reach]:
    """Return all that a book reaches for outside its folder, in the order of its settings; links come last."""
    found = list[Reach]()
    settings = book.settings
    named = [("calendar.file", settings.calendar.file), ("page.logo", settings.page.logo)]
    named += [(f"calendars.{name}.file", each.file) for name, each in settings.calendars.items()]
    for where, name in named:
        found += file_reach(book.root, book.root / name, where) if name else ()
    for number, block in enumerate(settings.intake, 1):
        if block.format == "sql":
            found += url_reaches(book.root, block.url, f"intake[{number}].url")
        for path in (path for pattern in block.file_patterns for path in fitting(book.root, pattern)):
            found += file_reach(book.root, path, f"intake[{number}].files")
    return list({reach.what: reach for reach in [*links_out(book.root), *found]}.values())
