"""Column words made into the columns of one report: each value column with its days, divided ones one by one."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from datetime import date
from itertools import groupby
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.core.language.columns import (
    ACTUAL,
    WHERE,
    ChangeColumn,
    ColumnWords,
    ComputedColumn,
    GroupedColumns,
    ShareColumn,
    Shift,
    ValueColumn,
)
from level_almanac.core.language.formulas import renamed
from level_almanac.core.language.parsing import pointed
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.spans.divided import divided
from level_almanac.core.spans.labels import SPAN_LABELS
from level_almanac.core.spans.windows import EVERYTHING, Missing, Window, as_booked, since, window_of
from level_almanac.errors import Mistake, UsageMistake, listed, nearest
from level_almanac.files.layouts import RowMeasure
from level_almanac.files.tables import tables_of

MOST_COLUMNS = 400
_STRETCHES = ("last", "id", "range", "to date")
"""Spans of given days, which `each year` divides. Any other span is one of each year."""
_BALANCE_LABELS = {"closing": "closing", "opening": "year's opening"}


class PlacedColumn(NamedTuple):
    """One value column of a report.

    word: the key of the column words it comes from; field, member: what it is of, where it is one of a field's members,
    None being the lines without a value; divided: whether it is one of several; part: which, by its id;
    undivided: the key of the column that it was one of, before the members of a field were told apart; value: words;
    measure: what it sums, or empty for what its report sums anyway; top: of how many members of its field, the rest of
    them together, 0 for all; group, head: the columns that it stands with under one head, and that head.
    """

    key: str
    word: str
    label: str
    scenario: str
    window: Window | Missing
    field: str = ""
    member: Any = None
    divided: bool = False
    undivided: str = ""
    part: str = ""
    value: ValueColumn | None = None
    measure: str = ""
    top: int = 0
    group: str = ""
    head: str = ""

    @property
    def spanned(self) -> tuple[object, ...]:
        """What it is of apart from its scenario: its span, its shift, and what it is divided by."""
        value = self.value
        each = value.each._replace(start=0) if value and value.each else None
        return (value.span, value.shift, each) if value else ()

    @property
    def unmoved(self) -> tuple[object, ...]:
        """The same without its shift."""
        return self.spanned[::2]

    @property
    def asked(self) -> str:
        """What the store is asked for it under: the key it had before members were told apart."""
        return self.undivided or self.key

    @property
    def is_plan(self) -> bool:
        """Whether it is of a plan rather than of what was booked."""
        return self.scenario != ACTUAL


Shown = PlacedColumn | ChangeColumn | ShareColumn | ComputedColumn
"""A column in its place: a value column with its days, or the words of one that is made of others."""


class Ground(NamedTuple):
    """What columns are of. scenarios: returns the plans that may stand in them; first_year: returns the fiscal year
    that the data begins in, None where it is not known; check_field: takes a field's name and where it stands in the
    words, and raises UsageMistake where lines cannot be told apart by it.
    """

    scenarios: Callable[[], Sequence[str]]
    first_year: Callable[[], int | None]
    check_field: Callable[[str, int], object]


def ledger_ground(book: Book, text: str) -> Ground:
    """Return what the columns of a statement are of. text: the column words, for messages."""

    def first_year() -> int | None:
        years = [loaded.fiscal_low // 100 for loaded in book.state.files_of("ledger") if loaded.lines]
        return min(years, default=None)

    return Ground(lambda: book.scenarios, first_year, lambda name, start: check_field(name, text, start, WHERE, book))


def place_columns(words: ColumnWords, text: str, as_of: AsOf, ground: Ground) -> tuple[Shown, ...]:
    """Return the columns in order, those divided by days made into one each; by a field they still are one.

    text: the expression, for messages. Raises UsageMistake for a scenario or field that the book lacks, and more
    columns than a report can have.
    """
    maker = _Maker(text, as_of, ground)
    columns: list[Shown] = []
    for word in words:
        match word:
            case ValueColumn():
                columns += maker.slots(word)
            case GroupedColumns():
                columns += maker.grouped(word)
            case _:
                columns.append(word)
    if len(columns) > MOST_COLUMNS:
        raise UsageMistake(Mistake("too many columns", WHERE, f"{len(columns):,}", f"{MOST_COLUMNS} at the most"))
    return unique(columns)


def with_beginning(
    shown: Sequence[Shown], begins: date | None, measure: RowMeasure, calendar: FiscalCalendar
) -> tuple[Shown, ...]:
    """Return the columns with the beginning of the data marked in those of what was booked. measure: of the layout."""
    return tuple(
        column._replace(window=_since(column.window, begins, measure, calendar))
        if isinstance(column, PlacedColumn) and not column.is_plan
        else column
        for column in shown
    )


def _since(
    window: Window | Missing, begins: date | None, measure: RowMeasure, calendar: FiscalCalendar
) -> Window | Missing:
    if measure == "balance" and isinstance(window, Window) and begins is not None:
        # A balance holds all there was before, the base on the very first day.
        day = window.first if window.before else window.last
        return window if day >= begins else Missing(f"data begins {day_words(begins)}", early=True)
    return since(window, begins, calendar)


def check_field(field: str, text: str, start: int, where: str, book: Book) -> str:
    """Return the field where lines of the ledger can be told apart by it, or by one of these that leads to it; raise
    UsageMistake where not.
    """
    ledger = tables_of(book.settings.tables)["ledger"]
    known = [each.name for each in ledger.fields if each.kind == "text" and each.name not in ("line", "account")]
    root, dot, _ = field.partition(".")
    linked = book.line_fields("ledger").by_name if dot and root in known else {}
    if field not in known and not (field in linked and linked[field].kind == "text"):
        known += [name for name, each in linked.items() if each.kind == "text" and name.startswith(f"{root}.")]
        shown = pointed(text, start, len(field)) if text else ""
        what, hint = "the ledger has no such field to tell lines apart by", nearest(field, known)
        raise UsageMistake(Mistake(what, where, repr(field), listed(known), hint, shown=shown))
    return field


def last_years(slots: Sequence[PlacedColumn], as_of: AsOf) -> Iterator[tuple[Window, Window | Missing]]:
    """Yield the spans of which columns tell last year's, each beside that."""
    for slot in slots:
        word = slot.value
        if word is None or word.shift.kind != "last year" or slot.part:
            continue
        now = window_of(word.span, Shift(), as_of)
        if isinstance(now, Window):
            yield now, slot.window


def unique(shown: Sequence[Shown]) -> tuple[Shown, ...]:
    """Return the columns with no key twice: a number tells later ones apart."""
    keys: dict[str, int] = {}
    columns: list[Shown] = []
    for column in shown:
        keys[column.key] = keys.get(column.key, 0) + 1
        again = keys[column.key]
        key = column.key if again == 1 else f"{column.key}-{again}"
        columns.append(column._replace(key=key) if isinstance(column, PlacedColumn) else replace(column, key=key))
    return tuple(columns)


class _Maker:
    """Makes the slots of value columns."""

    def __init__(self, text: str, as_of: AsOf, ground: Ground) -> None:
        self.text, self.as_of, self.ground = text, as_of, ground

    def slots(self, word: ValueColumn) -> list[PlacedColumn]:
        """Return one slot, or one for each unit that the span is divided by."""
        self._check_scenario(word)
        each = word.each
        if each is None:
            window = self._counted(word, window_of(word.span, word.shift, self.as_of))
            label = self._label(word)
            return [PlacedColumn(word.key, word.key, label, word.scenario, window, value=word, measure=word.measure)]
        if each.field:
            self.ground.check_field(each.field, each.start)
            window = self._counted(word, window_of(word.span, word.shift, self.as_of))
            return [
                PlacedColumn(
                    word.key,
                    word.key,
                    word.label,
                    word.scenario,
                    window,
                    field=each.field,
                    divided=True,
                    value=word,
                    measure=word.measure,
                    top=each.top,
                )
            ]
        prefix = "" if word.scenario == ACTUAL else f"{word.scenario} "
        label = f"{word.label} " if word.label else prefix
        return [
            PlacedColumn(
                f"{prefix.replace(' ', '-')}{name}",
                word.key,
                f"{label}{name}",
                word.scenario,
                self._counted(word, window),
                divided=True,
                part=name,
                value=word,
                measure=word.measure,
            )
            for name, window in self._divided(word)
        ]

    def grouped(self, words: GroupedColumns) -> Iterator[Shown]:
        """Yield the columns that each member of a field is to have."""
        each = words.each
        self.ground.check_field(each.field, each.start)
        for word in words.columns:
            if isinstance(word, ValueColumn):
                (slot,) = self.slots(word)
                key = f"{words.key}:{word.key}"
                yield slot._replace(key=key, field=each.field, top=each.top, group=words.key)
            else:
                yield replace(word, group=words.key)

    def _counted(self, word: ValueColumn, window: Window | Missing) -> Window | Missing:
        """Return what counts of a span: of what was booked nothing after the as-of day, unless its days are named."""
        if word.scenario != ACTUAL or word.span.name in ("id", "range"):
            return window
        return as_booked(window, self.as_of)

    def _divided(self, word: ValueColumn) -> Iterator[tuple[str, Window | Missing]]:
        each = word.each
        if each is None or each.unit is None:
            raise AssertionError(word)
        if each.unit == "year" and word.span.name not in _STRETCHES:
            if each.number > 1:
                what, allowed = "years are not grouped", "`each year`"
                shown = pointed(self.text, each.start, len(str(each.number)))
                raise UsageMistake(Mistake(what, WHERE, f"each {each.number} years", allowed, shown=shown))
            # Each year shows the same span of its own, so that a year to date stands beside others to the same day.
            newest = self.as_of.period.year - (word.shift.number if word.shift.kind else 0)
            for year in range(self._first_year(newest), newest + 1):
                back = self.as_of.period.year - year
                shift = Shift("last year", back) if back else Shift()
                yield str(year), window_of(word.span, shift, self.as_of)
            return
        window = window_of(word.span, word.shift, self.as_of)
        if isinstance(window, Missing):
            yield word.key, window
            return
        if window.unit == EVERYTHING:
            first = self._first_year(self.as_of.calendar.year_of(window.last).year)
            window = window._replace(first=self.as_of.calendar.year(first).first)
        yield from divided(window, each.unit, each.number, self.as_of)

    def _first_year(self, newest: int) -> int:
        first = self.ground.first_year()
        return newest if first is None else min(first, newest)

    def _check_scenario(self, word: ValueColumn) -> None:
        if word.scenario == ACTUAL:
            return
        known = self.ground.scenarios()
        if word.scenario not in known:
            shown = pointed(self.text, word.start, len(word.scenario))
            names = [ACTUAL, *known]
            hint = nearest(word.scenario, names) if known else "load one into the table budget"
            what = "no plan has this name" if known else "no plan is loaded"
            raise UsageMistake(Mistake(what, WHERE, repr(word.scenario), listed(names), hint, shown=shown))

    @staticmethod
    def _label(word: ValueColumn) -> str:
        """Return the head of a value column; the days beneath it tell what it is one back of."""
        if word.label:
            return word.label
        label = span_label(word)
        if word.scenario == ACTUAL:
            return label
        return f"{word.scenario} {label}" if word.shift.kind else word.scenario


def span_label(word: ValueColumn) -> str:
    """Return what a span is called in a column's head."""
    span, shift = word.span, word.shift
    kind = {"last": f"last {span.number} {span.unit}s", "rest": f"rest of {span.unit}", "id": span.id, "range": "dates"}
    label = kind.get(span.name) or SPAN_LABELS.get(span.name) or _BALANCE_LABELS.get(span.name) or span.name
    if not shift.kind:
        return label
    if span.name == "closing" and shift.kind == "back":
        return "prior period end" if shift.number == 1 else f"{shift.number} period ends back"
    if span.name == "opening":
        return f"opening {shift.number} year{'s' if shift.number > 1 else ''} back"
    if shift.kind == "last year":
        return "last year" if shift.number == 1 else f"{shift.number} years back"
    if span.name == "last":
        return f"prior {span.number} {span.unit}s" if shift.number == 1 else f"{label}, {shift.number} back"
    unit = {"wtd": "week", "mtd": "month", "ptd": "period", "qtd": "quarter", "ytd": "year"}.get(span.name, span.name)
    return f"prior {unit}" if shift.number == 1 else f"{shift.number} {unit}s back"


def with_members(
    shown: Sequence[Shown], members: Callable[[PlacedColumn], Sequence[Any]], named: Callable[[str, Any], str]
) -> tuple[Shown, ...]:
    """Return the columns with those divided by a field made into one for each member, groups of them into a group each.

    members: takes the first column that is of a field's members and returns these in order; named: takes a field and a
    member and returns what it is called.
    """
    columns: list[Shown] = []
    for _, run in groupby(shown, lambda column: column.group):
        together = list(run)
        if together[0].group:
            first = next(column for column in together if isinstance(column, PlacedColumn))
            for member in members(first):
                columns += _of_member(together, first.field, member, named(first.field, member))
            continue
        for column in together:
            if isinstance(column, PlacedColumn) and column.field:
                columns += (_one_of_member(column, member, named(column.field, member)) for member in members(column))
            else:
                columns.append(column)
    if len(columns) > MOST_COLUMNS:
        raise UsageMistake(Mistake("too many columns", WHERE, f"{len(columns):,}", f"{MOST_COLUMNS} at the most"))
    return unique(columns)


def _member_key(field: str, member: Any) -> str:
    if member is None:
        return f"{field}-blank"
    return f"{field}={member}" if isinstance(member, str) else f"{field}-other"


def _one_of_member(column: PlacedColumn, member: Any, name: str) -> PlacedColumn:
    prefix = f"{column.scenario}-" if column.is_plan else ""
    label = " ".join(part for part in (column.label or (column.scenario if column.is_plan else ""), name) if part)
    key = prefix + _member_key(column.field, member)
    return column._replace(key=key, label=label, member=member, undivided=column.key, part=name)


def _of_member(together: Sequence[Shown], field: str, member: Any, name: str) -> Iterator[Shown]:
    """Yield the columns of a group as one member has them, with the names in them its own."""
    group = _member_key(field, member)
    words = [column.word if isinstance(column, PlacedColumn) else column.key for column in together]
    keys = {word.lower(): f"{group}:{word}" for word in words}
    for column, word in zip(together, words, strict=True):
        key = keys[word.lower()]
        match column:
            case PlacedColumn():
                yield column._replace(
                    key=key, word=key, member=member, undivided=column.key, part=name, group=group, head=name
                )
            case ChangeColumn():
                of, over = (keys.get(each, each) for each in (column.of, column.over))
                yield replace(column, key=key, of=of, over=over, group=group, head=name)
            case ShareColumn():
                yield replace(column, key=key, of=keys.get(column.of, column.of), group=group, head=name)
            case ComputedColumn():
                formula = renamed(column.formula, keys)
                yield replace(column, key=key, formula=formula, group=group, head=name)


def slot_named(shown: Sequence[object], name: str, text: str) -> PlacedColumn:
    """Return the value column that a name stands for; raise UsageMistake where that is more than one."""
    named = [column for column in shown if isinstance(column, PlacedColumn) and name in (column.word, column.key)]
    exact = [column for column in named if column.key == name]
    if len(exact or named) != 1:
        start = max(text.lower().rfind(name), 0)
        got = f"{name!r}, which is {len(named)} columns"
        caret = pointed(text, start, len(name))
        raise UsageMistake(Mistake("the name of one column is needed", WHERE, got, shown=caret))
    return (exact or named)[0]


def shared_column(columns: Sequence[object], share: ShareColumn, at: int, text: str) -> PlacedColumn:
    """Return the value column of a share: the one that it names, or the nearest to its left in its group.

    at: the position of the share among the columns.
    text: the column words, for the message.

    Raises UsageMistake if there is none.
    """
    if share.of:
        return slot_named(columns, share.of, text)
    left = [each for each in columns[:at] if isinstance(each, PlacedColumn) and each.group == share.group]
    if not left:
        shown = pointed(text, share.start, len("share"))
        allowed = "a value column to the left of it"
        raise UsageMistake(Mistake("this share has no value column", WHERE, "share", allowed, shown=shown))
    return left[-1]
