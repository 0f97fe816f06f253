"""Which files the intake blocks name."""

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path, PurePosixPath
from typing import NamedTuple

from level_almanac.errors import BookMistake, Mistake, nearest
from level_almanac.files.outside import check_allowed, file_reach, leads_out
from level_almanac.files.reaches import fitting
from level_almanac.files.settings import BookFile, IntakeBlock
from level_almanac.files.tables import tables_of
from level_almanac.immutable import immutable
from level_almanac.intake.formats.sheet_records import sheet_names
from level_almanac.intake.formats.unpacked import members_of


class Stretch(NamedTuple):
    """Some records of an export: its bytes from one place to another, or rows of a Parquet file; ahead: how many lines,
    or rows, stand before them.
    """

    begin: int
    end: int
    ahead: int


@immutable
class ExportFile:
    """One file, one sheet of it or one member of an archive, to be loaded into one table: its path, its name relative
    to the book, its block with that one's number.

    A query of a database has no path; it is called by the name that its block gives it. name: what messages and lines
    call it, with the sheet or member where several of a file are taken, and with its block where several take it into
    one table; export: the file's name alone; unit: with its sheet or member; stretch: which of its records are read, or
    None for all.
    """

    path: Path | None
    name: str
    block: IntakeBlock
    number: int
    export: str = ""
    unit: str = ""
    sheet: str = ""
    member: str = ""
    stretch: Stretch | None = None

    @property
    def key(self) -> tuple[str, str]:
        """The table and the name: what tells one such from every other."""
        return self.block.table, self.name

    @property
    def stem(self) -> str:
        """The file's name without its folder and ending."""
        return PurePosixPath(self.export).stem


def export_files(book: BookFile) -> list[ExportFile]:
    """Return the files of all blocks in the order of their names, each sheet and member that is taken as one.

    Raises BookMistake for a name or pattern that fits no file, and for a file that two blocks would take whole without
    saying so, or one that is a link out of the book's folder and not allowed.
    """
    mistakes: list[Mistake] = []
    named: dict[tuple[str, int], Path | None] = {}
    for number, block in enumerate(book.settings.intake, 1):
        for path, name in _named(book, number, block, mistakes):
            named.setdefault((name, number), path)
    tables = tables_of(book.settings.tables)
    with_accounts = [
        block
        for block in book.settings.intake
        if block.table == "accounts" or (tables[block.table].is_placed and tables[block.table].field("account"))
    ]
    if with_accounts and not any(block.table == "accounts" for block in with_accounts):
        step = 'add one with table = "accounts"'
        mistakes.append(Mistake("no [[intake]] block names the chart of accounts", "almanac.toml", next_step=step))
    if mistakes:
        raise BookMistake(*mistakes)
    links = [reach for (name, _), path in named.items() if path for reach in file_reach(book.root, path, name)]
    check_allowed(book.root, links)
    found: list[ExportFile] = []
    for (name, number), path in named.items():
        block = book.settings.intake[number - 1]
        found += _units(ExportFile(path, name, block, number, name, name, _one(block.sheet), block.member))
    found = _called(found)
    for file in found:
        others = [each for each in found if each.unit == file.unit and each.number < file.number]
        mistakes += _taken_twice(file, others)
    if mistakes:
        raise BookMistake(*mistakes)
    return sorted(found, key=lambda each: (each.unit, each.number))


def _one(sheet: str | list[str]) -> str:
    return sheet if isinstance(sheet, str) else ""


def _units(file: ExportFile) -> list[ExportFile]:
    """Return a file as it is, or each sheet or member of it where its block takes all."""
    if file.path is None:
        return [file]
    if file.block.member == "*":
        return [replace(file, member=member) for member in members_of(file.path, file.name)]
    if file.block.sheet == "*":
        names = sheet_names(file.path, file.name, file.block.format)
        return [replace(file, sheet=sheet) for sheet in names]
    if not isinstance(file.block.sheet, str):
        return [replace(file, sheet=sheet) for sheet in file.block.sheet]
    return [file]


def _called(files: Sequence[ExportFile]) -> list[ExportFile]:
    """Return the files with the names that tell them apart."""
    parts: dict[str, set[tuple[str, str]]] = {}
    for file in files:
        parts.setdefault(file.export, set()).add((file.member, file.sheet))
    several = {file.export for file in files if "*" in (file.block.sheet, file.block.member)}
    several |= {file.export for file in files if not isinstance(file.block.sheet, str)}
    several |= {export for export, found in parts.items() if len(found) > 1}
    units = []
    for file in files:
        within = "".join(f"[{part}]" for part in (file.member, file.sheet) if part)
        units.append(replace(file, unit=file.export + within if file.export in several else file.export))
    alike = Counter((file.block.table, file.unit) for file in units)
    return [
        replace(
            file, name=file.unit if alike[file.block.table, file.unit] == 1 else f"{file.unit} ({_block_name(file)})"
        )
        for file in units
    ]


def _block_name(file: ExportFile) -> str:
    return file.block.name or f"intake[{file.number}]"


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


def _taken_twice(file: ExportFile, others: Sequence[ExportFile]) -> Iterator[Mistake]:
    for other in others:
        chosen = file.block.only and other.block.only
        shared = file.block.shares_records and other.block.shares_records
        if not (chosen or shared):
            where, what = f"intake[{file.number}].files", f"intake[{other.number}] takes this file too"
            step = "blocks that share a file say which lines each takes, as `only`, or `shares_records = true`"
            yield Mistake(what, where, file.unit, "one block for each file", step)
        elif file.key == other.key:
            where, step = f"intake[{file.number}].name", "give each block a name of its own"
            yield Mistake(f"intake[{other.number}] is called so too", where, repr(file.block.name), next_step=step)


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
