"""The range of days of a trial balance or an account's detail, and what the store is to sum for it (docs/trial.md)."""

from collections.abc import Iterable
from dataclasses import replace
from datetime import date, timedelta

from level_almanac.core.accounts import ChartOfAccounts
from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.calendar.fiscal import FiscalCalendar, FiscalPeriod
from level_almanac.core.calendar.positions import stretches
from level_almanac.core.header import as_of_for
from level_almanac.core.language.days import DayExpression
from level_almanac.core.spans.as_of import ALL_EXTRA, AsOfRequest, adjustment_words, choice_words, how_far_words
from level_almanac.core.spans.asked_range import asked_days
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.immutable import immutable
from level_almanac.store.ledger_sums import ALL_CLASSES, MOVEMENT, EntryClass, Measures, Slice
from level_almanac.store.predicate import Every, FieldTest, FiscalRange, Predicate, Some, Within

_ONE_DAY = timedelta(days=1)
TRIAL_SHOWN = ("earlier", "before", "within")
TRIAL_FREE = ("carried", "closing", "adjustments", "later", "all")
"""The measures that make what a trial balance shows, and those that conditions are not asked for."""


@immutable
class TrialRange:
    """The range shown. year: the fiscal year that it ends in; since: the one that it begins in; before: what of that
    lies before it; extra_left: extra periods of the last year not asked for; asks: a range for each of its years;
    whole: whether it is all of the period, quarter, year or range that is meant.
    """

    year: int
    since: int
    first: date
    last: date
    words: str
    before: tuple[FiscalRange, ...]
    within: tuple[FiscalRange, ...]
    extra_left: tuple[FiscalRange, ...]
    adjustments_only: bool = False
    whole: bool = True
    asks: tuple[str, ...] = ()

    def check(self, codes: Iterable[str], chart: ChartOfAccounts) -> None:
        """Raise UsageMistake where it reaches over a year's end and any of these accounts starts anew there."""
        if self.since == self.year or not any(chart[code].is_income for code in codes):
            return
        what = "the range reaches over a year's end, where income and expense start anew"
        step = f"ask for each year by itself: {', '.join(self.asks)}"
        raise UsageMistake(Mistake(what, "--from", f"{self.first} through {self.last}", next_step=step))

    @property
    def _last_year(self) -> FiscalRange:
        return FiscalRange(self.year * 100 + 1, self.year * 100 + 99)

    def classes(self, after_closing: bool) -> tuple[EntryClass, ...]:
        """Return the classes that are shown of the last year: before closing, or after."""
        return MOVEMENT if after_closing else ("ordinary", "adjusting")

    def moved(self, found: tuple[FiscalRange, ...], after_closing: bool) -> tuple[Slice, ...]:
        """Return what moves in these stretches: closing lines of years that end within the range are movement."""
        last = tuple(each for each in found if each.low >= self._last_year.low)
        earlier = tuple(each for each in found if each.low < self._last_year.low)
        slices = [Slice(MOVEMENT, earlier)] if earlier else []
        return (*slices, Slice(self.classes(after_closing), last))

    def line_rule(self, after_closing: bool) -> Predicate:
        """Return which ledger lines are shown one by one."""
        slices = self.moved(self.within, after_closing)
        tests = [Every((FieldTest("entry", "is", each.classes), Within(each.stretches))) for each in slices]
        return tests[0] if len(tests) == 1 else Some(tuple(tests))


def trial_range(
    book: Book, calendar: FiscalCalendar, when: AsOfRequest, asked: tuple[DayExpression | None, DayExpression | None]
) -> TrialRange:
    """Return the range: the days asked for, or what `when` names, or the fiscal year to date.

    Raises UsageMistake where the range has one end or is none.
    """
    as_of = as_of_for(book, calendar, when)
    named = as_of.named
    if any(asked) and (days := asked_days(*asked, as_of)) is not None:
        return _asked_range(calendar, when, *days)
    if isinstance(named, FiscalPeriod) and named.extra:
        only = (FiscalRange(named.fiscal, named.fiscal),)
        before = (FiscalRange(named.year * 100 + 1, named.fiscal - 1),)
        words = f"{named} (adjustments dated {day_words(named.last)})"
        year = named.year
        return TrialRange(year, year, named.first, named.last, words, before, only, (), adjustments_only=True)
    first = named.first if named else calendar.year_of(as_of.day).first
    far = how_far_words(as_of, book.data_through())
    how = "" if named or as_of.how == "as asked" else f" ({as_of.how})"
    called = far if as_of.is_cut else named or f"year to date, {far}"
    words = f"{range_words(first, as_of.day)}{how}: {called}"
    words = " · ".join([words, *choice_words(as_of)])
    whole = as_of.day == (named.last if named else calendar.year_of(as_of.day).last)
    return replace(_made_range(calendar, first, as_of.day, as_of.extras, words), whole=whole)


def _asked_range(calendar: FiscalCalendar, when: AsOfRequest, first: date, last: date) -> TrialRange:
    extras = 0 if when.adjustments == "without" else ALL_EXTRA
    choices = adjustment_words(calendar.year_of(last), last, extras)
    return _made_range(calendar, first, last, extras, " · ".join([range_words(first, last), *choices]))


def _made_range(calendar: FiscalCalendar, first: date, last: date, extras: int, words: str) -> TrialRange:
    since, year = calendar.year_of(first), calendar.year_of(last)
    before = stretches(calendar, since.first, first - _ONE_DAY, 0) if first > since.first else ()
    within = stretches(calendar, first, last, extras)
    left = year.extra_periods[extras:] if last == year.last else ()
    years = [calendar.year(number) for number in range(since.year, year.year + 1)]
    return TrialRange(
        year.year,
        since.year,
        first,
        last,
        words,
        before,
        within,
        tuple(FiscalRange(extra.fiscal, extra.fiscal) for extra in left),
        asks=tuple(f"--from {max(first, each.first)} --through {min(last, each.last)}" for each in years),
    )


def trial_measures(shown: TrialRange, after_closing: bool) -> Measures:
    """Return what is summed by account: the opening as `earlier` and `before`, the movement, and what is left out."""
    year = shown.year * 100
    earlier, base = FiscalRange(0, shown.since * 100), FiscalRange(0, year + 1)
    whole_year = FiscalRange(year + 1, year + 99)
    taken = (earlier, *shown.before, *shown.within, *shown.extra_left)
    years_before = tuple(each for each in taken if each.low < year)
    return {
        # Closing lines of earlier years stay in the openings: only the year shown is taken before closing.
        "earlier": (Slice(MOVEMENT, (earlier,)), Slice(("base",), (base,))),
        "before": shown.moved(shown.before, after_closing),
        "within": shown.moved(shown.within, after_closing),
        "carried": (Slice(("carried",)),),
        "closing": () if after_closing else (Slice(("closing",), (whole_year,)),),
        "adjustments": (Slice(shown.classes(after_closing), shown.extra_left),),
        "later": (
            Slice(("ordinary", "adjusting"), taken, outside=True),
            Slice(("closing",), taken if after_closing else (*years_before, whole_year), outside=True),
            Slice(("base",), (base,), outside=True),
        ),
        "all": (Slice(ALL_CLASSES),),
    }
