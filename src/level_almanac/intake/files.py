"""Which files the intake blocks name."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from level_almanac.errors import BookMistake, Mistake, nearest
from level_almanac.files.outside import check_allowed, file_reach, leads_out
from level_almanac.files.reaches import fitting
from level_almanac.files.settings import BookFile, IntakeBlock


@dataclass(frozen=True, slots=True)
class ExportFile:
    """One file to be loaded into one table: its path, its name relative to the book, its block with that one's number.

    A query of a database has no path; it is called by the name that its block gives it.
    """

    path: Path | None
    name: str
    block: IntakeBlock
    number: int

    @property
    def key(self) -> tuple[str, str]:
        """The table and the name: what tells one such from every other."""
        return self.block.table, self.name


def export_files(book: BookFile) -> list[ExportFile]:
    """Return the files of all blocks in the order of their names.

    Raises BookMistake for a name or pattern that fits no file, and for a file that two blocks would take whole, or into
    one table, or one that is a link out of the book's folder and not allowed.
    """
    mistakes: list[Mistake] = []
    taken: dict[str, list[ExportFile]] = {}
    for number, block in enumerate(book.settings.intake, 1):
        for path, name in _named(book, number, block, mistakes):
            others = [each for each in taken.get(name, []) if each.number != number]
            mistakes += _taken_twice(name, number, block, others)
            if not any(each.number == number for each in taken.get(name, [])):
                taken.setdefault(name, []).append(ExportFile(path, name, block, number))
    if not any(block.table == "accounts" for block in book.settings.intake):
        step = 'add one with table = "accounts"'
        mistakes.append(Mistake("no [[intake]] block names the chart of accounts", "almanac.toml", next_step=step))
    if mistakes:
        raise BookMistake(*mistakes)
    found = [file for name in sorted(taken) for file in taken[name]]
    links = [reach for file in found if file.path for reach in file_reach(book.root, file.path, file.name)]
    check_allowed(book.root, links)
    return found


def _named(
    book: BookFile, number: int, block: IntakeBlock, mistakes: list[Mistake]
) -> Iterator[tuple[Path | None, str]]:
    if block.format == "sql":
        yield None, f"sql:{block.name}"
    for pattern in block.file_patterns:
        paths = fitting(book.root, pattern)
        if not paths:
            mistakes.append(_nothing_fits(book.root, pattern, f"intake[{number}].files"))
        for path in paths:
            name = path.relative_to(book.root).as_posix()
            if not _is_text(name):
                mistakes.append(Mistake("the file's name is not text", f"intake[{number}].files", repr(name)))
            yield path, name


def _taken_twice(name: str, number: int, block: IntakeBlock, others: Sequence[ExportFile]) -> Iterator[Mistake]:
    for other in others:
        where, what = f"intake[{number}].files", f"intake[{other.number}] takes this file too"
        if not (block.only and other.block.only):
            step = "blocks that share a file say which lines each takes, as `only`"
            yield Mistake(what, where, name, "one block for each file", step)
        elif other.block.table == block.table:
            yield Mistake(f"{what}, into the same table", where, name, "another table")


def _is_text(name: str) -> bool:
    try:
        return bool(name.encode())
    except UnicodeEncodeError:
        return False


def _nothing_fits(root: Path, pattern: str, where: str) -> Mistake:
    if leads_out(pattern):
        return Mistake("the path leads out of the book", where, repr(pattern), "a path within the book's folder")
    folder = (root / pattern).parent
    there = [path.relative_to(root).as_posix() for path in folder.glob("*")] if "*" not in str(folder) else []
    return Mistake("there is no such file", where, repr(pattern), next_step=nearest(pattern, there))
