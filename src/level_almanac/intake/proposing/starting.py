"""What a folder of exports tells of the book that it is to become: entities, the year's start, retained earnings."""

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from level_almanac.files.patterns import day_pattern, period_pattern
from level_almanac.intake.proposing.propose import Proposed
from level_almanac.intake.proposing.structure import Structure
from level_almanac.intake.proposing.words import plain, word_for
from level_almanac.intake.proposing.writing import ProposedBlock
from level_almanac.intake.shaping.head_words import column_of

_RETAINED = (
    "retained earnings", "retained", "kept results", "accumulated profit", "profit brought forward", "gewinnvortrag",
    "ergebnisvortrag", "report a nouveau", "resultados acumulados", "remanente", "winstreserve", "ingehouden winst",
    "zysk z lat ubieglych", "undistributed profit", "carried forward profit",
)  # fmt: skip


class Account(NamedTuple):
    """An account that can take the results of finished years. likely: whether its name says that it does."""

    code: str
    name: str
    likely: bool


class FolderTells(NamedTuple):
    """What exports tell of their book. entities: codes, none where no column has them; year_start: as `MM-DD`, or
    nothing; extra_periods: behind the twelfth; equity: accounts that can take finished years' results.
    """

    entities: tuple[str, ...]
    year_start: str
    extra_periods: int
    equity: tuple[Account, ...]


def told_by(found: Sequence[Proposed]) -> FolderTells:
    """Return what exports tell of the book that they are to be of."""
    entities: dict[str, None] = {}
    starts: Counter[int] = Counter()
    most = 0
    equity: list[Account] = []
    for block, structure in _parts(found):
        for text in _texts(block, structure, "entity"):
            entities.setdefault(text)
        for month, number in _placed(block, structure):
            starts[month] += number == 1
            most = max(most, number)
        if block.keys["table"] == "accounts":
            equity += _equity(block, structure)
    month = starts.most_common(1)[0][0] if starts and starts.most_common(1)[0][1] else 0
    likely = tuple(each for each in equity if each.likely) or tuple(equity)
    return FolderTells(tuple(entities), f"{month:02d}-01" if month else "", max(most - 12, 0), likely)


def _parts(found: Sequence[Proposed]) -> Iterator[tuple[ProposedBlock, Structure]]:
    for each in found:
        for block in each.blocks:
            yield from ((block, structure) for _, structure in each.group.members)


def _texts(block: ProposedBlock, structure: Structure, field: str) -> list[str]:
    head = block.fields.get(field)
    column = column_of(head, structure.heads) if isinstance(head, str) else None
    return structure.texts(column) if column is not None else []


def _placed(block: ProposedBlock, structure: Structure) -> Iterator[tuple[int, int]]:
    """Yield the month and the period's number of each line that has a date and a period by number."""
    date_head, period_head = block.fields.get("posted"), block.fields.get("period")
    if not isinstance(date_head, str) or not isinstance(period_head, str) or period_head.startswith("<"):
        return
    days, periods = column_of(date_head, structure.heads), column_of(period_head, structure.heads)
    told = block.keys.get("dates", "YYYY-MM-DD")
    pattern = day_pattern(told if isinstance(told, str) else told[0])
    expression = period_pattern(block.keys.get("period", "YYYY-PPP"))
    if days is None or periods is None or pattern is None or expression is None:
        return
    for row in structure.rows:
        if max(days, periods) >= len(row.cells):
            continue
        day, match = pattern.read(row.cells[days]), expression.fullmatch(row.cells[periods])
        if day is not None and match and match.groupdict().get("number"):
            yield day.month, int(match["number"])


def _equity(block: ProposedBlock, structure: Structure) -> Iterator[Account]:
    columns = {
        name: column_of(head, structure.heads)
        for name in ("account", "name", "class", "parent")
        if isinstance(head := block.fields.get(name), str)
    }
    parents = {
        row.cells[at] for row in structure.rows if (at := columns.get("parent")) is not None and at < len(row.cells)
    }
    for row in structure.rows:
        told = {name: row.cells[at] for name, at in columns.items() if at is not None and at < len(row.cells)}
        code, name = told.get("account", ""), told.get("name", "")
        likely = any(words in plain(name) for words in _RETAINED)
        is_equity = word_for("class", told.get("class", "")) == "equity"
        if code and code not in parents and (likely or is_equity) and re.search(r"\w", code):
            yield Account(code, name, likely)
