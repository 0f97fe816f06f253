"""The rows of an export before anything is known of it: each as texts, with its line."""

import codecs
import csv
import re
from collections import Counter, deque
from collections.abc import Iterable, Sequence
from dataclasses import field, replace
from itertools import islice
from pathlib import Path
from typing import Any, NamedTuple

from level_almanac.errors import BookMistake, Mistake, listed
from level_almanac.files.settings import Format, IntakeBlock
from level_almanac.immutable import immutable
from level_almanac.intake.formats.json_records import JsonRecords, parsed_json
from level_almanac.intake.formats.plain_text import in_utf8
from level_almanac.intake.formats.records import TextForm
from level_almanac.intake.formats.sheet_cells import kept
from level_almanac.intake.formats.sheet_records import open_sheet, sheet_names
from level_almanac.intake.formats.unpacked import members_of, unpacked
from level_almanac.intake.formats.xlsx_sheet import quiet
from level_almanac.intake.formats.xml_records import XmlRecords
from level_almanac.store.engine import EngineError
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from level_almanac.store.exports import copy_parquet, parquet_heads, sample_of

FORMATS: dict[str, Format] = {
    ".xlsx": "xlsx", ".xlsm": "xlsx", ".xls": "xls", ".xlsb": "xlsb", ".ods": "ods", ".json": "json", ".jsonl": "jsonl",
    ".ndjson": "jsonl", ".xml": "xml", ".parquet": "parquet",
}  # fmt: skip
READABLE = (*FORMATS, ".csv", ".tsv", ".txt", ".zip", ".gz", ".dat", ".asc", ".prn")
"""The endings of files that an export may have."""
_DELIMITERS = (",", ";", "\t", "|")
_FIRST_ROWS, _LAST_ROWS = 5000, 200
_SAMPLE_BYTES = 1 << 20
_LETTERS = "äöüÄÖÜßéèêàâçîôûëïñóíáúÁÉÍÓÚÑąłęśćźżńĄŁĘŚĆŹŻŃ€£ÀÈÇ–’"


class GridRow(NamedTuple):
    """One row: its line in the export, and the texts of its cells, without the spaces around them."""

    line: int
    cells: list[str]

    @property
    def filled(self) -> int:
        """How many cells hold something."""
        return sum(1 for cell in self.cells if cell)


@immutable
class Grid:
    """An export as rows. block: the keys that it is read by so far; rows: the first, and the last where there are very
    many; heads: of its columns, where its format tells them; remarks: what was unsure; whole: how many rows there are;
    sheets: the names of all, where all of a workbook's are alike.
    """

    block: IntakeBlock
    rows: list[GridRow]
    heads: list[str] | None = None
    remarks: list[str] = field(default_factory=list)
    whole: int = 0
    sheets: tuple[str, ...] = ()


def format_of(path: Path) -> Format:
    """Return the format that a file's name tells, within an archive that of what is in it."""
    suffixes = [suffix.lower() for suffix in path.suffixes]
    if suffixes[-1:] == [".gz"]:
        suffixes.pop()
    return FORMATS.get(suffixes[-1] if suffixes else "", "csv")


def grids_of(path: Path, work: Path) -> list[Grid]:
    """Return the rows of a file, one grid for each sheet or member that has other columns; raises BookMistake."""
    block = IntakeBlock(table="", files=path.name, format=format_of(path))
    if path.suffix.lower() == ".zip":
        return _of_archive(path, block, work)
    if block.format in ("xlsx", "xls", "xlsb", "ods"):
        return _of_workbook(path, block)
    return [_of_file(unpacked(path, path.name, block, work), path.name, block, work)]


def _of_archive(path: Path, block: IntakeBlock, work: Path) -> list[Grid]:
    names = members_of(path, path.name)
    if len(names) < 2:
        name = Path(names[0]) if names else path
        inner = replace(block, format=format_of(name))
        return [_of_file(unpacked(path, path.name, block, work), path.name, inner, work)]
    found = []
    for member in names:
        own = replace(block, format=format_of(Path(member)), member=member)
        found.append(_of_file(unpacked(path, f"{path.name}/{member}", own, work, member), path.name, own, work))
    if len({tuple(_first_cells(grid)) for grid in found}) == 1:
        rows = [row for grid in found for row in grid.rows]
        return [replace(found[0], block=replace(found[0].block, member="*"), rows=rows[:_FIRST_ROWS])]
    return found


def _of_workbook(path: Path, block: IntakeBlock) -> list[Grid]:
    with quiet():
        names = sheet_names(path, path.name, block.format)
        grids = [grid for name in names if (grid := _of_sheet(path, block, name)).rows]
    if not grids:
        raise BookMistake(Mistake("the workbook has no cells", path.name))
    if len(names) == 1:
        return [replace(grids[0], block=replace(block, sheet=""))]
    alike: dict[tuple[str, ...], list[Grid]] = {}
    for grid in grids:
        alike.setdefault(tuple(_head_cells(grid)), []).append(grid)
    found = []
    for same in alike.values():
        first, titles = same[0], [str(grid.block.sheet) for grid in same]
        sheet = "*" if len(same) == len(names) else titles[0] if len(same) == 1 else titles
        several = tuple(titles) if len(same) > 1 else ()
        found.append(replace(first, block=replace(first.block, sheet=sheet), sheets=several))
    return found


def _first_cells(grid: Grid) -> list[str]:
    return grid.heads or (grid.rows[0].cells if grid.rows else [])


def _head_cells(grid: Grid) -> list[str]:
    widest = max(row.filled for row in grid.rows[:20])
    return next(row.cells for row in grid.rows if row.filled == widest)


def _of_sheet(path: Path, block: IntakeBlock, name: str) -> Grid:
    form = TextForm(replace(block, dates="YYYY-MM-DD"))
    rows = []
    for row in islice(open_sheet(path, path.name, block.format, name).rows(), _FIRST_ROWS):
        cells = [""] * max(row.cells, default=0)
        for at, cell in row.cells.items():
            value = kept(cell.value) if hasattr(cell.value, "normalize") else cell.value
            cells[at - 1] = form.text(value).strip() if not hasattr(value, "total_seconds") else str(value)
        rows.append(GridRow(row.number, cells))
    return Grid(replace(block, sheet=name), _without_blank(rows), whole=len(rows))


def _without_blank(rows: Iterable[GridRow]) -> list[GridRow]:
    return [row for row in rows if row.filled]


def _of_file(path: Path, name: str, block: IntakeBlock, work: Path) -> Grid:
    match block.format:
        case "parquet":
            return _of_parquet(path, name, block, work)
        case "json" | "jsonl":
            return _of_json(path, name, block, work)
        case "xml":
            return _of_xml(path, name, block, work)
        case "xlsx" | "xls" | "xlsb" | "ods":
            return _of_workbook(path, block)[0]
    return _of_text(path, name, block, work)


def _of_records(records: JsonRecords | XmlRecords, block: IntakeBlock, work: Path) -> Grid:
    heads, numbered = records.head(), work / "numbered.csv"
    records.write_numbered(numbered, 1)
    with numbered.open(encoding="utf-8", newline="") as stream:
        rows = [
            GridRow(int(row[0]), [cell.strip() for cell in row[1:]]) for row in islice(csv.reader(stream), _FIRST_ROWS)
        ]
    return Grid(block, rows, heads, whole=len(rows))


def _of_json(path: Path, name: str, block: IntakeBlock, work: Path) -> Grid:
    if block.format == "json":
        try:
            whole = parsed_json(path.read_bytes())
        except ValueError as error:
            raise BookMistake(Mistake("not JSON", name, str(error)[:80])) from None
        block = replace(block, path=".".join(_longest_list(whole)))
    return _of_records(JsonRecords(path, name, block), block, work)


def _longest_list(value: Any) -> list[str]:
    """Return the keys that lead to the objects of which there are most."""
    counts: Counter[tuple[str, ...]] = Counter()

    def walk(value: Any, keys: tuple[str, ...]) -> None:
        if isinstance(value, list):
            for each in value:
                if isinstance(each, dict):
                    counts[keys] += 1
                    walk(each, keys)
        elif isinstance(value, dict):
            for key, each in value.items():
                if isinstance(each, list) or (isinstance(each, dict) and not isinstance(value.get("rows"), list)):
                    walk(each, (*keys, key))

    walk(value, ())
    ranked = sorted(counts, key=lambda keys: (-counts[keys], -len(keys)))
    return list(ranked[0]) if ranked else []


def _of_xml(path: Path, name: str, block: IntakeBlock, work: Path) -> Grid:
    from xml.etree.ElementTree import ParseError, iterparse

    counts: Counter[tuple[str, ...]] = Counter()
    leaves: Counter[tuple[str, ...]] = Counter()
    stack: list[tuple[str, bool]] = []
    try:
        # Expat refuses entities that grow, and nothing outside the file is read.
        for event, element in iterparse(path, events=("start", "end")):  # noqa: S314
            local = element.tag.rpartition("}")[2]
            if event == "start":
                if stack:
                    stack[-1] = (stack[-1][0], True)
                stack.append((local, False))
            else:
                keys = tuple(each for each, _ in stack)
                has_elements = stack.pop()[1]
                (counts if has_elements or element.attrib else leaves)[keys] += 1
                element.clear()
    except ParseError as error:
        raise BookMistake(Mistake("not XML", name, str(error))) from None
    repeated = {keys: count for keys, count in counts.items() if len(keys) > 1}
    if not repeated:
        raise BookMistake(Mistake("no element stands several times", name))
    # The record is the outermost of those that stand most often: what lies in it once tells more of it.
    most = max(repeated.values())
    record = min((keys for keys, count in repeated.items() if count == most), key=len)
    above = record[-2] if len(record) > 2 and counts.get(record[:-1], 0) > 1 else ""
    path_words = f"{above}.{record[-1]}" if above else record[-1]
    block = replace(block, path=path_words)
    return _of_records(XmlRecords(path, name, block), block, work)


def _of_parquet(path: Path, name: str, block: IntakeBlock, work: Path) -> Grid:
    engine, form, raw = DuckDBEngine((path, work)), TextForm(block), work / "raw.parquet"
    try:
        heads = parquet_heads(engine, path)
        copy_parquet(engine, path, heads, form.date, form.decimal, raw)
        rows = sample_of(engine, raw, len(heads), _FIRST_ROWS)
    except EngineError as error:
        raise BookMistake(Mistake("not a Parquet file that can be read", name, error.mistakes[0].got)) from None
    finally:
        engine.close()
    found = [GridRow(at, [cell or "" for cell in row]) for at, row in enumerate(rows, 1)]
    return Grid(block, found, [head for head, _ in heads], whole=len(found))


def _of_text(path: Path, name: str, block: IntakeBlock, work: Path) -> Grid:
    """Return the rows of a text file: with delimiters, or of fixed width where it has none."""
    with path.open("rb") as stream:
        raw = stream.read(_SAMPLE_BYTES)
    if not raw.strip():
        raise BookMistake(Mistake("the file is empty", name))
    block, remarks = _with_encoding(raw, block)
    path = in_utf8(path, name, block, work)
    encoding = {"windows-1252": "cp1252", "latin-1": "latin-1"}.get(block.encoding, "utf-8-sig")
    text = path.open("rb").read(_SAMPLE_BYTES).decode(encoding, errors="replace").replace("\r\n", "\n")
    lines = text.splitlines()[: -1 if len(raw) == _SAMPLE_BYTES else None]
    if re.search(r'\\"', text) and '""' not in text:
        block = replace(block, quotes="backslash")
    counts = {each: _fields(lines, each) for each in _DELIMITERS}
    best = max(counts.values())
    fitting = [each for each, count in counts.items() if count == best]
    if best[1] < 2:
        fixed = _fixed_columns(lines)
        if fixed:
            heads = _fixed_heads(lines, fixed)
            names = heads or [f"column {at}" for at, _ in enumerate(fixed, 1)]
            told = {head: f"{first + 1}-{last}" for head, (first, last) in zip(names, fixed, strict=True)}
            block = replace(block, format="fixed", columns=told, head_row=1 if heads else 0)
            rows = [
                GridRow(at, [line[first:last].strip() for first, last in fixed])
                for at, line in enumerate(lines, 1)
                if line.strip() and at > block.head_row
            ]
            return Grid(block, rows[:_FIRST_ROWS], names, remarks, len(rows))
        remarks.append("delimiter: no sign divides the lines into columns")
    elif len(fitting) > 1:
        remarks.append(f"delimiter: {listed(repr(each) for each in fitting)} divide the lines alike")
    block = replace(block, delimiter=fitting[0])
    rows, whole = _delimited(path, encoding, block)
    return Grid(block, rows, None, remarks, whole)


def _delimited(path: Path, encoding: str, block: IntakeBlock) -> tuple[list[GridRow], int]:
    how: dict[str, Any] = {"doublequote": False, "escapechar": "\\"} if block.quotes == "backslash" else {}
    first: list[GridRow] = []
    last: deque[GridRow] = deque(maxlen=_LAST_ROWS)
    count, start = 0, 1
    csv.field_size_limit(2_000_000)
    with path.open(encoding=encoding, errors="replace", newline="") as stream:
        reader = csv.reader((line.replace("\0", "") for line in stream), delimiter=block.delimiter, **how)
        try:
            for row in reader:
                found = GridRow(start, [cell.strip() for cell in row])
                start = reader.line_num + 1
                if not found.filled:
                    continue
                count += 1
                if len(first) < _FIRST_ROWS:
                    first.append(found)
                else:
                    last.append(found)
        except csv.Error:
            pass  # What cannot be divided is told of by the load, with its line.
    return [*first, *last], count


def _with_encoding(raw: bytes, block: IntakeBlock) -> tuple[IntakeBlock, list[str]]:
    if raw.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)) or raw[:200].count(b"\0") > 50:
        return replace(block, encoding="utf-16"), []
    cut = raw[: raw.rfind(b"\n") + 1] or raw
    try:
        cut.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = raw.count(b"\n", 0, error.start) + 1
        guesses = {"windows-1252": "cp1252", "windows-1250": "cp1250", "cp850": "cp850", "cp852": "cp852"}
        scores = {name: _letters_in(cut, codec) for name, codec in guesses.items()}
        best = max(scores, key=lambda name: scores[name])
        if best == "windows-1250" and not any(
            letter in cut.decode("cp1250", errors="ignore") for letter in "ąłęśćźżńĄŁĘŚĆŹŻŃ"
        ):
            best = "windows-1252"
        remark = f"encoding: line {line} is not UTF-8; {best} fits its letters: look at them"
        return replace(block, encoding=best), [remark]  # type: ignore[arg-type]
    return block, []


def _letters_in(raw: bytes, codec: str) -> int:
    """Return how many letters of the languages that are known a text has, less the signs that are none."""
    text = raw.decode(codec, errors="replace")
    odd = [letter for letter in text if not letter.isascii()]
    return sum(1 if letter in _LETTERS else -1 for letter in odd)


def _fields(lines: Sequence[str], delimiter: str) -> tuple[int, int]:
    """Return how many tenths of the first lines a delimiter divides into as many columns, and how many those are; no
    lines and one column where it does so to few.
    """
    rows = [row for row in csv.reader(lines[:300], delimiter=delimiter) if any(row)]
    counts = Counter(len(row) for row in rows if len(row) > 1)
    if not counts:
        return 0, 1
    width, times = counts.most_common(1)[0]
    near = sum(count for each, count in counts.items() if abs(each - width) <= 2)
    return (times * 10 // len(rows), width) if max(times, near) * 2 >= len(rows) else (0, 1)


def _fixed_columns(lines: Sequence[str]) -> list[tuple[int, int]]:
    """Return where the columns of fixed-width text begin and end, or nothing where none stand out."""
    body = [line for line in lines[:300] if line.strip()]
    if len(body) < 2:
        return []
    width = max(map(len, body))
    filled = [any(len(line) > at and line[at] != " " for line in body[1:]) for at in range(width)]
    columns = []
    start = None
    for at, one in enumerate([*filled, False]):
        if one and start is None:
            start = at
        elif not one and start is not None:
            columns.append((start, at))
            start = None
    if len(columns) < 2:
        return []
    # A column reaches to the next one's beginning; numbers stand at its right, and may be longer further down.
    return [
        (columns[at - 1][1] if at else 0, last) if _is_right_aligned(body[1:], first, last) else (first, last)
        for at, (first, last) in enumerate(columns)
    ]


def _is_right_aligned(lines: Sequence[str], first: int, last: int) -> bool:
    texts = [line[first:last] for line in lines if line[first:last].strip()]
    return (
        bool(texts)
        and any(text.startswith(" ") for text in texts)
        and not any(text.ljust(last - first).endswith(" ") for text in texts)
    )


def _fixed_heads(lines: Sequence[str], columns: Sequence[tuple[int, int]]) -> list[str]:
    """Return the heads of fixed-width text, where its first line is no line of data."""
    first = next((line for line in lines if line.strip()), "")
    if any(letter.isdigit() for letter in first):
        return []
    found = [""] * len(columns)
    for word in re.finditer(r"\S+", first):
        middle = (word.start() + word.end()) / 2
        at = max((number for number, (start, _) in enumerate(columns) if start <= middle), default=0)
        found[at] = f"{found[at]} {word[0]}".strip()
    return found if all(found) and len(set(found)) == len(found) else []
