"""The terminal report: facts above, figures, proof and notes below. Rules and weight tell a total, not colour.

A report is laid out as lines of plain text with a style for each run of it. A pipe or a file gets the text; Rich prints
it where there is a terminal.
"""

import re
import textwrap
from collections.abc import Iterator, Sequence
from decimal import Decimal
from typing import TYPE_CHECKING, NamedTuple

from level_almanac.core.table.model import Column, ReportTable, Row
from level_almanac.output.text import (
    ProofLine,
    cell_words,
    group_runs,
    is_negative,
    notes,
    proof_lines,
    subtitles,
)

if TYPE_CHECKING:
    from rich.console import Console

UNBOUND_WIDTH = 128
"""Columns of text where there is no terminal to ask."""
_LABEL_AT_LEAST = 24
_TEXT_AT_LEAST = 12
_LONG_HEAD = 14
_FIGURES = ("amount", "percent", "number", "count")
_TO_THE_RIGHT = (*_FIGURES, "date")


class Run(NamedTuple):
    """Some text in one style: a Rich style's name, or none."""

    text: str
    style: str = ""


Line = list[Run]


def text(table: ReportTable, width: int = UNBOUND_WIDTH) -> str:
    """Return the report as plain text, for a file or a pipe, its sheets one after another."""
    return "\n".join(_text(each, width) for each in table.all_sheets)


def _text(table: ReportTable, width: int) -> str:
    lines = ("".join([run.text for run in line]).rstrip() for line in lay_out(table, width, styled=False))
    return "".join(f"{line}\n" for line in lines)


def print_report(table: ReportTable, console: "Console") -> None:
    """Print the report as wide as the console is."""
    from rich.text import Text

    for number, each in enumerate(table.all_sheets):
        for line in [*([[]] if number else []), *lay_out(each, console.width)]:
            console.print(Text.assemble(*line), no_wrap=True, crop=False, overflow="ignore")


def lay_out(table: ReportTable, width: int, *, styled: bool = True) -> Iterator[Line]:
    """Yield the report's lines, in blocks of columns one under another where they do not fit side by side.

    styled: whether figures have their styles, which only a terminal shows.
    """
    yield [Run(table.title, "bold")]
    for words in page_lines(table):
        yield from ([Run(line, "dim")] for line in textwrap.wrap(words, width))
    layout = _Layout(table, styled=styled)
    blocks = layout.blocks(width)
    for number, block in enumerate(blocks, 1):
        yield []
        if len(blocks) > 1:
            words = (
                f"columns {block.first + 1} to {block.last} of {len(table.columns)}: too wide for {width} characters,"
                f" so in {len(blocks)} blocks, this is {number}"
            )
            yield from ([Run(line, "dim")] for line in textwrap.wrap(words, width))
        yield from layout.lines(block)
    yield []
    for name, lines in (("proof", proof_lines(table)), ("note", [ProofLine(words) for words in notes(table)])):
        for number, (words, wrong) in enumerate(lines):
            style = "bold" if wrong else "dim"
            head = name if name == "note" or not number else ""
            for step, line in enumerate(textwrap.wrap(words, width - 7)):
                yield [Run(f"{head if not step else '':<7}", "dim"), Run(line, style)]


def page_lines(table: ReportTable) -> list[str]:
    """Return what heads the report beneath its title: the book's own title and subtitle, and the report's facts."""
    page = table.look.page
    return [line for line in (page.title, page.subtitle, page.period_line) if line] + subtitles(table)


class _Block(NamedTuple):
    """Some of the columns side by side: from first up to last, each so wide, with this gap, and the labels' width."""

    first: int
    last: int
    widths: Sequence[int]
    gap: int
    label: int


class _Layout:
    """How the columns of one report are laid out."""

    def __init__(self, table: ReportTable, *, styled: bool) -> None:
        self.table, self.styled = table, styled
        keys = [len(row.key) for row in table.rows if _shows_key(row)] if table.show_keys else []
        self.key = max(keys) + 2 if keys else 0
        labels = (2 * row.level + len(row.label) for row in table.rows if not _spans(row))
        self.label = max([len(table.key_label), *labels])
        self.cells = [
            {c.key: cell_words(row.cells.get(c.key), c, row, table) for c in table.columns} for row in table.rows
        ]
        figures = [max([6, *(len(cells[column.key]) for cells in self.cells)]) for column in table.columns]
        # Where there is room a head stands as it is; where not, it breaks between words.
        heads = [max(len(line) for line in _head(column)) for column in table.columns]
        words = [max(len(word) for line in _head(column) for word in line.split()) for column in table.columns]
        words = [
            len(column.label) if column.kind == "percent" else word
            for column, word in zip(table.columns, words, strict=True)
        ]
        self.texts = [number for number, column in enumerate(table.columns) if column.kind == "text"]
        # A rule stands above what is added up, and not where no row has anything to stand beneath it.
        self.totalled = {
            key
            for row in table.rows
            if row.kind in ("subtotal", "total")
            for key, cell in row.cells.items()
            if cell is not None
        }
        self.wide = [max(pair) for pair in zip(figures, heads, strict=True)]
        self.narrow = [max(pair) for pair in zip(figures, words, strict=True)]

    def blocks(self, width: int) -> list[_Block]:
        """Return the blocks of columns that fit the width, as few as can be."""
        # Closer columns come before broken labels, and both before a second block.
        wrapped = min(self.label, max(_LABEL_AT_LEAST, self.label * 2 // 3))
        choices = [(self.wide, self.label, gap) for gap in (3, 2)]
        choices += [(self.narrow, self.label, gap) for gap in (3, 2, 1)]
        choices += [(self.narrow, wrapped, gap) for gap in (2, 1)]
        for widths, label, gap in choices:
            room = width - self.key - sum(widths) - gap * len(widths)
            if room >= label:
                return [_Block(0, len(widths), widths, gap, min(self.label, room))]
        for label, gap in ((self.label, 2), (wrapped, 1)):
            if widths := self._squeezed(width - self.key - label - gap * len(self.narrow)):
                return [_Block(0, len(widths), widths, gap, label)]
        blocks, first, widths = [], 0, self.narrow
        label = min(self.label, max(_LABEL_AT_LEAST, width // 3))
        while first < len(widths):
            last, used = first, self.key + label
            while last < len(widths) and (last == first or used + 2 + widths[last] <= width):
                used += 2 + widths[last]
                last += 1
            blocks.append(_Block(first, last, widths[first:last], 2, label))
            first = last
        return blocks

    def _squeezed(self, room: int) -> list[int]:
        """Return the widths with texts in lines one under another, so that all fits; none where even that does not."""
        least = {number: min(self.narrow[number], _TEXT_AT_LEAST) for number in self.texts}
        over = sum(self.narrow) - room
        spare = {number: self.narrow[number] - least[number] for number in self.texts}
        if over > sum(spare.values()) or not self.texts:
            return []
        widths = list(self.narrow)
        # The widest text gives way first.
        for _ in range(over):
            widest = max((number for number in self.texts if widths[number] > least[number]), key=lambda n: widths[n])
            widths[widest] -= 1
        return widths

    def lines(self, block: _Block) -> Iterator[Line]:
        """Yield the lines of one block: its heads, its rows, and the rules between them."""
        columns = self.table.columns[block.first : block.last]
        widths = block.widths
        yield from self._heads(block, columns)
        lead = " " * (self.key + block.label)
        before: Row | None = None
        for row, cells in zip(self.table.rows, self.cells, strict=True):
            if row.kind == "group":
                yield from self._group(row, lead, block, columns, first=before is None)
                before = None
                continue
            if row.kind == "blank":
                yield []
                before = None
                continue
            if before is not None and row.level == 0 and row.kind == "heading":
                yield []
            elif before is not None and before.kind != "total" and row.level == 0 and row.kind != "line":
                yield [Run(lead), *self._rule("─", block.gap, columns, widths)]
            yield from self._row(row, cells, block, columns)
            if row.kind == "total":
                yield [Run(lead), *self._rule("═", block.gap, columns, widths)]
            before = row

    def _group(self, row: Row, lead: str, block: _Block, columns: Sequence[Column], *, first: bool) -> Iterator[Line]:
        if not first:
            yield []
        yield []
        yield [Run(f"{row.label:<{len(lead)}}", "bold"), *self._rule("━", block.gap, columns, block.widths)]

    def _heads(self, block: _Block, columns: Sequence[Column]) -> Iterator[Line]:
        yield from self._group_heads(block, columns)
        # Labels stand on one line with each other, and so do the days and extents beneath them.
        labels = _raised([_wrap(_head(column)[0], width) for column, width in zip(columns, block.widths, strict=True)])
        below = _raised(
            [
                [line for words in _head(column)[1:] for line in _wrap(words, width)]
                for column, width in zip(columns, block.widths, strict=True)
            ]
        )
        steps = [(step, "bold") for step in zip(*labels, strict=True)]
        steps += [(step, "dim") for step in zip(*below, strict=True)]
        for number, (step, style) in enumerate(steps, 1):
            label = self.table.key_label if number == len(steps) else ""
            line = [Run(" " * self.key + f"{label:<{block.label}}", "dim")]
            for words, column, width in zip(step, columns, block.widths, strict=True):
                line += [Run(" " * block.gap), Run(_set(words, column, width), style)]
            yield line

    def _group_heads(self, block: _Block, columns: Sequence[Column]) -> Iterator[Line]:
        """Yield the heads that stand over several columns, each with a rule over all that it is of."""
        runs = group_runs(columns)
        if not any(head for head, _, _ in runs):
            return
        rooms = [sum(block.widths[first:last]) + block.gap * (last - first - 1) for _, first, last in runs]
        steps = _raised([_wrap(head, room) if head else [""] for (head, _, _), room in zip(runs, rooms, strict=True)])
        for number, step in enumerate(zip(*steps, strict=True), 1):
            line = [Run(" " * (self.key + block.label))]
            for words, (head, _, _), room in zip(step, runs, rooms, strict=True):
                ruled = f"{words} " if words and len(words) < room else words
                rule = "─" if head and number == len(list(zip(*steps, strict=True))) else " "
                line += [Run(" " * block.gap), Run(f"{ruled:{rule}<{room}}", "bold")]
            yield line

    def _row(self, row: Row, cells: dict[str, str], block: _Block, columns: Sequence[Column]) -> Iterator[Line]:
        style = "" if row.kind == "line" else "bold"
        indent = " " * (2 * row.level)
        # A heading has the line to itself.
        labels = [row.label] if _spans(row) else _wrap(row.label, block.label - len(indent))
        key = row.key if self.key and _shows_key(row) else ""
        texts = {
            column.key: _wrap(cells[column.key], width) if column.kind == "text" else [cells[column.key]]
            for column, width in zip(columns, block.widths, strict=True)
        }
        # Figures stand beside the label's last line, and what a long text goes on with beneath them.
        start = len(labels) - 1
        gap = " " * block.gap
        for number in range(start + max([1, *(len(lines) for lines in texts.values())])):
            label = labels[number] if number <= start else ""
            line = [
                Run(f"{key if not number else '':<{self.key}}", "dim"),
                Run(f"{indent + label if label else '':<{block.label}}", style),
            ]
            if number >= start and not _spans(row):
                if not self.styled and number == start:
                    whole = [
                        gap + _set(texts[c.key][0], c, width) for c, width in zip(columns, block.widths, strict=True)
                    ]
                    yield [*line, Run("".join(whole))]
                    continue
                for column, width in zip(columns, block.widths, strict=True):
                    lines = texts[column.key]
                    words = lines[number - start] if number - start < len(lines) else ""
                    told = self._style(row, column, style) if self.styled else ""
                    line.append(Run(gap + _set(words, column, width), told))
            yield line

    def _style(self, row: Row, column: Column, style: str) -> str:
        cell = row.cells.get(column.key)
        if isinstance(cell, Decimal | int) and not cell:
            return "dim"
        if self.table.look.style.negatives == "red" and is_negative(cell, column, row, self.table):
            # The minus says it; the colour only repeats it.
            return f"{style} red".strip()
        return style

    def _rule(self, rule: str, gap: int, columns: Sequence[Column], widths: Sequence[int]) -> Iterator[Run]:
        for column, width in zip(columns, widths, strict=True):
            ruled = column.kind in _FIGURES and column.key in self.totalled
            yield Run(" " * gap + (rule if ruled else " ") * width)


def _spans(row: Row) -> bool:
    """Tell whether a row is a heading that has the whole line to itself."""
    return row.kind == "heading" and not row.cells


def _shows_key(row: Row) -> bool:
    return row.kind == "line" and not row.key.startswith("earlier-")


def _wrap(words: str, width: int) -> list[str]:
    if len(words) <= width and words.isprintable() and words.strip() == words:
        return [words]
    return textwrap.wrap(words, max(width, 1)) or [""]


def _raised(stacks: list[list[str]]) -> list[list[str]]:
    height = max(len(stack) for stack in stacks)
    return [[""] * (height - len(stack)) + stack for stack in stacks]


def _set(words: str, column: Column, width: int) -> str:
    return f"{words:>{width}}" if column.kind in _TO_THE_RIGHT else f"{words:<{width}}"


def _head(column: Column) -> list[str]:
    # Long words of days break after their dash or comma, so that a column of years is no wider than one of days.
    covers = re.sub("–|, ", r"\g<0>\n", column.covers, count=1) if len(column.covers) > _LONG_HEAD else column.covers
    return [line.strip() for line in (column.label, *covers.split("\n"), column.extent) if line] or [""]
