"""Load and report times on large made-up books, each as a ratio to its yardstick in the same run, beside its aim.

    python benchmarks/speed.py [--lines 1000000] [--larger 10000000] [--folder DIR]

The books are written by the demo's generator, into DIR if one is named (and used again there), else into a folder that
is removed at the end. `--larger` makes a second book and tells how much longer it takes there; with documents and sales
in proportion. Ends with what falls short of its aim.
"""

import argparse
import os
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
RUNS = 7
# Compiled modules are kept, as they are wherever the package is installed.
ENVIRONMENT = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
SIX = "ptd; ptd last year; change; ytd; ytd last year; change %"
STATEMENT, DOCUMENTS = 1.5, 2.0
"""By how much longer a report may take where the book is ten times as large."""
CHECKS = (
    "check unbalanced closed outside carried gaps unknown-party spelt-twice alike over-applied loose early"
    " control agree"
)
MEASURED = "ytd; ytd last year; change; change %; quantity ytd; share of total in ytd"
REPORTS: tuple[tuple[str, float | None, float | None], ...] = (
    ("statement income", 2, STATEMENT),
    ("statement income --period 2025-P12", 2, STATEMENT),
    (f"statement income --columns '{SIX}'", 2, STATEMENT),
    ("statement income --year 2025 --columns 'each period; year'", None, STATEMENT),
    ("statement income --columns 'ptd; budget ptd; variance; ytd; budget ytd; variance'", None, STATEMENT),
    ("statement income --columns 'each department ytd; ytd'", None, STATEMENT),
    ("statement balance", 2, STATEMENT),
    ("trial", 2, STATEMENT),
    ("trial --period 2026-P08", 2, STATEMENT),
    ("calendar", None, STATEMENT),
    ("aging receivable --as-of 2025-09-30", 3, DOCUMENTS),
    ("aging payable", 3, DOCUMENTS),
    ("documents receivable --overdue --top 20", 3, DOCUMENTS),
    ("parties payable --year 2025 --on paid --over 7500", 2, DOCUMENTS),
    ("parties receivable --year 2025 --top 20", 2, DOCUMENTS),
    ("statement income --basis cash", 5, DOCUMENTS),
    (CHECKS, 8, DOCUMENTS),
    ("check store", None, None),
    ("billing --by office --payments-by deposited", None, None),
    ("growth sales", None, None),
    ("rank sales --by item --of 'amount, quantity'", None, None),
    (f"list sales --by item --columns '{MEASURED}'", 2.5, None),
    ("pace ledger --entity LINE --by department", None, None),
)
"""Reports, how many times the floor each may take, and how much longer in a book of ten times the lines."""
CASH_MEMORY = 0.4
LOAD, LOAD_MEMORY, ONE_MONTH = 2.5, 1.5, 1.3
EDITION = {"issue": 2.5, "verify": 1.5, "compare": 3.0}
"""Seconds, on the machine that the aims were set on."""
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


def seconds(command: Sequence[str | Path], *, may_find: bool = False) -> float:
    """Run a command once and return how long it took; its output is not wanted.

    may_find: whether it may end with 1, as checks do that find something.
    """
    start = time.perf_counter()
    done = subprocess.run(command, check=False, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=ENVIRONMENT)
    if done.returncode > may_find:
        raise SystemExit(f"{shlex.join(map(str, command))} ended with {done.returncode}")
    return time.perf_counter() - start


def gibibytes(command: Sequence[str | Path]) -> float:
    """Run a command once and return how much memory it took at the most."""
    code = "import resource, subprocess, sys; subprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL)"
    code += "; print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)"
    told = subprocess.run([sys.executable, "-c", code, *command], check=True, capture_output=True, text=True)
    return int(told.stdout) / 1024**2


def side_by_side(
    command: Sequence[str | Path], yardstick: Sequence[str | Path], runs: int = RUNS
) -> tuple[float, float]:
    """Return the medians of several runs of both, by turns, so that a machine that slows down slows both."""
    first = seconds(command, may_find=True)
    seconds(yardstick)
    runs = runs if first < 3 else min(runs, 3) if first < 15 else 1
    pairs = [(seconds(command, may_find=True), seconds(yardstick)) for _ in range(runs)]
    return statistics.median(one for one, _ in pairs), statistics.median(other for _, other in pairs)


def typical(command: Sequence[str | Path]) -> float:
    """Return the median of several runs, after one that warms what is cached."""
    seconds(command)
    return statistics.median(seconds(command) for _ in range(RUNS))


SHORT: list[str] = []
"""What falls short of its aim."""


def row(what: str, figure: str, came_to: float, aim: float | None, beside: str = "") -> None:
    """Print one line of the table: a figure, what it comes to beside its yardstick, and its aim."""
    told = "" if aim is None else f"aim {aim:g}" if came_to <= aim else f"aim {aim:g}, MISSED"
    print(f"{what[:72]:<72} {figure:>10} {came_to:8.2f}   {told:<18} {beside}".rstrip(), flush=True)
    if aim is not None and came_to > aim:
        SHORT.append(f"{what}: {came_to:.2f}, aim {aim:g}")


def made_book(book: Path, lines: int) -> None:
    """Make a book where it is not there."""
    if not (book / "almanac.toml").is_file():
        making = seconds([ALMANAC, "demo", book, "--lines", str(lines), "--write-only"])
        print(f"{f'making the exports of {lines:,} lines':<84} {making:8.2f} s", flush=True)


def measure_load(book: Path, scratch: Path) -> None:
    """Load a book, again, and one more month beside it."""
    own: list[str | Path] = [ALMANAC, "--book", book]
    copied = scratch / "copied.parquet"
    copying, loading, peak = [], [], 0.0
    for _ in range(3):
        shutil.rmtree(book / ".almanac", ignore_errors=True)
        start = time.perf_counter()
        peak = max(peak, gibibytes([*own, "load", "--through", "2026-06-17"]))
        loading.append(time.perf_counter() - start)
        copying.append(seconds([sys.executable, "-c", TYPED_COPY, str(book), str(copied)]))
    copied.unlink()
    copy, took = statistics.median(copying), statistics.median(loading)
    beside = f"x DuckDB's typed copy of ledger, documents and sales ({copy:.2f} s)"
    row("load, all exports", f"{took:.2f} s", took / copy, LOAD, beside)
    row("  its memory at the most", "", peak, LOAD_MEMORY, "GiB")
    again = typical([*own, "load"])
    row("load again, nothing changed", f"{again:.2f} s", again / copy, None, "x the same")
    month, alone = one_month(book, scratch)
    row("load one month beside three years", f"{month:.2f} s", month / alone, ONE_MONTH, f"x it alone ({alone:.2f} s)")


def one_month(book: Path, scratch: Path) -> tuple[float, float]:
    """Return how long one month's ledger takes beside three years that are loaded, and how long by itself."""
    name = Path("exports/line/line-2026-08.csv")
    beside, alone = scratch / "beside", scratch / "alone"
    shutil.copytree(book, beside)
    (alone / name).parent.mkdir(parents=True)
    for kept in ("exports/chart.csv", str(name)):
        shutil.copyfile(book / kept, alone / kept)
    settings = (book / "almanac.toml").read_text(encoding="utf-8")
    first, *blocks = settings.split("[[intake]]")
    # What follows the last block belongs to no block.
    taken = [block for block in blocks if "exports/chart.csv" in block or "exports/line/" in block]
    (alone / "almanac.toml").write_text("[[intake]]".join([first, *taken]), encoding="utf-8")
    aside = scratch / name.name
    times: list[tuple[float, float]] = []
    for _ in range(3):
        (beside / name).replace(aside)
        seconds([ALMANAC, "--book", beside, "load", "--drop-missing"])
        aside.replace(beside / name)
        shutil.rmtree(alone / ".almanac", ignore_errors=True)
        times.append((seconds([ALMANAC, "--book", beside, "load"]), seconds([ALMANAC, "--book", alone, "load"])))
    for folder in (beside, alone):
        shutil.rmtree(folder)
    return statistics.median(one for one, _ in times), statistics.median(other for _, other in times)


def measure_reports(book: Path, *, larger: bool) -> dict[str, float]:
    """Run every report by turns with the floor, and return how many times the floor each took.

    larger: whether it is the larger book, of which reports over documents are only to take no longer than so much.
    """
    own: list[str | Path] = [ALMANAC, "--book", book]
    floor = [sys.executable, "-c", FLOOR, str(book)]
    took: dict[str, float] = {}
    for words, of_first, growth in REPORTS:
        aim = None if larger and growth == DOCUMENTS else of_first
        took[words] = _beside_floor(words, own, floor, aim)
    row(
        "  memory of the cash basis",
        "",
        gibibytes([*own, "statement", "income", "--basis", "cash"]),
        CASH_MEMORY,
        "GiB",
    )
    for words, question in QUESTIONS.items():
        command = [*own, *shlex.split(words)]
        took[words] = _beside_floor(words, own, floor, 3 if words == ONE_ACCOUNT else None)
        again, yardstick = side_by_side(command, [sys.executable, "-c", IN_PANDAS + question, str(book)], runs=3)
        row(
            "  the same",
            f"{again:.2f} s",
            again / yardstick,
            None,
            f"x it in pandas, from the exports ({yardstick:.2f} s)",
        )
    return took


def _beside_floor(words: str, own: Sequence[str | Path], floor: Sequence[str | Path], aim: float | None) -> float:
    """Print how long a report took, and return how many times the floor that is."""
    took, yardstick = side_by_side([*own, *shlex.split(words)], floor)
    row(words, f"{took:.2f} s", took / yardstick, aim, f"x the floor ({yardstick:.2f} s)")
    return took / yardstick


def measure_editions(book: Path, scratch: Path) -> None:
    """Issue eight pages, verify them, and compare them with a book of which 100 lines changed."""
    copy = scratch / "changed"
    shutil.copytree(book, copy)
    own: list[str | Path] = [ALMANAC, "--book", copy]
    issue = [*own, "edition", "issue", "--period", "2026-P08", "--pages", "month-end", "--with-findings"]
    issue.append("--without-explanations")
    times = [seconds([*issue, f"e{number}"]) for number in range(3)]
    row(
        "edition issue, eight pages",
        f"{statistics.median(times):.2f} s",
        statistics.median(times),
        EDITION["issue"],
        "s",
    )
    took = typical([*own, "edition", "verify", "e0"])
    row("edition verify", f"{took:.2f} s", took, EDITION["verify"], "s")
    export = copy / "exports/line/line-2026-08.csv"
    head, *lines = export.read_text(encoding="utf-8").splitlines(keepends=True)
    other = {",40310,": ",40320,", ",40320,": ",40310,"}
    changed = 0
    for at, line in enumerate(lines):
        account = next((account for account in other if account in line), None)
        if changed < 100 and account:
            lines[at], changed = line.replace(account, other[account]), changed + 1
    export.write_text("".join([head, *lines]), encoding="utf-8")
    seconds([*own, "load"], may_find=True)
    took = typical([*own, "edition", "compare", "e0"])
    row(f"edition compare, {changed} lines changed", f"{took:.2f} s", took, EDITION["compare"], "s")
    shutil.rmtree(copy)


def main() -> None:
    """Read the options and measure."""
    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("--lines", type=int, default=1_000_000)
    options.add_argument("--larger", type=int)
    options.add_argument("--folder", type=Path)
    options.add_argument("--reports-only", action="store_true", help="of books that are loaded already")
    asked = options.parse_args()
    with tempfile.TemporaryDirectory(dir=asked.folder) as scratch:
        took: list[dict[str, float]] = []
        for lines in filter(None, (asked.lines, asked.larger)):
            book = (asked.folder or Path(scratch)) / f"book-{lines}"
            made_book(book, lines)
            print(f"\n{lines:,} ledger lines", flush=True)
            if not asked.reports_only:
                measure_load(book, Path(scratch))
            took.append(measure_reports(book, larger=bool(took)))
            if not asked.reports_only:
                measure_editions(book, Path(scratch))
        if len(took) > 1:
            # In floors, since the machine need not be as quick as it was at the first.
            print(f"\nhow much longer, in floors, with {asked.larger / asked.lines:g} times the lines")
            for words, _, aim in REPORTS:
                beside = f"x {took[0][words]:.2f}"
                row(words, f"{took[1][words]:.2f}", took[1][words] / took[0][words], aim, beside)
        took_, yardstick = side_by_side([ALMANAC, "--help"], [sys.executable, "-c", "import click"])
        row("--help", f"{took_:.2f} s", took_ / yardstick, 2, f'x python -c "import click" ({yardstick:.2f} s)')
    print("\nShort of its aim: " + ("nothing" if not SHORT else ""))
    for words in SHORT:
        print(f"  {words}")


if __name__ == "__main__":
    main()
