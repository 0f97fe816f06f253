"""PDF: header and footer with page n of m, heads repeated on each page, a new page for each group."""

import io
from collections.abc import Iterator, Sequence
from itertools import accumulate
from typing import TYPE_CHECKING, Any

from level_almanac.core.table.model import Column, ReportTable, Row
from level_almanac.core.table.style import Look
from level_almanac.output.logo import png_of
from level_almanac.output.pdf_style import BOLD, INK, QUIET, RED, REGULAR, RULE, colour_of, known_fonts, known_width
from level_almanac.output.terminal import page_lines
from level_almanac.output.text import cell_words, group_runs, is_negative, notes, prepared_words, proof_lines, shortened

if TYPE_CHECKING:
    from level_almanac.output.drawing import Draw, Picture
    from level_almanac.output.pdf_rows import PlainRow

MM = 72 / 25.4
_SIZES = tuple(half / 2 for half in range(28, 11, -1))
"""Type sizes in points, the largest that fits being used, of those that are asked for."""
_UPRIGHT = 3
"""How many sizes are tried before the page is turned."""
_SPLIT_AT = 7.5
"""The size where columns do not fit in any."""
_CLOSE = 6.5
"""The type size from which down columns stand closer together."""
_SHORT_HEAD = 14
_AT_ONCE = 250
"""How many rows are laid out for a page: none holds more, in most cases, and each that is has its cost."""


def _gap(size: float) -> float:
    return 9.0 if size > _CLOSE else 4.5


def pdf(table: ReportTable, draw: "Draw | None" = None) -> bytes:
    """Return the report as a PDF, each of its sheets begun on a page of its own. draw: draws charts."""
    return pages_of([Document(each, draw) for each in table.all_sheets])


def pages_of(documents: Sequence["Document"]) -> bytes:
    """Return documents one after another as one PDF."""
    from reportlab.platypus import BaseDocTemplate, NextPageTemplate, PageBreak

    first = documents[0]
    stream = io.BytesIO()
    whole = BaseDocTemplate(
        stream, pagesize=first.page, title=first.table.title, author=first.table.facts.get("entity_name", ""),
        invariant=True,
    )  # fmt: skip
    story: list[Any] = []
    for number, each in enumerate(documents):
        whole.addPageTemplates([page_template(f"page{number}", each, each.page, each.margin)])
        story += [*([NextPageTemplate(f"page{number}"), PageBreak()] if number else []), *each.story()]
    whole.build(story, canvasmaker=numbering())
    return stream.getvalue()


def picture_of(table: ReportTable) -> "Picture":
    """Return the chart that stands in the document of a report, as that tells it."""
    from level_almanac.output.drawing import Picture

    # Packed by the document itself: a PNG would be packed, and unpacked again, for nothing.
    return Picture(table, "tif", bare=True, dpi=180)


class Document:
    """Lays one report out on pages."""

    def __init__(self, table: ReportTable, draw: "Draw | None" = None) -> None:
        from reportlab.lib import pagesizes

        known_fonts()
        self.table, self._draw = shortened(table), draw
        page = table.look.page
        self.paper: tuple[float, float] = getattr(pagesizes, page.paper.upper())
        self.margin = page.margins * MM
        self.heads = [(column.label, column.covers, column.extent) for column in table.columns]
        self.cells = [
            [cell_words(row.cells.get(column.key), column, row, table) for column in table.columns]
            for row in table.rows
        ]
        self.size, self.widths, self.blocks = self._fit()
        # Measured once: each row of a long report asks for them.
        self.label_width, self.key_width = self._label_width(self.size), self._key_width(self.size)

    def _width(self, words: str, size: float, *, bold: bool = False) -> float:
        return known_width(words, BOLD if bold else REGULAR) * size

    def _label_width(self, size: float) -> float:
        labels = [self._width(row.label, size, bold=row.kind != "line") + row.level * size for row in self.table.rows]
        return min(max([*labels, 60.0]), 230.0) + 4

    def _column_widths(self, size: float, *, wide: bool = False) -> list[float]:
        """Return how wide each column is. wide: so that no line of its head is broken."""
        widths = []
        for at, (column, head) in enumerate(zip(self.table.columns, self.heads, strict=True)):
            rows = zip(self.cells, self.table.rows, strict=True)
            cells = [self._width(cells[at], size, bold=row.kind != "line") for cells, row in rows]
            pieces = [piece for words in head for piece in ([words] if wide else _pieces(words))]
            longest = [self._width(piece, size - 1, bold=True) for piece in pieces]
            widths.append(max([*cells, *longest, 4 * size if column.kind != "text" else 0.0]) + _gap(size))
        return widths

    def _fit(self) -> tuple[float, list[float], list[tuple[int, int]]]:
        """Return type size, widths and the blocks of columns that fit the page, turned if that is left open."""
        page = self.table.look.page
        tried = [size for size in _SIZES if size <= page.font_size]
        ways = {"portrait": [False], "landscape": [True], "auto": [False, True]}[page.orientation]
        for landscape in ways:
            width, height = sorted(self.paper, reverse=landscape)
            room = width - 2 * self.margin
            sizes = tried[:_UPRIGHT] if page.orientation == "auto" and not landscape else tried
            for size, wide in ((size, wide) for size in sizes for wide in (True, False)):
                widths = self._column_widths(size, wide=wide)
                if self._label_width(size) + self._key_width(size) + sum(widths) <= room:
                    self.page = (width, height)
                    return size, widths, [(0, len(self.table.columns))]
        width, height = sorted(self.paper, reverse=ways[-1])
        self.page = (width, height)
        size = min(_SPLIT_AT, float(page.font_size))
        widths = self._column_widths(size)
        return size, widths, self._split(width - 2 * self.margin, size, widths)

    def _split(self, room: float, size: float, widths: Sequence[float]) -> list[tuple[int, int]]:
        blocks, first, used = [], 0, self._label_width(size) + self._key_width(size)
        front = used
        for at, width in enumerate(widths):
            if used + width > room and at > first:
                blocks.append((first, at))
                first, used = at, front
            used += width
        return [*blocks, (first, len(self.table.columns))]

    def _key_width(self, size: float) -> float:
        keys = [self._width(row.key, size) for row in self.table.rows if row.kind == "line"]
        return max([*keys, 0.0]) + 6 if self.table.show_keys else 0.0

    def paragraph(self, words: str, size: float, color: str, *, bold: bool = False, after: float = 0) -> Any:
        """Return words as they are to be set."""
        from xml.sax.saxutils import escape

        from reportlab.lib.styles import ParagraphStyle
        from reportlab.platypus import Paragraph

        font = BOLD if bold else REGULAR
        style = ParagraphStyle(
            "words", fontName=font, fontSize=size, leading=size * 1.35, textColor=color, spaceAfter=after
        )
        return Paragraph(escape(words), style)

    def story(self) -> Iterator[Any]:
        """Yield what the document is made of, from its title on."""
        from reportlab.platypus import PageBreak, Spacer

        if self.table.look.logo is not None:
            yield self._logo()
        yield self.paragraph(self.table.title, 14, INK, bold=True, after=3)
        for line in page_lines(self.table):
            yield self.paragraph(line, 8, QUIET)
        yield Spacer(0, 10)
        if self.table.chart is not None:
            yield self._chart()
            yield Spacer(0, 10)
        for number, (first, last) in enumerate(self.blocks):
            if number:
                yield PageBreak()
            if len(self.blocks) > 1:
                words = f"columns {first + 1} to {last} of {len(self.table.columns)}"
                yield self.paragraph(words, 7, QUIET, after=3)
            for part, rows in enumerate(_groups(self.table.rows)):
                if part:
                    yield PageBreak()
                yield self._grid(rows, first, last)
        yield Spacer(0, 10)
        yield from self._below()

    def _below(self) -> Iterator[Any]:
        for words, wrong in proof_lines(self.table):
            yield self.paragraph(f"proof   {words}", 7, RED if wrong else QUIET, bold=wrong)
        for line in notes(self.table):
            yield self.paragraph(f"note    {line}", 7, QUIET)

    def _logo(self) -> Any:
        from reportlab.lib.utils import ImageReader
        from reportlab.platypus import Image

        assert self.table.look.logo is not None  # noqa: S101  asked for only where there is one
        png = png_of(self.table.look.logo)
        wide, high = ImageReader(io.BytesIO(png)).getSize()
        scale = min(40 / high, 160 / wide)
        image = Image(io.BytesIO(png), wide * scale, high * scale, hAlign="RIGHT")
        image.spaceAfter = -high * scale
        return image

    def _chart(self) -> Any:
        from reportlab.lib.utils import ImageReader
        from reportlab.platypus import Image

        from level_almanac.output.drawing import drawn_here

        picture = io.BytesIO((self._draw or drawn_here)(picture_of(self.table)))
        wide, high = ImageReader(picture).getSize()
        # It takes the width of the page, and leaves some of its height to the figures.
        scale = min((self.page[0] - 2 * self.margin) / wide, (self.page[1] - 2 * self.margin) * 0.55 / high)
        picture.seek(0)
        return Image(picture, wide * scale, high * scale)

    def _grid(self, rows: Sequence[tuple[int, Row]], first: int, last: int) -> Any:
        """Return rows as a table with its heads, a long one as what makes the table of a page when it comes to it."""
        if len(rows) <= _AT_ONCE:
            return self.piece(rows, first, last)
        from level_almanac.output.pdf_rows import LongRows, long_rows

        return long_rows(
            LongRows(
                lambda start, end: self.piece(rows[start:end], first, last),
                [self._plain(number, row, first, last) for number, row in rows],
                self._places(first, last),
                2 if self.table.show_keys else 1,
                self.size,
            )
        )

    def _plain(self, number: int, row: Row, first: int, last: int) -> "PlainRow | None":
        """Return a row that is set on one line, with nothing about it but colours; None for any other."""
        from level_almanac.output.pdf_rows import PlainRow

        label = self._label(row)
        texts = [*([row.key] if self.table.show_keys else []), label, *self.cells[number][first:last]]
        if row.kind != "line" or not isinstance(label, str) or any("\n" in text for text in texts):
            return None
        pale = {at for at, colour in self._colours(row, self.table.columns[first:last]) if colour == RULE}
        if any(colour != RULE for _, colour in self._colours(row, self.table.columns[first:last])):
            return None
        return PlainRow(texts, row.level * self.size, pale)

    def _places(self, first: int, last: int) -> "list[tuple[float, bool]]":
        """Return where each text of a row is set: its left end, or its right end where it is set to the right."""
        front = [self.key_width] if self.table.show_keys else []
        widths = [*front, self.label_width, *self.widths[first:last]]
        ends = list(accumulate(widths))
        places = [(end - width, False) for end, width in zip(ends, widths, strict=True)][: len(front) + 1]
        for end, width, column in zip(
            ends[len(places) :], widths[len(places) :], self.table.columns[first:last], strict=True
        ):
            places.append((end - width + _gap(self.size), False) if column.kind == "text" else (end - 1, True))
        return places

    def piece(self, rows: Sequence[tuple[int, Row]], first: int, last: int) -> Any:
        """Return some rows as a table, under its heads."""
        from reportlab.platypus import LongTable, TableStyle

        size, front = self.size, 2 if self.table.show_keys else 1
        columns = self.table.columns[first:last]
        heads = [self._head(column, words) for column, words in zip(columns, self.heads[first:last], strict=True)]
        lead = [""] * (front - 1) + [self.paragraph(self.table.key_label, size - 1, QUIET)]
        over, over_looks = self._over(columns, front)
        lines: list[list[Any]] = [*over, [*lead, *heads]]
        top = len(lines)
        looks: list[tuple[Any, ...]] = [
            ("FONT", (0, 0), (-1, -1), REGULAR, size),
            ("TEXTCOLOR", (0, 0), (-1, -1), colour_of(INK)),
            ("ALIGN", (front, 0), (-1, -1), "RIGHT"),
            ("VALIGN", (0, 0), (-1, top - 1), "BOTTOM"),
            ("VALIGN", (0, top), (-1, -1), "MIDDLE"),
            ("LEFTPADDING", (0, 0), (-1, -1), 0),
            ("LEFTPADDING", (front, 0), (-1, -1), _gap(size) - 2),
            ("RIGHTPADDING", (0, 0), (-1, -1), 1),
            ("TOPPADDING", (0, 0), (-1, -1), 1.1),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 1.6),
            ("LINEBELOW", (0, top - 1), (-1, top - 1), 0.8, colour_of(INK)),
            *over_looks,
        ]
        for at, column in enumerate(columns, front):
            if column.kind == "text":
                looks.append(("ALIGN", (at, 0), (at, -1), "LEFT"))
                looks.append(("LEFTPADDING", (at, 0), (at, -1), _gap(size)))
        for at, (number, row) in enumerate(rows, top):
            key = [row.key if row.kind == "line" else ""] if front == 2 else []
            label = self._label(row)
            lines.append([*key, label, *self.cells[number][first:last]])
            looks += self._row_look(at, row, front, columns)
            if row.kind == "heading" and not row.cells and not isinstance(label, str):
                # It has the line to itself; one that needs no breaking reaches over it as it is.
                looks.append(("SPAN", (front - 1, at), (-1, at)))
        widths = [*([self.key_width] if front == 2 else []), self.label_width]
        widths += self.widths[first:last]
        return LongTable(lines, widths, repeatRows=top, style=TableStyle(looks), hAlign="LEFT")

    def _over(self, columns: Sequence[Column], front: int) -> tuple[list[list[Any]], list[tuple[Any, ...]]]:
        """Return the line of heads over several columns, and how it looks; none where no column has one."""
        runs = group_runs(columns)
        if not any(head for head, _, _ in runs):
            return [], []
        line: list[Any] = [""] * (front + len(columns))
        looks: list[tuple[Any, ...]] = [("FONT", (0, 0), (-1, 0), BOLD, self.size - 1)]
        for head, first, last in runs:
            if head:
                line[front + first] = self.paragraph(head, self.size - 1, INK, bold=True)
                looks.append(("SPAN", (front + first, 0), (front + last - 1, 0)))
                looks.append(("LINEBELOW", (front + first, 0), (front + last - 1, 0), 0.4, colour_of(QUIET)))
        return [line], looks

    def _label(self, row: Row) -> Any:
        bold = row.kind != "line"
        room = self.label_width - row.level * self.size
        if row.kind == "heading" and not row.cells:
            room += sum(self.widths[: len(self.table.columns)])
        if self._width(row.label, self.size, bold=bold) <= room:
            return row.label
        return self.paragraph(row.label, self.size, INK, bold=bold)

    def _head(self, column: Column, words: Sequence[str]) -> Any:

        from reportlab.lib.styles import ParagraphStyle
        from reportlab.platypus import Paragraph

        size = self.size - 1
        style = ParagraphStyle(
            "head", fontName=REGULAR, fontSize=size, leading=size * 1.25, alignment=0 if column.kind == "text" else 2,
            textColor=QUIET, splitLongWords=0,
        )  # fmt: skip
        room = self.widths[self.table.columns.index(column)] - _gap(self.size)
        label, *below = (self._broken(part, room, size) for part in words if part)
        text = "<br/>".join([f'<font name="{BOLD}" color="{INK}">{label}</font>', *below])
        return Paragraph(text, style)

    def _broken(self, words: str, room: float, size: float) -> str:
        """Return a line of a head as it is to be broken, if it must be: a range of days between its two ends."""
        from xml.sax.saxutils import escape

        if self._width(words, size, bold=True) <= room:
            return escape("\u00a0".join(words.split()))
        return "<br/>".join(escape(piece) for piece in _pieces(words)) if "–" in words else escape(words)

    def _row_look(self, at: int, row: Row, front: int, columns: Sequence[Column]) -> Iterator[tuple[Any, ...]]:
        yield ("LEFTPADDING", (front - 1, at), (front - 1, at), row.level * self.size)
        if row.kind != "line":
            yield ("FONT", (0, at), (-1, at), BOLD, self.size)
        if row.kind == "heading" and row.level == 0:
            yield ("TOPPADDING", (0, at), (-1, at), 6)
        if row.kind == "group":
            yield ("FONT", (0, at), (-1, at), BOLD, self.size + 2)
            yield ("BOTTOMPADDING", (0, at), (-1, at), 4)
        if row.kind in ("subtotal", "total"):
            yield (
                "LINEABOVE",
                (front, at),
                (-1, at),
                0.6 if row.level == 0 else 0.3,
                colour_of(INK if row.level == 0 else RULE),
            )
        if row.kind == "total":
            yield ("LINEBELOW", (front, at), (-1, at), 0.6, colour_of(INK), 0, None, None, 2, 1.2)
        for number, colour in self._colours(row, columns):
            yield ("TEXTCOLOR", (front + number, at), (front + number, at), colour_of(colour))

    def _colours(self, row: Row, columns: Sequence[Column]) -> Iterator[tuple[int, str]]:
        """Yield the number of each cell that has a colour of its own, and that."""
        for number, column in enumerate(columns):
            cell = row.cells.get(column.key)
            if cell is not None and not isinstance(cell, str) and not cell:
                yield number, RULE
            if self.table.look.style.negatives == "red" and is_negative(cell, column, row, self.table):
                yield number, RED

    def margins_text(self, canvas: Any, number: int, count: int) -> None:
        """Write what stands above and below each page."""
        left = self.table.look.page.header or self.table.facts.get("entity_name", "")
        words = (left, self.table.title if number > 1 else "")
        write_margins(canvas, (self.page, self.margin), self.table.look, words, (number, count))


def write_margins(
    canvas: Any, paper: tuple[tuple[float, float], float], look: Look, words: tuple[str, str], number: tuple[int, int]
) -> None:
    """Write what stands around a page. paper: its size and margin; words: above, left, right; number: and how many."""
    (width, height), margin = paper
    canvas.setFont(REGULAR, 7)
    canvas.setFillColor(QUIET)
    canvas.drawString(margin, height - margin, words[0])
    canvas.drawRightString(width - margin, height - margin, words[1])
    canvas.drawString(margin, margin, " · ".join(filter(None, (look.page.footer, prepared_words(look)))))
    canvas.drawRightString(width - margin, margin, f"page {number[0]} of {number[1]}")


def page_template(name: str, document: Any, size: tuple[float, float], margin: float) -> Any:
    """Return the pages of a document, which writes what stands around them."""
    from reportlab.platypus import Frame, PageTemplate

    def begin(canvas: Any, _: Any) -> None:
        canvas.of_document, canvas.of_bookmarks = document, []

    width, height = size
    edge = margin + 16
    frame = Frame(margin, edge, width - 2 * margin, height - 2 * edge, 0, 0, 0, 0, id=name)
    return PageTemplate(name, [frame], onPage=begin, pagesize=size)


def _pieces(words: str) -> list[str]:
    """Return the parts that a line of a head may be broken into: a range of days in two, mere words anywhere."""
    if not any(letter.isdigit() for letter in words):
        return words.split() if len(words) > _SHORT_HEAD else [words]
    first, dash, last = words.partition("–")
    return [f"{first}{dash}", last] if " " in first and last else [words]


def _groups(rows: Sequence[Row]) -> list[list[tuple[int, Row]]]:
    """Return the rows with their numbers, in one list for each group."""
    groups: list[list[tuple[int, Row]]] = [[]]
    for number, row in enumerate(rows):
        if row.kind == "group" and groups[-1]:
            groups.append([])
        groups[-1].append((number, row))
    return groups


def numbering(front: Any = None) -> Any:
    """Return a canvas that knows how many pages there are when it writes the first one's number.

    front: the document whose pages stand first, though they are made last.
    """
    from reportlab.pdfgen.canvas import Canvas

    class Numbering(Canvas):  # type: ignore[misc]  # the library has no types
        def __init__(self, *args: Any, **options: Any) -> None:
            super().__init__(*args, **options)
            self._kept: list[dict[str, Any]] = []

        def showPage(self) -> None:  # noqa: N802  the library's name
            self._kept.append(dict(self.__dict__))
            self._startPage()

        def save(self) -> None:
            for number, kept in enumerate(sorted(self._kept, key=lambda kept: kept["of_document"] is not front), 1):
                self.__dict__.update(kept)
                self.of_document.margins_text(self, number, len(self._kept))
                # Only now is this the page that a bookmark set here would lead to.
                for key, name in self.of_bookmarks:
                    self.bookmarkPage(key)
                    self.addOutlineEntry(name, key, 0)
                super().showPage()
            super().save()

    return Numbering
