"""Totals per supplier or customer over a stretch of days, past thresholds, each named (docs/parties.md)."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal
from functools import cached_property
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.language.days import DayExpression
from level_almanac.core.lines.selected import pieces
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.requests.options import Option, Request, inner, is_texts, option, options
from level_almanac.core.requests.shared import first_option, last_option, threshold_options
from level_almanac.core.settlements.item import SIGN_OF, Item, counted_kind
from level_almanac.core.spans.as_of import COVERS, AsOf
from level_almanac.core.spans.asked_range import asked_days
from level_almanac.core.subledger.beside import USUAL, Wanted, tidy
from level_almanac.core.subledger.control import over_notes
from level_almanac.core.subledger.open_on_day import IS_OPEN, truth
from level_almanac.core.subledger.subledger import Subledger, SubledgerRequest, Tally, in_order
from level_almanac.core.table.model import (
    Cell,
    Check,
    Column,
    ColumnKind,
    CountedAmount,
    Note,
    Proof,
    ReportTable,
    Row,
    heading,
)
from level_almanac.core.table.threshold import Threshold
from level_almanac.errors import Mistake, UsageMistake, how_many, listed, nearest
from level_almanac.immutable import immutable
from level_almanac.store.expressions import Constant, Expression, FieldReference, Joined
from level_almanac.store.line_query import Asked, Order
from level_almanac.store.predicate import Every, FieldTest, Not, Predicate, Some

_ZERO = Decimal(0)
_MOST_NAMED = 5
_MOST_PAYEES = 2
IS_OVERDUE = Every((FieldTest("kind", "is", ("invoice",)), FieldTest("late", "over", (_ZERO,))))
"""That a line is an invoice that was due before the end of the days."""


class PartyColumn(NamedTuple):
    """One column. kinds: the counted kinds that it sums (`Item.counted_kind`), each with its sign in the sum."""

    key: str
    label: str
    kind: ColumnKind
    kinds: Mapping[str, int] = {}


_PAID = {"payment": 1, "refund": -1, "void of payment": -1, "void of refund": 1, "void": -1}
"""A void that undoes no line counts as a void of a payment that was not loaded."""
COLUMNS = {
    column.key: column
    for column in (
        PartyColumn("invoiced", "invoiced", "amount", {"invoice": 1, "credit": -1, "void of credit": 1}),
        PartyColumn("credited", "of it credited", "amount", {"credit": 1, "void of credit": -1}),
        PartyColumn("paid", "paid", "amount", _PAID),
        PartyColumn("written-off", "written off", "amount", {"write-off": 1, "void of write-off": -1}),
        PartyColumn("open", "open", "amount"),
        PartyColumn("overdue", "of it overdue", "amount"),
        PartyColumn("invoices", "invoices", "count", {"invoice": 1}),
        PartyColumn("payments", "payments", "count", {"payment": 1}),
        PartyColumn("last-invoice", "last invoice", "date", {"invoice": 1}),
        PartyColumn("last-payment", "last payment", "date", {"payment": 1}),
        PartyColumn("payee", "paid to", "text", {"payment": 1}),
    )
}
_DEFAULT = ("invoiced", "paid", "open", "invoices", "payments", "last-invoice", "last-payment")
_SUBJECTS = {
    "paid": ("paid", "payments", "last-payment", "open"),
    "invoiced": ("invoiced", "credited", "invoices", "last-invoice", "open"),
}
_OF_LINES = ("kind", "day", "reference")
"""Columns of single lines, where these are shown."""
STANDING = ("open", "overdue")
"""Columns that tell the state at the end of the days, of all documents, whatever the conditions."""


@immutable(kw_only=True)
class PartiesRequest(Request):
    """What is asked for. first, last: a range of days, both or neither; thresholds: on each party's totals; show: keys
    of columns, and fields; sort: a column's key or `party`; everyone: parties without a line in the days too, if any is
    open; lines: whether each line of a party stands beneath it.
    """

    show: tuple[str, ...] = options(
        Option(
            "show",
            "Columns, between commas: invoiced, credited, paid, written-off, open, overdue, …, or fields.",
            metavar="COLUMNS",
            default="",
            listed=True,
        ),
        build=lambda given: tuple(pieces(given["show"])),
        default=(), holds=is_texts, allowed="a tuple of columns",
    )  # fmt: skip
    thresholds: tuple[Threshold, ...] = threshold_options(
        "parties", "What the limits are on.  [default: the first column]"
    )
    sort: str = option("sort", "In order of this; amounts largest first.", metavar="COLUMN")
    top: int | None = option("top", "Only the first so many.", "count", metavar="N")
    lines: bool = option("lines", "Each line of a party beneath it.", "flag")
    everyone: bool = option("everyone", "Parties without a line in these days too, if any is open.", "flag")
    of: SubledgerRequest = inner(SubledgerRequest, required=True, helps=COVERS)
    first: DayExpression | None = first_option()
    last: DayExpression | None = last_option()
    date: str = option("date", "Go by `date`, not `posted`.", metavar="FIELD", offers="field")


class _Lines(NamedTuple):
    """Lines of a party in the days of the report. sums: of each kind, how many there are and what they come to; counts,
    newest: of each kind, how many numbers they have, and their newest day; payees: in the order of the exports.
    """

    sums: Mapping[str, CountedAmount]
    counts: Mapping[str, int]
    newest: Mapping[str, date]
    payees: Sequence[str]

    def amount(self, kinds: Mapping[str, int]) -> Decimal:
        """Return what the lines of some kinds come to, each with the sign it counts with."""
        return sum((sign * self.sums[kind].amount for kind, sign in kinds.items() if kind in self.sums), _ZERO)


def parties(book: Book, request: PartiesRequest) -> MadeReport:
    """Return the parties. Raises UsageMistake for what the report lacks, BookMistake where no documents are loaded."""
    made = Parties(book, request)
    return MadeReport(made.table(), made)


class Parties:
    """The totals of parties in the making."""

    def __init__(self, book: Book, request: PartiesRequest) -> None:
        self.request = request
        self.subledger = Subledger(
            book, request.of, ("payee",), request.date, lambda as_of: self._days(as_of)[1], self._wanted()
        )
        known = tuple(COLUMNS)
        numbers = tuple(key for key, column in COLUMNS.items() if column.kind in ("amount", "count"))
        for where, name, allowed in (
            *(("--on", limit.on, numbers) for limit in request.thresholds if limit.on),
            *([("--sort", request.sort, ("party", *known, *self.subledger.beside.fields))] if request.sort else []),
        ):
            if name not in allowed:
                what = "the report has no such column"
                raise UsageMistake(Mistake(what, where, repr(name), listed(allowed), nearest(name, allowed)))
        if request.date and request.date not in ("posted", "date"):
            what = "not a date that totals go by"
            raise UsageMistake(Mistake(what, "--date", repr(request.date), "posted or date"))
        self.keys = self._keys()
        if request.thresholds and not self._on:
            step = "show an amount, or name one with --on"
            raise UsageMistake(Mistake("no number is shown", f"--{request.thresholds[0].limit}", next_step=step))
        self.days = self._days(self.subledger.as_of)
        # What is open is told as of the end of the days, which a range of days may set before the report's own.
        self.day = self.days[1]
        self.open = self.subledger.open_on(self.day)
        order = self.subledger.proof_order("other dates")
        self.tallies = tuple(Tally(order) for _ in self._proof_columns)
        # Those that meet the conditions, and those that an exception took.
        self.met, self.excepted = self._gathered()
        self.standing = self._standing()
        self.beside = self._gathered_beside()
        self.figures = {code: self.cells(code, lines) for code, lines in self.met.items()}
        if self.request.everyone:
            nothing = _Lines({}, {}, {}, ())
            for code, standing in self.standing.items():
                if code not in self.figures and code not in self.excepted and standing["lines"]:
                    self.figures[code] = self.cells(code, nothing)
        self.kept = self._sorted({code: cells for code, cells in self.figures.items() if self._holds(cells)})
        self.party_of_line: dict[str, str] = {}

    def _keys(self) -> tuple[str, ...]:
        if self.request.show:
            return tuple(key for key in self.subledger.beside.names if key in COLUMNS)
        asked: Sequence[str] = _DEFAULT
        subject = next((limit.on for limit in self.request.thresholds if limit.on in _SUBJECTS), "")
        if self.request.of.conditions and subject:
            # A condition on payments says nothing of invoices, whose columns would only mislead.
            asked = _SUBJECTS[subject]
        # What a limit is on stands first, so that the list is read by it.
        on = [limit.on for limit in self.request.thresholds if limit.on]
        return tuple(dict.fromkeys([*on, *asked]))

    def _wanted(self) -> Wanted:
        """Return what is to be shown; what a limit is on stands last, where it is not asked for."""
        show = self.request.show
        if not show:
            return USUAL
        named = {piece.rpartition("=")[2].strip().casefold() for piece in show}
        on = dict.fromkeys(limit.on for limit in self.request.thresholds if limit.on in COLUMNS)
        own = (*COLUMNS, *(_OF_LINES if self.request.lines else ()))
        return Wanted(", ".join([*show, *(key for key in on if key not in named)]), own, by_party=True)

    def _days(self, as_of: AsOf) -> tuple[date, date]:
        to_date = as_of.calendar.year_of(as_of.day).first, as_of.day
        return asked_days(self.request.first, self.request.last, as_of) or to_date

    @property
    def _on(self) -> str:
        named = [limit.on for limit in self.request.thresholds if limit.on]
        shown = [key for key in self.keys if COLUMNS[key].kind in ("amount", "count")]
        return next(iter([*named, *shown]), "")

    @property
    def counting(self) -> str:
        """The date that the days are told by, as lines are asked of."""
        return "dated" if self.request.date == "date" else "posted"

    def _gathered(self) -> tuple[dict[str, _Lines], dict[str, _Lines]]:
        """Return what each party's lines come to, and those that an exception took; tally what the rules leave out."""
        subledger = self.subledger
        within = FieldTest(self.counting, "through", self.days)
        by: list[Expression] = [FieldReference(name) for name in ("entity", "failed_rule", "kind", "void_of")]
        asked = [Asked(FieldReference("amount"))]
        for entity, failed, own_kind, void_of, in_days, lines, amount in subledger.groups([*by, truth(within)], asked):
            kind = counted_kind(own_kind, void_of)
            is_other = entity not in subledger.selection.entities
            if is_other or not in_days or failed < len(subledger.rules):
                rule = subledger.rule_words(failed) if is_other or in_days else "other dates"
                self._tally(rule, kind, CountedAmount(lines, amount))
        excepted = self._lines_of([self._excepted, within]) if self._excepted.words else {}
        return self._lines_of([subledger.met, within]), excepted

    @property
    def _excepted(self) -> FieldTest:
        """That an exception took a line."""
        numbers = tuple(Decimal(at) for at, rule in enumerate(self.subledger.rules) if rule.exclusion)
        return FieldTest("failed_rule", "is", numbers)

    def _lines_of(self, rules: Sequence[Predicate]) -> dict[str, _Lines]:
        """Return per party what the lines come to that meet the rules."""
        rules = [self.subledger.chosen, *rules]
        party, kind, void_of, day = (FieldReference(name) for name in ("party", "kind", "void_of", self.counting))
        numbers = Joined((FieldReference("entity"), Constant("\x1f"), FieldReference("number")))
        asked = [Asked(FieldReference("amount")), Asked(numbers, "distinct"), Asked(day, "maximum")]
        found: dict[str, dict[str, tuple[int, Decimal, int, date]]] = {}
        for code, own_kind, undone, *figures in self.subledger.groups([party, kind, void_of], asked, rules):
            found.setdefault(code, {})[counted_kind(own_kind, undone)] = tuple(figures)
        payees: dict[str, dict[str, None]] = {}
        if "payee" in self._needed():
            is_payment = FieldTest("kind", "is", tuple(COLUMNS["payee"].kinds))
            paid = [*rules, is_payment, Not(FieldTest("f0", "blank"))]
            by = [party, FieldReference("f0"), FieldReference("file")]
            rows = self.subledger.groups(by, [Asked(FieldReference("file_line"), "minimum")], paid)
            for code, payee, *_ in sorted(rows, key=lambda row: (row[2], row[-1])):
                payees.setdefault(code, {})[str(payee)] = None
        return {
            code: _Lines(
                {each: CountedAmount(lines, amount) for each, (lines, amount, _, _) in kinds.items()},
                {each: count for each, (_, _, count, _) in kinds.items()},
                {each: newest for each, (_, _, _, newest) in kinds.items()},
                tuple(payees.get(code, ())),
            )
            for code, kinds in found.items()
        }

    def _gathered_beside(self) -> dict[str, tuple[int, Sequence[Any]]]:
        """Return of each party how many lines count, and what they have of the values beside the report's columns."""
        subledger = self.subledger
        if not subledger.beside.columns:
            return {}
        rules = [subledger.chosen, subledger.met, FieldTest(self.counting, "through", self.days)]
        rows = subledger.groups([FieldReference("party")], subledger.asked_beside, rules)
        return {party: (lines, sums) for party, lines, *sums in rows}

    def cells(self, party: str, lines: _Lines) -> dict[str, Cell]:
        """Return a party's figures. lines: those that count."""
        return {key: self._cell(COLUMNS[key], party, lines) for key in self._needed()}

    def _needed(self) -> list[str]:
        return list(dict.fromkeys([*self.keys, *([self.request.sort] if self.request.sort in COLUMNS else [])]))

    def _cell(self, column: PartyColumn, party: str, lines: _Lines) -> Cell:
        if column.key in STANDING:
            return self.standing[party][column.key]
        if column.kind == "amount":
            return lines.amount(column.kinds)
        if column.kind == "count":
            return sum(lines.counts.get(kind, 0) for kind in column.kinds)
        if column.kind == "date":
            return max((lines.newest[kind] for kind in column.kinds if kind in lines.newest), default=None)
        payees = list(lines.payees)
        more = [f"{len(payees) - _MOST_PAYEES} more"] if len(payees) > _MOST_PAYEES else []
        return ", ".join([*payees[:_MOST_PAYEES], *more]) or None

    def _standing(self) -> defaultdict[str, dict[str, Decimal]]:
        """Return what each party has open at the end of the days, and what of it is overdue."""
        nothing = _ZERO.quantize(Decimal(1).scaleb(-self.subledger.selection.decimals))
        by_party: defaultdict[str, dict[str, Decimal]] = defaultdict(
            lambda: dict.fromkeys((*STANDING, "lines"), nothing)
        )
        asked = [Asked(FieldReference("open"))]
        by: list[Expression] = [FieldReference("party"), truth(IS_OVERDUE)]
        for party, is_overdue, lines, left in self.open.groups(by, asked, [IS_OPEN]):
            by_party[party]["open"] += left
            by_party[party]["lines"] += lines
            if is_overdue:
                by_party[party]["overdue"] += left
        return by_party

    def _holds(self, cells: Mapping[str, Cell]) -> bool:
        for limit in self.request.thresholds:
            value = cells[limit.on or self._on]
            if not limit.holds(Decimal(value) if isinstance(value, int | Decimal) else None):
                return False
        return True

    def table(self) -> ReportTable:
        """Return the report."""
        subledger = self.subledger
        kept = self.kept
        side = "Suppliers" if subledger.request.side == "payable" else "Customers"
        limits = [f"{COLUMNS[limit.on or self._on].label} {limit.words}" for limit in self.request.thresholds]
        date_words = "by document date" if self.request.date == "date" else ""
        facts = {**subledger.facts(), "from": self.days[0].isoformat(), "through": self.days[1].isoformat()}
        if limits:
            facts["thresholds"] = " · ".join(limits)
        self._count(f"{_count(len(self.figures) - len(kept))} not {' and '.join(limits)}")
        rows = tuple(self._rows(kept))
        columns = subledger.beside.chosen(tuple(self._columns()), rows, subledger.selection.decimals)
        return ReportTable(
            title=f"{side}: totals",
            facts=facts,
            subtitle=subledger.subtitle(range_words(*self.days), date_words, *limits),
            columns=columns,
            rows=tuple(row._replace(cells=tidy(columns, row.cells)) for row in rows) if self.request.show else rows,
            key_label="party",
            show_keys=not self.request.lines,
            proof=self._proof(),
            notes=(*subledger.notes(), *subledger.edge_notes(self._ranged, self.request.date), *self._notes(kept)),
        )

    @cached_property
    def _proof_columns(self) -> tuple[PartyColumn, ...]:
        """The columns that the proof is of: the amounts shown that lines add up to, the one with limits first."""
        columns = [COLUMNS[key] for key in dict.fromkeys((self._on, *self.keys)) if key in COLUMNS]
        found = tuple(column for column in columns if column.kind == "amount" and column.key not in STANDING)
        return found or (PartyColumn("signed", "amount, signed by kind", "amount", SIGN_OF),)

    def _tally(self, rule: str, kind: str, counted: CountedAmount) -> None:
        """Count lines of a kind under the rule that leaves them out, or as shown, with what they add to each column."""
        for column, tally in zip(self._proof_columns, self.tallies, strict=True):
            tally.add(rule, counted.lines, column.kinds.get(kind, 0) * counted.amount)

    def _proof(self) -> Proof:
        by_kind = self.subledger.considered_by_kind()
        lines = sum(each.lines for each in by_kind.values())
        first, *others = (
            Proof(
                measure=column.label,
                considered=CountedAmount(
                    lines,
                    sum((column.kinds.get(kind, 0) * each.amount for kind, each in by_kind.items()), _ZERO),
                ),
                shown=tally.shown,
                left_out=tally.parts,
                decimals=self.subledger.selection.decimals,
                table=self.subledger.table,
            )
            for column, tally in zip(self._proof_columns, self.tallies, strict=True)
        )
        return first._replace(checks=tuple(self._checks()), further=tuple(others))

    def _count(self, below: str) -> None:
        kept = set(self.kept)
        for code, lines in self.met.items():
            for kind, counted in lines.sums.items():
                self._tally("" if code in kept else below, kind, counted)

    def _checks(self) -> Iterator[Check]:
        """Yield that what was open, invoiced, paid and written off explain what is open, where nothing is left out."""
        if self.request.of.conditions or self.request.date:
            return
        # By the balance of what was posted until then, which the open amounts of the other end are held against.
        until = FieldTest("posted", "under", (self.days[0],))
        signed, left = [Asked(FieldReference("signed"))], [Asked(FieldReference("open"))]
        opening, closing = (
            sum((amount for _, amount in rows if amount), _ZERO)
            for rows in (self.subledger.groups([], signed, [self.subledger.chosen, until]), self.open.groups([], left))
        )
        moved = sum((lines.amount(SIGN_OF) for lines in self.met.values()), _ZERO)
        places = self.subledger.selection.decimals
        yield Check(
            f"open before {opening:,.{places}f} and all lines of these days {moved:,.{places}f} "
            f"come to open after {closing:,.{places}f}",
            opening + moved == closing,
        )

    def _sorted(self, figures: Mapping[str, Mapping[str, Cell]]) -> list[str]:
        sort = self.request.sort or self._on or "party"
        if sort == "party":
            return sorted(figures)
        if sort not in COLUMNS:
            return sorted(figures, key=lambda code: in_order(self._cells_beside([code]).get(sort), code))
        if COLUMNS[sort].kind == "date":
            return sorted(figures, key=lambda code: _newest(figures[code][sort], code))
        if COLUMNS[sort].kind == "text":
            return sorted(figures, key=lambda code: (figures[code][sort] is None, str(figures[code][sort]), code))
        return sorted(figures, key=lambda code: in_order(figures[code][sort], code))

    def _columns(self) -> Iterator[Column]:
        decimals = self.subledger.selection.decimals
        if self.request.lines:
            yield Column("kind", "kind", "text")
            yield Column("day", "document date" if self.request.date == "date" else "posted", "date")
        for key in self.keys:
            column = COLUMNS[key]
            covers = f"at {day_words(self.day)}" if key in STANDING else ""
            adds = column.kind in ("amount", "count") and not (self.request.lines and key in STANDING)
            standing = self.subledger.standing_on(self.day)
            whole = not (self.subledger.as_of.named and self.subledger.as_of.is_cut) or self._ranged is not None
            within = standing._replace(first=self.days[0], through=self.days[1], whole=whole)
            yield Column(
                key, column.label, column.kind, decimals if column.kind == "amount" else 0, covers=covers, adds=adds,
                covered=standing if key in STANDING else within,
            )  # fmt: skip
        if self.request.lines:
            yield Column("reference", "reference", "text")

    def _rows(self, kept: Sequence[str]) -> Iterator[Row]:
        shown_parties = kept if self.request.top is None else kept[: self.request.top]
        cells = self.figures
        behind = self._behind(shown_parties) if self.request.lines else {}
        for code in shown_parties:
            own = {key: cells[code][key] for key in self.keys} | self._cells_beside([code])
            if not self.request.lines:
                yield Row(code, self.subledger.name_of(code), 0, "line", own)
                continue
            lines = list(self._lines_below(behind.get(code, ())))
            self.party_of_line |= {line.key: code for line in lines}
            yield heading(code, f"{code} {self.subledger.name_of(code)}")
            yield from lines
            yield Row(code, f"Total {code}", 0, "subtotal", own, adds=tuple((1, line.key) for line in lines))
        adds = tuple((1, code) for code in shown_parties)
        if len(shown_parties) < len(kept):
            yield Row(
                "shown",
                f"Total of the first {len(shown_parties):,}",
                0,
                "subtotal",
                self._sums(cells, shown_parties),
                adds=adds,
            )
            yield Row("total", f"Total of all {len(kept):,}", 0, "total", self._sums(cells, kept))
        else:
            yield Row("total", f"Total, {_count(len(kept))}", 0, "total", self._sums(cells, kept), adds=adds)

    def _sums(self, cells: Mapping[str, Mapping[str, Cell]], codes: Sequence[str]) -> dict[str, Cell]:
        sums: dict[str, Cell] = {}
        for key in self.keys:
            values = [cells[code][key] for code in codes]
            if COLUMNS[key].kind == "amount":
                sums[key] = sum((value for value in values if isinstance(value, Decimal)), _ZERO)
            elif COLUMNS[key].kind == "count":
                sums[key] = sum(value for value in values if isinstance(value, int))
        return sums | self._cells_beside(codes, total=True)

    def _cells_beside(self, codes: Sequence[str], *, total: bool = False) -> dict[str, Cell]:
        """Return the cells beside the report's own of a party, or of a total of several."""
        beside = self.subledger.beside
        if not beside.columns:
            return {}
        found = [self.beside[code] for code in codes if code in self.beside]
        sums = beside.plan.folded([each for _, each in found])
        cells = beside.cells(sum(count for count, _ in found), sums, total=total)
        return cells if total else cells | beside.of_party(codes[0])

    def _behind(self, codes: Sequence[str]) -> dict[str, list[Item]]:
        """Return the lines that count of each of these parties, in the order of their days."""
        subledger, found = self.subledger, defaultdict(list)
        of_parties = FieldTest("party", "is", tuple(codes))
        within = FieldTest(self.counting, "through", self.days)
        order = [Order(FieldReference(name)) for name in ("party", self.counting, "file", "file_line")]
        for item in subledger.items([subledger.chosen, subledger.met, within, of_parties], order) if codes else ():
            found[item.party].append(item)
        return found

    def _lines_below(self, items: Sequence[Item]) -> Iterator[Row]:
        """Yield the lines of a party; a number over several is counted with the first of them."""
        counted: set[tuple[str, str, str]] = set()
        for item in items:
            number = (item.entity, item.kind, item.number)
            cells: dict[str, Cell] = {
                "kind": item.kind,
                "day": item.dated if self.counting == "dated" else item.posted,
                "reference": item.reference,
            }
            for key in self.keys:
                cells[key] = self._of_line(COLUMNS[key], item, is_first=number not in counted)
            counted.add(number)
            cells |= self.subledger.beside.cells(1, self.subledger.shown_of(item))
            label = item.number if item.line == "1" else f"{item.number}/{item.line}"
            yield Row(self.subledger.key_of(item), label, 1, "line", cells)

    def _of_line(self, column: PartyColumn, item: Item, *, is_first: bool) -> Cell:
        sign = column.kinds.get(item.counted_kind)
        if sign is None:
            return None
        match column.kind:
            case "amount":
                return sign * item.amount
            case "count":
                return 1 if is_first else None
            case "date":
                return item.dated if self.counting == "dated" else item.posted
        return None if item.further[0] is None else str(item.further[0])

    @property
    def _ranged(self) -> tuple[date, date] | None:
        """The days, where they were asked for as a range."""
        return self.days if self.request.first is not None else None

    def _notes(self, kept: Sequence[str]) -> Iterator[Note | str]:
        decimals = self.subledger.selection.decimals
        if self.request.top is not None and self.request.top < len(kept):
            yield f"First {self.request.top:,} of {len(kept):,} shown; the total is of all of them"
        if self.request.thresholds:
            yield from self._short_notes(kept, decimals)
        yield from self.subledger.void_notes(self.days, self.request.date)
        if self.request.of.conditions and any(key in STANDING for key in self.keys):
            yield "What is open is told of all documents of a party, whatever the conditions"
        merged = self._merged()
        if merged:
            yield f"Taken as one: {', '.join(merged)}"
        if any(key in STANDING for key in self.keys):
            yield from over_notes(self.open, decimals)

    def _merged(self) -> list[str]:
        """Return which codes of the lines shown were taken for others."""
        codes_told = self.subledger.book.settings.parties.same_as
        if not codes_told:
            return []
        told_by = FieldTest("exported_party", "is", tuple(codes_told))
        rules = [told_by, self.subledger.chosen, self.subledger.met, FieldTest(self.counting, "through", self.days)]
        by = [FieldReference("exported_party"), FieldReference("party")]
        codes = [(told, party) for told, party, _ in self.subledger.groups(by, [], rules)]
        return sorted(f"{told} with {party}" for told, party in codes if told != party)

    def _short_notes(self, kept: Sequence[str], decimals: int) -> Iterator[Note]:
        """Name the parties that fall short only because of what was excepted."""
        on, short = self._on, []
        codes = sorted(self.excepted.keys() - set(kept))
        either = Some((self.subledger.met, self._excepted))
        asked: list[Predicate] = [
            FieldTest("party", "is", tuple(codes)),
            either,
            FieldTest(self.counting, "through", self.days),
        ]
        for code, lines in sorted(self._lines_of(asked).items()) if codes else ():
            cells = self.cells(code, lines)
            if self._holds(cells):
                short.append((code, cells[on]))
        if not short:
            return
        names = [f"{code} {self.subledger.name_of(code)} with {{}}" for code, _ in short[:_MOST_NAMED]]
        more = f" and {len(short) - _MOST_NAMED} more" if len(short) > _MOST_NAMED else ""
        values = tuple(Decimal(v) if isinstance(v, int | Decimal) else _ZERO for _, v in short[:_MOST_NAMED])
        places = decimals if COLUMNS[on].kind == "amount" else 0
        yield Note(f"Only because of --except these are not shown: {', '.join(names)}{more}", values, places)


def _newest(cell: Cell, code: str) -> tuple[bool, int, str]:
    return (cell is None, -cell.toordinal() if isinstance(cell, date) else 0, code)


def _count(number: int) -> str:
    return how_many(number, "party", "parties")
