"""Several reports as one PDF: a page of contents that links to them, and page numbers that run through."""

import io
import re
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any
from xml.sax.saxutils import escape

from level_almanac.core.table.model import ReportTable
from level_almanac.output.pdf import MM, Document, numbering, page_template, write_margins
from level_almanac.output.pdf_style import BOLD, INK, QUIET, REGULAR, known_fonts
from level_almanac.output.terminal import page_lines

if TYPE_CHECKING:
    from level_almanac.output.drawing import Draw

_BESIDE_TITLE = 60
"""Letters."""


def pdf_together(title: str, facts: Sequence[str], tables: Sequence[ReportTable], draw: "Draw | None" = None) -> bytes:
    """Return the reports as one PDF, their sheets after each. facts: lines under the title on the page of contents;
    draw: draws charts.
    """
    from reportlab.platypus import BaseDocTemplate, NextPageTemplate, PageBreak, Paragraph

    known_fonts()
    tables = [each for table in tables for each in table.all_sheets]

    class Together(BaseDocTemplate):  # type: ignore[misc]  # the library has no types
        def afterFlowable(self, flowable: Any) -> None:  # noqa: N802  the library's name
            entry = getattr(flowable, "of_contents", None)
            if entry is not None:
                key, words, name = entry
                self.canv.of_bookmarks.append((key, name))
                listed.addEntry(0, words, before + self.page, key)
                if key == entries[-1][0]:
                    # From here on it lists what it was told.
                    listed.beforeBuild()

    contents, documents = _Contents(title, facts, tables[0]), [Document(table, draw) for table in tables]
    entries = [_entry(number, document) for number, document in enumerate(documents)]
    before = contents.pages(entries)
    front, listed = contents.story()
    stream = io.BytesIO()
    whole = Together(
        stream, pagesize=contents.page, title=title, author=tables[0].facts.get("entity_name", ""), invariant=True
    )
    whole.addPageTemplates(
        [
            *(page_template(f"report{at}", each, each.page, each.margin) for at, each in enumerate(documents)),
            page_template("contents", contents, contents.page, contents.margin),
        ]
    )
    story: list[Any] = []
    for number, document in enumerate(documents):
        within = list(document.story())
        # Only a logo can stand above the title.
        head = next(each for each in within if isinstance(each, Paragraph))
        head.of_contents = entries[number]
        # The first page is begun with the first template, which is the first report's.
        story += [*([NextPageTemplate(f"report{number}"), PageBreak()] if number else []), *within]
    # On which pages the reports begin is known when they are made, so the contents are made last, to stand first.
    story += [NextPageTemplate("contents"), PageBreak(), *front]
    whole.build(story, canvasmaker=numbering(contents))
    return stream.getvalue()


Entry = tuple[str, str, str]
"""What an entry of the contents leads to, its words, and the report's name."""


def _entry(number: int, document: Document) -> Entry:
    table = document.table
    # Of whom a report is stands before of when.
    whose = table.facts.get("entity_name", "").partition(",")[0]
    told = [whose, *(re.split(r" \(|: | · ", line)[0] for line in page_lines(table)[1:2])]
    lines = [_cut(" · ".join(each for each in told if each))]
    words = f'<font name="{BOLD}">{escape(document.table.title)}</font>'
    words += f'  <font size="7" color="{QUIET}">{escape(lines[0])}</font>' if lines[0] else ""
    return f"report{number}", words, document.table.title


def _cut(words: str) -> str:
    """Return as much of a line as stands beside a title and before its page number."""
    return words if len(words) <= _BESIDE_TITLE else f"{words[:_BESIDE_TITLE].rsplit(' ', 1)[0]} …"


class _Contents:
    """The page of contents, upright on the reports' paper."""

    def __init__(self, title: str, facts: Sequence[str], first: ReportTable) -> None:
        from reportlab.lib import pagesizes

        self.title, self.facts, self.look = title, facts, first.look
        self.over = first.look.page.header
        self.page: tuple[float, float] = getattr(pagesizes, first.look.page.paper.upper())
        self.margin = first.look.page.margins * MM

    def pages(self, entries: Sequence[Entry]) -> int:
        """Return how many pages the contents take."""
        from reportlab.platypus import BaseDocTemplate

        alone = BaseDocTemplate(io.BytesIO(), pagesize=self.page)
        alone.addPageTemplates([page_template("contents", self, self.page, self.margin)])
        story, listed = self.story()
        for _, words, _ in entries:
            # It leads nowhere, as there is nothing here to lead to.
            listed.addEntry(0, words, 0)
        listed.beforeBuild()
        alone.build(story)
        return int(alone.page)

    def story(self) -> tuple[list[Any], Any]:
        """Return the title, what the edition was made from, and the list of reports; and that list, to be filled."""
        from reportlab.lib.styles import ParagraphStyle
        from reportlab.platypus import Paragraph, Spacer
        from reportlab.platypus.tableofcontents import TableOfContents

        def style(size: float, color: str, font: str = REGULAR) -> Any:
            return ParagraphStyle("words", fontName=font, fontSize=size, leading=size * 1.4, textColor=color)

        entries = TableOfContents(
            dotsMinLevel=0,
            levelStyles=[
                ParagraphStyle("entry", fontName=REGULAR, fontSize=10, leading=13, textColor=INK, spaceBefore=7)
            ],
        )
        story = [
            Paragraph(escape(self.title), style(20, INK, BOLD)),
            Spacer(0, 4),
            *(Paragraph(escape(line), style(9, QUIET)) for line in self.facts),
            Spacer(0, 22),
            Paragraph("Contents", style(12, INK, BOLD)),
            Spacer(0, 4),
            entries,
        ]
        return story, entries

    def margins_text(self, canvas: Any, number: int, count: int) -> None:
        """Write what stands around the page of contents."""
        write_margins(canvas, (self.page, self.margin), self.look, (self.over, ""), (number, count))
