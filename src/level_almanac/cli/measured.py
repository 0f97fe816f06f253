"""Options of the commands that are of any table's measures: growth, rank and pace."""

import functools
from collections.abc import Callable
from typing import Any, TypeVar

import click

from level_almanac.cli.names import FIELD, FIELDS, TABLE
from level_almanac.cli.options import condition_options, entity_option
from level_almanac.core.measures.table_measures import MeasuredRequest
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest

F = TypeVar("F", bound=Callable[..., Any])


def measured_options(by_help: str) -> Callable[[F], F]:
    """Return what adds the table, its measures, conditions and entities, handed over as one `of`."""

    def add(command: F) -> F:
        @functools.wraps(command)
        def with_measures(
            *args: Any,
            table: str,
            of: str,
            compute: tuple[str, ...],
            by: str,
            date: str,
            only: tuple[str, ...],
            besides: tuple[str, ...],
            entities: tuple[str, ...],
            when: AsOfRequest,
            **others: Any,
        ) -> Any:
            asked = MeasuredRequest(
                table=table,
                of=of,
                compute=compute,
                by=by,
                conditions=Conditions(only, besides),
                when=when,
                entities=entities,
                date=date,
            )
            return command(*args, of=asked, **others)

        wrapped: Any = with_measures
        options: tuple[Callable[[Any], Any], ...] = (
            click.argument("table", type=TABLE, metavar="TABLE"),
            click.option("--by", type=FIELDS, default="", metavar="FIELD", help=by_help),
            click.option(
                "--of",
                default="",
                metavar="MEASURES",
                help="What is summed: `amount, quantity, margin %`.  [default: the table's amount]",
            ),
            click.option(
                "--compute", multiple=True, metavar="WORDS", help="A measure: `margin = (amount - cost) / amount`."
            ),
            click.option(
                "--date", type=FIELD, default="", metavar="FIELD", help="Go by this date, not the one that counts."
            ),
            condition_options,
            entity_option,
        )
        for option in reversed(options):
            wrapped = option(wrapped)
        result: F = wrapped
        return result

    return add
