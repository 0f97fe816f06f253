"""The tables that a book can hold: their fields, keys and kinds (docs/loading.md)."""

from collections.abc import Mapping
from typing import Literal, NamedTuple

from level_almanac.files.settings import FieldKind, TableSettings

Kind = Literal["text", "date", "amount", "quantity", "whole", "period"]
ACCOUNT_CLASSES = ("asset", "liability", "equity", "income", "direct-cost", "expense")
INCOME_CLASSES = ("income", "direct-cost", "expense")
COST_CLASSES = ("direct-cost", "expense")
CREDIT_CLASSES = ("income", "liability", "equity")
"""The classes whose natural sign is a credit's."""
SIDES = ("payable", "receivable")
SIDE_OF = {"payable": "payables", "receivable": "receivables"}
"""The table of documents on each side."""
KIND_SIGNS = {"invoice": 1, "credit": -1, "payment": -1, "write-off": -1, "refund": 1, "void": 1}
"""What a line of each kind does to what a party owes or is owed; its amount itself is never negative."""
BILLING_SIGNS = {"charge": 1, "payer-payment": -1, "customer-payment": -1, "adjustment": 1}
"""What a line of each kind does to what was billed and is still to come; an adjustment has its own sign."""


class Field(NamedTuple):
    """One field of a table. choices: the only values it takes, where it takes but a few; positive: whether an amount
    never is negative, since another field fixes its sign; default: what it has where it is blank; like: the field
    whose value it has where it is blank; price: whether it is a number that does not add up.
    """

    name: str
    kind: Kind = "text"
    required: bool = False
    choices: tuple[str, ...] = ()
    positive: bool = False
    default: str = ""
    like: str = ""
    price: bool = False


class Table(NamedTuple):
    """One table: its fields, and the names of those that together tell one line from every other.

    date: the field that is the date that counts, or empty; links: fields whose values are keys of other tables, to
    those tables' names; number_like: text fields that are compared and sorted as numbers; plan_of: the table whose
    lines it plans, or empty; compute: fields that the book computes for it, by name.

    entries: whether its lines are ledger entries, which have classes and count in the period they are booked in;
    in_periods: whether days that are asked for take in its lines by their place in the calendar; usual_measure: what
    growth, rankings and pace are of; usual_columns, usual_sums: what a list shows of its lines, and of groups of them;
    order: of lines that nothing else is asked of; signs: of its amounts, in words; called: how a sentence on it begins;
    foreign: fields that are amounts in another currency, by the field that tells which; weights: by price, the field
    that its average is weighted by; labels: by field, what stands over its figures in place of its name.
    Each of these is empty where nothing of its own is said.
    """

    name: str
    key: tuple[str, ...]
    fields: tuple[Field, ...]
    date: str = ""
    links: Mapping[str, str] = {}
    number_like: frozenset[str] = frozenset()
    plan_of: str = ""
    compute: Mapping[str, str] = {}
    entries: bool = False
    in_periods: bool = False
    usual_measure: str = ""
    usual_columns: str = ""
    usual_sums: tuple[str, ...] = ()
    order: tuple[str, ...] = ()
    signs: str = ""
    called: str = ""
    foreign: Mapping[str, str] = {}
    weights: Mapping[str, str] = {}
    labels: Mapping[str, str] = {}

    @property
    def proof_measure(self) -> str:
        """What a proof of its lines adds up, in words."""
        return f"{self.measure}, {self.signs}" if self.signs else self.measure or "nothing to add up"

    @property
    def is_placed(self) -> bool:
        """Whether each of its lines has a place in the fiscal calendar, which may be a whole period."""
        return self.entries or bool(self.plan_of)

    @property
    def further(self) -> tuple[str, ...]:
        """The text fields that the book declares for it."""
        built_in = BUILT_IN[self.name].fields if self.name in BUILT_IN else ()
        return tuple(field.name for field in self.fields if field.kind == "text" and field not in built_in)

    @property
    def measure(self) -> str:
        """The amount that a proof of its lines adds up, or empty where it has none."""
        amounts = [field.name for field in self.fields if field.kind == "amount"]
        return "amount" if "amount" in amounts else amounts[0] if amounts else ""

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
    date="posted",
    entries=True,
    in_periods=True,
    usual_measure="natural",
    foreign={"original_amount": "currency"},
    usual_columns="posted, account, account.name, document, party, memo, amount",
    usual_sums=("amount",),
    order=("counted", "posted", "journal", "line"),
    signs="debits positive",
    called="the ledger is",
)
ACCOUNTS = Table(
    "accounts",
    ("account",),
    (
        Field("account", required=True),
        Field("name", required=True),
        Field("class", required=True, choices=ACCOUNT_CLASSES),
        Field("parent"),
        Field("control", choices=SIDES),
    ),
    usual_columns="name, class, parent, control",
    links={"parent": "accounts"},
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
    date="date",
    plan_of="ledger",
    in_periods=True,
)
PARTIES = Table(
    "parties", ("party",), (Field("party", required=True), Field("name", required=True), Field("side", choices=SIDES))
)


def _items(name: str) -> Table:
    """Return a table of documents and what is applied to them; `kind` fixes the sign of each line's amount."""
    return Table(
        name,
        ("entity", "party", "kind", "number", "line"),
        (
            Field("entity", required=True),
            Field("party", required=True),
            Field("kind", required=True, choices=tuple(KIND_SIGNS)),
            Field("number", required=True),
            Field("line", default="1"),
            Field("date", "date", required=True),
            Field("due", "date"),
            Field("posted", "date", like="date"),
            Field("amount", "amount", required=True, positive=True),
            Field("settles"),
            Field("applied", "date"),
            Field("reference"),
            Field("payee"),
            Field("memo"),
        ),
        date="posted",
        usual_measure="signed",
    )


BILLING = Table(
    "billing",
    ("entity", "number", "line"),
    (
        Field("entity", required=True),
        Field("number", required=True),
        Field("line", default="1"),
        Field("kind", required=True, choices=tuple(BILLING_SIGNS)),
        Field("served", "date"),
        Field("posted", "date"),
        Field("checked", "date"),
        Field("deposited", "date"),
        Field("office"),
        Field("desk"),
        Field("party"),
        Field("payer"),
        Field("reason"),
        Field("amount", "amount", required=True),
    ),
    date="posted",
    usual_measure="signed",
)
SALES = Table(
    "sales",
    ("entity", "number", "line"),
    (
        Field("entity", required=True),
        Field("number", required=True),
        Field("line", default="1"),
        Field("date", "date", required=True),
        Field("item", required=True),
        Field("quantity", "quantity"),
        Field("amount", "amount", required=True),
        Field("cost", "amount"),
    ),
    date="date",
)
BUILT_IN = {
    table.name: table
    for table in (LEDGER, ACCOUNTS, BUDGET, *(_items(name) for name in SIDE_OF.values()), PARTIES, BILLING, SALES)
}
DATED = (*SIDE_OF.values(), "billing", "sales")
"""Tables beside the ledger of which a state tells from which day through which their lines are."""


def plan_table(name: str, plan_of: str) -> Table:
    """Return the table of plans for another table, before the fields that the book declares for it."""
    told = tuple(field for field in BUDGET.fields if field.name != "account")
    return Table(name, ("scenario", "entity", "period", "date"), told, date="date", plan_of=plan_of)


def tables_of(declared: Mapping[str, TableSettings]) -> dict[str, Table]:
    """Return every table by name, with the further fields that the book declares for it, and the book's own tables.

    A field that is named like the one key field of another table links to that table.
    """
    tables = dict(BUILT_IN)
    for name, settings in declared.items():
        own = plan_table(name, settings.plan_of) if settings.plan_of else Table(name, tuple(settings.key), ())
        base = BUILT_IN.get(name, own)
        further = tuple(_further(field, kind, key=field in settings.key) for field, kind in settings.fields.items())
        # A plan is kept for each combination of what the book declares; a ledger line has a number of its own.
        dimensions = tuple(field.name for field in further if field.kind == "text") if base.plan_of else ()
        tables[name] = base._replace(
            key=base.key + dimensions,
            fields=base.fields + further,
            date=base.date or settings.date or _date_of(further),
            links={**base.links, **settings.links},
            number_like=frozenset(settings.number_like),
            compute=settings.compute,
            weights=_weights_of(base.fields + further, settings.weights),
            labels=settings.labels,
        )
    keys = {table.key[0]: table.name for table in tables.values() if len(table.key) == 1}
    return {
        name: table._replace(
            links={
                **{
                    field.name: keys[field.name]
                    for field in table.fields
                    if field.kind == "text" and keys.get(field.name, name) != name
                },
                **table.links,
            }
        )
        for name, table in tables.items()
    }


def _further(name: str, kind: FieldKind, *, key: bool) -> Field:
    return Field(name, "quantity", key, price=True) if kind == "price" else Field(name, kind, key)


def _weights_of(fields: tuple[Field, ...], told: Mapping[str, str]) -> Mapping[str, str]:
    """Return what each price is weighted by: what is told, or else the one quantity that there is."""
    quantities = [field.name for field in fields if field.kind == "quantity" and not field.price]
    prices = [field.name for field in fields if field.price]
    return {price: quantities[0] for price in prices if len(quantities) == 1} | dict(told)


def _date_of(fields: tuple[Field, ...]) -> str:
    dates = [field.name for field in fields if field.kind == "date"]
    return next((name for name in ("posted", "date") if name in dates), dates[0] if dates else "")
