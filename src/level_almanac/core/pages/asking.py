"""Questions made of a report's conditions: which office, of those that there are in its days."""

import re
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.reports.making import make_report, read_asked
from level_almanac.core.reports.registry import all_reports
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.tables import SIDE_OF

_SIMPLE = re.compile(
    r"\s*([a-z][a-z0-9_]*(?:\.[a-z][a-z0-9_]*)*)\s+(is|in)\s+(?!blank\b|not\b)((?:\"[^\"]*\"|[^\s,\"]+)(?:\s*,\s*(?:\"[^\"]*\"|[^\s,\"]+))*)\s*",
    re.IGNORECASE,
)
_MOST_CHOICES = 200
BLANK = "(blank)"
"""What a choice calls lines that have nothing there."""
_DATED = ("period", "quarter", "year", "from", "through", "before", "as-of")


class _Condition(NamedTuple):
    """A condition that one field is one of some words."""

    field: str
    words: tuple[str, ...]


def asked_conditions(
    book: Book, report: Sequence[str], options: Mapping[str, Any], option: str
) -> tuple[list[Any], dict[str, dict[str, Any]]]:
    """Return the conditions of an option with questions in place of their words, and these questions.

    report: its name and arguments; options: as a page holds them. What can be chosen are the values that the table's
    lines have within the report's days. Raises UsageMistake for a condition that no such question can be made of.
    """
    parts: list[Any] = []
    ask: dict[str, dict[str, Any]] = {}
    for text in options[option]:
        condition = _condition(str(text), option)
        name = _free(condition.field.replace(".", "-").replace("_", "-"), ask)
        values = _values(book, report, options, condition.field)
        several = len(condition.words) > 1 or " in " in str(text)
        label = f"Which {condition.field.replace('.', ' ').replace('_', ' ')}"
        words = [f'"{word}"' if several and "," in word else word for word in condition.words]
        default = ", ".join(words)
        ask[name] = {"kind": "list" if several else "choice", "label": label, "default": default, "choices": values}
        if several:
            parts.append(f"{condition.field} in {{{name}}}")
            ask[name]["choices"] = [value for value in values if value != BLANK]
        elif BLANK in values:
            parts += [
                {"words": f'{condition.field} is "{{{name}}}"', "if": f"{name} is not {BLANK}"},
                {"words": f"{condition.field} is blank", "if": f"{name} is {BLANK}"},
            ]
        else:
            parts.append(f'{condition.field} is "{{{name}}}"')
        if len(ask[name]["choices"]) > _MOST_CHOICES or not set(condition.words) <= set(ask[name]["choices"]):
            # Where there are too many, or the report's own is not among them, any text is taken.
            del ask[name]["choices"]
            ask[name]["kind"] = "list" if several else "text"
    return parts, ask


def _condition(text: str, option: str) -> _Condition:
    found = _SIMPLE.fullmatch(text.replace("{{", "{").replace("}}", "}"))
    if found is None or (found[2].lower() == "is" and "," in re.sub(r'"[^"]*"', "", found[3])):
        what, allowed = (
            "no question can be made of this condition",
            "one such as `office is Kelsay` or `party in V1, V2`",
        )
        raise UsageMistake(Mistake(what, "--ask", f"{option}: {text}", allowed))
    words = tuple(word.strip().strip('"') for word in re.findall(r'"[^"]*"|[^\s,"]+', found[3]))
    return _Condition(found[1].lower(), words)


def _free(name: str, taken: Mapping[str, Any]) -> str:
    number = 2
    free = name
    while free in taken:
        free, number = f"{name}-{number}", number + 1
    return free


def _values(book: Book, report: Sequence[str], options: Mapping[str, Any], field: str) -> list[str]:
    """Return the values that a field has within the report's days, the blank one last by name."""
    table = _table_of(report)
    listing = all_reports()["list"]
    dated = {name: value for name, value in options.items() if name in _DATED and isinstance(value, str)}
    told = {"table": table, "by": field, "show": "count", **dated}
    made = make_report(book, read_asked(listing, told, lambda name: f"--{name}"))
    values = [row.label for row in made.table.rows if row.kind == "line" and row.label != f"(no {field})"]
    blank = [BLANK] if any(row.label == f"(no {field})" for row in made.table.rows) else []
    return [*(value for value in values if '"' not in value and value.isprintable()), *blank]


def _table_of(report: Sequence[str]) -> str:
    name, *arguments = report
    if name in ("list", "growth", "rank", "pace") and arguments:
        return arguments[0]
    if name in ("aging", "documents", "parties") and arguments:
        return SIDE_OF.get(arguments[0], "ledger")
    return "billing" if name == "billing" else "ledger"
