"""Issue an edition: freeze definitions and data, make every page from what was frozen, and write all of it at once."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import replace
from datetime import date
from importlib.metadata import version
from pathlib import Path
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import day_words, range_words
from level_almanac.core.editions.frozen import freeze, new_edition
from level_almanac.core.editions.rules import RULES
from level_almanac.core.editions.tie_outs import PageMade, tie_outs
from level_almanac.core.pages.running import MadePage, PageRun, context_for, run_page
from level_almanac.core.table.model import Proof, ReportTable
from level_almanac.errors import FoundMistake, Mistake, UsageMistake, listed, nearest
from level_almanac.files.editions import (
    FIGURES,
    REPORTS,
    Edition,
    IssuedPage,
    check_edition_name,
    hashes_of,
    write_record,
)
from level_almanac.files.page_reading import read_page
from level_almanac.files.page_writing import lock_words, read_locks
from level_almanac.files.pages import Page
from level_almanac.immutable import immutable

Progress = Callable[[str, Sequence[tuple[str, Any]]], AbstractContextManager[Any]]


@immutable(kw_only=True)
class IssueRequest:
    """What an edition is issued of. pages: by name; when: the option and the day or id; told: answers by question;
    formats: of each page; findings, unexplained: whether it is issued despite them.
    """

    name: str
    title: str
    pages: Sequence[str]
    when: Mapping[str, str]
    told: Mapping[str, str]
    formats: Sequence[str]
    findings: bool = False
    unexplained: bool = False


@immutable
class Issued:
    """An edition that was issued: where, its record and its seal."""

    folder: Path
    edition: Edition
    seal: str


class Writers(NamedTuple):
    """What renders reports, which core does not know itself. figures: a report in its JSON shape; begin: is told
    each page as it is made, and the formats that it will be wanted in; files: of an edition, its pages and its title,
    each file by its path with what writes it.
    """

    figures: Callable[[ReportTable], dict[str, Any]]
    begin: Callable[[MadePage, Sequence[str]], None]
    files: Callable[[Edition, Sequence[MadePage], str], Iterable[tuple[str, Callable[[], bytes]]]]


def edition_when(book: Book, when: Mapping[str, str]) -> dict[str, str]:
    """Return what an edition is for: words for a day are settled here, once for all pages.

    Raises UsageMistake where nothing is asked for.
    """
    if not when:
        allowed = "--period, --quarter, --year or --as-of"
        raise UsageMistake(Mistake("an edition is for one day or period", "--period", "", allowed))
    return {"as-of": context_for(book, when).as_of.isoformat()} if "as-of" in when else dict(when)


def issue(book: Book, request: IssueRequest, writers: Writers, progress: Progress) -> Issued:
    """Issue an edition and return it; nothing is kept of one that fails.

    progress: given a label and named things, hands them out within a `with` and shows how far it is.

    Raises UsageMistake for what was asked wrongly, FoundMistake for what is found in proofs, tie-outs and explanations,
    and what the pages raise.
    """
    root = book.file.root
    check_edition_name(root, request.name)
    pages = [read_page(root, name) for name in request.pages]
    told = _answers_by_page(pages, request.told)
    state = book.state
    at = book.now.replace(microsecond=0)
    with new_edition(root, request.name) as folder:
        frozen = freeze(book, pages, folder, at)
        pages_made: list[MadePage] = []
        with progress("Making reports", [(page.name, page) for page in pages]) as steps:
            for _, page in steps:
                own = read_page(frozen.file.root, page.name)
                pages_made.append(run_page(frozen, own, PageRun(told[page.name], request.when, issued=True)))
                writers.begin(pages_made[-1], request.formats)
        edition = Edition(
            name=request.name,
            made_with=f"Level Almanac {version('level-almanac')}",
            issued_at=at.isoformat(),
            when=dict(request.when),
            covers=covers_words(frozen, request.when),
            formats=list(request.formats),
            pages=[_issued(frozen, each, request.formats) for each in pages_made],
            loaded_at=state.loaded_at.isoformat(),
            data=_lines_by_table(book),
            through={table: day.isoformat() for table, day in state.through.items()},
            ties=_ties(pages_made),
            rules=RULES,
            set_aside=_set_aside(book),
            unexplained=[f"{each.page.name}: {words}" for each in pages_made for words in each.unexplained],
        )
        _check_findings(pages_made, edition, request)
        for name in (FIGURES, REPORTS):
            (folder / name).mkdir()
        with progress("Writing files", list(writers.files(edition, pages_made, request.title))) as files:
            for path, content in files:
                (folder / path).write_bytes(content())
        edition = replace(edition, files=hashes_of(folder))
        seal = write_record(folder, edition)
    return Issued(root / "editions" / request.name, edition, seal)


def _set_aside(book: Book) -> dict[str, int]:
    counts: dict[str, int] = {}
    for loaded in book.state.files:
        if loaded.set_aside:
            counts[loaded.table] = counts.get(loaded.table, 0) + loaded.set_aside
    return counts


def _answers_by_page(pages: Sequence[Page], told: Mapping[str, str]) -> dict[str, dict[str, str]]:
    """Return each page's answers: of `NAME` for every page that asks it, or of `PAGE:NAME` for one."""
    by_page: dict[str, dict[str, str]] = {page.name: {} for page in pages}
    for whole, text in told.items():
        page_name, colon, name = whole.rpartition(":")
        taken = [page for page in pages if name in page.file.ask and (not colon or page.name == page_name)]
        if not taken:
            asked = sorted({question for page in pages for question in page.file.ask})
            allowed = listed(asked) if asked else "no answer: no page asks anything"
            raise UsageMistake(Mistake("no page asks this", "--answer", repr(whole), allowed, nearest(name, asked)))
        for page in taken:
            by_page[page.name][name] = text
    return by_page


def covers_words(book: Book, when: Mapping[str, str]) -> str:
    """Return what an edition is for: `2026-P08, 1–31 May 2026`."""
    option, text = next(iter(when.items()))
    calendar = book.calendars[""]
    if option == "as-of":
        return f"as of {day_words(date.fromisoformat(text))}"
    covered = calendar.find(text, f"--{option}", UsageMistake)
    return f"{covered}, {range_words(covered.first, covered.last)}"


def _lines_by_table(book: Book) -> dict[str, int]:
    found: dict[str, int] = {}
    for loaded in book.state.files:
        found[loaded.table] = found.get(loaded.table, 0) + loaded.lines
    return dict(sorted(found.items()))


def _flat(name: str) -> str:
    # A sign that no name holds, so that no two pages have one file.
    return name.replace("/", "_")


def _issued(book: Book, page: MadePage, formats: Sequence[str]) -> IssuedPage:
    name = _flat(page.page.name)
    return IssuedPage(
        name=page.page.name,
        title=page.table.title,
        words=list(page.words),
        answers={key: answer.text if answer else "" for key, answer in page.answers.items()},
        lock=lock_words(read_locks(book.file.root), page.page),
        sha256=page.page.sha256,
        figures=f"{FIGURES}/{name}.json",
        files=[f"{REPORTS}/{name}.{ending}" for ending in formats],
        findings=list(page.made.findings),
    )


def _ties(made: Sequence[MadePage]) -> list[str]:
    checks = tie_outs([PageMade(each.page, each.table, each.words) for each in made])
    wrong = [check.words for check in checks if not check.holds]
    if wrong:
        raise FoundMistake(*(Mistake("figures on two pages do not agree", got=words) for words in wrong))
    return [check.words for check in checks]


def _check_findings(made: Sequence[MadePage], edition: Edition, request: IssueRequest) -> None:
    lost = [each for each in made if each.table.proof is not None and not _adds_up(each.table.proof)]
    if lost:
        what = "its proof does not add up, so it is wrong"
        raise FoundMistake(*(Mistake(what, each.page.where) for each in lost))
    findings = [(page.name, words) for page in edition.pages for words in page.findings]
    if findings and not request.findings:
        step = "mend it, or issue with --with-findings, which says so in the edition"
        mistakes = [Mistake("found", name, words) for name, words in findings]
        raise FoundMistake(*mistakes[:-1], replace(mistakes[-1], next_step=step))
    if edition.unexplained and not request.unexplained:
        step = "explain it with `almanac explain`, or issue with --without-explanations, which says so in the edition"
        mistakes = [Mistake("a change needs an explanation", got=words) for words in edition.unexplained]
        raise FoundMistake(*mistakes[:-1], replace(mistakes[-1], next_step=step))


def _adds_up(proof: Proof) -> bool:
    return proof.adds_up and all(_adds_up(further) for further in proof.further)
