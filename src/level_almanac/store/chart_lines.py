"""The accounts of a book as they stand in its parts."""

from collections.abc import Sequence

from level_almanac.store.engine import Engine, Row


def chart_lines(engine: Engine, parts: Sequence[str]) -> list[Row]:
    """Return (account, name, class, parent or None, file, line, control or None) of each, ordered by account."""
    return engine.rows(
        """select account, name, "class", parent, file, file_line, control
            from read_parquet($parts, union_by_name = true) order by account""",
        {"parts": list(parts)},
    )


def account_codes(engine: Engine, parts: Sequence[str]) -> tuple[str, ...]:
    """Return the codes of all accounts."""
    return tuple(row[0] for row in chart_lines(engine, parts))
