"""Condition words: `source is CF`, `account from 6100 through 6199 and not (memo contains "dock")`."""

from typing import TYPE_CHECKING

from level_almanac.book.tables import Table
from level_almanac.core.words.parsing import parse, pointed
from level_almanac.errors import AlmanacError, Mistake, listed, nearest
from level_almanac.store.predicate import Every, FieldTest, Not, Operator, Predicate, Some, is_period_word

if TYPE_CHECKING:
    from lark import Token, Tree

_OPERATORS: dict[str, Operator] = {"begins": "begins", "ends": "ends", "contains": "contains"}


def read_condition(text: str, table: Table, where: str, error: type[AlmanacError]) -> Predicate:
    """Return the condition on lines of the table.

    where: the option or key the text comes from; error: what to raise for a mistake, with the word at fault.
    """
    tree = parse(text, "condition", where, error)
    return _Reader(text, table, where, error).read(tree)


class _Reader:
    """Turns the parse tree of one condition into a predicate."""

    def __init__(self, text: str, table: Table, where: str, error: type[AlmanacError]) -> None:
        self.text, self.table, self.where, self.error = text, table, where, error

    def read(self, tree: "Tree[Token]") -> Predicate:
        from lark import Tree  # noqa: PLC0415  not needed where no expression is read

        parts = [self.read(child) for child in tree.children if isinstance(child, Tree)]
        match tree.data:
            case "some":
                return Some(tuple(parts)) if len(parts) > 1 else parts[0]
            case "every":
                return Every(tuple(parts)) if len(parts) > 1 else parts[0]
            case "negated":
                return Not(parts[0])
        tokens: list[Token] = [child for child in tree.children if child is not None]  # type: ignore[misc]  # a test has no subtrees
        field = self._field(tokens[0])
        words = tuple(str(token).strip('"') for token in tokens[1:] if token.type in ("WORD", "QUOTED"))
        if field == "period":
            self._check_period(tokens)
        turned = any(token.type == "NOT" for token in tokens)
        match tree.data:
            case "blank":
                test = FieldTest(field, "blank")
            case "compared":
                test = FieldTest(field, _OPERATORS[str(tokens[1]).lower()], words)
            case "from_through":
                test = FieldTest(field, "through", words)
            case _:
                test = FieldTest(field, "is", words)
        return Not(test) if turned else test

    def _field(self, token: "Token") -> str:
        name = str(token).lower()
        fields = [field.name for field in self.table.fields if field.kind in ("text", "period")]
        if name not in fields:
            what = f"the table {self.table.name} has no such text field"
            raise self.error(self._mistake(token, what, listed(fields), nearest(name, fields)))
        return name

    def _check_period(self, tokens: "list[Token]") -> None:
        allowed = "`period is P13` for that period of any year, or `period is 2025-P13`"
        if any(token.type in ("BEGINS", "ENDS", "CONTAINS", "FROM", "BLANK") for token in tokens):
            raise self.error(self._mistake(tokens[1], "a period cannot be asked for in this way", allowed))
        for token in tokens[1:]:
            if token.type in ("WORD", "QUOTED") and not is_period_word(str(token).strip('"')):
                raise self.error(self._mistake(token, "not a period", allowed))

    def _mistake(self, token: "Token", what: str, allowed: str, hint: str = "") -> Mistake:
        shown = pointed(self.text, token.start_pos or 0, len(token))
        return Mistake(what, self.where, repr(str(token)), allowed, hint, shown=shown)
