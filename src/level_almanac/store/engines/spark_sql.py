"""The store's SQL as Spark takes it: each statement is transpiled from DuckDB's dialect, its values bound by name.

What is written in the store is plain SQL that means the same to both. What does not is put right here, and only here:

- `read_parquet($parts)` becomes a view over those parts;
- a list that is bound becomes the text of it as JSON, which is one value however long the list is, and which Spark
  reads by the type that it is to have; a short one after `in` becomes its members, by which files are read in part;
- a name of an order after `over` stands in brackets, since `over name - 1` would be read as the name `name-1`;
- whole numbers of up to 38 digits are decimals;
- patterns are told that only a line feed ends a line and that letters beyond ASCII have capitals too, as DuckDB's do;
  `$` is the end, and not also what stands before a last line feed; what stands for a group is written `$1` for `\\1`;
- `İ` and `Σ` become the small letters that DuckDB takes them for, whatever stands beside them;
- that something is to be computed once is left out, since Spark finds out itself.
"""

import json
import re
from collections.abc import Callable, Mapping, Sequence
from datetime import date
from decimal import Decimal
from functools import lru_cache
from typing import Any, NamedTuple

from level_almanac.store.engine import Values

_FEW = 200
"""How many members a list after `in` may have for each to be bound by itself."""
_PATTERN = "(?du)"
_LETTERS = ("İΣ", "iσ")
ViewOf = Callable[[Sequence[str]], str]
"""Takes the paths of parts and returns the name of a view over their lines."""


class SparkStatement(NamedTuple):
    """A statement in Spark's words, and its values by the names that stand in it as `:name`."""

    sql: str
    values: dict[str, Any]


def spark_statement(sql: str, values: Values, view_of: ViewOf) -> SparkStatement:
    """Return a statement, written for DuckDB, for Spark."""
    import sqlglot.expressions as exp

    tree = _parsed(sql).copy()
    bound: dict[str, Any] = {}
    for read in list(tree.find_all(exp.ReadParquet)):
        paths = values[read.expressions[0].name]
        read.replace(exp.to_identifier(view_of([paths] if isinstance(paths, str) else paths)))
    for each in list(tree.find_all(exp.In)):
        _spread(each, values, bound)
    for listed in list(tree.find_all(exp.Placeholder)):
        if isinstance(values.get(listed.name), list):
            _as_text(listed, values, bound)
    for name in {each.name for each in tree.find_all(exp.Placeholder)} - bound.keys():
        bound[name] = _plain(values[name])
    return SparkStatement(tree.sql(dialect="spark"), bound)


@lru_cache(maxsize=256)
def _parsed(sql: str) -> Any:
    """Return a statement as a tree, with all put right that does not depend on its values."""
    import sqlglot
    import sqlglot.expressions as exp

    tree = sqlglot.parse_one(sql, read="duckdb")
    for window in list(tree.find_all(exp.Window)):
        if window.args.get("alias"):
            window.replace(exp.Paren(this=window.copy()))
    for kind in list(tree.find_all(exp.DataType)):
        if kind.is_type("hugeint"):
            kind.replace(exp.DataType.build("decimal(38, 0)"))
    for match in list(tree.find_all(exp.RegexpLike, exp.RegexpReplace, exp.RegexpExtract)):
        # Patterns stand in the store as they are; none is bound.
        pattern = re.sub(r"\$$", r"\\z", match.expression.name)
        match.expression.replace(exp.Literal.string(f"{_PATTERN}{pattern}"))
        if isinstance(match, exp.RegexpReplace):
            put = match.args["replacement"]
            put.replace(exp.Literal.string(re.sub(r"\\(\d)", r"$\1", put.name)))
    for lower in list(tree.find_all(exp.Lower)):
        letters = [exp.Literal.string(each) for each in _LETTERS]
        lower.set("this", exp.Anonymous(this="translate", expressions=[lower.this.copy(), *letters]))
    for each in list(tree.find_all(exp.CTE)):
        each.set("materialized", None)
    return tree


def _plain(value: Any) -> Any:
    # The least that a decimal type can be is one digit, and its point stands no further left than them.
    return Decimal(f"{value:f}") if isinstance(value, Decimal) else value


def _spread(test: Any, values: Values, bound: dict[str, Any]) -> None:
    """Bind each member of a short list that a value is to be in; in an empty one nothing is."""
    import sqlglot.expressions as exp

    query = test.args.get("query")
    placeholder = query.find(exp.Placeholder) if query is not None else None
    if placeholder is None:
        return
    listed = values.get(placeholder.name)
    if not isinstance(listed, list) or len(listed) > _FEW or query.find(exp.From) is not None:
        return
    if not listed:
        test.replace(exp.false())
        return
    names = [f"{placeholder.name}_{number}" for number in range(len(listed))]
    bound.update(zip(names, map(_plain, listed), strict=True))
    test.set("query", None)
    test.set("expressions", [exp.Placeholder(this=name) for name in names])


def _as_text(placeholder: Any, values: Values, bound: dict[str, Any]) -> None:
    """Bind a list as the text of it, read by the type that it is cast to, or that its members have."""
    import sqlglot.expressions as exp

    listed, parent = values[placeholder.name], placeholder.parent
    cast = parent if isinstance(parent, exp.Cast) and parent.to.is_type(exp.DType.ARRAY) else None
    kind = cast.to.sql(dialect="spark") if cast is not None else f"array<{_type_of(listed)}>"
    read = exp.Anonymous(
        this="from_json",
        expressions=[
            exp.Placeholder(this=placeholder.name),
            exp.Literal.string(kind),
            exp.Anonymous(this="map", expressions=[exp.Literal.string("mode"), exp.Literal.string("FAILFAST")]),
        ],
    )
    (cast or placeholder).replace(read)
    bound[placeholder.name] = _json(listed)


def _type_of(listed: Sequence[Any]) -> str:
    """Return Spark's name of the type that all members of a list have."""
    first = next((each for each in listed if each is not None), "")
    if isinstance(first, bool):
        return "boolean"
    if isinstance(first, int):
        return "bigint"
    if isinstance(first, Decimal):
        scale = max(-int(each.as_tuple().exponent) for each in listed if each is not None)
        return f"decimal(38, {max(scale, 0)})"
    return "date" if isinstance(first, date) else "string"


def _json(value: Any) -> str:
    """Return a value as JSON; decimals digit by digit."""
    if isinstance(value, Decimal):
        return f"{value:f}"
    if isinstance(value, date):
        return f'"{value.isoformat()}"'
    if isinstance(value, Mapping):
        return "{" + ", ".join(f"{json.dumps(name)}: {_json(each)}" for name, each in value.items()) + "}"
    if isinstance(value, list | tuple):
        return f"[{', '.join(map(_json, value))}]"
    return json.dumps(value)
