"""Parse an expression with the grammar, or say where it goes wrong and what could stand there."""

import re
from functools import cache
from importlib import resources
from typing import TYPE_CHECKING, Literal

from level_almanac.errors import AlmanacError, Mistake, listed, nearest

if TYPE_CHECKING:
    from lark import Lark, ParseTree

Start = Literal["columns", "condition"]
SPANS = ("ptd", "qtd", "ytd", "period", "quarter", "year")
_WORDS_OF_TERMINAL = {
    "SPAN": SPANS,
    "PRIOR": ("prior",),
    "LAST_YEAR": ("last year",),
    "CHANGE": ("change",),
    "PERCENT": ("'%'",),
    "SEMICOLON": ("';'",),
    "COMMA": ("','",),
    "LPAR": ("'('",),
    "RPAR": ("')'",),
    "FIELD": ("a field",),
    "QUOTED": ("a text in quotes",),
    "WORD": ("a word",),
    "$END": ("the end",),
}


def pointed(text: str, start: int, length: int) -> str:
    """Return the expression on one line and carets under the words meant on the next, indented by two."""
    flat = re.sub(r"\s", " ", text)
    return f"  {flat}\n  {' ' * start}{'^' * max(length, 1)}"


@cache
def _parser(start: Start) -> "Lark":
    from lark import Lark  # noqa: PLC0415  not needed where no expression is read

    grammar = resources.files(__package__).joinpath("grammar.lark").read_text(encoding="utf-8")
    return Lark(grammar, parser="lalr", start=start, maybe_placeholders=True)


def parse(text: str, start: Start, where: str, error: type[AlmanacError]) -> "ParseTree":
    """Return the parse tree of `text`. where: the option or key it comes from; error: what to raise for a mistake."""
    from lark.exceptions import UnexpectedCharacters, UnexpectedToken  # noqa: PLC0415  as above

    try:
        return _parser(start).parse(text)
    except UnexpectedCharacters as unexpected:
        position, expected = int(unexpected.pos_in_stream or 0), unexpected.allowed or set()
    except UnexpectedToken as unexpected:
        ended = unexpected.token.type == "$END"
        position = len(text) if ended else int(unexpected.token.start_pos or 0)
        expected = unexpected.accepts or set()
    match = re.match(r"[\w.-]+|\S", text[position:])
    found = match[0] if match else ""
    could = sorted({word for name in expected for word in _WORDS_OF_TERMINAL.get(name, (name.lower(),))})
    what = "this cannot stand here" if found else "the expression ends too early"
    raise error(
        Mistake(
            what,
            where,
            repr(found) if found else "",
            listed(could),
            nearest(found, could) if found else "",
            shown=pointed(text, position, len(found)),
        )
    )
