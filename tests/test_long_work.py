"""Long pieces of work: a table on paper of more rows than are laid out at once, and what is told meanwhile."""

import io
import time
from datetime import date
from decimal import Decimal
from unittest.mock import patch

import pytest
from pypdf import PdfReader

from level_almanac.cli import say
from level_almanac.core.table.model import Cell, Column, ReportTable, Row
from level_almanac.output import pdf
from level_almanac.progress import gauged, tell, within

COLUMNS = (
    Column("day", "posted", "date"),
    Column("words", "words", "text"),
    Column("amount", "amount", "amount", 2),
    Column("other", "another amount", "amount", 2),
)


def table(count: int) -> ReportTable:
    """Return rows of every kind: plain, with zeros, set in, headings, labels of several lines."""
    rows = []
    for at in range(count):
        cells: dict[str, Cell] = {
            "day": date(2026, 1, 1 + at % 28), "words": f"word {at}", "amount": Decimal(at % 7 - 3),
            "other": Decimal(at * 1000) / 7 if at % 5 else None,
        }  # fmt: skip
        label = f"Row {at} {'of many words ' * 20}" if at % 61 == 60 else f"Row {at}"
        rows.append(Row(f"k{at}", label, at % 3, "line", cells))
        if at % 97 == 96:
            rows.append(Row(f"h{at}", f"Heading {at}", 0, "heading", {}))
            rows.append(Row(f"s{at}", f"Subtotal {at}", 0, "subtotal", {"amount": Decimal(at)}))
    rows.append(Row("total", "Total", 0, "total", {"amount": Decimal(count)}))
    return ReportTable(title="Many", facts={}, subtitle=("rows",), columns=COLUMNS, rows=tuple(rows), key_label="row")


def placed(made: bytes) -> list[list[str]]:
    """Return the lines of each page as they stand on it, one above the other, each from left to right."""
    pages = PdfReader(io.BytesIO(made)).pages
    texts = [page.extract_text(extraction_mode="layout") for page in pages]
    return [[" ".join(line.split()) for line in text.splitlines()] for text in texts]


@pytest.mark.parametrize("kept", [True, False])
def test_a_long_table_is_set_as_one_that_is_laid_out_at_once(kept: bool) -> None:
    many = table(400)
    many = many if kept else many._replace(rows=tuple(row for row in many.rows if row.kind in ("line", "total")))
    with patch.object(pdf, "_AT_ONCE", 10_000):
        whole = placed(pdf.pdf(many))
    assert len(whole) > 5
    assert placed(pdf.pdf(many)) == whole


def test_what_is_told_meanwhile_stands_on_one_line_that_is_gone_at_the_end(monkeypatch: pytest.MonkeyPatch) -> None:
    class Terminal(io.StringIO):
        def isatty(self) -> bool:
            return True

    seen = Terminal()
    monkeypatch.setattr("sys.stderr", seen)
    monkeypatch.setattr(say, "_PATIENCE", 0.0)
    monkeypatch.setattr(say, "_PAUSE", 0.001)

    def awaited(words: str) -> None:
        # Nothing more is told, and still it is said again and again how far the work is.
        until = time.monotonic() + 20
        while words not in seen.getvalue():
            assert time.monotonic() < until, seen.getvalue()[-200:]
            time.sleep(0.005)

    with say.progress_shown("writing x.pdf"):
        tell("row 1 of 2")
        awaited("\rwriting x.pdf: row 1 of 2, 0 s ")
        tell("row 2\u202e of 2" + "!" * 200)
        awaited("row 2\\u202e of 2!!")
        with within("orders.csv", 0.5, 0.7), gauged(lambda: 50.0):
            tell("writing its part", 0, 1)
            awaited("\rwriting x.pdf: orders.csv: writing its part, 60%, about 0 s yet ")
            with say.progress_hidden():
                hidden = seen.getvalue()
                time.sleep(0.05)
                assert seen.getvalue() == hidden
    told = seen.getvalue()
    assert hidden.endswith(f"\r{'':<78}\r"), "the line is gone where a question stands"
    assert (told.endswith(f"\r{'':<78}\r"), max(map(len, told.split("\r")))) == (True, 78)
    tell("nobody hears this")
    assert seen.getvalue() == told
