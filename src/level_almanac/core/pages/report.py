"""Which pages there are, as a report (docs/pages.md)."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import fields
from datetime import datetime
from typing import Any, NamedTuple

from level_almanac.core.book import Book
from level_almanac.core.calendar.date_text import moment_words
from level_almanac.core.table.model import Column, ReportTable, Row, heading
from level_almanac.errors import AlmanacError, how_many
from level_almanac.files.page_reading import built_in_names, page_names, read_page
from level_almanac.files.page_writing import lock_words, read_locks
from level_almanac.files.pages import BUILT_IN_GROUP, Page
from level_almanac.files.runs import kept_answers


class PageLine(NamedTuple):
    """One page in the list. page: None where its file cannot be read, of which `wrong` tells; lock: in words; last:
    when it was last run.
    """

    name: str
    page: Page | None
    lock: str = ""
    last: str = ""
    wrong: str = ""


def pages_report(book_name: str, lines: Sequence[PageLine]) -> ReportTable:
    """Return the list of pages in their groups, those that every book has last."""
    rows: list[Row] = []
    group = None
    for line in sorted(lines, key=lambda each: (each.page is not None and each.page.path is None, *_sorted(each.name))):
        group_name = line.name.rpartition("/")[0]
        if group_name != group:
            group = group_name
            own = line.page is None or line.page.path is not None
            words = (group or "without a group") if own else f"{group}, built in: copy them, or run them as they are"
            rows.append(heading(group, words))
        rows.append(Row(line.name, line.name.rpartition("/")[2], 1, "line", _cells(line)))
    own_pages = [line for line in lines if line.page is None or line.page.path is not None]
    note = f"This book has no pages yet: copy one with `almanac page copy {BUILT_IN_GROUP}/NAME GROUP/NAME`"
    built_in = len(lines) - len(own_pages)
    counts = f"{len(own_pages)} of the book" + (f", {built_in} built in" if built_in else "")
    return ReportTable(
        title=f"Pages of {book_name}",
        facts={"pages": str(len(own_pages))},
        subtitle=(f"{counts} · run one with `almanac page run GROUP/NAME`",),
        columns=(
            Column("about", "about", "text"),
            Column("report", "report", "text"),
            Column("asks", "asks for", "text"),
            Column("lock", "lock", "text"),
            Column("last", "last run", "text"),
        ),
        rows=tuple(rows),
        key_label="page",
        notes=() if own_pages else (f"{note}, or run a report and then `almanac page save GROUP/NAME`",),
    )


def _sorted(name: str) -> tuple[str, str]:
    group, _, last = name.rpartition("/")
    return group, last


def _cells(line: PageLine) -> Mapping[str, str]:
    if line.page is None:
        return {"about": f"CANNOT BE READ: {line.wrong}", "lock": line.lock, "last": line.last}
    file = line.page.file
    return {
        "about": file.about or file.title,
        "report": file.report,
        "asks": ", ".join(file.ask),
        "lock": line.lock,
        "last": line.last,
    }


class CheckedPage(NamedTuple):
    """A page that was checked: what is wrong, if anything, and how far the check went."""

    name: str
    mistakes: tuple[str, ...]
    how: str
    rows: int | None = None


def checked_report(book_name: str, checked: Sequence[CheckedPage]) -> ReportTable:
    """Return what is wrong with pages."""
    rows = []
    for each in checked:
        state = "WRONG" if each.mistakes else "right"
        rows.append(Row(each.name, each.name, 0, "line", {"state": state, "how": each.how, "rows": each.rows}))
        rows += [
            Row(f"{each.name}>{number}", words.partition("\n")[0], 1, "line")
            for number, words in enumerate(each.mistakes, 1)
        ]
    wrong = sum(bool(each.mistakes) for each in checked)
    return ReportTable(
        title=f"Check of the pages of {book_name}",
        facts={"pages": str(len(checked)), "wrong": str(wrong)},
        subtitle=(f"{how_many(len(checked), 'page')} looked at, {wrong} wrong",),
        columns=(Column("state", "state", "text"), Column("how", "how", "text"), Column("rows", "rows", "count")),
        rows=tuple(rows),
        key_label="page",
    )


def pages_table(book: Book, *, own: bool) -> ReportTable:
    """Return the list of pages. own: only the book's."""
    root = book.file.root
    locks, lines = read_locks(root), list[PageLine]()
    mine = page_names(root)
    for name in [*mine, *([] if own else [each for each in built_in_names() if each not in mine])]:
        runs = kept_answers(root, name)
        last = moment_words(datetime.fromisoformat(runs[-1].at)) if runs else ""
        try:
            page = read_page(root, name)
            lines.append(PageLine(name, page, lock_words(locks, page), last))
        except AlmanacError as error:
            lines.append(PageLine(name, None, "locked" if name in locks else "", last, str(error.mistakes[0])))
    return pages_report(book.settings.book.name, lines)


def pages_compared(one: Page, other: Page) -> ReportTable:
    """Return what two pages say otherwise: their report, options, questions and rules, key by key."""
    first, second = dict(_settings(one)), dict(_settings(other))
    keys = [*first, *(key for key in second if key not in first)]
    different = [key for key in keys if first.get(key) != second.get(key)]
    rows = [Row(key, key, 0, "line", {"one": first.get(key), "other": second.get(key)}) for key in different]
    same = len(keys) - len(different)
    alike = f"{how_many(same, 'setting')} {'is' if same == 1 else 'are'} the same on both"
    return ReportTable(
        title=f"What {one.name} and {other.name} say otherwise",
        facts={"one": one.name, "other": other.name, "different": str(len(different)), "same": str(same)},
        subtitle=(how_many(len(different), "setting") if different else "the two pages say the same",),
        columns=(Column("one", one.name, "text"), Column("other", other.name, "text")),
        rows=tuple(rows),
        key_label="setting",
        notes=(alike,),
    )


def _settings(page: Page) -> Iterator[tuple[str, str]]:
    """Yield everything that a page says, by the keys of its file."""
    file = page.file
    for key in ("report", "title", "about"):
        if value := getattr(file, key):
            yield key, value
    for name, value in file.options.items():
        yield f"options.{name}", _words(value)
    for name, question in file.ask.items():
        for each in fields(question):
            if value := getattr(question, each.name):
                yield f"ask.{name}.{each.name}", _words(value)
    if file.explain is not None:
        for each in fields(file.explain):
            yield f"explain.{each.name}", _words(getattr(file.explain, each.name))
    for number, tie in enumerate(file.ties, 1):
        words = ", ".join(f"{each.name} {value}" for each in fields(tie) if (value := getattr(tie, each.name)))
        yield f"ties.{number}", words


def _words(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return "; ".join(_words(each) for each in value)
    if isinstance(value, dict):
        # A part of a list that is there by an answer.
        return f"{value.get('words', '')} if {value.get('if', '')}"
    return str(value)
