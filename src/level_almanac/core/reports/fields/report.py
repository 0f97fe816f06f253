"""What can be asked for: the book's tables, and one's fields with their kinds, links and values (docs/fields.md)."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.fields import LineField
from level_almanac.core.header import data_facts, data_words
from level_almanac.core.requests.options import Request, option
from level_almanac.core.table.model import Cell, Column, ReportTable, Row
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.store.expressions import FieldReference, is_rate
from level_almanac.store.field_values import commonest, extremes, filled_counts

_SAMPLES = 3
_SAMPLE_LENGTH = 24


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldsRequest(Request):
    """What is asked for. table: its name, or empty for all tables; word: what a field's name must hold, or empty."""

    table: str = option("table", "", metavar="[TABLE]", offers="table", argument=True)
    word: str = option("word", "", metavar="[WORD]", argument=True)


def fields_report(book: Book, request: FieldsRequest) -> ReportTable:
    """Return the tables, or the fields of one, or the fields of all that have a word in their name.

    Raises UsageMistake where there is no such table or field.
    """
    table, word = request.table, request.word
    if table and table not in book.tables and not word:
        # One word alone can be meant either way.
        table, word = "", table
    if not table and not word:
        return _tables(book)
    names = [book.line_fields(table).table.name] if table else list(book.tables)
    rows = [row for name in names for row in _field_rows(book, name, word, several=not table)]
    if not rows:
        known = sorted({field for name in names for field in book.line_fields(name).by_name})
        hint = nearest(word, [*known, *book.tables])
        allowed = f"a table ({listed(book.tables)}), or a part of a field's name"
        raise UsageMistake(Mistake("no table or field has this in its name", "WORD", repr(word), allowed, hint))
    title = f"Fields of {table}" if table else f"Fields with {word!r} in their name"
    columns = (
        Column("kind", "kind", "text"),
        Column("link", "leads to", "text"),
        Column("filled", "lines with it", "count"),
        Column("blank", "blank", "count"),
        Column("values", "commonest values, or from least to most", "text"),
    )
    return _report(book, title, columns, tuple(rows), "field")


def _report(book: Book, title: str, columns: tuple[Column, ...], rows: tuple[Row, ...], label: str) -> ReportTable:
    return ReportTable(title, data_facts(book), (data_words(book),), columns, rows, label)


def _tables(book: Book) -> ReportTable:
    rows = []
    for name, table in book.tables.items():
        fields = book.line_fields(name)
        own = sum(1 for field in fields.by_name.values() if not field.link)
        cells: dict[str, Cell] = {
            "lines": sum(loaded.lines for loaded in book.state.files_of(name)),
            "fields": own,
            "key": ", ".join(table.key),
            "date": table.date,
            "links": ", ".join(
                link if link == target else f"{link} → {target}" for link, target in table.links.items()
            ),
        }
        rows.append(Row(name, name, 0, "line", cells))
    columns = (
        Column("lines", "lines", "count"),
        Column("fields", "fields", "count"),
        Column("key", "a line's key", "text"),
        Column("date", "date that counts", "text"),
        Column("links", "leads to", "text"),
    )
    return _report(book, "Tables of the book", columns, tuple(rows), "table")


def _field_rows(book: Book, name: str, word: str, *, several: bool) -> Iterator[Row]:
    fields = book.line_fields(name)
    matching = [field for field in fields.by_name.values() if word.lower() in field.name]
    own = [field for field in matching if isinstance(field.value, FieldReference) and not field.link]
    parts = book.parts_of(name)
    counts = filled_counts(book.engine, parts, [_column(field) for field in own]) if parts else [0] * (len(own) + 1)
    filled = dict(zip((field.name for field in own), counts[1:], strict=True))
    for field in matching:
        cells: dict[str, Cell] = {"kind": _kind_words(field)}
        if target := fields.table.links.get(field.name):
            cells["link"] = target
        if field.link:
            cells["link"] = f"by {field.link}, from {field.table}"
        if field.name in filled:
            count = filled[field.name]
            cells |= {"filled": count, "blank": counts[0] - count}
            if count:
                cells["values"] = _values(book, parts, field)
        label = f"{name}: {field.name}" if several else field.name
        yield Row(f"{name}/{field.name}" if several else field.name, label, 0, "line", cells)
    for computed, words in fields.table.compute.items():
        if word.lower() in computed:
            label = f"{name}: {computed}" if several else computed
            key = f"{name}/{computed}" if several else computed
            yield Row(key, label, 0, "line", {"kind": "computed by the book", "values": words})


def _values(book: Book, parts: Sequence[str], field: LineField) -> str:
    """Return the values that a field has most often; of numbers and days, the least and the most."""
    if field.kind == "text":
        return ", ".join(_sample(value) for (value,) in commonest(book.engine, parts, _column(field), _SAMPLES))
    least, most = (_sample(value) for value in extremes(book.engine, parts, _column(field)))
    return f"{least} to {most}"


def _column(field: LineField) -> str:
    return field.value.column if isinstance(field.value, FieldReference) else field.name


def _kind_words(field: LineField) -> str:
    kinds = {"whole": "whole number", "period": "period of the calendar"}
    words = kinds.get(field.kind, field.kind)
    if is_rate(field.value) and not field.link:
        weight = field.weight
        words = "price"
        if isinstance(weight, FieldReference):
            words = f"price, its average weighted by {weight.column}"
    return f"{words}, as a number" if field.number_like else words


def _sample(value: Any) -> str:
    if isinstance(value, date):
        return day_words(value)
    if isinstance(value, Decimal):
        return f"{value.normalize():f}" if value != value.to_integral_value() else f"{value:.0f}"
    text = str(value)
    return text if len(text) <= _SAMPLE_LENGTH else f"{text[: _SAMPLE_LENGTH - 1]}…"
