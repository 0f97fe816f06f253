"""From the rows of an export to its lines, within the store: which rows are lines, what is carried down over them, what
their totals come to, and what several columns or several values of one cell make of them.

Each step takes the SQL of some rows and returns that of others; nothing is computed before the last is written.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import field, replace
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import NamedTuple

from level_almanac.immutable import immutable
from level_almanac.store.binding import Binding
from level_almanac.store.engine import Engine, Row, WritingEngine

LINE_ORDER = "file_line, piece"
"""The order of shaped lines: by row, and within one by the cell or value that made the line."""


@immutable
class Column:
    """What the text of one field is made of.

    parts: columns whose texts are put together with `between`; either: columns of which the first that is not blank
    counts; constant: one text for all rows; after, before: the signs that it stands between; rows: the test of the rows
    that tell it; down: whether it holds for those below, until one meets `until`; strip: whether zeros ahead go; width:
    to how many letters zeros fill it.
    """

    parts: tuple[int, ...] = ()
    between: str = ""
    either: tuple[int, ...] = ()
    constant: str | None = None
    after: str = ""
    before: str = ""
    rows: str = ""
    down: bool = False
    until: str = ""
    strip: bool = False
    width: int = 0


@immutable
class Cells:
    """Columns of which each cell is a line: their numbers and heads; total: the column that they come to, if any."""

    columns: tuple[int, ...]
    heads: tuple[str, ...]
    total: int | None = None


@immutable
class ShapedRows:
    """The SQL of an export's rows and what is to become of them.

    source: the FROM clause of the rows, with columns c0 … and file_line; passed: the test of rows that are no lines;
    fields: what further columns are made of, each under its number; cells: columns that become lines, whose head and
    text are columns `head` and `text`; late: further columns that are made of those two; split: numbers of columns with
    several values to the sign between them.
    """

    source: str
    bound: Binding
    passed: str = ""
    fields: Mapping[int, Column] = field(default_factory=dict)
    cells: Cells | None = None
    head: int = -1
    text: int = -1
    late: Mapping[int, Column] = field(default_factory=dict)
    split: Mapping[int, str] = field(default_factory=dict)

    def without(self, lines: Iterable[int]) -> "ShapedRows":
        """Return the same without these rows."""
        return replace(self, source=f"(select * from {self.source} where file_line not in {self.bound.many(lines)})")

    def all_rows(self) -> str:
        """Return the SQL of every row with what is carried down to it, and whether it is passed over."""
        down = {number: column for number, column in self.fields.items() if column.down}
        plain = {number: column for number, column in self.fields.items() if not column.down}
        passed = f"({self.passed})" if self.passed else "false"
        told = "".join(f", {self._told(column)} as c{number}" for number, column in plain.items())
        own = "".join(
            f", {self._told(column)} as t{number}, ({column.until or 'false'}) as u{number}"
            for number, column in down.items()
        )
        rows = f"(select *, {passed} as passed{told}{own} from {self.source})"
        if not down:
            return rows
        # A row that ends a block belongs to it: what it tells holds up to itself.
        blocks = "".join(
            f", sum(u{number}::int) over (order by file_line"
            f" rows between unbounded preceding and 1 preceding) as b{number}"
            for number in down
        )
        carried = "".join(
            f", last_value(t{number} ignore nulls) over (partition by coalesce(b{number}, 0) order by file_line"
            f" rows between unbounded preceding and current row) as c{number}"
            for number in down
        )
        left = ", ".join(f"t{number}, u{number}, b{number}" for number in down)
        return f"(select * exclude ({left}){carried} from (select *{blocks} from {rows}))"

    def _told(self, column: Column) -> str:
        """Return the SQL of a field's text as its row tells it."""
        if column.constant is not None:
            text = f"{self.bound(column.constant)}::varchar"
        elif column.either:
            text = f"coalesce({', '.join(f'c{number}' for number in column.either)})"
        elif len(column.parts) == 1:
            text = f"c{column.parts[0]}"
        else:
            # A key of which a part is blank is none.
            text = f" || {self.bound(column.between)} || ".join(f"c{number}" for number in column.parts)
        if column.after:
            sign = self.bound(column.after)
            text = (
                f"(case when contains({text}, {sign}) then substr({text}, strpos({text}, {sign}) + length({sign})) end)"
            )
        if column.before:
            text = f"split_part({text}, {self.bound(column.before)}, 1)"
        if column.after or column.before:
            text = f"nullif(trim({text}), '')"
        if column.strip:
            text = f"regexp_replace({text}, '^0+([^0]|0$)', '\\1')"
        if column.width:
            text = f"(case when length({text}) < {column.width} then lpad({text}, {column.width}, '0') else {text} end)"
        return f"(case when {column.rows} then {text} end)" if column.rows else text

    def kept_rows(self) -> str:
        """Return the SQL of the rows that are lines, or become some."""
        return f"(select * exclude (passed) from {self.all_rows()} where not passed)"

    def lines(self) -> str:
        """Return the SQL of the lines, each with the number of its piece within its row."""
        rows = self.kept_rows()
        if self.cells is None:
            rows = f"(select *, 1 as piece from {rows})"
        else:
            pieces = ", ".join(
                f"{{'piece': {at}, 'head': {self.bound(head)}::varchar, 'text': c{number}}}"
                for at, (number, head) in enumerate(zip(self.cells.columns, self.cells.heads, strict=True), 1)
            )
            taken = f"cell.head as c{self.head}, cell.text as c{self.text}, cell.piece as piece"
            rows = f"""(select * exclude (cell), {taken}
                from (select *, unnest([{pieces}]) as cell from {rows}) where cell.text is not null)"""
        if self.late:
            told = ", ".join(f"{self._told(column)} as c{number}" for number, column in self.late.items())
            rows = f"(select *, {told} from {rows})"
        if not self.split:
            return rows
        lists = {
            number: f"list_transform(string_split(c{number}, {self.bound(sign)}), lambda each: trim(each))"
            for number, sign in self.split.items()
        }
        longest = ", ".join(f"coalesce(length({each}), 1)" for each in lists.values())
        taken = ", ".join(
            # A cell with one value is the same for all lines of its row.
            f"case when coalesce(length({each}), 1) <= 1 then c{number} else nullif({each}[part], '') end as c{number}"
            for number, each in lists.items()
        )
        left = ", ".join(f"c{number}" for number in lists)
        return f"""(select * exclude ({left}, piece, part), {taken}, piece * 10000 + part as piece
            from (select *, unnest(range(1, greatest({longest}) + 1)) as part from {rows}))"""


def with_texts(source: str, texts: Mapping[int, str], bind: Binding) -> str:
    """Return the FROM clause of rows with further columns, each of which has one text on all rows."""
    told = ", ".join(f"{bind(text)}::varchar as c{number}" for number, text in texts.items())
    return f"(select *, {told} from {source})"


def text_behind(column: int, sign: str, bind: Binding) -> str:
    """Return the SQL of a column's text behind a sign, or of the whole text where there is no sign to stand behind."""
    text = f"c{column}"
    return f"trim(substr({text}, strpos({text}, {bind(sign)}) + length({bind(sign)})))" if sign else text


class Counted(NamedTuple):
    """What shaping came to: rows in all, those passed over, lines, and cells that are columns of lines and blank."""

    rows: int
    passed: int
    lines: int
    blank_cells: int


def write_lines(
    engine: WritingEngine,
    rows: ShapedRows,
    days: Mapping[int, Mapping[str, date | None]],
    values: Mapping[str, object],
    target: Path,
) -> Counted:
    """Write the lines of an export into a work file, and return what became of the rows.

    days: by number of a column, the day that each of its texts is, None where one could be two days; those become a
    column `d` of that number. values: those bound beside the rows' own.
    """
    lines = rows.lines()
    selected, joined = ["lines.*"], ""
    for number, told in days.items():
        engine.run(
            f"""create or replace temp table told_days_{number} as
                select unnest($texts::varchar[]) as text, unnest($days::varchar[]) as day""",
            {"texts": list(told), "days": [day.isoformat() if day else "?" for day in told.values()]},
        )
        joined += f" left join told_days_{number} on told_days_{number}.text = lines.c{number}"
        selected.append(f"told_days_{number}.day as d{number}")
    bound = {**values, **rows.bound.values, "target": str(target)}
    engine.run(
        f"copy (select {', '.join(selected)} from {lines} as lines{joined} order by {LINE_ORDER})"
        " to $target (format parquet, compression lz4)",
        bound,
    )
    asked = f"select count(*), count(*) filter (where passed) from {rows.all_rows()}"
    ((there, passed),) = engine.rows(asked, {**values, **rows.bound.values})
    ((written, first_pieces),) = engine.rows(
        f"select count(*), count(*) filter (where {'piece % 10000 = 1' if rows.split else 'true'})"
        " from read_parquet($target)",
        {"target": str(target)},
    )
    cells = len(rows.cells.columns) if rows.cells else 1
    return Counted(there, passed, written, (there - passed) * cells - first_pieces)


def lines_not_passed(engine: Engine, rows: ShapedRows, values: Mapping[str, object], lines: Sequence[int]) -> list[int]:
    """Return which of these rows are not passed over."""
    query = f"select file_line from {rows.all_rows()} where not passed and file_line in {rows.bound.many(lines)}"
    return [line for (line,) in engine.rows(query, {**values, **rows.bound.values})]


def texts_in(engine: Engine, rows: ShapedRows, values: Mapping[str, object], column: int) -> list[str]:
    """Return each different text of a column of the lines."""
    query = f"select distinct c{column} from {rows.lines()} where c{column} is not null"
    return [text for (text,) in engine.rows(query, {**values, **rows.bound.values})]


def uneven_splits(engine: Engine, rows: ShapedRows, values: Mapping[str, object], limit: int) -> list[Row]:
    """Return (line, how many values each split cell has) of the first rows whose split cells do not go together."""
    whole = replace(rows, split={})
    counts = [
        f"coalesce(length(string_split(c{number}, {rows.bound(sign)})), 1)" for number, sign in rows.split.items()
    ]
    several = [f"nullif({count}, 1)" for count in counts]
    query = f"""select file_line, [{", ".join(counts)}] from {whole.lines()}
        where len(list_distinct([{", ".join(several)}])) > 1 order by 1 limit {limit}"""
    return engine.rows(query, {**values, **rows.bound.values})


class Total(NamedTuple):
    """A total that its lines do not come to: its line, the column, what stands there and what the lines come to."""

    line: int
    column: int
    told: str
    come_to: str


class HeldTotals(NamedTuple):
    """Rows that are totals, and what they total.

    where: the key that says so; test: the SQL test of these rows; above: whether each totals the lines since the last
    one, rather than all; by: the column of the field that a total has in common with its lines, and the SQL of what its
    row says of it; columns: those that are held against the lines.
    """

    where: str
    test: str
    above: bool
    by: tuple[int, str] | None
    columns: tuple[int, ...]


def wrong_totals(
    engine: Engine,
    rows: ShapedRows,
    totals: HeldTotals,
    numbers: Mapping[int, str],
    values: Mapping[str, object],
    limit: int,
    only: str = "",
) -> list[Total]:
    """Return the first totals that do not agree with their lines, to the last decimal.

    numbers: by column, the SQL of its number; only: the test of the lines that the block takes.
    """
    everything = rows.all_rows()
    taken = f"(not passed and coalesce({only}, false))" if only else "not passed"
    found: list[Total] = []
    for column, number in numbers.items():
        if totals.by is not None:
            come_to = _come_to_by(totals.test, totals.by, number, everything, taken)
        elif totals.above:
            come_to = _come_to_above(totals.test, number, everything, taken)
        else:
            whole = f"(select coalesce(sum({number}), 0) from {everything} where {taken})"
            come_to = f"select file_line, {number}, {whole} from {everything} where {totals.test}"
        query = f"""select file_line, told, come_to from ({come_to}) as held(file_line, told, come_to)
            where told is not null and told <> come_to order by 1 limit {limit}"""
        found += [
            Total(line, column, _plain(told), _plain(sum_))
            for line, told, sum_ in engine.rows(query, {**values, **rows.bound.values})
        ]
    return sorted(found)[:limit]


def _come_to_by(test: str, by: tuple[int, str], number: str, everything: str, taken: str) -> str:
    field_number, named = by
    return f"""select totals.file_line, totals.told, coalesce(lines.come_to, 0) from
        (select file_line, {number} as told, {named} as name from {everything} where {test}) as totals
        left join (select c{field_number} as name, sum({number}) as come_to from {everything} where {taken}
            group by 1) as lines on lines.name is not distinct from totals.name"""


def _come_to_above(test: str, number: str, everything: str, taken: str) -> str:
    return f"""select file_line, told, coalesce(come_to, 0) from (
        select file_line, told, total, sum(case when own then told end) over (partition by block) as come_to from (
            select file_line, {number} as told, ({test}) as total, {taken} as own,
                coalesce(sum(({test})::int) over (order by file_line
                    rows between unbounded preceding and 1 preceding), 0) as block
            from {everything}) as numbered) as summed where total"""


def wrong_row_totals(
    engine: Engine, rows: ShapedRows, numbers: Mapping[int, str], values: Mapping[str, object], limit: int
) -> list[Total]:
    """Return the first rows whose total column is not what the cells that become lines come to."""
    if rows.cells is None or rows.cells.total is None:
        return []
    total = numbers[rows.cells.total]
    come_to = " + ".join(f"coalesce({numbers[number]}, 0)" for number in rows.cells.columns)
    query = f"""select file_line, {total}, {come_to} from {rows.kept_rows()}
        where {total} is not null and {total} <> {come_to} order by 1 limit {limit}"""
    found = engine.rows(query, {**values, **rows.bound.values})
    return [Total(line, rows.cells.total, _plain(told), _plain(sum_)) for line, told, sum_ in found]


def _plain(number: Decimal) -> str:
    """Return a number with two decimals, or as many more as it has."""
    whole, _, decimals = f"{number:.4f}".partition(".")
    return f"{whole}.{decimals[:2]}{decimals[2:].rstrip('0')}"


class SharedOut(NamedTuple):
    """The columns that amounts are shared out by: party, number, what is settled, amount, and the SQL of its number."""

    party: int
    number: int
    settles: int
    amount: int
    value: str


def share_out(
    engine: WritingEngine, lines: Path, columns: SharedOut, values: Mapping[str, object], decimal: str, target: Path
) -> list[int]:
    """Write lines anew with the amount of a row that settles several documents shared over them: in their order, each
    up to its own amount, and what is left with the last. Return the rows of which a document is not in the export.

    values: those bound in the number's SQL; decimal: the sign that numbers are written with.
    """
    read = "read_parquet($lines)"
    bound = {**values, "lines": str(lines)}
    shared = f"""
        with documents as (
            select c{columns.party} as party, c{columns.number} as number, sum(abs({columns.value})) as amount
            from {read} where c{columns.settles} is null group by all),
        pieces as (
            select lines.*, abs({columns.value}) as paid, sign({columns.value}) as side, documents.amount as owed,
                count(*) over (partition by file_line) as several,
                row_number() over (partition by file_line order by piece desc) = 1 as is_last
            from {read} as lines left join documents
                on documents.party = c{columns.party} and documents.number = c{columns.settles}),
        rest as (
            select *, greatest(paid - coalesce(sum(owed) over (partition by file_line order by piece
                rows between unbounded preceding and 1 preceding), 0), 0) as left_over
            from pieces)"""
    lacking = (
        f"{shared} select distinct file_line from rest where several > 1 and not is_last and owed is null order by 1"
    )
    unknown = [line for (line,) in engine.rows(lacking, bound)]
    if unknown:
        return unknown
    share = "(side * case when is_last then left_over else least(owed, left_over) end)::decimal(18, 4)::varchar"
    text = f"replace(rtrim(rtrim({share}, '0'), '.'), '.', $decimal)"
    taken = f"case when several > 1 then {text} else c{columns.amount} end as c{columns.amount}"
    others = "paid, side, owed, several, is_last, left_over"
    query = f"{shared} select * exclude ({others}) replace ({taken}) from rest order by {LINE_ORDER}"
    engine.run(
        f"copy ({query}) to $target (format parquet, compression lz4)",
        {**bound, "decimal": decimal, "target": str(target)},
    )
    return []
