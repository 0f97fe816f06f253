"""The range of days that a report over lines is asked for."""

from datetime import date

from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.language.days import DayExpression, day_of
from level_almanac.core.spans.as_of import AsOf
from level_almanac.errors import Mistake, UsageMistake


def asked_days(first: DayExpression | None, last: DayExpression | None, as_of: AsOf) -> tuple[date, date] | None:
    """Return the first and last day of the lines wanted, or None for all.

    first, last: as they were asked for; else the period, quarter or year that was named counts, as far as the
    data goes. Raises UsageMistake where only one end is given, the range ends before it starts, or a span is named too.
    """
    if first or last:
        if as_of.named is not None:
            got, step = f"beside {as_of.named}", "--as-of says which day words such as `end of last period` go by"
            raise UsageMistake(Mistake("more than one way to say when", "--from", got, "one of them", step))
        if first is None or last is None:
            missing = "--from" if first is None else "--through or --before"
            raise UsageMistake(Mistake("only one end of the range is given", next_step=f"give {missing} too"))
        context = as_of.context
        start, end = day_of(first, context), day_of(last, context)
        if start > end:
            raise UsageMistake(
                Mistake("the range ends before it starts", "--from", f"{day_words(start)} through {day_words(end)}")
            )
        return start, end
    counts = as_of.named_last
    return None if as_of.named is None or counts is None else (as_of.named.first, counts)
