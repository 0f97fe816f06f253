"""Parquet: the rows with exact decimals and real dates, for whoever computes on with them."""

import csv
import glob
import re
import tempfile
from datetime import date
from decimal import Decimal
from pathlib import Path

from level_almanac.core.table.exact import exact_text
from level_almanac.core.table.model import Cell, Column, ReportTable

_NUMBERS = ("amount", "percent", "number")
_DIGITS = 38


def parquet(table: ReportTable) -> bytes:
    """Return the rows as a Parquet file: key, label, level, kind, and each column under its key; of a flat table the
    columns alone, the first one that of its labels.

    A word that stands for a number, such as `new`, is in a further text column named after the column, with `_word`.
    """
    import duckdb

    fields: dict[str, str] = {"key": "VARCHAR", "label": "VARCHAR", "level": "BIGINT", "kind": "VARCHAR"}
    records = [[row.key, row.label, str(row.level), row.told_kind] for row in table.rows]
    if table.flat:
        fields = {_free_name(table.key_label, {}): "VARCHAR"}
        records = [[row.label] for row in table.rows]
    for column in table.columns:
        name = _free_name(column.key, fields)
        cells = [row.cells.get(column.key) for row in table.rows]
        worded = column.kind != "text" and any(isinstance(cell, str) for cell in cells)
        fields[name] = _type(column, cells)
        for record, cell in zip(records, cells, strict=True):
            record.append(_text(cell, column))
        if worded:
            fields[_free_name(f"{name}_word", fields)] = "VARCHAR"
            for record, cell in zip(records, cells, strict=True):
                record.append(cell if isinstance(cell, str) else "")
    with tempfile.TemporaryDirectory() as folder:
        texts, target = Path(folder) / "rows.csv", Path(folder) / "rows.parquet"
        with texts.open("w", encoding="utf-8", newline="") as stream:
            # With a head: a report without rows is a file without lines, which is none.
            csv.writer(stream, quoting=csv.QUOTE_ALL).writerows([list(fields), *records])
        connection = duckdb.connect(":memory:")
        columns = dict(fields)
        relation = connection.read_csv(
            glob.escape(str(texts)),
            hive_partitioning=False,
            header=True,
            columns=columns,
            quotechar='"',
            escapechar='"',
        )
        relation.write_parquet(str(target), compression="zstd")
        connection.close()
        return target.read_bytes()


def _type(column: Column, cells: list[Cell]) -> str:
    if column.kind in _NUMBERS:
        numbers = [cell for cell in cells if isinstance(cell, Decimal)]
        decimals = max([column.decimals, *(-int(cell.as_tuple().exponent) for cell in numbers)])
        # A ratio can have more digits than the format holds: the last ones are rounded off.
        whole = max([1, *(cell.adjusted() + 1 for cell in numbers)])
        return f"DECIMAL({_DIGITS}, {min(decimals, _DIGITS - whole)})"
    return {"count": "BIGINT", "date": "DATE"}.get(column.kind, "VARCHAR")


def _text(cell: Cell, column: Column) -> str:
    if cell is None or (isinstance(cell, str) and column.kind != "text"):
        return ""
    if isinstance(cell, Decimal):
        return exact_text(cell)
    return cell.isoformat() if isinstance(cell, date) else str(cell)


def _free_name(key: str, taken: dict[str, str]) -> str:
    name = re.sub(r"\W+", "_", key)
    while name in taken:
        name += "_"
    return name
