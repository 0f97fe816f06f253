"""Options that several commands share."""

import functools
from collections.abc import Callable
from typing import Any, TypeVar

import click

from level_almanac.cli.names import ENTITY, PERIOD, QUARTER, YEAR
from level_almanac.cli.session import session_of
from level_almanac.core.book import Book
from level_almanac.core.language.days import DayWords, Moved, read_day
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.errors import UsageMistake

F = TypeVar("F", bound=Callable[..., Any])


class Day(click.ParamType[DayWords]):
    """A day: YYYY-MM-DD, or words such as `end of last period`."""

    name = "day"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> DayWords:  # noqa: ARG002  click's signature
        """Return what the text says; raise UsageMistake where it says no day."""
        if not isinstance(value, str):
            found: DayWords = value
            return found
        return read_day(value, param.opts[0] if param else "day", UsageMistake)


DAY = Day()


_AS_OF_HELP = ("As of a period's end, such as 2026-P08.", "As of a quarter's end, such as 2026-Q2.",
               "As of a fiscal year's end, such as 2025.")  # fmt: skip
_COVERS_HELP = ("This period, such as 2026-P08.", "This quarter, such as 2026-Q2.", "This fiscal year, such as 2025.")


def when_options(command: F, words: tuple[str, str, str] = _AS_OF_HELP) -> F:
    """Add the options that say which day, period, quarter or year a report is made for. words: the help of the last."""
    for option in reversed(
        (
            click.option("--as-of", type=DAY, metavar="DAY", help="As of this day.  [default: where the data ends]"),
            click.option("--period", type=PERIOD, default="", metavar="ID", help=words[0]),
            click.option("--quarter", type=QUARTER, default="", metavar="ID", help=words[1]),
            click.option("--year", type=YEAR, default="", metavar="ID", help=words[2]),
            click.option(
                "--adjustments",
                type=click.Choice(["with", "without"]),
                default="with",
                show_default=True,
                help="Whether extra periods count at a year's end.",
            ),
        )
    ):
        command = option(command)
    return command


def entity_option(command: F) -> F:
    """Add the option that picks entities."""
    return click.option(
        "--entity",
        "entities",
        type=ENTITY,
        multiple=True,
        metavar="CODE",
        help="Only this entity; repeatable.  [default: all]",
    )(command)


def level_option(command: F) -> F:
    """Add the option that rolls the account tree up."""
    return click.option(
        "--level", type=click.IntRange(min=1), metavar="N", help="Roll accounts up to this level of the chart."
    )(command)


def as_of_request(
    as_of: DayWords | None, period: str, quarter: str, year: str, adjustments: str, compare: str = "same-days"
) -> AsOfRequest:
    """Return the request that the `when_options` make."""
    return AsOfRequest(
        as_of=as_of,
        period=period,
        quarter=quarter,
        year=year,
        adjustments="without" if adjustments == "without" else "with",
        compare="whole" if compare == "whole" else "same-days",
    )


def last_day(through: DayWords | None, before: DayWords | None) -> DayWords | None:
    """Return the last day of a range from --through or --before, of which only one may be given."""
    if through and before:
        raise click.UsageError("--through and --before both end the range; give one of them")
    return Moved(before, -1, "day") if before else through


def open_book(ctx: click.Context) -> Book:
    """Open the book that `--book` names."""
    session = session_of(ctx)
    return session.opened or Book.open(session.folder)


def condition_options(command: F) -> F:
    """Add the options that say which lines count: all of --only must hold, and none of --except."""
    for option in reversed(
        (
            click.option("--only", multiple=True, metavar="COND", help="Only lines that meet this; repeatable."),
            click.option(
                "--except", "besides", multiple=True, metavar="COND", help="No lines that meet this; repeatable."
            ),
        )
    ):
        command = option(command)
    return command


def range_options(command: F) -> F:
    """Add the options that say from which day through which."""
    for option in reversed(
        (
            click.option("--from", "first", type=DAY, metavar="DAY", help="From this day, with --through or --before."),
            click.option("--through", type=DAY, metavar="DAY", help="Through this day, it included."),
            click.option("--before", type=DAY, metavar="DAY", help="Up to this day, it left out."),
        )
    ):
        command = option(command)
    return command


def dated_options(command: F) -> F:
    """Add both: as of when, and from which day through which, handed over as `when` and `days`."""

    @functools.wraps(command)
    def with_days(
        *args: Any,
        as_of: DayWords | None,
        period: str,
        quarter: str,
        year: str,
        adjustments: str,
        first: DayWords | None,
        through: DayWords | None,
        before: DayWords | None,
        **others: Any,
    ) -> Any:
        when = as_of_request(as_of, period, quarter, year, adjustments)
        return command(*args, when=when, days=(first, last_day(through, before)), **others)

    wrapped: Any = with_days
    result: F = when_options(range_options(wrapped), _COVERS_HELP)
    return result
