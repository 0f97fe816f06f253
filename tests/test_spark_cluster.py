"""A cluster of a master and two workers on this machine: what it computes, and what is said where part of it is lost."""

import json
import os
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

from both_engines import QUICK, kept, state_of
from conftest import COMMAND, ENVIRONMENT, Ran, copied, run_almanac, run_installed
from level_almanac.store.part_sums import parts_in

pyspark = pytest.importorskip("pyspark", reason="Spark is not installed")
if shutil.which("java") is None:
    pytest.skip("there is no Java to run Spark with", allow_module_level=True)
pytestmark = pytest.mark.spark
SESSION = '[session]\n"spark.executor.memory" = "{}"\n"spark.sql.shuffle.partitions" = "2"\n'
HOME = Path(pyspark.__file__).parent
LOCAL = "127.0.0.1"


@dataclass(frozen=True)
class Cluster:
    """A master with its workers, which start executors for each command and end them with it. settings: a file of a
    person's that says how much of them is taken.
    """

    address: str
    settings: Path
    master: "subprocess.Popen[bytes]"
    workers: "list[subprocess.Popen[bytes]]"

    def environment(self, settings: Path | None = None) -> dict[str, str]:
        return {"ALMANAC_ENGINE": self.address, "ALMANAC_SETTINGS": str(settings or self.settings), **QUICK}

    def executors(self) -> list[int]:
        """Return the processes of the executors, each of which a worker has started."""
        workers = {worker.pid for worker in self.workers}
        found = []
        for folder in Path("/proc").glob("[0-9]*"):
            with suppress(OSError):
                status = dict(
                    line.split(":\t", 1) for line in (folder / "status").read_text().splitlines() if ":\t" in line
                )
                if int(status["PPid"]) in workers and b"Executor" in (folder / "cmdline").read_bytes():
                    found.append(int(folder.name))
        return found


def start(*words: str, log: Path) -> "subprocess.Popen[bytes]":
    environment = {
        **os.environ, **QUICK, "SPARK_HOME": str(HOME), "SPARK_LOCAL_IP": LOCAL, "SPARK_NO_DAEMONIZE": "1",
        "SPARK_LOCAL_DIRS": str(log.parent), "SPARK_DAEMON_JAVA_OPTS": f"-Djava.io.tmpdir={log.parent}",
    }  # fmt: skip
    with log.open("wb") as said:
        return subprocess.Popen([str(HOME / "bin" / "spark-class"), *words], stdout=said, stderr=said, env=environment)


def free_port() -> int:
    with socket.create_server((LOCAL, 0)) as server:
        return int(server.getsockname()[1])


def await_words(log: Path, words: str) -> None:
    for _ in range(600):
        if words in log.read_text(errors="replace"):
            return
        time.sleep(0.1)
    raise AssertionError(log.read_text(errors="replace"))


@pytest.fixture(scope="module")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    tmp_path = tmp_path_factory.mktemp("cluster")
    port, deploy = free_port(), "org.apache.spark.deploy"
    address = f"spark://{LOCAL}:{port}"
    log = tmp_path / "master.log"
    master = start(f"{deploy}.master.Master", "--host", LOCAL, "--port", str(port), "--webui-port", "0", log=log)
    workers = []
    try:
        await_words(log, "ALIVE")
        for number in (1, 2):
            words = ("--host", LOCAL, "--cores", "1", "--memory", "1g", "--webui-port", "0", "--work-dir")
            worker_log = tmp_path / f"worker-{number}.log"
            workers.append(
                start(f"{deploy}.worker.Worker", *words, str(tmp_path / f"w{number}"), address, log=worker_log)
            )
            await_words(worker_log, "Successfully registered")
        settings = tmp_path / "settings.toml"
        settings.write_text(SESSION.format("600m"))
        yield Cluster(address, settings, master, workers)
    finally:
        for process in (*workers, master):
            process.kill()
            process.wait()


def without_engine(ran: Ran) -> Any:
    plain = json.loads(ran.out)
    engine = plain["facts"].pop("engine")
    return plain, engine


def test_two_executors_compute_what_this_process_does(cluster: Cluster, demo: Path) -> None:
    words = ("parties", "receivable", "--print", "json")
    here = run_almanac(*words, book=demo)
    there = run_installed(*words, book=demo, environment=cluster.environment())
    assert there.code == here.code, there.err
    (mine, engine), (theirs, other) = without_engine(here), without_engine(there)
    assert mine == theirs
    assert engine.startswith("DuckDB")
    assert other.startswith("Spark")
    assert other.endswith(cluster.address)
    assert there.err == here.err


def test_an_edition_issued_on_one_verifies_on_the_other(cluster: Cluster, demo: Path, tmp_path: Path) -> None:
    book = copied(demo, tmp_path / "book")
    seals = []
    for name, environment in (("here", {}), ("there", cluster.environment())):
        issued = run_installed(
            "edition",
            "issue",
            name,
            "--period",
            "2026-P08",
            "--pages",
            "month-end/1-ferries",
            book=book,
            environment=environment,
        )
        assert issued.code == 0, issued.err
        seals.append(
            json.loads((book / "editions" / name / "figures" / "month-end_1-ferries.json").read_text())["facts"]
        )
    assert seals[0] == seals[1]
    for name, environment in (("here", cluster.environment()), ("there", {})):
        verified = run_installed("edition", "verify", name, book=book, environment=environment)
        assert verified.code == 0, verified.out + verified.err


def begun(cluster: Cluster, *words: str, book: Path) -> "subprocess.Popen[str]":
    """Start a command on the cluster, and return it once both executors are there."""
    assert has_executors(cluster, 0), "those of the command before are still there"
    ran = told(cluster.environment(), *words, book=book)
    assert has_executors(cluster, 2), ran.communicate(timeout=60)
    time.sleep(3)
    return ran


def has_executors(cluster: Cluster, count: int) -> bool:
    """Wait until the cluster has so many executors, for a minute at the most, and tell whether it has."""
    for _ in range(600):
        if len(cluster.executors()) == count:
            return True
        time.sleep(0.1)
    return False


def told(environment: dict[str, str], *words: str, book: Path) -> "subprocess.Popen[str]":
    """Start a command, and return it at once."""
    return subprocess.Popen(
        [str(COMMAND), "--book", str(book), *words],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        env={**ENVIRONMENT, **environment},
    )


def test_a_report_ends_right_though_an_executor_is_killed(cluster: Cluster, demo: Path) -> None:
    here = run_almanac("aging", "receivable", book=demo)
    ran = begun(cluster, "aging", "receivable", book=demo)
    os.kill(cluster.executors()[0], signal.SIGKILL)
    out, err = ran.communicate(timeout=280)
    assert (ran.returncode, out, err) == (here.code, here.out, here.err)


def reading(ran: "subprocess.Popen[str]", book: Path, parts: int) -> None:
    """Wait until executors have written some parts of what is being loaded."""
    for _ in range(1200):
        if len(list((book / ".almanac" / "work").glob("part-*"))) >= parts:
            return
        assert ran.poll() is None, ran.communicate()
        time.sleep(0.05)
    raise AssertionError(ran.communicate(timeout=60))


def test_a_load_ends_right_though_an_executor_is_killed(cluster: Cluster, demo: Path, tmp_path: Path) -> None:
    book = copied(demo, tmp_path / "book", ".almanac")
    ran = begun(cluster, "load", "--through", "2026-06-17", book=book)
    reading(ran, book, 20)
    os.kill(cluster.executors()[0], signal.SIGKILL)
    out, err = ran.communicate(timeout=280)
    assert ran.returncode == 0, err
    assert out.count(" new ") == 30
    assert kept(book) == kept(demo)
    assert not (book / ".almanac" / "work").exists()
    assert {path.name for path in (book / ".almanac" / "parts").iterdir()} == set(parts_in(state_of(book)))


def test_what_no_executor_can_take_is_one_line(cluster: Cluster, demo: Path, tmp_path: Path) -> None:
    large, small = tmp_path / "large.toml", tmp_path / "small.toml"
    large.write_text(SESSION.format("64g"))
    small.write_text(SESSION.format("600m") + '"spark.driver.maxResultSize" = "1k"\n')
    # It waits for a minute, and takes nothing of the cluster.
    waiting = told(cluster.environment(large), "trial", book=demo)
    ran = run_installed("list", "sales", book=demo, environment=cluster.environment(small))
    assert (ran.code, ran.out) == (3, "")
    assert "this brings more lines than the driver may hold; ask for less at a time" in ran.err
    assert ran.err.count("\n") == 1
    out, err = waiting.communicate(timeout=280)
    assert (waiting.returncode, out) == (3, "")
    assert err == (
        "almanac: no executor of the cluster took the work within 60 seconds; see whether its workers run and have memory "
        "and cores enough for an executor; nothing was changed\n"
    )


def test_a_load_of_which_the_cluster_goes_away_changes_nothing(cluster: Cluster, demo: Path, tmp_path: Path) -> None:
    """The last of them, as it ends the cluster."""
    book = copied(demo, tmp_path / "book")
    for path in (book / "exports" / "line").glob("line-202?.csv"):
        path.write_text(path.read_text().replace("Fuel", "Diesel"))
    ran = begun(cluster, "load", book=book)
    reading(ran, book, 4)
    for process in (*cluster.workers, cluster.master):
        process.kill()
    for executor in cluster.executors():
        os.kill(executor, signal.SIGKILL)
    out, err = ran.communicate(timeout=280)
    assert (ran.returncode, out) == (3, "")
    assert "cluster" in err
    assert err.endswith("nothing was changed\n")
    assert err.count("\n") == 1
    assert kept(book) == kept(demo)
    again = run_almanac("load", book=book)
    assert (again.code, again.out.count(" changed ")) == (0, 2), again.err
