"""Codes of lines that no line of the table they lead to has."""

from collections.abc import Sequence
from typing import NamedTuple

from level_almanac.store.engine import Engine


class UnknownCodes(NamedTuple):
    """What was found in one field: how many lines have such a code, how many codes there are, how many lines have none
    at all, and of the first codes, the commonest first, how many lines each has.
    """

    lines: int
    codes: int
    blank: int
    first: tuple[tuple[str, int], ...]


def unknown_codes(
    engine: Engine, parts: Sequence[str], field: str, linked: tuple[Sequence[str], str], known: Sequence[str], most: int
) -> UnknownCodes | None:
    """Return what lines have in a field that leads to another table, and is not there; None where all is.

    linked: the parts of that table, and the field that is its key; known: codes that stand for others of it.
    """
    there, key = linked
    rows = engine.rows(
        f"""select line."{field}" as code, count(*) as lines
            from read_parquet($parts, union_by_name = true) as line
            left join (select distinct "{key}" as known from read_parquet($there, union_by_name = true)) as linked
                on linked.known = line."{field}"
            where linked.known is null group by line."{field}" order by lines desc, code""",
        {"parts": list(parts), "there": list(there)},
    )
    blank = sum(lines for code, lines in rows if code is None)
    found = [(str(code), int(lines)) for code, lines in rows if code is not None and code not in known]
    return UnknownCodes(sum(lines for _, lines in found), len(found), blank, tuple(found[:most])) if found else None
