"""XLSX: real numbers and dates, totals and changes as formulas with their value, the proof on a sheet of its own.

A formula is written only where it gives the very figure that the report has, so that a reader that recalculates and one
that does not show the same.
"""

import io
from collections.abc import Callable, Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Any

from level_almanac.core.table.change import percent
from level_almanac.core.table.chart_data import Place
from level_almanac.core.table.exact import EXACT, unsigned_zero
from level_almanac.core.table.model import Cell, Column, Made, ReportTable, Row
from level_almanac.output.logo import png_of
from level_almanac.output.terminal import page_lines
from level_almanac.output.text import (
    cell_words,
    group_runs,
    mark_width,
    mark_words,
    notes,
    places_of,
    prepared_words,
    proof_lines,
)
from level_almanac.output.xlsx_charts import SHEET, write_charts

_PAPERS = {"letter": 1, "legal": 5, "a3": 8, "a4": 9}
_MM_PER_INCH = Decimal("25.4")
_UNIT_MARKS = {1: "", 1000: ",", 1000000: ",,"}
_DATES = {
    "D Mon YYYY": "d mmm yyyy",
    "YYYY-MM-DD": "yyyy-mm-dd",
    "DD.MM.YYYY": "dd.mm.yyyy",
    "DD/MM/YYYY": "dd/mm/yyyy",
    "MM/DD/YYYY": "mm/dd/yyyy",
}
_NUMBERS = ("amount", "percent", "number", "count")
_ADDED = ("amount", "number", "count")
_SAME = Decimal("1e-12")
_LONGEST_FORMULA = 8000
"""Programs read 8,192 characters."""
_LONGEST_TERM = 9
"""As `+XFD99999`."""
_DONE: Mapping[str, Callable[[Decimal, Decimal], Decimal]] = {
    "+": EXACT.add, "-": EXACT.subtract, "*": EXACT.multiply, "/": EXACT.divide,
}  # fmt: skip
_HEADING_HEIGHT = 21
_LINE_HEIGHT = 14
_LABEL_AT_MOST = 60
_LABEL_WRAPS = 66
_TEXT_AT_MOST = 48
_PORTRAIT_WIDTH = 95
"""Characters that stand side by side on an upright page at a size that can be read."""


def xlsx(table: ReportTable) -> bytes:
    """Return the report as a workbook."""
    stream = io.BytesIO()
    book = _workbook(stream, table.title, table)
    sheet = _Sheet(table, book)
    names = _sheet_names([_sheet_name(each.title) for each in table.all_sheets])
    after = [_Sheet(each, book, name) for each, name in zip(table.all_sheets[1:], names[1:], strict=True)]
    behind = [_Sheet(lines._replace(look=table.look), book, "Lines") for lines in table.traced_lines]
    for lines in behind:
        sheet.links = {row.group: lines.rows[row.key] for row in lines.table.rows if row.kind == "heading"}
    sheet.write()
    for lines in (*after, *behind):
        lines.write()
    write_charts(book, [(table, sheet.formula_of)])
    if table.proof or table.notes:
        _write_proofs(table.all_sheets, book)
    book.close()
    return stream.getvalue()


def sheet_alone(table: ReportTable, name: str) -> bytes:
    """Return a workbook of one sheet of this name, with the report's proof and notes beneath its figures."""
    stream = io.BytesIO()
    book = _workbook(stream, table.title, table)
    sheet = _Sheet(table, book, name)
    sheet.write()
    plain = book.add_format({"font_name": "Calibri", "font_size": 10, "font_color": "#595959"})
    bold = book.add_format({"font_name": "Calibri", "font_size": 10, "bold": True})
    _write_proof(table, sheet.sheet, sheet.first_row + len(table.rows) + 2, (bold, plain))
    book.close()
    return stream.getvalue()


def workbook(title: str, facts: Sequence[str], tables: Sequence[tuple[str, ReportTable]]) -> bytes:
    """Return several reports as one workbook: a sheet of contents, one for each report, and one with all proofs.

    facts: lines under the title; tables: each with its name among the contents.
    """
    stream = io.BytesIO()
    book = _workbook(stream, title, tables[0][1])
    contents = book.add_worksheet("Contents")
    # What belongs to a report stands after it, named with its title.
    tables = [
        (each.title if number else name, each) for name, table in tables for number, each in enumerate(table.all_sheets)
    ]
    names = _sheet_names([name for name, _ in tables])
    sheets = [_Sheet(table, book, name) for (_, table), name in zip(tables, names, strict=True)]
    _write_contents(contents, book, (title, *facts), list(zip(names, tables, strict=True)))
    for sheet in sheets:
        sheet.write()
    write_charts(book, [(sheet.table, sheet.formula_of) for sheet in sheets])
    _write_proofs([table for _, table in tables], book)
    book.close()
    return stream.getvalue()


def _workbook(stream: io.BytesIO, title: str, table: ReportTable) -> Any:
    import xlsxwriter

    options = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False}
    book = xlsxwriter.Workbook(stream, options)
    prepared = table.look.prepared
    book.set_properties({"title": title, "created": prepared.replace(tzinfo=None) if prepared else None})
    return book


def _sheet_names(names: Sequence[str]) -> list[str]:
    """Return a name for each sheet that no other has: a workbook takes them for the same whatever their capitals."""
    sheet_names: list[str] = []
    for name in names:
        called = _sheet_name(name.rpartition("/")[2])
        number = 2
        while called.casefold() in {"contents", SHEET.casefold(), *map(str.casefold, sheet_names)}:
            called = f"{_sheet_name(name.rpartition('/')[2])[:26]} ({number})"
            number += 1
        sheet_names.append(called)
    return sheet_names


def _write_contents(
    sheet: Any, book: Any, heads: Sequence[str], pages: Sequence[tuple[str, tuple[str, ReportTable]]]
) -> None:
    bold = book.add_format({"bold": True, "font_name": "Calibri", "font_size": 14})
    quiet = book.add_format({"font_color": "#595959", "font_name": "Calibri", "font_size": 10})
    plain = book.add_format({"font_name": "Calibri", "font_size": 10})
    link = book.add_format({"font_color": "#1f5f7a", "underline": 1, "font_name": "Calibri", "font_size": 10})
    sheet.hide_gridlines(2)
    sheet.set_column(0, 0, 44)
    sheet.set_column(1, 1, 70)
    for number, words in enumerate(heads):
        sheet.write_string(number, 0, words, quiet if number else bold)
    for number, (name, (_, table)) in enumerate(pages, len(heads) + 1):
        place = name.replace("'", "''")
        sheet.write_url(number, 0, f"internal:'{place}'!A1", link, string=table.title)
        sheet.write_string(number, 1, " · ".join(page_lines(table)[:2]), plain)
    sheet.set_landscape()
    sheet.fit_to_pages(1, 0)


def _write_proofs(tables: Sequence[ReportTable], book: Any) -> None:
    sheet = book.add_worksheet("Proof")
    bold, wrapped = book.add_format({"bold": True}), book.add_format({"text_wrap": True, "valign": "top"})
    sheet.set_column(0, 0, 10)
    sheet.set_column(1, 1, 110)
    at = 0
    for table in tables:
        at = _write_proof(table, sheet, at, (bold, wrapped)) + 2
    sheet.set_landscape()
    sheet.fit_to_pages(1, 0)


def _write_proof(table: ReportTable, sheet: Any, first: int, forms: tuple[Any, Any]) -> int:
    """Write the proof, notes and facts of one report from a row on, and return the last row used."""
    bold, wrapped = forms
    sheet.write_string(first, 0, table.title, bold)
    lines = [("proof", line.words) for line in proof_lines(table)]
    lines += [("note", line) for line in notes(table)]
    lines += [(key, words) for key, words in table.facts.items()]
    for number, (name, words) in enumerate(lines, first + 2):
        sheet.write_string(number, 0, name, wrapped)
        sheet.write_string(number, 1, words, wrapped)
    return first + 1 + len(lines)


class _Sheet:
    """Writes the report's own sheet."""

    def __init__(self, table: ReportTable, book: Any, name: str = "") -> None:
        self.table, self.book = table, book
        self.name = name or _sheet_name(table.title)
        self.sheet = book.add_worksheet(self.name)
        # Where the lines behind a row's figures begin, on their own sheet.
        self.links: dict[str, int] = {}
        self.formats: dict[tuple[tuple[str, Any], ...], Any] = {}
        self.front = 2 if table.show_keys else 1
        heads = page_lines(table)
        self.head_row = len(heads) + 2
        self.head_lines = 3 if any(column.extent for column in table.columns) else 2
        if not any(column.covers or column.extent for column in table.columns):
            self.head_lines = 1
        # Heads over several columns stand above those of each.
        self.over = [run for run in group_runs(table.columns) if run[0]]
        self.labels_row = self.head_row + bool(self.over)
        self.first_row = self.labels_row + self.head_lines
        self.rows = {row.key: self.first_row + number for number, row in enumerate(table.rows)}
        self.by_key = {row.key: row for row in table.rows}
        self.letters = {column.key: _letters(self.front + at) for at, column in enumerate(table.columns)}
        # A sum of more cells, one by one, than a formula can name is one over a range that holds other sums.
        self.nested = any(
            len(row.adds) * _LONGEST_TERM > _LONGEST_FORMULA for row in table.rows if not _is_run(row, self)
        )

    def formula_of(self, place: Place, side: str) -> str:
        """Return the formula of another sheet that leads to a figure here, or nothing where it is not here."""
        column = place.now if side == "now" else place.before
        if place.row not in self.rows or column not in self.letters:
            return ""
        quoted = self.name.replace("'", "''")
        return f"='{quoted}'!{self.letters[column]}{self.rows[place.row] + 1}"

    def write(self) -> None:
        self._set_widths()
        self._write_heads()
        for row in self.table.rows:
            self._write_row(row)
        self._set_up_page()

    def _format(self, **properties: Any) -> Any:
        key = tuple(sorted(properties.items()))
        if key not in self.formats:
            # On a screen a sheet is read a little farther off than paper.
            size = self.table.look.page.font_size + 1
            self.formats[key] = self.book.add_format({"font_name": "Calibri", "font_size": size, **properties})
        return self.formats[key]

    def _set_widths(self) -> None:
        label = max(
            [
                len(self.table.key_label),
                *(2 * row.level + len(row.label) for row in self.table.rows if not _spans(row)),
            ],
            default=8,
        )
        if self.table.show_keys:
            self.sheet.set_column(0, 0, max([8, *(len(row.key) for row in self.table.rows if row.kind == "line")]) + 1)
        self.sheet.set_column(self.front - 1, self.front - 1, min(label, _LABEL_AT_MOST) + 2)
        self.width = min(label, _LABEL_AT_MOST) + 2
        for at, column in enumerate(self.table.columns, self.front):
            words = [len(cell_words(row.cells.get(column.key), column, row, self.table)) for row in self.table.rows]
            heads = [len(column.label), len(column.covers), len(column.extent)]
            # A head may break between words; a number that does not fit is not shown at all.
            width = max([9, *words, *(min(head, 24) for head in heads)]) + 2
            width = min(width, _TEXT_AT_MOST) if column.kind == "text" else width
            self.sheet.set_column(at, at, width)
            self.width += width

    def _write_heads(self) -> None:
        self.sheet.write_string(0, 0, self.table.title, self._format(bold=True, font_size=14))
        for number, line in enumerate(page_lines(self.table), 1):
            self.sheet.write_string(number, 0, line, self._format(font_color="#595959"))
        last = self.first_row - 1
        self._write_over()
        ruled = {"bottom": 1, "valign": "bottom", "text_wrap": True}
        self.sheet.write_string(last, self.front - 1, self.table.key_label, self._format(**ruled))
        for at, column in enumerate(self.table.columns, self.front):
            align = "left" if column.kind == "text" else "right"
            lines = (column.label, column.covers, column.extent)[: self.head_lines]
            for number, words in enumerate(lines):
                under = ruled if self.labels_row + number == last else {"text_wrap": True, "valign": "bottom"}
                quiet: dict[str, Any] = {"font_color": "#595959"} if number else {"bold": True}
                self.sheet.write_string(
                    self.labels_row + number, at, words, self._format(**_aligned(align), **quiet, **under)
                )
        if self.front == 2:
            self.sheet.write_blank(last, 0, None, self._format(**ruled))

    def _write_over(self) -> None:
        """Write the heads that stand over several columns."""
        look = self._format(bold=True, align="center", bottom=4)
        for head, first, last in self.over:
            if last - first > 1:
                self.sheet.merge_range(
                    self.head_row, self.front + first, self.head_row, self.front + last - 1, head, look
                )
            else:
                self.sheet.write_string(self.head_row, self.front + first, head, look)

    def _write_row(self, row: Row) -> None:
        at = self.rows[row.key]
        look = _row_look(row)
        wrapped = self._wrapped(row)
        height = _LINE_HEIGHT * -(-(2 * row.level + len(row.label)) // _LABEL_WRAPS) if wrapped else None
        if row.level or height:
            self.sheet.set_row(at, height, None, {"level": min(row.level, 7)})
        elif row.kind == "heading":
            self.sheet.set_row(at, _HEADING_HEIGHT)
        if self.table.show_keys and row.kind == "line":
            self.sheet.write_string(at, 0, row.key, self._format(**look))
        self.sheet.write_string(at, self.front - 1, row.label, self._format(indent=row.level, **wrapped, **look))
        for number, column in enumerate(self.table.columns, self.front):
            self._write_cell(at, number, row, column, look)

    @staticmethod
    def _wrapped(row: Row) -> dict[str, Any]:
        # A heading without figures runs on over the empty cells beside it.
        long = 2 * row.level + len(row.label) > _LABEL_WRAPS and not _spans(row)
        return {"text_wrap": True, "align": "left", "valign": "bottom"} if long else {}

    def _write_cell(self, at: int, number: int, row: Row, column: Column, look: Mapping[str, Any]) -> None:
        cell = row.cells.get(column.key)
        if cell is None:
            if look and row.kind in ("subtotal", "total"):
                self.sheet.write_blank(at, number, None, self._format(**look))
            return
        if isinstance(cell, date):
            form = self._format(num_format=_DATES[self.table.look.style.dates], align="right", **look)
            self.sheet.write_datetime(at, number, cell, form)
        elif isinstance(cell, str):
            align = "left" if column.kind == "text" else "right"
            wrapped = {"text_wrap": True, "valign": "top"} if len(cell) > _TEXT_AT_MOST else {}
            self.sheet.write_string(at, number, cell, self._format(**_aligned(align), **wrapped, **look))
        else:
            cell = unsigned_zero(Decimal(cell))
            form = self._format(num_format=self._number_format(row, column, cell), **look)
            formula = self._formula(row, column, cell)
            if row.key in self.links and column.kind == "amount":
                # The link stays with the cell when the figure is written over it.
                place = f"internal:'Lines'!A{self.links[row.key] + 1}"
                self.sheet.write_url(at, number, place, form, string=" ", tip="the lines behind it")
            if formula:
                self.sheet.write_formula(at, number, formula, form, cell)
            else:
                self.sheet.write_number(at, number, cell, form)
            mark = self.table.marks.get((row.key, column.key))
            if mark:
                self.sheet.write_comment(at, number, self.table.explanations[mark - 1].text, {"x_scale": 2})

    def _number_format(self, row: Row, column: Column, cell: Decimal) -> str:
        """Return the format that shows a number as the other formats do, without a sign if it rounds to zero."""
        style, places = self.table.look.style, places_of(column, self.table, row)
        ratio = row.percent and column.kind == "amount"
        amount = column.kind == "amount" and row.is_money
        decimals = f".{'0' * places}" if places else ""
        mark = (' "pt"' if column.derived else ' "%"') if ratio else _UNIT_MARKS[style.units] if amount else ""
        number = f"#,##0{decimals}{mark}"
        if amount and row.kind == "total" and style.mark != "none":
            code = self.table.facts.get("currency", "")
            number = f'"{code} "{number}' if style.mark == "before" else f'{number}" {code}"'
        least = Decimal(5).scaleb(-places - 1) * (style.units if amount else 1)
        # Quoted, as a format without a unit's divisor would show the number itself.
        zeros = {"zero": f'"0{decimals}"{mark if ratio else ""}', "dash": '"–"', "blank": '""'}
        zero = zeros["zero" if cell or not amount else style.zeros]
        end = self._mark_format(row, column)
        if style.negatives == "parens":
            return f"[>={least:f}]{number}_){end};[<=-{least:f}]({number}){end};{zero}_){end}"
        red = "[Red]" if style.negatives == "red" else ""
        return f"[>={least:f}]{number}{end};{red}[<=-{least:f}]-{number}{end};{zero}{end}"

    def _mark_format(self, row: Row, column: Column) -> str:
        """Return what ends a format: the number of the figure's explanation, or room for those of its column."""
        width = mark_width(column, self.table)
        words = mark_words(column, row, self.table)
        return (
            f'"{words}"' if words else "".join(f"_{letter}" for letter in " [00]"[: width - 1] + "]") if width else ""
        )

    def _formula(self, row: Row, column: Column, cell: Cell) -> str:
        """Return the formula that gives the cell, or nothing where it is a figure of its own."""
        if not isinstance(cell, Decimal | int):
            return ""
        if column.derived is not None:
            return self._derived(row, column, Decimal(cell))
        return self._total(row, column, Decimal(cell)) or self._made(row, column, Decimal(cell))

    def _total(self, row: Row, column: Column, cell: Decimal) -> str:
        parts = [(sign, key) for sign, key in row.adds if isinstance(self._cell(key, column), Decimal | int)]
        if not parts or column.kind not in _ADDED or not column.adds or row.percent:
            return ""
        letters = self.letters[column.key]
        if self.nested and all(sign == 1 for sign, _ in row.adds):
            # Such a sum leaves out those of its kind within its range, and so counts nothing twice.
            first, last = self._first_of(row), max(self.rows[key] for _, key in parts)
            within = [each for each in self.table.rows if first <= self.rows[each.key] <= last and not each.adds]
            total = sum((self._amount(each.key, column) for each in within), Decimal(0))
            return f"=SUBTOTAL(9,{letters}{first + 1}:{letters}{last + 1})" if total == cell else ""
        total = sum((sign * self._amount(key, column) for sign, key in parts), Decimal(0))
        formula = self._sum(parts, letters)
        return f"={formula}" if total == cell and len(formula) <= _LONGEST_FORMULA else ""

    def _first_of(self, row: Row) -> int:
        """Return where the first of all rows stands that a sum is made of, through those of others."""
        return min(self._first_of(self.by_key[key]) for _, key in row.adds) if row.adds else self.rows[row.key]

    def _made(self, row: Row, column: Column, cell: Decimal) -> str:
        """Return the arithmetic on the row's other cells that gives a cell, where all of them are there."""
        if column.made is None or row.percent:
            return ""
        value = self._value(row, column.made)
        if value is None or abs(value - cell) > _SAME * max(abs(cell), Decimal(1)):
            return ""
        return f"={self._written(row, column.made).removeprefix('(').removesuffix(')')}"

    def _value(self, row: Row, made: Made) -> Decimal | None:
        match made:
            case str():
                cell = row.cells.get(made)
                return Decimal(cell) if isinstance(cell, Decimal | int) else None
            case Decimal():
                return made
            case (operation, left, right):
                one, other = self._value(row, left), self._value(row, right)
                if one is None or other is None or (operation == "/" and not other):
                    return None
                return _DONE[operation](one, other)

    def _written(self, row: Row, made: Made) -> str:
        match made:
            case str():
                return f"{self.letters[made]}{self.rows[row.key] + 1}"
            case Decimal():
                return f"{made:f}"
            case (operation, left, right):
                return f"({self._written(row, left)}{operation}{self._written(row, right)})"

    def _cell(self, key: str, column: Column) -> Cell:
        return self.by_key[key].cells.get(column.key) if key in self.by_key else None

    def _amount(self, key: str, column: Column) -> Decimal:
        cell = self._cell(key, column)
        return Decimal(cell) if isinstance(cell, Decimal | int) else Decimal(0)

    def _sum(self, parts: list[tuple[int, str]], letters: str) -> str:
        """Return the sum of cells: of those that stand together as a range, of others one by one."""
        runs: list[tuple[int, int, int]] = []
        for sign, place in ((sign, self.rows[key] + 1) for sign, key in parts):
            if runs and runs[-1][0] == sign and runs[-1][2] == place - 1:
                runs[-1] = (sign, runs[-1][1], place)
            else:
                runs.append((sign, place, place))
        terms = [f"{'+' if sign > 0 else '-'}{_run(letters, first, last)}" for sign, first, last in runs]
        return "".join(terms).removeprefix("+")

    def _derived(self, row: Row, column: Column, cell: Decimal) -> str:
        derived = column.derived
        if derived is None:
            return ""
        of, over = row.cells.get(derived.of), row.cells.get(derived.over)
        if not isinstance(of, Decimal) or not isinstance(over, Decimal):
            return ""
        at = self.rows[row.key] + 1
        cells = [(of, self.letters[derived.of]), (over, self.letters[derived.over])]
        for (first, one), (second, other) in (cells, cells[::-1]):
            # A variance is positive if it is favourable, so either can be the one that is subtracted.
            less = f"{one}{at}-{other}{at}"
            if not derived.percent and cell == first - second:
                return f"={less}"
            if derived.percent and over and (percent(first - second, over.copy_abs()) == cell):
                return f"=({less})/ABS({self.letters[derived.over]}{at})*100"
        return ""

    def _set_up_page(self) -> None:
        page, sheet = self.table.look.page, self.sheet
        lines = [self.rows[row.key] for row in self.table.rows if row.kind == "line"]
        if len(lines) > 1 and not any(row.kind in ("group", "heading") for row in self.table.rows):
            # Totals stand below what is filtered, and stay.
            sheet.autofilter(self.first_row - 1, 0, max(lines), self.front + len(self.table.columns) - 1)
        sheet.freeze_panes(self.first_row, self.front)
        sheet.hide_gridlines(2)
        sheet.set_paper(_PAPERS[page.paper])
        upright = page.orientation == "portrait" or (page.orientation == "auto" and self.width <= _PORTRAIT_WIDTH)
        if upright:
            sheet.set_portrait()
        else:
            sheet.set_landscape()
        margin = float(page.margins / _MM_PER_INCH)
        sheet.set_margins(left=margin, right=margin, top=margin + 0.3, bottom=margin + 0.3)
        sheet.fit_to_pages(1, 0)
        sheet.repeat_rows(self.head_row, self.first_row - 1)
        sheet.repeat_columns(0, self.front - 1)
        logo = self.table.look.logo
        images = {"image_left": "logo.png", "image_data_left": io.BytesIO(png_of(logo))} if logo else {}
        left = "&G" if images else ""
        sheet.set_header(f"&L{left}&C{_code(page.header)}", images)
        sheet.set_footer(f"&L{_code(page.footer)}&C{_code(prepared_words(self.table.look))}&Rpage &P of &N")
        breaks = [self.rows[row.key] for row in self.table.rows if row.kind == "group"][1:]
        if breaks:
            sheet.set_h_pagebreaks(breaks)


def _spans(row: Row) -> bool:
    return row.kind == "group" or (row.kind == "heading" and not row.cells)


def _aligned(align: str) -> dict[str, Any]:
    # A text stands a little off the numbers or days to its left.
    return {"align": align, "indent": 1} if align == "left" else {"align": align}


def _row_look(row: Row) -> dict[str, Any]:
    match row.kind:
        case "group":
            return {"bold": True, "font_size": 12}
        case "heading":
            return {"bold": True}
        case "subtotal":
            return {"bold": True, "top": 1}
        case "total":
            return {"bold": True, "top": 1, "bottom": 6}
    return {}


def _code(text: str) -> str:
    # An ampersand begins a code in headers and footers.
    return text.replace("&", "&&")


def _sheet_name(title: str) -> str:
    kept = "".join("-" if letter in "[]:*?/\\" else letter for letter in title).strip("'")[:31]
    return (
        kept
        if kept and kept.lower() not in ("proof", "lines", "history", "contents", "charts")
        else f"{kept or 'Report'} report"
    )


def _letters(at: int) -> str:
    letters = ""
    at += 1
    while at:
        at, rest = divmod(at - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def _is_run(row: Row, sheet: "_Sheet") -> bool:
    """Tell whether the rows that a row adds up stand one under the other."""
    places = [sheet.rows[key] for _, key in row.adds if key in sheet.rows]
    return places == list(range(places[0], places[0] + len(places))) if places else True


def _run(letters: str, first: int, last: int) -> str:
    return f"{letters}{first}" if first == last else f"SUM({letters}{first}:{letters}{last})"
