"""What each column of change or variance is made of: the two value columns that belong together (docs/columns.md)."""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from level_almanac.core.columns.placed import PlacedColumn, Shown, slot_named
from level_almanac.core.language.columns import WHERE, ChangeColumn, ComputedColumn, ShareColumn
from level_almanac.core.language.parsing import pointed
from level_almanac.core.spans.windows import Missing, Window
from level_almanac.errors import Mistake, UsageMistake, listed


class PairedColumn(NamedTuple):
    """A change or variance of one value column over another, for a variance the plan last.

    label: of one of several parts, its name; beside: whether both stand right before it in this order, so that its head
    need not say what it is of.
    """

    word: ChangeColumn
    key: str
    of: PlacedColumn
    over: PlacedColumn
    label: str = ""
    beside: bool = False


Column = PlacedColumn | ShareColumn | ComputedColumn | PairedColumn


def paired(shown: Sequence[Shown], text: str) -> tuple[Column, ...]:
    """Return the columns with each change and variance as what it is made of, part by part where its span is divided.

    text: the column words, for messages. Raises UsageMistake where nothing belongs together.
    """
    columns: list[Column] = []
    for at, column in enumerate(shown):
        if isinstance(column, ChangeColumn):
            columns += _Pairing(shown, at, column, text).columns()
        else:
            columns.append(column)
    return tuple(columns)


class _Pairing:
    """Finds what one change or variance is made of among the value columns to its left."""

    def __init__(self, shown: Sequence[Shown], at: int, word: ChangeColumn, text: str) -> None:
        self.shown, self.word, self.text = shown, word, text
        left = (column for column in shown[:at] if isinstance(column, PlacedColumn))
        # What stands under one head is compared with what stands there too.
        self.left = [column for column in left if column.group == word.group]

    def columns(self) -> list[PairedColumn]:
        """Return the pairs, more than one where they are parts of a divided span."""
        word = self.word
        if word.of:
            of, over = (slot_named(self.shown, name, self.text) for name in (word.of, word.over))
            return [PairedColumn(word, word.key, *(self._varied(of, over) if word.kind == "variance" else (of, over)))]
        pairs = list(self._variances() if word.kind == "variance" else self._changes())
        if len(pairs) == 1:
            of, over = pairs[0]
            beside = [column.key for column in self.left[-2:]] == [of.key, over.key]
            beside = beside and not of.divided and (word.kind == "variance" or is_later(of, over))
            return [PairedColumn(word, word.key, of, over, beside=beside)]
        return [PairedColumn(word, f"{word.key}-{of.part}", of, over, of.part) for of, over in pairs]

    # Variances.

    def _variances(self) -> Iterator[tuple[PlacedColumn, PlacedColumn]]:
        """Yield what was booked beside the plan nearest on the left, of the same span and shift."""
        plans = [column for column in self.left if column.is_plan]
        if not plans:
            raise self._mistake(
                "a variance compares what was booked with a plan",
                "two columns of what was booked",
                "a column such as `budget ytd` beside it",
            )
        nearest = plans[-1]
        parts = [column for column in plans if column.word == nearest.word] if nearest.divided else [nearest]
        for plan in parts:
            booked = next((column for column in reversed(self.left) if self._belongs(column, plan)), None)
            if booked is not None:
                yield booked, plan
            elif not nearest.divided:
                raise self._no_partner(plan)
        if nearest.divided and not any(self._belongs(column, plan) for plan in parts for column in self.left):
            raise self._no_partner(nearest)

    @staticmethod
    def _belongs(column: PlacedColumn, plan: PlacedColumn) -> bool:
        if column.is_plan or (column.part, column.field, column.measure) != (plan.part, plan.field, plan.measure):
            return False
        if column.spanned == plan.spanned:
            return True
        # Two words can name the same days.
        one, other = column.window, plan.window
        if not isinstance(one, Window) or not isinstance(other, Window) or column.divided or plan.divided:
            return False
        return (one.first, one.last, one.extras, one.before) == (other.first, other.last, other.extras, other.before)

    def _no_partner(self, plan: PlacedColumn) -> UsageMistake:
        span = plan.word.removeprefix(f"{plan.scenario}-").replace("-", " ") if plan.word else ""
        named = [
            f"`{self.word.kind} of {column.word} over {plan.word}`" for column in self._booked if not column.divided
        ]
        allowed = listed([f"`{span}` to the left of it", *dict.fromkeys(named[-1:])])
        return self._mistake(
            "nothing that was booked is of the plan's span", f"{self.word.kind} after {plan.word}", allowed
        )

    def _varied(self, of: PlacedColumn, over: PlacedColumn) -> tuple[PlacedColumn, PlacedColumn]:
        """Return two columns of a variance with the plan last."""
        if of.is_plan == over.is_plan:
            got = "two plans" if of.is_plan else "two columns of what was booked"
            allowed = "one of each; `change of A over B` compares any two"
            raise self._mistake("a variance compares what was booked with a plan", got, allowed)
        return (over, of) if of.is_plan else (of, over)

    # Changes.

    @property
    def _booked(self) -> list[PlacedColumn]:
        return [column for column in self.left if not column.is_plan]

    def _changes(self) -> Iterator[tuple[PlacedColumn, PlacedColumn]]:
        """Yield the two nearest columns of what was booked, or of plans where nothing is booked, the later first."""
        # Amounts are not compared with quantities: what stands nearest says which is meant.
        nearest = self.left[-1].measure if self.left else ""
        left = [column for column in self.left if column.measure == nearest]
        booked = [column for column in left if not column.is_plan]
        compared = booked or left
        there = [column for column in compared if not (isinstance(column.window, Missing) and column.window.later)]
        if len(there) < 2:
            plan = next((column for column in reversed(self.left) if column.is_plan), None)
            named = f"`variance`, or `change of {booked[-1].word} over {plan.word}`" if plan and booked else ""
            if len(self._booked) > 1 and not named:
                got = " and ".join(column.word for column in self._booked[-2:])
                allowed = "two columns of one measure, or `change of A over B` for any two like columns"
                raise self._mistake("a change compares two columns of one measure", got, allowed)
            allowed = named or "two value columns to the left of it"
            raise self._mistake("a change compares two columns of what was booked", self.word.kind, allowed)
        last = there[-1]
        other = next((column for column in reversed(there) if column.word != last.word), None)
        if last.divided and other is not None and other.divided and last.unmoved == other.unmoved:
            yield from _by_part(last.word, other.word, compared)
        elif last.field and there[-2].field and not last.group:
            allowed = f"a span moved, such as `each {last.field} ptd; each {last.field} ptd last year`"
            raise self._mistake("a change compares spans", f"two members of {last.field}", allowed)
        else:
            yield in_time(there[-2], last)

    def _mistake(self, what: str, got: str, allowed: str) -> UsageMistake:
        caret = pointed(self.text, self.word.start, len(self.word.kind))
        return UsageMistake(Mistake(what, WHERE, got, allowed, shown=caret))


def _by_part(word: str, other: str, left: Sequence[PlacedColumn]) -> Iterator[tuple[PlacedColumn, PlacedColumn]]:
    """Yield the parts of two divided spans two by two: those of the same name within their year, or in order."""
    ones, others = ([column for column in left if column.word == each] for each in (word, other))
    by_name = {_within_year(column): column for column in others}
    if all(_within_year(column) in by_name for column in ones):
        yield from (in_time(by_name[_within_year(column)], column) for column in ones)
    else:
        yield from (in_time(*pair) for pair in zip(others, ones, strict=False))


def _within_year(column: PlacedColumn) -> str:
    """Return the name of a part without its year: `Q1` of `2026-Q1`, a member as it is."""
    return column.part if column.field else column.part.partition("-")[2]


def in_time(one: PlacedColumn, other: PlacedColumn) -> tuple[PlacedColumn, PlacedColumn]:
    """Return two columns with the later one first; as they stand where neither ends later."""
    return (other, one) if is_later(other, one) else (one, other)


def is_later(one: PlacedColumn, other: PlacedColumn) -> bool:
    """Tell whether the first of two columns ends later than the second."""
    first, second = one.window, other.window
    if isinstance(first, Window) and isinstance(second, Window):
        return first.balance_day > second.balance_day
    # What has no days is told apart by how far it was moved.
    shifts = [column.value.shift.number if column.value else 0 for column in (one, other)]
    return shifts[0] < shifts[1]


def pair_words(pair: PairedColumn) -> str:
    """Return what is taken from what, by the heads of both, or by their words where those are the same."""
    of, over = pair.of, pair.over
    names = (of.label, over.label) if of.label != over.label else (of.word, over.word)
    return f"{names[0]} {'against' if pair.word.kind == 'variance' else 'less'} {names[1]}"


def head_over(column: Column) -> str:
    """Return what stands over a column and those of its group."""
    return column.word.head if isinstance(column, PairedColumn) else column.head


def unlike_notes(columns: Sequence[Column]) -> Iterator[str]:
    """Yield which pairs set a span that is not finished beside a whole one."""
    told = dict[str, None]()
    for column in columns:
        if not isinstance(column, PairedColumn):
            continue
        of, over = column.of.window, column.over.window
        if not isinstance(of, Window) or not isinstance(over, Window) or of.begins or over.begins:
            continue
        if of.is_part != over.is_part:
            days = [(window.last - window.first).days + 1 for window in (of, over)]
            if days[0] != days[1]:
                names = [each.label or each.part or each.word for each in (column.of, column.over)]
                beside = f"{names[0]}, {of.covers}, is set beside {names[1]}, {over.covers}"
                told[f"{beside}: {days[0]:,} days and {days[1]:,}"] = None
    yield from told
