"""`almanac page run` of a group: its pages one after another, or all in one PDF or workbook."""

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

import click

from level_almanac.cli.answers import told_answers
from level_almanac.cli.reports import warn
from level_almanac.cli.say import progress_shown, say
from level_almanac.cli.show import OutputRequest, print_terminal
from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import moment_words
from level_almanac.core.pages.board import BoardView, board_views, read_wanted
from level_almanac.core.pages.options import page_options, page_report
from level_almanac.core.pages.running import MadePage, PageRun
from level_almanac.core.table.model import ReportTable
from level_almanac.errors import BookMistake, Mistake, UsageMistake, listed, nearest
from level_almanac.files.page_reading import read_page
from level_almanac.files.pages import Page
from level_almanac.output.text import dressed, legible
from level_almanac.progress import tell
from level_almanac.whole_file import write_whole

_TOGETHER = ("html", "pdf", "xlsx")


def run_group(
    ctx: click.Context,
    book: Book,
    group: str,
    names: Sequence[str],
    answers: tuple[Sequence[str], Path | None],
    when: Mapping[str, str],
    output: OutputRequest,
    choices: tuple[str, str] = ("", ""),
) -> None:
    """Run the pages of a group with their defaults and the answers told, print them, or write them into one file each.

    when: one of `page_when_options`, for the pages whose report is asked for it; choices: the field whose members, and
    the spans, that can be chosen on a board. Ends with 1 where something is found.
    """
    _check_together(output, choices)
    pages = [read_page(book.file.root, name) for name in names]
    told = told_answers(tuple(answers[0]), answers[1])
    asked = list(dict.fromkeys(question for page in pages for question in page.file.ask))
    for name in told:
        if name not in asked:
            what, hint = "no page of the group asks this", nearest(name, asked)
            raise UsageMistake(Mistake(what, "--answer", name, listed(asked), hint))
    wanted = read_wanted(book, *choices)
    if when and wanted.spans:
        raise UsageMistake(Mistake("two ways to say which spans", got=f"--{next(iter(when))} and --spans"))
    with progress_shown(group):
        views = list(
            board_views(
                book, pages, wanted, lambda page, span: _run_of(page, told, span or when, output), _told_of, _lacking
            )
        )
    made = [view.made for view in views if not view.member and not view.span]
    _write(book, group, made, output, (wanted.field, views))
    if (output.printed or ("nothing" if output.outputs else "terminal")) == "terminal":
        for number, each in enumerate(made):
            click.echo("\n" if number else "", nl=False)
            print_terminal(legible(dressed(each.table)))
    found = [
        each for each in made if not each.made.holds or (each.table.proof is not None and not each.table.proof.balances)
    ]
    for each in found:
        say(f"found in {each.page.name}: {'; '.join(each.made.findings) or 'its proof does not add up'}")
    if found:
        ctx.exit(1)


def _lacking(page: Page, error: UsageMistake) -> None:
    say(f"{page.name} is on the board of all members only: {error.mistakes[0].what}")


def _told_of(made: MadePage) -> None:
    warn(made.warnings)
    tell(made.page.name)


def _check_together(output: OutputRequest, choices: tuple[str, str]) -> None:
    """Raise UsageMistake for outputs that several pages do not go into."""
    endings = {path.suffix.lower() for path in output.outputs}
    if any(choices) and ".html" not in endings:
        got = " and ".join(name for name, text in zip(("--members", "--spans"), choices, strict=True) if text)
        raise UsageMistake(Mistake("only a board lets one choose", got=got, next_step="say -o board.html"))
    wrong = [path for path in output.outputs if path.suffix.lower().removeprefix(".") not in _TOGETHER]
    if wrong:
        step = "run its pages one by one for other formats"
        got = ", ".join(str(path) for path in wrong)
        what, allowed = "a group goes into one HTML board, one PDF or one workbook", ".html, .pdf or .xlsx"
        raise UsageMistake(Mistake(what, "-o", got, allowed, step))
    if output.into:
        step = "run one page into it at a time"
        raise UsageMistake(Mistake("a group has a sheet for each page", "--into", repr(output.into), next_step=step))
    if output.printed not in (None, "terminal", "nothing"):
        raise UsageMistake(Mistake("several pages are printed for readers", "--print", output.printed, "terminal"))


def _run_of(page: Page, told: Mapping[str, str], when: Mapping[str, str], output: OutputRequest) -> PageRun:
    report = page_report(page.file.report.split(), f"{page.where}: report", BookMistake)
    known = page_options(report)
    own = {name: text for name, text in told.items() if name in page.file.ask}
    return PageRun(own, {name: text for name, text in when.items() if name in known}, output.look)


def _write(
    book: Book,
    group: str,
    made: Sequence[MadePage],
    output: OutputRequest,
    board: tuple[str, Sequence[BoardView]],
) -> None:
    """Write all pages into each file that was asked for. board: whose members can be chosen, and all reports of it."""
    if not output.outputs:
        return
    # What makes files is slow to load, and not needed to print.
    from level_almanac.output.board import Board, View, board_html
    from level_almanac.output.pdf_together import pdf_together
    from level_almanac.output.xlsx import workbook

    title = f"{book.settings.book.name}: {group}"
    facts = [f"run {moment_words(book.now)}", f"data loaded {moment_words(book.state.loaded_at.astimezone(book.zone))}"]
    seen = [legible(dressed(each.table)) for each in made]
    named: list[tuple[str, ReportTable]] = [(each.page.name, table) for each, table in zip(made, seen, strict=True)]
    field, views = board

    def on_board() -> bytes:
        shown = [View(each.page, each.member, each.span, legible(dressed(each.made.table))) for each in views]
        return board_html(Board(title, facts, field, shown)).encode()

    writers: Mapping[str, Callable[[], bytes]] = {
        "html": on_board,
        "pdf": lambda: pdf_together(title, facts, seen),
        "xlsx": lambda: workbook(title, facts, named),
    }
    for path in output.outputs:
        with progress_shown(f"writing {path.name}"):
            write_whole(path, writers[path.suffix.lower().removeprefix(".")]())
        say(f"wrote {path}")
