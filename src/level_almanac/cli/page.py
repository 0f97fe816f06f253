"""`almanac page`."""

import shlex
from datetime import date, datetime
from pathlib import Path

import click

from level_almanac.cli.answers import asking, has_terminal, told_answers
from level_almanac.cli.commands import OneEachGroup
from level_almanac.cli.names import PAGE, PAGES
from level_almanac.cli.options import open_book
from level_almanac.cli.page_group import run_group
from level_almanac.cli.page_keeping import copy, lock, rename, save, unlock
from level_almanac.cli.page_when import asked_when, page_when_options
from level_almanac.cli.reports import warn
from level_almanac.cli.say import progress_shown, say
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.calendar.date_text import day_words, moment_words
from level_almanac.core.pages.checking import checked_page
from level_almanac.core.pages.report import checked_report, pages_compared, pages_table
from level_almanac.core.pages.running import MadePage, PageRun, answers_of, page_command, run_page
from level_almanac.core.reports.making import in_look
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.page_reading import page_names, pages_named, read_page
from level_almanac.files.page_writing import LOCK_BROKEN, lock_words, read_locks
from level_almanac.files.runs import Answers as KeptAnswers
from level_almanac.files.runs import LastPage, keep_answers, keep_last, kept_answers


@click.group(cls=OneEachGroup)
def page() -> None:
    """Saved reports: save, list, run, copy, compare, lock, check them.

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


for _command in (save, copy, rename, lock, unlock):
    page.add_command(_command)


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
    show(ctx, in_look(pages_table(book, own=own), look), output)


@page.command("show")
@click.argument("name", type=PAGE)
@click.pass_context
def show_page(ctx: click.Context, name: str) -> None:
    """A page's file, and the command it comes to.

    The command is the one that its default answers make.

    \b
    Examples:
      almanac page show common/income
    """
    book = open_book(ctx)
    root = book.file.root
    read = read_page(root, name)
    click.echo(read.text if read.text.endswith("\n") else f"{read.text}\n", nl=False)
    lines = []
    try:
        answers = answers_of(book, read, PageRun())
        words = page_command(read, answers)
        lines.append(f"runs as: almanac {shlex.join(words)}")
    except UsageMistake as error:
        lines += [f"cannot run by itself: {each}" for each in error.mistakes]
    locks = read_locks(root)
    if read.name in locks:
        lines.append(f"{lock_words(locks, read)}: on {day_words(date.fromisoformat(locks[read.name].locked))}")
    for run in kept_answers(root, read.name)[-3:]:
        answered = ", ".join(f"{key} = {value or 'left open'}" for key, value in run.answers.items())
        lines.append(f"run {moment_words(datetime.fromisoformat(run.at))}" + (f" with {answered}" if answered else ""))
    click.echo("".join(f"# {line}\n" for line in lines), nl=False)


@page.command()
@click.argument("one", type=PAGE, metavar="PAGE")
@click.argument("other", type=PAGE, metavar="PAGE")
@output_options
@click.pass_context
def diff(ctx: click.Context, one: str, other: str, output: OutputRequest) -> None:
    """What two pages say otherwise, key by key.

    \b
    Examples:
      almanac page diff common/income common/income-budget
    """
    check_outputs(output)
    book = open_book(ctx)
    look, root = look_for(output, book), book.file.root
    show(ctx, in_look(pages_compared(read_page(root, one), read_page(root, other)), look), output)


@page.command()
@click.argument("names", type=PAGES, nargs=-1, metavar="[PAGE]...")
@output_options
@click.pass_context
def check(ctx: click.Context, names: tuple[str, ...], output: OutputRequest) -> None:
    """Whether pages are right: each is run on the data.

    Each is read, filled in with its default answers and run. PAGE is a page
    or a group; without, all of the book's own. Ends with 1 where one is wrong.

    \b
    Examples:
      almanac page check
      almanac page check month-end
    """
    check_outputs(output)
    book = open_book(ctx)
    look, root = look_for(output, book), book.file.root
    checked = [checked_page(book, name) for name in (pages_named(root, names) if names else page_names(root))]
    show(ctx, in_look(checked_report(book.settings.book.name, checked), look), output)
    if any(each.mistakes for each in checked):
        ctx.exit(1)


@page.command(context_settings={"ignore_unknown_options": True})
@click.argument("name", type=PAGES)
@click.argument("changed", nargs=-1, type=click.UNPROCESSED, metavar="[OPTIONS OF ITS REPORT]...")
@click.option("-a", "--answer", "answers", multiple=True, metavar="NAME=VALUE", help="Answer a question; repeatable.")
@click.option("--answers", "file", type=click.Path(path_type=Path), metavar="FILE", help="Answers from a TOML file.")
@click.option("--again", is_flag=True, help="With the answers of the last run.")
@click.option(
    "--members", default="", metavar="FIELD", help="On a board of a group: each member of this field can be chosen."
)
@click.option("--spans", default="", metavar="IDS", help="On a board of a group: these periods, quarters, years too.")
@click.option("--no-questions", is_flag=True, help="Ask nothing, at a terminal too: take the defaults.")
@page_when_options
@output_options
@click.pass_context
def run(
    ctx: click.Context,
    /,
    name: str,
    changed: tuple[str, ...],
    answers: tuple[str, ...],
    file: Path | None,
    again: bool,
    members: str,
    spans: str,
    no_questions: bool,
    output: OutputRequest,
    **when: str,
) -> None:
    """Make the report of a page, or of all pages of a group.

    What it asks for is answered by --answer, by a file, or at the terminal
    where there is one; else its defaults count.

    After NAME any option of its report can stand, for this run alone: in place
    of what the page says, or beside it where it is a condition. The page's
    file stays as it is.

    \b
    Examples:
      almanac page run month-end/income
      almanac page run month-end/income --period 2025-P12 -o income.pdf
      almanac page run common/suppliers-past-limit --answer limit=10000 --answer year=2025
      almanac page run common/suppliers-past-limit --again
      almanac page run month-end/income --columns "ptd; ptd last year" --only "vessel is Tern"
      almanac page run month-end --period 2026-P08 -o month-end.pdf
      almanac page run month-end --members department --spans "2026-P07, 2026-P08" -o board.html
    """
    if name.startswith("-"):
        step = "say the page first: almanac page run NAME --only ..."
        raise UsageMistake(Mistake("an option where the page's name is to stand", "NAME", name, next_step=step))
    check_outputs(output)
    book = open_book(ctx)
    root = book.file.root
    names = pages_named(root, (name,))
    if names != [name.strip().rstrip("/")]:
        if changed or again:
            got = changed[0] if changed else "--again"
            raise UsageMistake(Mistake("this is for one page, and not for a group", "NAME", f"{name} with {got}"))
        run_group(ctx, book, name, names, (answers, file), asked_when(book, when), output, (members, spans))
        return
    if members or spans:
        step = "name a group, and say -o board.html"
        raise UsageMistake(Mistake("this is for a board of a group", "NAME", name, next_step=step))
    read = read_page(root, name)
    answers_told = told_answers(answers, file)
    runs = kept_answers(root, read.name)
    last = dict(runs[-1].answers) if runs else {}
    if again:
        if not runs:
            raise UsageMistake(
                Mistake("this page was not run yet", "--again", read.name, next_step="run it once without")
            )
        answers_told = {**{key: value for key, value in last.items() if key in read.file.ask}, **answers_told}
    ask = asking(read, last) if has_terminal() and not no_questions and not again and read.file.ask else None
    if ask:
        say(" · ".join(filter(None, (read.name, read.file.title or read.file.about))))
    with progress_shown(read.name):
        asked = PageRun(answers_told, asked_when(book, when), output.look, changed=changed)
        page_made = run_page(book, read, asked, ask)
    if ask:
        say()
    kept = {key: answer.text if answer else "" for key, answer in page_made.answers.items()}
    keep_answers(root, KeptAnswers(read.name, f"{book.now:%Y-%m-%d %H:%M}", kept))
    if lock_words(read_locks(root), read) == LOCK_BROKEN:
        say(f"warning: {read.where} is locked, but was changed since")
    warn(page_made.warnings)
    _show(ctx, root, page_made, output, alone=no_questions)


def _show(ctx: click.Context, root: Path, page_made: MadePage, output: OutputRequest, *, alone: bool) -> None:
    """Show a page that was run. alone: whether nobody is there to read notes, so that what is found ends it with 1."""
    if page_made.made.keep is not None:
        page_made.made.keep()
    if page_made.report.page:
        asked = page_made.page.file.ask
        told = {
            name: each.text for name, each in page_made.answers.items() if each and each.text != asked[name].default
        }
        keep_last(root, page_made.words, LastPage(page_made.page.name, page_made.options, told))
    show(ctx, page_made.table, output)
    if alone:
        for words in page_made.made.findings:
            say(f"found: {words}")
    if not page_made.made.holds or (alone and page_made.made.findings):
        ctx.exit(1)
