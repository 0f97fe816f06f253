"""What every report is made as and every renderer takes: one frozen value (docs/output.md)."""

from collections.abc import Mapping
from datetime import date
from decimal import Decimal
from types import MappingProxyType
from typing import Literal, NamedTuple

from level_almanac.core.table.chart_data import ChartData
from level_almanac.core.table.style import Look
from level_almanac.immutable import immutable

Cell = Decimal | date | int | str | None
ColumnKind = Literal["amount", "percent", "number", "count", "date", "text"]
_HEADING = ":heading"
RowKind = Literal["group", "heading", "line", "subtotal", "total", "blank"]


class Derived(NamedTuple):
    """How a column follows from two others: `of` less `over`, as an amount or in percent of `over`'s size.

    favourable: whether the sign is turned where less is better, as a variance's is.
    """

    of: str
    over: str
    percent: bool = False
    favourable: bool = False


class Covered(NamedTuple):
    """The days that figures cover. first: None where they tell the state at `through`; complete: whether the data
    reaches the last of them, None where that is not known; whole: whether they are all of the span that is meant.
    """

    first: date | None
    through: date
    complete: bool | None
    whole: bool


Made = str | Decimal | tuple[Literal["+", "-", "*", "/"], "Made", "Made"]
"""What a cell is made of in its row: the key of another column, a number, or one operation on two such."""


class Column(NamedTuple):
    """One column. decimals: shown after the point; first, through: the days it covers; complete: whether the data
    covers them all, None where that is not asked; covers, extent: the same in words for its head; scenario: the plan
    it is of, or empty; derived: what it is made of; series: what it is one of, where a span is divided; adds: whether
    a total's cell is the sum of those above it, as a balance or an average is not; whole: whether `extent` is the whole
    of its unit; covered: the days it covers, where its head does not say them; made: the arithmetic on
    other columns that gives each of its cells, of totals too; group: the head over it and those
    beside it that have the same.
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
    scenario: str = ""
    derived: Derived | None = None
    series: str = ""
    adds: bool = True
    whole: bool = False
    covered: Covered | None = None
    made: Made | None = None
    group: str = ""


class Row(NamedTuple):
    """One row: its key (what a person points with), label, level of indentation, kind, and cells by column key.

    percent: whether its amounts are ratios in percent, whose changes are in points; adds: the keys of the rows that it
    is the sum of, each with a sign; favourable: -1 where a variance turns the sign, because less is better; decimals:
    of its figures where they are no money, and so are never shown in thousands; covered: the days that it is of.
    """

    key: str
    label: str
    level: int
    kind: RowKind
    cells: Mapping[str, Cell] = MappingProxyType({})
    percent: bool = False
    adds: tuple[tuple[int, str], ...] = ()
    favourable: int = 1
    decimals: int | None = None
    covered: Covered | None = None

    @property
    def told_kind(self) -> str:
        """Its kind, as it is told to programs: of all other members together, and of shares, kinds of their own."""
        if self.kind != "line":
            return self.kind
        last = self.key.rpartition("/")[2]
        return "all-other" if last == "all-other" else "percent" if self.percent and last == "percent" else "line"

    @property
    def group(self) -> str:
        """The key of the group that it heads or totals, without what marks a heading; its own where it does neither."""
        return self.key.removesuffix(_HEADING)

    @property
    def is_money(self) -> bool:
        """Whether its figures in columns of amounts are amounts."""
        return not self.percent and self.decimals is None


def heading(group: str, label: str, level: int = 0) -> Row:
    """Return the row that heads a group; its key tells it from the group's total, whose key is the group's."""
    return Row(heading_key(group), label, level, "heading")


def heading_key(group: str) -> str:
    """Return the key of the row that heads a group."""
    return f"{group}{_HEADING}"


@immutable
class CountedAmount:
    """A number of lines and what they come to."""

    lines: int
    amount: Decimal

    def __add__(self, other: "CountedAmount") -> "CountedAmount":
        return CountedAmount(self.lines + other.lines, self.amount + other.amount)


class Part(NamedTuple):
    """Some of the lines considered: those that one rule kept out of the report, or that are shown in one way."""

    rule: str
    counted: CountedAmount


class Note(NamedTuple):
    """A remark that holds amounts: `{}` stands in the words for each, and the report's style says how it is written."""

    words: str
    amounts: tuple[Decimal, ...] = ()
    decimals: int = 2


class Slip(str):
    """A remark on what may be a slip, such as a word that no line has; where nobody is there to read it, a finding."""

    __slots__ = ()


class Explanation(NamedTuple):
    """What a person wrote of a figure. row, column: its keys; of: the same in words; stale: the figure that it was
    written for, where it is another now.
    """

    row: str
    column: str
    of: str
    text: str
    by: str = ""
    stale: Decimal | None = None


class Check(NamedTuple):
    """One thing that must hold, in words that also tell by how much it does not."""

    words: str
    holds: bool


class Proof(NamedTuple):
    """The accounting of all lines that a report considered: they are what it shows and what its rules left out.

    measure: what the amounts are of, or empty where only lines are counted; considered: counted apart from the report's
    own query; shown_as: how what is shown falls into parts, where it does; table: whose lines; further: proofs of what
    else was considered; unit: what is counted; verb: what was done with the lines that are shown.
    """

    measure: str
    considered: CountedAmount
    shown: CountedAmount
    left_out: tuple[Part, ...]
    checks: tuple[Check, ...] = ()
    decimals: int = 2
    shown_as: tuple[Part, ...] = ()
    table: str = "ledger"
    further: tuple["Proof", ...] = ()
    unit: str = "line"
    verb: str = "shown"

    @property
    def adds_up(self) -> bool:
        """Whether no line is lost or counted twice; where not, the report is wrong."""
        return sum((each.counted for each in self.left_out), self.shown) == self.considered

    @property
    def balances(self) -> bool:
        """Whether the proof adds up and all its checks hold."""
        return (
            self.adds_up and all(check.holds for check in self.checks) and all(more.balances for more in self.further)
        )

    @property
    def unmet(self) -> tuple[str, ...]:
        """What of its checks, and those of further proofs, does not hold."""
        own = tuple(check.words for check in self.checks if not check.holds)
        return own + tuple(words for more in self.further for words in more.unmet)


class ReportTable(NamedTuple):
    """A report. facts: what it was made of, by key; subtitle: the same as lines to be read; key_label: the head of the
    row labels; show_keys: whether row keys stand beside the labels; look: how numbers, days and paper are to look;
    traced_lines: the lines behind its figures, in groups by row key, as a table or none; chart: what is drawn of it;
    explanations: of single figures, numbered from 1 in their order; flat: whether its rows are data of one kind, whose
    labels are values of the field that `key_label` names; sheets: what belongs to it and stands after
    it, on sheets or pages of its own.
    """

    title: str
    facts: Mapping[str, str]
    subtitle: tuple[str, ...]
    columns: tuple[Column, ...]
    rows: tuple[Row, ...]
    key_label: str = ""
    show_keys: bool = False
    proof: Proof | None = None
    notes: tuple[Note | str, ...] = ()
    look: Look = Look()
    traced_lines: tuple["ReportTable", ...] = ()
    chart: ChartData | None = None
    explanations: tuple["Explanation", ...] = ()
    flat: bool = False
    sheets: tuple["ReportTable", ...] = ()

    @property
    def all_sheets(self) -> tuple["ReportTable", ...]:
        """The report itself and what stands after it, all in its look."""
        return (self, *(each._replace(look=self.look) for each in self.sheets))

    @property
    def marks(self) -> Mapping[tuple[str, str], int]:
        """The number of the explanation of each figure that has one, by the keys of its row and column."""
        return {(each.row, each.column): number for number, each in enumerate(self.explanations, 1)}
