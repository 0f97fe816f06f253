"""What changed since an edition, as a report: its lines, its definitions, and the figures that they moved."""

from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Any, NamedTuple

from level_almanac.core.calendar.date_text import day_words
from level_almanac.core.editions.figure_lines import Effect, FigureChange
from level_almanac.core.editions.frozen import ChangedTable
from level_almanac.core.editions.issued_figures import Value
from level_almanac.core.table.exact import figure_words
from level_almanac.core.table.model import Cell, Check, Column, CountedAmount, Part, Proof, ReportTable, Row, heading
from level_almanac.errors import how_many
from level_almanac.files.tables import Table
from level_almanac.store.line_changes import ChangedLine

_ZERO = Decimal(0)
_MOST_LINES = 200
_MOST_EFFECTS = 12
_TOLD = ("posted", "date", "account", "item", "party", "document", "memo", "reason")
"""Fields that say what a line is, as far as its table has them."""


class ChangedDefinition(NamedTuple):
    """A file of definitions that is not the same: what became of it, and the lines of its text that differ."""

    path: str
    word: str
    lines: Sequence[str] = ()


class ComparedPage(NamedTuple):
    """A page in both: how many figures were compared, what they all come to, after less before, and those that differ
    and why. alone: the columns that only one side has, in words; failed: why it cannot be compared, if it cannot;
    by_rules: how many figures rules of a later version made otherwise, apart from all that is told here.
    """

    name: str
    title: str
    compared: int
    amount: Decimal = _ZERO
    explained: Sequence[FigureChange] = ()
    alone: Sequence[str] = ()
    failed: str = ""
    by_rules: int = 0


class Comparison(NamedTuple):
    """All that is told of one comparison. before, after: what is compared, in words; loads: by export, when it was
    loaded as it is in the later state; notes: further remarks.
    """

    edition: str
    before: str
    after: str
    tables: Sequence[ChangedTable]
    definitions: Sequence[ChangedDefinition]
    pages: Sequence[ComparedPage]
    loads: Mapping[str, str]
    notes: Sequence[str] = ()


def compare_report(comparison: Comparison) -> ReportTable:
    """Return what changed, and whether what is told of each figure comes to its difference."""
    rows = [*_line_rows(comparison), *_definition_rows(comparison.definitions)]
    for page in comparison.pages:
        rows += _page_rows(page, defined=bool(comparison.definitions))
    moved = [each for page in comparison.pages for each in page.explained]
    return ReportTable(
        title=f"What changed since the edition {comparison.edition}",
        facts={
            "edition": comparison.edition,
            "before": comparison.before,
            "after": comparison.after,
            "figures": str(len(moved)),
        },
        subtitle=(f"before: {comparison.before}", f"after: {comparison.after}", _summary(comparison, len(moved))),
        columns=(
            Column("before", "before", "amount", 2, adds=False),
            Column("after", "after", "amount", 2, adds=False),
            Column("difference", "difference", "amount", 2, adds=False),
            *(
                (Column("definitions", "of it by definitions", "amount", 2, adds=False),)
                if comparison.definitions
                else ()
            ),
        ),
        rows=tuple(rows),
        key_label="what",
        proof=_proof(comparison, moved),
        notes=tuple(comparison.notes),
    )


def _summary(comparison: Comparison, moved: int) -> str:
    counts = {"added": 0, "removed": 0, "altered": 0}
    for table in comparison.tables:
        for line in table.lines:
            counts[_word(line)] += 1
    lines = ", ".join(f"{count:,} {word}" for word, count in counts.items() if count) or "none changed"
    definitions = f"{len(comparison.definitions)} changed" if comparison.definitions else "none changed"
    pages = sum(bool(page.explained) for page in comparison.pages)
    figures = f"{moved:,} differ on {pages} of {how_many(len(comparison.pages), 'page')}" if moved else "none differ"
    return f"lines: {lines} · definitions: {definitions} · figures: {figures}"


def _word(line: ChangedLine) -> str:
    return "added" if line.before is None else "removed" if line.after is None else "altered"


def _line_rows(found: Comparison) -> Iterator[Row]:
    """Yield the changed lines by table, export and load, in the order of their keys: journal by journal."""
    for table, lines in found.tables:
        yield heading(f"lines/{table.name}", f"Lines of {table.name} that changed")
        files: dict[str, list[ChangedLine]] = {}
        for line in lines:
            files.setdefault(str((line.after or line.before or {})["file"]), []).append(line)
        for file, within in sorted(files.items()):
            loaded = found.loads.get(file)
            told = f"{file}, loaded {loaded}" if loaded else f"{file}, no longer loaded"
            yield heading(f"lines/{table.name}/{file}", told, 1)
            for line in within[:_MOST_LINES]:
                yield _line_row(table, line)
            if len(within) > _MOST_LINES:
                words = f"and {len(within) - _MOST_LINES:,} more, {len(within):,} in all"
                yield Row(f"lines/{table.name}/{file}/more", words, 2, "line")


def _line_row(table: Table, line: ChangedLine) -> Row:
    word, there = _word(line), line.after or line.before or {}
    words = [f"{word} {line.name()}"]
    if line.before is not None and line.after is not None:
        words += [
            f"{name} {_told(line.before.get(name))} → {_told(value)}"
            for name, value in line.after.items()
            if name not in ("file", "file_line") and value != line.before.get(name)
        ]
    else:
        words += [_told(there[name]) for name in _TOLD if name not in table.key and there.get(name) is not None]
    words.append(" → ".join(dict.fromkeys(_place(each) for each in (line.before, line.after) if each)))
    cells: dict[str, Cell] = {}
    if table.measure:
        before, after = (_amount(each, table.measure) for each in (line.before, line.after))
        cells = {"before": before, "after": after, "difference": (after or _ZERO) - (before or _ZERO)}
    return Row(f"lines/{table.name}/{'/'.join(line.key)}", " · ".join(words), 2, "line", cells)


def _amount(line: Mapping[str, Any] | None, measure: str) -> Decimal | None:
    value = line.get(measure) if line else None
    return value if isinstance(value, Decimal) else None


def _told(value: Any) -> str:
    if value is None:
        return "blank"
    if isinstance(value, Decimal):
        return figure_words(value)
    return day_words(value) if isinstance(value, date) else str(value)


def _place(line: Mapping[str, Any]) -> str:
    return f"{line['file']}:{line['file_line']}"


def _definition_rows(definitions: Sequence[ChangedDefinition]) -> Iterator[Row]:
    if definitions:
        yield heading("definitions", "Definitions that changed")
    for each in definitions:
        yield Row(f"definitions/{each.path}", f"{each.word} {each.path}", 1, "heading" if each.lines else "line")
        for number, line in enumerate(each.lines[:_MOST_EFFECTS], 1):
            yield Row(f"definitions/{each.path}/{number}", line, 2, "line")
        if len(each.lines) > _MOST_EFFECTS:
            words = f"and {len(each.lines) - _MOST_EFFECTS} more lines"
            yield Row(f"definitions/{each.path}/more", words, 2, "line")


def _page_rows(page: ComparedPage, *, defined: bool) -> Iterator[Row]:
    if not page.explained and not page.failed and not page.alone:
        return
    yield heading(page.name, f"{page.title} ({page.name})")
    if page.failed:
        yield Row(f"{page.name}/failed", f"cannot be compared: {page.failed.partition(chr(10))[0]}", 1, "line")
    yield from (Row(f"{page.name}/alone/{number}", words, 1, "line") for number, words in enumerate(page.alone, 1))
    told: set[str] = set()
    by_row: dict[str, list[FigureChange]] = {}
    for each in page.explained:
        by_row.setdefault(each.moved.figure.row, []).append(each)
    for key, figures in by_row.items():
        yield heading(f"{page.name}/{key}", figures[0].moved.figure.row_label, 1)
        groups: list[list[FigureChange]] = []
        for each in figures:
            same = next((group for group in groups if group[0].effects == each.effects), None)
            if same is None:
                groups.append([each])
            else:
                same.append(each)
        # What no line moved comes last, so that lines stand beneath the figures that they moved.
        for group in sorted(groups, key=lambda group: not group[0].effects):
            for each in group:
                yield _figure_row(page.name, each, defined=defined)
            yield from _effect_rows(page.name, group[0], told)


def _figure_row(page: str, each: FigureChange, *, defined: bool) -> Row:
    figure = each.moved.figure
    decimals = {"amount": None, "percent": 1, "number": 2, "count": 0}.get(figure.kind)
    before, after = (_shown(side.value if side else None) for side in (each.moved.before, each.moved.after))
    cells: dict[str, Cell] = {
        "before": before if each.moved.before else "not there",
        "after": after if each.moved.after else "not there",
        "difference": each.moved.difference,
    }
    if defined and not each.why:
        cells["definitions"] = each.by_definitions
    percent = figure.kind == "percent" and "%" not in figure.column_label
    label = f"{figure.column_label}, %" if percent else figure.column_label
    label += f" ({each.why})" if each.why else ""
    return Row(f"{page}/{figure.row}/{figure.column}", label, 2, "line", cells, decimals=decimals)


def _shown(value: Value) -> Cell:
    return Decimal(value) if isinstance(value, int) else value


def _effect_rows(page: str, each: FigureChange, told: set[str]) -> Iterator[Row]:
    """Yield the lines behind a difference; of a total whose lines stand above already, how many they are."""
    figure = each.moved.figure
    place = f"{page}/{figure.row}/{figure.column}"
    if figure.total and each.effects and {effect.key for effect in each.effects} <= told:
        words = f"{how_many(len(each.effects), 'line')}, told above"
        yield Row(f"{place}/lines", words, 3, "line", {"difference": each.by_lines})
        return
    told.update(effect.key for effect in each.effects)
    for effect in each.effects[:_MOST_EFFECTS]:
        cells: dict[str, Cell] = {"difference": effect.amount}
        words = f"{effect.word} {effect.key} · {_places(effect)}"
        yield Row(f"{place}/{effect.key}", words, 3, "line", cells)
    more = each.effects[_MOST_EFFECTS:]
    if more:
        amount = sum((effect.amount for effect in more), _ZERO)
        yield Row(f"{place}/more", f"and {len(more):,} more lines", 3, "line", {"difference": amount})


def _places(effect: Effect) -> str:
    return " → ".join(dict.fromkeys(each for each in (effect.before, effect.after) if each))


def _proof(found: Comparison, moved: Sequence[FigureChange]) -> Proof:
    compared = sum(page.compared for page in found.pages)
    amount = sum((each.moved.difference or _ZERO for each in moved), _ZERO)
    everything = sum((page.amount for page in found.pages), _ZERO)
    wrong = [each for each in moved if not each.holds]
    by_lines = [each for each in moved if not each.why]
    words = f"lines and definitions come to the difference of each of {how_many(len(by_lines), 'figure')}"
    if wrong:
        words += ", but not of " + "; ".join(
            f"{each.moved.figure.words}: lines {_told(each.by_lines)}, data {_told(each.by_data)}" for each in wrong[:5]
        )
    followed = len(moved) - len(by_lines)
    checks = [Check(words, not wrong)] if moved else []
    if followed:
        checks.append(Check(f"{followed:,} more follow from others and have no lines of their own", holds=True))
    same = Part("figures that are the same", CountedAmount(compared - len(moved), _ZERO))
    return Proof(
        measure="difference of each figure, after less before",
        considered=CountedAmount(compared, everything),
        shown=CountedAmount(len(moved), amount),
        left_out=(same,) if same.counted.lines else (),
        checks=tuple(checks),
        table="figures",
        unit="figure",
    )
