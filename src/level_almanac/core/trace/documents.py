"""The documents behind a figure of aging, documents or parties: what settled each, and its lines in the ledger."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.lines.source_place import SOURCE_PLACE
from level_almanac.core.settlements.item import Item
from level_almanac.core.subledger.open_items import Application
from level_almanac.core.subledger.open_on_day import OpenOnDay
from level_almanac.core.subledger.subledger import Subledger
from level_almanac.core.table.model import Column, CountedAmount, Proof, ReportTable, Row, heading
from level_almanac.core.table.pointing import head_words
from level_almanac.core.trace.frame import framed, others_of, sum_check, total_row
from level_almanac.store.expressions import Expression, FieldReference
from level_almanac.store.line_query import Order, lines
from level_almanac.store.predicate import FieldTest, Predicate, Some

_ZERO = Decimal(0)
Share = tuple[Item, Decimal]
"""A line, and what of the figure it makes up."""


class TracedDocuments(NamedTuple):
    """The report, the row and column that were meant, and the lines that make up the figure."""

    table: ReportTable
    row: Row
    column: Column
    subledger: Subledger
    open: OpenOnDay
    shares: Sequence[Share]


def documents_table(found: TracedDocuments) -> ReportTable:
    """Return the report: each document with its applications and ledger lines."""
    subledger = found.subledger
    total = sum((share for _, share in found.shares), _ZERO)
    decimals = subledger.selection.decimals
    keys = [subledger.key_of(item) for item, _ in found.shares]
    everything = subledger.considered()
    shown = CountedAmount(len(found.shares), sum((item.signed for item, _ in found.shares), _ZERO))
    return framed(
        found.table,
        found.row,
        head_words(found.column),
        (
            Column("date", "in effect", "date"),
            Column("amount", "document", "amount", decimals, adds=False),
            found.column._replace(key="figure", adds=True),
            Column("account", "account", "text"),
            Column("ledger", "in the ledger", "amount", decimals, covers="debits positive", adds=False),
            Column("export", "line of the export", "text"),
        ),
        [*_rows(found), total_row("figure", total, keys)],
        "document",
        Proof(
            measure="amount, signed by kind",
            considered=everything,
            shown=shown,
            left_out=others_of(everything, shown),
            checks=(sum_check("the documents sum to the figure", total, found.row.cells.get(found.column.key)),),
            decimals=decimals,
            table=subledger.table,
        ),
    )


def _rows(found: TracedDocuments) -> Iterator[Row]:
    applied: defaultdict[str, list[Application]] = defaultdict(list)
    for application in found.open.applications(item for item, _ in found.shares):
        applied[application.to.place].append(application)
        applied[application.by.place].append(application)
    ledger = _ledger(found)
    for item, share in found.shares:
        key = found.subledger.key_of(item)
        line = "" if item.line == "1" else f"/{item.line}"
        name = found.subledger.name_of(item.party)
        yield heading(key, f"{item.party} {name}: {item.kind} {item.number}{line}")
        yield Row(
            f"{key}>own", item.kind, 1, "line", {"date": item.posted, "amount": item.signed, "export": item.export}
        )
        for application in sorted(applied[item.place], key=lambda each: each.day):
            is_settled = application.to.place == item.place
            other = application.by if is_settled else application.to
            yield Row(
                f"{key}>{other.key}",
                f"{'settled by' if is_settled else 'settles'} {other.kind} {other.number}",
                1,
                "line",
                {"date": application.day, "amount": -item.sign * application.amount, "export": other.export},
            )
        booked = ledger.of(item.entity, item.party, "document", item.number)
        for number, (words, cells) in enumerate(booked, 1):
            yield Row(f"{key}>ledger{number}", f"ledger {words}", 1, "line", cells)
        paid = ledger.of(item.entity, item.party, "reference", item.reference) if item.reference else []
        for number, (words, cells) in enumerate(paid, 1):
            yield Row(f"{key}>run{number}", f"ledger {words}, by its reference", 1, "line", cells)
        yield Row(key, f"{item.number}{line} in the figure", 0, "subtotal", {"figure": share})


class _Ledger(NamedTuple):
    """Ledger lines by entity, by `document` or `reference`, and by what stands there; each with its party, if any."""

    lines: Mapping[tuple[str, str, str], Sequence[tuple[str | None, str, dict[str, Any]]]]

    def of(self, entity: str, party: str, by: str, word: str) -> list[tuple[str, dict[str, Any]]]:
        """Return the lines under a word that are of this party, or of none: numbers are each party's own."""
        found = self.lines.get((entity, by, word), ())
        return [(words, cells) for of, words, cells in found if of is None or of == party]


def _ledger(found: TracedDocuments) -> _Ledger:
    """Return the ledger lines of the documents by their number, and those of payments by their reference."""
    items = [item for item, _ in found.shares]
    if not items:
        return _Ledger({})
    numbers = {item.number for item in items}
    references = {item.reference for item in items if item.reference}
    rules: list[Predicate] = [
        FieldTest("entity", "is", tuple(sorted({item.entity for item in items}))),
        Some(
            (
                FieldTest("document", "is", tuple(sorted(numbers))),
                FieldTest("reference", "is", tuple(sorted(references)) or ("",)),
            )
        ),
    ]
    subledger = found.subledger
    book = subledger.book
    names = ("entity", "journal", "line", "posted", "account", "document", "reference", "party", "amount")
    values: list[Expression] = [*(FieldReference(name) for name in names), SOURCE_PLACE]
    source = book.line_source(book.line_fields("ledger"), rules)
    order = [
        Order(FieldReference("posted")),
        Order(FieldReference("journal")),
        Order(FieldReference("line"), as_number=True),
    ]
    under: defaultdict[tuple[str, str, str], list[tuple[str | None, str, dict[str, Any]]]] = defaultdict(list)
    for row in lines(book.engine, source, values, order):
        entity, journal, line, posted, account, document, reference, party, amount, place = row
        cells = {"date": posted, "account": account, "ledger": amount, "export": place}
        told = (subledger.standing(party) if party else None, f"{journal}/{line}", cells)
        if document in numbers:
            under[entity, "document", document].append(told)
        elif reference:
            under[entity, "reference", reference].append(told)
    return _Ledger(under)
