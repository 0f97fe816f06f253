"""`almanac page`."""

import shlex
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import click

from level_almanac.book.page_writing import (
    keep_locks,
    lock_words,
    locked_on,
    page_text,
    read_locks,
    rename_page,
    write_page,
)
from level_almanac.book.pages import built_in_names, check_name, page_names, page_path, pages_named, read_page
from level_almanac.book.runs import Answers as KeptAnswers
from level_almanac.book.runs import keep_answers, kept_answers, last_words
from level_almanac.cli.names import PAGE, PAGES, PERIOD, QUARTER, YEAR
from level_almanac.cli.options import open_book
from level_almanac.cli.page_options import WHEN, command_words, options_of, page_options
from level_almanac.cli.page_run import PageRun, answers_of, asking, has_terminal, run_page, told_answers
from level_almanac.cli.show import OutputRequest, check_outputs, hand_on, look_for, output_options
from level_almanac.core.book import Book
from level_almanac.core.page_words import filled
from level_almanac.core.pages_report import CheckedPage, PageLine, checked_report, pages_report
from level_almanac.core.report_table import ReportTable
from level_almanac.errors import AlmanacError, Mistake, UsageMistake, nearest

_QUESTIONS = {
    "period": ("period", "Which period"),
    "quarter": ("quarter", "Which quarter"),
    "year": ("year", "Which fiscal year"),
    "as-of": ("day", "As of which day"),
    "from": ("day", "From which day"),
    "through": ("day", "Through which day"),
    "before": ("day", "Before which day"),
    "over": ("amount", "More than"),
    "at-least": ("amount", "At least"),
    "under": ("amount", "Less than"),
    "at-most": ("amount", "At most"),
}
"""What is asked for an option, and how; of any other, a text under its own name."""


@click.group()
def page() -> None:
    """Saved reports: save, list, show, run, copy, lock, check them.

    A page is a text file in the book's folder `pages`: a report with its
    options, under the names they have on the command line, and the questions
    that it asks. A folder within is a group.

    \b
    Examples:
      almanac page list
      almanac page copy common/aging-receivable month-end/customers
      almanac page save month-end/income statement income --entity LINE --level 2
      almanac page run month-end/income --period 2026-P08
      almanac page run month-end/suppliers --answer limit=10000
    """


@page.command("list")
@click.option("--own", is_flag=True, help="Only the book's own, not those that every book has.")
@output_options
@click.pass_context
def list_pages(ctx: click.Context, own: bool, output: OutputRequest) -> None:
    """Which pages there are, what they ask, which are locked.

    \b
    Examples:
      almanac page list
      almanac page list --own -o pages.csv
    """
    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    hand_on(ctx, pages_table(book, own=own)._replace(look=look), output)


def pages_table(book: Book, *, own: bool) -> ReportTable:
    """Return the list of pages. own: only the book's."""
    root = book.file.root
    locks, lines = read_locks(root), list[PageLine]()
    mine = page_names(root)
    for name in [*mine, *([] if own else [each for each in built_in_names() if each not in mine])]:
        runs = kept_answers(root, name)
        last = runs[-1].at if runs else ""
        try:
            found = read_page(root, name)
            lines.append(PageLine(name, found, lock_words(locks, found), last))
        except AlmanacError as error:
            lines.append(PageLine(name, None, "locked" if name in locks else "", last, str(error.mistakes[0])))
    return pages_report(book.settings.book.name, lines)


@page.command("show")
@click.argument("name", type=PAGE)
@click.pass_context
def show_page(ctx: click.Context, name: str) -> None:
    """A page's file, and the command that it comes to by its default answers.

    \b
    Examples:
      almanac page show common/income
    """
    book = open_book(ctx)
    root = book.file.root
    found = read_page(root, name)
    click.echo(found.text if found.text.endswith("\n") else f"{found.text}\n", nl=False)
    lines = []
    try:
        answers = answers_of(book, found, PageRun({}, {}))
        words = command_words(filled(found, answers), found.where)
        lines.append(f"runs as: almanac {shlex.join(words)}")
    except UsageMistake as error:
        lines += [f"cannot run by itself: {each}" for each in error.mistakes]
    locks = read_locks(root)
    if found.name in locks:
        lines.append(f"{lock_words(locks, found)}: on {locks[found.name].locked}")
    for run in kept_answers(root, found.name)[-3:]:
        told = ", ".join(f"{key} = {value or 'left open'}" for key, value in run.answers.items())
        lines.append(f"run {run.at}" + (f" with {told}" if told else ""))
    click.echo("".join(f"# {line}\n" for line in lines), nl=False)


@page.command(context_settings={"ignore_unknown_options": True, "allow_interspersed_args": False})
@click.option("--title", default="", metavar="TEXT", help="The report's title.  [default: the command's own]")
@click.option("--about", default="", metavar="TEXT", help="What it is for, in the list of pages.")
@click.option("--ask", "asked", multiple=True, metavar="OPTION", help="Ask for this option each time; repeatable.")
@click.option("--replace", is_flag=True, help="Write a page of this name anew; its comments and order stay.")
@click.argument("name")
@click.argument("words", nargs=-1, type=click.UNPROCESSED, metavar="[REPORT [OPTIONS]]")
@click.pass_context
def save(
    ctx: click.Context, title: str, about: str, asked: tuple[str, ...], replace: bool, name: str, words: tuple[str, ...]
) -> None:
    """Save a report as a page: the last one that was made, or one given here.

    What goes with `page save` itself stands before NAME.

    \b
    Examples:
      almanac page save month-end/income
      almanac page save month-end/income statement income --entity LINE --level 2
      almanac page save --ask period --ask over month-end/paid parties payable --period 2026-P08 --on paid --over 7500
    """
    book = open_book(ctx)
    root = book.file.root
    check_name(name)
    if words and words[0].startswith("-"):
        raise click.UsageError(f"{words[0]}: options of `page save` stand before NAME, those of the report after it")
    given = words or last_words(root)
    if not given:
        step = "run a report first, or give it here: almanac page save NAME statement income"
        raise UsageMistake(Mistake("no report was made in this book yet", "REPORT", next_step=step))
    try:
        report, options = page_options(given)
    except click.UsageError as error:
        raise UsageMistake(Mistake(error.format_message(), f"REPORT {given[0]}")) from None
    ask: dict[str, dict[str, str]] = {}
    for option in asked:
        _ask_for(option.removeprefix("--"), report[0], options, ask)
    path = page_path(root, name)
    before = path.read_text(encoding="utf-8") if replace and path.exists() else ""
    text = page_text(before, shlex.join(report), options, ask, {"title": title, "about": about})
    write_page(root, name, text, replace=replace)
    click.echo(f"wrote {path.relative_to(root)}: {shlex.join(['almanac', *given])}", err=True)


def _ask_for(option: str, report: str, options: dict[str, Any], ask: dict[str, dict[str, str]]) -> None:
    """Turn an option's value into the default of a question that is put in its place."""
    value = options.get(option)
    if value is None:
        hint = nearest(option, options)
        what = "the report was not given this option, so there is nothing to ask for"
        raise UsageMistake(Mistake(what, "--ask", repr(option), ", ".join(options) or "no option", hint))
    known = options_of(report)[option]
    kind, label = _QUESTIONS.get(option, ("text", option.replace("-", " ").capitalize()))
    question = {"kind": kind, "label": label}
    if isinstance(value, bool):
        question |= {"kind": "yes-no", "default": "yes" if value else "no"}
    elif isinstance(known.type, click.Choice):
        question |= {"kind": "choice", "default": str(value), "choices": [str(each) for each in known.type.choices]}  # type: ignore[dict-item]  # a list of texts is allowed here
    elif isinstance(value, list):
        question |= {"kind": "list", "default": ", ".join(map(str, value))}
    else:
        question["default"] = str(value)
    ask[option] = question
    options[option] = f"{{{option}}}"


@page.command()
@click.argument("source", type=PAGE, metavar="NAME")
@click.argument("target", metavar="NEW")
@click.pass_context
def copy(ctx: click.Context, source: str, target: str) -> None:
    """Copy a page, a built-in one too, under a new name.

    \b
    Examples:
      almanac page copy common/income month-end/income
    """
    root = open_book(ctx).file.root
    check_name(target, "NEW")
    path = write_page(root, target, read_page(root, source).text)
    click.echo(f"wrote {path.relative_to(root)}", err=True)


@page.command()
@click.argument("source", type=PAGE, metavar="NAME")
@click.argument("target", metavar="NEW")
@click.pass_context
def rename(ctx: click.Context, source: str, target: str) -> None:
    """Give a page of the book another name or group.

    \b
    Examples:
      almanac page rename month-end/income quarter-end/income
    """
    root = open_book(ctx).file.root
    check_name(target, "NEW")
    path = rename_page(root, read_page(root, source), target)
    click.echo(f"now {path.relative_to(root)}", err=True)


@page.command()
@click.argument("names", type=PAGES, nargs=-1, required=True, metavar="PAGE...")
@click.pass_context
def lock(ctx: click.Context, names: tuple[str, ...]) -> None:
    """Keep pages from being written over, and notice where they change.

    PAGE is a page or a group. Whoever changes the file by hand is noticed:
    each run and each edition then says so. Locking again takes it as it is.

    \b
    Examples:
      almanac page lock month-end
    """
    book = open_book(ctx)
    root = book.file.root
    locks = read_locks(root)
    for name in pages_named(root, names):
        found = read_page(root, name)
        if found.path is None:
            raise UsageMistake(Mistake("a built-in page never changes", "PAGE", repr(name), next_step="copy it first"))
        locks[name] = locked_on(found, book.now.date())
        click.echo(f"locked {name}", err=True)
    keep_locks(root, locks)


@page.command()
@click.argument("names", type=PAGES, nargs=-1, required=True, metavar="PAGE...")
@click.pass_context
def unlock(ctx: click.Context, names: tuple[str, ...]) -> None:
    """Let pages be written again.

    \b
    Examples:
      almanac page unlock month-end/income
    """
    root = open_book(ctx).file.root
    locks = read_locks(root)
    # A lock can outlive its page.
    for name in names if set(names) <= set(locks) else pages_named(root, names):
        if locks.pop(name, None) is None:
            click.echo(f"{name} was not locked", err=True)
        else:
            click.echo(f"unlocked {name}", err=True)
    keep_locks(root, locks)


@page.command()
@click.argument("names", type=PAGES, nargs=-1, metavar="[PAGE]...")
@output_options
@click.pass_context
def check(ctx: click.Context, names: tuple[str, ...], output: OutputRequest) -> None:
    """Whether pages are right: each is read, filled in and run on the data.

    PAGE is a page or a group; without, all of the book's own. Ends with 1
    where one is wrong.

    \b
    Examples:
      almanac page check
      almanac page check month-end
    """
    check_outputs(output)
    book = open_book(ctx)
    look, root = look_for(output, book), book.file.root
    checked = [_checked(book, name) for name in (pages_named(root, names) if names else page_names(root))]
    hand_on(ctx, checked_report(book.settings.book.name, checked)._replace(look=look), output)
    if any(each.mistakes for each in checked):
        ctx.exit(1)


def _checked(book: Book, name: str) -> CheckedPage:
    how = "its file"
    try:
        found = read_page(book.file.root, name)
        open_questions = [
            key for key, question in found.file.ask.items() if not question.default and not question.optional
        ]
        if open_questions:
            command_words(filled(found, {}), found.where)
            return CheckedPage(name, (), f"its file and options; it asks for {', '.join(open_questions)}")
        how = "run by its default answers"
        made = run_page(book, found, PageRun({}, {}))
    except AlmanacError as error:
        return CheckedPage(name, tuple(str(each) for each in error.mistakes), how)
    return CheckedPage(name, (), how, len(made.table.rows))


def page_when_options(command: Any) -> Any:
    """Add the options that say when a page is run for, in place of what it says itself."""
    for name, words in reversed(
        (
            ("as-of", "As of this day, whatever the page says."),
            ("period", "For this period, whatever the page says."),
            ("quarter", "For this quarter, whatever the page says."),
            ("year", "For this fiscal year, whatever the page says."),
        )
    ):
        metavar = "DAY" if name == "as-of" else "ID"
        known = {"period": PERIOD, "quarter": QUARTER, "year": YEAR}.get(name, click.STRING)
        command = click.option(f"--{name}", type=known, default="", metavar=metavar, help=words)(command)
    return command


def asked_when(book: Book, options: Mapping[str, str]) -> dict[str, str]:
    """Return which of the `page_when_options` was given, with its id found in the calendar; at most one may be."""
    given = {name: options[name.replace("-", "_")] for name in WHEN if options[name.replace("-", "_")]}
    if len(given) > 1:
        got = " and ".join(f"--{name}" for name in given)
        raise UsageMistake(Mistake("more than one way to say when", got=got, allowed="one of them"))
    for name, text in given.items():
        if name != "as-of":
            given[name] = str(book.calendars[""].find(text, f"--{name}", UsageMistake))
    return given


@page.command()
@click.argument("name", type=PAGE)
@click.option("-a", "--answer", "answers", multiple=True, metavar="NAME=VALUE", help="Answer a question; repeatable.")
@click.option("--answers", "file", type=click.Path(path_type=Path), metavar="FILE", help="Answers from a TOML file.")
@click.option("--again", is_flag=True, help="With the answers of the last run.")
@click.option("--no-questions", is_flag=True, help="Ask nothing, at a terminal too: take the defaults.")
@page_when_options
@output_options
@click.pass_context
def run(
    ctx: click.Context,
    /,
    name: str,
    answers: tuple[str, ...],
    file: Path | None,
    again: bool,
    no_questions: bool,
    output: OutputRequest,
    **when: str,
) -> None:
    """Make the report of a page.

    What it asks for is answered by --answer, by a file, or at the terminal
    where there is one; else its defaults count.

    \b
    Examples:
      almanac page run month-end/income
      almanac page run month-end/income --period 2025-P12 -o income.pdf
      almanac page run common/suppliers-past-limit --answer limit=10000 --answer year=2025
      almanac page run common/suppliers-past-limit --again
    """
    check_outputs(output)
    book = open_book(ctx)
    root = book.file.root
    found = read_page(root, name)
    told = told_answers(answers, file)
    runs = kept_answers(root, found.name)
    last = dict(runs[-1].answers) if runs else {}
    if again:
        if not runs:
            raise UsageMistake(
                Mistake("this page was not run yet", "--again", found.name, next_step="run it once without")
            )
        told = {**{key: value for key, value in last.items() if key in found.file.ask}, **told}
    ask = asking(found, last) if has_terminal() and not no_questions and not again and found.file.ask else None
    if ask:
        click.echo(" · ".join(filter(None, (found.name, found.file.title or found.file.about))), err=True)
    made = run_page(book, found, PageRun(told, asked_when(book, when), _look_words(output)), ask)
    if ask:
        click.echo(err=True)
    kept = {key: answer.text if answer else "" for key, answer in made.answers.items()}
    keep_answers(root, KeptAnswers(found.name, f"{book.now:%Y-%m-%d %H:%M}", kept))
    if "BUT" in lock_words(read_locks(root), found):
        click.echo(f"warning: {found.where} is locked, but was changed since", err=True)
    hand_on(ctx, made.table, output)


def _look_words(output: OutputRequest) -> list[str]:
    style = [f"--style={output.style}"] if output.style else []
    return [*style, *(f"--{name}={value}" for name, value in output.parts)]
