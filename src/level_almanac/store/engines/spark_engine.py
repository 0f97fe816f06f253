"""Spark, on this machine or on many: the same statements as DuckDB's, for books that outgrow one machine.

One session serves all books of a run, since it takes seconds to start. Spark writes what it has to say of itself into a
file, and what it cannot do comes back as one line.
"""

import atexit
import itertools
import logging
import os
import re
import shutil
import socket
import sys
import tempfile
import threading
import warnings
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from importlib import import_module
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from level_almanac.errors import Mistake, UsageMistake, listed
from level_almanac.progress import gauged, tell
from level_almanac.store.elsewhere import Elsewhere
from level_almanac.store.engine import EngineError, Row, UnboundError, Values
from level_almanac.store.engines.spark_sql import spark_statement

OVER_THE_WIRE = "sc://"
"""What the address of a cluster begins with that is asked by Spark Connect."""
_PORTS = {"spark": 7077, "sc": 15002}
_WAIT = 10.0
"""Seconds in which a cluster is to answer that it is there."""
_TRIES = 5
"""How often a server of Spark Connect is asked again that does not answer; each time it is waited longer."""
_LOOK, _NONE = 2.0, 60.0
"""Every how many seconds it is looked whether there is an executor, and for how long there may be none."""
_EXACT = {
    "spark.sql.ansi.enabled": "true",
    # Else digits are dropped in silence where a product has more than 38.
    "spark.sql.decimalOperations.allowPrecisionLoss": "false",
    "spark.sql.session.timeZone": "UTC",
    "spark.sql.caseSensitive": "false",
    "spark.sql.parser.escapedStringLiterals": "false",
    "spark.sql.files.ignoreMissingFiles": "false",
    "spark.sql.files.ignoreCorruptFiles": "false",
    # What goes between Python and executors is bytes, for which nothing more need be installed.
    "spark.sql.execution.pythonUDF.arrow.enabled": "false",
}
"""How Spark has to compute, whatever it was set up for: exactly, or with an error."""
_QUIET = {
    "spark.ui.enabled": "false",
    "spark.ui.showConsoleProgress": "false",
    "spark.log.level": "WARN",
    # What was asked before is kept for pages that nobody sees, and takes the memory of a driver that asks a lot.
    "spark.sql.ui.retainedExecutions": "5",
    "spark.ui.retainedJobs": "20",
    "spark.ui.retainedStages": "20",
    "spark.ui.retainedTasks": "200",
}
_GROUP_BYTES = 4 * 2**20
"""Of what Spark writes, how many bytes it gathers for a group of lines, which are some `ROW_GROUP`."""
_PYTHON = "PYSPARK_PYTHON"
"""The environment's name for the Python that executors run."""
_SERIAL = itertools.count(1)
_SESSIONS: dict[tuple[str, tuple[tuple[str, str], ...]], Any] = {}
"""The session of this process, by its address and settings."""
_TYPES = {"string": "VARCHAR", "date": "DATE", "bigint": "BIGINT", "int": "INTEGER", "boolean": "BOOLEAN"}


class SparkEngine:
    """A Spark session. The tables are Parquet files named in the statements, read by the cluster where they lie.

    address: of the cluster, as `local[2]`, `spark://HOST:PORT` or `sc://HOST:PORT`; settings: of the session, by
    Spark's names; reach: the folders that parts may be read from, and nothing else, all links followed. Raises
    UsageMistake without pyspark, and EngineError where the cluster cannot be reached. elsewhere: the parts that lie at
    a URI, whatever folder names them.
    """

    def __init__(
        self, address: str, settings: Mapping[str, str], reach: Iterable[Path], elsewhere: Elsewhere | None = None
    ) -> None:
        self.session = spark_session(address, settings)
        self.called = f"Spark {self.session.version} at {address}"
        self._reach, self._elsewhere = [path.resolve() for path in reach], elsewhere
        self._views: dict[tuple[str, ...], str] = {}
        self._tables: dict[str, Any] = {}

    def rows(self, sql: str, values: Values | None = None) -> list[Row]:
        """Run one statement and return all of its rows."""
        with self.working():
            return [tuple(map(_value, row)) for row in self._frame(sql, values).collect()]

    @contextmanager
    def working(self) -> Iterator[Any]:
        """Give the session to what asks something of the cluster; tell meanwhile how far it is, and what it cannot do
        in one line.
        """
        with _told(), gauged(self._progress), _watched(self.session):
            yield self.session

    def columns(self, parts: Sequence[str]) -> dict[str, str]:
        """Return the columns that parts have together, each with its type as DuckDB names it."""
        with _told():
            fields = self._read(parts).schema.fields
        return {field.name: _type_name(field.dataType.simpleString()) for field in fields}

    def make(self, table: str, query: str, values: Values | None = None) -> None:
        """Keep what a query gives, in memory or on the disks of the cluster, under a name of its own."""
        with _told():
            frame = self._frame(query, values).persist()
            self.drop(table)
            frame.createOrReplaceTempView(table)
        self._tables[table] = frame

    def write(self, query: str, target: Path, values: Values | None = None) -> None:
        """Write what a query gives into one Parquet file, in its order."""
        folder = target.with_name(f"{target.name}.written")
        with self.working():
            writer = self._frame(query, values).coalesce(1).write
            writer = writer.option("compression", "zstd").option("parquet.block.size", _GROUP_BYTES)
            writer.parquet(_uri(self._reached(target)) + ".written")
        (written,) = folder.glob("part-*.parquet")
        written.replace(target)
        shutil.rmtree(folder, ignore_errors=True)

    def drop(self, table: str) -> None:
        """Let go of what was kept."""
        frame = self._tables.pop(table, None)
        # A session that has ended has let go of it already.
        with suppress(Exception):
            self.session.catalog.dropTempView(table)
            frame.unpersist()

    def beside(self) -> None:
        """Return none: a statement of Spark's leaves no core of the cluster idle."""

    def close(self) -> None:
        """Let go of what was kept; the session serves other books of the run too."""
        for table in [*self._tables, *self._views.values()]:
            self.drop(table)
        self._views.clear()

    def _frame(self, sql: str, values: Values | None) -> Any:
        statement = spark_statement(sql, values or {}, self._view)
        return self.session.sql(statement.sql, args=statement.values)

    def _view(self, parts: Sequence[str]) -> str:
        key = tuple(parts)
        if key not in self._views:
            name = f"parts_{next(_SERIAL)}"
            self._read(parts).createOrReplaceTempView(name)
            self._views[key] = name
        return self._views[key]

    def _read(self, parts: Sequence[str]) -> Any:
        """Return the lines of parts, their columns put together by name."""
        paths = [self._within(part) for part in parts]
        reader = self.session.read
        if len(paths) == 1:
            return reader.parquet(*paths)
        try:
            return reader.option("mergeSchema", "true").parquet(*paths)
        except Exception as error:
            if "CANNOT_MERGE" not in str(error):
                raise
            # Amounts with more decimals in one export than in another: each is read by itself, and widened then.
            frames = [reader.parquet(path) for path in paths]
            whole = frames[0]
            for frame in frames[1:]:
                whole = whole.unionByName(frame, allowMissingColumns=True)
            return whole

    def _within(self, part: str) -> str:
        if self._elsewhere is not None and (uri := self._elsewhere.uri_of(Path(part))):
            return uri
        path = self._reached(Path(part))
        if not path.is_file():
            raise EngineError(Mistake("the store lacks a part", got=str(path), next_step=_AGAIN))
        return as_no_pattern(_uri(path))

    def _reached(self, part: Path) -> Path:
        path = part.resolve()
        if not any(path.is_relative_to(folder) for folder in self._reach):
            what = "a file of the book or its store leads out of it, and was not read"
            raise EngineError(Mistake(what, got=str(path)))
        return path

    def _progress(self) -> float:
        """Return how far the tasks are that are known of, in percent; -1 where none runs."""
        with suppress(Exception):
            tracker = self.session.sparkContext.statusTracker()
            jobs = [tracker.getJobInfo(job) for job in tracker.getActiveJobsIds()]
            stages = [tracker.getStageInfo(stage) for job in jobs if job for stage in job.stageIds]
            tasks = sum(stage.numTasks for stage in stages if stage)
            return 100 * sum(stage.numCompletedTasks for stage in stages if stage) / tasks if tasks else -1.0
        return -1.0


def as_no_pattern(uri: str) -> str:
    """Return what Spark takes for one file, whose name may have signs of a pattern."""
    return re.sub(r"([\[\]{}*?\\])", r"\\\1", uri)


def _uri(path: Path) -> str:
    # A path without more is one of the cluster's own file system.
    return f"file://{path}"


_AGAIN = "if the command does the same again, delete the folder .almanac and run `almanac load`"


@contextmanager
def _told() -> Iterator[None]:
    """Tell of what Spark could not do in one line."""
    try:
        yield
    except Exception as error:
        if type(error).__module__.split(".")[0] not in _SPARKS:
            raise
        raise _mistake(error) from error


@contextmanager
def _watched(session: Any) -> Iterator[None]:
    """End a statement that no executor takes for long, which a cluster without any would let wait for ever."""
    context = None if type(session).__module__.startswith("pyspark.sql.connect") else session.sparkContext
    if context is None or context.master.startswith("local"):
        yield
        return
    done, gone = threading.Event(), threading.Event()

    def watch() -> None:
        waited = 0.0
        while not done.wait(_LOOK):
            # The driver is one of those that hold memory.
            waited = 0.0 if context._jsc.sc().getExecutorMemoryStatus().size() > 1 else waited + _LOOK
            if waited >= _NONE:
                gone.set()
                context.cancelAllJobs()
                return

    watcher = threading.Thread(target=watch, daemon=True)
    watcher.start()
    try:
        yield
    except Exception as error:
        if gone.is_set():
            step = "see whether its workers run and have memory and cores enough for an executor; nothing was changed"
            what = f"no executor of the cluster took the work within {_NONE:.0f} seconds"
            raise EngineError(Mistake(what, next_step=step)) from error
        raise
    finally:
        done.set()


_SPARKS = ("pyspark", "py4j", "grpc")


def _mistake(error: Exception) -> EngineError:
    words = str(error)
    # An error of Java's own stands beneath a line that says only that there is one.
    lines = [line.strip(": ") for line in words.splitlines() if line.strip() and "An error occurred while" not in line]
    first = lines[0] if lines else type(error).__name__
    if type(error).__name__ == "AnalysisException":
        return UnboundError(Mistake("the cluster's engine had to stop", got=first[:300].replace("`", '"')))
    if "ARITHMETIC_OVERFLOW" in words or "NUMERIC_VALUE_OUT_OF_RANGE" in words:
        return EngineError(Mistake("a number becomes too large to be exact", got=first[:90]))
    if found := next((told for sign, told in _PYTHONS.items() if sign in words), ""):
        step = f"install the same of both on every machine; {_PYTHON} says which Python executors run"
        return EngineError(Mistake(found, next_step=step))
    if any(sign in words for sign in ("OutOfMemoryError", "SparkOutOfMemory", "Not enough memory")):
        step = "give its executors or the driver more in the settings, or ask for less at a time; nothing was changed"
        return EngineError(Mistake("the cluster has not memory enough", next_step=step))
    if "No space left on device" in words:
        return EngineError(Mistake("a disk of the cluster is full", next_step="make room on it; nothing was changed"))
    if "maxResultSize" in words:
        step = "ask for less at a time, or let the driver hold more: spark.driver.maxResultSize; nothing was changed"
        return EngineError(Mistake("this brings more lines than the driver may hold", next_step=step))
    if "ExecutorLostFailure" in words or "executor" in first.lower():
        step = "run the command again; if it is so again, see whether they have memory enough; nothing was changed"
        return EngineError(Mistake("the cluster lost the executors that computed this", next_step=step))
    if type(error).__name__ in _GONE:
        step = "see whether it is there, and run the command again; nothing was changed"
        told = re.search(r'details = "([^"]+)"', words)
        return EngineError(
            Mistake("the cluster no longer answers", got=(told[1] if told else first)[:200], next_step=step)
        )
    return EngineError(Mistake("the cluster's engine had to stop", got=first[:300], next_step=_AGAIN))


_PYTHONS = {
    "No module named 'level_almanac'": "the Python of an executor does not have almanac",
    "No module named 'duckdb'": "the Python of an executor does not have all that almanac needs",
    "PYTHON_VERSION_MISMATCH": "the Python of an executor is of another version than the one here",
    "Cannot run program": "an executor does not find its Python",
}
_GONE = ("Py4JNetworkError", "Py4JError", "SparkConnectGrpcException", "_InactiveRpcError", "_MultiThreadedRendezvous")


def _value(value: Any) -> Any:
    """Return a value as DuckDB would bring it: what has names as a dict."""
    if isinstance(value, list):
        return [_value(each) for each in value]
    if isinstance(value, tuple) and hasattr(value, "asDict"):
        return {name: _value(each) for name, each in value.asDict().items()}
    return value


def _type_name(name: str) -> str:
    return _TYPES.get(name, name.upper())


def spark_session(address: str, settings: Mapping[str, str]) -> Any:
    """Return the session of this run: at most one can be had in a process."""
    asked = (address, tuple(sorted(settings.items())))
    for known, session in _SESSIONS.items():
        if known != asked:
            what = "this process computes with another Spark session already"
            raise UsageMistake(Mistake(what, address, known[0], next_step="open such books in processes of their own"))
        return session
    _SESSIONS[asked] = found = _new_session(address, settings)
    return found


def _new_session(address: str, settings: Mapping[str, str]) -> Any:
    # What goes wrong is told in one line, and not as a log of Spark's besides, nor what it thinks of other libraries.
    logging.getLogger("SQLQueryContextLogger").disabled = True
    logging.getLogger().addFilter(_not_of_the_gateway)
    warnings.filterwarnings("ignore", module="pyspark")
    over_the_wire = address.startswith(OVER_THE_WIRE)
    try:
        sql = import_module("pyspark.sql")
        import_module("sqlglot")
        # The thin client has no driver, and Spark by itself not what the client needs.
        import_module("pyspark.sql.connect.session" if over_the_wire else "pyspark.java_gateway")
    except ImportError:
        what = f"to compute with Spark at {address}, packages are needed that are not installed"
        extra = "spark-connect" if over_the_wire else "spark"
        raise UsageMistake(Mistake(what, next_step=f"pip install 'level-almanac[{extra}]'")) from None
    tell(f"asking Spark at {address}")
    _there(address)
    configured = {**settings, **_EXACT}
    if over_the_wire:
        session = _connected(sql, address, configured)
    else:
        session = _started(sql, address, {**_QUIET, **configured})
    atexit.register(_ended, session)
    return session


def _not_of_the_gateway(record: logging.LogRecord) -> bool:
    """Tell whether a record is of another than the gateway to Java, which logs in no name that a statement ended."""
    return "py4j" not in record.pathname


def _ended(session: Any) -> None:
    with suppress(Exception):
        session.stop()


def _there(address: str) -> None:
    """Raise EngineError where nothing listens at the address of a cluster, which Spark would find out in minutes."""
    for part in address.split(",") if "://" in address else ():
        told = urlsplit(part if "://" in part else f"spark://{part}")
        if told.scheme not in _PORTS:
            return
        try:
            socket.create_connection((told.hostname or "", told.port or _PORTS[told.scheme]), timeout=_WAIT).close()
        except OSError as error:
            failed = error
        else:
            return
    if "://" in address:
        step = "see whether it runs and is reached from here, or compute on this machine with --engine duckdb"
        raise EngineError(Mistake("no cluster answers", got=f"{address}: {failed}", next_step=step)) from failed


def _connected(sql: Any, address: str, settings: Mapping[str, str]) -> Any:
    if fixed := [name for name in settings if not name.startswith("spark.sql.")]:
        what = "of a cluster that is asked by Spark Connect only what begins with spark.sql can be set from here"
        raise UsageMistake(Mistake(what, address, listed(fixed), next_step="set it where the cluster is started"))
    with _told():
        session = sql.SparkSession.builder.remote(address).getOrCreate()
        # By itself the client tries again for ten minutes where a server is gone.
        retries = import_module("pyspark.sql.connect.client.retries")
        session.client.set_retry_policies([retries.DefaultPolicy(max_retries=_TRIES)])
        for name, value in settings.items():
            session.conf.set(name, value)
    return session


def _started(sql: Any, address: str, settings: Mapping[str, str]) -> Any:
    """Start Spark's driver beside this process. What it says of itself goes into a file that is gone when it ends."""
    gateway = import_module("pyspark.java_gateway")
    pyspark = import_module("pyspark")
    work = tempfile.mkdtemp(prefix="almanac-spark-")
    atexit.register(_removed, work)
    own = {
        "spark.app.name": "almanac",
        "spark.master": address,
        "spark.sql.warehouse.dir": str(Path(work, "warehouse")),
        "spark.local.dir": work,
        "spark.driver.memory": "2g",
        "spark.driver.defaultJavaOptions": _java_options(address, work),
        **_near(address),
        **_small(address),
    }
    # Without more it would be whatever is called python3 there.
    os.environ.setdefault(_PYTHON, sys.executable)
    configuration = pyspark.SparkConf(loadDefaults=False)
    for name, value in {**own, **settings}.items():
        configuration.set(name, value)
    log = Path(work, "log")
    try:
        with log.open("wb") as said:
            started = gateway.launch_gateway(configuration, {"stdout": said, "stderr": said})
        pyspark.SparkContext._ensure_initialized(gateway=started)
        return sql.SparkSession.builder.config(conf=configuration).getOrCreate()
    except Exception as error:
        lines = log.read_text(encoding="utf-8", errors="replace").splitlines()
        raise _not_started(address, lines, error) from error


def _not_started(address: str, lines: Sequence[str], error: Exception) -> EngineError:
    told = [line for line in lines if re.search(r"\b(Exception|Error|ERROR|JAVA_HOME)\b", line)]
    got = (told or str(error).splitlines() or [type(error).__name__])[0].strip(" .")[:300]
    step = "see whether Java 17 or later is installed (JAVA_HOME says where), and what the cluster's own log tells"
    return EngineError(Mistake("Spark did not start", address, got, next_step=step))


def _java_options(address: str, work: str) -> str:
    # What the driver leaves of itself is gone with the folder.
    options = f"-Djava.io.tmpdir={work}"
    # Where others compute it only plans, once each, so that to compile its code well is not worth the time.
    return options if address.startswith("local") else f"{options} -XX:TieredStopAtLevel=1 -XX:+UseSerialGC"


def _near(address: str) -> dict[str, str]:
    """Return what keeps a driver to this machine, where the cluster is on it."""
    host = urlsplit(address).hostname if "://" in address else "localhost"
    if host in ("localhost", "127.0.0.1", "::1") or address.startswith("local"):
        return {"spark.driver.host": "127.0.0.1", "spark.driver.bindAddress": "127.0.0.1"}
    return {}


def _small(address: str) -> dict[str, str]:
    """Return what keeps Spark on this machine from dividing a few lines into as many pieces as a cluster would."""
    told = re.fullmatch(r"local\[(\d+|\*)\]", address)
    if told is None:
        return {}
    cores = (os.cpu_count() or 1) if told[1] == "*" else int(told[1])
    return {"spark.sql.shuffle.partitions": str(2 * cores)}


def _removed(folder: str) -> None:
    shutil.rmtree(folder, ignore_errors=True)
