"""The same line in two exports: kept once, from the file that comes first by its path, whatever the order of loading;
or, where a block says that the later one wins, another line under its key in its stead.

What does not count is held in shadow parts, so that nothing is lost when a file changes or goes.
"""

from collections.abc import Mapping, Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any, NamedTuple

from level_almanac.files.tables import Table
from level_almanac.immutable import immutable
from level_almanac.store.binding import Binding
from level_almanac.store.engine import Engine, GatheringEngine
from level_almanac.store.lines import order_of


@immutable
class Clash:
    """Two lines under one key that cannot both be right, each as file and line number."""

    key: tuple[str, ...]
    first: tuple[str, int]
    second: tuple[str, int]
    same_content: bool


class Later(NamedTuple):
    """Of which exports a later line wins.

    files: by name, how late each is; field: the one that tells it, or empty where the files do.
    """

    files: Mapping[str, str] = {}
    field: str = ""


class Shadows(NamedTuple):
    """How many lines of a file do not count: copies of others', and those that a later export's stand in for."""

    copies: int
    superseded: int


def _key(table: Table) -> str:
    return ", ".join(f'"{name}"' for name in table.key)


def files_with(engine: Engine, touched: Sequence[str], journals: Sequence[str]) -> set[str]:
    """Return which exports have any journal of the lines in these parts. journals: the parts of theirs."""
    rows = engine.rows(
        """select distinct each.file from read_parquet($journals) as each
            semi join read_parquet($touched, union_by_name = true) as lines
                on each.entity = lines.entity and each.journal = lines.journal""",
        {"touched": list(touched), "journals": list(journals)},
    )
    return {file for (file,) in rows}


def _is_told(table: Table, name: str) -> bool:
    """Tell whether no line lacks this field."""
    field = table.field(name)
    return field is not None and (field.required or bool(field.default))


def find_repeats(
    engine: Engine,
    table: Table,
    parts: Mapping[str, Sequence[str]],
    later: Later,
    touched: Sequence[str] | None = None,
) -> bool:
    """Collect the lines whose key stands more than once in these parts; return whether there are any.

    parts: by export; touched: parts that hold all keys which may stand more than once, where that is known: what
    changed, and what stood more than once before.
    """
    of_all: dict[str, Any] = {"parts": [part for each in parts.values() for part in each]}
    if not of_all["parts"]:
        return False
    keys, read = f"hash({_key(table)})", "read_parquet($parts, union_by_name = true)"
    source = f"(select {keys} as key, file from {read})"
    if touched is not None and all(_is_told(table, name) for name in table.key):
        engine.make(
            "touched",
            f"select distinct {_key(table)} from read_parquet($touched, union_by_name = true)",
            {"touched": list(touched)},
        )
        engine.make("keys", f"select {keys} as key, file from {read} semi join touched using ({_key(table)})", of_all)
        source, of_all = "keys", {}
    engine.make("repeated_keys", f"select key from {source} group by key having count(*) > 1", of_all)
    if not engine.rows("select 1 from repeated_keys limit 1"):
        return False
    # All of a line is looked at in the exports only that have any of these keys.
    files = engine.rows(f"select distinct file from {source} semi join repeated_keys using (key)", of_all)
    named = ", ".join(f"'{field.name}': \"{field.name}\"" for field in table.fields)
    bound = Binding()
    ranks = bound.table({"file": "varchar", "lateness": "varchar"}, later.files.items())
    engine.make("later_files", f"select file, lateness from {ranks}", bound.values)
    told = f"\"{later.field}\"::varchar || ' ' || file" if later.field else "lateness"
    engine.make(
        "repeats",
        f"""select {_key(table)}, file, file_line, {{{named}}} as fields,
                case when lateness is not null then coalesce({told}, '') end as later
            from (select lines.*, lateness from {read} as lines left join later_files using (file))
            where {keys} in (select key from repeated_keys)
            qualify count(*) over (partition by {_key(table)}) > 1""",
        {"parts": [part for (file,) in files for part in parts[file]]},
    )
    return bool(engine.rows("select 1 from repeats limit 1"))


def clashes(engine: Engine, table: Table, limit: int) -> tuple[list[Clash], int]:
    """Return the first keys that stand twice in one file, or over different lines, and how many such keys there are."""
    rows = engine.rows(
        f"""select {_key(table)}, count(distinct fields) = 1, count(*) over ()
            from repeats group by {_key(table)}
            having (count(distinct fields) > 1 or count(*) > count(distinct file))
                and not (count(later) = count(*) and count(distinct later) = count(*))
            order by {_key(table)} limit {limit}"""
    )
    repeated = []
    for row in rows:
        *key, same, _ = row
        first, second = _pair(engine, table, key, same=same)
        repeated.append(Clash(tuple(key), first, second, same))
    return repeated, rows[0][-1] if rows else 0


def _pair(engine: Engine, table: Table, key: list[str], *, same: bool) -> tuple[tuple[str, int], tuple[str, int]]:
    values = {f"k{number}": value for number, value in enumerate(key)}
    where = " and ".join(f'"{name}" is not distinct from $k{number}' for number, name in enumerate(table.key))
    rows = engine.rows(f"select file, file_line, fields from repeats where {where} order by file, file_line", values)
    if same:
        # A copy in another file is no mistake: show the two that stand in one file.
        return next((one[:2], other[:2]) for one, other in pairwise(rows) if one[0] == other[0])
    first = rows[0]
    second = next((row for row in rows[1:] if row[2] != first[2]), rows[1])
    return (first[0], first[1]), (second[0], second[1])


def write_shadows(engine: GatheringEngine, table: Table, target: Path) -> dict[str, Shadows]:
    """Write which lines do not count, of those that `find_repeats` found; return, per file, how many those are."""
    key = _key(table)
    engine.write(
        f"""select file, file_line, {key}, superseded from (
                select file, file_line, {key},
                    row_number() over kept as place,
                    fields is distinct from first_value(fields) over kept as superseded
                from repeats
                window kept as (partition by {key} order by later desc nulls last, file, file_line
                    rows between unbounded preceding and current row))
            where place > 1 order by file, file_line""",
        target,
    )
    rows = engine.rows(
        """select file, count(*) filter (where not superseded), count(*) filter (where superseded)
            from read_parquet($shadows) group by file""",
        {"shadows": str(target)},
    )
    return {file: Shadows(copies, replaced) for file, copies, replaced in rows}


def are_kept(engine: Engine, table: Table, file: str, shadows: Path, shadow: str) -> bool:
    """Tell whether the lines of an export that do not count are those in its shadow part.

    shadows: what `write_shadows` wrote.
    """
    now = f"select file_line, {_key(table)} from read_parquet($shadows) where file = $file"
    before = f"select file_line, {_key(table)} from read_parquet($shadow)"
    rows = engine.rows(
        f"select count(*) from (({now} except {before}) union all ({before} except {now}))",
        {"file": file, "shadows": str(shadows), "shadow": shadow},
    )
    return rows == [(0,)]


def rewrite(
    engine: GatheringEngine, table: Table, parts: Sequence[str], shadows: Path | None, target: Path, *, copies: bool
) -> None:
    """Write the lines of one file anew: those that count, or those that do not.

    shadows: what `write_shadows` wrote, or None where all lines count.
    """
    # Several lines can come from one row of an export; the key tells them apart.
    same = " and ".join(f'lines."{name}" is not distinct from shadows."{name}"' for name in table.key)
    without = f"""{"semi" if copies else "anti"} join read_parquet($shadows) as shadows on lines.file = shadows.file
        and lines.file_line = shadows.file_line and {same}"""
    engine.write(
        f"""select lines.* from read_parquet($parts, union_by_name = true) as lines
            {without if shadows else ""} order by {order_of(table)}""",
        target,
        {"parts": list(parts), "shadows": str(shadows)},
    )


class SupersededLine(NamedTuple):
    """A line that another stands in for. key: the values of its key; by: file and line of the other; changes: of each
    field that differs, its name, the value before and the value that counts.
    """

    file: str
    file_line: int
    key: tuple[object, ...]
    by: str
    changes: tuple[tuple[str, object, object], ...]


def superseded_lines(
    engine: Engine, key: Sequence[str], fields: Sequence[str], shadows: Sequence[str], parts: Sequence[str]
) -> list[SupersededLine]:
    """Return the lines of shadow parts that differ from the line under their key that counts."""
    same = " and ".join(f'old."{name}" is not distinct from new."{name}"' for name in key)
    keys = ", ".join(f'old."{name}"' for name in key)
    read = "read_parquet(${}, union_by_name = true)"
    # The ledger's parts keep no field that they are computed from.
    there = engine.columns([*shadows, *parts])
    others = [name for name in fields if name not in key and name in there]
    differs = " or ".join(f'old."{name}" is distinct from new."{name}"' for name in others) or "false"
    values = "".join(f', old."{name}", new."{name}"' for name in others)
    rows = engine.rows(
        f"""select old.file, old.file_line, new.file, new.file_line, {keys}{values}
            from {read.format("shadows")} as old join {read.format("parts")} as new on {same}
            where {differs} order by 1, 2""",
        {"shadows": list(shadows), "parts": list(parts)},
    )
    found = []
    for file, line, by_file, by_line, *rest in rows:
        pairs = zip(others, rest[len(key) :: 2], rest[len(key) + 1 :: 2], strict=True)
        changes = tuple((name, one, other) for name, one, other in pairs if one != other)
        found.append(SupersededLine(file, line, tuple(rest[: len(key)]), f"{by_file}:{by_line}", changes))
    return found
