"""From options by name to a report that is made: one way for the command line, for pages and for Python."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import date
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import range_words
from level_almanac.core.reports.definition import MadeReport, Report
from level_almanac.core.requests.look import LookRequest
from level_almanac.core.requests.options import WITH_LINES, Request, options_of, read_options, request_of
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.style import Look, styled_day
from level_almanac.core.trace.request import TraceRequest
from level_almanac.files.page_line import filled_line


class Asked(NamedTuple):
    """A report that is asked for: its request, how it is to look, and whether with the lines behind its figures.

    warnings: of options that go by another name from this version on.
    """

    report: Report
    request: Request
    look: LookRequest = LookRequest()
    with_lines: bool = False
    warnings: tuple[str, ...] = ()


def read_asked(report: Report, told: Mapping[str, Any], where: Callable[[str], str]) -> Asked:
    """Return what options by name ask for. told: texts as they were written, or values; where: what messages call one.

    Raises UsageMistake with everything that is wrong with them.
    """
    known = {each.name: each for each in (*report.options, *options_of(LookRequest))}
    given = read_options(known, told, where)
    old = [known[name] for name in given if known[name].replaced_by]
    return Asked(
        report,
        request_of(report.request_type, given),
        request_of(LookRequest, given),
        given.get(WITH_LINES.name, False),
        tuple(f"{where(each.name)} is called {each.replaced_by} now; the old name will go" for each in old),
    )


def make_report(book: Book, asked: Asked) -> MadeReport:
    """Make a report, in its look. Raises what the report raises."""
    look = asked.look.look(book.file.root, book.settings, book.now)
    made = asked.report.made(book, asked.request)
    table = asked.report.with_lines(book, made) if asked.with_lines else made.table
    return made._replace(table=in_look(table, look))


def trace_options(report: Report) -> list[str]:
    """Return the names of the options of a report that its trace takes too."""
    without = report.tracing.without if report.tracing else ()
    return [each.name for each in report.options if each.name not in (*without, WITH_LINES.name)]


def trace_figure(book: Book, asked: Asked, figure: TraceRequest) -> ReportTable:
    """Return the lines behind a figure of a report. Raises what the report raises, and UsageMistake for the figure."""
    look = asked.look.look(book.file.root, book.settings, book.now)
    made = asked.report.made(book, asked.request)
    return in_look(asked.report.traced(book, made, figure), look)


def in_look(table: ReportTable, look: Look) -> ReportTable:
    """Return a report in its look, with what its own title and the line beneath that stand for."""
    page = replace(look.page, period_line=filled_line(look.page.period_line, _places(table, look)))
    return table._replace(look=replace(look, page=page), title=look.title or table.title)


def _places(table: ReportTable, look: Look) -> dict[str, str]:
    """Return what stands in a line for the report's own entity and days."""
    facts = table.facts
    as_of = date.fromisoformat(facts["as_of"]) if "as_of" in facts else None
    told = [(column.first, column.through) for column in table.columns if column.first and column.through]
    if "from" in facts:
        told.insert(0, (date.fromisoformat(facts["from"]), date.fromisoformat(facts["through"])))
    first, last = told[0] if told else (as_of, as_of)
    days = "all dates"
    if first and last:
        ends = [styled_day(day, look) for day in dict.fromkeys((first, last))]
        days = range_words(first, last) if look.style.dates == "D Mon YYYY" else "–".join(ends)
    whose = facts.get("entity_name", "").partition(",")[0]
    return {"entity": whose, "days": days, "as-of": styled_day(end, look) if (end := as_of or last) else days}
