"""Run a page: find its answers, put them in, and have its command make the report."""

import sys
import tomllib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import click

from level_almanac.cli.page_options import check_report, command_words, with_when, within_edition
from level_almanac.cli.session import Session, bold
from level_almanac.core.book import Book
from level_almanac.core.calendar.fiscal import FiscalPeriod
from level_almanac.core.language.days import DayContext, Edge, NamedDay, day_of, read_day
from level_almanac.core.pages.explaining import explained
from level_almanac.core.pages.filling import Answers, answers_words, filled
from level_almanac.core.pages.questions import AnswerReader, read_answers, rule_words
from level_almanac.core.table.model import ReportTable
from level_almanac.errors import AlmanacError, BookMistake, Mistake, UsageMistake
from level_almanac.files.explanations import read_explanations
from level_almanac.files.page_writing import LOCK_BROKEN, lock_words, read_locks
from level_almanac.files.pages import Page


@dataclass(frozen=True, slots=True)
class PageRun:
    """What a page is run with. told: answers by question, as texts; when: `as-of`, `period`, `quarter` or `year` in
    place of the page's own; look: options of how numbers look that win over the page's; issued: whether it is run for
    an edition, in which a page can keep its own.
    """

    told: Mapping[str, str]
    when: Mapping[str, str]
    look: Sequence[str] = ()
    issued: bool = False


@dataclass(frozen=True, slots=True)
class MadePage:
    """A page that was run: its report, its answers, the command that it came to, and the changes that it requires an
    explanation of and that have none.
    """

    page: Page
    table: ReportTable
    answers: Answers
    words: tuple[str, ...]
    unexplained: tuple[str, ...] = ()


def context_for(book: Book, when: Mapping[str, str]) -> DayContext:
    """Return what day words in a page's answers are relative to: the day asked for, or where the data ends."""
    calendar, today = book.calendars[""], book.now.date()
    newest = book.data_through(today) if book.state.files_of("ledger") else None
    context = DayContext(calendar, today, newest or today)
    if not when:
        return context
    name, text = next(iter(when.items()))
    words = (
        read_day(text, "--as-of", UsageMistake) if name == "as-of" else Edge(True, "period", NamedDay("as-of"), id=text)
    )
    return replace(context, as_of=day_of(words, context))


def answers_of(book: Book, page: Page, run: PageRun, ask: Callable[[AnswerReader, str], str] | None = None) -> Answers:
    """Return the page's answers: as told, by the day asked for where they are of its kind, else its defaults.

    ask: asks a person for one that was not told. Raises UsageMistake with every answer that is not right.
    """
    reader = AnswerReader(context_for(book, run.when), f"{page.name}: answer")
    told = {name: run.when[question.kind] for name, question in page.file.ask.items() if question.kind in run.when}
    told |= run.told
    if ask is not None:
        for name in page.file.ask:
            if name not in told:
                told[name] = ask(reader, name)
    return read_answers(reader, page.file.ask, told)


def run_page(book: Book, page: Page, run: PageRun, ask: Callable[[AnswerReader, str], str] | None = None) -> MadePage:
    """Return the page's report. Raises what its command raises, with the page's file before it."""
    answers = answers_of(book, page, run, ask)
    own = filled(page, answers)
    check_report(own.words, f"{page.where}: report", BookMistake)
    if run.issued:
        asked = within_edition(own, run.when, context_for(book, run.when).as_of, extras=_has_extras(book, run.when))
    else:
        asked = with_when(own, run.when)
    words = (*command_words(asked, page.where), *run.look)
    table = _report_of(book, page, words)
    replaced = {name for name, value in own.options.items() if asked.options.get(name) != value}
    told = answers_words(page, answers, replaced)
    lock = lock_words(read_locks(book.file.root), page)
    notes = [f"Asked: {told}"] if told else []
    notes += [f"The page {page.name} is {lock}"] if lock == LOCK_BROKEN else []
    table = table._replace(
        title=page.file.title or table.title,
        facts={**table.facts, "page": page.name},
        notes=(*table.notes, *notes),
    )
    written = read_explanations(book.file.root, page.name)
    table, missing = explained(table, written, page, book.calendars[""])
    return MadePage(page, table, answers, words, tuple(each.words for each in missing))


def _has_extras(book: Book, when: Mapping[str, str]) -> bool:
    """Tell whether adjustment periods that end with an edition belong to it: not to one of an ordinary period."""
    calendar = book.calendars[""]
    found = calendar.find(when["period"], "--period", UsageMistake) if "period" in when else None
    return not isinstance(found, FiscalPeriod) or found.extra or found.last != calendar.year(found.year).last


def _report_of(book: Book, page: Page, words: Sequence[str]) -> ReportTable:
    from level_almanac.cli.main import almanac  # noqa: PLC0415  it imports this module's users

    taken: list[ReportTable] = []
    session = Session(book.file.root, opened=book, taken=taken)
    try:
        almanac.main(list(words), standalone_mode=False, obj=session)
    except click.ClickException as error:
        raise BookMistake(Mistake(error.format_message(), page.where)) from None
    except AlmanacError as error:
        within = [replace(each, where=": ".join(filter(None, (page.where, each.where)))) for each in error.mistakes]
        raise type(error)(*within, total=error.total) from error
    return taken[0]


def told_answers(pairs: Sequence[str], file: Path | None) -> dict[str, str]:
    """Return the answers of `--answer NAME=VALUE` and of a file; the former win. Raises UsageMistake."""
    found = _from_file(file) if file else {}
    for pair in pairs:
        name, equals, value = pair.partition("=")
        if not equals or not name.strip():
            raise UsageMistake(Mistake("not an answer", "--answer", repr(pair), "NAME=VALUE, such as period=2026-P08"))
        found[name.strip()] = value
    return found


def _from_file(path: Path) -> dict[str, str]:
    try:
        plain = tomllib.loads(path.read_text(encoding="utf-8"), parse_float=str)
    except FileNotFoundError:
        raise UsageMistake(Mistake("there is no such file", "--answers", repr(str(path)))) from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise BookMistake(
            Mistake("not a file of answers", str(path), str(error), 'lines such as period = "2026-P08"')
        ) from None
    found = {}
    for name, value in plain.items():
        if isinstance(value, dict):
            raise BookMistake(Mistake("not an answer", f"{path}: {name}", allowed='a line such as period = "2026-P08"'))
        if isinstance(value, bool):
            found[name] = "yes" if value else "no"
        else:
            found[name] = ", ".join(map(str, value)) if isinstance(value, list) else str(value)
    return found


def has_terminal() -> bool:
    """Tell whether there is a person to ask: only where both ends of the talk are a terminal."""
    return sys.stdin.isatty() and sys.stderr.isatty()


def asking(page: Page, again: Mapping[str, str]) -> Callable[[AnswerReader, str], str]:
    """Return what asks a person for an answer at the terminal. again: the answers of the last run, as defaults."""

    def ask(reader: AnswerReader, name: str) -> str:
        question = page.file.ask[name]
        default = again.get(name, question.default)
        shown = default
        if default:
            try:
                found = reader.read(name, question, default).text
                shown = default if found == default else f"{default}: {found}"
            except AlmanacError:
                default = shown = ""
        label = bold(question.label or name)
        told = f"{label} ({rule_words(question)})" + (f" [{shown}]" if shown else "")
        while True:
            text = str(click.prompt(told, default="", show_default=False, err=True)).strip() or default
            if not text and question.optional:
                return ""
            try:
                reader.read(name, question, text)
            except AlmanacError as error:
                for mistake in error.mistakes:
                    click.echo(f"  {replace(mistake, where='')}", err=True)
            else:
                return text

    return ask
