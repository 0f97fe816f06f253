"""How many lines have which sign, by what says which sign they are to have."""

from collections.abc import Sequence

from level_almanac.store.engine import Engine, Row


def lines_by_sign(
    engine: Engine, parts: Sequence[str], field: str, amount: str, *, ordinary: bool = False
) -> list[Row]:
    """Return (value of a field, its first file, lines above zero, lines below zero), blank values left out.

    field: a field of the table, or empty for all lines at once; amount: the field that has the sign; ordinary: whether
    only ordinary ledger entries are asked for.
    """
    value = f'"{field}"' if field else "''"
    test = " where entry_class = 'ordinary'" if ordinary else ""
    return engine.rows(
        f"""select {value} as value, min(file), count(*) filter (where "{amount}" > 0),
                count(*) filter (where "{amount}" < 0)
            from read_parquet($parts, union_by_name = true){test} group by 1 having value is not null order by 1""",
        {"parts": list(parts)},
    )
