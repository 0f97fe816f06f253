"""What a list is asked for (docs/list.md)."""

from dataclasses import fields

from level_almanac.core.language.days import DayExpression
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.requests.options import Request, declared_of, inner, option
from level_almanac.core.requests.shared import (
    after_closing_option,
    condition_options,
    entity_option,
    first_option,
    last_option,
    threshold_options,
)
from level_almanac.core.spans.as_of import COVERS, AsOfRequest
from level_almanac.core.table.threshold import Threshold
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.immutable import immutable

_NOT_HERE = {
    "show": "name measures in the columns, such as `quantity ytd`",
    "lines": "leave --columns out for single lines",
    "yes": "columns are named, not marked",
    "first": "say the days in the columns, such as `2026-01-01 through 2026-03-31`",
    "last": "say the days in the columns, such as `2026-01-01 through 2026-03-31`",
    "carried": "carried lines are no movement of a span",
}
"""Fields of the request that say nothing of columns, and what to write instead."""
_ONLY_HERE = ("top", "bottom")


@immutable(kw_only=True)
class ListRequest(Request):
    """What a list is asked for. show, by, sort: expressions; compute: `name = words` each; conditions: of lines;
    first, last, date: a range of days, both or neither, and the date that counts; flat: whether each field of `by`
    has a column of its own; lines: whether each line of a group is shown; columns: column words, by which each member
    has any measures in any spans; top, bottom: so many members of those; yes: the names of columns that appear;
    first_rows: show only so many rows; carried, after_closing: with carried and with closing lines.
    """

    table: str = option("table", "", default="ledger", metavar="TABLE", offers="table", argument=True, required=True)
    show: str = option(
        "show", "Columns, between commas: fields, sums, counts.", metavar="FIELDS", listed=True, offers="fields"
    )
    by: str = option(
        "by",
        "In groups with totals: fields, or parts such as `quarter of posted`.",
        metavar="FIELDS",
        listed=True,
        offers="fields",
    )
    flat: bool = option("flat", "One row a group, each field of --by in a column of its own.", "flag")
    lines: bool = option("lines", "With --by, each line of a group too.", "flag")
    sort: str = option("sort", "In this order, each `descending` or not.", metavar="FIELDS", listed=True)
    compute: tuple[str, ...] = option("compute", "A field made of others; repeatable.", "texts", metavar="NAME=WORDS")
    columns: str = option(
        "columns",
        "Each member in these columns: `now = ytd; quantity ytd; budget ytd; variance`.",
        metavar="WORDS",
        joint="; ",
        listed=True,
    )
    top: int | None = option("top", "With --columns: the largest so many, and all other.", "count", metavar="N")
    bottom: int | None = option("bottom", "With --columns: the smallest so many.", "count", metavar="N")
    yes: tuple[str, ...] = option("yes", "Show the columns marked `if NAME`; repeatable.", "texts", metavar="NAME")
    first_rows: int | None = option("first", "Only the first so many.", "count", metavar="N")
    thresholds: tuple[Threshold, ...] = threshold_options(
        "totals", "What the limits are on.  [default: the first amount]", each=True
    )
    carried: bool = option("carried", "Carried lines too, which are else left out.", "flag")
    after_closing: bool = after_closing_option()
    when: AsOfRequest = inner(
        AsOfRequest, helps={**COVERS, "compare": "With --columns: cut a compared part span at the same day, or not."}
    )
    first: DayExpression | None = first_option()
    last: DayExpression | None = last_option()
    date: str = option(
        "date", "The date that days are told by.  [default: the one that counts]", metavar="FIELD", offers="field"
    )
    conditions: Conditions = condition_options()
    entities: tuple[str, ...] = entity_option()


def check_columned(request: ListRequest) -> None:
    """Raise UsageMistake for options that do not go together: some are of lists in columns alone, some of others."""
    here = bool(request.columns)
    for each in fields(request):
        declared = declared_of(each)
        step = _NOT_HERE.get(each.name, "") if here else ""
        wrong = each.name in (_NOT_HERE if here else _ONLY_HERE)
        if declared is not None and wrong and getattr(request, each.name) not in (None, "", (), False):
            what = "this says nothing of a list in columns" if here else "this is of lists in columns"
            step = step or "say what to rank with --columns, such as --columns ytd"
            raise UsageMistake(Mistake(what, f"--{declared.options[0].name}", next_step=step))
    if not here and request.when.compare != "same-days":
        step = "say --columns, such as --columns 'ytd; ytd last year'"
        raise UsageMistake(Mistake("nothing is compared without columns", "--compare", next_step=step))
    if here and any(limit.each for limit in request.thresholds):
        step = 'say it as a condition, such as --only "amount over 7500"'
        raise UsageMistake(Mistake("columns have totals, and no single lines", "--each", next_step=step))
    if request.flat and (not request.by or request.lines):
        lines = ("single lines are flat without it", "leave --by and --lines out, and show the fields")
        what, step = lines if request.lines else ("a list without groups is flat without it", "say --by FIELDS")
        raise UsageMistake(Mistake(what, "--flat", next_step=step))
    asked = [name for name in ("top", "bottom", "first_rows") if getattr(request, name) is not None]
    if len(asked) > 1:
        words = " and ".join(f"--{name.partition('_')[0]}" for name in asked)
        raise UsageMistake(Mistake("more than one way to say which rows", got=words, allowed="one of them"))
