"""`almanac demo`."""

import shlex
from pathlib import Path

import click

from level_almanac.cli.commands import OneEach
from level_almanac.cli.say import say
from level_almanac.demo.ledger import BASE_LINES
from level_almanac.demo.write import write_demo
from level_almanac.errors import Mistake, UsageMistake

DEFAULT_FOLDER = Path("skellan-books")

_FARES = "account.class is income and vessel is not blank"
_WITH_BUDGET = "ptd; budget ptd; variance; variance %; ytd; budget ytd; variance"


_EDITION = "2026-P08"
_STEPS = (
    ("almanac load --through 2026-06-17", "Every export in, each line checked, or nothing at all."),
    (
        "almanac calendar --year 2026",
        "Which periods there are, what data covers them, and how far the last one reaches.",
    ),
    (
        "almanac trial --level 1",
        "The year to date, debits against credits; balances carried forward stand in the openings, once.",
    ),
    (
        "almanac statement income --entity LINE --level 1",
        "The ferry company's month and year, each beside the same days of last year.",
    ),
    (
        f'almanac statement ferries --entity LINE --columns "{_WITH_BUDGET}"',
        "The same beside the budget, 17 of June's 30 days of it, in rows of a layout of the book's own.",
    ),
    (
        'almanac trace statement income --entity LINE --row "Parcels and livestock" --column 1',
        "What is in one of those figures: its lines, each with the place in the export that it came from.",
    ),
    (
        f'almanac list ledger --by "vessel.kind, vessel" --year 2025 --only "{_FARES}" --show "count, - amount"',
        "Any question in words: what each vessel took in a year, the vessels' own table beside the ledger.",
    ),
    (
        "almanac parties payable --year 2025 --on paid --over 7500 --top 8",
        "Who was paid more than a limit in the year, by each supplier's total and never by its single bills.",
    ),
    (
        "almanac aging receivable --period 2026-P08 --top 8",
        "What customers owe by how late it was at the end of May, held against the ledger: one mistake is planted.",
    ),
    (
        "almanac billing --by office --payments-by deposited",
        "The billing desks this month: payments by the day they were banked, with what is in transit accounted for.",
    ),
    (
        "almanac growth sales --each quarter --last 5",
        "How sales grow: each quarter beside the one before it and last year's, the unfinished one on the same days.",
    ),
    (
        "almanac rank sales --by item --top 5",
        "What sells most, this year and last, and all other: with it the members come to the total in every column.",
    ),
    (
        "almanac pace ledger --entity LINE --by department",
        "What each department spent of its budget, what was due by now, and where it will end.",
    ),
    ("almanac check", "What does not add up: a few mistakes are planted in these books, each found with its lines."),
    (
        "almanac statement balance --level 2",
        "The balance sheet, which balances though the year is not closed: its result so far stands on a row.",
    ),
    (
        "almanac page list --own",
        "Reports saved as text files, with what each asks for: the book's month-end, and one for enquiries.",
    ),
    (
        f"almanac edition issue {_EDITION} --period {_EDITION} --pages month-end --with-findings",
        "The month-end of May: eight reports made together and frozen with their data, one planted mistake told of.",
    ),
    (
        f"almanac edition show {_EDITION}",
        "What is in it; `almanac edition verify` computes it anew, and `almanac edition compare` tells what changed.",
    ),
)
"""The commands of the walk, each with a word of what it shows."""


@click.command(cls=OneEach)
@click.argument("folder", type=click.Path(path_type=Path), default=DEFAULT_FOLDER, metavar="[DIR]")
@click.option(
    "--lines", type=click.IntRange(min=1), default=BASE_LINES, metavar="N", help="About how many ledger lines to make."
)
@click.option("--write-only", is_flag=True, help="Write the exports and stop; do not load them.")
def demo(folder: Path, lines: int, write_only: bool) -> None:
    """Write the demo book, load it, and walk through its reports.

    The book goes into DIR, or into `skellan-books` here. Its companies are
    made up: Skellan Line, island ferries, and Skellan Yard, its boatyard.

    \b
    Examples:
      almanac demo
      almanac demo big-books --lines 1000000 --write-only
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        step = "name a new folder: almanac demo DIR"
        raise UsageMistake(Mistake("the demo book goes into an empty folder", str(folder), next_step=step))
    say(f"Writing the exports of two made-up companies into {folder} …")
    written = write_demo(folder, lines)
    say(f"{len(written)} exports written.")
    if write_only:
        return
    for command, words in _STEPS:
        _told(command, words)
        _run(folder, command)
    say("")
    say(f"The book is yours to try: cd {folder}, then any of the commands above, or `almanac --help`.")


def _run(folder: Path, command: str) -> None:
    """Run one command on the demo book, as a person would; what it finds, it shows."""
    from level_almanac.cli.main import almanac

    almanac.main(["--book", str(folder), *shlex.split(command)[1:]], standalone_mode=False)


def _told(command: str, words: str) -> None:
    say("")
    say(f"$ {command}", strong=True)
    say(f"  {words}")
    say("")
