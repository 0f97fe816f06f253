"""Check `almanac.toml` as a whole: every mistake at once, each with its key's path and what is allowed there."""

import dataclasses
import json
import re
import zoneinfo
from collections.abc import Iterable, Iterator, Mapping
from datetime import date
from typing import Any

from pydantic import TypeAdapter, ValidationError

from level_almanac.book.patterns import period_pattern, strptime_pattern
from level_almanac.book.settings import (
    BookHead,
    BookSettings,
    CalendarSettings,
    Entity,
    EntryClassRules,
    IntakeBlock,
    TableSettings,
)
from level_almanac.book.tables import BUILT_IN, Table, tables_of
from level_almanac.errors import Mistake, listed, nearest

_SECTIONS = {
    "book": BookHead,
    "entities": Entity,
    "calendar": CalendarSettings,
    "entry_classes": EntryClassRules,
    "tables": TableSettings,
    "intake": IntakeBlock,
}
_NOT_A = {
    "string_type": "a text in quotes",
    "int_type": "a whole number",
    "bool_type": "true or false",
    "list_type": "a list in [ ]",
    "dict_type": "a section of keys",
    "dataclass_type": "a section of keys",
}
_FIELD_NAME = re.compile(r"[a-z][a-z0-9_]*")
RESERVED_FIELDS = frozenset({"file", "file_line", "fiscal", "counted", "own_class", "entry_class", "class"})
"""Names that the store gives to what it adds to each line."""


def mistakes_in(plain: Mapping[str, Any]) -> list[Mistake]:
    """Return every mistake in the parsed file; an empty list where it is right."""
    try:
        # A bare TOML date becomes a list, since no key takes one and a text would hide it.
        text = json.dumps(plain, default=lambda value: [str(value)])
        settings = TypeAdapter(BookSettings).validate_json(text)
    except ValidationError as error:
        return list(dict.fromkeys(_shape_mistake(found) for found in error.errors(include_url=False)))
    return [
        *_entity_mistakes(settings),
        *_calendar_mistakes(settings),
        *_table_mistakes(settings),
        *(
            mistake
            for number, block in enumerate(settings.intake, 1)
            for mistake in _intake_mistakes(f"intake[{number}]", block, settings)
        ),
    ]


def _path(parts: Iterable[int | str]) -> str:
    text = ""
    for part in parts:
        text += f"[{part + 1}]" if isinstance(part, int) else f".{part}" if text else part
    return text


def _shape_mistake(found: Any) -> Mistake:
    # A key that takes a text or a list is told of once, not once for each.
    place = tuple(part for part in found["loc"] if part not in ("str", "list[str]"))
    where, kind = _path(place), found["type"]
    if kind in ("extra_forbidden", "unexpected_keyword_argument"):
        section = _SECTIONS.get(str(place[0])) if len(place) > 1 else BookSettings
        keys = [key.name for key in dataclasses.fields(section)] if section else []
        return Mistake("unknown key", where, allowed=listed(keys), next_step=nearest(str(place[-1]), keys))
    if kind in ("missing", "missing_argument"):
        return Mistake("this key is missing", where)
    if kind == "literal_error":
        return Mistake("not allowed here", where, repr(found["input"]), found["ctx"]["expected"])
    if place and place[-1] == "files":
        return Mistake("not allowed here", where, repr(found["input"]), "a file name or a list of them")
    return Mistake("not allowed here", where, repr(found["input"]), _NOT_A.get(kind, found["msg"]))


def _entity_mistakes(settings: BookSettings) -> Iterator[Mistake]:
    if not settings.entities:
        yield Mistake("no entity is named", "entities", next_step="add a section [entities.CODE]")
    for code, entity in settings.entities.items():
        if not re.fullmatch("[A-Z]{3}", entity.currency):
            where = f"entities.{code}.currency"
            yield Mistake("not a currency", where, repr(entity.currency), "a code of three capitals, such as 'EUR'")
    if settings.book.time_zone not in zoneinfo.available_timezones():
        zones = zoneinfo.available_timezones()
        hint = nearest(settings.book.time_zone, zones)
        yield Mistake("not a time zone", "book.time_zone", repr(settings.book.time_zone), "a name of the tz list", hint)


def _calendar_mistakes(settings: BookSettings) -> Iterator[Mistake]:
    calendar = settings.calendar
    allowed = "month and day as 'MM-DD', the day from 01 to 28"
    try:
        month, day = (int(part) for part in calendar.year_start.split("-"))
        right = re.fullmatch(r"\d\d-\d\d", calendar.year_start) and date(2001, month, day).day <= 28
    except ValueError:
        right = False
    if not right:
        yield Mistake("not a day a year can start on", "calendar.year_start", repr(calendar.year_start), allowed)
    if not 0 <= calendar.extra_periods <= 4:
        yield Mistake("out of range", "calendar.extra_periods", str(calendar.extra_periods), "0 to 4")


def _table_mistakes(settings: BookSettings) -> Iterator[Mistake]:
    for name, table in settings.tables.items():
        if name not in BUILT_IN:
            hint = nearest(name, BUILT_IN)
            yield Mistake("unknown table", f"tables.{name}", allowed=listed(BUILT_IN), next_step=hint)
            continue
        for field in table.fields:
            where = f"tables.{name}.fields.{field}"
            if not _FIELD_NAME.fullmatch(field):
                yield Mistake("not a field name", where, allowed="small letters, digits and _, a letter first")
            elif BUILT_IN[name].field(field) or field in RESERVED_FIELDS:
                yield Mistake("this name is taken", where)


def _intake_mistakes(where: str, block: IntakeBlock, settings: BookSettings) -> Iterator[Mistake]:
    tables = tables_of(settings.tables)
    table = tables.get(block.table)
    if table is None:
        hint = nearest(block.table, tables)
        yield Mistake("unknown table", f"{where}.table", repr(block.table), listed(tables), hint)
        return
    yield from _mapping_mistakes(where, block, table, settings)
    for pattern in block.date_patterns:
        if strptime_pattern(pattern) is None:
            yield Mistake("not a date pattern", f"{where}.dates", repr(pattern), "DD, MM and YYYY, as in 'DD.MM.YYYY'")
    if period_pattern(block.period) is None:
        allowed = "PP or PPP, mostly with YYYY, as in 'YYYY-PP'"
        yield Mistake("not a period pattern", f"{where}.period", repr(block.period), allowed)
    if len(block.delimiter) != 1 or block.delimiter in '"\r\n':
        yield Mistake("not a delimiter", f"{where}.delimiter", repr(block.delimiter), "one character")
    if block.decimal == block.thousands:
        yield Mistake("the same as the decimal sign", f"{where}.thousands", repr(block.thousands), "another sign")
    if not block.negatives:
        yield Mistake("no way to write a negative is named", f"{where}.negatives")


def _mapping_mistakes(where: str, block: IntakeBlock, table: Table, settings: BookSettings) -> Iterator[Mistake]:
    names = [field.name for field in table.fields]
    for section, keys in (("fields", block.fields), ("set", block.set), ("values", block.values)):
        for name in keys:
            if name not in names:
                hint = nearest(name, names)
                place = f"{where}.{section}.{name}"
                yield Mistake(f"the table {table.name} has no such field", place, allowed=listed(names), next_step=hint)
    for name in block.fields.keys() & block.set.keys():
        yield Mistake("both mapped and set", f"{where}.set.{name}", allowed="one of the two")
    given = block.fields.keys() | block.set.keys()
    for field in table.fields:
        if field.required and field.name not in given:
            yield Mistake("this field is needed and not mapped", f"{where}.fields.{field.name}")
    entity = block.set.get("entity")
    if entity is not None and entity not in settings.entities:
        hint = nearest(entity, settings.entities)
        yield Mistake("unknown entity", f"{where}.set.entity", repr(entity), listed(settings.entities), hint)
    if table.name == "ledger":
        amounts = {"debit", "credit", "amount"} & given
        if amounts not in ({"debit", "credit"}, {"amount"}):
            got = " and ".join(sorted(amounts)) or "none of them"
            yield Mistake("no clear amount", f"{where}.fields", got, "debit and credit, or one signed amount")
