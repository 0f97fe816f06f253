"""A large export read in stretches, by whoever is free: the same lines, numbers, parts and mistakes as read by one."""

import csv
import io
import random
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from unittest.mock import patch

import duckdb
import pytest
from hypothesis import given
from hypothesis import strategies as st

from both_engines import kept
from conftest import HEADS, LONG, MakeBook, SmallBook, copied, examples
from level_almanac.errors import BookMistake
from level_almanac.files.settings import IntakeBlock
from level_almanac.files.tables import Table
from level_almanac.intake.dividing import counted, cut_out, ranges_of, stretches_of
from level_almanac.intake.files import ExportFile
from level_almanac.intake.formats.csv_text import CsvText
from level_almanac.intake.raw_export import NotDivided, RawReader
from level_almanac.store.engine import WritingEngine
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from level_almanac.store.engines.threads import ThreadCrew
from level_almanac.store.exports import NUMBERED_ROWS, copy_numbered_csv
from level_almanac.store.lines import join_parts
from test_load import LINES
from test_nothing_lost import made_up

TEXTS = st.text(st.sampled_from('ab,"\n\r é'), max_size=6)


@examples(60, 3000)
@given(rows=st.lists(st.lists(TEXTS, min_size=2, max_size=2), min_size=1, max_size=9), piece=st.integers(1, 40), ends=st.sampled_from(["\n", "\r\n"]), marked=st.booleans(), last=st.booleans())  # fmt: skip
def test_stretches_are_whole_records_on_their_lines(
    tmp_path_factory: pytest.TempPathFactory, rows: list[list[str]], piece: int, ends: str, marked: bool, last: bool
) -> None:
    text = io.StringIO(newline="")
    writer = csv.writer(text, lineterminator=ends)
    writer.writerows([["one", "two"], *rows])
    told = ("\ufeff" if marked else "") + (text.getvalue() if last else text.getvalue().removesuffix(ends))
    folder = tmp_path_factory.mktemp("stretches")
    path, cut = folder / "x.csv", folder / "cut.csv"
    path.write_text(told, encoding="utf-8", newline="")
    ranges = ranges_of(path.stat().st_size, piece)
    stretches = stretches_of(ranges, [counted(path, *each) for each in ranges])
    assert (stretches[0].begin, stretches[-1].end) == (0, path.stat().st_size)
    found = []
    for one, other in zip(stretches, [*stretches[1:], None], strict=True):
        assert other is None or one.end == other.begin
        cut_out(path, one, cut)
        read = csv.reader(io.StringIO(cut.read_bytes().decode("utf-8-sig"), newline=""), strict=True)
        line, ahead = 0, max(one.ahead - 1, 0)
        for record in read:
            if line:
                found.append((line + 1 + ahead, record))
            line = read.line_num
    expected, line = [], 0
    whole = csv.reader(io.StringIO(told.removeprefix("\ufeff"), newline=""), strict=True)
    for record in whole:
        if line:
            expected.append((line + 1, record))
        line = whole.line_num
    assert [record for _, record in found] == [record for _, record in expected]
    # A bare carriage return counts as a line to this reader; a file that has one is not read in stretches.
    if "\r" not in "".join(map("".join, rows)):
        assert found == expected


def divided(book: SmallBook, piece: int, *told: str) -> int:
    """Load a book whose exports are divided from so many bytes on; return of how many stretches parts were made."""
    stretches = 0

    def noted(engine: WritingEngine, table: Table, parts: Sequence[str], target: Path) -> None:
        nonlocal stretches
        stretches += len(parts)
        join_parts(engine, table, parts, target)

    with patch.object(ThreadCrew, "piece", piece), patch("level_almanac.intake.taking_in.join_parts", noted):
        ran = book.load(*told)
    assert ran.code == 0, ran.err
    return stretches


def test_the_demo_read_in_stretches_is_the_same(demo: Path, tmp_path: Path) -> None:
    book = SmallBook(copied(demo, tmp_path / "book", ".almanac"))
    assert divided(book, 40_000, "--through", "2026-06-17") > 100
    assert kept(book.root) == kept(demo)


def test_the_demo_read_by_engines_with_a_core_each_is_the_same(demo: Path, tmp_path: Path) -> None:
    book = SmallBook(copied(demo, tmp_path / "book", ".almanac"))
    cores: list[tuple[int, int]] = []

    def noted(engine: DuckDBEngine, among: int) -> DuckDBEngine:
        own = apart(engine, among)
        cores.append((among, *own.rows("select current_setting('threads')")[0]))
        return own

    apart = DuckDBEngine.apart
    with patch("level_almanac.store.engines.threads._MUCH", 1), patch.object(DuckDBEngine, "apart", noted):
        assert book.load("--through", "2026-06-17").code == 0
    assert kept(book.root) == kept(demo)
    assert cores == [(1, 1), (2, 1), (2, 1)], "one for the chart, and then two at a time"


@pytest.mark.parametrize(
    ("change", "stretches"),
    [
        (lambda lines: [f'{line},"two\nlines"' for line in lines], True),
        (lambda lines: [f'{line},5" tall' for line in lines[:-1]] + [f'{lines[-1]},"two\nlines"'], False),
        (lambda lines: [f"{line}," for line in lines], True),
        (lambda lines: [f"{line}," for line in lines[:9]] + [""] + [f"{line}," for line in lines[9:]], False),
    ],
    ids=["quoted line ends", "a stray quote before a line end in quotes", "plain", "a blank line"],
)
def test_what_is_out_of_the_ordinary_is_read_by_one(
    make_book: MakeBook, change: Callable[[list[str]], list[str]], stretches: bool
) -> None:
    rows = change(LINES)
    fields = 'period = "period", debit = "debit", credit = "credit", memo = "memo"'
    book = make_book(*rows, heads=HEADS.replace("\n", ",memo\n"), fields=fields)
    assert book.load().code == 0
    whole = kept(book.root)
    (book.root / ".almanac" / "current").unlink()
    assert (divided(book, 120) > 3) is stretches
    assert kept(book.root) == whole


def test_what_is_wrong_is_told_as_of_the_whole(make_book: MakeBook) -> None:
    chance = random.Random(3)
    rows = [line.replace("-", "/") if chance.random() < 0.3 else line for line in LINES]
    book = make_book(*rows)
    whole = book.load()
    assert whole.code == 3
    with patch.object(ThreadCrew, "piece", 120):
        assert book.load() == whole


def test_a_typed_file_is_divided_between_its_groups(make_book: MakeBook) -> None:
    rows = [f"J{at},{side},2025-11-01,,{account},{sides},GJ" for at in range(5000) for side, (account, sides) in
            enumerate((("1000", f"{at}.25,"), ("4010", f",{at}.25")))]  # fmt: skip
    book = make_book(*rows, intake='format = "parquet"\n')
    text = (book.root / "almanac.toml").read_text().replace('"ledger*.csv"', '"ledger*.parquet"')
    (book.root / "almanac.toml").write_text(text)
    source, target = book.root / "ledger.csv", book.root / "ledger.parquet"
    duckdb.sql(f"copy (from read_csv('{source}', all_varchar = true)) to '{target}' (row_group_size 2048)")
    assert book.load().code == 0
    whole = kept(book.root)
    (book.root / ".almanac" / "current").unlink()
    assert divided(book, 1000) > 3
    assert kept(book.root) == whole


def test_stretches_are_read_only_where_they_come_to_what_the_exact_reader_tells(tmp_path: Path) -> None:
    engine, path, numbered = DuckDBEngine([tmp_path]), tmp_path / "x.csv", tmp_path / "numbered.csv"
    export = ExportFile(path, "x.csv", IntakeBlock(table="ledger"), 1)
    reader, taken, several = RawReader(engine, tmp_path, 9), 0, 0
    for seed in range(20_000 if LONG else 250):
        chance = random.Random(seed)
        path.write_bytes(made_up(chance))
        ranges = ranges_of(path.stat().st_size, chance.randint(1, 60))
        stretches = stretches_of(ranges, [counted(path, *each) for each in ranges])
        text, rows, records = CsvText(path, "x.csv", "utf-8", ","), [], 0
        try:
            names = ", ".join(f"c{number}" for number in range(len(text.first())))
            for stretch in stretches:
                raw = reader.read(replace(export, stretch=stretch), path)
                rows += engine.rows(f"select file_line, {names} from {raw.rows}", {"raw": str(raw.path)})
                records += raw.records
        except (BookMistake, NotDivided):
            continue
        taken, several = taken + 1, several + (len(stretches) > 1)
        told = text.write_numbered(numbered, 9)
        copy_numbered_csv(engine, numbered, len(text.first()), tmp_path / "exact.parquet")
        exact = engine.rows(f"select file_line, {names} from {NUMBERED_ROWS}", {"raw": str(tmp_path / "exact.parquet")})
        assert (told.total, told.records, rows) == (0, records, exact), (seed, stretches, path.read_bytes())
    engine.close()
    assert taken > (1000 if LONG else 20), taken
    assert several > (500 if LONG else 8), several
