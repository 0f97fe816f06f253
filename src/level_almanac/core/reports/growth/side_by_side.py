"""Growth on one sheet: spans as rows, and each measure or member in columns of its own beside the others."""

from collections.abc import Iterator
from typing import NamedTuple

from level_almanac.core.measures.day_sums import Members
from level_almanac.core.reports.growth.figures import Growing, Shown
from level_almanac.core.spans.windows import Missing, covered
from level_almanac.core.table.model import Cell, Column, ColumnKind, Derived, Row, heading

_KINDS: dict[str, ColumnKind] = {"amount": "amount", "quantity": "number", "count": "count", "ratio": "number"}


class Block(NamedTuple):
    """One measure of one member, or of all. key: of its columns, before a colon."""

    key: str
    member: Members | None
    shown: Shown


def blocks_of(growing: Growing) -> list[Block]:
    """Return the blocks in the order that they stand beside one another."""
    return [
        Block(growing.prefix(member, shown).rstrip("/") or shown.key, member, shown) for member, shown in growing.blocks
    ]


def columns(growing: Growing) -> Iterator[Column]:
    """Yield the days, those compared with them, and of each block its figure, last year's, the change and that in %."""
    yield Column("days", "days", "text")
    yield Column("compared", "compared with", "text")
    several = len(growing.blocks) > 1
    for key, member, shown in blocks_of(growing):
        head = growing.block_name(member, shown) if several else ""
        label = "figure" if several else shown.label
        kind, places = _kind(growing, shown), _places(growing, shown)
        yield Column(f"{key}:now", label, kind, places, group=head)
        yield Column(f"{key}:last-year", "last year", kind, places, group=head)
        exact = kind == "amount"
        of, over = f"{key}:now", f"{key}:last-year"
        if growing.is_percent(shown):
            yield Column(f"{key}:change", "change, points", "number", 1, group=head)
            continue
        derived = Derived(of, over) if exact else None
        yield Column(f"{key}:change", "change", kind, places, derived=derived, group=head)
        derived = Derived(of, over, percent=True) if exact else None
        yield Column(f"{key}:change-pct", "change %", "percent", 1, derived=derived, group=head)


def _kind(growing: Growing, shown: Shown) -> ColumnKind:
    if growing.is_percent(shown):
        return "percent"
    if shown.kind == "per":
        return "number"
    measured = growing.per.measured if shown.kind == "of_per" and growing.per is not None else growing.measured
    return _KINDS[measured.measures[shown.number].kind]


def _places(growing: Growing, shown: Shown) -> int:
    places = growing.decimals_of(shown)
    return 1 if growing.is_percent(shown) else growing.measured.decimals if places is None else places


def rows(growing: Growing) -> Iterator[Row]:
    """Yield a row for each span."""
    unit = ""
    blocks = blocks_of(growing)
    for stage in growing.stages:
        name = "To date" if stage.to_date else f"By {stage.unit}"
        if name != unit:
            unit = name
            yield heading(name.lower().replace(" ", "-"), name)
        last = stage.last_year
        cells: dict[str, Cell] = {"compared": last.why if isinstance(last, Missing) else last.covers}
        for key, member, shown in blocks:
            own = growing.cells(stage, member, shown)
            cells["days"] = own["days"]
            counts = _kind(growing, shown) == "count"
            for told, cell in (("now", "now"), ("last-year", "last-year"), ("change", "last-year-change"),
                               ("change-pct", "last-year-change-pct")):  # fmt: skip
                value = own.get(cell)
                whole = counts and told != "change-pct" and value is not None and not isinstance(value, str)
                cells[f"{key}:{told}"] = int(value) if whole else value  # type: ignore[arg-type]  # a number, then
        yield Row(stage.key, stage.label, 1, "line", cells, covered=covered(stage.now, growing.measured.through))
