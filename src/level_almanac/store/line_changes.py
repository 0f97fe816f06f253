"""Which lines of a table differ between two states: asked only of the parts that the one has and the other has not."""

from collections.abc import Sequence
from typing import Any, NamedTuple

from level_almanac.files.tables import Table
from level_almanac.store.engine import Engine
from level_almanac.store.state import State, Store

_LEDGER_FURTHER = ("entry_class", "fiscal")


class ChangedLine(NamedTuple):
    """A line that is not the same in two states. key: its values, blank where a line has none; before, after: its
    fields by name, with `file` and `file_line`, or None where that state lacks it.
    """

    key: tuple[str, ...]
    before: dict[str, Any] | None
    after: dict[str, Any] | None

    def name(self, first: int = 0) -> str:
        """Return what a report calls it: what there is of its key, from this place on."""
        return "/".join(filter(None, self.key[first:]))


def changed_lines(
    engine: Engine, before: tuple[Store, State], after: tuple[Store, State], table: Table
) -> list[ChangedLine]:
    """Return the lines of a table that were added, removed or altered between two states, in the order of their keys.

    A line that only moved to another place of its export, or to another export, is the same.
    """
    parts = [_parts(side, table.name) for side in (before, after)]
    common = {name for name, _ in parts[0]} & {name for name, _ in parts[1]}
    paths = [[path for name, path in side if name not in common] for side in parts]
    if not any(paths):
        return []
    fields = [*(each.name for each in table.fields), *(_LEDGER_FURTHER if table.name == "ledger" else ())]
    by_key: dict[tuple[str, ...], list[dict[str, Any] | None]] = {}
    for number, (own, other) in enumerate((paths, paths[::-1])):
        for line in _lines_not_in(engine, own, other, fields, table.key):
            key = tuple("" if line[name] is None else str(line[name]) for name in table.key)
            by_key.setdefault(key, [None, None])[number] = line
    return [ChangedLine(key, *sides) for key, sides in sorted(by_key.items())]


def _parts(side: tuple[Store, State], table: str) -> list[tuple[str, str]]:
    store, state = side
    return [(loaded.part, store.path_of(loaded.part)) for loaded in state.files_of(table) if loaded.lines]


def _lines_not_in(
    engine: Engine, own: Sequence[str], other: Sequence[str], fields: Sequence[str], key: Sequence[str]
) -> list[dict[str, Any]]:
    """Return the lines of some parts that others do not hold with the same content, with all of their fields."""
    if not own:
        return []
    names = [*fields, "file", "file_line"]
    mine = _content(engine, own, fields)
    same = ""
    if other:
        theirs = _content(engine, other, fields)
        on = " and ".join(f'own."{name}" is not distinct from other."{name}"' for name in key)
        same = f"""anti join (select *, {theirs} as content from read_parquet($other, union_by_name = true)) as other
            on {on} and own.content = other.content"""
    there = engine.columns(own)
    shown = ", ".join(f'own."{name}"' if name in there else f'null as "{name}"' for name in names)
    rows = engine.rows(
        f"""select {shown}
            from (select *, {mine} as content from read_parquet($own, union_by_name = true)) as own {same}
            order by own.file, own.file_line""",
        {"own": list(own), "other": list(other)},
    )
    return [dict(zip(names, row, strict=True)) for row in rows]


def _content(engine: Engine, parts: Sequence[str], fields: Sequence[str]) -> str:
    """Return what tells a line's content from another's: its fields that are not blank, each with its name."""
    there = engine.columns(parts)
    told = ", ".join(
        f'case when "{name}" is not null then \'{name}=\' || "{name}"::varchar end' for name in fields if name in there
    )
    return f"concat_ws(chr(31), {told})"
