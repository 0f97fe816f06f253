"""Look at exports and write the `[[intake]]` blocks for them, saying what was unsure of each (docs/loading.md)."""

import tempfile
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.files.tables import Table
from level_almanac.intake.proposing.draft import Known
from level_almanac.intake.proposing.grid import READABLE, grids_of
from level_almanac.intake.proposing.proposal import proposed
from level_almanac.intake.proposing.together import Alike, Group, grouped, with_drift
from level_almanac.intake.proposing.writing import ProposedBlock, comment, merged_sections, text_of


class Proposed(NamedTuple):
    """What is proposed for files that are alike: the blocks, and the files with what was found of them."""

    blocks: list[ProposedBlock]
    group: Group

    def text(self, sections: Mapping[str, Mapping[str, Any]]) -> str:
        """Return the blocks as commented TOML, behind these sections of tables."""
        first = self.group.first.name
        if not self.blocks:
            return (
                f"{comment(f'Nothing is proposed for the sheet {self.group.first.grid.block.sheet!r} of {first}.')}\n"
            )
        name = first if len(self.group.members) == 1 else " and ".join(_few(self.group))
        return text_of(self.blocks, name, self.group.records, sections)

    @property
    def unsure(self) -> list[str]:
        """What was unsure of any of the blocks."""
        return list(dict.fromkeys(words for block in self.blocks for words in block.unsure))


def _few(group: Group) -> list[str]:
    names = sorted({alike.name for alike, _ in group.members})
    return names if len(names) < 3 else [names[0], f"{len(names) - 1} more to {names[-1]}"]


def propose(path: Path, name: str, tables: Mapping[str, Table], entities: Sequence[str], table: str = "") -> str:
    """Return the blocks of one file as commented TOML.

    name: the file's, as the block is to say it; entities: the codes of the book's; table: the one that it feeds, where
    that is known. Raises UsageMistake or BookMistake for a file that cannot be read.
    """
    return whole_text(propose_all([(path, name)], tables, entities, table))


def whole_text(found: Sequence[Proposed], told: Collection[str] = ()) -> str:
    """Return all that is proposed as commented TOML, each table's section once. told: tables of the book."""
    sections = sections_of(found)
    texts = []
    for each in found:
        tables = [block.keys["table"] for block in each.blocks]
        own = {table: sections.pop(table) for table in dict.fromkeys(tables) if table in sections}
        texts.append(each.text({table: section for table, section in own.items() if table not in told}))
    return "\n".join(texts)


def sections_of(found: Sequence[Proposed]) -> dict[str, dict[str, Any]]:
    """Return by table what the book is to say of it."""
    return merged_sections([block for each in found for block in each.blocks])


def propose_all(
    files: Sequence[tuple[Path, str]], tables: Mapping[str, Table], entities: Sequence[str], table: str = ""
) -> list[Proposed]:
    """Return what is proposed for each group of files that are alike; raises as `propose` does."""
    for path, _ in files:
        if not path.is_file():
            raise UsageMistake(Mistake("there is no such file", "FILE", repr(str(path))))
    if table and table not in tables:
        hint = nearest(table, tables)
        raise UsageMistake(Mistake("there is no such table", "--table", repr(table), listed(tables), hint))
    return proposed_for(looked_at(files), tables, entities, table)


def looked_at(files: Sequence[tuple[Path, str]]) -> list[Group]:
    """Return files in groups of those that are alike, each with what was found of it; raises BookMistake."""
    with tempfile.TemporaryDirectory() as work:
        return list(grouped([Alike(path, name, grid) for path, name in files for grid in grids_of(path, Path(work))]))


def proposed_for(
    groups: Sequence[Group], tables: Mapping[str, Table], entities: Sequence[str], table: str = ""
) -> list[Proposed]:
    """Return what is proposed for groups of files."""
    known = Known(tables, entities, table)
    found = []
    for group in groups:
        if group.is_prose:
            found.append(Proposed([], group))
            continue
        blocks = proposed(group.structure, group.first.name, group.files, known)
        with_drift(blocks, group, tables)
        found.append(Proposed(blocks, group))
    return found


def exports_in(paths: Sequence[Path]) -> list[Path]:
    """Return files as they are named, and of folders those that can be exports, in the order of their names."""
    found: list[Path] = []
    for path in paths:
        if path.is_dir():
            found += sorted(each for each in path.rglob("*") if each.is_file() and each.suffix.lower() in READABLE)
        else:
            found.append(path)
    return found
