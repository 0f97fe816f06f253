"""What a chart's export leaves to be told: parents by levels or by the length of codes, classes by the parent or by the
book, control accounts by the book.
"""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.settings import BookSettings, IntakeBlock
from level_almanac.intake.files import ExportFile
from level_almanac.intake.shaping.head_words import column_of
from level_almanac.intake.shaping.shape import Conditions, Shape
from level_almanac.intake.shaping.shaped import ShapedExport
from level_almanac.store.binding import Binding
from level_almanac.store.chart_lines import told_accounts, write_told_accounts
from level_almanac.store.engine import WritingEngine
from level_almanac.store.exports import NUMBERED_ROWS
from level_almanac.store.predicate import sql_of

_TOLD = {"parent": 9001, "class": 9002, "control": 9003}
"""The columns that hold what is told, far behind those of any export."""


class _Account(NamedTuple):
    line: int
    code: str
    name: str
    parent: str
    account_class: str
    control: str
    level: str
    by_rule: str


def told_chart(
    engine: WritingEngine,
    work: Path,
    file: ExportFile,
    settings: BookSettings,
    shaped: ShapedExport,
    shape: Shape,
    conditions: Conditions,
) -> tuple[ShapedExport, Shape]:
    """Return the lines of a chart with the parents, classes and control accounts that its export does not tell.

    Raises BookMistake for a level that is none, or that the export lacks.
    """
    block, chart = file.block, settings.chart
    columns = dict(shape.columns)
    if block.parents and block.parents.level:
        level = column_of(block.parents.level, shape.heads)
        if level is None:
            what = f"the head line has no {block.parents.level!r}, the levels"
            raise BookMistake(Mistake(what, f"{file.name}:1"))
        columns["level"] = level
    bound = Binding(raw=str(shaped.raw.path))
    code = f"c{columns['account']}"
    rules = {name: conditions[0, f"chart.classes.{name}"] for name in chart.classes}
    names = {"account": code, "name": f"c{columns['name']}" if "name" in columns else "null"}
    tests = {name: sql_of(rule, bound, lambda field: names[field]) for name, rule in rules.items()}
    found = [
        _Account(int(row[0]), *(str(text or "") for text in row[1:]))
        for row in told_accounts(engine, shaped.raw.rows, bound, columns, tests)
    ]
    parents = _parents(file, block, found)
    classes = _classes(found, parents)
    sides = {account: side for side, accounts in chart.control.items() for account in accounts}
    told = {
        each.line: (parents.get(each.code), classes.get(each.code), each.control or sides.get(each.code))
        for each in found
    }
    before = {each.line: (each.parent or None, each.account_class or None, each.control or None) for each in found}
    if told == before:
        return shaped, shape
    target = work / "chart.parquet"
    write_told_accounts(engine, shaped.raw.rows, bound, told, list(_TOLD.values()), target)
    raw = shaped.raw._replace(path=target, rows=NUMBERED_ROWS)
    return shaped._replace(raw=raw), Shape(
        shape.rows, shape.heads, {**shape.columns, **_TOLD}, shape.totals, shape.only, shape.plain
    )


def _parents(file: ExportFile, block: IntakeBlock, accounts: Sequence[_Account]) -> dict[str, str]:
    """Return the parent of each account that has one."""
    found = {each.code: each.parent for each in accounts if each.parent}
    if block.parents is None:
        return found
    if block.parents.lengths:
        codes = {each.code for each in accounts}
        lengths = sorted(block.parents.lengths, reverse=True)
        for each in accounts:
            above = next((each.code[:n] for n in lengths if n < len(each.code) and each.code[:n] in codes), "")
            if above:
                found.setdefault(each.code, above)
        return found
    above_by_level: dict[int, str] = {}
    for each in accounts:
        if not each.level.isdigit():
            where = f"{file.name}:{each.line}: {block.parents.level}"
            raise BookMistake(Mistake("not a level", where, repr(each.level), "a whole number, 1 at the top"))
        level = int(each.level)
        above_by_level = {depth: code for depth, code in above_by_level.items() if depth < level}
        if above_by_level:
            found.setdefault(each.code, above_by_level[max(above_by_level)])
        above_by_level[level] = each.code
    return found


def _classes(accounts: Sequence[_Account], parents: Mapping[str, str]) -> dict[str, str]:
    """Return the class of each account: its own, or what the book's rules give it, or that of the account above."""
    own = {each.code: each.account_class or each.by_rule for each in accounts}
    found: dict[str, str] = {}
    for code in own:
        at, seen = code, {code}
        while not own.get(at) and parents.get(at) and parents[at] not in seen:
            at = parents[at]
            seen.add(at)
        if own.get(at):
            found[code] = own[at]
    return found
