"""What a report is to everything that is not the report itself: one definition, from which its command, its page, its
trace, its editions, its completion, its manual and its method in Python follow.
"""

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cached_property
from importlib import import_module
from typing import TYPE_CHECKING, Any, NamedTuple

from level_almanac.errors import Mistake, UsageMistake
from level_almanac.store.engine import UnboundError

if TYPE_CHECKING:
    from level_almanac.core.book import Book
    from level_almanac.core.requests.options import Option, Request
    from level_almanac.core.table.model import ReportTable
    from level_almanac.core.trace.request import TraceRequest


class MadeReport(NamedTuple):
    """A report that was made. of: what it was made from, as its trace takes it; holds: whether nothing was found that
    its command ends with 1 for; why: what that is, in words; keep: keeps a record of it, once it was shown to a person;
    by_date: the entities whose ledger lines are placed by their date alone, or None; by_row: whether one trace tells
    all columns of a row, though its report can be traced by column.
    """

    table: "ReportTable"
    of: Any = None
    holds: bool = True
    keep: Callable[[], None] | None = None
    by_date: tuple[str, ...] | None = None
    why: str = ""
    by_row: bool = False

    @property
    def findings(self) -> tuple[str, ...]:
        """What does not hold, and what may be a slip, where nobody is there to read the notes."""
        # What only a report that was made needs does not keep `--help` waiting.
        from level_almanac.core.table.model import Slip

        proof = self.table.proof
        slips = tuple(str(note) for note in self.table.notes if isinstance(note, Slip))
        return (*(proof.unmet if proof else ()), *slips, *(() if self.holds else (self.why or "something is found",)))

    def seen(self, book: "Book") -> "Book":
        """Return a book as the report saw it."""
        return book if self.by_date is None else book.placed_by_date(self.by_date)


class Tracing(NamedTuple):
    """How the figures of a report are traced. code: `module:function` of its package; help, example: of the command;
    options: those of `TraceRequest` that it takes; without: options of the report that it does not; whole_rows: whether
    one trace tells all columns of a row; figures: whether it tells what a figure is the sum of.
    """

    code: str
    help: str
    example: str
    options: tuple[str, ...] = ("row", "column")
    without: tuple[str, ...] = ()
    whole_rows: bool = False
    figures: bool = True


@dataclass(frozen=True, kw_only=True)
class Report:
    """A report. help: what it is of, in one line; about: more of it; examples: command lines without `almanac`;
    request, make: `module:name` of its package, imported when they are used; all_lines: of what makes the lines behind
    all figures, where it has that; page: whether it can be saved; covers: whether it has no range of days and yet
    covers the period that it is made for; charted: whether it can have a chart of its own; instead: for options of
    other reports, by name, what to write here.
    """

    package: str
    name: str
    help: str
    about: str
    examples: tuple[str, ...]
    request: str
    make: str
    tracing: Tracing | None = None
    all_lines: str = ""
    page: bool = True
    covers: bool = False
    charted: bool = False
    instead: Mapping[str, str] = field(default_factory=dict)

    def _named(self, code: str) -> Any:
        module, _, name = code.partition(":")
        return getattr(import_module(f"{self.package}.{module}"), name)

    @cached_property
    def request_type(self) -> "type[Request]":
        """The type of its requests."""
        found: type[Request] = self._named(self.request)
        return found

    @cached_property
    def options(self) -> "tuple[Option, ...]":
        """Its options, arguments first."""
        from level_almanac.core.requests.options import WITH_LINES, options_of

        return (*options_of(self.request_type), *([WITH_LINES] if self.all_lines else []))

    def made(self, book: "Book", request: "Request") -> MadeReport:
        """Make the report; raises what the report raises."""
        by_date = request.by_date
        when = getattr(request, "when", None)
        if by_date is not None and when is not None and when.adjustments == "without":
            what, got = "by posting date alone no line is in an adjustment period", "without, and --date posted"
            raise UsageMistake(Mistake(what, "--adjustments", got, next_step='--except "entry is adjusting"'))
        with _declared(book):
            found = self._named(self.make)(book if by_date is None else book.placed_by_date(by_date), request)
        made = found if isinstance(found, MadeReport) else MadeReport(found)
        from level_almanac.core.header import pending_notes

        notes = (*made.table.notes, *pending_notes(book))
        return made._replace(by_date=by_date, table=_computed(book, made.table._replace(notes=notes)))

    def traced(self, book: "Book", made: MadeReport, asked: "TraceRequest") -> "ReportTable":
        """Return the lines behind one figure of the report; raises UsageMistake where there are none to tell."""
        assert self.tracing is not None  # noqa: S101  asked of reports that can be traced only
        with _declared(book):
            found: ReportTable = self._named(self.tracing.code)(made.seen(book), made, asked)
        return _computed(book, found)

    def with_lines(self, book: "Book", made: MadeReport) -> "ReportTable":
        """Return the report with the lines behind all of its figures."""
        with _declared(book):
            found: tuple[ReportTable, ...] = self._named(self.all_lines)(made.seen(book), made)
        return made.table._replace(traced_lines=found)


def _computed(book: "Book", table: "ReportTable") -> "ReportTable":
    """Return a report with what computed it among its facts. Not in an edition, which is the same whatever did."""
    return table if book.frozen else table._replace(facts={**table.facts, "engine": book.engine.called})


@contextmanager
def _declared(book: "Book") -> Iterator[None]:
    """Tell of a field that the book declares and the loaded lines lack, where a statement of the store failed by it."""
    try:
        yield
    except UnboundError as error:
        mistake = book.declared_since(str(error))
        if mistake is None:
            raise
        raise mistake from error
