"""Options that hold amounts against limits."""

import functools
from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any, TypeVar

import click

from level_almanac.core.table.threshold import Limit, Threshold

F = TypeVar("F", bound=Callable[..., Any])


class Amount(click.ParamType[Decimal]):
    """A number, exact."""

    name = "amount"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Decimal:
        """Return the number that the text says; fail where it says none."""
        try:
            number = Decimal(str(value).replace("−", "-"))
        except ArithmeticError:
            number = Decimal("NaN")
        if not number.is_finite():
            self.fail(f"{value!r} is not a number; write one such as 7500 or -12.50", param, ctx)
        return number


AMOUNT = Amount()


def threshold_options(what: str, on_help: str, *, each: bool = False) -> Callable[[F], F]:
    """Return what adds the limits, handed over as `thresholds`. what: what they are on, in the plural; each: whether
    they can be put on single lines.
    """

    def add(command: F) -> F:
        @functools.wraps(command)
        def with_thresholds(
            *args: Any,
            on: str,
            over: Decimal | None,
            at_least: Decimal | None,
            under: Decimal | None,
            at_most: Decimal | None,
            between: tuple[Decimal, Decimal] | None,
            **others: Any,
        ) -> Any:
            singles: tuple[tuple[Limit, Decimal | None], ...] = (
                ("over", over),
                ("at-least", at_least),
                ("under", under),
                ("at-most", at_most),
            )
            single = others.pop("each") if each else False
            found = _thresholds(singles, between, on, single)
            return command(*args, thresholds=tuple(found), **others)

        wrapped: Any = with_thresholds
        options = [
            click.option("--on", default="", metavar="COLUMN", help=on_help),
            click.option("--over", type=AMOUNT, metavar="N", help=f"Only {what} that are more."),
            click.option("--at-least", type=AMOUNT, metavar="N", help=f"Only {what} that are this or more."),
            click.option("--under", type=AMOUNT, metavar="N", help=f"Only {what} that are less."),
            click.option("--at-most", type=AMOUNT, metavar="N", help=f"Only {what} that are this or less."),
            click.option(
                "--between", type=AMOUNT, nargs=2, metavar="N N", help=f"Only {what} from the one through the other."
            ),
        ]
        if each:
            options.append(click.option("--each", is_flag=True, help="The limits are on single lines, not on totals."))
        for option in reversed(options):
            wrapped = option(wrapped)
        result: F = wrapped
        return result

    return add


def _thresholds(
    singles: Sequence[tuple[Limit, Decimal | None]], between: tuple[Decimal, Decimal] | None, on: str, each: bool
) -> list[Threshold]:
    found = [Threshold(name, (value,), on, each) for name, value in singles if value is not None]
    if between is not None:
        if between[0] > between[1]:
            raise click.UsageError(f"--between {between[0]} {between[1]}: the range ends below its start")
        found.append(Threshold("between", between, on, each))
    if not found and (on or each):
        raise click.UsageError(f"{'--on' if on else '--each'} goes with a limit such as --over")
    return found
