"""`almanac demo`."""

from collections.abc import Callable
from contextlib import nullcontext
from decimal import Decimal
from pathlib import Path

import click

from level_almanac.cli.load import load_book
from level_almanac.cli.page import pages_table
from level_almanac.cli.session import bold
from level_almanac.cli.show import print_terminal
from level_almanac.core.book import Book
from level_almanac.core.editions.report import edition_report
from level_almanac.core.measures.table_measures import MeasuredRequest
from level_almanac.core.reports.aging.report import AgingRequest, aging
from level_almanac.core.reports.billing.report import BillingRequest, billing
from level_almanac.core.reports.calendar.report import CalendarRequest, calendar_report
from level_almanac.core.reports.check.report import CheckRequest, check
from level_almanac.core.reports.growth.figures import GrowthRequest
from level_almanac.core.reports.growth.report import growth
from level_almanac.core.reports.list.report import ListRequest, listing
from level_almanac.core.reports.pace.figures import PaceRequest
from level_almanac.core.reports.pace.report import pace
from level_almanac.core.reports.parties.report import PartiesRequest, parties
from level_almanac.core.reports.rank.figures import RankRequest
from level_almanac.core.reports.rank.report import rank
from level_almanac.core.reports.statement.report import StatementRequest, statement
from level_almanac.core.reports.statement.trace import statement_behind
from level_almanac.core.reports.trial.report import TrialRequest, trial
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.core.subledger.subledger import SubledgerRequest
from level_almanac.core.table.model import ReportTable
from level_almanac.core.table.threshold import Threshold
from level_almanac.core.trace.figure import TraceRequest, trace
from level_almanac.demo.ledger import BASE_LINES
from level_almanac.demo.write import COMPLETE_THROUGH, write_demo
from level_almanac.errors import Mistake, UsageMistake
from level_almanac.files.editions import edition_folder, read_edition, seal_of
from level_almanac.files.page_reading import pages_named
from level_almanac.intake.load import LoadOptions

DEFAULT_FOLDER = Path("skellan-books")

_FARES = "account.class is income and vessel is not blank"
_WITH_BUDGET = "ptd; budget ptd; variance; variance %; ytd; budget ytd; variance"


def _issued(book: Book) -> None:
    """Issue the demo's month-end."""
    from level_almanac.cli.edition_issue import IssueRequest, issue  # noqa: PLC0415  the writers are heavy

    request = IssueRequest(
        name=_EDITION,
        title=f"{book.settings.book.name}, {_EDITION}",
        pages=pages_named(book.file.root, ("month-end",)),
        when={"period": _EDITION},
        told={},
        formats=("html",),
        findings=True,
    )
    done = issue(book, request, lambda _, named: nullcontext(named))
    _step(f"issued {done.folder.relative_to(book.file.root)}; open its index.html")


def _shown(book: Book) -> ReportTable:
    folder = edition_folder(book.file.root, _EDITION)
    return edition_report(read_edition(folder), seal_of(folder).strip())


_EDITION = "2026-P08"
_STEPS: tuple[tuple[str, str, Callable[[Book], ReportTable | None]], ...] = (
    (
        "almanac calendar --year 2026",
        "Which periods there are, what data covers them, and how far the last one reaches.",
        lambda book: calendar_report(book, CalendarRequest(year="2026"), COMPLETE_THROUGH),
    ),
    (
        "almanac trial --level 1",
        "The year to date, debits against credits; balances carried forward stand in the openings, once.",
        lambda book: trial(book, TrialRequest(level=1), COMPLETE_THROUGH),
    ),
    (
        "almanac statement income --entity LINE --level 1",
        "The ferry company's month and year, each beside the same days of last year.",
        lambda book: statement(book, StatementRequest(entities=("LINE",), level=1), COMPLETE_THROUGH),
    ),
    (
        f'almanac statement ferries --entity LINE --columns "{_WITH_BUDGET}"',
        "The same beside the budget, 17 of June's 30 days of it, in rows of a layout of the book's own.",
        lambda book: statement(
            book, StatementRequest(layout="ferries", entities=("LINE",), columns=_WITH_BUDGET), COMPLETE_THROUGH
        ),
    ),
    (
        'almanac trace statement income --entity LINE --row "Parcels and livestock" --column 1',
        "What is in one of those figures: its lines, each with the place in the export that it came from.",
        lambda book: trace(
            book,
            statement_behind(book, StatementRequest(entities=("LINE",)), COMPLETE_THROUGH, ("Parcels and livestock",)),
            TraceRequest(row="Parcels and livestock", column="1"),
        ),
    ),
    (
        f'almanac list ledger --by "vessel.kind, vessel" --year 2025 --only "{_FARES}" --show "count, - amount"',
        "Any question in words: what each vessel took in a year, the vessels' own table beside the ledger.",
        lambda book: listing(
            book,
            ListRequest(
                by="vessel.kind, vessel",
                when=AsOfRequest(year="2025"),
                conditions=Conditions((_FARES,)),
                show="count, - amount",
            ),
            COMPLETE_THROUGH,
        ),
    ),
    (
        "almanac parties payable --year 2025 --on paid --over 7500 --top 8",
        "Who was paid more than a limit in the year, by each supplier's total and never by its single bills.",
        lambda book: parties(
            book,
            PartiesRequest(
                of=SubledgerRequest(side="payable", when=AsOfRequest(year="2025")),
                thresholds=(Threshold("over", (Decimal(7500),), "paid"),),
                top=8,
            ),
            COMPLETE_THROUGH,
        ),
    ),
    (
        "almanac aging receivable --period 2026-P08 --top 8",
        "What customers owe by how late it was at the end of May, held against the ledger: one mistake is planted.",
        lambda book: aging(
            book,
            AgingRequest(of=SubledgerRequest(side="receivable", when=AsOfRequest(period="2026-P08")), top=8),
            COMPLETE_THROUGH,
        ),
    ),
    (
        "almanac billing --by office --payments-by deposited",
        "The billing desks this month: payments by the day they were banked, with what is in transit accounted for.",
        lambda book: billing(book, BillingRequest(by="office", payments_by="deposited"), book.now.date()),
    ),
    (
        "almanac growth sales --each quarter --last 5",
        "How sales grow: each quarter beside the one before it and last year's, the unfinished one on the same days.",
        lambda book: growth(
            book, GrowthRequest(of=MeasuredRequest(table="sales"), each=("quarter",), last=5), book.now.date()
        ),
    ),
    (
        "almanac rank sales --by item --top 5",
        "What sells most, this year and last, and all other: with it the members come to the total in every column.",
        lambda book: rank(book, RankRequest(of=MeasuredRequest(table="sales", by="item"), top=5), book.now.date()),
    ),
    (
        "almanac pace ledger --entity LINE --by department",
        "What each department spent of its budget, what was due by now, and where it will end.",
        lambda book: pace(
            book,
            PaceRequest(of=MeasuredRequest(table="ledger", by="department", entities=("LINE",))),
            book.now.date(),
        ),
    ),
    (
        "almanac check",
        "What does not add up: a few mistakes are planted in these books, each found with its lines.",
        lambda book: check(book, CheckRequest(), COMPLETE_THROUGH).table,
    ),
    (
        "almanac statement balance --level 2",
        "The balance sheet, which balances though the year is not closed: its result so far stands on a row.",
        lambda book: statement(book, StatementRequest(layout="balance", level=2), COMPLETE_THROUGH),
    ),
    (
        "almanac page list --own",
        "Reports saved as text files, with what each asks for: the book's month-end, and one for enquiries.",
        lambda book: pages_table(book, own=True),
    ),
    (
        f"almanac edition issue {_EDITION} --period {_EDITION} --pages month-end --with-findings",
        "The month-end of May: eight reports made together and frozen with their data, one planted mistake told of.",
        _issued,
    ),
    (
        f"almanac edition show {_EDITION}",
        "What is in it; `almanac edition verify` computes it anew, and `almanac edition compare` tells what changed.",
        _shown,
    ),
)


@click.command()
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
    _step(f"Writing the exports of two made-up companies into {folder} …")
    written = write_demo(folder, lines)
    _step(f"{len(written)} exports written.")
    if write_only:
        return
    _told("almanac load --through 2026-06-17", "Every export in, each line checked, or nothing at all.")
    print_terminal(load_book(Book.open(folder), LoadOptions(through=COMPLETE_THROUGH)))
    book = Book.open(folder)
    for command, words, report in _STEPS:
        _told(command, words)
        made = report(book)
        if made is not None:
            print_terminal(made)
    _step("")
    _step(f"The book is yours to try: cd {folder}, then any of the commands above, or `almanac --help`.")


def _told(command: str, words: str) -> None:
    _step("")
    _step(bold(f"$ {command}"))
    _step(f"  {words}")
    _step("")


def _step(words: str) -> None:
    # Each line goes out before the report that follows it on the other stream.
    click.echo(words, err=True)
