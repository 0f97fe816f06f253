"""A book in Python: one method a report, pages, editions, loading. Thin on the registry of reports."""

import warnings
from collections.abc import Callable, Mapping, Sequence
from contextlib import nullcontext
from datetime import date
from pathlib import Path
from typing import Any, Self

from level_almanac.api.edition_files import figures_of, writers
from level_almanac.api.loading import load_book, look_book
from level_almanac.api.report import Report, Tracer
from level_almanac.api.reports import ReportMethods
from level_almanac.core.book import Book as CoreBook
from level_almanac.core.editions.compare import compared, side_now, side_of
from level_almanac.core.editions.compare_report import compare_report
from level_almanac.core.editions.issue import IssueRequest, edition_when, issue
from level_almanac.core.editions.report import verification_report
from level_almanac.core.editions.verify import verified
from level_almanac.core.language.days import DayExpression, read_day
from level_almanac.core.pages.running import PageRun, page_when, run_page
from level_almanac.core.reports.definition import MadeReport
from level_almanac.core.reports.definition import Report as Definition
from level_almanac.core.reports.making import make_report, read_asked
from level_almanac.core.reports.registry import all_reports
from level_almanac.core.requests.look import LookRequest
from level_almanac.core.requests.options import options_of
from level_almanac.errors import UsageMistake, nearest
from level_almanac.files.editions import edition_folder
from level_almanac.files.outside import allow
from level_almanac.files.page_reading import pages_named, read_page
from level_almanac.files.reading import find_book, read_book


class Book(ReportMethods):
    """A book, open. Its reports see the state that was in force when it was opened; open it anew after a load."""

    def __init__(self, core: CoreBook) -> None:
        self.core = core

    @classmethod
    def open(cls, folder: Path | str = ".", engine: str = "") -> Self:
        """Open the book at or above this folder; raise BookMistake where there is none or it has mistakes.

        engine: what computes it, as `--engine` takes it (docs/cluster.md), or empty for what was chosen otherwise.
        """
        return cls(CoreBook.open(folder, engine))

    @staticmethod
    def allow(folder: Path | str, *what: str) -> None:
        """Let the book at or above this folder reach for what lies outside it, from now on (docs/security.md).

        what: `file:PATH`, `host:NAME:PORT` of a database, `env:NAME`; raises UsageMistake for other words.
        """
        allow(find_book(Path(folder)), what)

    def load(
        self,
        through: date | str | Mapping[str, date | str] | None = None,
        *,
        drop_missing: bool = False,
        set_aside: bool = False,
    ) -> Report:
        """Take the exports in: all of them, or nothing; then see what was loaded. Raises as `load_book` does.

        through: the day up to which they are complete, or that of each table, with '' for all others.
        """
        told = through if isinstance(through, Mapping) else {} if through is None else {"": through}
        days: dict[str, DayExpression] = {
            table: read_day(day, "through", UsageMistake) if isinstance(day, str) else day
            for table, day in told.items()
        }
        done = load_book(self.core, days, drop_missing=drop_missing, set_aside=set_aside)
        for words in done.warnings:
            warnings.warn(words, stacklevel=2)
        self.core = CoreBook(read_book(self.core.file.root), choice=self.core.choice)
        return Report(done.table)

    def look(self) -> Report:
        """See what a load would change; nothing is changed. Raises as `look_book` does."""
        return Report(look_book(self.core).table)

    def run_page(
        self,
        name: str,
        *,
        answers: Mapping[str, object] | None = None,
        as_of: str = "",
        period: str = "",
        quarter: str = "",
        year: str = "",
        **look: object,
    ) -> Report:
        """Make the report of a page. answers: to its questions; look: options of how numbers look.

        Raises UsageMistake for answers that are not right, and what the page's report raises.
        """
        told = {key: str(value) for key, value in (answers or {}).items()}
        when = page_when(self.core, {"as-of": as_of, "period": period, "quarter": quarter, "year": year})
        page = run_page(self.core, read_page(self.core.file.root, name), PageRun(told, when, look))
        return Report(page.table, self._tracer(page.report, page.made), holds=page.made.holds)

    def issue_edition(
        self,
        name: str,
        pages: Sequence[str],
        *,
        formats: Sequence[str] = ("html",),
        title: str = "",
        answers: Mapping[str, object] | None = None,
        with_findings: bool = False,
        without_explanations: bool = False,
        as_of: str = "",
        period: str = "",
        quarter: str = "",
        year: str = "",
    ) -> Path:
        """Issue an edition of pages or groups, and return its folder. Raises as `issue` of core does."""
        asked = page_when(self.core, {"as-of": as_of, "period": period, "quarter": quarter, "year": year})
        when = edition_when(self.core, asked)
        root = self.core.file.root
        request = IssueRequest(
            name=name,
            title=title or f"{self.core.settings.book.name}, {next(iter(when.values()))}",
            pages=pages_named(root, tuple(pages)),
            when=when,
            told={key: str(value) for key, value in (answers or {}).items()},
            formats=tuple(formats),
            findings=with_findings,
            unexplained=without_explanations,
        )
        return issue(self.core, request, writers(), lambda _, named: nullcontext(named)).folder

    def verify_edition(self, name: str, seal: str = "") -> Report:
        """Return whether an edition is still what was issued. seal: as it was noted elsewhere."""
        folder = edition_folder(self.core.file.root, name)
        found = verified(folder, seal, figures_of, self.core.choice)
        return Report(verification_report(found), holds=found.holds)

    def compare_edition(self, name: str, other: str = "now") -> Report:
        """Return what changed since an edition, down to the lines. other: another edition, or the book as it is now."""
        root = self.core.file.root
        before, choice = side_of(edition_folder(root, name), self.core.choice), self.core.choice
        after = side_now(self.core) if other == "now" else side_of(edition_folder(root, other), choice)
        return Report(compare_report(compared(before, after, figures_of)))

    def __getattr__(self, name: str) -> Callable[..., Report]:
        """Return the method of a report that was added to those that there are here."""
        report = all_reports().get(name)
        if report is None:
            hint = nearest(name, all_reports())
            raise AttributeError(f"a book has no report {name!r}" + (f"; {hint}" if hint else ""))

        def method(*arguments: object, **options: Any) -> Report:
            places = [each.keyword for each in report.options if each.argument]
            return self._made(name, {**dict(zip(places, arguments, strict=False)), **options})

        return method

    def _made(self, name: str, given: Mapping[str, Any]) -> Report:
        report = all_reports()[name]
        names = {each.keyword: each.name for each in (*report.options, *options_of(LookRequest))}
        keywords = {option: keyword for keyword, option in names.items()}
        told = {names.get(key, key): value for key, value in given.items() if value is not None and key != "self"}
        asked = read_asked(report, told, lambda option: keywords.get(option, option))
        for words in asked.warnings:
            warnings.warn(words, DeprecationWarning, stacklevel=3)
        report_made = make_report(self.core, asked)
        if report_made.keep is not None:
            report_made.keep()
        return Report(report_made.table, self._tracer(report, report_made), holds=report_made.holds)

    def _tracer(self, report: Definition, made: MadeReport) -> Tracer | None:
        core = self.core
        if report.tracing is None:
            return None
        return lambda asked: report.traced(core, made, asked)._replace(look=made.table.look)
