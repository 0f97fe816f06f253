"""The accounts of a book as they stand in its parts."""

from collections.abc import Mapping, Sequence
from pathlib import Path

from level_almanac.store.binding import Binding
from level_almanac.store.engine import Engine, Row, WritingEngine


def chart_lines(engine: Engine, parts: Sequence[str], *, as_exported: bool = False) -> list[Row]:
    """Return (account, name, class, parent or None, file, line, control or None) of each, ordered by account, or as the
    exports have them.
    """
    order = "file, file_line" if as_exported else "account"
    return engine.rows(
        f"""select account, name, "class", parent, file, file_line, control
            from read_parquet($parts, union_by_name = true) order by {order}""",
        {"parts": list(parts)},
    )


def account_codes(engine: Engine, parts: Sequence[str]) -> tuple[str, ...]:
    """Return the codes of all accounts."""
    return tuple(row[0] for row in chart_lines(engine, parts))


def account_classes(engine: Engine, parts: Sequence[str]) -> dict[str, str]:
    """Return the class of each account."""
    return {row[0]: row[2] for row in chart_lines(engine, parts)}


def told_accounts(
    engine: Engine, rows: str, bound: Binding, columns: Mapping[str, int], classes: Mapping[str, str]
) -> list[Row]:
    """Return (line, account, name, parent, class, control, level, class by the book) of a chart's export as texts.

    rows: the FROM clause of its rows; columns: of each field that it has; classes: by class the SQL test of accounts
    that the book gives it.
    """
    fields = [
        f"c{columns[name]}" if name in columns else "null"
        for name in ("account", "name", "parent", "class", "control", "level")
    ]
    cases = " ".join(f"when {test} then {bound(name)}" for name, test in classes.items())
    by_rule = f"case {cases} end" if cases else "null"
    query = f"select file_line, {', '.join(fields)}, {by_rule} from {rows} order by file_line"
    return engine.rows(query, bound.values)


def write_told_accounts(
    engine: WritingEngine,
    rows: str,
    bound: Binding,
    told: Mapping[int, tuple[str | None, ...]],
    columns: Sequence[int],
    target: Path,
) -> None:
    """Write a chart's rows with further columns. told: by line, the texts of these columns."""
    lists = {f"t{number}": [texts[at] for texts in told.values()] for at, number in enumerate(columns)}
    names = ", ".join(f"unnest(${name}::varchar[]) as {name.replace('t', 'c')}" for name in lists)
    engine.run(
        f"create or replace temp table told_accounts as select unnest($lines::bigint[]) as file_line, {names}",
        {"lines": list(told), **lists},
    )
    engine.run(
        f"copy (select * from {rows} as rows join told_accounts using (file_line)) to $target (format parquet)",
        {**bound.values, "target": str(target)},
    )
