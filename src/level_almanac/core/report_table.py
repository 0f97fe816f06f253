"""What every report is made as and every renderer takes: one frozen value (docs/output.md)."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Literal

Cell = Decimal | date | int | str | None
ColumnKind = Literal["amount", "percent", "count", "date", "text"]
RowKind = Literal["heading", "line", "subtotal", "total"]


@dataclass(frozen=True, slots=True)
class Column:
    """One column. decimals: shown after the point; first, through: the days it covers; complete: whether the data
    covers them all, None where that is not asked; covers, extent: the same in words for its head.
    """

    key: str
    label: str
    kind: ColumnKind
    decimals: int = 0
    first: date | None = None
    through: date | None = None
    complete: bool | None = None
    covers: str = ""
    extent: str = ""


@dataclass(frozen=True, slots=True)
class Row:
    """One row: its key (what a person points with), label, level of indentation, kind, and cells by column key."""

    key: str
    label: str
    level: int
    kind: RowKind
    cells: Mapping[str, Cell] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Counted:
    """A number of lines and what they come to."""

    lines: int
    amount: Decimal

    def __add__(self, other: "Counted") -> "Counted":
        return Counted(self.lines + other.lines, self.amount + other.amount)


@dataclass(frozen=True, slots=True)
class Part:
    """Some of the lines considered: those that one rule kept out of the report, or that are shown in one way."""

    rule: str
    counted: Counted


@dataclass(frozen=True, slots=True)
class Check:
    """One thing that must hold, in words that also tell by how much it does not."""

    words: str
    holds: bool


@dataclass(frozen=True, slots=True)
class Proof:
    """The accounting of all lines that a report considered: they are what it shows and what its rules left out.

    measure: what the amounts are of; considered: counted apart from the report's own query; shown_as: how what is
    shown falls into parts, where it does.
    """

    measure: str
    considered: Counted
    shown: Counted
    left_out: tuple[Part, ...]
    checks: tuple[Check, ...] = ()
    decimals: int = 2
    shown_as: tuple[Part, ...] = ()

    @property
    def adds_up(self) -> bool:
        """Whether no line is lost or counted twice; where not, the report is wrong."""
        return sum((each.counted for each in self.left_out), self.shown) == self.considered

    @property
    def balances(self) -> bool:
        """Whether the proof adds up and all its checks hold."""
        return self.adds_up and all(check.holds for check in self.checks)


@dataclass(frozen=True, slots=True)
class ReportTable:
    """A report. facts: what it was made of, by key; subtitle: the same as lines to be read; key_label: the head of the
    row labels; show_keys: whether row keys stand beside the labels.
    """

    title: str
    facts: Mapping[str, str]
    subtitle: tuple[str, ...]
    columns: tuple[Column, ...]
    rows: tuple[Row, ...]
    key_label: str = ""
    show_keys: bool = False
    proof: Proof | None = None
    notes: tuple[str, ...] = ()
