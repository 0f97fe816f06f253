"""Check what `almanac.toml` says of parties, aging, numbering and agreements."""

import re
from collections.abc import Iterator
from itertools import pairwise

from level_almanac.errors import Mistake, listed, nearest
from level_almanac.files.settings import BookSettings
from level_almanac.files.tables import Table, tables_of


def finding_mistakes(settings: BookSettings) -> Iterator[Mistake]:
    """Yield the mistakes in `[parties]`, `[aging]`, `[[numbering]]` and `[[agree]]`; conditions are read in core."""
    same_as = settings.parties.same_as
    for code in same_as:
        if standing_code(code, same_as) is None:
            got = repr(same_as[code])
            yield Mistake("the party is one with itself, at once or by others", f"parties.same_as.{code}", got)
    buckets = settings.aging.buckets
    if not buckets or buckets[0] < 1 or any(high <= low for low, high in pairwise(buckets)):
        yield Mistake("not buckets", "aging.buckets", str(buckets), "whole numbers of days from 1, rising")
    tables = tables_of(settings.tables)
    for number, numbered in enumerate(settings.numbering, 1):
        yield from _field_mistakes(tables, f"numbering[{number}]", numbered.table, "field", numbered.field)
    for number, agreement in enumerate(settings.agree, 1):
        where = f"agree[{number}]"
        for name, side in (("left", agreement.left), ("right", agreement.right)):
            yield from _field_mistakes(tables, f"{where}.{name}", side.table, "by", side.by)
        if bool(agreement.left.by) != bool(agreement.right.by):
            yield Mistake("only one side has a key", where, allowed="`by` on both sides or on neither")
        if not re.fullmatch(r"\d{1,13}(\.\d{1,3})?", agreement.tolerance):
            allowed = "an amount such as '0.05'"
            yield Mistake("not an amount", f"{where}.tolerance", repr(agreement.tolerance), allowed)
    names = [agreement.name for agreement in settings.agree]
    for name in dict.fromkeys(name for name in names if names.count(name) > 1):
        yield Mistake("two agreements have one name", "agree", repr(name))


def _field_mistakes(tables: dict[str, Table], where: str, table: str, key: str, field: str) -> Iterator[Mistake]:
    if table not in tables:
        yield Mistake("unknown table", f"{where}.table", repr(table), listed(tables), nearest(table, tables))
        return
    names = [each.name for each in tables[table].fields if each.kind == "text"]
    if field and field not in names:
        what, hint = f"the table {table} has no such text field", nearest(field, names)
        yield Mistake(what, f"{where}.{key}", repr(field), listed(names), hint)


def standing_code(code: str, same_as: dict[str, str]) -> str | None:
    """Return the code that stands for a party, its own where it is one with no other; None where it leads in a ring."""
    seen = {code}
    while code in same_as:
        code = same_as[code]
        if code in seen:
            return None
        seen.add(code)
    return code
