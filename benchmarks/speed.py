"""Load and report times on a large made-up book, each as a ratio to its yardstick in the same run.

    python benchmarks/speed.py [--lines 1000000] [--folder DIR]

The book is written by the demo's generator, into DIR if one is named (and used again there), else into a folder that is
removed at the end.
"""

import argparse
import os
import resource
import shlex
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

ALMANAC = Path(sys.executable).with_name("almanac")
RUNS = 9
# Compiled modules are kept, as they are wherever the package is installed.
ENVIRONMENT = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
SIX = "ptd; ptd last year; change; ytd; ytd last year; change %"
REPORTS = (
    "statement income",
    "statement income --period 2025-P12",
    f"statement income --columns '{SIX}'",
    "statement income --year 2025 --columns 'each period; year'",
    "statement income --columns 'ptd; budget ptd; variance; ytd; budget ytd; variance'",
    "statement income --columns 'each department ytd; ytd'",
    "statement balance",
    "trial",
    "trial --period 2026-P08",
    "calendar",
    "parties payable --year 2025 --on paid --over 7500",
    "aging receivable --as-of 2025-09-30",
    "billing --by office --payments-by deposited",
    "growth sales",
    "rank sales --by item --of 'amount, quantity'",
    "pace ledger --entity LINE --by department",
)
ONE_ACCOUNT = "detail 12110 --period 2026-P08 --entity LINE"
LISTED = (
    "list ledger --only 'account.class is expense' --except 'amount under 100'"
    " --by 'department, quarter of posted' --entity LINE"
)
CELL = "trace trial --period 2026-P08 --row 12110 --column debit --entity LINE"
QUESTIONS = {
    ONE_ACCOUNT: """
one = lines[(lines.account == "12110")].sort_values(["posted", "journal", "line"])
before = one[one.posted < "2026-05-01"]
within = one[(one.posted >= "2026-05-01") & (one.posted <= "2026-05-31")]
(before.amount.sum() + within.amount.cumsum()).to_csv(sys.stdout)
""",
    LISTED: """
kept = lines.merge(chart, on="account")
kept = kept[(kept["class"] == "X") & (kept.amount >= 100)]
quarter = pandas.to_datetime(kept.posted).dt.to_period("Q-SEP")
kept.groupby(["department", quarter]).amount.agg(["count", "sum"]).to_csv(sys.stdout)
""",
    CELL: """
may = (lines.posted >= "2026-05-01") & (lines.posted <= "2026-05-31")
one = lines[(lines.account == "12110") & may & (lines.debit > 0)]
one.sort_values(["posted", "journal", "line"]).to_csv(sys.stdout)
""",
}
"""Reports, and the same question asked of the ferry exports in pandas, which reads them each time."""
IN_PANDAS = """
import glob, sys
import pandas
names = sorted(glob.glob(sys.argv[1] + "/exports/line/*.csv"))
used = ["Journal", "Line", "Posted", "Account", "Debit", "Credit", "Department"]
lines = pandas.concat(pandas.read_csv(name, dtype={"Account": str, "Journal": str}, usecols=used) for name in names)
lines.columns = [name.lower() for name in lines.columns]
lines = lines.drop_duplicates(["journal", "line"]).fillna({"debit": 0, "credit": 0})
lines["amount"] = lines.debit - lines.credit
chart = pandas.read_csv(sys.argv[1] + "/exports/chart.csv", dtype=str)
chart = chart.rename(columns={"Code": "account", "Type": "class"})
"""
FLOOR = """
import duckdb, glob, sys
parts = glob.glob(sys.argv[1] + "/.almanac/parts/*rollup-*")
duckdb.connect().execute("select 1 from read_parquet(?) limit 1", [parts])
"""
TYPED_COPY = """
import duckdb, glob, sys
heads = "journal line posted period account debit credit source document reference party partner memo department vessel"
columns = dict.fromkeys(heads.split(), "VARCHAR")
columns |= {"posted": "DATE", "debit": "DECIMAL(18,2)", "credit": "DECIMAL(18,2)"}
connection = duckdb.connect()
for path in sorted(glob.glob(sys.argv[1] + "/exports/line/*.csv")):
    read = f"select * from read_csv($path, header = true, columns = {columns})"
    connection.execute(f"copy ({read}) to '{sys.argv[2]}' (format parquet)", {"path": path})
heads = "entity party kind number line date due posted amount settles applied reference payee memo"
columns = dict.fromkeys(heads.split(), "VARCHAR")
columns |= dict.fromkeys(("date", "due", "posted", "applied"), "DATE") | {"amount": "DECIMAL(18,2)"}
for name in ("suppliers", "customers"):
    read = f"select * from read_csv($path, header = true, columns = {columns})"
    path = f"{sys.argv[1]}/exports/items/{name}.csv"
    connection.execute(f"copy ({read}) to '{sys.argv[2]}' (format parquet)", {"path": path})
heads = "entity number line date terminal route vessel item quantity amount cost"
columns = dict.fromkeys(heads.split(), "VARCHAR")
columns |= {"date": "DATE"} | dict.fromkeys(("quantity", "amount", "cost"), "DECIMAL(18,2)")
for path in sorted(glob.glob(sys.argv[1] + "/exports/sales/*.csv")):
    read = f"select * from read_csv($path, header = true, columns = {columns})"
    connection.execute(f"copy ({read}) to '{sys.argv[2]}' (format parquet)", {"path": path})
"""


def seconds(command: Sequence[str | Path]) -> float:
    """Run a command once and return how long it took; its output is not wanted."""
    start = time.perf_counter()
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=ENVIRONMENT)
    return time.perf_counter() - start


def side_by_side(
    command: Sequence[str | Path], yardstick: Sequence[str | Path], runs: int = RUNS
) -> tuple[float, float]:
    """Return the medians of several runs of both, by turns, so that a machine that slows down slows both."""
    seconds(command)
    seconds(yardstick)
    pairs = [(seconds(command), seconds(yardstick)) for _ in range(runs)]
    return statistics.median(one for one, _ in pairs), statistics.median(other for _, other in pairs)


def typical(command: Sequence[str | Path]) -> float:
    """Return the median of several runs, after one that warms what is cached."""
    seconds(command)
    return statistics.median(seconds(command) for _ in range(RUNS))


def row(what: str, took: float, yardstick: str, measure: float) -> None:
    """Print one line of the table."""
    print(f"{what:<82} {took:8.2f} s   {took / measure:6.2f} x   {yardstick} ({measure:.2f} s)")


def measure(book: Path, lines: int) -> None:
    """Make the book where it is not there, load it, and print the table."""
    if not (book / "almanac.toml").is_file():
        making = seconds([ALMANAC, "demo", book, "--lines", str(lines), "--write-only"])
        print(f"{'making the exports':<82} {making:8.2f} s")
    shutil.rmtree(book / ".almanac", ignore_errors=True)
    own: list[str | Path] = [ALMANAC, "--book", book]
    loading = seconds([*own, "load", "--through", "2026-06-17"])
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024**2
    copied = book / "copied.parquet"
    copying = min(seconds([sys.executable, "-c", TYPED_COPY, str(book), str(copied)]) for _ in range(2))
    copied.unlink()
    row("load, all exports", loading, "DuckDB's typed copy of ledger, documents and sales", copying)
    print(f"{'  its memory at the most':<82} {peak:8.2f} GiB")
    row("load again, nothing changed", typical([*own, "load"]), "the same", copying)
    floor = [sys.executable, "-c", FLOOR, str(book)]
    for words in REPORTS:
        took, yardstick = side_by_side([*own, *shlex.split(words)], floor)
        row(words, took, "the floor: import duckdb, open the parts", yardstick)
    for words, question in QUESTIONS.items():
        command = [*own, *shlex.split(words)]
        took, yardstick = side_by_side(command, floor)
        row(words, took, "the floor", yardstick)
        took, yardstick = side_by_side(command, [sys.executable, "-c", IN_PANDAS + question, str(book)], runs=3)
        row("  the same", took, "the same question in pandas, from the exports", yardstick)
    took, yardstick = side_by_side([ALMANAC, "--help"], [sys.executable, "-c", "import click"])
    row("--help", took, 'python -c "import click"', yardstick)


def main() -> None:
    """Read the options and measure."""
    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("--lines", type=int, default=1_000_000)
    options.add_argument("--folder", type=Path)
    asked = options.parse_args()
    if asked.folder:
        measure(asked.folder, asked.lines)
        return
    with tempfile.TemporaryDirectory() as folder:
        measure(Path(folder) / "book", asked.lines)


if __name__ == "__main__":
    main()
