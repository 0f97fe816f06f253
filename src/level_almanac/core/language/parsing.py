"""Parse an expression with the grammar, or say where it goes wrong and what could stand there."""

import re
from collections.abc import Mapping
from functools import cache
from typing import TYPE_CHECKING, Any, Literal

from level_almanac.errors import AlmanacError, Mistake, listed, nearest

if TYPE_CHECKING:
    from lark import Lark

Node = Any
"""A token or a tree of the parser's: a tree's children can be either, and only the grammar tells which."""
Start = Literal["columns", "condition", "day", "formula", "computed", "fields", "sorts"]
SPANS = (
    "day", "wtd", "mtd", "ptd", "qtd", "ytd", "week", "month", "period", "quarter", "year", "opening", "closing",
    "to date",
)  # fmt: skip
_WORDS_OF_TERMINAL = {
    "SPAN": SPANS,
    "UNIT": ("days", "weeks", "months", "periods", "quarters", "years"),
    "VARIANCE": ("variance",),
    "EDGE": ("start of", "end of"),
    "WHICH": ("this", "last", "next"),
    "ISO": ("a day",),
    "ID": ("an id",),
    "AS_OF": ("as-of",),
    "NUMBER": ("a number",),
    "CODE": ("a code",),
    "NAME": ("a name",),
    "SIGN": ("'+'", "'-'"),
    "TIMES": ("'*'", "'/'"),
    "EQUAL": ("'='",),
    "SHARE": ("share of",),
    "AGGREGATE": ("sum of", "average of", "minimum of", "maximum of"),
    "AGGREGATED": ("sum of", "average of"),
    "HOW_MANY": ("how many",),
    "DESCENDING": ("descending",),
    "AT": ("at least", "at most"),
    "AMPERSAND": ("'&'",),
    "REST": ("rest of",),
    "LAST": ("last",),
    "__ANON_0": ("of",),
    "PRIOR": ("prior",),
    "LAST_YEAR": ("last year",),
    "CHANGE": ("change",),
    "PERCENT": ("'%'",),
    "SEMICOLON": ("';'",),
    "COMMA": ("','",),
    "LPAR": ("'('",),
    "RPAR": ("')'",),
    "FIELD": ("a field",),
    "LINKED": ("a field of a linked table",),
    "QUOTED": ("a text in quotes",),
    "WORD": ("a word",),
    "$END": ("the end",),
}

_SHORT = {
    "SPAN": ("a span such as ptd or ytd",),
    "ISO": (),
    "ID": (),
    "TODAY": (),
    "AS_OF": (),
    "EDGE": (),
    "LAST": (),
    "REST": (),
    "AGGREGATED": (),
    "HOW_MANY": (),
    "LPAR": (),
}


def pointed(text: str, start: int, length: int) -> str:
    """Return the expression on one line and carets under the words meant on the next, indented by two.

    Of one that is very long the part about these words is shown.
    """
    flat = re.sub(r"\s", " ", text)
    if len(flat) > _MOST_POINTED:
        first = max(0, start - _BEFORE_POINTED)
        more = "…" if first + _MOST_POINTED < len(flat) else ""
        flat, start = f"{'…' if first else ''}{flat[first : first + _MOST_POINTED]}{more}", start - first + bool(first)
    return f"  {flat}\n  {' ' * start}{'^' * min(max(length, 1), max(len(flat) - start, 1))}"


@cache
def _parser() -> "Lark":
    import lark

    from level_almanac.core.language import tables

    if lark.__version__ == tables.LARK:
        # As the parsers that lark generates do it; the name is private, so only for the version that was tried.
        load: Any = lark.Lark._load_from_dict  # type: ignore[attr-defined,unused-ignore]  # it has no types
        made: lark.Lark = load(data=tables.DATA, memo=tables.MEMO)
        return made
    from level_almanac.core.language.build_tables import built

    return built()


_MOST_POINTED, _BEFORE_POINTED = 400, 120
"""How many letters of an expression a message shows, and how many of them before the words that it means."""
_MOST_LETTERS, _MOST_DEEP, _MOST_SIGNS = 20_000, 40, 200
_COUNTED = re.compile(r'"[^"]*"|\d{31,}|[()]|(?<=\S)\s*[-+*/]')


def _check_size(text: str, where: str, error: type[AlmanacError]) -> None:
    """Raise the error for an expression that is longer, deeper or larger than a person writes one."""
    if len(text) > _MOST_LETTERS:
        raise error(
            Mistake("the expression is too long", where, f"{len(text):,} letters", f"{_MOST_LETTERS:,} at the most")
        )
    depth = signs = 0
    for match in _COUNTED.finditer(text):
        sign = match[0].strip()
        depth += {"(": 1, ")": -1}.get(sign, 0)
        signs += sign in "-+*/"
        what = ""
        if sign[0].isdigit():
            what, allowed = "a number of too many digits", "30 at the most"
        elif depth > _MOST_DEEP:
            what, allowed = "parentheses within parentheses, too deep", f"{_MOST_DEEP} at the most"
        elif signs > _MOST_SIGNS:
            what, allowed = "too many terms", f"{_MOST_SIGNS} at the most"
        if what:
            raise error(Mistake(what, where, f"letter {match.start() + 1}", allowed))


_OF_CONDITIONS: Mapping[str, str] = {
    **dict.fromkeys(("=", "==", "equals", "equal", "eq"), "is"),
    **dict.fromkeys(("!=", "<>", "!", "ne"), "is not"),
    **dict.fromkeys((">", "greater", "more", "larger", "above", "exceeds", "gt"), "over"),
    **dict.fromkeys((">=", "=>", "ge", "gte"), "at least"),
    **dict.fromkeys(("<", "less", "smaller", "below", "lt"), "under"),
    **dict.fromkeys(("<=", "=<", "le", "lte"), "at most"),
    **dict.fromkeys(("like", "ilike", "includes", "has", "matches"), "contains, begins or ends"),
    **dict.fromkeys(("starts", "startswith"), "begins"),
    **dict.fromkeys(("endswith",), "ends"),
    **dict.fromkeys(("&", "&&"), "and"),
    **dict.fromkeys(("|", "||"), "or"),
}
"""What is written here in place of the signs and words that people know from elsewhere."""
_IN_PLACE: Mapping[str, Mapping[str, str]] = {
    "condition": _OF_CONDITIONS,
    "computed": _OF_CONDITIONS,
    "columns": {"before": "prior", "previous": "prior", "vs": "change of A over B", "versus": "change of A over B"},
}


def _instead(found: str, start: Start) -> str:
    word = _IN_PLACE.get(start, {}).get(found.lower(), "")
    return f"write {word}" if word else ""


def parse(text: str, start: Start, where: str, error: type[AlmanacError]) -> Node:
    """Return the parse tree of `text`. where: the option or key it comes from; error: what to raise for a mistake."""
    from lark.exceptions import UnexpectedCharacters, UnexpectedToken

    _check_size(text, where, error)
    try:
        return _parser().parse(text, start=start)
    except UnexpectedCharacters as unexpected:
        position, expected = int(unexpected.pos_in_stream or 0), unexpected.allowed or set()
    except UnexpectedToken as unexpected:
        ended = unexpected.token.type == "$END"
        position = len(text) if ended else int(unexpected.token.start_pos or 0)
        expected = unexpected.accepts or set()
    before = re.search(r"[\w.-]+(?=\s*$)", text[:position])
    if before is not None and _instead(before[0], start):
        # A word from elsewhere can pass for a name, so that only what follows it cannot stand there.
        position = before.start()
    match = re.match(r"[\w.-]+|[<>=!&|]+|\S", text[position:])
    found = match[0] if match else ""
    could = sorted({word for name in expected for word in _WORDS_OF_TERMINAL.get(name, (name.lower(),))})
    # A column can start in so many ways that naming each would bury the answer; the nearest word is still found.
    told = sorted(
        {word for name in expected for word in _SHORT.get(name, _WORDS_OF_TERMINAL.get(name, (name.lower(),)))}
    )
    what = "this cannot stand here" if found else "the expression ends too early"
    raise error(
        Mistake(
            what,
            where,
            repr(found) if found else "",
            listed(told),
            _instead(found, start) or nearest(found, could) if found else "",
            shown=pointed(text, position, len(found)),
        )
    )
