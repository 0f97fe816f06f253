"""The terminal report: facts above, figures, proof and notes below. Rules and weight tell a total, not colour."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from decimal import Decimal
from io import StringIO
from typing import TYPE_CHECKING

from level_almanac.core.report_table import Column, ReportTable, Row
from level_almanac.output.words import cell_words, proof_lines

if TYPE_CHECKING:
    from rich.console import Console
    from rich.table import Table

UNBOUND_WIDTH = 128
"""Columns of text where there is no terminal to ask."""
_LABEL_AT_LEAST = 24
_FIGURES = ("amount", "percent", "count")
_TO_THE_RIGHT = (*_FIGURES, "date")


def text(table: ReportTable, width: int = UNBOUND_WIDTH) -> str:
    """Return the report as plain text, for a file or a pipe."""
    from rich.console import Console  # noqa: PLC0415  needed for no other format

    stream = StringIO()
    print_report(
        table, Console(file=stream, width=width, color_system=None, highlight=False, markup=False, emoji=False)
    )
    return "".join(f"{line.rstrip()}\n" for line in stream.getvalue().splitlines())


def print_report(table: ReportTable, console: "Console") -> None:
    """Print the report, in blocks of columns one under another where the console is too narrow for all of them."""
    from rich.text import Text  # noqa: PLC0415  as above

    console.print(Text(table.title, style="bold"))
    for line in table.subtitle:
        console.print(Text(line, style="dim"))
    layout = _Layout(table)
    blocks = layout.blocks(console.width)
    for number, block in enumerate(blocks, 1):
        console.print()
        if len(blocks) > 1:
            words = (
                f"columns {block.first + 1} to {block.last} of {len(table.columns)}, {number} of {len(blocks)} blocks"
            )
            console.print(Text(words, style="dim italic"))
        console.print(layout.grid(block))
    console.print()
    _print_below(table, console)


def _print_below(table: ReportTable, console: "Console") -> None:
    from rich.table import Table  # noqa: PLC0415  as above
    from rich.text import Text  # noqa: PLC0415  as above

    grid = Table.grid(padding=(0, 2, 0, 0))
    grid.add_column(width=5)
    grid.add_column(overflow="fold")
    proof = proof_lines(table.proof) if table.proof else []
    for name, lines in (("proof", proof), ("note", table.notes)):
        for number, line in enumerate(lines):
            style = "bold" if line.startswith("DOES NOT") else "dim"
            grid.add_row(Text(name if name == "note" or not number else "", style="dim"), Text(line, style=style))
    console.print(grid)


@dataclass(frozen=True, slots=True)
class _Block:
    """Some of the columns side by side: from first up to last, with this gap and this width for the labels."""

    first: int
    last: int
    gap: int
    label: int


class _Layout:
    """How the columns of one report are laid out."""

    def __init__(self, table: ReportTable) -> None:
        self.table = table
        self.key = (
            max((len(row.key) for row in table.rows if self._shows_key(row)), default=0) if table.show_keys else 0
        )
        labels = [2 * row.level + len(row.label) for row in table.rows]
        self.label = max([len(table.key_label), *labels])
        self.widths = [self._width(column) for column in table.columns]

    def _shows_key(self, row: Row) -> bool:
        return row.kind == "line" and not row.key.startswith("earlier-")

    def _width(self, column: Column) -> int:
        cells = [len(cell_words(row.cells.get(column.key), column)) for row in self.table.rows]
        # A head breaks between words, so only its longest word asks for room.
        head = max(len(word) for line in _head(column) for word in line.split())
        return max([*cells, head, len(column.label) if column.kind == "percent" else 6])

    def blocks(self, width: int) -> list[_Block]:
        """Return the blocks of columns that fit the width, as few as can be."""
        fixed = self.key + 2 if self.key else 0
        # Closer columns come before broken labels, and both before a second block.
        wrapped = min(self.label, max(_LABEL_AT_LEAST, self.label * 2 // 3))
        for label, gap in ((self.label, 3), (self.label, 2), (self.label, 1), (wrapped, 2), (wrapped, 1)):
            room = width - fixed - sum(self.widths) - gap * len(self.widths)
            if room >= label:
                return [_Block(0, len(self.widths), gap, min(self.label, room))]
        blocks, first = [], 0
        label = min(self.label, max(_LABEL_AT_LEAST, width // 3))
        while first < len(self.widths):
            last, used = first, fixed + label
            while last < len(self.widths) and (last == first or used + 2 + self.widths[last] <= width):
                used += 2 + self.widths[last]
                last += 1
            blocks.append(_Block(first, last, 2, label))
            first = last
        return blocks

    def grid(self, block: _Block) -> "Table":
        """Return one block as a table of texts."""
        from rich.padding import Padding  # noqa: PLC0415  as above
        from rich.table import Table  # noqa: PLC0415  as above
        from rich.text import Text  # noqa: PLC0415  as above

        columns = self.table.columns[block.first : block.last]
        widths = self.widths[block.first : block.last]
        grid = Table(box=None, padding=(0, 0, 0, 0), show_header=True, header_style="", pad_edge=False)
        if self.key:
            grid.add_column("", width=self.key + 2, no_wrap=True)
        grid.add_column(Text(self.table.key_label, style="dim"), width=block.label, vertical="top")
        for column, width in zip(columns, widths, strict=True):
            justify = "right" if column.kind in _TO_THE_RIGHT else "left"
            head = Text(justify=justify)  # type: ignore[arg-type]  # one of the two above
            for number, line in enumerate(_head(column)):
                head.append("\n" if number else "").append(line, style="bold" if number == 0 else "dim")
            grid.add_column("", width=block.gap)
            grid.add_column(head, width=width, justify=justify, no_wrap=False, vertical="bottom")  # type: ignore[arg-type]
        for each in grid.columns:
            each.vertical = "bottom"
        lead = [""] * (2 if self.key else 1)
        for rule, row in self._with_rules():
            if row is None and rule:
                grid.add_row(*lead, *self._rule(rule, columns, widths))
            if row is None:
                continue
            style = "bold" if row.kind != "line" else ""
            label = Padding(Text(row.label), (0, 0, 0, 2 * row.level))
            key = [Text(row.key if self._shows_key(row) else "", style="dim")] if self.key else []
            cells: list[str | Text] = []
            for column in columns:
                cell = row.cells.get(column.key)
                quiet = isinstance(cell, Decimal | int) and not cell
                cells += ["", Text(cell_words(cell, column), style="dim" if quiet else "")]
            grid.add_row(*key, label, *cells, style=style)
        return grid

    def _with_rules(self) -> Iterator[tuple[str, Row | None]]:
        before: Row | None = None
        for row in self.table.rows:
            if before is not None and row.level == 0 and row.kind != "line":
                after_total = before.kind == "total"
                yield (" " if row.kind == "heading" else "" if after_total else "─"), None
            yield "", row
            if row.kind == "total":
                yield "═", None
            before = row

    def _rule(self, rule: str, columns: Sequence[Column], widths: Sequence[int]) -> Iterator[str]:
        for column, width in zip(columns, widths, strict=True):
            yield ""
            yield rule * width if column.kind in _FIGURES else ""


def _head(column: Column) -> list[str]:
    # A range may break after its dash, where both halves are days.
    covers = column.covers.replace("–", "– ") if len(column.covers) > 14 else column.covers
    return [line for line in (column.label, covers, column.extent) if line] or [""]
