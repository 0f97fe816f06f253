"""One export for several tables: the condition of the lines that a block takes, on the export's own heads."""

import re
from collections.abc import Sequence

from level_almanac.errors import BookMistake, Mistake, listed, nearest
from level_almanac.intake.files import ExportFile
from level_almanac.store.binding import Binding
from level_almanac.store.predicate import Predicate, fields_in, sql_of


def head_word(head: str) -> str:
    """Return a head as a condition names it: small letters, and `_` for what is neither letter nor digit."""
    return re.sub(r"[^a-z0-9]+", "_", head.lower()).strip("_")


def taken_test(file: ExportFile, heads: Sequence[str], condition: Predicate | None, bind: Binding) -> str:
    """Return the SQL test of the records that a block takes, or nothing where it takes all.

    condition: its `only`, whose fields are heads as `head_word` writes them. Raises BookMistake for one that the export
    lacks.
    """
    if condition is None:
        return ""
    words = [head_word(head) for head in heads]
    for name in sorted(fields_in(condition)):
        if name not in words:
            what, where = "the export has no such head", f"intake[{file.number}].only"
            raise BookMistake(Mistake(what, where, repr(name), listed(words), nearest(name, words)))
    return sql_of(condition, bind, lambda name: f"c{words.index(name)}")
