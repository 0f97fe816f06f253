"""Run a page: find its answers, put them in, and make its report."""

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import field, replace
from typing import Any

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.calendar.fiscal import FiscalPeriod
from level_almanac.core.language.days import DayContext, day_of, read_day
from level_almanac.core.pages.explaining import explained
from level_almanac.core.pages.filling import SPAN_OPTIONS, Answers, Filled, answers_words, filled
from level_almanac.core.pages.options import (
    WHEN,
    change_words,
    changed_once,
    page_report,
    page_told,
    page_words,
    with_changes,
    with_when,
    within_edition,
)
from level_almanac.core.pages.questions import AnswerReader, read_answers
from level_almanac.core.reports.definition import MadeReport, Report
from level_almanac.core.reports.making import make_report, read_asked
from level_almanac.core.spans.as_of import AsOfRequest, choose_as_of
from level_almanac.core.table.model import ReportTable
from level_almanac.errors import AlmanacError, BookMistake, Mistake, UsageMistake
from level_almanac.files.explanations import read_explanations
from level_almanac.files.page_writing import LOCK_BROKEN, lock_words, read_locks
from level_almanac.files.pages import Page
from level_almanac.immutable import immutable


@immutable
class PageRun:
    """What a page is run with. told: answers by question, as texts; when: `as-of`, `period`, `quarter` or `year` in
    place of the page's own; look: options of how numbers look that win over the page's; issued: whether it is run for
    an edition, in which a page can keep its own; changed: words of other options of its report, for this run alone.
    """

    told: Mapping[str, str] = field(default_factory=dict)
    when: Mapping[str, str] = field(default_factory=dict)
    look: Mapping[str, Any] = field(default_factory=dict)
    issued: bool = False
    changed: tuple[str, ...] = ()


@immutable
class MadePage:
    """A page that was run. table: its report; made: the same as its report made it; answers: to its questions; words:
    the command that it came to; unexplained: the changes that it requires an explanation of and that have none;
    warnings: of options by old names; options: of the page as it was run, with its questions still in them.
    """

    page: Page
    report: Report
    made: MadeReport
    table: ReportTable
    answers: Answers
    words: tuple[str, ...]
    unexplained: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    options: Mapping[str, Any] = field(default_factory=dict)


Ask = Callable[[AnswerReader, str], str]
"""Asks a person for the answer to the question of this name."""


def context_for(book: Book, when: Mapping[str, str]) -> DayContext:
    """Return what day words in a page's answers are relative to: the day asked for, or where the data ends.

    Raises UsageMistake for a period, quarter or year that lies wholly after the data.
    """
    calendar, today = book.calendars[""], book.today
    newest = book.data_through() if book.state.files_of("ledger") else None
    context = DayContext(calendar, today, newest or today)
    if not when:
        return context
    name, text = next(iter(when.items()))
    asked = AsOfRequest(as_of=read_day(text, "--as-of", UsageMistake)) if name == "as-of" else _named(name, text)
    return choose_as_of(calendar, asked, None, newest, today).context


def _named(name: str, text: str) -> AsOfRequest:
    return AsOfRequest(**{name: text})  # type: ignore[arg-type]  # a period, quarter or year by its id


def page_when(book: Book, told: Mapping[str, str]) -> dict[str, str]:
    """Return which of WHEN was told, by name, with its id found in the calendar; raise UsageMistake for several."""
    given = {name: told[name] for name in WHEN if told.get(name)}
    if len(given) > 1:
        got = " and ".join(f"--{name}" for name in given)
        raise UsageMistake(Mistake("more than one way to say when", got=got, allowed="one of them"))
    return {
        name: text if name == "as-of" else str(book.calendars[""].find(text, f"--{name}", UsageMistake))
        for name, text in given.items()
    }


def answers_of(book: Book, page: Page, run: PageRun, ask: Ask | None = None) -> Answers:
    """Return the page's answers: as told, by the day asked for where they are of its kind, else its defaults.

    ask: asks for one that was not told. Raises UsageMistake with every answer that is not right.
    """
    reader = AnswerReader(context_for(book, run.when), f"{page.name}: answer")
    answers: dict[str, str] = {}
    for name, question in page.file.ask.items():
        for kind, text in run.when.items():
            if question.kind == kind or (question.kind == "span" and kind in SPAN_OPTIONS):
                answers[name] = text
    answers |= run.told
    if ask is not None:
        for name, question in page.file.ask.items():
            if name not in answers:
                answers[name] = ask(reader, name) if reader.is_asked(question) else ""
            else:
                # What is wrong with one that was told is told with all others, below.
                with suppress(UsageMistake):
                    reader.read(name, question, answers[name])
    return read_answers(reader, page.file.ask, answers)


def page_command(page: Page, answers: Answers) -> list[str]:
    """Return the command that a page comes to; raises BookMistake with each option that is not right."""
    own = filled(page, answers)
    report = page_report(own.words, f"{page.where}: report", BookMistake)
    with _of_the_page():
        read_asked(report, page_told(own, report, page.where), _places(page, report))
    return page_words(own, report)


def run_page(book: Book, page: Page, run: PageRun, ask: Ask | None = None) -> MadePage:
    """Return the page's report. Raises what its report raises, with the page's file before it."""
    answers = answers_of(book, page, run, ask)
    own = filled(page, answers)
    report = page_report(own.words, f"{page.where}: report", BookMistake)
    if run.issued:
        end = context_for(book, run.when).as_of
        extras = _has_extras(book, run.when)
        asked = within_edition(own, report, run.when, end, book.calendars[""], extras=extras)
    else:
        asked = with_when(own, report, run.when, context_for(book, run.when), page.file.options)
    changed = changed_once(run.changed, report, page.name) if run.changed else {}
    changes, in_place = change_words(asked, report, changed)
    asked = with_changes(asked, changed)
    asked = asked._replace(options={**asked.options, **run.look})
    with _of_the_page():
        wanted = read_asked(report, page_told(asked, report, page.where), _places(page, report))
    try:
        report_made = make_report(book, wanted)
    except AlmanacError as error:
        within = [replace(each, where=": ".join(filter(None, (page.where, each.where)))) for each in error.mistakes]
        raise type(error)(*within, total=error.total) from error
    replaced = {name for name, value in own.options.items() if asked.options.get(name) != value}
    if replaced & set(SPAN_OPTIONS):
        # A span's answer may stand in any of them.
        replaced |= set(SPAN_OPTIONS)
    answer_words = answers_words(page, answers, replaced)
    lock = lock_words(read_locks(book.file.root), page)
    notes = [f"Asked: {answer_words}"] if answer_words else []
    notes += list(_late_notes(book, own, asked, run))
    notes += [f"The page {page.name} is {lock}"] if lock == LOCK_BROKEN else []
    if changes:
        stays = "is locked, and stays" if lock else "stays"
        notes.append(f"For this run alone: {in_place}; the page {page.name} {stays} as it is")
    table = report_made.table._replace(
        title=wanted.look.title or page.file.title or report_made.table.title,
        subtitle=(*report_made.table.subtitle, *([f"changed for this run: {changes}"] if changes else [])),
        facts={**report_made.table.facts, "page": page.name, **({"changed": changes} if changes else {})},
        notes=(*report_made.table.notes, *notes),
    )
    # What is explained are the figures of the page as it is.
    written = read_explanations(book.file.root, page.name)
    table, missing = (table, ()) if changes else explained(table, written, page, book.calendars[""])
    words = tuple(page_words(asked, report))
    # What was not changed for this run takes in the answers as it did.
    same = {name for name, value in own.options.items() if asked.options.get(name) == value}
    left_open = {name for name in page.file.options if name not in own.options and name not in asked.options}
    options = {name: page.file.options[name] for name in page.file.options if name in same | left_open}
    options |= {name: value for name, value in asked.options.items() if name not in same}
    return MadePage(
        page,
        report,
        report_made,
        table,
        answers,
        words,
        tuple(each.words for each in missing),
        wanted.warnings,
        options,
    )


def _late_notes(book: Book, own: Filled, asked: Filled, run: PageRun) -> Iterator[str]:
    """Yield that a page was saved with a later day than the edition that it is made for ends on."""
    if not run.issued:
        return
    context = context_for(book, run.when)
    for option in ("as-of", "through", "before"):
        text = own.options.get(option)
        day = day_of(read_day(text, f"--{option}", UsageMistake), context) if isinstance(text, str) else None
        if day is not None and day > context.as_of:
            stays = asked.options.get(option) == text
            what = "goes past the edition's end" if stays else "is made as of the edition's end"
            yield f"This page was saved with --{option} {day_words(day)}, and {what}, {day_words(context.as_of)}"


@contextmanager
def _of_the_page() -> Iterator[None]:
    """Have what is wrong with a page's options told as mistakes of its file."""
    try:
        yield
    except UsageMistake as error:
        raise BookMistake(*error.mistakes) from None


def _places(page: Page, report: Report) -> Callable[[str], str]:
    """Return what messages call each option of the page."""
    arguments = {each.name for each in report.options if each.argument}
    return lambda name: f"{page.where}: report" if name in arguments else f"{page.where}: options.{name}"


def _has_extras(book: Book, when: Mapping[str, str]) -> bool:
    """Tell whether adjustment periods that end with an edition belong to it: not to one of an ordinary period."""
    calendar = book.calendars[""]
    found = calendar.find(when["period"], "--period", UsageMistake) if "period" in when else None
    return not isinstance(found, FiscalPeriod) or found.extra or found.last != calendar.year(found.year).last
