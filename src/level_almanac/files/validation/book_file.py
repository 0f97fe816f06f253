"""Check `almanac.toml` as a whole: every mistake at once, each with its key's path and what is allowed there."""

import dataclasses
import json
import re
import zoneinfo
from collections.abc import Iterable, Iterator, Mapping
from decimal import Decimal, InvalidOperation
from functools import cache
from typing import Any

from pydantic import TypeAdapter, ValidationError

from level_almanac.errors import Mistake, listed, nearest
from level_almanac.files.page_line import LEAST_SIZE, MOST_SIZE, PLACES, wrong_place
from level_almanac.files.settings import (
    Across,
    AgingSettings,
    AgreeSettings,
    BillingSettings,
    BookHead,
    BookSettings,
    CalendarSettings,
    ChartSettings,
    Entity,
    EntryClassRules,
    FieldSource,
    IntakeBlock,
    NumberingSettings,
    PageSettings,
    Parents,
    PartiesSettings,
    Percent,
    PlanSettings,
    ProfileSettings,
    Sides,
    StyleSettings,
    TableSettings,
    TotalRows,
)
from level_almanac.files.tables import ACCOUNT_CLASSES, BUILT_IN, SIDES, Table, plan_table, tables_of
from level_almanac.files.validation.calendar import calendar_mistakes
from level_almanac.files.validation.findings import finding_mistakes
from level_almanac.files.validation.intake import intake_mistakes
from level_almanac.files.year_ends import WEEKDAYS

_SECTIONS = {
    "book": BookHead,
    "entities": Entity,
    "calendar": CalendarSettings,
    "calendars": CalendarSettings,
    "entry_classes": EntryClassRules,
    "tables": TableSettings,
    "plans": PlanSettings,
    "profiles": ProfileSettings,
    "styles": StyleSettings,
    "page": PageSettings,
    "parties": PartiesSettings,
    "aging": AgingSettings,
    "billing": BillingSettings,
    "numbering": NumberingSettings,
    "agree": AgreeSettings,
    "chart": ChartSettings,
    "intake": IntakeBlock,
}
_WITHIN = {"across": Across, "sides": Sides, "parents": Parents, "totals": TotalRows, "fields": FieldSource}
"""Sections within an intake block."""
_NOT_A = {
    "string_type": "a text in quotes",
    "int_type": "a whole number",
    "bool_type": "true or false",
    "list_type": "a list in [ ]",
    "dict_type": "a section of keys",
    "dataclass_type": "a section of keys",
}
_EITHER = ("str", "list[str]", "int", "float", "FieldSource", "Across", "Sides", "Parents")
"""What the checker of types says where a key takes this or that."""
_FIELD_NAME = re.compile(r"[a-z][a-z0-9_]*")
RESERVED_FIELDS = frozenset(
    {
        "file", "file_line", "fiscal", "counted", "own_class", "entry_class", "class", "entry", "signed", "party_told",
        "natural", "counts_on",
    }
)  # fmt: skip
"""Names that the store gives to what it adds to each line."""


def mistakes_in(plain: Mapping[str, Any]) -> list[Mistake]:
    """Return every mistake in the parsed file; an empty list where it is right."""
    try:
        settings = checker_of(BookSettings).validate_json(json_of(plain))
    except ValidationError as error:
        return list(dict.fromkeys(shape_mistake(found) for found in error.errors(include_url=False)))
    return [
        *_entity_mistakes(settings),
        *calendar_mistakes("calendar", settings.calendar),
        *(each for name, one in settings.calendars.items() for each in calendar_mistakes(f"calendars.{name}", one)),
        *_table_mistakes(settings),
        *_plan_mistakes(settings),
        *_look_mistakes(settings),
        *_chart_mistakes(settings),
        *finding_mistakes(settings),
        *(
            mistake
            for number, block in enumerate(settings.intake, 1)
            for mistake in intake_mistakes(f"intake[{number}]", block, settings)
        ),
    ]


@cache
def checker_of(kind: type) -> TypeAdapter[Any]:
    """Return what checks a file against our types; to make it takes longer than to use it."""
    return TypeAdapter(kind)


@cache
def _zones() -> set[str]:
    return zoneinfo.available_timezones()


def json_of(plain: Mapping[str, Any]) -> str:
    """Return a parsed file as JSON, for the checker of types."""
    # A bare TOML date becomes a list in a list, since no key takes one and a text would hide it.
    return json.dumps(plain, default=lambda value: [[str(value)]])


def _told(found: Any) -> str:
    match found:
        case [[str() as day]]:
            return day
    return repr(found)


def _path(parts: Iterable[int | str]) -> str:
    text = ""
    for part in parts:
        text += f"[{part + 1}]" if isinstance(part, int) else f".{part}" if text else part
    return text


def shape_mistake(found: Any, whole: type = BookSettings, sections: Mapping[str, type] = _SECTIONS) -> Mistake:
    """Return the mistake for what the checker of types found. whole: the file's type; sections: those of its parts."""
    # A key that takes a text or a list is told of once, not once for each.
    place = tuple(part for part in found["loc"] if part not in _EITHER)
    where, kind = _path(place), found["type"]
    if kind in ("extra_forbidden", "unexpected_keyword_argument"):
        section = sections.get(str(place[0])) if len(place) > 1 else whole
        if section is IntakeBlock and len(place) > 3:
            section = _WITHIN.get(str(place[2]))
        keys = [key.name for key in dataclasses.fields(section)] if section else []
        return Mistake("unknown key", where, allowed=listed(keys), next_step=nearest(str(place[-1]), keys))
    if kind in ("missing", "missing_argument"):
        return Mistake("this key is missing", where)
    if kind == "literal_error":
        return Mistake("not allowed here", where, _told(found["input"]), found["ctx"]["expected"])
    if place and place[-1] == "files":
        return Mistake("not allowed here", where, _told(found["input"]), "a file name or a list of them")
    if place and place[-1] in ("classes", "branch"):
        return Mistake("not allowed here", where, _told(found["input"]), "a text or a list of them")
    return Mistake("not allowed here", where, _told(found["input"]), _NOT_A.get(kind, found["msg"]))


def _entity_mistakes(settings: BookSettings) -> Iterator[Mistake]:
    if not settings.entities:
        yield Mistake("no entity is named", "entities", next_step="add a section [entities.CODE]")
    for code, entity in settings.entities.items():
        if not re.fullmatch("[A-Z]{3}", entity.currency):
            where = f"entities.{code}.currency"
            yield Mistake("not a currency", where, repr(entity.currency), "a code of three capitals, such as 'EUR'")
        if entity.calendar and entity.calendar not in settings.calendars:
            where, known = f"entities.{code}.calendar", settings.calendars
            hint = nearest(entity.calendar, known) or "add a section [calendars.NAME]"
            yield Mistake("no calendar has this name", where, repr(entity.calendar), listed(known), hint)
    if settings.book.time_zone not in _zones():
        zones = _zones()
        hint = nearest(settings.book.time_zone, zones)
        yield Mistake("not a time zone", "book.time_zone", repr(settings.book.time_zone), "a name of the tz list", hint)


def _table_mistakes(settings: BookSettings) -> Iterator[Mistake]:
    for name, table in settings.tables.items():
        own = name not in BUILT_IN
        if not own and (table.key or table.date or table.plan_of):
            yield Mistake("this table has its key and date already", f"tables.{name}", allowed="fields and links")
        elif own and table.plan_of:
            yield from _plan_table_mistakes(name, table)
        elif own:
            yield from _own_table_mistakes(name, table)
    tables = tables_of(settings.tables)
    for name, table in settings.tables.items():
        yield from _field_mistakes(name, table)
        yield from _planned_mistakes(name, table, tables)
        yield from _link_mistakes(tables[name], table, tables)
        yield from _linked_date_mistakes(name, table.date, tables)
        yield from _weight_mistakes(tables[name], table)
        yield from _label_mistakes(tables[name], table)


def _field_mistakes(name: str, table: TableSettings) -> Iterator[Mistake]:
    base = BUILT_IN.get(name) or (plan_table(name, table.plan_of) if table.plan_of else None)
    there = {field.name for field in base.fields} if base else set()
    for section, names, taken in (("fields", table.fields, there), ("compute", table.compute, {*there, *table.fields})):
        for field in names:
            where = f"tables.{name}.{section}.{field}"
            if not _FIELD_NAME.fullmatch(field):
                yield Mistake("not a field name", where, allowed="small letters, digits and _, a letter first")
            elif field in taken or field in RESERVED_FIELDS:
                yield Mistake("this name is taken", where)


def _plan_table_mistakes(name: str, table: TableSettings) -> Iterator[Mistake]:
    where = f"tables.{name}"
    if table.key or table.date:
        yield Mistake("a table of plans has its key and date already", where, allowed="plan_of, fields and links")
    if not _FIELD_NAME.fullmatch(name):
        yield Mistake("not a table name", where, allowed="small letters, digits and _, a letter first")


def _planned_mistakes(name: str, settings: TableSettings, tables: Mapping[str, Table]) -> Iterator[Mistake]:
    """Yield what is wrong with a table of plans: it plans a table there is, entity by entity, and by fields of that."""
    planned = tables.get(settings.plan_of)
    if not settings.plan_of:
        return
    able = [each for each, one in tables.items() if not one.plan_of and one.date and one.field("entity")]
    if planned is None or settings.plan_of not in able:
        where, hint = f"tables.{name}.plan_of", nearest(settings.plan_of, able)
        yield Mistake("no table that can be planned for", where, repr(settings.plan_of), listed(able), hint)
        return
    for field in settings.fields:
        there = planned.field(field)
        if there is None or there.price or there.kind != settings.fields[field]:
            known = [
                each.name for each in planned.fields if each.kind in ("text", "amount", "quantity") and not each.price
            ]
            what = f"the table {planned.name} has no such field of this kind to plan by"
            yield Mistake(what, f"tables.{name}.fields.{field}", allowed=listed(known), next_step=nearest(field, known))


def _own_table_mistakes(name: str, table: TableSettings) -> Iterator[Mistake]:
    where, known = f"tables.{name}", list(table.fields)
    hint = nearest(name, BUILT_IN)
    if not table.key and hint:
        yield Mistake(
            "unknown table", where, allowed=f"{listed(BUILT_IN)}, or a key for a table of one's own", next_step=hint
        )
    elif not table.key:
        yield Mistake(
            "a table of one's own needs a key", where, allowed="the fields that tell its lines apart, as `key`"
        )
    if not _FIELD_NAME.fullmatch(name):
        yield Mistake("not a table name", where, allowed="small letters, digits and _, a letter first")
    for field in table.key:
        if field not in known:
            yield Mistake(
                "no field of the table has this name", f"{where}.key", repr(field), listed(known), nearest(field, known)
            )
    dates = [field for field, kind in table.fields.items() if kind == "date"]
    if table.date and "." not in table.date and table.date not in dates:
        allowed = listed(dates) if dates else "a field that is a date"
        yield Mistake(
            "no date of the table has this name", f"{where}.date", repr(table.date), allowed, nearest(table.date, dates)
        )


def _linked_date_mistakes(name: str, date: str, tables: Mapping[str, Table]) -> Iterator[Mistake]:
    """Yield what is wrong with a date that stands in another table: `date = "voyage.sailed"`."""
    *hops, last = date.split(".")
    if not hops:
        return
    where, table = f"tables.{name}.date", tables[name]
    for hop in hops:
        if hop not in table.links:
            what, links = f"{hop} of {table.name} leads to no table", list(table.links)
            yield Mistake(
                what, where, repr(date), listed(links) or "a field named as another table's key", nearest(hop, links)
            )
            return
        table = tables[table.links[hop]]
    dates = [field.name for field in table.fields if field.kind == "date"]
    if last not in dates:
        allowed = listed(dates) or "a table that has a date"
        yield Mistake(f"no date of {table.name} has this name", where, repr(date), allowed, nearest(last, dates))


def _weight_mistakes(table: Table, settings: TableSettings) -> Iterator[Mistake]:
    prices = [field.name for field in table.fields if field.price]
    weights = [field.name for field in table.fields if field.kind in ("amount", "quantity") and not field.price]
    for price, weight in settings.weights.items():
        where = f"tables.{table.name}.weights.{price}"
        if price not in prices:
            what, allowed = "no price of the table has this name", listed(prices) or 'a field declared as "price"'
            yield Mistake(what, where, repr(price), allowed, nearest(price, prices))
        elif weight not in weights:
            what, allowed = "no number of the table to weight by", listed(weights)
            yield Mistake(what, where, repr(weight), allowed, nearest(weight, weights))


def _label_mistakes(table: Table, settings: TableSettings) -> Iterator[Mistake]:
    known = [*(field.name for field in table.fields), *settings.compute]
    told: dict[str, str] = {}
    for field, label in settings.labels.items():
        where, folded = f"tables.{table.name}.labels.{field}", label.casefold()
        if field not in known:
            hint = nearest(field, known)
            yield Mistake("no field of the table has this name", where, repr(field), listed(known), hint)
        elif not label or label != label.strip():
            yield Mistake("a label is words without spaces around them", where, repr(label))
        elif folded in told or (folded in known and folded != field):
            step = f"{told.get(folded, folded)} is called this too"
            yield Mistake("two fields cannot be called the same", where, repr(label), next_step=step)
        told[folded] = field


def _link_mistakes(table: Table, settings: TableSettings, tables: Mapping[str, Table]) -> Iterator[Mistake]:
    where, texts = f"tables.{table.name}", [field.name for field in table.fields if field.kind == "text"]
    for section, names in (("links", settings.links), ("number_like", settings.number_like)):
        for field in names:
            if field not in texts:
                what, hint = "no text field of the table has this name", nearest(field, texts)
                yield Mistake(what, f"{where}.{section}", repr(field), listed(texts), hint)
    keyed = [name for name, each in tables.items() if len(each.key) == 1]
    for field, target in settings.links.items():
        if target not in keyed:
            what, hint = "no table with a key of one field has this name", nearest(target, keyed)
            yield Mistake(what, f"{where}.links.{field}", repr(target), listed(keyed), hint)


def _plan_mistakes(settings: BookSettings) -> Iterator[Mistake]:
    for name, plan in settings.plans.items():
        where, ways = f"plans.{name}", ["even", "working", "whole", *settings.profiles]
        if plan.part_period not in ways:
            hint = nearest(plan.part_period, ways)
            yield Mistake("not a way", f"{where}.part_period", repr(plan.part_period), listed(ways), hint)
        split = [_percent(part) for part in plan.year_split]
        if None in split or (split and sum(part for part in split if part is not None) != 100):
            total = "" if None in split else str(sum(part for part in split if part is not None))
            got = f"{total} %" if total else repr(plan.year_split)
            yield Mistake("the parts of a year", f"{where}.year_split", got, "percentages that come to 100")
        for total_name, amount in plan.totals.items():
            if not re.fullmatch(r"-?\d{1,13}(\.\d{1,3})?", amount):
                yield Mistake("not an amount", f"{where}.totals.{total_name}", repr(amount), "one such as '120000.00'")
    for name, profile in settings.profiles.items():
        weights = [getattr(profile, day) for day in WEEKDAYS]
        if min(weights) < 0 or not any(weights):
            got = listed(str(weight) for weight in weights)
            yield Mistake("not weights", f"profiles.{name}", got, "whole numbers from 0, one of them above it")
        if name in ("even", "working", "whole"):
            yield Mistake("this name is taken", f"profiles.{name}")


def _chart_mistakes(settings: BookSettings) -> Iterator[Mistake]:
    for section, known in (("classes", ACCOUNT_CLASSES), ("control", SIDES)):
        for name in getattr(settings.chart, section):
            if name not in known:
                yield Mistake("not allowed here", f"chart.{section}.{name}", allowed=listed(known))
    if any(block.table == "ledger" for block in settings.intake):
        for code, entity in settings.entities.items():
            if not entity.retained_earnings:
                yield Mistake("this key is missing", f"entities.{code}.retained_earnings")


def _percent(part: Percent) -> Decimal | None:
    try:
        return Decimal(str(part))
    except InvalidOperation:
        return None


def _look_mistakes(settings: BookSettings) -> Iterator[Mistake]:
    for name, style in settings.styles.items():
        if style.decimals is not None and not 0 <= style.decimals <= 4:
            yield Mistake("out of range", f"styles.{name}.decimals", str(style.decimals), "0 to 4")
    if not 5 <= settings.page.margins <= 50:
        yield Mistake("out of range", "page.margins", str(settings.page.margins), "5 to 50 millimetres")
    if not LEAST_SIZE <= settings.page.font_size <= MOST_SIZE:
        allowed = f"{LEAST_SIZE} to {MOST_SIZE} points"
        yield Mistake("out of range", "page.font_size", str(settings.page.font_size), allowed)
    wrong = wrong_place(settings.page.period_line)
    if wrong:
        yield Mistake("stands for nothing of a report", "page.period_line", repr(wrong), listed(PLACES))
    logo = settings.page.logo
    if logo and not logo.lower().endswith((".png", ".jpg", ".jpeg")):
        yield Mistake("not an image that every format takes", "page.logo", repr(logo), "a .png or .jpg file")
