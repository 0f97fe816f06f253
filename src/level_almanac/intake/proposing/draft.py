"""One block in the making: what is known of its export, and what is said of it so far."""

import builtins
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from level_almanac.files.tables import Table
from level_almanac.immutable import immutable
from level_almanac.intake.proposing.columns import ColumnProfile
from level_almanac.intake.proposing.fit import Fit
from level_almanac.intake.proposing.guesses import date_guess, period_guess
from level_almanac.intake.proposing.structure import Structure
from level_almanac.intake.proposing.words import PLAN_WORDS, plain, word_for
from level_almanac.intake.shaping.head_words import head_word


@immutable
class Known:
    """What is known beside the export. tables: of the book; entities: its codes; table: the one that it feeds, or
    nothing.
    """

    tables: Mapping[str, Table]
    entities: Sequence[str]
    table: str = ""


@dataclass(slots=True)
class Draft:
    """The block of one export. found, columns, fit: what was found of it; name: the file's; files: what the block says
    of its files; keys, fields, set, extra_values: what it says so far; settled: needed fields that are told in another
    way than by a head; taken: heads that are used; unsure: what was unsure; declares: further fields of its table, by
    name the kind.
    """

    found: Structure
    columns: Sequence[ColumnProfile]
    fit: Fit
    name: str
    files: str | list[str]
    known: Known
    keys: dict[str, Any] = field(default_factory=dict)
    fields: dict[str, Any] = field(default_factory=dict)
    set: dict[str, str] = field(default_factory=dict)
    extra_values: dict[str, dict[str, str]] = field(default_factory=dict)
    settled: builtins.set[str] = field(default_factory=builtins.set)
    taken: builtins.set[str] = field(default_factory=builtins.set)
    unsure: list[str] = field(default_factory=list)
    declares: dict[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.keys = {"table": self.table.name, "files": self.files}
        self.unsure = list(self.found.grid.remarks)

    @property
    def table(self) -> Table:
        """The table that it feeds."""
        return self.fit.table

    @property
    def heads(self) -> list[str]:
        """The heads of its columns."""
        return [column.head for column in self.columns]

    @property
    def first_word(self) -> str:
        """What conditions call the first column."""
        return head_word(self.heads[0])


def ours(draft: Draft, name: str, word: str) -> str:
    """Return our word for one of the export in a field with few words, or nothing where it is not known."""
    told = draft.table.field(name)
    if told and word in told.choices:
        return word
    found = word_for(name, word, told.choices if told else ())
    return found if told and found in told.choices else ""


def wide_columns_of(columns: Sequence[ColumnProfile]) -> list[ColumnProfile]:
    """Return the columns whose heads are periods or months, where there are several, with numbers or nothing."""
    found = [
        column
        for column in columns
        if (period_guess([column.head]) or date_guess([column.head]))
        and not re.fullmatch(r"\d{1,2}", column.head)
        and (column.number is not None or column.holds == "blank")
    ]
    return found if len(found) > 1 else []


def scenario_columns(columns: Sequence[ColumnProfile], fit: Fit) -> list[ColumnProfile]:
    """Return the columns of numbers whose heads are names of plans."""
    numbers = [column for column in columns if column.number is not None and column.holds == "number"]
    able = [column for column in numbers if any(word in plain(column.head) for word in PLAN_WORDS)]
    return able if len(able) > 1 and fit.table.plan_of else []


def heads_in(fields: Mapping[str, Any]) -> set[str]:
    """Return the heads that fields are made of."""
    found: set[str] = set()
    for told in fields.values():
        for each in told.values() if isinstance(told, Mapping) else [told]:
            found |= set(each) if isinstance(each, list) else {str(each)}
    return found
