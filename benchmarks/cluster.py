"""A load and some reports on one executor and on two, of one core each, beside DuckDB on as many cores.

python benchmarks/cluster.py --lines 10000000 [--book FOLDER]

The master and the workers are started on this machine and ended; the driver takes what is left of it. Needs the extra
`spark` and Java.
"""

import argparse
import os
import shlex
import shutil
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from importlib import import_module
from pathlib import Path

ALMANAC = Path(sys.executable).with_name("almanac")
LOCAL = "127.0.0.1"
SETTINGS = """\
[session]
"spark.executor.memory" = "2g"
"spark.executor.cores" = "1"
"spark.cores.max" = "{cores}"
"spark.sql.shuffle.partitions" = "4"
"""
REPORTS = (
    "list vessels",
    "statement income",
    "detail 12110 --period 2026-P08 --entity LINE",
    "list sales --by item",
    "aging receivable",
)
"""Of the first nearly all is what it takes to start; then a report from roll-ups, some lines, all lines, documents."""


def ran(words: Sequence[str], book: Path, environment: dict[str, str], cores: int = 0) -> float:
    """Run a command on the book, on so many cores of the machine or all, and return its seconds."""
    pinned = (lambda: os.sched_setaffinity(0, range(cores))) if cores else None
    began = time.monotonic()
    done = subprocess.run(
        [str(ALMANAC), "--book", str(book), *words],
        env={**os.environ, **environment}, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, check=False,
        preexec_fn=pinned,
    )  # fmt: skip
    if done.returncode not in (0, 1):
        sys.exit(f"{' '.join(words)}: {done.stderr}")
    return time.monotonic() - began


def measured(book: Path, environment: dict[str, str], cores: int = 0) -> dict[str, float]:
    """Return the seconds of a load into an empty store, and of each report."""
    shutil.rmtree(book / ".almanac", ignore_errors=True)
    found = {"load": ran(["load"], book, environment, cores)}
    for report in REPORTS:
        found[report] = ran(shlex.split(report), book, environment, cores)
    return found


@contextmanager
def cluster(work: Path, workers: int) -> Iterator[str]:
    """Start a master with some workers of one core, and yield its address."""
    home = Path(str(import_module("pyspark").__file__)).parent
    environment = {**os.environ, "SPARK_HOME": str(home), "SPARK_LOCAL_IP": LOCAL, "SPARK_LOCAL_DIRS": str(work)}
    with socket.create_server((LOCAL, 0)) as server:
        port = server.getsockname()[1]
    address, running = f"spark://{LOCAL}:{port}", []

    def start(name: str, *words: str, until: str) -> None:
        log = work / f"{name}.log"
        with log.open("wb") as said:
            command = [str(home / "bin" / "spark-class"), f"org.apache.spark.deploy.{words[0]}", *words[1:]]
            running.append(subprocess.Popen(command, stdout=said, stderr=said, env=environment))
        while until not in log.read_text(errors="replace"):
            time.sleep(0.1)

    try:
        own = ("--host", LOCAL, "--webui-port", "0")
        start("master", "master.Master", *own, "--port", str(port), until="ALIVE")
        for number in range(workers):
            folder = str(work / f"worker-{number}")
            one = ("--cores", "1", "--memory", "3g", "--work-dir", folder, address)
            start(f"worker-{number}", "worker.Worker", *own, *one, until="Successfully registered")
        yield address
    finally:
        for process in running:
            process.terminate()
            process.wait()


def main() -> None:
    """Measure, and print a table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--lines", type=int, default=10_000_000)
    parser.add_argument("--book", type=Path, help="a demo book whose exports are written already")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        work = Path(folder)
        book = asked.book or work / "book"
        if asked.book is None:
            subprocess.run([str(ALMANAC), "demo", str(book), "--lines", str(asked.lines), "--write-only"], check=True)
        settings = work / "settings.toml"
        columns: dict[str, dict[str, float]] = {}
        for cores in (1, 2):
            columns[f"DuckDB, {cores}"] = measured(book, {}, cores)
            settings.write_text(SETTINGS.format(cores=cores))
            with cluster(work, cores) as address:
                told = {"ALMANAC_ENGINE": address, "ALMANAC_SETTINGS": str(settings)}
                columns[f"Spark, {cores}"] = measured(book, told)
    print(f"{asked.lines:,} ledger lines; seconds\n")
    print(f"{'':<56}", *(f"{name:>10}" for name in columns))
    for row in ("load", *REPORTS):
        print(f"{row:<56}", *(f"{found[row]:>10.1f}" for found in columns.values()), flush=True)


if __name__ == "__main__":
    main()
