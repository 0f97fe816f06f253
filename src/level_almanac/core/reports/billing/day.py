"""One day of billing as a document: its figures beside those to date and last year's, then each entry."""

from collections.abc import Iterator, Mapping
from dataclasses import fields, replace
from decimal import Decimal
from itertools import pairwise
from typing import NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.language.columns import LAST_YEAR, NO_SHIFT, Span
from level_almanac.core.language.days import DayExpression, day_of
from level_almanac.core.reports.billing.report import Billing, BillingRequest
from level_almanac.core.reports.billing.transit import ADJUSTMENT, CHARGE, FIGURES
from level_almanac.core.requests.options import declared_of
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.core.spans.compared import lacking_day_notes, moved_window
from level_almanac.core.spans.windows import Missing, Window, covered
from level_almanac.core.table.model import Cell, Check, Column, ReportTable, Row
from level_almanac.errors import Mistake, UsageMistake, how_many

_DATES = ("served", "posted", "checked", "deposited")
_TOLD = ("office", "desk", "party", "name = party.name", "payer", "reason")
_KEPT = (
    "charges_by",
    "payments_by",
    "payer_payments_by",
    "customer_payments_by",
    "conditions",
    "entities",
    "day",
    "when",
)
"""Options that a day is asked for with."""
_NET_SIGNS = {kind: 1 if kind in (CHARGE, ADJUSTMENT) else -1 for kind in FIGURES}


class DaySpan(NamedTuple):
    """One column of the first sheet: the days that it is of, and the billing of these where there are any."""

    key: str
    label: str
    window: Window | Missing
    billing: Billing | None = None
    table: ReportTable | None = None

    @property
    def cells(self) -> Mapping[str, Cell]:
        """What the days come to."""
        return self.table.rows[-1].cells if self.table else {}


class BilledDay:
    """The document of one day in the making. Raises UsageMistake for options that say otherwise what is shown."""

    def __init__(self, book: Book, request: BillingRequest, day: DayExpression) -> None:
        _check_alone(request)
        self.book = book
        bare = replace(request, day=None, of_day=True)
        # Words of days go by the day that is asked for beside them, or else by where the data ends.
        self.day = day_of(day, Billing(book, bare).as_of.context)
        self.base = replace(bare, when=AsOfRequest(as_of=self.day))
        as_of = Billing(book, replace(self.base, first=self.day, last=self.day)).as_of
        spans = (
            ("day", "the day", Span("day"), NO_SHIFT),
            ("day-last-year", "same day last year", Span("day"), LAST_YEAR),
            ("ptd", "period to date", Span("ptd"), NO_SHIFT),
            ("ptd-last-year", "same days last year", Span("ptd"), LAST_YEAR),
        )
        self.spans = [self._span(key, label, moved_window(span, shift, as_of)) for key, label, span, shift in spans]
        self.of_day = next(each.billing for each in self.spans if each.billing)

    def _span(self, key: str, label: str, window: Window | Missing) -> DaySpan:
        if isinstance(window, Missing):
            return DaySpan(key, label, window)
        billing = Billing(self.book, replace(self.base, first=window.first, last=window.last))
        return DaySpan(key, label, window, billing, billing.made()[0])

    def table(self) -> ReportTable:
        """Return the first sheet, with the others behind it."""
        (first, *others), sheets = self.spans, tuple(self._sheets())
        table = first.table
        assert table is not None  # noqa: S101  a day has itself
        proof = table.proof._replace(measure=f"{table.proof.measure}, of the day") if table.proof else None
        further = []
        for each in others:
            own = each.table.proof if each.table else None
            further += [own._replace(measure=f"{own.measure}, {each.label}")] if own else []
        return table._replace(
            title=f"Billing of {day_words(self.day)}",
            facts={**table.facts, "view": "day"},
            columns=tuple(self._column(each) for each in self.spans),
            rows=tuple(self._rows()),
            key_label="",
            proof=proof._replace(checks=(*proof.checks, *self._checks(first, sheets)), further=tuple(further))
            if proof
            else None,
            notes=(*table.notes, *dict.fromkeys(self._notes())),
            sheets=sheets,
        )

    def _notes(self) -> Iterator[str]:
        """Yield which columns have no days, and that a year has no such day."""
        for each, before in pairwise(self.spans):
            if isinstance(before.window, Missing):
                yield f"No {before.label}: {before.window.why}"
            elif isinstance(each.window, Window) and before.key.startswith(each.key):
                yield from lacking_day_notes(each.window, before.window)

    def _column(self, span: DaySpan) -> Column:
        decimals, window = self.of_day.selection.decimals, span.window
        if isinstance(window, Missing):
            return Column(span.key, span.label, "amount", decimals, covers=window.why)
        through, told = self.of_day.through, covered(window, self.of_day.through)
        extent = window.extent
        if through is not None and through < window.last:
            extent = "no data yet" if through < window.first else f"data to {day_words(through)}"
        return Column(
            span.key,
            span.label,
            "amount",
            decimals,
            window.first,
            window.last,
            told.complete,
            window.covers,
            extent,
            whole=not window.is_part,
            covered=told,
        )

    def _rows(self) -> Iterator[Row]:
        for kind, label in FIGURES.items():
            cells = {each.key: each.cells.get(kind, Decimal(0)) for each in self.spans if each.billing}
            yield Row(kind, f"{label.capitalize()}, by {self.of_day.dated[kind]}", 0, "line", self._filled(cells))
        net = {each.key: each.cells.get("net") for each in self.spans if each.billing}
        adds = tuple((sign, kind) for kind, sign in _NET_SIGNS.items())
        yield Row("net", "Net", 0, "total", self._filled(net), adds=adds)
        counts = {each.key: each.cells.get("count") for each in self.spans if each.billing}
        yield Row("count", "Entries", 0, "line", counts, decimals=0)

    def _filled(self, cells: dict[str, Cell]) -> dict[str, Cell]:
        """Return amounts with as many decimals as the currency has, where there is nothing too."""
        least = Decimal(0).quantize(Decimal(1).scaleb(-self.of_day.selection.decimals))
        return {key: cell if isinstance(cell, Decimal) and cell else least for key, cell in cells.items()}

    def _sheets(self) -> Iterator[ReportTable]:
        """Yield the entries of the day, kind by kind, with all four dates."""
        for kind, label in FIGURES.items():
            show = ", ".join((*_DATES, label, *_TOLD, "export"))
            asked = replace(self.base, first=self.day, last=self.day, lines=True, show=show, kinds=(kind,))
            table = Billing(self.book, asked).made()[0]
            filled = {key for row in table.rows for key, cell in row.cells.items() if cell is not None}
            kept = [each for each in table.columns if each.key in (*filled, *_DATES, kind)]
            # As long as the name of a sheet can be, at the most.
            title = f"{label.capitalize()}, {day_words(self.day)}"
            # What is said of the day as a whole stands on its first sheet.
            yield table._replace(title=title, columns=tuple(kept), notes=())

    def _checks(self, first: DaySpan, sheets: tuple[ReportTable, ...]) -> Iterator[Check]:
        for (kind, label), sheet in zip(FIGURES.items(), sheets, strict=True):
            listed = sum(row.kind == "line" for row in sheet.rows)
            amount = sheet.rows[-1].cells.get(kind) or Decimal(0)
            words = f"{label} of the day are those of {how_many(listed, 'entry', 'entries')} listed"
            yield Check(words, amount == (first.cells.get(kind) or Decimal(0)))


def _check_alone(request: BillingRequest) -> None:
    """Raise UsageMistake for an option that says otherwise which days, or what of them, is shown."""
    usual = BillingRequest()
    for each in fields(request):
        declared = declared_of(each)
        asked, else_ = getattr(request, each.name), getattr(usual, each.name)
        if declared is None or each.name in _KEPT or asked == else_:
            continue
        names = [option.name for option in declared.options]
        named = " and ".join(f"--{name}" for name in names if len(names) == 1 or name == asked)
        step = "leave it out, or ask for the day as --from DAY --through DAY"
        raise UsageMistake(Mistake("a day is a document of its own", f"--day beside {named}", next_step=step))
