"""How cells, proof and notes are written as text for people, in the report's style, whatever the format."""

import re
from collections.abc import Callable, Iterator, Sequence
from datetime import date
from decimal import Decimal
from functools import partial
from typing import Any, NamedTuple

from level_almanac.core.table.exact import EXACT, rounded
from level_almanac.core.table.model import Cell, Column, CountedAmount, Explanation, Note, Part, Proof, ReportTable, Row
from level_almanac.core.table.style import Look, styled_day
from level_almanac.shown_text import visible

_MINUS = "−"
_SEPARATORS = {"1,234.56": (",", "."), "1.234,56": (".", ","), "1 234,56": ("\u202f", ","), "1'234.56": ("'", ".")}
UNIT_WORDS = {1000: "thousands", 1000000: "millions"}
_LONGEST_ON_PAPER = 600
"""How many letters of a text a page shows."""


def places_of(column: Column, table: ReportTable, row: Row | None = None) -> int:
    """Return how many decimals a cell of this column is shown with."""
    if row is not None and row.percent and column.kind == "amount":
        return 1
    if row is not None and row.decimals is not None and column.kind == "amount":
        return row.decimals
    style = table.look.style
    if column.kind != "amount":
        return column.decimals
    if style.decimals is not None:
        return style.decimals
    return column.decimals if style.units == 1 else 0


def shown_number(cell: Decimal, column: Column, table: ReportTable, row: Row) -> Decimal:
    """Return an amount as it is shown: in the style's units, rounded."""
    units = table.look.style.units
    in_units = units != 1 and column.kind == "amount" and row.is_money
    return rounded(EXACT.divide(cell, Decimal(units)) if in_units else cell, places_of(column, table, row))


def grouped(number: Decimal, table: ReportTable) -> str:
    """Return the size of a number with the style's thousands and decimal signs."""
    thousands, decimal = _SEPARATORS[table.look.style.numbers]
    plain = f"{abs(number):,f}"
    return plain if thousands == "," else plain.translate({ord(","): thousands, ord("."): decimal})


def prepared_words(look: Look) -> str:
    """Return when a report was prepared, as it stands at the foot of a page; nothing where that is not told."""
    return f"prepared {styled_day(look.prepared.date(), look)}" if look.prepared else ""


def day_text(day: date, table: ReportTable) -> str:
    """Return a day in the style's form."""
    return styled_day(day, table.look)


def cell_words(cell: Cell, column: Column, row: Row, table: ReportTable) -> str:
    """Return a cell as it is shown under its column, with the number of its explanation if it has one.

    The other cells of the column are padded by as much, so that digits stay one above the other.
    """
    words = figure_words(cell, column, row, table)
    if not table.explanations or not words:
        return words
    return words + mark_words(column, row, table).ljust(mark_width(column, table))


def mark_words(column: Column, row: Row, table: ReportTable) -> str:
    """Return ` [1]` for a figure whose explanation is the first, and nothing for one without."""
    number = table.marks.get((row.key, column.key))
    return f" [{number}]" if number else ""


def mark_width(column: Column, table: ReportTable) -> int:
    """Return how many letters the widest mark in a column takes."""
    return max((len(f" [{number}]") for (_, key), number in table.marks.items() if key == column.key), default=0)


def figure_words(cell: Cell, column: Column, row: Row, table: ReportTable) -> str:
    """Return a cell as it is shown, by itself."""
    if cell is None:
        return ""
    if isinstance(cell, date):
        return day_text(cell, table)
    if isinstance(cell, str):
        return cell
    style = table.look.style
    if isinstance(cell, int):
        return grouped(Decimal(cell), table) if cell >= 0 else f"{_MINUS}{grouped(Decimal(cell), table)}"
    number = shown_number(cell, column, table, row)
    amount = column.kind == "amount" and row.is_money
    if amount and not cell and style.zeros != "zero":
        return "–" if style.zeros == "dash" else ""
    text = grouped(number, table)
    if row.percent and column.kind == "amount":
        text += " pt" if column.derived else " %"
    if amount and row.kind == "total" and style.mark != "none":
        code = table.facts.get("currency", "")
        text = f"{code} {text}" if style.mark == "before" else f"{text} {code}"
    if style.negatives == "parens":
        # The space keeps the digits of both signs one above the other.
        return f"({text})" if number < 0 else f"{text} "
    return f"{_MINUS}{text}" if number < 0 else text


def is_negative(cell: Cell, column: Column, row: Row, table: ReportTable) -> bool:
    """Tell whether a cell is shown as negative."""
    return isinstance(cell, Decimal) and shown_number(cell, column, table, row) < 0


def counted_words(counted: CountedAmount, decimals: int, table: ReportTable, unit: str = "line") -> str:
    """Return `25,112 lines −1,204,551.20`: exact, whatever the units of the figures are. unit: what is counted."""
    lines = unit if counted.lines == 1 else f"{unit}s"
    return f"{grouped(Decimal(counted.lines), table)} {lines} {_exact(counted.amount, decimals, table)}"


def _exact(amount: Decimal, decimals: int, table: ReportTable) -> str:
    number = rounded(amount, decimals)
    return f"{_MINUS if number < 0 else ''}{grouped(number, table)}"


class ProofLine(NamedTuple):
    """One step of a proof in words. wrong: whether it tells of what does not hold."""

    words: str
    wrong: bool = False


def proof_lines(table: ReportTable) -> list[ProofLine]:
    """Return a report's proof in words, a line for each step, those of other tables after its own."""
    return list(_proof_lines(table.proof, table)) if table.proof else []


def _proof_lines(proof: Proof, table: ReportTable) -> Iterator[ProofLine]:
    def counted(of: CountedAmount) -> str:
        words = counted_words(of, proof.decimals, table, proof.unit)
        return words if proof.measure else words.rpartition(" ")[0]

    def parts(found: Sequence[Part]) -> str:
        return " · ".join(f"{part.rule} {counted(part.counted)}" for part in found)

    shown_as = f": {parts(proof.shown_as)}" if proof.shown_as else ""
    of = "" if proof.table in ("ledger", f"{proof.unit}s") else f" of {proof.table}"
    measure = f" ({proof.measure})" if proof.measure else ""
    yield ProofLine(f"{counted(proof.considered)}{of} considered{measure}")
    yield ProofLine(f"= {counted(proof.shown)} {proof.verb}{shown_as}")
    left = f"left out: {parts(proof.left_out)}" if proof.left_out else "nothing left out"
    yield ProofLine(f"+ {left}")
    sure = "adds up to the cent" if proof.measure else "adds up"
    words = sure if proof.adds_up else "DOES NOT ADD UP: this report is wrong"
    held = "".join(f" · {check.words}" for check in proof.checks if check.holds)
    yield ProofLine(f"{words}{held}", not proof.adds_up)
    yield from (ProofLine(f"DOES NOT HOLD: {check.words}", wrong=True) for check in proof.checks if not check.holds)
    for further in proof.further:
        yield from _proof_lines(further, table)


def note_words(note: Note | str, table: ReportTable) -> str:
    """Return a note with its amounts in the report's form of numbers."""
    if isinstance(note, str):
        return note
    return note.words.format(*(_exact(amount, note.decimals, table) for amount in note.amounts))


def group_runs(columns: Sequence[Column]) -> list[tuple[str, int, int]]:
    """Return the heads that stand over several columns: each with the place of its first column and that after its
    last; those without one have an empty head.
    """
    runs: list[tuple[str, int, int]] = []
    for at, column in enumerate(columns):
        if runs and runs[-1][0] == column.group and column.group:
            runs[-1] = (column.group, runs[-1][1], at + 1)
        else:
            runs.append((column.group, at, at + 1))
    return runs


def notes(table: ReportTable) -> list[str]:
    """Return the explanations of figures, the report's notes, and last what rounding did, if that can be seen."""
    told = (_explanation_words(number, each, table) for number, each in enumerate(table.explanations, 1))
    return [*told, *(note_words(note, table) for note in table.notes), *_rounding_notes(table)]


def _explanation_words(number: int, explanation: Explanation, table: ReportTable) -> str:
    by = f" ({explanation.by})" if explanation.by else ""
    words = f"[{number}] {explanation.of}: {explanation.text}{by}"
    if explanation.stale is None:
        return words
    return f"{words} · STALE: written when the figure was {_exact(explanation.stale, 2, table)}"


def subtitles(table: ReportTable) -> list[str]:
    """Return the lines that head a report, with its units where they are not single ones."""
    units = UNIT_WORDS.get(table.look.style.units)
    lines = list(table.subtitle)
    if units and lines:
        lines[0] += f" · in {units}"
    return lines


def legible(table: ReportTable) -> ReportTable:
    """Return the report as a person reads it: every letter seen, so that none steers, hides or turns others, and the
    days that rows and columns are named by as all its other days are written.
    """
    seen = with_texts(table, visible)
    return seen._replace(
        rows=tuple(row._replace(label=_day_named(row.label, table)) for row in seen.rows),
        columns=tuple(map(partial(_day_headed, table=table), seen.columns)),
    )


_DAY_NAMED = re.compile(r"(Total )?(\d{4}-\d\d-\d\d)")


def _day_named(label: str, table: ReportTable) -> str:
    found = _DAY_NAMED.fullmatch(label)
    try:
        return f"{found[1] or ''}{day_text(date.fromisoformat(found[2]), table)}" if found else label
    except ValueError:
        return label


def _day_headed(column: Column, table: ReportTable) -> Column:
    label = _day_named(column.label, table)
    return column._replace(label=label, covers="" if column.covers == label else column.covers)


def shortened(table: ReportTable) -> ReportTable:
    """Return the report for paper, where a text longer than a page could be is cut, and says by how much."""
    return with_texts(table, _cut)


def _cut(text: str) -> str:
    more = len(text) - _LONGEST_ON_PAPER
    return text if more <= 0 else f"{text[:_LONGEST_ON_PAPER]}… ({more:,} more letters)"


def with_texts(table: ReportTable, change: Callable[[str], str]) -> ReportTable:
    """Return the report with each text in it changed in one way."""
    return table._replace(
        title=change(table.title),
        facts={name: change(text) for name, text in table.facts.items()},
        subtitle=tuple(map(change, table.subtitle)),
        columns=tuple(
            each._replace(
                label=change(each.label),
                covers=change(each.covers),
                extent=change(each.extent),
                group=change(each.group),
            )
            for each in table.columns
        ),
        rows=tuple(_row_with_texts(row, change) for row in table.rows),
        key_label=change(table.key_label),
        proof=_proof_with_texts(table.proof, change) if table.proof else None,
        notes=tuple(
            change(note) if isinstance(note, str) else note._replace(words=change(note.words)) for note in table.notes
        ),
        traced_lines=tuple(with_texts(each, change) for each in table.traced_lines),
        sheets=tuple(with_texts(each, change) for each in table.sheets),
        chart=_changed(table.chart, change),
        explanations=tuple(
            each._replace(row=change(each.row), of=change(each.of), text=change(each.text), by=change(each.by))
            for each in table.explanations
        ),
    )


def _row_with_texts(row: Row, change: Callable[[str], str]) -> Row:
    cells = {key: change(cell) if isinstance(cell, str) else cell for key, cell in row.cells.items()}
    adds = tuple((sign, change(key)) for sign, key in row.adds)
    return row._replace(key=change(row.key), label=change(row.label), cells=cells, adds=adds)


def _proof_with_texts(proof: Proof, change: Callable[[str], str]) -> Proof:
    return proof._replace(
        measure=change(proof.measure),
        left_out=tuple(part._replace(rule=change(part.rule)) for part in proof.left_out),
        shown_as=tuple(part._replace(rule=change(part.rule)) for part in proof.shown_as),
        checks=tuple(check._replace(words=change(check.words)) for check in proof.checks),
        further=tuple(_proof_with_texts(further, change) for further in proof.further),
    )


def _changed(part: Any, change: Callable[[str], str]) -> Any:
    """Return what a chart draws, or a part of it, with its texts changed."""
    if isinstance(part, str):
        return change(part)
    if isinstance(part, tuple):
        parts = [_changed(each, change) for each in part]
        return type(part)(*parts) if hasattr(part, "_fields") else tuple(parts)
    return part


def dressed(table: ReportTable) -> ReportTable:
    """Return the report with the days in its heads in the style's form."""
    if table.look.style.dates == "D Mon YYYY":
        return table
    sheets = tuple(dressed(each) for each in table.all_sheets[1:])
    return table._replace(columns=tuple(_dressed(column, table) for column in table.columns), sheets=sheets)


def _dressed(column: Column, table: ReportTable) -> Column:
    if column.first is None or column.through is None or column.covers == "adjustments":
        return column
    first, last = day_text(column.first, table), day_text(column.through, table)
    words = last if first == last else f"{first}–{last}"
    return column._replace(covers=f"at {words}" if column.covers.startswith("at ") else words)


def _rounding_notes(table: ReportTable) -> Iterator[str]:
    """Say by how much totals and the rows shown above them differ, where figures are shown rounded."""
    rows = {row.key: row for row in table.rows}
    gaps: list[tuple[Decimal, str]] = []
    for row in table.rows:
        for column in table.columns if row.adds else ():
            total = row.cells.get(column.key)
            if column.kind != "amount" or column.derived or not column.adds or not isinstance(total, Decimal):
                continue
            parts = [(sign, rows[key].cells.get(column.key), rows[key]) for sign, key in row.adds if key in rows]
            shown = sum(
                (
                    sign * shown_number(cell, column, table, part)
                    for sign, cell, part in parts
                    if isinstance(cell, Decimal)
                ),
                Decimal(0),
            )
            gap = abs(shown_number(total, column, table, row) - shown)
            if gap:
                gaps.append((gap, f"{row.label}, {column.label}"))
    if gaps:
        most, where = max(gaps, key=lambda each: each[0])
        count = f"{len(gaps)} totals differ" if len(gaps) > 1 else "one total differs"
        yield (
            f"Shown rounded, so {count} from the rows above by up to {grouped(most, table)} ({where});"
            " the figures behind them add up"
        )
