"""Options that several requests have: entities, conditions, ranges of days, limits."""

import re
from collections.abc import Mapping
from decimal import Decimal, InvalidOperation
from typing import Any

from level_almanac.core.language.days import DayExpression, Moved
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.requests.options import Option, option, options
from level_almanac.core.table.threshold import Limit, Threshold
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.numbers import exact_number


def entity_option() -> Any:
    """Return the field that picks entities."""
    words = "Only this entity; repeatable.  [default: all]"
    return option("entity", words, "texts", metavar="CODE", offers="entity")


def level_option() -> Any:
    """Return the field that rolls the account tree up."""
    return option("level", "Roll accounts up to this level of the chart.", "count", metavar="N")


def after_closing_option() -> Any:
    """Return the field that takes closing lines in, which are else left out as carried ones are."""
    return option("after-closing", "Of the ledger: with closing lines, which are else left out.", "flag")


def dated_option() -> Any:
    """Return the field `dated`: whether ledger lines count in the period that they tell, or by their date alone."""
    words = "Lines in the period they are booked in, or by posting date alone."
    return option("date", words, "choice", "counted", choices=("counted", "posted"), show_default=True)


def dated_words(dated: str) -> list[str]:
    """Return what a head says where lines are placed by their date alone."""
    return ["by posting date, whatever period lines are booked in"] if dated == "posted" else []


def condition_options() -> Any:
    """Return the field that says which lines count: all of --only must hold, and none of --except."""
    return options(
        Option("only", "Only lines that meet this; repeatable.", "texts", metavar="COND", default=()),
        Option("except", "No lines that meet this; repeatable.", "texts", metavar="COND", default=()),
        build=lambda given: Conditions(given["only"], given["except"]),
        default=Conditions(),
        holds=lambda value: isinstance(value, Conditions) and value.are_texts,
        allowed='Conditions(("account begins 61",))',
    )


def first_option() -> Any:
    """Return the field of a range's first day."""
    return option("from", "From this day, with --through or --before.", "day", metavar="DAY")


def last_option() -> Any:
    """Return the field of a range's last day."""
    through = Option("through", "Through this day, it included.", "day", metavar="DAY")
    return options(
        through,
        Option("before", "Up to this day, it left out.", "day", metavar="DAY"),
        build=_last_day,
        default=None,
        holds=through.holds,
        allowed=through.allowed,
    )


def _last_day(given: Mapping[str, Any]) -> DayExpression | None:
    through, before = given["through"], given["before"]
    if through is not None and before is not None:
        raise UsageMistake(Mistake("both end the range", "--through and --before", next_step="give one of them"))
    return Moved(before, -1, "day") if before is not None else through


def threshold_options(what: str, on_help: str, *, each: bool = False) -> Any:
    """Return the field of limits. what: what they are on, in the plural; each: whether they can be put on lines."""
    fields_ = [
        Option("on", on_help, metavar="COLUMN", default=""),
        Option("over", f"Only {what} that are more.", "amount", metavar="N"),
        Option("at-least", f"Only {what} that are this or more.", "amount", metavar="N"),
        Option("under", f"Only {what} that are less.", "amount", metavar="N"),
        Option("at-most", f"Only {what} that are this or less.", "amount", metavar="N"),
        Option("between", f"Only {what} from the one through the other.", "amounts", metavar="N N"),
    ]
    limit = "One limit on one column, such as `amount over 7500`; repeatable."
    fields_.append(Option("limit", limit, "texts", metavar="LIMIT", default=()))
    if each:
        fields_.append(Option("each", "The limits are on single lines, not on totals.", "flag", default=False))
    return options(
        *fields_,
        build=_thresholds,
        default=(),
        holds=lambda value: isinstance(value, tuple) and all(isinstance(limit, Threshold) for limit in value),
        allowed='a tuple of Threshold("over", (Decimal(7500),))',
    )


_SINGLE: tuple[Limit, ...] = ("over", "at-least", "under", "at-most")


def _thresholds(given: Mapping[str, Any]) -> tuple[Threshold, ...]:
    on, each = given["on"], given.get("each", False)
    thresholds = [Threshold(name, (given[name],), on, each) for name in _SINGLE if given[name] is not None]
    between: tuple[Decimal, Decimal] | None = given["between"]
    if between is not None:
        if between[0] > between[1]:
            got, allowed = f"{between[0]} {between[1]}", "the smaller first"
            raise UsageMistake(Mistake("the range ends below its start", "--between", got, allowed))
        thresholds.append(Threshold("between", between, on, each))
    if on and not thresholds:
        step = "say one, such as --over 7500; with --limit the column stands in the limit"
        raise UsageMistake(Mistake("there is no limit that it goes with", "--on", next_step=step))
    thresholds += [_limit(text, each=each) for text in given["limit"]]
    if not thresholds and each:
        step = "say one, such as --over 7500"
        raise UsageMistake(Mistake("there is no limit that it goes with", "--each", next_step=step))
    return tuple(thresholds)


_LIMIT = re.compile(
    r"\s*(\S.*?)\s+(over|under|at\s+least|at\s+most|between)\s+(\S+)(?:\s+and\s+(\S+))?\s*", re.IGNORECASE
)
_SIGNS = {">": "over", ">=": "at least", "<": "under", "<=": "at most"}


def _limit(text: str, *, each: bool) -> Threshold:
    """Return the limit that `COLUMN over N` says; raise UsageMistake for what says none."""
    found = _LIMIT.fullmatch(text)
    allowed = "a column and its limit, such as `amount over 7500` or `count between 2 and 9`"
    if found is None or (found[2].lower() == "between") is (found[4] is None):
        sign = next((word for word in text.split() if word in _SIGNS), "")
        step = f"write `{_SIGNS[sign]}`" if sign else ""
        raise UsageMistake(Mistake("not a limit", "--limit", repr(text), allowed, step))
    try:
        values = tuple(exact_number(number) for number in (found[3], found[4]) if number is not None)
    except InvalidOperation:
        raise UsageMistake(Mistake("not a number", "--limit", repr(text), allowed)) from None
    if len(values) > 1 and values[0] > values[1]:
        raise UsageMistake(Mistake("the range ends below its start", "--limit", repr(text), "the smaller first"))
    limit: Any = "-".join(found[2].lower().split())
    return Threshold(limit, values, found[1].strip('"'), each)
