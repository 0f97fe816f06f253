"""What the tests share: the installed command, the demo book, and small books made in place."""

import atexit
import contextlib
import io
import json
import os
import shutil
import subprocess
import sys
import tempfile
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from types import MappingProxyType
from typing import Any
from unittest.mock import patch

import pytest
from filelock import FileLock
from hypothesis import settings

from level_almanac.cli.main import run as run_here
from level_almanac.core.book import Book
from level_almanac.intake import load
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from level_almanac.store.engines.threads import ThreadCrew

# A machine that is busy with something else is no reason to fail.
settings.register_profile("patient", deadline=None)
settings.load_profile("patient")
LONG = "--long" in sys.argv or bool(os.environ.get("ALMANAC_LONG_TESTS"))
"""Whether tests take the long way: many more made-up books, every row of every report, and what is marked `long`."""
if LONG:  # the workers are started with other words
    os.environ["ALMANAC_LONG_TESTS"] = "1"

COMMAND = Path(sys.executable).with_name("almanac")
# No note on a test's book stands among the person's own.
if "ALMANAC_NOTES" not in os.environ:
    os.environ["ALMANAC_NOTES"] = tempfile.mkdtemp(prefix="almanac-notes-")
    atexit.register(shutil.rmtree, os.environ["ALMANAC_NOTES"], ignore_errors=True)
# Nor does what the person chose for other books count here.
os.environ["ALMANAC_SETTINGS"] = str(Path(os.environ["ALMANAC_NOTES"], "none.toml"))
os.environ.pop("ALMANAC_ENGINE", None)
# Wide enough that no help text or report is broken for want of room, and no colour whatever the machine says.
ENVIRONMENT = {**os.environ, "COLUMNS": "128", "NO_COLOR": "1"}


@pytest.fixture(scope="session", autouse=True)
def one_engine() -> Iterator[None]:
    """Have all books and loads of this process ask one engine: it holds nothing of theirs, and to start one takes long."""
    shared = DuckDBEngine([Path(tempfile.gettempdir())])
    close = shared.close
    with (
        patch.object(shared, "close", lambda: None),
        patch.object(Book, "engine", shared),
        patch.object(load, "open_loading", lambda *told: (shared, ThreadCrew(shared, told[3]))),
    ):
        yield
    close()


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption(
        "--long", action="store_true", help="the long way: more made-up books, every row, what is marked long"
    )


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    for item in items:
        if not LONG and item.get_closest_marker("long"):
            item.add_marker(pytest.mark.skip(reason="only with --long"))


def examples(of: int, long: int = 200) -> settings:
    """Return how many made-up cases a test tries: a few each time, many the long way."""
    return settings(max_examples=long if LONG else of)


@dataclass(frozen=True)
class Ran:
    """What a command came to."""

    code: int
    out: str
    err: str

    @property
    def json(self) -> dict[str, Any]:
        """The report that was printed as JSON, of which no two rows have one key."""
        assert self.out, self.err
        report = dict(json.loads(self.out))
        for table in (report, *report.get("sheets", ()), *report.get("behind", ())):
            keys = Counter(row["key"] for row in table.get("rows", ()))
            assert not (keys - Counter(set(keys))), table["title"]
        return report


Almanac = Callable[..., Ran]


def run_almanac(*words: str | Path, book: Path | None = None, cwd: Path | None = None) -> Ran:
    """Run the command line in this process, as the installed command does it, and return what it came to."""
    out, err = (io.TextIOWrapper(io.BytesIO(), encoding="utf-8", write_through=True) for _ in range(2))
    front = ["almanac", *(["--book", str(book)] if book else [])]
    code: object = None
    with (
        patch.object(sys, "argv", [*front, *map(str, words)]),
        patch.object(sys, "stdin", io.StringIO()),
        patch.dict(os.environ, ENVIRONMENT, clear=True),
        contextlib.chdir(cwd or Path.cwd()),
        contextlib.redirect_stdout(out),
        contextlib.redirect_stderr(err),
    ):
        try:
            run_here()
        except SystemExit as ended:
            code = ended.code
    assert isinstance(code, int)
    return Ran(code, *(each.buffer.getvalue().decode() for each in (out, err)))


def run_installed(
    *words: str | Path, book: Path | None = None, environment: Mapping[str, str] = MappingProxyType({})
) -> Ran:
    """Run the installed command in a process of its own, for what cannot be seen from within one."""
    front = [str(COMMAND), *(["--book", str(book)] if book else [])]
    done = subprocess.run(
        [*front, *map(str, words)],
        capture_output=True,
        text=True,
        check=False,
        env={**ENVIRONMENT, **environment},
        timeout=300,
    )
    return Ran(done.returncode, done.stdout, done.stderr)


def copied(source: Path, target: Path, *without: str) -> Path:
    """Copy a book; its parts, which nothing ever changes, are only linked. without: names that are left out."""

    def copy(one: str, other: str) -> str:
        if one.endswith(".parquet") and ".almanac" in Path(one).parts:
            os.link(one, other)
            return other
        return str(shutil.copy2(one, other))

    return Path(shutil.copytree(source, target, ignore=shutil.ignore_patterns(*without), copy_function=copy))


@pytest.fixture(scope="session")
def almanac() -> Almanac:
    """Return the function that runs the installed command."""
    return run_almanac


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a demo book that is loaded, made once for all workers; no test may change it."""
    shared = tmp_path_factory.getbasetemp()
    shared = shared.parent if os.environ.get("PYTEST_XDIST_WORKER") else shared
    first = shared / "demo-book"
    with FileLock(shared / "demo.lock"):
        if not first.exists():
            making = shared / "making"
            assert run_almanac("demo", making, "--write-only").code == 0
            loaded = run_almanac("load", "--through", "2026-06-17", book=making)
            assert loaded.code == 0, loaded.err
            making.rename(first)
    # Each worker has its own, because a run notes what was asked last.
    return copied(first, tmp_path_factory.mktemp("demo") / "book")


CHART = """\
account,name,class,parent
1000,Bank,asset,
1100,Customers,asset,
1500,Boat,asset,
1590,"Boat, worn",asset,
2000,Suppliers,liability,
3000,Capital,equity,
3100,Kept results,equity,
4000,Sales,income,
4010,Tickets,income,4000
4020,Freight,income,4000
4090,Refunds,income,4000
5000,Fuel,direct-cost,
6000,Pay,expense,
6100,Wear,expense,
"""

BOOK = """\
[book]
name = "A small book"

[entities.A]
name = "Amberquay"
currency = "EUR"
retained_earnings = "3100"

[calendar]
year_start = "10-01"
extra_periods = 1

[entry_classes]
carried = "source is CF"
closing = "source is CL"
adjusting = "period is P13"

[[intake]]
table = "accounts"
files = "chart.csv"
fields = {{ account = "account", name = "name", class = "class", parent = "parent" }}

[[intake]]
table = "ledger"
files = "ledger*.csv"
{intake}
set = {{ entity = "A" }}
fields = {{ journal = "journal", line = "line", posted = "posted", {fields}, account = "account", source = "source" }}
"""
PERIOD_AND_SIDES = 'period = "period", debit = "debit", credit = "credit"'
HEADS = "journal,line,posted,period,account,debit,credit,source\n"


@dataclass(frozen=True)
class SmallBook:
    """A book made for one test."""

    root: Path

    def load(self, *words: str) -> Ran:
        """Load the book."""
        return run_almanac("load", *words, book=self.root)

    def run(self, *words: str | Path) -> Ran:
        """Run a command on the book."""
        return run_almanac(*words, book=self.root)

    def ledger(self, text: str, name: str = "ledger.csv") -> "SmallBook":
        """Write a ledger export, its head line included."""
        (self.root / name).write_text(text, encoding="utf-8", newline="")
        return self


MakeBook = Callable[..., SmallBook]


@pytest.fixture
def make_book(tmp_path: Path) -> MakeBook:
    """Return the function that makes a small book: its chart, and a ledger of the given lines."""

    def make(*lines: str, heads: str = HEADS, intake: str = "", fields: str = PERIOD_AND_SIDES) -> SmallBook:
        (tmp_path / "almanac.toml").write_text(BOOK.format(intake=intake, fields=fields), encoding="utf-8")
        (tmp_path / "chart.csv").write_text(CHART, encoding="utf-8")
        return SmallBook(tmp_path).ledger(heads + "".join(f"{line}\n" for line in lines))

    return make
