"""`almanac new DIR --from FOLDER`: a book from a folder of exports in one go."""

import re
import shutil
import sys
from collections.abc import Sequence
from pathlib import Path

import click

from level_almanac.api.loading import load_book
from level_almanac.cli.propose import told_of
from level_almanac.cli.reports import warn
from level_almanac.cli.say import progress_shown, say
from level_almanac.cli.session import session_of
from level_almanac.cli.show import OutputRequest, show
from level_almanac.core.book import Book
from level_almanac.errors import BookMistake, Mistake, UsageMistake, listed
from level_almanac.files.book_writing import add_blocks
from level_almanac.files.new_book import NewBook, write_book
from level_almanac.files.outside import BOOK_FILE
from level_almanac.files.tables import BUILT_IN
from level_almanac.intake.proposing.propose import Proposed, exports_in, looked_at, proposed_for, whole_text
from level_almanac.intake.proposing.starting import FolderTells, told_by
from level_almanac.shown_text import visible
from level_almanac.whole_file import write_whole

PROPOSED = "proposed.toml"
"""Where the blocks stand that could not be written into the book as they are."""
NO_YEAR = "YEAR"


def start_from(ctx: click.Context, folder: Path, source: Path, asked: NewBook, given: set[str], year: str) -> None:
    """Start a book from a folder of exports: propose for all, ask what they do not tell, write and load.

    given: the options that the person gave; year: of plans that tell none. Raises BookMistake where what was proposed
    is not whole, or does not load; the book and the blocks are there then, to go on from.
    """
    named = _named(folder, source)
    if not named:
        raise UsageMistake(Mistake("no file there can be an export", "--from", repr(str(source))))
    groups = looked_at(named)
    tells = told_by(proposed_for(groups, dict(BUILT_IN), ()))
    entities = (asked.entity,) if "entity" in given or not tells.entities else tells.entities
    found = proposed_for(groups, dict(BUILT_IN), entities)
    _set_year(found, year)
    book = _settled(asked, tells, given)
    for path in write_book(folder, book):
        say(f"wrote {path}")
    for path, name in named:
        target = folder / name
        if path.resolve() != target.resolve():
            target.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(path, target)
    text = whole_text(found)
    for words in told_of(found):
        say(words)
    try:
        add_blocks(folder, text)
    except BookMistake:
        write_whole(folder / PROPOSED, text)
        say(f"What is proposed stands in {folder / PROPOSED}: mend it, and put it into {folder / BOOK_FILE}.")
        raise
    say()
    opened = Book.open(folder, session_of(ctx).engine)
    with progress_shown("loading"):
        done = load_book(opened)
    warn(done.warnings)
    show(ctx, done.table, OutputRequest())
    _say_next(folder, found)


def _named(folder: Path, source: Path) -> list[tuple[Path, str]]:
    """Return each export with its place in the book."""
    within = source.resolve().is_relative_to(folder.resolve())
    base = folder.resolve() if within else source.resolve()
    ahead = "" if within else "exports/"
    return [(path, ahead + path.resolve().relative_to(base).as_posix()) for path in exports_in([source])]


def _settled(asked: NewBook, tells: FolderTells, given: set[str]) -> NewBook:
    """Return what the book says at first: what was given, what the exports tell, and what the person answers."""
    book = asked
    if tells.entities and "entity" not in given:
        first, *further = tells.entities
        name = asked.entity_name if "entity_name" in given else first
        book = book._replace(entity=first, entity_name=name, further=tuple(further))
    if "year_start" not in given:
        question = "On which day does the fiscal year begin, as MM-DD?"
        start = tells.year_start or _answer(question, asked.year_start, _MONTH_DAY)
        why = "as the periods of the exports have it" if tells.year_start else "as long as almanac.toml says so"
        say(f"the fiscal year begins on {start}, {why}")
        book = book._replace(year_start=start)
    if "retained_earnings" not in given and tells.equity:
        book = book._replace(retained_earnings=_retained(tells))
    return book._replace(extra_periods=tells.extra_periods)


def _retained(tells: FolderTells) -> str:
    accounts = tells.equity
    chosen = accounts[0].code
    if len(accounts) > 1 or not accounts[0].likely:
        known = listed(f"{each.code} {each.name}" for each in accounts[:8])
        codes = "|".join(re.escape(each.code) for each in accounts)
        chosen = _answer(f"Which account takes the results of finished years: {known}?", chosen, codes)
    name = next((each.name for each in accounts if each.code == chosen), "")
    say(f"finished years' results go to {chosen} {name}".rstrip())
    return chosen


def _answer(question: str, default: str, fits: str) -> str:
    """Return what the person answers at a terminal; elsewhere, or for no answer, the default.

    fits: the expression of what an answer can be; another is asked for again.
    """
    if not (sys.stdin.isatty() and sys.stderr.isatty()):
        return default
    while True:
        told = str(click.prompt(visible(question), default=default, show_default=bool(default), err=True)).strip()
        if re.fullmatch(fits, told):
            return told
        say(f"{told!r} is no answer to that.")


_MONTH_DAY = r"(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])"
_FOUR_FIGURES = r"(19|20|21)\d\d"


def _set_year(found: Sequence[Proposed], year: str) -> None:
    """Put the fiscal year into blocks that need one and do not know it; raise UsageMistake where nobody tells."""
    for each in found:
        for block in each.blocks:
            if block.keys.get("year") != NO_YEAR:
                continue
            name = each.group.first.name
            told = year or _answer(f"Which fiscal year is {name} of?", "", _FOUR_FIGURES)
            if not re.fullmatch(_FOUR_FIGURES, told):
                raise UsageMistake(
                    Mistake(f"nothing tells the fiscal year of {name}", "--year", repr(told), "one as 2026")
                )
            block.keys["year"] = int(told)
            block.unsure = [words for words in block.unsure if not words.startswith("year:")]


def _say_next(folder: Path, found: Sequence[Proposed]) -> None:
    tables = list(dict.fromkeys(block.keys["table"] for each in found for block in each.blocks))
    asks = {
        "ledger": "trial",
        "payables": "aging payable",
        "receivables": "aging receivable",
        "budget": "statement income",
    }
    say("Next:")
    for table in tables:
        if table in asks:
            say(f"  almanac --book {folder} {asks[table]}")
    if "ledger" in tables:
        say("Say in [entry_classes] which lines are carried forward, closing or adjusting entries, if there are any.")
    if any(each.unsure for each in found):
        say(f"Look at what was unsure above: the blocks stand in {folder / BOOK_FILE}.")
