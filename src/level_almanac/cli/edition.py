"""`almanac edition`."""

import sys
from collections.abc import Sequence
from contextlib import AbstractContextManager, nullcontext
from pathlib import Path
from typing import Any

import click

from level_almanac.cli.answers import told_answers
from level_almanac.cli.commands import OneEachGroup
from level_almanac.cli.names import EDITION, PAGES
from level_almanac.cli.options import open_book
from level_almanac.cli.page_when import asked_when, page_when_options
from level_almanac.cli.say import progress_shown, say
from level_almanac.cli.show import OutputRequest, check_outputs, look_for, output_options, show
from level_almanac.core.editions.report import edition_report, editions_report, verification_report
from level_almanac.core.editions.verify import verified
from level_almanac.core.reports.making import in_look
from level_almanac.core.reports.registry import all_reports
from level_almanac.errors import AlmanacError, how_many
from level_almanac.files.editions import edition_folder, edition_names, read_edition, seal_of
from level_almanac.files.page_reading import pages_named, read_page
from level_almanac.files.page_writing import LOCK_BROKEN

_FORMATS = ("html", "pdf", "xlsx", "csv", "json", "md", "parquet", "txt")


@click.group(cls=OneEachGroup)
def edition() -> None:
    """Reports issued together: issue, list, verify, compare.

    An edition is a folder in the book's `editions`: the reports of some pages
    for one period, with the definitions and the data they were made from, all
    under one hash, its seal. It is never written over, and can be computed
    anew whatever the exports have become.

    \b
    Examples:
      almanac edition issue 2026-P08 --period 2026-P08 --pages month-end
      almanac edition list
      almanac edition verify 2026-P08
    """


@edition.command()
@click.argument("name")
@click.option(
    "--pages", "names", type=PAGES, multiple=True, required=True, metavar="PAGE", help="A page or a group; repeatable."
)
@page_when_options
@click.option("--title", default="", metavar="TEXT", help="Its title.  [default: the book's name and the period]")
@click.option(
    "--as",
    "formats",
    multiple=True,
    type=click.Choice(_FORMATS),
    default=("html",),
    show_default=True,
    help="A format of each page; repeatable. The index, one PDF and one workbook of all are always written.",
)
@click.option("-a", "--answer", "answers", multiple=True, metavar="NAME=VALUE", help="An answer, or PAGE:NAME=VALUE.")
@click.option("--answers", "file", type=click.Path(path_type=Path), metavar="FILE", help="Answers from a TOML file.")
@click.option("--with-findings", is_flag=True, help="Issue it though something is found in a report.")
@click.option("--without-explanations", is_flag=True, help="Issue it though a page requires more explanations.")
@click.pass_context
def issue(
    ctx: click.Context,
    /,
    name: str,
    names: tuple[str, ...],
    title: str,
    formats: tuple[str, ...],
    answers: tuple[str, ...],
    file: Path | None,
    with_findings: bool,
    without_explanations: bool,
    **when: str,
) -> None:
    """Make the reports of pages for one period, and freeze them.

    All of it is written, or nothing: where a page fails, a proof does not
    add up, or a figure differs between two pages, there is no edition.

    \b
    Examples:
      almanac edition issue 2026-P08 --period 2026-P08 --pages month-end
      almanac edition issue 2025-audit --year 2025 --pages common/trial --pages common/balance --as pdf --as csv
    """
    from level_almanac.api.edition_files import writers
    from level_almanac.core.editions.issue import IssueRequest, edition_when
    from level_almanac.core.editions.issue import issue as issue_edition
    from level_almanac.output.beside import beside

    book = open_book(ctx)
    when_asked = edition_when(book, asked_when(book, when))
    covers = next(iter(when_asked.values()))
    request = IssueRequest(
        name=name,
        title=title or f"{book.settings.book.name}, {covers}",
        pages=pages_named(book.file.root, names),
        when=when_asked,
        told=told_answers(answers, file),
        formats=tuple(dict.fromkeys(formats)),
        findings=with_findings,
        unexplained=without_explanations,
    )
    # What draws is begun first: it takes as long to be ready as reports to be made.
    with beside(drawing=any(_is_charted(book.file.root, page) for page in request.pages)) as helper:
        done = issue_edition(book, request, writers(helper), _progress)
    for page in done.edition.pages:
        for words in page.findings:
            say(f"warning: {page.name}: {words}")
        if page.lock == LOCK_BROKEN:
            say(f"warning: pages/{page.name}.toml is locked, but was changed since")
    size = f"{how_many(len(done.edition.pages), 'page')}, {how_many(len(done.edition.files) + 2, 'file')}"
    say(f"issued {done.folder.relative_to(book.file.root)}: {size}")
    say(f"seal {done.seal}")


def _is_charted(root: Path, page: str) -> bool:
    """Tell whether the report of a page can have a chart."""
    # Of a page that names no report, the issue itself tells what is wrong.
    name = next(iter(read_page(root, page).file.report.split()), "")
    return name in all_reports() and all_reports()[name].charted


def _progress(label: str, named: Sequence[tuple[str, Any]]) -> AbstractContextManager[Any]:
    """Return named things with a bar that shows how far it is, where there is a terminal to show it on."""
    if not sys.stderr.isatty():
        return nullcontext(named)

    def called(item: tuple[str, Any] | None) -> str:
        return item[0] if item else ""

    return click.progressbar(named, label=label, file=sys.stderr, item_show_func=called, width=30)


@edition.command("list")
@output_options
@click.pass_context
def list_editions(ctx: click.Context, output: OutputRequest) -> None:
    """Which editions were issued.

    \b
    Examples:
      almanac edition list
    """
    check_outputs(output)
    book = open_book(ctx)
    look, root = look_for(output, book), book.file.root
    rows = []
    for name in edition_names(root):
        folder = edition_folder(root, name)
        try:
            rows.append((read_edition(folder), seal_of(folder).strip()))
        except AlmanacError as error:
            say(f"warning: {error}")
    rows.sort(key=lambda each: each[0].issued_at)
    show(ctx, in_look(editions_report(book.settings.book.name, rows), look), output)


@edition.command("show")
@click.argument("name", type=EDITION)
@output_options
@click.pass_context
def show_edition(ctx: click.Context, name: str, output: OutputRequest) -> None:
    """What is in an edition: its pages, its data, its tie-outs.

    \b
    Examples:
      almanac edition show 2026-P08
    """
    check_outputs(output)
    book = open_book(ctx)
    folder = edition_folder(book.file.root, name)
    table = edition_report(read_edition(folder), seal_of(folder).strip())
    show(ctx, in_look(table, look_for(output, book)), output)


@edition.command()
@click.argument("name", type=EDITION)
@click.option("--seal", default="", metavar="HASH", help="The seal as it was noted elsewhere, or how it begins.")
@output_options
@click.pass_context
def verify(ctx: click.Context, name: str, seal: str, output: OutputRequest) -> None:
    """Whether an edition is still what was issued.

    Every file is held against its hash, and every figure is computed anew
    from the data and the definitions that the edition keeps. Ends with 1
    where anything differs. Who can change files can change the seal too:
    note it elsewhere, and give it here.

    \b
    Examples:
      almanac edition verify 2026-P08
    """
    from level_almanac.api.edition_files import figures_of

    check_outputs(output)
    book = open_book(ctx)
    look = look_for(output, book)
    folder = edition_folder(book.file.root, name)
    with progress_shown(f"verifying {name}"):
        verification = verified(folder, seal, figures_of, book.choice)
    show(ctx, in_look(verification_report(verification), look), output)
    if not verification.holds:
        ctx.exit(1)


@edition.command()
@click.argument("name", type=EDITION)
@click.argument("other", type=EDITION, default="now", metavar="[OTHER|now]")
@output_options
@click.pass_context
def compare(ctx: click.Context, name: str, other: str, output: OutputRequest) -> None:
    """What changed since an edition: figures, and the lines that moved them.

    Held against another edition, or against the book as it is now. A figure
    can differ because lines were added, removed or altered, or because a
    definition was changed; each part is told apart, down to the lines.

    \b
    Examples:
      almanac edition compare 2026-P08
      almanac edition compare 2026-P08 2026-P08-b -o changes.xlsx
    """
    from level_almanac.api.edition_files import figures_of
    from level_almanac.core.editions.compare import compared, side_now, side_of
    from level_almanac.core.editions.compare_report import compare_report

    check_outputs(output)
    book = open_book(ctx)
    look, root = look_for(output, book), book.file.root
    before = side_of(edition_folder(root, name), book.choice)
    after = side_now(book) if other == "now" else side_of(edition_folder(root, other), book.choice)
    with progress_shown(f"comparing {before.record.name if before.record else ''}"):
        found = compared(before, after, figures_of)
    show(ctx, in_look(compare_report(found), look), output)
