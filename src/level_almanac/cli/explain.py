"""`almanac explain`."""

from pathlib import Path

import click

from level_almanac.cli.answers import told_answers
from level_almanac.cli.commands import OneEach
from level_almanac.cli.names import PAGE
from level_almanac.cli.options import open_book
from level_almanac.cli.page_when import asked_when, page_when_options
from level_almanac.cli.say import say
from level_almanac.core.pages.explaining import explainable
from level_almanac.core.pages.running import PageRun, run_page
from level_almanac.core.table.exact import exact_text, figure_words
from level_almanac.files.explanations import WrittenExplanation, drop_explanation, keep_explanation, read_explanations
from level_almanac.files.page_reading import read_page


@click.command(cls=OneEach)
@click.argument("page", type=PAGE)
@click.argument("text", default="")
@click.option("--row", required=True, metavar="ROW", help="The row: its key, its label, or how that begins.")
@click.option("--column", required=True, metavar="COLUMN", help="The column: its key, its label, or its number.")
@click.option("--by", default="", metavar="NAME", help="Who explains it.")
@click.option("--remove", is_flag=True, help="Take the figure's explanation out.")
@click.option("-a", "--answer", "answers", multiple=True, metavar="NAME=VALUE", help="Answer a question; repeatable.")
@click.option("--answers", "file", type=click.Path(path_type=Path), metavar="FILE", help="Answers from a TOML file.")
@page_when_options
@click.pass_context
def explain(
    ctx: click.Context,
    /,
    page: str,
    text: str,
    row: str,
    column: str,
    by: str,
    remove: bool,
    answers: tuple[str, ...],
    file: Path | None,
    **when: str,
) -> None:
    """Write an explanation of one figure of a page, printed with it.

    It stands as a numbered note wherever the page is made for that period,
    and says so where the figure has moved since it was written. Without
    TEXT, the figure and its explanation are told.

    \b
    Examples:
      almanac explain month-end/income --period 2026-P08 --row 61320 --column change "Quay lights renewed"
      almanac explain month-end/income --period 2026-P08 --row 61320 --column change --remove
    """
    if remove and text:
        raise click.UsageError("--remove goes without TEXT")
    book = open_book(ctx)
    root = book.file.root
    read = read_page(root, page)
    made = run_page(book, read, PageRun(told_answers(answers, file), asked_when(book, when)))
    figure = explainable(made.table, row, column, book.calendars[""])
    place = (figure.period, figure.row.key, figure.column.key)
    said = f"{read.name}, {figure.period}: {figure.words}: {figure_words(figure.figure)}"
    if remove:
        there = drop_explanation(root, read.name, place)
        say(f"{said}: {'its explanation is taken out' if there else 'had no explanation'}")
    elif text:
        written = WrittenExplanation(
            period=figure.period,
            row=figure.row.key,
            column=figure.column.key,
            figure=exact_text(figure.figure),
            text=" ".join(text.split()),
            by=by,
            written=book.today.isoformat(),
        )
        path = keep_explanation(root, read.name, written)
        say(f"wrote {path.relative_to(root)}: {said}")
    else:
        explanation = next((each for each in read_explanations(root, read.name) if each.place == place), None)
        click.echo(f"{said}: {explanation.text if explanation else 'not explained'}")
        if explanation and explanation.figure != exact_text(figure.figure):
            click.echo(f"  stale: written on {explanation.written} when it was {explanation.figure}")
