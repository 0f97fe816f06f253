"""How the rows of one export become lines: its block's keys, held against the heads that the export has."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

from level_almanac.errors import BookMistake, Mistake, listed, nearest
from level_almanac.files.patterns import day_pattern, is_plain_day, period_pattern
from level_almanac.files.settings import FieldSource, IntakeBlock
from level_almanac.files.tables import Table
from level_almanac.immutable import immutable
from level_almanac.intake.files import ExportFile
from level_almanac.intake.shaping.head_words import (
    ABOUT_FILE,
    CELL,
    FILE,
    HEAD,
    MEMBER,
    SHEET,
    column_of,
    head_word,
    test_of,
    words_of,
)
from level_almanac.intake.shaping.mapping import MappedField, mapped_fields
from level_almanac.store.binding import Binding
from level_almanac.store.predicate import Predicate, fields_in
from level_almanac.store.shaping import Cells, Column, HeldTotals, ShapedRows, text_behind, with_texts

Conditions = Mapping[tuple[int, str], Predicate]
"""What the intake blocks state in words: by the number of a block, and the key that states it."""


@immutable
class Shape:
    """One export's shape. rows: what the store makes of it; heads: of its columns, and what stands for its file;
    columns: of each field that is mapped; only: the test of the lines that the block takes; plain: whether each row is
    a line as it stands, so that nothing is to be made of it first.
    """

    rows: ShapedRows
    heads: tuple[str, ...]
    columns: Mapping[str, int]
    totals: tuple[HeldTotals, ...] = ()
    only: str = ""
    plain: bool = True

    def head(self, column: int) -> str:
        """Return what messages call a column."""
        return self.heads[column] if column < len(self.heads) else ""


def shape_of(file: ExportFile, table: Table, heads: Sequence[str], source: str, conditions: Conditions) -> Shape:
    """Return the shape of one export. source: the FROM clause of its rows; raises BookMistake for lacking heads."""
    block, where = file.block, f"{file.name}:{max(file.block.head_row, 1)}"
    bound = Binding()
    about = {SHEET: file.sheet, FILE: file.stem, MEMBER: file.member}
    all_heads = [*heads, *(about if _speaks_of_file(file, heads, conditions) else ())]
    first_free = len(all_heads)
    if len(all_heads) > len(heads):
        source = with_texts(source, dict(enumerate(about.values(), len(heads))), bound)
    makers = _Makers(file, tuple(all_heads), bound, conditions)
    cells, head, text = None, -1, -1
    known = list(all_heads)
    if block.across:
        cells = _cells(block, heads, where, f"intake[{file.number}].across")
        head, text, first_free = first_free, first_free + 1, first_free + 2
        known += [HEAD, CELL]
    fields: dict[int, Column] = {}
    late: dict[int, Column] = {}
    columns: dict[str, int] = {}
    for name, mapped in mapped_fields(block, table, known, where).items():
        if mapped.source.is_plain and len(mapped.columns) == 1:
            columns[name] = mapped.columns[0]
            continue
        made = makers.column(name, mapped)
        (late if block.across and {head, text} & set(mapped.columns) else fields)[first_free] = made
        columns[name] = first_free
        first_free += 1
    if block.at_end_of_period and "period" not in columns:
        fields[first_free] = Column(constant=block.set.get("period", ""))
        columns["period"] = first_free
        first_free += 1
    split: dict[int, str] = {}
    for name, sign in block.split.items():
        if name in columns:
            # A column that other fields are read from stays as it is.
            fields_of = late if columns[name] in late else fields
            if columns[name] not in fields_of and columns[name] not in (head, text):
                fields[first_free] = Column(parts=(columns[name],))
                columns[name] = first_free
                first_free += 1
            split[columns[name]] = sign
    totals = tuple(makers.totals(table, columns))
    tests = [makers.test(key) for key in _passing_keys(block)]
    rows = ShapedRows(source, bound, " or ".join(tests), fields, cells, head, text, late, split)
    only = makers.test("only") if block.only else ""
    special_days = not is_plain_day(block.date_patterns) or block.at_end_of_period
    plain = len(all_heads) == len(heads) and not (tests or fields or cells or late or split or special_days)
    return Shape(rows, tuple(all_heads), columns, totals, only, plain)


def _passing_keys(block: IntakeBlock) -> Iterator[str]:
    yield from (f"pass_over[{number}]" for number, _ in enumerate(block.passed_over, 1))
    yield from (f"totals[{number}].rows" for number, _ in enumerate(block.totals, 1))


def _speaks_of_file(file: ExportFile, heads: Sequence[str], conditions: Conditions) -> bool:
    """Tell whether a block's fields or conditions ask for the name of its file, sheet or member."""
    sources = file.block.field_sources.values()
    if any(head in ABOUT_FILE for each in sources for head in (*each.heads, *each.join, *each.either)):
        return True
    own = {head_word(head) for head in heads}
    asked = {name for (number, _), each in conditions.items() if number == file.number for name in fields_in(each)}
    return bool(asked & {head_word(head) for head in ABOUT_FILE} - own)


@immutable
class _Makers:
    """Makes the parts of one export's shape out of the words of its block."""

    file: ExportFile
    heads: tuple[str, ...]
    bound: Binding
    conditions: Conditions

    def test(self, key: str) -> str:
        """Return the SQL test of the condition that a key of the block states."""
        where = f"intake[{self.file.number}].{key}"
        words = words_of(self.heads, self.file.block.field_sources.values())
        return test_of(self.conditions[self.file.number, key], words, where, self.bound)

    def column(self, name: str, mapped: MappedField) -> Column:
        """Return what the text of a field is made of."""
        source, key = mapped.source, f"fields.{name}"
        several = mapped.columns if source.either else ()
        return Column(
            parts=() if several else mapped.columns,
            between=source.between,
            either=several,
            after=source.after,
            before=source.before,
            rows=self.test(f"{key}.rows") if source.rows else "",
            down=source.down,
            until=self.test(f"{key}.until") if source.until else "",
            strip=source.zeros == "strip",
            width=source.width,
        )

    def totals(self, table: Table, columns: Mapping[str, int]) -> Iterator[HeldTotals]:
        """Yield the totals that are held against the lines."""
        block = self.file.block
        for number, told in enumerate(block.totals, 1):
            where = f"intake[{self.file.number}].totals[{number}]"
            names = [field.name for field in table.fields if field.kind in ("amount", "quantity")]
            held = tuple(dict.fromkeys(columns[name] for name in names if name in columns))
            if told.columns:
                held = tuple(self._found(head, f"{where}.columns") for head in told.columns)
            by = None
            if told.by:
                column = self._found(told.by, f"{where}.by")
                # What is carried down over the lines is the field's text, not what stands in each row.
                field_column = next(
                    (columns[name] for name, source in block.field_sources.items()
                     if name in columns and self._is_of(source, told.by) and source.down), column,
                )  # fmt: skip
                by = (field_column, text_behind(column, told.after, self.bound))
            yield HeldTotals(where, self.test(f"totals[{number}].rows"), told.of == "above", by, held)

    def _is_of(self, source: FieldSource, head: str) -> bool:
        return any(column_of(name, self.heads) == column_of(head, self.heads) for name in source.heads if name)

    def _found(self, head: str, where: str) -> int:
        column = column_of(head, self.heads)
        if column is None:
            what, known = "the export has no such head", listed(repr(each) for each in self.heads)
            raise BookMistake(Mistake(what, where, repr(head), known, nearest(head, self.heads)))
        return column


def _cells(block: IntakeBlock, heads: Sequence[str], where: str, key: str) -> Cells:
    """Return the columns of which each cell is a line; raise BookMistake where the block's words fit none."""
    across = block.across
    if across is None:
        raise AssertionError("the block has no columns across")
    total = None
    if across.total:
        total = column_of(across.total, heads)
        if total is None:
            what, known = f"the head line has no {across.total!r}, the total", listed(repr(head) for head in heads)
            raise BookMistake(Mistake(what, where, allowed=known, next_step=nearest(across.total, heads)))
    told = across.heads
    if isinstance(told, list):
        found = [column_of(head, heads) for head in told]
        lacking = [head for head, column in zip(told, found, strict=True) if column is None]
        if lacking:
            what = f"the head line has no {lacking[0]!r}, a column of lines"
            known = listed(repr(head) for head in heads)
            raise BookMistake(Mistake(what, where, allowed=known, next_step=nearest(lacking[0], heads)))
        columns = [column for column in found if column is not None]
    elif " through " in told:
        ends = [column_of(each.strip(), heads) for each in told.split(" through ", 1)]
        if None in ends or (first := ends[0] or 0) > (last := ends[1] or 0):
            known = listed(repr(head) for head in heads)
            raise BookMistake(Mistake("the head line has no such columns", where, repr(told), known))
        columns = [column for column in range(first, last + 1) if column != total]
    else:
        expression, day = period_pattern(told), day_pattern(told)
        columns = [
            column
            for column, head in enumerate(heads)
            if column != total
            and ((expression and expression.fullmatch(head)) or (day and day.read(head, 2000) is not None))
        ]
        if not (expression or day):
            allowed = "a list of heads, 'A through B', or a pattern such as 'YYYY-MM', 'Mon', 'PPP'"
            raise BookMistake(Mistake("not heads", f"{key}.heads", repr(told), allowed))
        if not columns:
            known = listed(repr(head) for head in heads)
            raise BookMistake(Mistake("the head line has no column of this pattern", where, repr(told), known))
        columns = _real_months(columns, heads, told)
    return Cells(tuple(columns), tuple(heads[column] for column in columns), total)


def _real_months(columns: list[int], heads: Sequence[str], pattern: str) -> list[int]:
    """Return the columns without those whose head is any word, though the pattern asks for a month's name."""
    from level_almanac.files.patterns import month_of

    expression = period_pattern(pattern)
    if expression is None or "word" not in expression.groupindex:
        return columns
    kept = []
    for column in columns:
        match = expression.fullmatch(heads[column])
        if match and month_of(match["word"]):
            kept.append(column)
    return kept


def without_cells(shape: Shape) -> ShapedRows:
    """Return the rows of a shape before cells and values become lines."""
    return replace(shape.rows, cells=None, late={}, split={})
