"""An export that no table fits: a table of the book's own, with its key, kinds, date and likely links."""

import re
from collections.abc import Callable, Mapping, Sequence
from pathlib import PurePosixPath
from typing import Any

from level_almanac.files.tables import Field, Table
from level_almanac.intake.proposing.columns import ColumnProfile, key_of
from level_almanac.intake.proposing.draft import Draft, Known
from level_almanac.intake.proposing.fit import Fit
from level_almanac.intake.proposing.structure import Structure
from level_almanac.intake.proposing.words import heads_for, plain
from level_almanac.intake.proposing.writing import ProposedBlock
from level_almanac.intake.shaping.head_words import head_word


class OwnTable:
    """Makes the block of an export that no table fits, and the table of the book's own that it is to feed."""

    def __init__(
        self,
        found: Structure,
        columns: Sequence[ColumnProfile],
        name: str,
        files: str | list[str],
        known: Known,
        write: Callable[[Draft], list[ProposedBlock]],
    ) -> None:
        self.write = write
        self.found, self.columns, self.name, self.files, self.known = found, columns, name, files, known
        self.table = re.sub(r"[^a-z0-9_]+", "_", plain(PurePosixPath(name).stem)).strip("_") or "lines"
        self.table = re.sub(r"(_?\d+)+$", "", self.table) or "lines"
        if not self.table[0].isalpha() or self.table in known.tables:
            self.table = f"own_{self.table}"

    def block(self) -> ProposedBlock:
        """Return the block, with the section of its table."""
        names = self._names()
        key = key_of(self.found, self.columns)
        kinds = {names[column.at]: _kind(column) for column in self.columns if column.holds != "blank"}
        date = next((name for name, kind in kinds.items() if kind == "date"), "")
        told = [names[column.at] for column in key]
        section: dict[str, Any] = {"key": told, "fields": kinds}
        if date:
            section["date"] = date
        links = self._links(kinds)
        if links:
            section["links"] = links
        fit = _fit_of_own(self.table, self.columns, names, kinds, told)
        (block,) = self.write(Draft(self.found, self.columns, fit, self.name, self.files, self.known))
        block.section = section
        block.unsure.insert(0, f"table: no table fits; {self.table!r} is one of the book's own, with the section below")
        if not told:
            block.unsure.append("key: no columns tell its lines apart")
        return block

    def _names(self) -> dict[int, str]:
        found: dict[int, str] = {}
        for column in self.columns:
            name = head_word(column.head) or f"column_{column.at + 1}"
            name = name if name[0].isalpha() else f"f_{name}"
            while name in found.values():
                name += "_2"
            found[column.at] = name
        return found

    def _links(self, kinds: Mapping[str, str]) -> dict[str, str]:
        """Return the fields that are likely keys of another table, where their names alone do not say so."""
        found = {}
        for column in self.columns:
            name = head_word(column.head)
            if kinds.get(name) != "text" or name in ("party", "account", "item"):
                continue
            for field, table in (("account", "accounts"), ("party", "parties")):
                if table in self.known.tables and heads_for(field, [column.head]) and column.holds == "code":
                    found[name] = table
                    break
        return found


def _fit_of_own(
    table: str, columns: Sequence[ColumnProfile], names: Mapping[int, str], kinds: Mapping[str, str], key: Sequence[str]
) -> Fit:
    own = {column.at: names[column.at] for column in columns if names[column.at] in kinds}
    fields = tuple(
        Field(name, kinds[name], required=name in key)  # type: ignore[arg-type]
        for name in own.values()
    )
    return Fit(Table(table, tuple(key), fields), {own[column.at]: column for column in columns if column.at in own})


def _kind(column: ColumnProfile) -> str:
    if column.holds == "date":
        return "date"
    lengths = {len(text) for text in column.texts}
    counts = all(re.fullmatch(r"[1-9]\d{0,5}|0", text) for text in column.texts) and len(lengths) > 1
    if counts and not re.search(r"\b(no|nr|number|id|code)\b", plain(column.head)):
        return "quantity"
    if column.holds == "number" and column.number:
        whole = all(re.fullmatch(r"\d+", text) for text in column.texts)
        return "quantity" if whole else "amount"
    return "text"
