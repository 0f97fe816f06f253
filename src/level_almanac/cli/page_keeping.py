"""Commands of `almanac page` that write: save, copy, rename, lock, unlock."""

import shlex
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click

from level_almanac.cli.commands import OneEach
from level_almanac.cli.names import PAGE, PAGES
from level_almanac.cli.options import open_book
from level_almanac.cli.say import say
from level_almanac.core.book import Book
from level_almanac.core.pages.asking import asked_conditions
from level_almanac.core.pages.options import page_options, saved_page
from level_almanac.core.pages.running import PageRun, run_page
from level_almanac.core.reports.registry import all_reports
from level_almanac.errors import Mistake, UsageMistake, nearest
from level_almanac.files.busy import writing_texts
from level_almanac.files.page_reading import built_in_names, check_name, page_names, page_of, pages_named, read_page
from level_almanac.files.page_writing import (
    check_writable,
    keep_locks,
    locked_on,
    page_text,
    read_locks,
    rename_page,
    write_page,
)
from level_almanac.files.pages import page_path
from level_almanac.files.runs import LastPage, last_page, last_words

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


@click.command(cls=OneEach, context_settings={"ignore_unknown_options": True, "allow_interspersed_args": False})
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
    """Save a report as a page: the last one, or one given here.

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
    words = words[1:] if words[:1] == ("--",) else words
    if words and words[0].startswith("-"):
        raise click.UsageError(f"{words[0]}: options of `page save` stand before NAME, those of the report after it")
    given = words or last_words(root)
    if not given:
        step = "run a report first, or give it here: almanac page save NAME statement income"
        raise UsageMistake(Mistake("no report was made in this book yet", "REPORT", next_step=step))
    last = None if words else last_page(root)
    if last is not None and last.name in (*page_names(root), *built_in_names()):
        text = _as_run(root, last, {"title": title, "about": about}, asked)
        check_writable(root, name, replace=replace)
        _save(book, name, text, given, replace=replace)
        return
    report, options = saved_page(given)
    title = title or str(options.get("title", ""))
    options.pop("title", None)
    ask: dict[str, dict[str, Any]] = {}
    for option in (each.removeprefix("--") for each in asked):
        if option in ("only", "except") and option in options:
            options[option], more = asked_conditions(book, report, options, option)
            ask |= more
        else:
            _ask_for(option, report[0], options, ask)
    check_writable(root, name, replace=replace)
    path = page_path(root, name)
    before = read_page(root, name).text if replace and path.exists() else ""
    text = page_text(before, shlex.join(report), options, ask, {"title": title, "about": about})
    _save(book, name, text, given, replace=replace)


def _save(book: Book, name: str, text: str, given: Sequence[str], *, replace: bool) -> None:
    """Write a page that was tried, and say what it comes to."""
    _try(book, name, text)
    path = write_page(book.file.root, name, text, replace=replace)
    say(f"wrote {path.relative_to(book.file.root)}: {shlex.join(['almanac', *given])}")


def _as_run(root: Path, last: LastPage, words: dict[str, str], asked: Sequence[str]) -> str:
    """Return the text of a page as another was run: with what was changed, its questions, and the answers given."""
    if asked:
        step = "say the report after NAME, or write the question into the page's file"
        raise UsageMistake(Mistake("the page that was run has questions of its own", "--ask", asked[0], next_step=step))
    source, options = read_page(root, last.name), dict(last.options)
    # A page has a title of its own.
    words["title"] = words["title"] or str(options.pop("title", ""))
    options.pop("title", None)
    return page_text(source.text, source.file.report, options, {}, words, last.answers)


def _try(book: Book, name: str, text: str) -> None:
    """Run a page once with its defaults before it is saved, so that none is saved that does not run."""
    if book.store.state() is None:
        # A book may be written before anything is loaded.
        return
    page = page_of(name, text)
    answers = {key: question.default for key, question in page.file.ask.items() if question.default}
    run_page(book, page, PageRun(answers))


def _ask_for(option: str, report: str, options: dict[str, Any], ask: dict[str, dict[str, Any]]) -> None:
    """Turn an option's value into the default of a question that is put in its place."""
    value = options.get(option)
    if value is None:
        hint = nearest(option, options)
        what = "the report was not given this option, so there is nothing to ask for"
        raise UsageMistake(Mistake(what, "--ask", repr(option), ", ".join(options) or "no option", hint))
    known = page_options(all_reports()[report])[option]
    kind, label = _QUESTIONS.get(option, ("text", option.replace("-", " ").capitalize()))
    question: dict[str, Any] = {"kind": kind, "label": label}
    if isinstance(value, bool):
        question |= {"kind": "yes-no", "default": "yes" if value else "no"}
    elif known.kind == "count":
        question |= {"kind": "count", "default": str(value)}
    elif known.kind == "choice":
        question |= {"kind": "choice", "default": str(value), "choices": [str(each) for each in known.choices]}
    elif isinstance(value, list):
        question |= {"kind": "list", "default": ", ".join(map(str, value))}
    else:
        question["default"] = str(value)
    ask[option] = question
    options[option] = f"{{{option}}}"


@click.command(cls=OneEach)
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
    say(f"wrote {path.relative_to(root)}")


@click.command(cls=OneEach)
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
    say(f"now {path.relative_to(root)}")


@click.command(cls=OneEach)
@click.argument("names", type=PAGES, nargs=-1, required=True, metavar="PAGE...")
@click.pass_context
def lock(ctx: click.Context, names: tuple[str, ...]) -> None:
    """Keep pages from being written over; notice changes.

    PAGE is a page or a group. Whoever changes the file by hand is noticed:
    each run and each edition then says so. Locking again takes it as it is.

    \b
    Examples:
      almanac page lock month-end
    """
    book = open_book(ctx)
    root = book.file.root
    with writing_texts(root):
        locks = read_locks(root)
        for name in pages_named(root, names):
            read = read_page(root, name)
            if read.path is None:
                step = "copy it first"
                raise UsageMistake(Mistake("a built-in page never changes", "PAGE", repr(name), next_step=step))
            locks[name] = locked_on(read, book.today)
        keep_locks(root, locks)
    for name in pages_named(root, names):
        say(f"locked {name}")


@click.command(cls=OneEach)
@click.argument("names", type=PAGES, nargs=-1, required=True, metavar="PAGE...")
@click.pass_context
def unlock(ctx: click.Context, names: tuple[str, ...]) -> None:
    """Let pages be written again.

    \b
    Examples:
      almanac page unlock month-end/income
    """
    root = open_book(ctx).file.root
    with writing_texts(root):
        locks = read_locks(root)
        # A lock can outlive its page.
        told = names if set(names) <= set(locks) else pages_named(root, names)
        there = [name for name in told if locks.pop(name, None) is not None]
        keep_locks(root, locks)
    for name in told:
        say(f"unlocked {name}" if name in there else f"{name} was not locked")
