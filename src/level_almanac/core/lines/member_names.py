"""What the members of a field are called, where another table names them."""

from collections.abc import Mapping

from level_almanac.core.book import Book
from level_almanac.files.tables import Table
from level_almanac.store.line_query import Asked, groups


def names_of(book: Book, table: Table, field: str) -> dict[str, str]:
    """Return the names of a field's members by their codes; none where it leads to no table that names them."""
    target: str | None = table.name
    for hop in field.split("."):
        target = book.tables[target].links.get(hop) if target else None
    if not target or book.tables[target].field("name") is None:
        return {}
    linked = book.line_fields(target)
    key = linked.by_name[linked.table.key[0]].value
    rows = groups(book.engine, book.line_source(linked), [key], [Asked(linked.by_name["name"].value, "only")])
    return {str(code): str(name) for code, _, name in rows if name is not None}


def linked_values(book: Book, table: Table, field: str) -> dict[str, str]:
    """Return what each code of a field leads to: of `vessel.kind`, the kinds of vessels by their codes."""
    root, _, rest = field.partition(".")
    linked = book.line_fields(table.links[root])
    key = linked.by_name[linked.table.key[0]].value
    rows = groups(book.engine, book.line_source(linked), [key], [Asked(linked.by_name[rest].value, "only")])
    return {str(code): str(value) for code, _, value in rows if value is not None}


def called(names: Mapping[str, str], field: str, member: str | None) -> str:
    """Return what a member is called: its code and its name, where it has one of another table."""
    if member is None:
        return f"(no {field})"
    name = names.get(member, member)
    return member if name == member else f"{member} {name}"
