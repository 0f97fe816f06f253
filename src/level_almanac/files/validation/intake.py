"""Check the `[[intake]]` blocks of `almanac.toml`: what each maps, and how its dates and numbers are written."""

from collections.abc import Iterator, Set

from level_almanac.errors import Mistake, listed, nearest
from level_almanac.files.database_url import is_reading, url_mistakes
from level_almanac.files.patterns import period_pattern, strptime_pattern
from level_almanac.files.settings import BookSettings, IntakeBlock
from level_almanac.files.tables import Table, tables_of


def intake_mistakes(where: str, block: IntakeBlock, settings: BookSettings) -> Iterator[Mistake]:
    """Yield the mistakes in one block. where: its place, as messages call it."""
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
    yield from _source_mistakes(where, block)
    yield from _size_mistakes(where, block)
    if not block.negatives:
        yield Mistake("no way to write a negative is named", f"{where}.negatives")


def _source_mistakes(where: str, block: IntakeBlock) -> Iterator[Mistake]:
    """Yield what does not fit the format: a database needs a query, the others need files."""
    sql = block.format == "sql"
    for key in ("name", "url", "query"):
        if sql and not getattr(block, key):
            yield Mistake("a database needs this key", f"{where}.{key}")
        elif not sql and getattr(block, key):
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
    for key, default in (("sheet", ""), ("head_row", 1)):
        if block.format != "xlsx" and getattr(block, key) != default:
            yield Mistake("this key is for a workbook", f"{where}.{key}", allowed='format = "xlsx" beside it')
    for key in ("head_row", "unpacked_mb"):
        if getattr(block, key) < 1:
            yield Mistake("out of range", f"{where}.{key}", allowed="1 or more")


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
    # Heads that are the fields' own names need no mapping, and whether an export has them shows once it is read.
    given = block.fields.keys() | block.set.keys() if block.fields else {field.name for field in table.fields}
    for field in table.fields:
        if field.required and field.name not in given:
            yield Mistake("this field is needed and not mapped", f"{where}.fields.{field.name}")
    entity = block.set.get("entity")
    if entity is not None and entity not in settings.entities:
        hint = nearest(entity, settings.entities)
        yield Mistake("unknown entity", f"{where}.set.entity", repr(entity), listed(settings.entities), hint)
    if block.fields:
        yield from _amount_mistakes(where, table, given)


def _amount_mistakes(where: str, table: Table, given: Set[str]) -> Iterator[Mistake]:
    if table.plan_of:
        for one, other in (("period", "date"), ("amount", "share")):
            if not {one, other} & given:
                allowed = f"{one} or {other}"
                yield Mistake("this field is needed and not mapped", f"{where}.fields.{one}", allowed=allowed)
        if ("share" in given) != ("share_of" in given):
            yield Mistake("share and share_of go together", f"{where}.fields", allowed="both of them or neither")
    if table.name == "ledger":
        amounts = {"debit", "credit", "amount"} & given
        if amounts not in ({"debit", "credit"}, {"amount"}):
            got = " and ".join(sorted(amounts)) or "none of them"
            yield Mistake("no clear amount", f"{where}.fields", got, "debit and credit, or one signed amount")
