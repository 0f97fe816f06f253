"""Two sums that the book declares to be equal, held against each other key by key (docs/check.md, "Agreements")."""

from collections.abc import Mapping
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.fields import LineField
from level_almanac.core.lines.computed import ComputedReader
from level_almanac.core.lines.conditions import read_condition
from level_almanac.core.lines.source_place import SOURCE_PLACE
from level_almanac.core.reports.check.findings import KINDS, Checked, Finding, FoundLine
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.table.exact import figure_words
from level_almanac.errors import BookMistake, Mistake, how_many
from level_almanac.files.settings import AgreeSettings, AgreeSide
from level_almanac.store.expressions import Constant, Expression, is_only_linked, is_rate
from level_almanac.store.line_query import Asked, LineSource, groups, lines
from level_almanac.store.predicate import FieldTest, Predicate

_ZERO = Decimal(0)
Key = str | None


class _Side(NamedTuple):
    """One side, read: what is added up, over which lines, and by which key."""

    table: str
    source: LineSource
    value: Expression
    key: Expression | None
    key_name: str
    rules: tuple[Predicate, ...]
    day: Expression


def agreements(book: Book, reach: AsOf) -> Checked:
    """Return the keys under which two sums that are to agree do not, by more than the tolerance.

    Raises BookMistake for a condition or an expression of the book that cannot be read.
    """
    kind = KINDS["agree"]
    if not book.settings.agree:
        return Checked(kind, skipped="the book declares no sums that are to agree, as [[agree]]")
    findings: list[Finding] = []
    looked = 0
    for at, agreement in enumerate(book.settings.agree, 1):
        left, right = (
            _side(book, side, f"agree[{at}].{name}", reach)
            for name, side in (("left", agreement.left), ("right", agreement.right))
        )
        sums = [_sums(book, side) for side in (left, right)]
        tolerance = Decimal(agreement.tolerance)
        keys = sorted({*sums[0], *sums[1]}, key=lambda key: (key is None, key or ""))
        looked += len(keys)
        for key in keys:
            one, other = (each.get(key, _ZERO) for each in sums)
            if abs(one - other) > tolerance:
                told = (*_lines(book, left, key), *_lines(book, right, key))
                findings.append(_finding(agreement, left, key, (one, other), told))
    return Checked(kind, findings, f"{how_many(looked, 'key')} of {_agreements(len(book.settings.agree))}")


def _agreements(count: int) -> str:
    return how_many(count, "agreement")


def _finding(
    agreement: AgreeSettings, left: _Side, key: Key, sums: tuple[Decimal, Decimal], told: tuple[FoundLine, ...]
) -> Finding:
    name = f" {left.key_name} {key if key is not None else 'blank'}:" if left.key is not None else ""
    words = f"{agreement.name}:{name} {figure_words(sums[0])} on the left, {figure_words(sums[1])} on the right"
    return Finding(f"{agreement.name}/{key}", words, told, sums[0] - sums[1])


def _side(book: Book, side: AgreeSide, where: str, reach: AsOf) -> _Side:
    fields = book.line_fields(side.table)

    def no_labels(found: LineField, _unit: Any) -> None:
        raise BookMistake(Mistake("parts of dates are for `almanac list`", f"{where}.sum", repr(found.name)))

    reader = ComputedReader(fields, f"{where}.sum", BookMistake, reach, no_labels)
    read = reader.read(f"this_sum = {side.sum}")
    if read.value is None or read.kind not in ("amount", "quantity"):
        raise BookMistake(Mistake("not an amount of single lines", f"{where}.sum", repr(side.sum)))
    if is_only_linked(read.value) or is_rate(read.value):
        what = "a price or rate is not added up" if is_rate(read.value) else "of another table, it stands on many lines"
        raise BookMistake(Mistake(what, f"{where}.sum", repr(side.sum), "an amount of the table's own lines"))
    rules = (read_condition(side.only, fields, f"{where}.only", BookMistake, reach),) if side.only else ()
    key = fields.by_name[side.by].value if side.by else None
    dates = fields.by_name[fields.table.date].value if fields.table.date else Constant("")
    return _Side(side.table, book.line_source(fields, rules), read.value, key, side.by, rules, dates)


def _sums(book: Book, side: _Side) -> Mapping[Key, Decimal]:
    by = [side.key] if side.key is not None else []
    found = groups(book.engine, side.source, by, [Asked(side.value)])
    return {(row[0] if by else None): row[-1] if row[-1] is not None else _ZERO for row in found}


def _lines(book: Book, side: _Side, key: Key) -> tuple[FoundLine, ...]:
    rules = side.rules
    if side.key is not None:
        rules += (FieldTest(side.key_name, "blank") if key is None else FieldTest(side.key_name, "is", (key,)),)
    source = book.line_source(book.line_fields(side.table), rules)
    rows = lines(book.engine, source, [side.value, side.day, SOURCE_PLACE], ())
    return tuple(FoundLine(f"a line of {side.table}", place, amount, day or None) for amount, day, place in rows)
