"""The range of days of a trial balance or an account's detail, and what the store is to sum for it (docs/trial.md)."""

from dataclasses import dataclass
from datetime import date, timedelta

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.calendar.fiscal import FiscalCalendar, FiscalPeriod
from level_almanac.core.calendar.positions import stretches
from level_almanac.core.header import as_of_for
from level_almanac.core.language.days import DayContext, DayExpression, day_of
from level_almanac.core.spans.as_of import ALL_EXTRA, AsOfRequest, adjustment_words, choice_words, how_far_words
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.store.ledger_sums import ALL_CLASSES, MOVEMENT, EntryClass, Measures, Slice
from level_almanac.store.predicate import FiscalRange

_ONE_DAY = timedelta(days=1)
TRIAL_SHOWN = ("earlier", "before", "within")
TRIAL_FREE = ("carried", "closing", "adjustments", "later", "all")
"""The measures that make what a trial balance shows, and those that conditions are not asked for."""


@dataclass(frozen=True, slots=True)
class TrialRange:
    """The range shown. before: what of its fiscal year lies before it; extra_left: its extra periods not asked for."""

    year: int
    first: date
    last: date
    words: str
    before: tuple[FiscalRange, ...]
    within: tuple[FiscalRange, ...]
    extra_left: tuple[FiscalRange, ...]
    adjustments_only: bool = False


def trial_range(
    book: Book, calendar: FiscalCalendar, when: AsOfRequest, asked: tuple[DayExpression | None, DayExpression | None]
) -> TrialRange:
    """Return the range: the days asked for, or what `when` names, or the fiscal year to date.

    Raises UsageMistake where the range has one end, is none, or reaches over a year's end.
    """
    if any(asked):
        if when.as_of or when.period or when.quarter or when.year:
            got = "--from and --through beside a day, period, quarter or year"
            raise UsageMistake(Mistake("more than one way to say when", got=got, allowed="one of them"))
        newest = book.data_through() or book.today
        return _asked_range(calendar, when, asked, DayContext(calendar, book.today, newest))
    as_of = as_of_for(book, calendar, when)
    named = as_of.named
    if isinstance(named, FiscalPeriod) and named.extra:
        only = (FiscalRange(named.fiscal, named.fiscal),)
        before = (FiscalRange(named.year * 100 + 1, named.fiscal - 1),)
        words = f"{named} (adjustments dated {day_words(named.last)})"
        return TrialRange(named.year, named.first, named.last, words, before, only, (), adjustments_only=True)
    first = named.first if named else calendar.year_of(as_of.day).first
    far = how_far_words(as_of, book.data_through())
    how = "" if named or as_of.how == "as asked" else f" ({as_of.how})"
    called = far if as_of.is_cut else named or f"year to date, {far}"
    words = f"{range_words(first, as_of.day)}{how}: {called}"
    words = " · ".join([words, *choice_words(as_of)])
    return _made_range(calendar, first, as_of.day, as_of.extras, words)


def _asked_range(
    calendar: FiscalCalendar,
    when: AsOfRequest,
    asked: tuple[DayExpression | None, DayExpression | None],
    context: DayContext,
) -> TrialRange:
    if asked[0] is None or asked[1] is None:
        missing = "--from" if asked[0] is None else "--through or --before"
        raise UsageMistake(Mistake("only one end of the range is given", next_step=f"give {missing} too"))
    first, last = day_of(asked[0], context), day_of(asked[1], context)
    if first > last:
        got = f"{day_words(first)} through {day_words(last)}"
        raise UsageMistake(Mistake("the range ends before it starts", "--from", got))
    years = calendar.year_of(first), calendar.year_of(last)
    if years[0] != years[1]:
        asks = f"--from {first} --through {years[0].last}", f"--from {years[1].first} --through {last}"
        raise UsageMistake(
            Mistake(
                "the range reaches over a year's end, where income and expense start anew",
                "--from",
                f"{first} through {last}",
                next_step=f"ask for {asks[0]} and for {asks[1]}",
            )
        )
    extras = 0 if when.adjustments == "without" else ALL_EXTRA
    choices = adjustment_words(years[1], last, extras)
    return _made_range(calendar, first, last, extras, " · ".join([range_words(first, last), *choices]))


def _made_range(calendar: FiscalCalendar, first: date, last: date, extras: int, words: str) -> TrialRange:
    year = calendar.year_of(first)
    before = stretches(calendar, year.first, first - _ONE_DAY, 0) if first > year.first else ()
    within = stretches(calendar, first, last, extras)
    left = year.extra_periods[extras:] if last == year.last else ()
    return TrialRange(
        year.year, first, last, words, before, within, tuple(FiscalRange(extra.fiscal, extra.fiscal) for extra in left)
    )


def trial_measures(shown: TrialRange, after_closing: bool) -> Measures:
    """Return what is summed by account: the opening as `earlier` and `before`, the movement, and what is left out."""
    year = shown.year * 100
    movement: tuple[EntryClass, ...] = MOVEMENT if after_closing else ("ordinary", "adjusting")
    earlier = FiscalRange(0, year)
    whole_year = FiscalRange(year + 1, year + 99)
    taken = (earlier, *shown.before, *shown.within)
    return {
        # Closing lines of earlier years stay in the openings: only the year shown is taken before closing.
        "earlier": (Slice(MOVEMENT, (earlier,)), Slice(("base",), (FiscalRange(0, year + 1),))),
        "before": (Slice(movement, shown.before),),
        "within": (Slice(movement, shown.within),),
        "carried": (Slice(("carried",)),),
        "closing": () if after_closing else (Slice(("closing",), (whole_year,)),),
        "adjustments": (Slice(movement, shown.extra_left),),
        "later": (
            Slice(("ordinary", "adjusting"), (*taken, *shown.extra_left), outside=True),
            Slice(("closing",), (*taken, *shown.extra_left) if after_closing else (earlier, whole_year), outside=True),
            Slice(("base",), (FiscalRange(0, year + 1),), outside=True),
        ),
        "all": (Slice(ALL_CLASSES),),
    }
