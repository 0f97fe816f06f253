"""What the tests share: the installed command, the demo book, and small books made in place."""

import json
import os
import subprocess
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

# A machine that is busy with something else is no reason to fail.
settings.register_profile("patient", deadline=None)
settings.load_profile("patient")

COMMAND = Path(sys.executable).with_name("almanac")
# Wide enough that no help text or report is broken for want of room, and no colour whatever the machine says.
ENVIRONMENT = {**os.environ, "COLUMNS": "128", "NO_COLOR": "1"}


@dataclass(frozen=True)
class Ran:
    """What a command came to."""

    code: int
    out: str
    err: str

    @property
    def json(self) -> dict[str, Any]:
        """The report that was printed as JSON."""
        return dict(json.loads(self.out))


Almanac = Callable[..., Ran]


def run_almanac(*words: str | Path, book: Path | None = None, cwd: Path | None = None) -> Ran:
    """Run the installed command and return what it came to."""
    front = [str(COMMAND), *(["--book", str(book)] if book else [])]
    done = subprocess.run(
        [*front, *map(str, words)], capture_output=True, text=True, check=False, cwd=cwd, env=ENVIRONMENT, timeout=300
    )
    return Ran(done.returncode, done.stdout, done.stderr)


@pytest.fixture(scope="session")
def almanac() -> Almanac:
    """Return the function that runs the installed command."""
    return run_almanac


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a demo book that is loaded; no test may change it."""
    book = tmp_path_factory.mktemp("demo") / "book"
    assert run_almanac("demo", book, "--write-only").code == 0
    loaded = run_almanac("load", "--through", "2026-06-17", book=book)
    assert loaded.code == 0, loaded.err
    return book


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
