"""Charts as pages want them, whoever draws them."""

from collections.abc import Callable
from typing import NamedTuple

from level_almanac.core.table.model import ReportTable
from level_almanac.output.chart import drawn


class Picture(NamedTuple):
    """A chart that is wanted, as `chart.drawn` draws it."""

    table: ReportTable
    form: str
    bare: bool = False
    dpi: int = 100


Draw = Callable[[Picture], bytes]
"""Returns a chart."""


def drawn_here(picture: Picture) -> bytes:
    """Return a chart, drawn by this process; raises as `chart.drawn` does."""
    return drawn(picture.table, picture.form, bare=picture.bare, dpi=picture.dpi)
