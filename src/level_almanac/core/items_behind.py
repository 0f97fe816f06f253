"""The documents behind a figure of aging, documents or parties: what settled each, and its lines in the ledger."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.aging import TOTAL, Aging, AgingRequest
from level_almanac.core.behind import find_column, find_row, head_words
from level_almanac.core.book import Book
from level_almanac.core.documents import Documents, DocumentsRequest
from level_almanac.core.items import Application, OpenItems, replay
from level_almanac.core.parties import COLUMNS, STANDING, Parties, PartiesRequest
from level_almanac.core.report_table import Check, Column, Counted, Part, Proof, ReportTable, Row
from level_almanac.core.subledger import Subledger
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.store.expressions import Column as Place
from level_almanac.store.expressions import Constant, Expression, Joined
from level_almanac.store.line_query import Order, lines
from level_almanac.store.predicate import FieldTest, Predicate, Some

_ZERO = Decimal(0)
_PLACE = Joined((Place("file"), Constant(":"), Place("file_line")))
Share = tuple[int, Decimal]
"""The position of a line among those posted by the day, and what of the figure it makes up."""


class _Found(NamedTuple):
    """The report, the row and column that were meant, and the lines that make up the figure."""

    table: ReportTable
    row: Row
    column: Column
    subledger: Subledger
    open: OpenItems
    shares: Sequence[Share]


def aging_behind(book: Book, request: AgingRequest, row: str, column: str, today: date) -> ReportTable:
    """Return the documents behind a figure of an aging; raises UsageMistake for a row or column that it lacks."""
    made = Aging(book, request, today)
    table = made.table()
    found, named = find_row(table, row), find_column(table, column or TOTAL)
    if found.key == "percent" or named.key == "share":
        raise UsageMistake(
            Mistake("this figure is computed from others", "--row", repr(row), next_step="trace amounts")
        )
    shown = {each.key for each in table.rows}
    shares = []
    for at, item, left in made.shown():
        key = made.key_of(made.member_of(item))
        in_row = found.key in (key, "total") or (found.key == "all-other" and key not in shown)
        if in_row and named.key in (TOTAL, made.bucket_of(item)):
            shares.append((at, left))
    return _table(_Found(table, found, named, made.subledger, made.open, shares))


def documents_behind(book: Book, request: DocumentsRequest, row: str, column: str, today: date) -> ReportTable:
    """Return what a document, or all of a group, is made of; raises UsageMistake as `aging_behind` does."""
    made = Documents(book, replace(request, settled=False), today)
    table = made.table()
    found, named = find_row(table, row), find_column(table, column or "open")
    amounts = {
        "amount": lambda at: made.open.items[at].signed,
        "settled": lambda at: made.open.left[at] - made.open.items[at].signed,
        "open": lambda at: made.open.left[at],
    }
    if named.key not in amounts:
        step = "name amount, settled or open"
        raise UsageMistake(Mistake("no sum of documents", "--column", repr(head_words(named)), next_step=step))
    positions = {made.subledger.key_of(made.open.items[at]): at for at in made.shown}
    if found.key in positions:
        wanted = [positions[found.key]]
    elif found.key == "total":
        wanted = made.shown
    elif found.key == "shown":
        wanted = made.shown[: request.top]
    else:
        wanted = [at for at in made.shown if made.group_of(made.open.items[at]) == found.key]
    shares = [(at, amounts[named.key](at)) for at in wanted]
    return _table(_Found(table, found, named, made.subledger, made.open, shares))


def parties_behind(book: Book, request: PartiesRequest, row: str, column: str, today: date) -> ReportTable:
    """Return the documents behind a party's total; raises UsageMistake as `aging_behind` does."""
    made = Parties(book, request, today)
    table = made.table()
    found = find_row(table, row)
    named = find_column(table, column or next(each.key for each in table.columns if each.kind == "amount"))
    if named.kind not in ("amount", "count"):
        step = "name a column of amounts or numbers"
        raise UsageMistake(Mistake("no sum of documents", "--column", repr(head_words(named)), next_step=step))
    totals = {"total": made.kept, "shown": made.kept[: request.top]}
    wanted = set(totals.get(found.key, (found.key,)))
    shares: list[Share] = []
    open_ = made.open
    if named.key in STANDING:
        shares = [
            (at, left)
            for at, (item, left) in enumerate(zip(made.open.items, made.open.left, strict=True))
            if left and item.party in wanted and (named.key == "open" or made.is_overdue(item))
        ]
    else:
        kinds = COLUMNS[named.key].kinds
        items = [item for party in sorted(wanted) for item in made.by_party[party].met if item.kind in kinds]
        # By their own date, documents can be in the days that were posted after them.
        posted = max([made.day, *(item.posted for item in items)])
        open_ = made.open if posted == made.day else replay(made.subledger.chosen, posted)
        places = {item.place: at for at, item in enumerate(open_.items)}
        counted: set[tuple[str, str, str]] = set()
        for item in items:
            name = (item.entity, item.party, item.number)
            # A number over several lines is counted once.
            share = kinds[item.kind] * item.amount if named.kind == "amount" else Decimal(name not in counted)
            counted.add(name)
            shares.append((places[item.place], share))
    return _table(_Found(table, found, named, made.subledger, open_, shares))


def _table(found: _Found) -> ReportTable:
    """Return the report: each document with its applications and ledger lines."""
    subledger, open_ = found.subledger, found.open
    total = sum((share for _, share in found.shares), _ZERO)
    cell = found.row.cells.get(found.column.key)
    decimals = subledger.selection.decimals
    rows = list(_rows(found))
    keys = [subledger.key_of(open_.items[at]) for at, _ in found.shares]
    rows.append(Row("total", "Total", 0, "total", {"figure": total}, adds=tuple((1, key) for key in keys)))
    shown = Decimal(cell) if isinstance(cell, Decimal | int) else _ZERO
    off = "" if total == shown else f": off by {total - shown:+,f}"
    everything = subledger.considered()
    behind = sum((open_.items[at].signed for at, _ in found.shares), _ZERO)
    others = Counted(everything.lines - len(found.shares), everything.amount - behind)
    return ReportTable(
        title=f"Behind {found.row.label}",
        facts={**found.table.facts, "traced": found.row.key, "report": found.table.title},
        subtitle=(f"{found.table.title} · {found.row.label} · {head_words(found.column)}", *found.table.subtitle),
        columns=(
            Column("date", "in effect", "date"),
            Column("amount", "document", "amount", decimals, adds=False),
            found.column._replace(key="figure", adds=True),
            Column("account", "account", "text"),
            Column("ledger", "in the ledger", "amount", decimals, covers="debits positive", adds=False),
            Column("export", "line of the export", "text"),
        ),
        rows=tuple(rows),
        key_label="document",
        proof=Proof(
            measure="amount, signed by kind",
            considered=everything,
            shown=Counted(len(found.shares), behind),
            left_out=(Part("not behind it", others),) if others.lines else (),
            checks=(Check(f"the documents sum to the figure{off}", not off),),
            decimals=decimals,
            table=subledger.table,
        ),
    )


def _rows(found: _Found) -> Iterator[Row]:
    open_ = found.open
    applied: defaultdict[int, list[Application]] = defaultdict(list)
    for application in open_.applications:
        applied[application.to].append(application)
        applied[application.by].append(application)
    ledger = _ledger(found)
    for at, share in found.shares:
        item = open_.items[at]
        key = found.subledger.key_of(item)
        line = "" if item.line == "1" else f"/{item.line}"
        name = found.subledger.name_of(item.party)
        yield Row(f"{key}:heading", f"{item.party} {name}: {item.kind} {item.number}{line}", 0, "heading")
        yield Row(
            f"{key}>own", item.kind, 1, "line", {"date": item.posted, "amount": item.signed, "export": item.place}
        )
        for application in sorted(applied[at], key=lambda each: each.day):
            other = open_.items[application.by if application.to == at else application.to]
            yield Row(
                f"{key}>{other.key}",
                f"{'settled by' if application.to == at else 'settles'} {other.kind} {other.number}",
                1,
                "line",
                {"date": application.day, "amount": -item.sign * application.amount, "export": other.place},
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


def _ledger(found: _Found) -> _Ledger:
    """Return the ledger lines of the documents by their number, and those of payments by their reference."""
    items = [found.open.items[at] for at, _ in found.shares]
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
    values: list[Expression] = [*(Place(name) for name in names), _PLACE]
    source = book.line_source(book.line_fields("ledger"), rules)
    order = [Order(Place("posted")), Order(Place("journal")), Order(Place("line"), as_number=True)]
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
