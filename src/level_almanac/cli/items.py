"""Options that the commands over suppliers' and customers' documents share."""

from collections.abc import Callable
from typing import Any, TypeVar

import click

F = TypeVar("F", bound=Callable[..., Any])


class Days(click.ParamType[tuple[int, ...]]):
    """Whole numbers of days between commas, rising."""

    name = "days"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> tuple[int, ...]:
        """Return the numbers; fail where they are none, or do not rise."""
        if isinstance(value, tuple):
            return value
        parts = [part.strip() for part in str(value).split(",")]
        days = tuple(int(part) for part in parts if part.isdecimal())
        if len(days) != len(parts) or not days[0] or sorted(set(days)) != list(days):
            self.fail(f"{value!r} are no buckets; write the last day late of each, rising, as 30,60,90", param, ctx)
        return days


DAYS = Days()


def side_argument(command: F) -> F:
    """Add the argument that says whose documents."""
    return click.argument("side", type=click.Choice(["payable", "receivable"]))(command)
