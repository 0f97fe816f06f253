"""Compare an edition with another or with the book as it is now: every figure that differs, and why."""

import difflib
import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import moment_words
from level_almanac.core.editions.compare_report import ChangedDefinition, ComparedPage, Comparison
from level_almanac.core.editions.figure_lines import (
    COUNT,
    FigureChange,
    Share,
    derived_shares,
    effects,
    is_followed,
    shares_in,
)
from level_almanac.core.editions.frozen import LineNames, changed_tables, frozen_book, line_names, narrowed
from level_almanac.core.editions.issued_figures import (
    CellKey,
    IssuedFigure,
    Moved,
    figures_in,
    moved_figures,
    summed_difference,
)
from level_almanac.core.editions.rules import RULES, rules_notes
from level_almanac.core.pages.running import MadePage, PageRun, run_page
from level_almanac.core.reports.definition import Tracing
from level_almanac.core.table.model import Column, ReportTable, Row
from level_almanac.core.trace.request import TraceRequest
from level_almanac.errors import AlmanacError, UsageMistake
from level_almanac.files.editions import Edition, IssuedPage, broken_files, definitions_of, read_edition
from level_almanac.files.engines import EngineChoice
from level_almanac.files.layout_reading import layout_texts
from level_almanac.files.outside import BOOK_FILE, place_of
from level_almanac.files.page_reading import read_page
from level_almanac.files.reading import read_book
from level_almanac.immutable import immutable
from level_almanac.progress import tell

_FOLLOWS = "follows from others"
_ON_PAGE = "told by the lines of the page"
"""Why no trace tells of a figure: it is made of other figures, or the report lists the lines itself."""
Shares = dict[str, dict[str, Share]]
Figures = Callable[[ReportTable], dict[str, Any]]
"""Makes a report's figures, in its JSON shape."""


@immutable
class ComparedSide:
    """What an edition is compared with. book: its definitions and data; record: of the edition that it is, if it is
    one; folder: of that; words: in words.
    """

    book: Book
    words: str
    record: Edition | None = None
    folder: Path | None = None


def side_of(folder: Path, choice: EngineChoice) -> ComparedSide:
    """Return an edition as a side of a comparison. choice: the engine that computes it."""
    record = read_edition(folder)
    issued = datetime.fromisoformat(record.issued_at)
    words = f"edition {record.name}, issued {moment_words(issued)}"
    return ComparedSide(frozen_book(folder, issued, choice), words, record, folder)


def side_now(book: Book) -> ComparedSide:
    """Return the book as it is now as a side of a comparison."""
    loaded = book.state.loaded_at.astimezone(book.zone)
    return ComparedSide(book, f"the book as it is now, loaded {moment_words(loaded)}")


def compared(before: ComparedSide, after: ComparedSide, figures: Figures) -> Comparison:
    """Return what differs between an edition and another side, page by page. Raises what opening the books raises."""
    assert before.record is not None  # noqa: S101  the earlier side is always an edition
    assert before.folder is not None  # noqa: S101  as above
    old, record = before.book, before.record
    issued = datetime.fromisoformat(record.issued_at)
    # The old definitions over the new data tell what the data alone moved.
    middle = Book(read_book(old.file.root), after.book.store, issued, as_placed=True, choice=after.book.choice)
    # By the clock of the edition, so that words such as `today` mean the same day on both sides.
    new = Book(after.book.file, after.book.store, issued, choice=after.book.choice)
    narrow = narrowed(old, middle)
    tables = changed_tables(old, new)
    definitions = list(_definitions(before, after))
    notes = []
    if broken_files(before.folder, record):
        notes.append(
            f"THE EDITION IS NOT AS IT WAS ISSUED: `almanac edition verify {record.name}` tells what was changed"
        )
    if after.record is not None and after.record.when != record.when:
        notes.append(f"{after.record.name} was issued for {after.record.covers}; here it is made for {record.covers}")
    if old.state.rules != new.state.rules:
        notes.append(
            "The rules of entry classes, the calendar or a currency changed: lines are classed by the later ones"
        )
    known, books = line_names(tables), (old, middle, new)
    pages = []
    for number, page in enumerate(record.pages):
        tell(f"{page.name}, {number + 1} of {len(record.pages)}")
        each = _Page(before.folder, record, page, books, narrow, known, figures, changed=bool(definitions))
        pages.append(each.compared())
    notes += rules_notes(record, sum(page.by_rules for page in pages))
    loads = {
        loaded.path: _moment(loaded.taken_at or new.state.loaded_at.isoformat(), new) for loaded in new.state.files
    }
    return Comparison(record.name, before.words, after.words, tables, definitions, pages, loads, notes)


def _moment(text: str, book: Book) -> str:
    return moment_words(datetime.fromisoformat(text).astimezone(book.zone))


def _definitions(before: ComparedSide, after: ComparedSide) -> Iterator[ChangedDefinition]:
    """Yield the files of definitions that the edition keeps and that are not the same on the other side."""
    assert before.record is not None  # noqa: S101  the earlier side is always an edition
    assert before.folder is not None  # noqa: S101  as above
    mine = definitions_of(before.folder, before.record)
    theirs = _texts(after, [page.name for page in before.record.pages])
    for path, text in sorted(mine.items()):
        other = theirs.get(path)
        if other is None:
            yield ChangedDefinition(path, "removed")
        elif other != text:
            lines = difflib.unified_diff(text.splitlines(), other.splitlines(), lineterm="", n=0)
            told = [line for line in list(lines)[2:] if line[:1] in "+-" and line[1:].strip()]
            yield ChangedDefinition(path, "changed", told)
    for path in sorted(set(theirs) - set(mine)):
        yield ChangedDefinition(path, "added")


def _texts(side: ComparedSide, pages: Sequence[str]) -> dict[str, str]:
    if side.record is not None and side.folder is not None:
        own = {f"pages/{name}.toml" for name in pages}
        texts = definitions_of(side.folder, side.record)
        return {path: text for path, text in texts.items() if not path.startswith("pages/") or path in own}
    root = side.book.file.root
    texts = {f"layouts/{name}.toml": text for name, text in layout_texts(root).items()}
    for name in pages:
        try:
            texts[f"pages/{name}.toml"] = read_page(root, name).text
        except AlmanacError:
            continue
    settings = side.book.settings
    calendars = [each.file for each in (settings.calendar, *settings.calendars.values()) if each.file]
    for told in (BOOK_FILE, *calendars):
        path = place_of(root, told, "calendar.file")
        if path.is_file():
            texts[told] = path.read_text(encoding="utf-8", errors="replace")
    return texts


def _columns(
    before: Mapping[CellKey, IssuedFigure], after: Mapping[CellKey, IssuedFigure]
) -> tuple[list[str], set[str]]:
    """Return in words which columns only one side of a page has, and the keys of those that both have."""
    labels = [{figure.column: figure.column_label for figure in side.values()} for side in (before, after)]
    both = set(labels[0]) & set(labels[1])
    alone = []
    for words, side in zip(("only before", "only after"), labels, strict=True):
        alone_labels = [label for key, label in side.items() if key not in both]
        alone += [f"columns {words}: {'; '.join(alone_labels)}"] if alone_labels else []
    return alone, both


class _Page:
    """One page of an edition, compared. books: as issued; its definitions over the later data; the later ones over it.

    narrow: the first two, for tracing; names: what traces call the changed lines; changed: whether any
    definition changed.
    """

    def __init__(
        self,
        folder: Path,
        record: Edition,
        page: IssuedPage,
        books: tuple[Book, Book, Book],
        narrow: tuple[Book, Book],
        names: LineNames,
        figures: Figures,
        *,
        changed: bool,
    ) -> None:
        self.page, self.books, self.names, self.figures, self.changed = page, books, names, figures, changed
        self.narrow = narrow
        self.run = PageRun(page.answers, record.when, issued=True)
        self.folder, self.rules = folder, record.rules
        self.issued: dict[CellKey, IssuedFigure] = {}
        self.kept: dict[tuple[int, str, str], Shares] = {}
        self.sides: dict[int, MadePage] = {}

    def compared(self) -> ComparedPage:
        """Run it on the later side, and tell what differs and why."""
        name, title = self.page.name, self.page.title
        try:
            self.issued = figures_in(json.loads((self.folder / self.page.figures).read_text(encoding="utf-8")))
            by_rules = self._by_rules()
            self.made = self.sides[1] = self._made(1)
            middle = figures_in(self.figures(self.made.table))
        except AlmanacError as error:
            return ComparedPage(name, title, len(self.issued), failed=str(error))
        except (OSError, ValueError, KeyError, TypeError) as error:
            return ComparedPage(name, title, 0, failed=f"its figures cannot be read: {error}")
        last, lost = middle, list[str]()
        if self.changed:
            try:
                last = figures_in(self.figures(self._made(2).table))
            except AlmanacError as error:
                first = str(error).partition("\n")[0]
                lost = [f"the later definitions do not make it, so only changed lines are told of: {first}"]
        by_data = {(each.figure.row, each.figure.column): each for each in moved_figures(self.issued, middle)}
        alone, both = _columns(self.issued, last)
        before, after = ({place: each[place] for place in each if place[1] in both} for each in (self.issued, last))
        found = [
            self._explained(moved, by_data.get((moved.figure.row, moved.figure.column)))
            for moved in moved_figures(before, after)
        ]
        amount = summed_difference(before, after)
        return ComparedPage(name, title, len({*before, *after}), amount, found, [*lost, *alone], by_rules=by_rules)

    def _by_rules(self) -> int:
        """Take what was issued as the rules of today make it, and return how many figures these changed."""
        if self.rules == RULES:
            return 0
        self.sides[0] = self._made(0)
        issued, self.issued = self.issued, figures_in(self.figures(self.sides[0].table))
        return len(list(moved_figures(issued, self.issued)))

    def _made(self, number: int) -> MadePage:
        book = self.books[number]
        run = self.run
        page = read_page(book.file.root, self.page.name)
        if number == 2:
            # The page may ask otherwise now: only what it still asks is answered as it was.
            told = {name: text for name, text in run.told.items() if name in page.file.ask}
            run = PageRun(told, run.when, issued=True)
        return run_page(book, page, run)

    def _explained(self, moved: Moved, data: Moved | None) -> FigureChange:
        if data is None:
            return FigureChange(moved, None, ())
        if data.difference is None:
            return FigureChange(moved, data, (), "no number")
        try:
            before = self._shares(0, data.before)
            after = self._shares(1, data.after)
        except UsageMistake:
            return FigureChange(moved, data, (), _FOLLOWS if self.tracing else _ON_PAGE)
        found = effects(before, after, self.names.altered)
        return FigureChange(
            moved, data, tuple(each._replace(key=self.names.whole.get(each.key, each.key)) for each in found)
        )

    def _shares(self, number: int, figure: IssuedFigure | None) -> dict[str, Share]:
        """Return what each line adds to a figure; raise UsageMistake where it is no sum of lines."""
        if figure is None or figure.value is None:
            return {}
        column = next((each for each in self.made.table.columns if each.key == figure.column), None)
        if column is None or self.tracing is None:
            raise UsageMistake
        return self._of_column(number, figure, column)

    def _of_column(self, number: int, figure: IssuedFigure, column: Column) -> dict[str, Share]:
        row = next((each for each in self.made.table.rows if each.key == figure.row), Row(figure.row, "", 0, "line"))
        if is_followed(column, row):
            raise UsageMistake
        if column.derived is not None:
            columns = {each.key: each for each in self.made.table.columns}
            factor = row.favourable if column.derived.favourable else 1
            of, over = (
                self._of_column(number, figure._replace(column=key), columns[key])
                for key in (column.derived.of, column.derived.over)
            )
            return derived_shares(of, over, factor)
        assert self.tracing is not None  # noqa: S101  asked before
        whole = self.tracing.whole_rows and not column.scenario
        by_column = "column" in self.tracing.options and not whole and not self.made.made.by_row
        shares = self._traced(number, figure.row, column.key if by_column else "")
        if "" in shares:
            return shares[""]
        if column.key in shares:
            return shares[column.key]
        amounts = [key for key in shares if shares[key] and key != COUNT]
        if len(amounts) == 1 and not whole and column.kind == "amount":
            return shares[amounts[0]]
        raise UsageMistake

    def _traced(self, number: int, row: str, column: str) -> Shares:
        """Return the shares in the trace of a row, or of one figure of it; none where that side lacks the row."""
        asked = (number, row, column)
        if asked not in self.kept:
            if number == 0 and not any(place[0] == row for place in self.issued):
                return {"": {}}
            self.kept[asked] = shares_in(self._trace(number, row, column))
        return self.kept[asked]

    @property
    def tracing(self) -> Tracing | None:
        """How the page's figures are traced, where they are."""
        found = self.made.report.tracing
        return found if found is not None and found.figures else None

    def _trace(self, number: int, row: str, column: str) -> ReportTable:
        """Return the trace of one figure; each side's report is made once."""
        side = self.sides.get(number) or self._made(number)
        self.sides[number] = side
        whole = self.tracing is not None and self.tracing.whole_rows
        asked = TraceRequest(row=row, column=column, level="line" if whole else None)
        return side.report.traced(self.narrow[number], side.made, asked)
