"""Parts of a store at a URI that neither Python nor DuckDB opens: Spark alone reads and writes them."""

import shutil
from pathlib import Path
from unittest.mock import patch

import pytest

from both_engines import QUICK, kept, state_of
from conftest import ENVIRONMENT, HEADS, MakeBook, Ran, copied, run_almanac
from level_almanac.core.book import Book
from level_almanac.intake import load
from level_almanac.store.part_sums import parts_in
from test_load import LINES

pytest.importorskip("pyspark", reason="Spark is not installed")
if shutil.which("java") is None:
    pytest.skip("there is no Java to run Spark with", allow_module_level=True)
pytestmark = pytest.mark.spark
ENGINE, LOADING = Book.__dict__["engine"], load.__dict__["open_loading"]
"""What a book and a load ask by themselves, where no test has them share an engine."""


def test_parts_lie_at_a_uri_that_only_spark_reads(
    make_book: MakeBook, tmp_path_factory: pytest.TempPathFactory
) -> None:
    book = make_book(*LINES).ledger(HEADS + "".join(f"{line}\n" for line in LINES[-4:]), "ledger-again.csv")
    aside = tmp_path_factory.mktemp("far")
    here = copied(book.root, aside / "here")
    assert run_almanac("load", book=here).code == 0
    lake, settings = aside / "lake", aside / "settings.toml"
    told = f"""engine = "local[1]"
        session = {{ "spark.hadoop.fs.viewfs.mounttable.far.link./lake" = "file://{lake}" }}
        [books."{book.root}"]
        parts = "viewfs://far/lake"
        """
    lake.mkdir()
    settings.write_text(told)

    def far(*words: str, root: Path = book.root) -> Ran:
        with (
            patch.dict(ENVIRONMENT, {"ALMANAC_SETTINGS": str(settings), **QUICK}),
            patch.object(Book, "engine", ENGINE),
            patch.object(load, "open_loading", LOADING),
        ):
            return run_almanac(*words, book=root)

    def stored() -> Path:
        """Return a copy of the book with its parts brought back."""
        brought = copied(book.root, aside / f"brought-{len(list(aside.glob('brought-*')))}")
        for part in lake.glob("*.parquet"):
            shutil.copyfile(part, brought / ".almanac" / "parts" / part.name)
        return brought

    def names() -> set[str]:
        return {path.name for path in (book.root / ".almanac" / "parts").iterdir()}

    loaded = far("load")
    assert loaded.code == 0, loaded.err
    assert (kept(stored()), names()) == (kept(here), set())
    # Lines come back into an export whose parts are there only.
    for root in (book.root, here):
        (root / "ledger-again.csv").unlink()
    assert run_almanac("load", "--drop-missing", book=here).code == 0
    again = far("load", "--drop-missing")
    assert again.code == 0, again.err
    assert (kept(stored()), names()) == (kept(here), set())
    shown = far("trial", "--year", "2025", "--print", "csv")
    assert (shown.code, shown.out) == (0, run_almanac("trial", "--year", "2025", "--print", "csv", book=here).out)
    part = next(lake.glob("accounts-*.parquet"))
    part.write_bytes(part.read_bytes().replace(b"PAR1", b"RAP1"))
    damaged = far("check", "store")
    assert (damaged.code, damaged.err) == (
        3, f"almanac: {part.name}: this part of the store is not what was written; delete the folder .almanac and run `almanac load`\n",
    )  # fmt: skip
    settings.write_text(told.replace(str(book.root), str(here)))
    other = far("load", root=here)
    assert other.code == 3
    assert other.err.startswith("almanac: viewfs://far/lake/book: these parts are another store's: ")
    # What was loaded into a folder goes to its own place.
    settings.write_text(settings.read_text().replace("far/lake", "far/lake/here"))
    moved = far("load", root=here)
    assert (moved.code, moved.out.count("unchanged")) == (0, 2), moved.err
    assert {part.name for part in (lake / "here").glob("*.parquet")} == set(parts_in(state_of(here)))
