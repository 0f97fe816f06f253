"""A report in Python: its figures by row and column, its proof, its traces, its files."""

from collections.abc import Callable, Mapping
from pathlib import Path

from level_almanac.core.requests.options import options_of, read_options, request_of
from level_almanac.core.table.model import Cell, Note, Proof, ReportTable
from level_almanac.core.table.pointing import find_column, find_row
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.guard import check_free
from level_almanac.output.files import check_target, rendered, write_report
from level_almanac.output.text import dressed

Tracer = Callable[[TraceRequest], ReportTable]


class Report:
    """A report that was made. holds: whether its proof adds up and nothing was found in it."""

    def __init__(self, table: ReportTable, tracer: Tracer | None = None, *, holds: bool = True) -> None:
        self.table = table
        self._tracer = tracer
        self.holds = holds and (table.proof is None or table.proof.balances)

    @property
    def title(self) -> str:
        """Its title."""
        return self.table.title

    @property
    def facts(self) -> Mapping[str, str]:
        """What it was made of: entities, the day it is made for, when the data was loaded."""
        return self.table.facts

    @property
    def proof(self) -> Proof | None:
        """The accounting of all lines that it considered; None for what counts no lines."""
        return self.table.proof

    @property
    def notes(self) -> tuple[Note | str, ...]:
        """The remarks beneath it."""
        return self.table.notes

    def __getitem__(self, place: str | tuple[str, str]) -> Cell | dict[str, Cell]:
        """Return one figure, exact, by row and column, or all of a row's by column key.

        Rows and columns are named as on the command line: by key, by label, or how that begins; columns by number too.
        Raises UsageMistake where none or several are meant.
        """
        if isinstance(place, str):
            return dict(find_row(self.table, place).cells)
        row, column = place
        return find_row(self.table, row).cells.get(find_column(self.table, column).key)

    def __len__(self) -> int:
        """Return how many rows it has."""
        return len(self.table.rows)

    def trace(
        self,
        row: str,
        column: str = "",
        *,
        down_to: str | None = None,
        whole_journals: bool = False,
        first: int | None = None,
    ) -> "Report":
        """Return the lines behind one figure, and whether they sum to it; raises UsageMistake where there are none."""
        if self._tracer is None:
            raise UsageMistake(Mistake("nothing can be traced of this report", got=self.title))
        told = {"row": row, "column": column, "down-to": down_to, "whole-journals": whole_journals, "first": first}
        known = {each.name: each for each in options_of(TraceRequest)}
        given = {name: value for name, value in told.items() if value is not None}
        return Report(self._tracer(request_of(TraceRequest, read_options(known, given, str))))

    def write(self, path: Path | str, into: str = "") -> Path:
        """Write it in the format of the file's ending, and return where. Raises UsageMistake where that cannot be.

        into: the sheet of a workbook that is there to make anew, or empty.
        """
        target = Path(path)
        check_target(target, into)
        check_free(target, "path")
        if into:
            from level_almanac.output.xlsx_into import check_sheet

            check_sheet(into)
        write_report(dressed(self.table), target, into)
        return target

    def text(self) -> str:
        """Return it as a terminal shows it."""
        return rendered(dressed(self.table), "txt").decode()

    __str__ = text

    def __repr__(self) -> str:
        return f"<{self.title}: {len(self)} rows, {'holds' if self.holds else 'DOES NOT HOLD'}>"

    def _repr_html_(self) -> str:
        """Return its figures as a notebook shows them."""
        page = rendered(dressed(self.table), "html").decode()
        start, end = page.index("<table"), page.index("</table>") + len("</table>")
        return page[start:end]
