"""Check the `[[intake]]` blocks of `almanac.toml`: what each maps, and how its dates and numbers are written."""

import re
from collections.abc import Iterator, Set

from level_almanac.errors import Mistake, listed, nearest
from level_almanac.files.database_url import is_reading, url_mistakes
from level_almanac.files.patterns import day_pattern, is_plain_day, period_pattern, strptime_pattern
from level_almanac.files.settings import BookSettings, FieldSource, IntakeBlock
from level_almanac.files.tables import ACCOUNT_CLASSES, Table, tables_of

SHEETS = ("xlsx", "xls", "xlsb", "ods")
"""The formats of workbooks."""
YEAR_PLACES = ("file name", "sheet name")
"""Where a year may stand that days or periods do not tell."""
_YEAR = re.compile(r"(19|20|21)\d\d")
_LETTERS = re.compile(r"([1-9]\d*)-([1-9]\d*)")
_FOR_FORMATS = {
    "sheet": SHEETS, "columns": ("fixed",), "path": ("json", "xml"), "quotes": ("csv",), "uneven_rows": ("csv",),
    "head_row": (*SHEETS, "csv", "fixed"), "head_rows": (*SHEETS, "csv", "fixed"),
}  # fmt: skip
"""Keys that only some formats take."""


def intake_mistakes(where: str, block: IntakeBlock, settings: BookSettings) -> Iterator[Mistake]:
    """Yield the mistakes in one block. where: its place, as messages call it."""
    tables = tables_of(settings.tables)
    table = tables.get(block.table)
    if table is None:
        hint = nearest(block.table, tables)
        yield Mistake("unknown table", f"{where}.table", repr(block.table), listed(tables), hint)
        return
    yield from _mapping_mistakes(where, block, table, settings)
    yield from _pattern_mistakes(where, block)
    if len(block.delimiter) != 1 or block.delimiter in '"\r\n':
        yield Mistake("not a delimiter", f"{where}.delimiter", repr(block.delimiter), "one character")
    if block.decimal == block.thousands:
        yield Mistake("the same as the decimal sign", f"{where}.thousands", repr(block.thousands), "another sign")
    yield from _source_mistakes(where, block)
    yield from _size_mistakes(where, block)
    yield from _shape_mistakes(where, block, table)
    if not block.negatives:
        yield Mistake("no way to write a negative is named", f"{where}.negatives")


def _pattern_mistakes(where: str, block: IntakeBlock) -> Iterator[Mistake]:
    plain = is_plain_day(block.date_patterns)
    for pattern in block.date_patterns:
        found = day_pattern(pattern)
        if strptime_pattern(pattern) is None and found is None:
            yield Mistake("not a date pattern", f"{where}.dates", repr(pattern), "DD, MM and YYYY, as in 'DD.MM.YYYY'")
        elif not plain and found is None:
            yield Mistake("a zone cannot stand beside these patterns", f"{where}.dates", repr(pattern))
        elif not plain and found is not None:
            if not found.has_year and not block.year:
                allowed = f"year = 2026, or {listed(repr(each) for each in YEAR_PLACES)}"
                yield Mistake("the pattern tells no year", f"{where}.dates", repr(pattern), allowed)
            if not found.has_day and not block.day:
                yield Mistake("the pattern tells no day", f"{where}.dates", repr(pattern), 'day = "last" or "first"')
    if period_pattern(block.period) is None:
        allowed = "PP or PPP, mostly with YYYY, as in 'YYYY-PP'"
        yield Mistake("not a period pattern", f"{where}.period", repr(block.period), allowed)
    if block.year and block.year not in YEAR_PLACES and not _YEAR.fullmatch(str(block.year)):
        allowed = f"a year such as 2026, or {listed(repr(each) for each in YEAR_PLACES)}"
        yield Mistake("not a year", f"{where}.year", repr(block.year), allowed)


def _source_mistakes(where: str, block: IntakeBlock) -> Iterator[Mistake]:
    """Yield what does not fit the format: a database needs a query, the others need files."""
    sql = block.format == "sql"
    for key in ("name", "url", "query"):
        if sql and not getattr(block, key):
            yield Mistake("a database needs this key", f"{where}.{key}")
        elif not sql and key != "name" and getattr(block, key):
            yield Mistake("this key is for a database", f"{where}.{key}", allowed='format = "sql" beside it')
    if sql and block.url:
        yield from url_mistakes(block.url, f"{where}.url")
    if sql and block.query and not is_reading(block.query):
        yield Mistake("the query does more than read", f"{where}.query", allowed="one that begins with SELECT or WITH")
    if not sql and not block.file_patterns:
        yield Mistake("this key is missing", f"{where}.files")
    if sql and block.file_patterns:
        yield Mistake("a database has no files", f"{where}.files", allowed="name, url and query")


def _size_mistakes(where: str, block: IntakeBlock) -> Iterator[Mistake]:
    for key, formats in _FOR_FORMATS.items():
        if block.format not in formats and getattr(block, key) != _DEFAULTS[key]:
            words = "a workbook" if formats == SHEETS else "another format"
            step = f"format = {listed(repr(each) for each in formats)} beside it".replace("'", '"')
            yield Mistake(f"this key is for {words}", f"{where}.{key}", allowed=step)
    for key, least in (("head_row", 0), ("head_rows", 1), ("unpacked_mb", 1)):
        if getattr(block, key) < least:
            yield Mistake("out of range", f"{where}.{key}", allowed=f"{least} or more")
    if block.format == "fixed" and not block.columns:
        yield Mistake("fixed-width text needs this key", f"{where}.columns", allowed='columns = { NAME = "1-6" }')
    for name, told in block.columns.items():
        found = _LETTERS.fullmatch(told)
        if found is None or int(found[1]) > int(found[2]):
            yield Mistake("not a column's letters", f"{where}.columns.{name}", repr(told), "the first and last, as 1-6")


_DEFAULTS = {key: getattr(IntakeBlock(table=""), key) for key in _FOR_FORMATS}


def _shape_mistakes(where: str, block: IntakeBlock, table: Table) -> Iterator[Mistake]:
    """Yield what does not go together in the keys that say which rows, cells and signs there are."""
    yield from _sign_mistakes(where, block, table)
    for field, sign in block.split.items():
        if field not in block.fields:
            yield Mistake("this field is not mapped", f"{where}.split.{field}")
        if not sign:
            yield Mistake("not a sign", f"{where}.split.{field}", repr(sign), "what stands between the values")
    if block.repeated and table.is_placed:
        yield Mistake("a ledger or a plan has each line once", f"{where}.repeated", allowed="another table")
    if block.parents and table.name != "accounts":
        yield Mistake("this key is for the chart", f"{where}.parents", allowed='table = "accounts" beside it')
    if block.parents and bool(block.parents.level) == bool(block.parents.lengths):
        yield Mistake("one of the two is told", f"{where}.parents", allowed="level, or lengths")
    if block.later_by not in ("file name", "date in name"):
        teller = table.field(block.later_by)
        if teller is None or teller.name in table.key:
            names = [each.name for each in table.fields if each.name not in table.key]
            allowed = f"'file name', 'date in name', or a field: {listed(names)}"
            yield Mistake("nothing that tells which is later", f"{where}.later_by", repr(block.later_by), allowed)


def _sign_mistakes(where: str, block: IntakeBlock, table: Table) -> Iterator[Mistake]:
    if block.sides and not block.sides.credit:
        yield Mistake("this key is missing", f"{where}.sides.credit", allowed="the words of a credit")
    if block.sides and set(block.sides.debit) & set(block.sides.credit):
        yield Mistake("the same word for both sides", f"{where}.sides")
    if block.signs in ("ledger", "natural") and not table.field("account"):
        yield Mistake("this is for tables with accounts", f"{where}.signs", repr(block.signs), "turned")
    kind = table.field("kind")
    if block.turned_kinds and kind is None:
        yield Mistake(f"the table {table.name} has no kinds", f"{where}.turned_kinds")
    for name in block.turned_kinds if kind else ():
        if kind and name not in kind.choices:
            hint = nearest(name, kind.choices)
            yield Mistake("unknown kind", f"{where}.turned_kinds", repr(name), listed(kind.choices), hint)


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
    for name, source in block.field_sources.items():
        yield from _field_source_mistakes(f"{where}.fields.{name}", source)
    yield from _needed_mistakes(where, block, table, settings)


def _needed_mistakes(where: str, block: IntakeBlock, table: Table, settings: BookSettings) -> Iterator[Mistake]:
    # Heads that are the fields' own names need no mapping, and whether an export has them shows once it is read.
    given = block.fields.keys() | block.set.keys() if block.fields else {field.name for field in table.fields}
    by_book = {"class"} if table.name == "accounts" and settings.chart.classes else set()
    for field in table.fields:
        if field.required and field.name not in given | by_book:
            allowed = f"a head, or [chart.classes] for {listed(ACCOUNT_CLASSES)}" if field.name == "class" else ""
            yield Mistake("this field is needed and not mapped", f"{where}.fields.{field.name}", allowed=allowed)
    entity = block.set.get("entity")
    if entity is not None and entity not in settings.entities:
        hint = nearest(entity, settings.entities)
        yield Mistake("unknown entity", f"{where}.set.entity", repr(entity), listed(settings.entities), hint)
    if block.fields:
        yield from _amount_mistakes(where, block, table, given)


def _field_source_mistakes(where: str, source: FieldSource) -> Iterator[Mistake]:
    told = [bool(source.head), bool(source.join), bool(source.either)]
    if sum(told) != 1:
        yield Mistake("one of the three is told", where, allowed="head, join or either")
    if source.until and not source.down:
        yield Mistake("nothing is carried down", f"{where}.until", allowed="down = true beside it")
    if not 0 <= source.width <= 40:
        yield Mistake("out of range", f"{where}.width", str(source.width), "0 to 40")


def _amount_mistakes(where: str, block: IntakeBlock, table: Table, given: Set[str]) -> Iterator[Mistake]:
    if table.plan_of:
        for one, other in (("period", "date"), ("amount", "share")):
            if not {one, other} & given:
                allowed = f"{one} or {other}"
                yield Mistake("this field is needed and not mapped", f"{where}.fields.{one}", allowed=allowed)
        if ("share" in given) != ("share_of" in given):
            yield Mistake("share and share_of go together", f"{where}.fields", allowed="both of them or neither")
    if table.name == "ledger":
        amounts = {"debit", "credit", "amount"} & given
        if amounts not in ({"debit", "credit"}, {"debit"}, {"credit"}, {"amount"}):
            got = " and ".join(sorted(amounts)) or "none of them"
            yield Mistake("no clear amount", f"{where}.fields", got, "debit and credit, or one signed amount")
    if block.sides and "amount" not in given:
        yield Mistake("sides are of an amount", f"{where}.sides", allowed="the field amount mapped")
