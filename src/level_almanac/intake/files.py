"""Which files the intake blocks name."""

from dataclasses import dataclass
from pathlib import Path

from level_almanac.book.settings import BookFile, IntakeBlock
from level_almanac.errors import BookMistake, Mistake, nearest


@dataclass(frozen=True, slots=True)
class ExportFile:
    """One file to be loaded: its path, its name relative to the book, and its block with the block's number."""

    path: Path
    name: str
    block: IntakeBlock
    number: int


def export_files(book: BookFile) -> list[ExportFile]:
    """Return the files of all blocks in the order of their names.

    Raises BookMistake for a name or pattern that fits no file, and for a file that two blocks would take.
    """
    mistakes: list[Mistake] = []
    taken: dict[str, ExportFile] = {}
    for number, block in enumerate(book.settings.intake, 1):
        for pattern in block.file_patterns:
            where = f"intake[{number}].files"
            paths = _matching(book.root, pattern)
            if not paths:
                mistakes.append(_nothing_fits(book.root, pattern, where))
            for path in paths:
                name = path.relative_to(book.root).as_posix()
                if name in taken and taken[name].number != number:
                    other = f"intake[{taken[name].number}]"
                    mistakes.append(Mistake(f"{other} takes this file too", where, name, "one block for each file"))
                taken.setdefault(name, ExportFile(path, name, block, number))
    if not any(block.table == "accounts" for block in book.settings.intake):
        step = 'add one with table = "accounts"'
        mistakes.append(Mistake("no [[intake]] block names the chart of accounts", "almanac.toml", next_step=step))
    if mistakes:
        raise BookMistake(*mistakes)
    return [taken[name] for name in sorted(taken)]


def _matching(root: Path, pattern: str) -> list[Path]:
    if Path(pattern).is_absolute() or ".." in Path(pattern).parts:
        return []
    return sorted(path for path in root.glob(pattern) if path.is_file())


def _nothing_fits(root: Path, pattern: str, where: str) -> Mistake:
    if Path(pattern).is_absolute() or ".." in Path(pattern).parts:
        return Mistake("the path leads out of the book", where, repr(pattern), "a path within the book's folder")
    folder = (root / pattern).parent
    there = [path.relative_to(root).as_posix() for path in folder.glob("*")] if "*" not in str(folder) else []
    return Mistake("there is no such file", where, repr(pattern), next_step=nearest(pattern, there))
