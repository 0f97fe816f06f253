"""Invoices and credits one by one: all, open, overdue, or unapplied, with what settled each (docs/documents.md)."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any, Literal, get_args

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.language.days import DayExpression
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.requests.options import Option, Request, inner, option, options
from level_almanac.core.requests.shared import first_option, last_option, threshold_options
from level_almanac.core.spans.as_of import COVERS
from level_almanac.core.spans.asked_range import asked_days
from level_almanac.core.subledger.control import control_checks, over_notes
from level_almanac.core.subledger.item import Item, natural
from level_almanac.core.subledger.open_items import Application, replay
from level_almanac.core.subledger.subledger import Subledger, SubledgerRequest, Tally, age_of, later_words
from level_almanac.core.table.model import Cell, Check, Column, Note, Proof, ReportTable, Row, heading
from level_almanac.core.table.threshold import Threshold
from level_almanac.errors import Mistake, UsageMistake, how_many, listed, nearest

_ZERO = Decimal(0)
Which = Literal["all", "open", "overdue", "unapplied"]
DOCUMENTS = ("invoice", "credit")
_NUMBERS = ("amount", "settled", "open", "days", "late")
_SORTS = ("party", "number", "date", "due", *_NUMBERS)
_ITEM_DATES = ("posted", "date", "due")


def _which(given: Mapping[str, Any]) -> Which:
    asked = [name for name in ("open", "overdue", "unapplied") if given[name]]
    if len(asked) > 1:
        told = " and ".join(f"--{name}" for name in asked)
        raise UsageMistake(Mistake("these are lists of their own", told, next_step="ask for one of them"))
    return asked[0] if asked else "all"  # type: ignore[return-value]  # the names are those of the lists


@dataclass(frozen=True, slots=True, kw_only=True)
class DocumentsRequest(Request):
    """What is asked for. which: all documents, or those open, overdue or unapplied on the day; first, last: a range of
    days, both or neither, of the date that counts or of `date`; by: the field that they are in groups by, or empty;
    settled: whether what settled each stands beneath it; thresholds: on each document; sort: a column, or empty.
    """

    which: Which = options(
        Option("open", "Only what is open on the day.", "flag", default=False),
        Option("overdue", "Only invoices that are open past their due date.", "flag", default=False),
        Option("unapplied", "Only payments and credits that settle nothing yet.", "flag", default=False),
        build=_which, default="all", holds=lambda value: value in get_args(Which), allowed=listed(get_args(Which)),
    )  # fmt: skip
    settled: bool = option("settled", "What settled each, beneath it.", "flag")
    by: str = option("by", "In groups with totals, such as `party`.", metavar="FIELD", offers="field")
    sort: str = option("sort", "In order of this; amounts largest first.", metavar="COLUMN")
    top: int | None = option("top", "Only the first so many.", "count", metavar="N")
    thresholds: tuple[Threshold, ...] = threshold_options(
        "documents", "What the limits are on.  [default: open, or amount of all]"
    )
    of: SubledgerRequest = inner(SubledgerRequest, required=True, helps=COVERS)
    first: DayExpression | None = first_option()
    last: DayExpression | None = last_option()
    date: str = option("date", "The date that days are told by.  [default: posted]", metavar="FIELD", offers="field")


def documents(book: Book, request: DocumentsRequest) -> MadeReport:
    """Return the documents. Raises UsageMistake for what the table lacks, BookMistake where none are loaded."""
    made = Documents(book, request)
    return MadeReport(made.table(), made)


class Documents:
    """A list of documents in the making."""

    def __init__(self, book: Book, request: DocumentsRequest) -> None:
        self.request = request
        further = [request.by] if request.by and request.by != "party" else []
        self.subledger = Subledger(book, request.of, (*further, "memo"), request.date)
        if request.date and request.date not in _ITEM_DATES:
            hint = nearest(request.date, _ITEM_DATES)
            raise UsageMistake(
                Mistake("not a date of documents", "--date", repr(request.date), listed(_ITEM_DATES), hint)
            )
        for where, name, known in (
            ("--sort", request.sort, _SORTS),
            *(("--on", each.on, _NUMBERS) for each in request.thresholds),
        ):
            if name and name not in known:
                what = "no column to go by has this name"
                raise UsageMistake(Mistake(what, where, repr(name), listed(known), nearest(name, known)))
        self.days = asked_days(request.first, request.last, self.subledger.as_of)
        self.open = replay(self.subledger.chosen, self.subledger.day)
        self.settled_by: defaultdict[int, list[Application]] = defaultdict(list)
        for application in self.open.applications:
            self.settled_by[application.to].append(application)
            self.settled_by[application.by].append(application)
        days = (later_words(self.subledger.day), "other dates", f"no {request.date}")
        self.tally = Tally(self.subledger.proof_order(*days))
        self.shown = self._chosen()

    @property
    def on(self) -> str:
        """The column that thresholds are on where none is named."""
        return "amount" if self.request.which == "all" else "open"

    def _rule(self, at: int, item: Item) -> str:
        """Return what keeps a line out, or nothing where it is shown."""
        if other := self.subledger.other_entity(item):
            return other
        if self.days and not self._within(item):
            return "other dates" if self._counting(item) else f"no {self.request.date}"
        return self.subledger.rule_of(item) or self._of_which(at, item)

    def _of_which(self, at: int, item: Item) -> str:
        """Return what keeps a line out of the documents that are asked for, or nothing where it is among them."""
        which, left = self.request.which, self.open.left[at]
        if which == "unapplied" and (item.kind == "invoice" or not left):
            return "invoices" if item.kind == "invoice" else "applied in full"
        if which == "overdue" and item.kind != "invoice":
            return "not invoices"
        if which in ("all", "open") and item.kind not in DOCUMENTS:
            return "payments and the like"
        if which in ("open", "overdue") and not left:
            return "settled in full"
        if which == "overdue" and age_of(item, self.subledger.day, "due") <= 0:
            return "not due"
        cells = self._cells(at, item)
        for limit in self.request.thresholds:
            value = cells[limit.on or self.on]
            if not limit.holds(Decimal(value) if isinstance(value, int | Decimal) else None):
                return f"{limit.on or self.on} not {limit.words}"
        return ""

    def _counting(self, item: Item) -> date | None:
        return {"date": item.dated, "due": item.due}.get(self.request.date, item.posted)

    def _within(self, item: Item) -> bool:
        day = self._counting(item)
        return day is not None and self.days is not None and self.days[0] <= day <= self.days[1]

    def _chosen(self) -> list[int]:
        places = {item.place: at for at, item in enumerate(self.open.items)}
        shown_lines = []
        for item in self.subledger.items:
            at = places.get(item.place)
            if at is None:
                rule = self.subledger.other_entity(item) or later_words(self.subledger.day)
            else:
                rule = self._rule(at, item)
                if not rule:
                    shown_lines.append(at)
            self.tally.add(rule, item.signed)
        return sorted(shown_lines, key=self._order)

    def _order(self, at: int) -> tuple[object, ...]:
        item = self.open.items[at]
        tie = (item.party, item.dated, natural(item.number), natural(item.line), item.kind)
        sort = self.request.sort or ("due" if self.request.which in ("open", "overdue") else "date")
        if sort in ("party", "number"):
            return tie if sort == "party" else (natural(item.number), *tie)
        if sort in ("date", "due"):
            return (item.dated if sort == "date" else item.due or item.dated, *tie)
        value = self._cells(at, item)[sort]
        number = value if isinstance(value, int | Decimal) else None
        return (number is None, -(number or 0), *tie)

    def _cells(self, at: int, item: Item) -> dict[str, Cell]:
        day, left = self.subledger.day, self.open.left[at]
        late = age_of(item, day, "due") if item.kind == "invoice" and left else None
        return {
            "kind": item.kind,
            "date": item.dated,
            "due": item.due,
            "amount": item.signed,
            "settled": left - item.signed,
            "open": left,
            "days": (day - item.dated).days if left else None,
            "late": late if late is not None and late > 0 else None,
        }

    def table(self) -> ReportTable:
        """Return the report."""
        subledger, which = self.subledger, self.request.which
        side = "suppliers" if subledger.request.side == "payable" else "customers"
        titles = {
            "all": f"Documents of {side}",
            "open": f"Open documents of {side}",
            "overdue": f"Overdue invoices of {side}",
            "unapplied": f"Unapplied payments and credits of {side}",
        }
        range_ = f"{self.request.date or 'posted'} {range_words(*self.days)}" if self.days else ""
        limits = [f"{limit.on or self.on} {limit.words}" for limit in self.request.thresholds]
        rows = tuple(self._rows())
        facts = {**subledger.facts(), "which": which, "by": self.request.by}
        if self.days:
            facts |= {"from": self.days[0].isoformat(), "through": self.days[1].isoformat()}
        if limits:
            facts["thresholds"] = " · ".join(limits)
        whole = not self.days and not self.request.of.conditions and not limits
        return ReportTable(
            title=titles[which],
            facts=facts,
            subtitle=subledger.subtitle(range_, *limits),
            columns=self._filled(rows),
            rows=rows,
            key_label="document",
            proof=Proof(
                measure="amount, signed by kind",
                considered=subledger.considered(),
                shown=self.tally.shown,
                left_out=self.tally.parts,
                checks=(
                    self._open_check(rows),
                    *(control_checks(subledger, self.open) if whole and which == "open" else ()),
                ),
                decimals=subledger.selection.decimals,
                table=subledger.table,
            ),
            notes=(*subledger.notes(), *subledger.edge_notes(self._ranged, self.request.date), *self._notes()),
        )

    def _open_check(self, rows: Sequence[Row]) -> Check:
        total = next(row for row in rows if row.key == "total")
        left = sum((self.open.left[at] for at in self.shown), _ZERO)
        holds = total.cells["open"] == left and total.cells["amount"] == self.tally.shown.amount
        return Check("amount and settled come to open", holds)

    def _filled(self, rows: Sequence[Row]) -> tuple[Column, ...]:
        """Return the columns, without those beside the amounts that no row has anything in."""
        filled = {key for row in rows for key, cell in row.cells.items() if cell is not None}
        return tuple(
            each for each in self._columns() if each.key in filled or each.key in ("amount", "settled", "open")
        )

    def _columns(self) -> Iterator[Column]:
        decimals = self.subledger.selection.decimals
        if self.request.by != "party":
            yield Column("party", "party", "text")
        yield Column("kind", "kind", "text")
        yield Column("date", "date", "date")
        yield Column("due", "due", "date")
        yield Column("amount", "amount", "amount", decimals)
        told = self.subledger.standing_on(self.subledger.day)
        yield Column("settled", "settled", "amount", decimals, covered=told)
        yield Column("open", "open", "amount", decimals, covered=told)
        yield Column("days", "days open", "count", adds=False)
        yield Column("late", "days late", "count", adds=False)
        yield Column("reference", "reference", "text")
        yield Column("memo", "memo", "text")

    def _member(self, item: Item) -> str | None:
        if self.request.by == "party":
            return item.party
        value = item.further[0] if self.request.by else ""
        return None if value is None else str(value)

    def _group_key(self, member: str | None) -> str:
        return f"{self.request.by}-blank" if member is None else member

    def group_of(self, item: Item) -> str:
        """Return the key of the group that a document stands in."""
        return self._group_key(self._member(item))

    def _rows(self) -> Iterator[Row]:
        shown_lines = self.shown if self.request.top is None else self.shown[: self.request.top]
        keys: list[str] = []
        if not self.request.by:
            for at in shown_lines:
                yield from self._document(at, 0)
                keys.append(self.subledger.key_of(self.open.items[at]))
        else:
            groups: dict[str | None, list[int]] = {}
            for at in shown_lines:
                groups.setdefault(self._member(self.open.items[at]), []).append(at)
            for member, inner in sorted(groups.items(), key=lambda each: (each[0] is None, each[0] or "")):
                key = self._group_key(member)
                yield heading(key, self._label(member))
                for at in inner:
                    yield from self._document(at, 1)
                adds = tuple((1, self.subledger.key_of(self.open.items[at])) for at in inner)
                yield Row(key, f"Total {key}", 0, "subtotal", self._sums(inner), adds=adds)
                keys.append(key)
        adds = tuple((1, key) for key in keys)
        if len(shown_lines) < len(self.shown):
            yield Row(
                "shown", f"Total of the first {len(shown_lines):,}", 0, "subtotal", self._sums(shown_lines), adds=adds
            )
            yield Row("total", f"Total of all {len(self.shown):,}", 0, "total", self._sums(self.shown))
        else:
            yield Row(
                "total",
                f"Total, {how_many(len(shown_lines), 'document')}",
                0,
                "total",
                self._sums(shown_lines),
                adds=adds,
            )

    def _label(self, member: str | None) -> str:
        if member is None:
            return f"(no {self.request.by})"
        return f"{member} {self.subledger.name_of(member)}" if self.request.by == "party" else member

    def _sums(self, shown: Sequence[int]) -> Mapping[str, Cell]:
        amount = sum((self.open.items[at].signed for at in shown), _ZERO)
        left = sum((self.open.left[at] for at in shown), _ZERO)
        return {"amount": amount, "settled": left - amount, "open": left}

    def _document(self, at: int, level: int) -> Iterator[Row]:
        item = self.open.items[at]
        cells = self._cells(at, item)
        cells |= {"reference": item.reference, "memo": item.further[-1]}
        if self.request.by != "party":
            cells["party"] = f"{item.party} {self.subledger.name_of(item.party)}"
        label = item.number if item.line == "1" else f"{item.number}/{item.line}"
        yield Row(self.subledger.key_of(item), label, level, "line", cells)
        if self.request.settled:
            yield from self._settlements(at, level + 1)

    def _settlements(self, at: int, level: int) -> Iterator[Row]:
        """Yield what was applied to a document, or what it was applied to, each with the day that it took effect."""
        item = self.open.items[at]
        for application in sorted(self.settled_by[at], key=lambda each: each.day):
            other = self.open.items[application.by if application.to == at else application.to]
            yield Row(
                f"{self.subledger.key_of(item)}>{other.key}",
                other.number if other.line == "1" else f"{other.number}/{other.line}",
                level,
                "line",
                {
                    "kind": other.kind,
                    "date": application.day,
                    "settled": -item.sign * application.amount,
                    "reference": other.reference,
                    "memo": other.further[-1],
                },
            )

    @property
    def _ranged(self) -> tuple[date, date] | None:
        """The days, where they were asked for as a range."""
        return self.days if self.request.first is not None else None

    def _notes(self) -> Iterator[Note | str]:
        decimals = self.subledger.selection.decimals
        if len(self.shown) > (self.request.top or len(self.shown)):
            yield f"First {self.request.top:,} of {len(self.shown):,} shown; the total is of all of them"
        if self.days and self.request.which in ("open", "overdue"):
            yield from self._older_note(self.days[0], decimals)
        if self.request.which == "open":
            yield from self._unapplied_note(decimals)
        yield from over_notes(self.open, decimals)

    def _unapplied_note(self, decimals: int) -> Iterator[Note]:
        """Say what is open beside documents, so that both come to the balance."""
        beside = [
            left
            for item, left in zip(self.open.items, self.open.left, strict=True)
            if left and item.kind not in DOCUMENTS and not self.subledger.rule_of(item)
        ]
        if beside:
            words = f"Beside these, {len(beside):,} payments and the like are unapplied, {{}} in all: --unapplied"
            yield Note(words, (sum(beside, _ZERO),), decimals)

    def _older_note(self, first: date, decimals: int) -> Iterator[Note]:
        """Say what is open too and older than the range asked for, since an open document does not age out."""
        older = [
            at
            for at, item in enumerate(self.open.items)
            if item.kind in DOCUMENTS
            and self.open.left[at]
            and not self.subledger.rule_of(item)
            and (day := self._counting(item)) is not None
            and day < first
            and (
                self.request.which == "open" or (item.kind == "invoice" and age_of(item, self.subledger.day, "due") > 0)
            )
        ]
        if older:
            amount = sum((self.open.left[at] for at in older), _ZERO)
            words = f"Older ones are open too: {len(older):,} from before {day_words(first)}, {{}} in all"
            yield Note(words, (amount,), decimals)
