"""Make the grammar's tables ahead: `python -m level_almanac.core.language.build_tables` writes `tables.py` anew.

Building them takes longer than a small report takes to run, so they are kept, for the version of lark that made them;
with another version they are built from the grammar each time, which is slower and no less right.
"""

from importlib import resources
from pathlib import Path
from typing import Any

import lark
from lark.grammar import Rule
from lark.lexer import TerminalDef

STARTS = ("columns", "condition", "day", "formula", "computed", "fields", "sorts")


def built() -> lark.Lark:
    """Return the parser of the grammar file."""
    grammar = resources.files(__package__).joinpath("grammar.lark").read_text(encoding="utf-8")
    return lark.Lark(grammar, parser="lalr", start=list(STARTS), maybe_placeholders=True)


def tables() -> tuple[Any, Any]:
    """Return the parser's tables as plain data, and what they refer to."""
    data, memo = built().memo_serialize([TerminalDef, Rule])
    return data, memo


def main() -> None:
    """Write the tables as a module."""
    data, memo = tables()
    text = (
        '"""The grammar\'s tables, made by `build_tables` from `grammar.lark`. Not to be edited."""\n\n'
        f"from typing import Any\n\nLARK = {lark.__version__!r}\nDATA: Any = {data!r}\nMEMO: Any = {memo!r}\n"
    )
    Path(__file__).with_name("tables.py").write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main()
