"""The heads of an export's columns: how fields are mapped to them, and how conditions name them."""

import re
import unicodedata
from collections.abc import Iterable, Mapping, Sequence

from level_almanac.errors import BookMistake, Mistake, listed, nearest
from level_almanac.files.settings import FieldSource
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


def words_of(heads: Sequence[str], sources: Iterable[FieldSource]) -> dict[str, int]:
    """Return the column of each word that conditions can name.

    sources: of fields; where one names several heads, each of them stands for the one that this file has.
    """
    words: dict[str, int] = {}
    for column, head in enumerate(heads):
        words.setdefault(head_word(head), column)
    for source in sources:
        there = next((at for head in source.heads if head and (at := column_of(head, heads)) is not None), None)
        for head in source.heads if there is not None else ():
            words.setdefault(head_word(head), there or 0)
    return words


def test_of(condition: Predicate, words: Mapping[str, int], where: str, bind: Binding) -> str:
    """Return the SQL test of the records that meet a condition. words: the column of each head that it can name.

    where: the key that states it. Raises BookMistake for a head that the export lacks.
    """
    for name in sorted(fields_in(condition)):
        if name not in words:
            what = "the export has no such head"
            known = listed(word for word in words if word)
            raise BookMistake(Mistake(what, where, repr(name), known, nearest(name, words)))
    return sql_of(condition, bind, lambda name: f"c{words[name]}")
