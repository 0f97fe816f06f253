"""Loads on Spark: executors read the exports, and what goes over all of them is asked of both engines."""

import os
import shutil
from collections.abc import Iterator
from pathlib import Path
from tempfile import gettempdir
from typing import Any
from unittest.mock import patch

import pytest

from both_engines import QUICK, SESSION, BothGathering, kept
from conftest import Almanac, MakeBook, copied, run_almanac
from level_almanac.intake import load
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from test_load import test_a_closing_journal_is_taken_out_whole as closing_journal
from test_load import test_lines_in_two_files_count_once_and_come_back_when_the_first_file_goes as come_back
from test_load import test_load_after_load_comes_to_one_load_of_what_is_there as load_after_load
from test_load import test_two_files_that_disagree_on_a_line_are_refused as disagree
from test_real_exports import test_each_record_of_a_shared_file_has_a_fate as shared_file
from test_real_exports import test_what_a_later_export_supersedes_is_counted_listed_and_comes_back as supersedes

pytest.importorskip("pyspark", reason="Spark is not installed")
if shutil.which("java") is None:
    pytest.skip("there is no Java to run Spark with", allow_module_level=True)
from level_almanac.store.engines.spark_crew import SparkCrew
from level_almanac.store.engines.spark_engine import SparkEngine

pytestmark = pytest.mark.spark


@pytest.fixture(scope="module", autouse=True)
def both() -> Iterator[BothGathering]:
    reach = [Path(gettempdir())]
    with patch.dict(os.environ, QUICK):
        spark = SparkEngine(*SESSION, reach)
    engines = BothGathering(DuckDBEngine(reach), spark)
    crew = SparkCrew(spark, reach, "500MB")
    with patch.object(engines, "close"), patch.object(load, "open_loading", lambda *_: (engines, crew)):
        yield engines


def test_a_load_on_spark_keeps_what_one_in_this_process_does(both: BothGathering, demo: Path, tmp_path: Path) -> None:
    book = copied(demo, tmp_path / "book", ".almanac")
    ran = run_almanac("load", "--through", "2026-06-17", book=book)
    assert ran.code == 0, ran.err
    assert both.asked > 50
    assert kept(book) == kept(demo)
    again = run_almanac("load", book=book)
    assert again.out.count("unchanged") == len(kept(demo)[0])
    assert kept(book) == kept(demo)


def test_load_after_load(make_book: MakeBook, tmp_path_factory: pytest.TempPathFactory) -> None:
    inner: Any = load_after_load
    inner.hypothesis.inner_test(make_book, tmp_path_factory, 5, 'later = "wins"')


def test_lines_in_several_exports(make_book: MakeBook) -> None:
    come_back(make_book)
    disagree(make_book)


def test_closing_journals(make_book: MakeBook) -> None:
    closing_journal(make_book)


def test_files_that_several_blocks_share(tmp_path: Path) -> None:
    shared_file(tmp_path)


def test_what_a_later_export_supersedes(tmp_path: Path, almanac: Almanac) -> None:
    supersedes(tmp_path, almanac)
