"""The tables that a book can hold: their fields, keys and kinds (docs/loading.md)."""

from collections.abc import Mapping
from typing import Literal, NamedTuple

from level_almanac.book.settings import TableSettings

Kind = Literal["text", "date", "amount", "quantity", "whole", "period"]
ACCOUNT_CLASSES = ("asset", "liability", "equity", "income", "direct-cost", "expense")
INCOME_CLASSES = ("income", "direct-cost", "expense")


class Field(NamedTuple):
    """One field of a table. choices: the only values it takes, where it takes but a few."""

    name: str
    kind: Kind = "text"
    required: bool = False
    choices: tuple[str, ...] = ()


class Table(NamedTuple):
    """One table: its fields, and the names of those that together tell one line from every other."""

    name: str
    key: tuple[str, ...]
    fields: tuple[Field, ...]

    @property
    def further(self) -> tuple[str, ...]:
        """The text fields that the book declares for it."""
        built_in = BUILT_IN[self.name].fields
        return tuple(field.name for field in self.fields if field.kind == "text" and field not in built_in)

    def field(self, name: str) -> Field | None:
        """Return the field of this name, or None."""
        return next((field for field in self.fields if field.name == name), None)


LEDGER = Table(
    "ledger",
    ("entity", "journal", "line"),
    (
        Field("entity", required=True),
        Field("journal", required=True),
        Field("line", required=True),
        Field("posted", "date", required=True),
        Field("period", "period"),
        Field("account", required=True),
        Field("debit", "amount"),
        Field("credit", "amount"),
        Field("amount", "amount"),
        Field("source"),
        Field("batch"),
        Field("document"),
        Field("reference"),
        Field("party"),
        Field("partner"),
        Field("memo"),
        Field("original_amount", "quantity"),
        Field("currency"),
    ),
)
ACCOUNTS = Table(
    "accounts",
    ("account",),
    (
        Field("account", required=True),
        Field("name", required=True),
        Field("class", required=True, choices=ACCOUNT_CLASSES),
        Field("parent"),
        Field("control", choices=("payable", "receivable")),
    ),
)
BUDGET = Table(
    "budget",
    ("scenario", "entity", "account", "period", "date"),
    (
        Field("scenario", required=True),
        Field("entity", required=True),
        Field("account", required=True),
        Field("period", "period"),
        Field("date", "date"),
        Field("amount", "amount"),
        Field("share", "quantity"),
        Field("share_of"),
    ),
)
BUILT_IN = {table.name: table for table in (LEDGER, ACCOUNTS, BUDGET)}
DATE_OF = {"ledger": "posted", "budget": "date"}
"""The date of a table whose lines stand in the calendar."""


def tables_of(declared: Mapping[str, TableSettings]) -> dict[str, Table]:
    """Return every table by name, with the further fields that the book declares for it."""
    tables = dict(BUILT_IN)
    for name, settings in declared.items():
        if name in tables:
            base = tables[name]
            further = tuple(Field(field, kind) for field, kind in settings.fields.items())
            # A plan is kept for each combination of what the book declares; a ledger line has a number of its own.
            dimensions = tuple(field.name for field in further if field.kind == "text") if name == "budget" else ()
            tables[name] = Table(name, base.key + dimensions, base.fields + further)
    return tables
