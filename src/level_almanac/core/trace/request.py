"""Which figure is to be traced, and how far down."""

from typing import Literal

from level_almanac.core.requests.options import Request, option
from level_almanac.immutable import immutable

Level = Literal["class", "account", "journal", "line"]


@immutable(kw_only=True)
class TraceRequest(Request):
    """What a trace is asked for. row: as `behind.find_row` takes it; column: as `find_column` does, or empty for all;
    level: how far down, or None for the accounts of a row that has several and the lines of one that has not;
    journals: all lines of the journals behind the figure; first: only so many rows.
    """

    row: str = option("row", "The row: its key, its label, or how that begins.", metavar="ROW", required=True)
    column: str = option(
        "column", "The column: its key, its label, or its number from the left.  [default: all]", metavar="COLUMN"
    )
    level: Level | None = option(
        "down-to", "How far down.  [default: the accounts of a row that has several, else its lines]", "choice",
        choices=("class", "account", "journal", "line"),
    )  # fmt: skip
    journals: bool = option("whole-journals", "All lines of each journal behind the figure.", "flag")
    first: int | None = option("first", "Only the first so many rows.", "count", metavar="N")
