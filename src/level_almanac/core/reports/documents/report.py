"""Invoices and credits one by one: all, open, overdue, or unapplied, with what settled each (docs/documents.md)."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Any, Literal, get_args

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.language.days import DayExpression
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.requests.options import Option, Request, inner, option, options
from level_almanac.core.requests.shared import first_option, last_option, threshold_options
from level_almanac.core.settlements.item import Item, natural
from level_almanac.core.spans.as_of import COVERS
from level_almanac.core.spans.asked_range import asked_days
from level_almanac.core.subledger.beside import Wanted, tidy
from level_almanac.core.subledger.control import control_checks, over_notes
from level_almanac.core.subledger.open_items import Application
from level_almanac.core.subledger.open_on_day import FALLS_DUE, IS_OPEN, OpenItem
from level_almanac.core.subledger.subledger import Subledger, SubledgerRequest, Tally, age_of, in_order, later_words
from level_almanac.core.table.model import Cell, Check, Column, Note, Proof, ReportTable, Row, heading
from level_almanac.core.table.threshold import Threshold
from level_almanac.errors import Mistake, UsageMistake, how_many, listed, nearest
from level_almanac.immutable import immutable
from level_almanac.store.expressions import Constant, Expression, FieldReference, Given
from level_almanac.store.line_query import Asked
from level_almanac.store.predicate import Every, FieldTest, Not, Predicate, Some

_ZERO = Decimal(0)
Which = Literal["all", "open", "overdue", "unapplied"]
DOCUMENTS = ("invoice", "credit")
_NUMBERS = ("amount", "settled", "open", "days", "late")
_SORTS = ("party", "number", "date", "due", *_NUMBERS)
_OWN = ("party", "kind", "date", "due", *_NUMBERS, "reference", "memo")
"""The columns that the report has by itself."""
_ITEM_DATES = ("posted", "date", "due")
_IS_INVOICE = FieldTest("kind", "is", ("invoice",))
_IS_LATE = FieldTest("late", "over", (_ZERO,))
_FILLED: Mapping[str, tuple[str, tuple[Predicate, ...]]] = {
    "amount": ("signed", ()),
    "settled": ("settled", ()),
    "open": ("open", ()),
    "days": ("old", (IS_OPEN,)),
    "late": ("late", (IS_OPEN, _IS_INVOICE, _IS_LATE)),
}
"""By column what it is, as lines are asked of, and which lines have a number there."""
_BY_STORE: Mapping[str, tuple[str, tuple[Predicate, ...]]] = {
    **_FILLED,
    "party": ("party", ()),
    "date": ("dated", ()),
    "due": (FALLS_DUE, ()),
}
"""The same of all columns whose order the store knows; that of numbers of documents is the reader's."""


def _within(limit: Threshold, column: str) -> Predicate:
    """Return the condition of a line that lies within a limit; one without a number there does not."""
    field, filled = _FILLED[column]
    return Every((*filled, FieldTest(field, "through" if limit.limit == "between" else limit.limit, limit.values)))


def _which(given: Mapping[str, Any]) -> Which:
    asked = [name for name in ("open", "overdue", "unapplied") if given[name]]
    if len(asked) > 1:
        told = " and ".join(f"--{name}" for name in asked)
        raise UsageMistake(Mistake("these are lists of their own", told, next_step="ask for one of them"))
    return asked[0] if asked else "all"  # type: ignore[return-value]  # the names are those of the lists


@immutable(kw_only=True)
class DocumentsRequest(Request):
    """What is asked for. which: all documents, or those open, overdue or unapplied on the day; first, last: a range of
    days, both or neither, of the date that counts or of `date`; show: the columns, or empty for the usual ones;
    by: the field that they are in groups by, or empty;
    settled: whether what settled each stands beneath it; thresholds: on each document; sort: a column, or empty.
    """

    which: Which = options(
        Option("open", "Only what is open on the day.", "flag", default=False),
        Option("overdue", "Only invoices that are open past their due date.", "flag", default=False),
        Option("unapplied", "Only payments and credits that settle nothing yet.", "flag", default=False),
        build=_which, default="all", holds=lambda value: value in get_args(Which), allowed=listed(get_args(Which)),
    )  # fmt: skip
    show: str = option(
        "show", "Columns, between commas: its own, or fields.", metavar="FIELDS", listed=True, offers="fields"
    )
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
        self.subledger = Subledger(book, request.of, (*further, "memo"), request.date, shown=Wanted(request.show, _OWN))
        self.memo_at = len(further)
        if request.date and request.date not in _ITEM_DATES:
            hint = nearest(request.date, _ITEM_DATES)
            raise UsageMistake(
                Mistake("not a date of documents", "--date", repr(request.date), listed(_ITEM_DATES), hint)
            )
        for where, name, known in (
            ("--sort", request.sort, (*_SORTS, *self.subledger.beside.fields)),
            *(("--on", each.on, _NUMBERS) for each in request.thresholds),
        ):
            if name and name not in known:
                what = "no column to go by has this name"
                raise UsageMistake(Mistake(what, where, repr(name), listed(known), nearest(name, known)))
        self.days = asked_days(request.first, request.last, self.subledger.as_of)
        self.open = self.subledger.open_on(self.subledger.day)
        days = (later_words(self.subledger.day), "other dates", f"no {request.date}")
        self.cases = list(self._cases())
        self.tally = Tally([*self.subledger.proof_order(*days), *(words for _, words in self.cases)])
        self.by_entity: defaultdict[str, Decimal] = defaultdict(Decimal)
        self.left = _ZERO
        self._count_all()
        self.top = self._first()
        self.settled_by: defaultdict[str, list[Application]] = defaultdict(list)
        for application in self.open.applications(each.item for each in self.top) if request.settled else ():
            self.settled_by[application.to.place].append(application)
            self.settled_by[application.by.place].append(application)

    @property
    def on(self) -> str:
        """The column that thresholds are on where none is named."""
        return "amount" if self.request.which == "all" else "open"

    def _cases(self) -> Iterator[tuple[Predicate, str]]:
        """Yield what keeps a line of the report's entities, posted by its day, out of the report, in order: the
        condition, and what a proof calls it.
        """
        if self.days:
            dated = {"date": "dated", "due": "due"}.get(self.request.date, "posted")
            yield FieldTest(dated, "blank"), f"no {self.request.date}"
            yield Not(FieldTest(dated, "through", self.days)), "other dates"
        for number, rule in enumerate(self.subledger.rules):
            yield FieldTest("failed_rule", "is", (Decimal(number),)), rule.words
        yield from self._of_which()
        for limit in self.request.thresholds:
            on = limit.on or self.on
            yield Not(_within(limit, on)), f"{on} not {limit.words}"

    def _of_which(self) -> Iterator[tuple[Predicate, str]]:
        """Yield the same of the documents that are asked for."""
        which = self.request.which
        if which == "unapplied":
            yield _IS_INVOICE, "invoices"
            yield Not(IS_OPEN), "applied in full"
        if which == "overdue":
            yield Not(_IS_INVOICE), "not invoices"
        if which in ("all", "open"):
            yield Not(FieldTest("kind", "is", DOCUMENTS)), "payments and the like"
        if which in ("open", "overdue"):
            yield Not(IS_OPEN), "settled in full"
        if which == "overdue":
            yield Not(_IS_LATE), "not due"

    def _count_all(self) -> None:
        """Tally what is shown and what each rule leaves out."""
        subledger, later = self.subledger, later_words(self.subledger.day)
        is_later = FieldTest("posted", "over", (subledger.day,))
        beyond = Some((Not(subledger.chosen), is_later))
        by: list[Expression] = [FieldReference("entity"), FieldReference("failed_rule")]
        for entity, failed, lines, amount in subledger.groups(by, [Asked(FieldReference("signed"))], [beyond]):
            other = entity not in subledger.selection.entities
            self.tally.add(subledger.rule_words(failed) if other else later, lines, amount)
        cases = self.cases
        rule = Given(tuple((test, Constant(Decimal(at))) for at, (test, _) in enumerate(cases)), Constant(Decimal(-1)))
        by = [FieldReference("entity"), rule]
        asked = [Asked(FieldReference("signed")), Asked(FieldReference("open"))]
        for entity, at, lines, amount, left in self.open.groups(by, asked, whole=True):
            self.tally.add(cases[int(at)][1] if at >= 0 else "", lines, amount)
            self.by_entity[entity] += left
            self.left += left if at < 0 else _ZERO

    @property
    def count(self) -> int:
        """How many documents the report is of, whether each has a row of its own or not."""
        return self.tally.shown.lines

    def every(self) -> list[OpenItem]:
        """Return all of them, in order."""
        return self._in_order(())

    def _first(self) -> list[OpenItem]:
        """Return those that have a row of their own, in order: of all that come no later than the last of so many."""
        top, sort = self.request.top, self.sort
        if top is None or top >= self.count or sort not in _BY_STORE:
            return self.every()[:top]
        (name, filled), descending = _BY_STORE[sort], sort in _NUMBERS
        rules = [*self._kept, *filled]
        last = self.open.last_of(top, name, rules, descending=descending, whole=self._is_whole)
        if last is None:
            return self.every()[:top]
        return self._in_order((*filled, FieldTest(name, "at-least" if descending else "at-most", (last,))))[:top]

    def _in_order(self, rules: Sequence[Predicate]) -> list[OpenItem]:
        return sorted(self.open.items([*self._kept, *rules], whole=self._is_whole), key=self._order)

    @property
    def _kept(self) -> list[Predicate]:
        return [Not(test) for test, _ in self.cases]

    @property
    def _is_whole(self) -> bool:
        """Whether lines that nothing is open of are to be looked through, too."""
        return self.request.which == "all"

    @property
    def sort(self) -> str:
        """The column that documents are in order of."""
        return self.request.sort or ("due" if self.request.which in ("open", "overdue") else "date")

    def _order(self, each: OpenItem) -> tuple[object, ...]:
        item = each.item
        tie = (item.party, item.dated, natural(item.number), natural(item.line), item.kind)
        sort = self.sort
        if sort in ("party", "number"):
            return tie if sort == "party" else (natural(item.number), *tie)
        if sort in ("date", "due"):
            return (item.dated if sort == "date" else item.due or item.dated, *tie)
        beside = self.subledger.beside
        value = (self._cells(each) | beside.cells(1, self.subledger.shown_of(item)))[sort]
        return (*in_order(value, ""), *tie)

    def _cells(self, each: OpenItem) -> dict[str, Cell]:
        day, item, left = self.subledger.day, each.item, each.left
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
        columns = self._filled(rows)
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
            columns=columns,
            rows=tuple(row._replace(cells=tidy(columns, row.cells)) for row in rows) if self.request.show else rows,
            key_label="document",
            proof=Proof(
                measure="amount, signed by kind",
                considered=subledger.considered(),
                shown=self.tally.shown,
                left_out=self.tally.parts,
                checks=(
                    self._open_check(rows),
                    *(control_checks(subledger, self.by_entity) if whole and which == "open" else ()),
                ),
                decimals=subledger.selection.decimals,
                table=subledger.table,
            ),
            notes=(*subledger.notes(), *subledger.edge_notes(self._ranged, self.request.date), *self._notes()),
        )

    def _open_check(self, rows: Sequence[Row]) -> Check:
        total = next(row for row in rows if row.key == "total")
        holds = total.cells["open"] == self.left and total.cells["amount"] == self.tally.shown.amount
        return Check("amount and settled come to open", holds)

    def _filled(self, rows: Sequence[Row]) -> tuple[Column, ...]:
        """Return the columns that are asked for, or without those beside the amounts that no row has anything in."""
        if self.request.show:
            every = tuple(self._columns(every=True))
            return self.subledger.beside.chosen(every, rows, self.subledger.selection.decimals)
        filled = {key for row in rows for key, cell in row.cells.items() if cell is not None}
        return tuple(
            each for each in self._columns() if each.key in filled or each.key in ("amount", "settled", "open")
        )

    def _columns(self, *, every: bool = False) -> Iterator[Column]:
        decimals = self.subledger.selection.decimals
        if every or self.request.by != "party":
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
        shown_lines = self.top
        keys: list[str] = []
        if not self.request.by:
            for each in shown_lines:
                yield from self._document(each, 0)
                keys.append(self.subledger.key_of(each.item))
        else:
            groups: dict[str | None, list[OpenItem]] = {}
            for each in shown_lines:
                groups.setdefault(self._member(each.item), []).append(each)
            for member, inner_lines in sorted(groups.items(), key=lambda group: (group[0] is None, group[0] or "")):
                key = self._group_key(member)
                yield heading(key, self._label(member))
                for each in inner_lines:
                    yield from self._document(each, 1)
                adds = tuple((1, self.subledger.key_of(each.item)) for each in inner_lines)
                yield Row(key, f"Total {key}", 0, "subtotal", self._sums(inner_lines), adds=adds)
                keys.append(key)
        adds = tuple((1, key) for key in keys)
        if len(shown_lines) < self.count:
            yield Row(
                "shown", f"Total of the first {len(shown_lines):,}", 0, "subtotal", self._sums(shown_lines), adds=adds
            )
            yield Row("total", f"Total of all {self.count:,}", 0, "total", self._sums_of_all())
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

    def _sums(self, shown: Sequence[OpenItem]) -> Mapping[str, Cell]:
        amount = sum((each.item.signed for each in shown), _ZERO)
        left = sum((each.left for each in shown), _ZERO)
        sums = self.subledger.beside.plan.folded([self.subledger.shown_of(each.item) for each in shown])
        return self._summed(len(shown), amount, left, sums)

    def _sums_of_all(self) -> Mapping[str, Cell]:
        """Return the sums of all documents, asked of the store, since those without a row may be many."""
        asked = [Asked(FieldReference("signed")), Asked(FieldReference("open")), *self.subledger.asked_beside]
        ((count, amount, left, *sums),) = self.open.groups([], asked, self._kept, whole=self._is_whole)
        return self._summed(count, amount, left, sums)

    def _summed(self, count: int, amount: Decimal, left: Decimal, sums: Sequence[Any]) -> Mapping[str, Cell]:
        beside = self.subledger.beside.cells(count, sums, total=True)
        return {"amount": amount, "settled": left - amount, "open": left, **beside}

    def _document(self, each: OpenItem, level: int) -> Iterator[Row]:
        item = each.item
        cells = self._cells(each)
        cells |= {"reference": item.reference, "memo": item.further[self.memo_at]}
        cells |= self.subledger.beside.cells(1, self.subledger.shown_of(item))
        if self.request.by != "party" or self.request.show:
            cells["party"] = f"{item.party} {self.subledger.name_of(item.party)}"
        label = item.number if item.line == "1" else f"{item.number}/{item.line}"
        yield Row(self.subledger.key_of(item), label, level, "line", cells)
        if self.request.settled:
            yield from self._settlements(item, level + 1)

    def _settlements(self, item: Item, level: int) -> Iterator[Row]:
        """Yield what was applied to a document, or what it was applied to, each with the day that it took effect."""
        for application in sorted(self.settled_by[item.place], key=lambda each: each.day):
            other = application.by if application.to.place == item.place else application.to
            yield Row(
                f"{self.subledger.key_of(item)}>{other.key}",
                other.number if other.line == "1" else f"{other.number}/{other.line}",
                level,
                "line",
                self._told_of(other)
                | {
                    "kind": other.kind,
                    "date": application.day,
                    "settled": -item.sign * application.amount,
                    "reference": other.reference,
                    "memo": other.further[self.memo_at],
                },
            )

    def _told_of(self, other: Item) -> dict[str, Cell]:
        """Return what is told of a settlement beside its amount, where columns are asked for."""
        beside = self.subledger.beside
        cells = beside.cells(1, self.subledger.shown_of(other))
        texts = {each.key for each in beside.columns if each.field and each.field.kind in ("text", "date", "period")}
        return {key: cell for key, cell in cells.items() if key in texts}

    @property
    def _ranged(self) -> tuple[date, date] | None:
        """The days, where they were asked for as a range."""
        return self.days if self.request.first is not None else None

    def _notes(self) -> Iterator[Note | str]:
        decimals = self.subledger.selection.decimals
        if len(self.top) < self.count:
            yield f"First {len(self.top):,} of {self.count:,} shown; the total is of all of them"
        if self.days and self.request.which in ("open", "overdue"):
            yield from self._older_note(self.days[0], decimals)
        if self.request.which == "open":
            yield from self._unapplied_note(decimals)
        yield from over_notes(self.open, decimals)

    def _unapplied_note(self, decimals: int) -> Iterator[Note]:
        """Say what is open beside documents, so that both come to the balance."""
        for lines, amount in self._open_of(self.subledger.met, Not(FieldTest("kind", "is", DOCUMENTS))):
            words = f"Beside these, {lines:,} payments and the like are unapplied, {{}} in all: --unapplied"
            yield Note(words, (amount,), decimals)

    def _older_note(self, first: date, decimals: int) -> Iterator[Note]:
        """Say what is open too and older than the range asked for, since an open document does not age out."""
        dated = {"date": "dated", "due": "due"}.get(self.request.date, "posted")
        asked = (
            Every((_IS_INVOICE, _IS_LATE)) if self.request.which == "overdue" else FieldTest("kind", "is", DOCUMENTS)
        )
        for lines, amount in self._open_of(self.subledger.met, asked, FieldTest(dated, "under", (first,))):
            words = f"Older ones are open too: {lines:,} from before {day_words(first)}, {{}} in all"
            yield Note(words, (amount,), decimals)

    def _open_of(self, *rules: Predicate) -> Iterator[tuple[int, Decimal]]:
        """Yield how many open lines meet the rules, and what is open of them, where any does."""
        for lines, amount in self.open.groups([], [Asked(FieldReference("open"))], [IS_OPEN, *rules]):
            if lines:
                yield lines, amount
