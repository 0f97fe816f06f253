"""Several exports at once: those that have the same columns are of one block, though their heads drift a little."""

import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from pathlib import Path, PurePosixPath

from level_almanac.files.tables import Table
from level_almanac.immutable import immutable
from level_almanac.intake.proposing.grid import Grid
from level_almanac.intake.proposing.structure import Structure, structure_of
from level_almanac.intake.proposing.words import PAYABLE_WORDS, RECEIVABLE_WORDS, head_words, plain
from level_almanac.intake.proposing.writing import ProposedBlock
from level_almanac.intake.shaping.head_words import column_of


@immutable
class Alike:
    """One file, or one sheet or member of it, as rows."""

    path: Path
    name: str
    grid: Grid


@dataclass(slots=True)
class Group:
    """Files of one block: each with its structure."""

    members: list[tuple[Alike, Structure]] = field(default_factory=list)

    @property
    def first(self) -> Alike:
        """The one with the most columns, which the block is made from."""
        return max(self.members, key=lambda each: (len(each[1].heads), each[0].name))[0]

    @property
    def is_prose(self) -> bool:
        """Whether it is a sheet among others that has no rows beneath its heads, as one of notes."""
        return bool(self.first.grid.block.sheet) and not any(found.rows for _, found in self.members)

    @property
    def structure(self) -> Structure:
        """What was found of that one."""
        first = self.first
        return next(found for alike, found in self.members if alike is first)

    @property
    def files(self) -> str | list[str]:
        """What the block says of its files: a name, a pattern that fits them, or their names."""
        names = sorted({alike.name for alike, _ in self.members})
        return names[0] if len(names) == 1 else _pattern(names)

    @property
    def records(self) -> int:
        """How many rows were looked at."""
        return sum(len(found.rows) for _, found in self.members)


def grouped(seen: Sequence[Alike]) -> Iterator[Group]:
    """Yield the files in groups of the same columns, in the order in which they were named."""
    groups: list[Group] = []
    for alike in seen:
        found = structure_of(alike.grid)
        for group in groups:
            other, known = group.members[0]
            told = (_folder(alike), _side(alike.name))
            if other.path != alike.path and told == (_folder(other), _side(other.name)) and _are_alike(known, found):
                group.members.append((alike, found))
                break
        else:
            groups.append(Group([(alike, found)]))
    yield from groups


def _folder(alike: Alike) -> str:
    return str(PurePosixPath(alike.name).parent)


def _are_alike(one: Structure, other: Structure) -> bool:
    block, another = one.grid.block, other.grid.block
    if (block.format, block.sheet, block.delimiter) != (another.format, another.sheet, another.delimiter):
        return False
    mine, theirs = [_meaning(head) for head in one.heads], [_meaning(head) for head in other.heads]
    shared = sum((Counter(mine) & Counter(theirs)).values())
    return shared >= 2 and shared >= max(len(mine), len(theirs)) - 1


def _side(name: str) -> str:
    """Return whose documents a file is of, as its name says: suppliers' or customers'."""
    words = plain(name)
    payable, receivable = (any(word in words for word in known) for known in (PAYABLE_WORDS, RECEIVABLE_WORDS))
    return "" if payable == receivable else "payable" if payable else "receivable"


def _meaning(head: str) -> str:
    """Return what stands for all heads that mean the same as this one."""
    words = plain(head)
    return next((name for name, known in head_words().items() if words == plain(name) or words in known), words)


def _pattern(names: Sequence[str]) -> str | list[str]:
    """Return a pattern of names with a `*` where they differ, or the names where they have too little in common."""
    folders = {str(PurePosixPath(name).parent) for name in names}
    if len(folders) > 1:
        return list(names)
    texts = [PurePosixPath(name).name for name in names]
    start = texts[0]
    for text in texts:
        while not text.startswith(start):
            start = start[:-1]
    end = texts[0]
    for text in texts:
        while not text.endswith(end):
            end = end[1:]
    start = re.sub(r"\d+$", "", start)
    end = re.sub(r"^\d+", "", end)
    if len(start) < 2 or any(len(start) + len(end) > len(text) for text in texts):
        return list(names)
    folder = folders.pop()
    return f"{folder}/{start}*{end}" if folder != "." else f"{start}*{end}"


def with_drift(blocks: Sequence[ProposedBlock], group: Group, tables: Mapping[str, Table]) -> None:
    """Have a group's blocks name the heads that differ between its files, and say which lines are corrected."""
    others = [found for alike, found in group.members if alike is not group.first]
    if not others:
        return
    for block in blocks:
        for name, told in list(block.fields.items()):
            if not isinstance(told, str) or told.startswith("<") or told == "order":
                continue
            heads = [told]
            lacking = False
            for found in others:
                if column_of(told, found.heads) is not None:
                    continue
                same = next((head for head in found.heads if _meaning(head) == _meaning(told)), None)
                lacking = lacking or same is None
                if same is not None and same not in heads:
                    heads.append(same)
            table = tables.get(block.keys["table"])
            needed = table is not None and (each := table.field(name)) is not None and each.required
            if lacking and not needed:
                block.fields[name] = {"head": heads[0] if len(heads) == 1 else heads, "optional": True}
            elif len(heads) > 1:
                block.fields[name] = heads
        _corrected(block, group, tables)


def _corrected(block: ProposedBlock, group: Group, tables: Mapping[str, Table]) -> None:
    """Say that the later line wins where files have other lines under the same keys."""
    table = tables.get(block.keys["table"])
    if table is None:
        return
    heads = [told for name in table.key if isinstance(told := block.fields.get(name), str)]
    if not heads or "order" in heads:
        return
    lines: list[dict[tuple[str, ...], list[str]]] = []
    for _, found in group.members:
        at = [column_of(head, found.heads) for head in heads]
        if None in at:
            return
        lines.append(
            {
                tuple(row.cells[n or 0] for n in at): row.cells
                for row in found.rows
                if len(row.cells) > max(n or 0 for n in at)
            }
        )
    for one, other in combinations(lines, 2):
        if any(one[key] != other[key] for key in one.keys() & other.keys()):
            block.keys = {**block.keys, "later": "wins"}
            dated = all(re.search(r"(19|20)\d{6}|(19|20)\d\d-\d\d-\d\d", alike.name) for alike, _ in group.members)
            if dated:
                block.keys["later_by"] = "date in name"
            block.unsure.append("later: files have other lines under the same keys; the later one's are taken")
            return
