"""The heads of an export's columns: how fields are mapped to them, and how conditions name them."""

import re
import unicodedata
from collections.abc import Sequence

from level_almanac.errors import BookMistake, Mistake, listed, nearest
from level_almanac.store.binding import Binding
from level_almanac.store.predicate import Predicate, fields_in, sql_of

SHEET, FILE, MEMBER = "<sheet>", "<file>", "<member>"
HEAD, CELL = "<head>", "<cell>"
ABOUT_FILE = (SHEET, FILE, MEMBER)
"""What stands for the name of the sheet, of the file without its ending, and of the archive's member."""


def head_word(head: str) -> str:
    """Return a head as a condition names it: small letters, and `_` for what is neither letter nor digit."""
    word = re.sub(r"[^a-z0-9]+", "_", head.lower()).strip("_")
    return f"column_{word}" if word.isdigit() else word


def column_of(name: str, heads: Sequence[str]) -> int | None:
    """Return the number of the column with this head: as it is written, or else the only one that differs from it in
    capitals, marks of quotation or spaces alone; None where there is none.
    """
    if name in heads:
        return heads.index(name)
    alike = [at for at, head in enumerate(heads) if _folded(head) == _folded(name)]
    return alike[0] if len(alike) == 1 and _folded(name) else None


def _folded(head: str) -> str:
    plain = unicodedata.normalize("NFKC", head).casefold()
    return "".join(letter for letter in plain if not letter.isspace() and letter not in "\"'\u00ad\ufeff")


def test_of(condition: Predicate, heads: Sequence[str], where: str, bind: Binding) -> str:
    """Return the SQL test of the records that meet a condition, whose fields are heads as `head_word` writes them.

    where: the key that states it. Raises BookMistake for a head that the export lacks.
    """
    words = [head_word(head) for head in heads]
    for name in sorted(fields_in(condition)):
        if name not in words:
            what = "the export has no such head"
            known = listed(word for word in words if word)
            raise BookMistake(Mistake(what, where, repr(name), known, nearest(name, words)))
    return sql_of(condition, bind, lambda name: f"c{words.index(name)}")
