"""An export on its way in: its text copied as it stands into a work file, one row a record, with line numbers."""

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from level_almanac.store.binding import Binding
from level_almanac.store.engine import Engine, EngineError, Row, WritingEngine

_NO_TEXT = ("BLOB", "BIT", "STRUCT", "MAP", "UNION", "INTERVAL", "VARIANT", "GEOMETRY")


class CsvBytes(NamedTuple):
    """What the bytes of a CSV come to. size: without line ends and a byte order mark; lines: as they end; quotes,
    delimiters: how many marks of quotation and of division; quotes_within: whether one of those may stand within a
    text, or around nothing; spaced: whether a text may begin or end with a space.
    """

    size: int
    lines: int
    quotes: int
    quotes_within: bool
    delimiters: int
    spaced: bool


def copy_plain_csv(
    engine: WritingEngine, export: Path, delimiter: str, heads: Sequence[str], target: Path, there: CsvBytes
) -> bool:
    """Copy a UTF-8 CSV with a head line into `target`, as the columns c0, c1 …, blank ones null.

    heads: those of the columns, as they are read; there: what its bytes come to. Returns False, with nothing of worth
    written, where the fast reader met anything out of the ordinary (a record too short or too long, a line end within
    quotes, a blank line, bytes that are no UTF-8), because line numbers counted from the records are exact only where
    none of these is, and where the texts that it read are not, with what stands around them, all bytes of the file.
    """
    count = len(heads)
    bound = Binding(export=str(export), delimiter=delimiter, target=str(target))
    columns = ", ".join(f"'c{number}': 'VARCHAR'" for number in range(count))
    # Where nothing is quoted, each delimiter divides two fields, and there is nothing to add up.
    bare = "0"
    if there.quotes_within:
        bare = f"""strlen(replace(concat({", ".join(f"c{number}" for number in range(count))}), '"', ''))"""
    elif there.quotes:
        bare = " + ".join(f"strlen(coalesce(c{number}, ''))" for number in range(count))
    read = f"""
        select {_texts(count, spaced=there.spaced, emptied=there.quotes_within)}, ({bare})::integer as bare
        from read_csv($export, header = false, skip = 1, auto_detect = false, delim = $delimiter,
            quote = '"', escape = '"', columns = {{{columns}}}, store_rejects = true,
            rejects_limit = 1, rejects_table = 'rejected', rejects_scan = 'scans')"""
    engine.run("drop table if exists rejected")
    engine.run("drop table if exists scans")
    try:
        engine.run(f"copy ({read}) to $target (format parquet, compression lz4)", bound.values)
    except EngineError:
        # The exact reader comes next, and says which line it was.
        return False
    summed = "select count(*), coalesce(sum(bare), 0) from read_parquet($target)"
    ((records, told),) = engine.rows(summed, {"target": str(target)})
    ((rejected,),) = engine.rows("select count(*) from rejected")
    if rejected or records != there.lines - 1:
        return False
    if not there.quotes:
        return there.delimiters == (count - 1) * there.lines
    # Between texts stand delimiters, and marks of quotation around them and within them; that is all there is.
    told += sum(len(head.replace('"', "").encode()) for head in heads)
    return bool(told + (count - 1) * there.lines + there.quotes == there.size)


def copy_numbered_csv(engine: WritingEngine, numbered: Path, heads: int, target: Path) -> None:
    """Copy a work file whose first column is the line number and whose others are quoted texts, like the above."""
    columns = ", ".join(["'file_line': 'BIGINT'", *(f"'c{number}': 'VARCHAR'" for number in range(heads))])
    read = f"""
        select file_line, {_texts(heads)}
        from read_csv($numbered, header = false, auto_detect = false, delim = ',', quote = '"',
            escape = '"', new_line = '\\n', columns = {{{columns}}}, parallel = false, max_line_size = 16777216)"""
    engine.run(
        f"copy ({read}) to $target (format parquet, compression lz4)",
        {"numbered": str(numbered), "target": str(target)},
    )


def _texts(heads: int, *, spaced: bool = True, emptied: bool = True) -> str:
    """Return the columns without the spaces around them, and null where nothing else is there.

    spaced: whether there can be any around them; emptied: whether quotes can stand around nothing. Where neither is so,
    the texts are as the reader gives them, which takes a fifth less time.
    """
    text = "nullif(trim({0}), '') as {0}" if spaced else "nullif({0}, '') as {0}" if emptied else "{0}"
    return ", ".join(text.format(f"c{number}") for number in range(heads))


NUMBERED_ROWS = "(select * from read_parquet($raw))"
"""The FROM clause of a work file, bound as `raw`, whose rows tell the line of the export that they stand on."""
COUNTED_ROWS = (
    "(select * exclude (file_row_number), file_row_number + 2 as file_line"
    " from read_parquet($raw, file_row_number = true))"
)
"""The same of one with a row for each line of the export behind its head."""


def with_lines_ahead(rows: str, ahead: int) -> str:
    """Return the FROM clause of rows that stand so many lines further down than their file tells."""
    return f"(select * replace (file_line + {int(ahead)} as file_line) from {rows})" if ahead else rows


class Folds(NamedTuple):
    """Signs that a file has none of. They stand for a new line and a carriage return within quotes, and, as the first
    text of a row, for one that is there only so that rows and lines are told by one number.
    """

    new_line: int
    carriage: int
    no_record: int


def folded_rows(engine: Engine, raw: Path, heads: int, folds: Folds) -> str:
    """Return the FROM clause of a work file that was copied from folded lines; its texts have their line ends again."""
    columns = [f"c{number}" for number in range(heads)]
    signs = (folds.new_line, folds.carriage)
    has = [" or ".join(f"contains({column}, chr({sign}))" for sign in signs) for column in columns]
    holds = ", ".join(f"coalesce(bool_or({test}), false)" for test in has)
    ((*held,),) = engine.rows(f"select {holds} from read_parquet($raw)", {"raw": str(raw)})
    texts = ", ".join(
        f"replace(replace({column}, chr({folds.new_line}), chr(10)), chr({folds.carriage}), chr(13)) as {column}"
        for column, holds_one in zip(columns, held, strict=True)
        if holds_one
    )
    replaced = f"replace ({texts})" if texts else ""
    return f"""(select * exclude (file_row_number) {replaced}, file_row_number + 2 as file_line
        from read_parquet($raw, file_row_number = true) where c0 is distinct from chr({folds.no_record}))"""


def parquet_heads(engine: Engine, export: Path) -> list[tuple[str, str]]:
    """Return the name and the type of each column of a Parquet file; raises EngineError for what is none."""
    return [
        (row[0], row[1]) for row in engine.rows("describe select * from read_parquet($export)", {"export": str(export)})
    ]


def group_sizes(engine: Engine, export: Path) -> list[int]:
    """Return how many rows each row group of a Parquet file has; raises EngineError for what is none."""
    rows = engine.rows(
        """select row_group_id, any_value(row_group_num_rows)::bigint from parquet_metadata($export)
            group by row_group_id order by row_group_id""",
        {"export": str(export)},
    )
    return [count for _, count in rows]


def is_plain(kind: str) -> bool:
    """Tell whether a column of this type holds texts, numbers or days, so that each has one text that says it."""
    return not kind.startswith(_NO_TEXT) and not kind.endswith("]")


def copy_parquet(
    engine: WritingEngine,
    export: Path,
    columns: list[tuple[str, str]],
    date_pattern: str,
    decimal: str,
    target: Path,
    rows: tuple[int, int] | None = None,
) -> None:
    """Copy a Parquet export into a work file as texts, like the above: days and numbers as the block's texts are.

    rows: the first that is copied and the first behind them, or None for all.
    """
    bound = Binding(export=str(export), target=str(target))
    texts = []
    for number, (name, kind) in enumerate(columns):
        place = '"' + name.replace('"', '""') + '"'
        text = f"{place}::varchar" if is_plain(kind) else "null::varchar"
        if kind == "FLOAT":
            # Written as it is, not as the shortest text that 32 bits tell from others.
            text = f"{place}::double::varchar"
        if kind.startswith(("DATE", "TIMESTAMP")):
            text = f"strftime({place}, {bound(date_pattern)})"
        elif kind.startswith(("DECIMAL", "DOUBLE", "FLOAT")):
            text = f"replace({text}, '.', {bound(decimal)})"
        texts.append(f"nullif(trim({text}), '') as c{number}")
    read = f"""select {", ".join(texts)}, file_row_number + 1 as file_line
        from read_parquet($export, file_row_number = true)"""
    if rows is not None:
        read += f" where file_row_number >= {bound(rows[0])} and file_row_number < {bound(rows[1])}"
    engine.run(f"copy ({read}) to $target (format parquet, compression lz4)", bound.values)


def count_rows(engine: Engine, path: Path) -> int:
    """Return how many rows a Parquet file has."""
    ((count,),) = engine.rows("select count(*) from read_parquet($path)", {"path": str(path)})
    return int(count)


class LinesFound(NamedTuple):
    """The first lines of a kind, and how many there are."""

    lines: list[int]
    total: int


def records_by_fate(engine: Engine, fates: Sequence[tuple[str, bool]], limit: int) -> tuple[LinesFound, LinesFound]:
    """Return the records of one file that no block takes, and those that several take of which not all share them.

    fates: of each block the file that tells what became of the records that it did not pass over, and whether it shares
    them.
    """
    union = " union all ".join(
        f"select file_line, taken, {shares} as shares from read_parquet($f{at})" for at, (_, shares) in enumerate(fates)
    )
    values: dict[str, object] = {f"f{at}": path for at, (path, _) in enumerate(fates)}
    found = []
    # A record that one of them passed over is told of by fewer blocks than there are.
    none = f"not bool_or(taken) and count(*) = {len(fates)}"
    for test in (none, "count(*) filter (where taken) > 1 and not bool_and(shares) filter (where taken)"):
        query = f"""select file_line, count(*) over () from
            (select file_line from ({union}) group by file_line having {test}) order by 1 limit {limit}"""
        rows = engine.rows(query, values)
        found.append(LinesFound([line for line, _ in rows], rows[0][1] if rows else 0))
    return found[0], found[1]


def sample_of(engine: Engine, raw: Path, columns: int, limit: int) -> list[Row]:
    """Return the first records of a work file as texts."""
    names = ", ".join(f"c{number}" for number in range(columns))
    return engine.rows(f"select {names} from read_parquet($raw) limit {int(limit)}", {"raw": str(raw)})
