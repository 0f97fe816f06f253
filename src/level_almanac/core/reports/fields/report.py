"""What can be asked for: the book's tables, and one's fields with their kinds, links and values (docs/fields.md)."""

from collections.abc import Iterator, Sequence
from datetime import date
from decimal import Decimal
from typing import Any

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.fields import SIGNED, LineField
from level_almanac.core.header import data_facts, data_words
from level_almanac.core.language.parsing import pointed
from level_almanac.core.lines.conditions import unknown_field
from level_almanac.core.requests.options import Request, option
from level_almanac.core.subledger.day_fields import STATUSES, day_fields
from level_almanac.core.table.exact import figure_words
from level_almanac.core.table.model import Cell, Column, ReportTable, Row
from level_almanac.errors import Mistake, UsageMistake, how_many, listed, nearest
from level_almanac.files.currencies import decimals_of
from level_almanac.files.tables import SIDE_OF, Table
from level_almanac.immutable import immutable
from level_almanac.store.expressions import Expression, FieldReference, is_rate
from level_almanac.store.field_values import commonest, extremes, filled_counts
from level_almanac.store.line_query import Asked, groups

_SAMPLES = 3
_SAMPLE_LENGTH = 24


@immutable(kw_only=True)
class FieldsRequest(Request):
    """What is asked for. table: its name, or empty for all tables; word: what a field's name must hold, or empty;
    values: the field whose values are asked for, of which `word` is a part then.
    """

    table: str = option("table", "", metavar="[TABLE]", offers="table", argument=True)
    word: str = option("word", "", metavar="[WORD]", argument=True)
    values: str = option("values", "Each value of this field, with its lines.", metavar="FIELD", offers="field")


def fields_report(book: Book, request: FieldsRequest) -> ReportTable:
    """Return the tables, or the fields of one, or the fields of all that have a word in their name.

    Raises UsageMistake where there is no such table or field.
    """
    table, word = request.table, request.word
    if request.values:
        return _values_report(book, request)
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
    return _report(book, title, columns, tuple(rows), "field", table)


def _values_report(book: Book, request: FieldsRequest) -> ReportTable:
    """Return every value of a field with its lines, their amount, and the name that its code has in another table."""
    if not request.table:
        step = "name its table, such as `almanac fields billing --values office`"
        raise UsageMistake(Mistake("a field is of a table", "--values", repr(request.values), next_step=step))
    fields = book.line_fields(request.table)
    field = fields.by_name.get(request.values.lower())
    if field is None:
        shown = pointed(request.values, 0, len(request.values))
        raise UsageMistake(unknown_field(request.values, fields, "--values", shown))
    own, word = fields.table, request.word.casefold()
    amount = _amount_of(book, own)
    named = fields.by_name.get(f"{field.name}.name")
    by = [field.value, *([named.value] if named else [])]
    found = groups(book.engine, book.line_source(fields), by, [Asked(amount)] if amount else [])
    rows = []
    for value, *others in sorted(found, key=lambda row: (row[0] is None, row[0])):
        texts = ("(blank)",) if value is None else (_in_words(value), str(value))
        if word and (value is None or not any(word in text.casefold() for text in texts)):
            continue
        cells: dict[str, Cell] = {"name": others[0] if named else None, "lines": others[len(by) - 1]}
        if amount:
            cells["amount"] = others[-1]
        rows.append(Row(texts[-1] if value is not None else "blank", texts[0], 0, "line", cells))
    totals: dict[str, Cell] = {"lines": sum(count for row in rows if isinstance(count := row.cells["lines"], int))}
    if amount:
        totals["amount"] = sum((each for row in rows if isinstance(each := row.cells["amount"], Decimal)), Decimal(0))
    count = sum(row.label != "(blank)" for row in rows)
    rows.append(Row("total", f"Total, {how_many(count, 'value')}", 0, "total", totals))
    decimals = max(decimals_of(entity.currency) for entity in book.settings.entities.values())
    measure = own.proof_measure if own.name not in SIGNED else "amount, signed by kind"
    columns = (
        *([Column("name", "name", "text")] if named else []),
        Column("lines", "lines", "count"),
        *([Column("amount", measure, "amount", decimals)] if amount else []),
    )
    about = f" that hold {request.word!r}" if word else ""
    return _report(book, f"Values of {field.name} in {own.name}{about}", columns, tuple(rows), field.name, own.name)


def _amount_of(book: Book, table: Table) -> Expression | None:
    """Return what a table's lines add up to, signed by kind; None where nothing does, or in several currencies."""
    currencies = {entity.currency for entity in book.settings.entities.values()}
    if not table.measure or (len(currencies) > 1 and table.field("entity")):
        return None
    return SIGNED.get(table.name, FieldReference(table.measure))


def _in_words(value: Any) -> str:
    if isinstance(value, Decimal):
        return figure_words(value.normalize())
    return day_words(value) if isinstance(value, date) else str(value)


def _report(
    book: Book, title: str, columns: tuple[Column, ...], rows: tuple[Row, ...], label: str, table: str = ""
) -> ReportTable:
    return ReportTable(title, data_facts(book, table), (data_words(book, table),), columns, rows, label)


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
        called = f", called {field.label}" if field.label else ""
        cells: dict[str, Cell] = {"kind": f"{_kind_words(field)}{called}"}
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
    for told in day_fields(fields, book.today) if name in SIDE_OF.values() else ():
        if word.lower() in told.name and told.name not in (*fields.by_name, *fields.table.compute):
            label = f"{name}: {told.name}" if several else told.name
            key = f"{name}/{told.name}" if several else told.name
            values = ", ".join(STATUSES) if told.name == "status" else None
            yield Row(key, label, 0, "line", {"kind": f"{_kind_words(told)}, on a report's day", "values": values})
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
