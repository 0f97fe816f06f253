"""How a cell, and a proof, are written as text for people. Every format for people uses these."""

from collections.abc import Sequence
from datetime import date
from decimal import ROUND_HALF_UP, Decimal

from level_almanac.core.report_table import Cell, Column, Counted, Part, Proof

_MINUS = "−"
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def number_words(number: Decimal | int, decimals: int) -> str:
    """Return a number with grouped thousands, rounded half away from zero; what rounds to zero shows no minus."""
    rounded = Decimal(number).quantize(Decimal(1).scaleb(-decimals), rounding=ROUND_HALF_UP)
    sign = _MINUS if rounded < 0 else ""
    return f"{sign}{abs(rounded):,f}"


def cell_words(cell: Cell, column: Column) -> str:
    """Return a cell as it is shown under its column."""
    if cell is None:
        return ""
    if isinstance(cell, date):
        return f"{cell.day} {_MONTHS[cell.month - 1]} {cell.year}"
    if isinstance(cell, Decimal | int):
        return number_words(cell, column.decimals)
    return cell


def counted_words(counted: Counted, decimals: int) -> str:
    """Return `25,112 lines −1,204,551.20`."""
    return f"{counted.lines:,} lines {number_words(counted.amount, decimals)}"


def proof_lines(proof: Proof) -> list[str]:
    """Return the proof in words, a line for each step."""
    places = proof.decimals
    shown_as = f": {_parts(proof.shown_as, places)}" if proof.shown_as else ""
    lines = [
        f"{counted_words(proof.considered, places)} considered ({proof.measure})",
        f"= {counted_words(proof.shown, places)} shown{shown_as}",
        f"+ left out: {_parts(proof.left_out, places)}" if proof.left_out else "+ nothing left out",
    ]
    lines.append("adds up to the cent" if proof.adds_up else "DOES NOT ADD UP: this report is wrong")
    lines[-1] += "".join(f" · {check.words}" for check in proof.checks if check.holds)
    return lines + [f"DOES NOT HOLD: {check.words}" for check in proof.checks if not check.holds]


def _parts(parts: Sequence[Part], decimals: int) -> str:
    return " · ".join(f"{part.rule} {counted_words(part.counted, decimals)}" for part in parts)
