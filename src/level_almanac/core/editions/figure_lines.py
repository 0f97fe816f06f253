"""What each line adds to a figure, read from the figure's trace; and what lines explain of a difference.

A figure that is a sum of lines differs between two states by exactly what its lines add in the one less what they add
in the other, so the lines whose part in it differs explain it to the cent (docs/editions.md).
"""

from collections.abc import Collection, Mapping, Sequence
from decimal import Decimal
from typing import Literal, NamedTuple

from level_almanac.core.editions.issued_figures import Moved
from level_almanac.core.table.model import Column, ReportTable, Row
from level_almanac.core.trace.frame import SUMMED

_ZERO = Decimal(0)
COUNT = "count"
"""The key of the column that counts lines, wherever there is one."""
Word = Literal["added", "removed", "altered"]


class Share(NamedTuple):
    """What a line adds to a figure, and the place in its export."""

    amount: Decimal
    place: str


Shares = Mapping[str, Share]
"""By the key of the line."""


def shares_in(trace: ReportTable) -> dict[str, dict[str, Share]]:
    """Return the shares of the lines in a trace, by the key of the column that was traced, and of their number."""
    keys = {column.key for column in trace.columns}
    if "figure" in keys:
        return {"": _of_documents(trace.rows)}
    if "part" in keys:
        return {"": _of_plan(trace.rows)}
    amounts = [column.key for column in trace.columns if column.kind in ("amount", "number", "count")]
    by_column: dict[str, dict[str, Share]] = {key: {} for key in [*amounts, COUNT]}
    for row in trace.rows:
        if row.kind != "line":
            continue
        place = str(row.cells.get("export") or "")
        if COUNT not in amounts:
            by_column[COUNT][row.label] = Share(Decimal(1), place)
        for key in amounts:
            cell = row.cells.get(key)
            if isinstance(cell, Decimal | int):
                # Its label is the line's key without the group that it stands in.
                before = by_column[key].get(row.label, Share(_ZERO, place))
                by_column[key][row.label] = Share(before.amount + cell, place)
    summed = trace.facts.get(SUMMED, "")
    return {"": by_column[summed]} if summed in by_column else by_column


def _of_documents(rows: Sequence[Row]) -> dict[str, Share]:
    places = {
        row.key.removesuffix(">own"): str(row.cells.get("export") or "") for row in rows if row.key.endswith(">own")
    }
    return {
        row.key: Share(Decimal(cell), places.get(row.key, ""))
        for row in rows
        if row.kind == "subtotal" and isinstance(cell := row.cells.get("figure"), Decimal | int)
    }


def _of_plan(rows: Sequence[Row]) -> dict[str, Share]:
    shares: dict[str, Share] = {}
    for row in rows:
        cell = row.cells.get("part")
        if row.kind != "line" or not isinstance(cell, Decimal):
            continue
        # A line of a plan is known by what it plans: its place moves with every line put in above it.
        key = "/".join(str(row.cells[name]) for name in row.cells if name != "part" and row.cells[name])
        before = shares.get(key, Share(_ZERO, row.label))
        shares[key] = Share(before.amount + cell, row.label)
    return shares


def derived_shares(of: Shares, over: Shares, factor: int) -> dict[str, Share]:
    """Return the shares of a column that is one less another. factor: -1 where less is better."""
    changed: dict[str, Share] = {}
    for sign, shares in ((factor, of), (-factor, over)):
        for key, share in shares.items():
            before = changed.get(key, Share(_ZERO, share.place))
            changed[key] = Share(before.amount + sign * share.amount, share.place)
    return changed


class Effect(NamedTuple):
    """A line whose part in a figure differs, and by how much. before, after: its places in the exports, of what the
    figure held of it; altered: whether it is there on both sides, so that it only came to the figure or left it.
    """

    key: str
    amount: Decimal
    before: str
    after: str
    altered: bool = False

    @property
    def word(self) -> Word:
        """What became of it."""
        if self.altered:
            return "altered"
        return "added" if not self.before else "removed" if not self.after else "altered"


def effects(before: Shares, after: Shares, altered: Collection[str] = ()) -> tuple[Effect, ...]:
    """Return the lines whose share in a figure is not the same. altered: the lines that are there on both sides."""
    changed = []
    for key in [*after, *(key for key in before if key not in after)]:
        was, now = before.get(key), after.get(key)
        amount = (now.amount if now else _ZERO) - (was.amount if was else _ZERO)
        if amount:
            changed.append(Effect(key, amount, was.place if was else "", now.place if now else "", key in altered))
    return tuple(changed)


class FigureChange(NamedTuple):
    """A figure that differs. data: how it moved with the data under the old definitions, None where it did not;
    definitions: by how much more it moved with the new ones; effects: the lines that moved it; why: why no lines tell.
    """

    moved: Moved
    data: Moved | None
    effects: tuple[Effect, ...]
    why: str = ""

    @property
    def by_data(self) -> Decimal | None:
        """What the changed data moved it by, None where it is no number."""
        return self.data.difference if self.data else Decimal(0)

    @property
    def by_definitions(self) -> Decimal | None:
        """What the changed definitions moved it by, None where it is no number."""
        if self.moved.difference is None or self.by_data is None:
            return None
        return self.moved.difference - self.by_data

    @property
    def by_lines(self) -> Decimal:
        """What its lines moved it by."""
        return sum((each.amount for each in self.effects), _ZERO)

    @property
    def holds(self) -> bool:
        """Whether its lines come to what the data moved it by, where lines can tell."""
        return bool(self.why) or self.by_data is None or self.by_lines == self.by_data


def is_followed(column: Column, row: Row) -> bool:
    """Tell whether a figure follows from others and so has no lines of its own."""
    return column.kind == "percent" or row.percent or (column.derived is not None and column.derived.percent)
