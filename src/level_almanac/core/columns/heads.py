"""The heads of a statement's value columns: what each covers, and how much of that there is."""

from collections.abc import Sequence
from datetime import date
from typing import TYPE_CHECKING

from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.columns.placed import PlacedColumn, shared_column
from level_almanac.core.language.columns import ShareColumn
from level_almanac.core.spans.as_of import AsOf
from level_almanac.core.spans.windows import EVERYTHING, Missing, Window, covered
from level_almanac.core.table.model import Column
from level_almanac.files.layouts import RowMeasure

if TYPE_CHECKING:
    from level_almanac.core.measures.plans import Plans


def head_of(
    slot: PlacedColumn, decimals: int, as_of: AsOf, measure: RowMeasure, through: date | None, plans: "Plans | None"
) -> Column:
    """Return a value column. through: the day up to which the data reaches, if it is known."""
    window = slot.window
    if isinstance(window, Missing):
        return Column(
            slot.key,
            slot.label,
            "amount",
            decimals,
            covers=window.why,
            scenario=_scenario(slot),
            series=slot.word if slot.divided else "",
        )
    last = window.balance_day
    covers = f"at {day_words(last)}" if measure == "balance" or window.before else window.covers
    if window.unit == "adjustments":
        covers = "adjustments"
    complete = None if slot.is_plan else through is not None and through >= last
    if slot.is_plan:
        extent = _plan_extent(slot, window, as_of, measure, plans)
    elif complete or through is None:
        extent = "" if measure == "balance" else window.extent
    else:
        extent = "no data yet" if through < window.first else f"data to {range_words(through, through)[:-5]}"
    first = last if measure == "balance" or window.before else window.first
    return Column(
        slot.key,
        slot.label,
        "amount",
        decimals,
        None if window.unit == EVERYTHING and measure == "movement" else first,
        last,
        complete,
        covers,
        extent,
        _scenario(slot),
        series=slot.word if slot.divided else "",
        whole=extent == window.extent and not window.is_part,
        covered=covered(window, through, plan=slot.is_plan)._replace(
            first=None if window.unit == EVERYTHING and measure == "movement" else first,
            through=last,
            complete=slot.is_plan or (None if through is None else through >= last),
        ),
    )


def share_head(share: ShareColumn, columns: Sequence[object], text: str) -> Column:
    """Return the column of a share. Its heading names its value column if the report has several.

    columns: all columns of the report.
    text: the column words, for messages.
    """
    of = shared_column(columns, share, columns.index(share), text)
    values = [each for each in columns if isinstance(each, PlacedColumn) and each.group == share.group]
    same = [each for each in values if each.label == of.label]
    covers = f"of {of.label if len(same) == 1 else of.word}" if len(values) > 1 else ""
    return Column(share.key, share.label or f"share of {share.row}", "percent", 1, covers=covers, adds=False)


def _scenario(slot: PlacedColumn) -> str:
    return slot.scenario if slot.is_plan else ""


def _plan_extent(slot: PlacedColumn, window: Window, as_of: AsOf, measure: RowMeasure, plans: "Plans | None") -> str:
    """Return how much of the part period's plan is counted, in words."""
    if plans is None or window.unit == "adjustments":
        return ""
    period = as_of.calendar.period_of(window.last)
    if measure == "balance":
        return "" if window.last == period.last else f"planned for {day_words(period.last)}"
    if window.last == period.last or window.first > period.first:
        return window.extent
    words = plans.share_words(slot.scenario, period, window.last)
    return words if window.first == period.first else f"P{period.number:02d} at {words}"
