"""Open amounts by age: what was not settled on a day, by how late it was then (docs/aging.md)."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from decimal import Decimal
from functools import cached_property
from typing import Any, Literal

from level_almanac.core.book import Book
from level_almanac.core.columns.ranking import apart_from_blank
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.requests.options import Request, inner, option
from level_almanac.core.subledger.beside import Wanted, tidy
from level_almanac.core.subledger.buckets import buckets_of
from level_almanac.core.subledger.control import control_accounts, control_checks, over_notes
from level_almanac.core.subledger.open_on_day import IS_OPEN, truth
from level_almanac.core.subledger.subledger import Subledger, SubledgerRequest, Tally, in_order, later_words
from level_almanac.core.table.change import OFFSET, are_offset, percent
from level_almanac.core.table.model import Cell, Check, Column, Note, Proof, ReportTable, Row
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.immutable import immutable
from level_almanac.store.expressions import Constant, Expression, FieldReference, Given
from level_almanac.store.line_query import Asked
from level_almanac.store.predicate import Every, FieldTest, Not, Predicate, Some

_ZERO = Decimal(0)
OTHER, UNAPPLIED = "all-other", "unapplied"
TOTAL = "total"
Member = str | None


@immutable(kw_only=True)
class AgingRequest(Request):
    """What an aging is asked for. age_by: whether days are counted from the due date or the document's; buckets: the
    last day late of each, or empty for the book's; by: the field whose members are the rows; top: show only so many;
    sort: the column that rows are put in order by, largest first, or `by` itself; show: the columns, or empty for the
    usual ones.
    """

    age_by: Literal["due", "date"] = option(
        "age-by", "Count days from the due date, or from the document's.", "choice", "due", choices=("due", "date"),
        show_default=True,
    )  # fmt: skip
    buckets: tuple[int, ...] = option(
        "buckets", "The last day late of each bucket, as 30,60,90.", "days", metavar="DAYS"
    )
    by: str = option("by", "What the rows are of.", default="party", metavar="FIELD", offers="field", show_default=True)
    show: str = option(
        "show", "Columns, between commas: its own, or fields.", metavar="FIELDS", listed=True, offers="fields"
    )
    sort: str = option("sort", "In order of this, largest first.", default=TOTAL, metavar="COLUMN", show_default=True)
    top: int | None = option("top", "The first so many, and all other as one row.", "count", metavar="N")
    of: SubledgerRequest = inner(SubledgerRequest, required=True)


def aging(book: Book, request: AgingRequest) -> MadeReport:
    """Return the aging. Raises UsageMistake for what the table lacks, BookMistake where no documents are loaded."""
    made = Aging(book, request)
    return MadeReport(made.table(), made)


class Aging:
    """One aging in the making."""

    def __init__(self, book: Book, request: AgingRequest) -> None:
        self.request = request
        self.buckets = buckets_of(request.buckets or book.settings.aging.buckets)
        by_party = request.by == "party"
        self.own = (*(bucket.key for bucket in self.buckets), UNAPPLIED, TOTAL, "share")
        wanted = Wanted(request.show, self.own, by_party=by_party)
        self.subledger = Subledger(book, request.of, () if by_party else (request.by,), shown=wanted)
        keys = [*(bucket.key for bucket in self.buckets), UNAPPLIED, TOTAL]
        sorts = list(dict.fromkeys([*keys, request.by, *self.subledger.beside.fields]))
        if request.sort not in sorts:
            what, hint = "the report has no such column", nearest(request.sort, sorts)
            raise UsageMistake(Mistake(what, "--sort", repr(request.sort), listed(sorts), hint))
        self.open = self.subledger.open_on(self.subledger.day)
        self.by = "party" if request.by == "party" else "f0"
        self.values: dict[Member, Any] = {}
        self.sums: defaultdict[Member, defaultdict[str, Decimal]] = defaultdict(lambda: defaultdict(Decimal))
        self.by_entity: defaultdict[str, Decimal] = defaultdict(Decimal)
        self.undated = 0
        self.tally = self._summed()
        self.beside = self._gathered_beside()

    def in_column(self, key: str) -> Predicate:
        """Return the condition of lines whose open amount stands in a column."""
        bucket = next((each for each in self.buckets if each.key == key), None)
        is_invoice = FieldTest("kind", "is", ("invoice",))
        if bucket is None:
            return Not(is_invoice) if key == UNAPPLIED else Every(())
        days = "late" if self.request.age_by == "due" else "old"
        low = () if bucket.low is None else (FieldTest(days, "at-least", (Decimal(bucket.low),)),)
        high = () if bucket.high is None else (FieldTest(days, "at-most", (Decimal(bucket.high),)),)
        return Every((is_invoice, *low, *high))

    def in_row(self, member: Member) -> Predicate:
        """Return the condition of lines that stand in a member's row."""
        value = self.values[member]
        return FieldTest(self.by, "blank") if value is None else FieldTest(self.by, "is", (value,))

    def _summed(self) -> Tally:
        """Add up what is open, and tally what each rule leaves out."""
        subledger, later = self.subledger, later_words(self.subledger.day)
        tally = Tally(subledger.proof_order(later, "settled in full"))
        is_later, day = FieldTest("posted", "over", (subledger.day,)), subledger.day
        beyond = Some((Not(subledger.chosen), is_later, FieldTest("done_on", "at-most", (day,))))
        by: list[Expression] = [FieldReference("entity"), FieldReference("failed_rule"), truth(is_later)]
        for entity, failed, later_on, lines, amount in subledger.groups(
            by, [Asked(FieldReference("signed"))], [beyond]
        ):
            if entity not in subledger.selection.entities:
                tally.add(subledger.rule_words(failed), lines, _ZERO if later_on else amount)
            else:
                tally.add(later if later_on else "settled in full", lines, _ZERO)
        column = Given(
            tuple((self.in_column(each.key), Constant(each.key)) for each in self.buckets), Constant(UNAPPLIED)
        )
        undated = Every((FieldTest("kind", "is", ("invoice",)), FieldTest("due", "blank")))
        by = [FieldReference(self.by), column, FieldReference("entity"), FieldReference("failed_rule"), truth(IS_OPEN)]
        asked = [Asked(FieldReference("open")), Asked(truth(undated))]
        for value, key, entity, failed, is_open, lines, amount, without_due in self.open.groups(by, asked):
            rule = subledger.rule_words(failed) if is_open else "settled in full"
            tally.add(rule, lines, amount if is_open else _ZERO)
            self.by_entity[entity] += amount
            if not rule:
                member = None if value is None else str(value)
                self.values[member] = Decimal(value) if isinstance(value, int) else value
                self.undated += int(without_due)
                for each in (key, TOTAL):
                    self.sums[member][each] += amount
        return tally

    def _gathered_beside(self) -> dict[Member, tuple[int, Sequence[Any]]]:
        """Return of each member how many open lines it has, and what they have of the values beside the columns."""
        subledger = self.subledger
        if not subledger.beside.columns:
            return {}
        asked, rules = subledger.asked_beside, [subledger.met, IS_OPEN]
        rows = self.open.groups([FieldReference(self.by)], asked, rules)
        return {None if value is None else str(value): (lines, sums) for value, lines, *sums in rows}

    def _sorted_by(self, member: Member) -> Cell:
        sort = self.request.sort if self.request.sort != "share" else TOTAL
        return self._cells_beside([member])[sort] if sort not in self.own else self.sums[member][sort]

    def _cells_beside(self, members: Sequence[Member]) -> dict[str, Cell]:
        """Return the cells beside the report's own of one member, or of several together."""
        beside = self.subledger.beside
        if not beside.columns:
            return {}
        found = [self.beside[member] for member in members]
        sums = beside.plan.folded([each for _, each in found])
        cells = beside.cells(sum(count for count, _ in found), sums, total=len(members) != 1)
        return cells | (beside.of_party(members[0] or "") if len(members) == 1 else {})

    def table(self) -> ReportTable:
        """Return the report."""
        columns, rows = self._shown(tuple(self._columns()), tuple(self._rows(self.sums)))
        by_due = self.request.age_by == "due"
        days = "days late from the due date" if by_due else "days old from the document's date"
        side = self.subledger.request.side
        return ReportTable(
            title=f"{'Payables' if side == 'payable' else 'Receivables'} by age",
            facts={
                **self.subledger.facts(),
                "age_by": self.request.age_by,
                "buckets": ", ".join(bucket.key for bucket in self.buckets),
                "by": self.request.by,
            },
            subtitle=self.subledger.subtitle(days),
            columns=columns,
            rows=rows,
            key_label=self.request.by,
            show_keys=self.request.by == "party",
            proof=self._proof(rows),
            notes=(*self.subledger.notes(), *self.subledger.edge_notes(None), *self._notes()),
        )

    def _shown(self, usual: tuple[Column, ...], rows: tuple[Row, ...]) -> tuple[tuple[Column, ...], tuple[Row, ...]]:
        if not self.request.show:
            return usual, rows
        columns = self.subledger.beside.chosen(usual, rows, self.subledger.selection.decimals)
        # Shares of columns that are not asked for tell nothing.
        kept = [row for row in rows if not row.percent or any(row.cells.get(each.key) is not None for each in columns)]
        return columns, tuple(row._replace(cells=tidy(columns, row.cells)) for row in kept)

    def _columns(self) -> Iterator[Column]:
        decimals, told = self.subledger.selection.decimals, self.subledger.standing_on(self.subledger.day)
        for bucket in self.buckets:
            by_due = self.request.age_by == "due"
            label = "0" if bucket.low is None and not by_due else bucket.label
            covers = "days old" if not by_due else "" if bucket.low is None else "days late"
            yield Column(bucket.key, label, "amount", decimals, covers=covers, covered=told)
        yield Column(UNAPPLIED, UNAPPLIED, "amount", decimals, covered=told)
        yield Column(TOTAL, "total open", "amount", decimals, covered=told)
        yield Column("share", "% of total", "percent", 1, adds=False, covered=told)

    def _rows(self, sums: dict[Member, defaultdict[str, Decimal]]) -> Iterator[Row]:
        keys = [*(bucket.key for bucket in self.buckets), UNAPPLIED, TOTAL]
        whole = {key: sum((each[key] for each in sums.values()), _ZERO) for key in keys}

        def cells(amounts: dict[str, Decimal]) -> dict[str, Cell]:
            share = "n/m" if self.is_offset else percent(amounts[TOTAL], whole[TOTAL])
            return {**{key: amounts[key] for key in keys}, "share": share}

        if self.request.sort == self.request.by:
            ordered = sorted(sums, key=lambda member: (member is None, member or ""))
        else:
            ordered = sorted(sums, key=lambda member: in_order(self._sorted_by(member), member or "\uffff"))
        named, blank = apart_from_blank(ordered, lambda member: member)
        if self.request.top is None:
            named, blank = ordered, []
        top, others = named[: self.request.top], named[len(named[: self.request.top]) :]

        def row(member: Member) -> Row:
            own = cells(sums[member]) | self._cells_beside([member])
            return Row(self.key_of(member), self._label(member), 0, "line", own)

        yield from map(row, top)
        adds = [self.key_of(member) for member in top]
        if others:
            other = {key: sum((sums[each][key] for each in others), _ZERO) for key in keys}
            yield Row(OTHER, f"All other, {len(others):,}", 0, "line", cells(other) | self._cells_beside(others))
            adds.append(OTHER)
        yield from map(row, blank)
        adds += [self.key_of(member) for member in blank]
        total = cells(whole) | self._cells_beside(ordered)
        yield Row("total", "Total", 0, "total", total, adds=tuple((1, key) for key in adds))
        shares: dict[str, Cell] = {key: percent(whole[key], whole[TOTAL]) for key in keys}
        yield Row("percent", "Percent of total", 0, "line", shares, percent=True)

    @cached_property
    def is_offset(self) -> bool:
        """Whether shares mean nothing, because open amounts of both signs offset each other."""
        amounts = [each[TOTAL] for each in self.sums.values()]
        return bool(amounts) and are_offset(amounts, sum(amounts, _ZERO))

    def key_of(self, member: Member) -> str:
        """Return the key of a member's row."""
        return f"{self.request.by}-blank" if member is None else member

    def _label(self, member: Member) -> str:
        if member is None:
            return f"(no {self.request.by})"
        return self.subledger.name_of(member) if self.request.by == "party" else member

    def _proof(self, rows: Sequence[Row]) -> Proof:
        subledger = self.subledger
        everything = subledger.considered([FieldTest("posted", "at-most", (subledger.day,))])
        total = next(row for row in rows if row.key == "total")
        parts = [total.cells[bucket.key] for bucket in self.buckets] + [total.cells[UNAPPLIED]]
        added = sum((part for part in parts if isinstance(part, Decimal)), _ZERO)
        return Proof(
            measure="open amount",
            considered=everything,
            shown=self.tally.shown,
            left_out=self.tally.parts,
            checks=(
                Check(
                    "buckets and unapplied come to the total", added == total.cells[TOTAL] == self.tally.shown.amount
                ),
                *control_checks(subledger, self.by_entity),
            ),
            decimals=subledger.selection.decimals,
            table=subledger.table,
        )

    def _notes(self) -> Iterator[Note | str]:
        if self.is_offset:
            yield OFFSET.format("total open")
        yield from over_notes(self.open, self.subledger.selection.decimals)
        side = self.subledger.request.side
        if not control_accounts(self.subledger.book, side):
            yield f"The chart marks no account as control account of what is {side}, to hold these documents against"
        if self.undated and self.request.age_by == "due":
            yield f"{self.undated:,} open documents have no due date and are aged from their own"
