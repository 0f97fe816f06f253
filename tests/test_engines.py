"""Which engine computes a book, and where its store lies: said by a person alone, and in one line where it cannot be."""

import importlib
import json
import pickle
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from conftest import ENVIRONMENT, Ran, copied, run_almanac, run_installed
from level_almanac import __version__
from level_almanac.errors import BookMistake, Mistake, UsageMistake
from level_almanac.files.engines import EngineChoice, chosen_engine
from level_almanac.store.engine import EngineError, WritingEngine
from level_almanac.store.engines import spark_engine
from level_almanac.store.engines.duckdb_engine import DuckDBEngine
from level_almanac.store.engines.spark_crew import done
from level_almanac.store.state import State, Store


@pytest.fixture
def settings(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    path = tmp_path / "settings.toml"
    monkeypatch.setenv("ALMANAC_SETTINGS", str(path))
    monkeypatch.setitem(ENVIRONMENT, "ALMANAC_SETTINGS", str(path))
    return path


def test_the_option_counts_before_the_variable_and_that_before_the_settings(
    settings: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    root = tmp_path / "books" / "one"
    assert chosen_engine(root) == EngineChoice()
    settings.write_text(
        f"""engine = "local[1]"
        session = {{ "spark.executor.memory" = "1g", "spark.cores.max" = "4" }}
        [books."{tmp_path / "books"}"]
        engine = "spark://head.example:7077"
        session = {{ "spark.executor.memory" = "8g" }}
        [books."{tmp_path}"]
        engine = "duckdb"
        """
    )
    session = {"spark.executor.memory": "8g", "spark.cores.max": "4"}
    assert chosen_engine(root) == EngineChoice("spark://head.example:7077", session)
    assert not chosen_engine(tmp_path / "elsewhere").address
    assert chosen_engine(Path("/")).address == "local[1]"
    monkeypatch.setenv("ALMANAC_ENGINE", "sc://head.example")
    assert chosen_engine(root) == EngineChoice("sc://head.example", session)
    assert chosen_engine(root, "local[2]").address == "local[2]"
    assert not chosen_engine(root, "duckdb").address


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("engine = 'sparks://head:7077'", "settings.toml: engine: no engine has such an address: 'sparks://head:7077'; expected duckdb, local[2], spark://HOST:PORT or sc://HOST:PORT"),
        ("engine = 2", "settings.toml: engine: this has to be a text: 2; expected an address"),
        ("engin = 'duckdb'", "settings.toml: engin: there is no such setting; expected engine, session or books; did you mean 'engine'?"),
        ("session = { 'spark.executor.memry' = '2g' }", "settings.toml: session: this of a Spark session cannot be set here: 'spark.executor.memry'"),
        ("session = { 'spark.executor.extraJavaOptions' = '-javaagent:x.jar' }", "this of a Spark session cannot be set here: 'spark.executor.extraJavaOptions'"),
        ("session = { 'spark.executor.memory' = 2 }", "settings.toml: session.spark.executor.memory: this has to be a text: 2; expected such as \"4g\""),
        ("books = 1", "settings.toml: books: this is no table: 1"),
        ("[books.'near']\nengine = 'duckdb'", "settings.toml: books: the path of a book has to be whole: near"),
        ("[books.'/']\nstore = 'near'", "settings.toml: store: the path of a store has to be whole: near"),
        ("[books.'/']\nstroe = '/x'", "settings.toml: books./.stroe: there is no such setting; expected engine, session, store or parts; did you mean 'store'?"),
        ("[books.'/']\nparts = '/shared/parts'", "settings.toml: parts: this is no such place: '/shared/parts'; expected a URI that Spark reads and writes, such as s3a://"),
        ("engine = ", "settings.toml: your settings file cannot be read: "),
    ],
)  # fmt: skip
def test_what_is_wrong_in_the_settings_is_one_line(settings: Path, demo: Path, text: str, message: str) -> None:
    settings.write_text(text)
    ran = run_almanac("trial", book=demo)
    assert ran.code in (2, 3)
    assert message in ran.err
    assert ran.err.count("\n") == 1


def test_a_book_says_nothing_of_its_engine(demo: Path, tmp_path: Path) -> None:
    book = copied(demo, tmp_path / "book")
    with (book / "almanac.toml").open("a") as file:
        file.write('\n[engine]\naddress = "sc://somewhere.example"\n')
    ran = run_almanac("trial", book=book)
    assert (ran.code, "engine" in ran.err) == (3, True), ran.err


@pytest.mark.parametrize(("address", "extra"), [("local[2]", "spark"), ("sc://head.example", "spark-connect")])
def test_without_spark_a_line_says_what_to_install(
    demo: Path, monkeypatch: pytest.MonkeyPatch, address: str, extra: str
) -> None:
    def missing(name: str) -> None:
        raise ImportError(name)

    monkeypatch.setattr(spark_engine, "import_module", missing)
    monkeypatch.setattr(spark_engine, "_SESSIONS", {})
    with pytest.raises(UsageMistake) as told:
        spark_engine.SparkEngine(address, {}, [demo])
    assert str(told.value) == (
        f"to compute with Spark at {address}, packages are needed that are not installed; "
        f"pip install 'level-almanac[{extra}]'"
    )


def facts(ran: Ran) -> dict[str, str]:
    assert ran.code == 0, ran.err
    return dict(json.loads(ran.out)["facts"])


def test_json_says_what_computed_a_report(demo: Path) -> None:
    duckdb = importlib.import_module("duckdb")
    for words in (("trial",), ("trace", "trial", "--row", "12110", "--column", "closing")):
        assert facts(run_almanac(*words, "--print", "json", book=demo))["engine"] == f"DuckDB {duckdb.__version__}"


def test_the_store_lies_where_the_settings_say(settings: Path, demo: Path, tmp_path: Path) -> None:
    book, store = copied(demo, tmp_path / "book", ".almanac"), tmp_path / "shared" / "store"
    settings.write_text(f'[books."{book}"]\nstore = "{store}"\n')
    before = run_almanac("trial", book=book)
    assert (before.code, "nothing is loaded yet" in before.err) == (3, True)
    assert run_installed("load", "--through", "2026-06-17", book=book).code == 0
    assert list((store / "parts").glob("*.parquet"))
    assert not (book / ".almanac").exists()
    here = run_installed("trial", book=book)
    assert here.out.split("loaded")[0] == run_almanac("trial", book=demo).out.split("loaded")[0]
    assert run_installed("page", "save", "mine/trial", book=book).code == 0
    # Another book's store is neither read nor written.
    other = copied(book, tmp_path / "other")
    text = (other / "almanac.toml").read_text()
    (other / "almanac.toml").write_text(text.replace('name = "Skellan books"', 'name = "Other books"', 1))
    settings.write_text(f'[books."{other}"]\nstore = "{store}"\n')
    for words in (("trial",), ("load",)):
        refused = run_almanac(*words, book=other)
        assert refused.code == 3
        assert (
            f"{store}: this store is another book's: Skellan books (LINE, YARD); expected Other books (LINE, YARD)"
            in refused.err
        )


def test_parts_at_a_uri_are_read_by_spark_alone(settings: Path, demo: Path) -> None:
    parts = sorted((demo / ".almanac" / "parts").iterdir())
    for engine, why in (
        ("duckdb", "only Spark reads the parts of this store; name a cluster: --engine spark://HOST:PORT"),
        (
            "sc://head.example",
            "parts at a URI are not reached by Spark Connect: sc://head.example; keep them in a folder",
        ),
    ):
        settings.write_text(f'[books."{demo}"]\nengine = "{engine}"\nparts = "s3a://bucket/skellan"\n')
        for words in (("trial",), ("load", "--look")):
            refused = run_installed(*words, book=demo)
            assert (refused.code, refused.out) == (2, "")
            assert refused.err.startswith(f"almanac: s3a://bucket/skellan: {why}")
            assert refused.err.count("\n") == 1
    assert sorted((demo / ".almanac" / "parts").iterdir()) == parts


class Kept:
    """Parts elsewhere: what lies there, each with the time of its last change."""

    uri = "lake://skellan"

    def __init__(self, times: dict[str, float]) -> None:
        self.times = times

    def names(self) -> dict[str, float]:
        return self.times

    def remove(self, name: str) -> None:
        del self.times[name]


def test_of_what_lies_at_a_uri_only_old_parts_that_no_state_names_are_let_go_of(tmp_path: Path) -> None:
    named, gone, begun = (
        f"{table}-{digit * 32}.parquet" for table, digit in (("rollup", "a"), ("ledger", "b"), ("wide", "c"))
    )
    begun += ".new-1"
    others = {"book": 0.0, "report.parquet": 0.0, "ledger-b.csv": 0.0}
    there: Any = Kept({named: 0.0, gone: 0.0, begun: 0.0, f"ledger-{'d' * 32}.parquet": time.time(), **others})
    with Store(tmp_path / "store", elsewhere=there).writing():
        Store(tmp_path / "store", elsewhere=there).put_in_force(
            State(loaded_at=datetime.now(UTC), rules="", rollup=named)
        )
    assert set(there.times) == {named, f"ledger-{'d' * 32}.parquet", *others}


def counted(engine: WritingEngine, scratch: Path, item: str) -> tuple[int, bool]:
    """Stand for work that an executor does."""
    if item == "wrong":
        raise BookMistake(Mistake("wrong", "x.csv:2"), total=7)
    if item == "gone":
        (scratch / "gone" / "x").read_bytes()
    ((number,),) = engine.rows("select length($item)", {"item": item})
    return number, scratch.is_dir()


def test_what_an_executor_made_or_met_comes_back(tmp_path: Path) -> None:
    common = pickle.dumps((counted, (tmp_path,), "100MB"))

    def answer(item: str, version: str = __version__) -> tuple[Any, ...]:
        return tuple(pickle.loads(done(version, common, pickle.dumps(item))))  # noqa: S301, it is our own

    assert answer("four") == ((4, True),)
    assert answer("wrong") == (None, BookMistake, (Mistake("wrong", "x.csv:2"),), 7)
    (_, kind, (mistake,), _) = answer("gone")
    assert kind is EngineError
    assert "an executor cannot read or write a file" in str(mistake)
    assert "under the same path" in str(mistake)
    (_, kind, mistakes, _) = answer("four", "9.9")
    assert (kind, str(mistakes[0])) == (
        EngineError, f"the almanac of an executor is of another version than the one here: {__version__}; expected 9.9",
    )  # fmt: skip


@pytest.mark.parametrize(
    ("words", "message"),
    [
        ("ModuleNotFoundError: No module named 'level_almanac'", "the Python of an executor does not have almanac"),
        ("[PYTHON_VERSION_MISMATCH] Python in worker", "the Python of an executor is of another version than the one here"),
        ('java.io.IOException: Cannot run program "/opt/py"', "an executor does not find its Python"),
    ],
)  # fmt: skip
def test_an_executor_without_what_a_load_needs_is_one_line(words: str, message: str) -> None:
    told = spark_engine._mistake(RuntimeError(f"Job aborted due to stage failure\n{words}"))
    assert str(told) == (
        f"{message}; install the same of both on every machine; PYSPARK_PYTHON says which Python executors run"
    )


def test_engines_that_share_a_machine_share_its_memory_and_reach_the_same(tmp_path: Path) -> None:
    (tmp_path / "within").mkdir()
    (tmp_path / "beyond.csv").write_text("a\n1\n")
    engine = DuckDBEngine([tmp_path / "within"], tmp_path / "within", "1200MB")
    other = engine.apart(2)
    asked = "select current_setting('memory_limit')"
    assert (engine.rows(asked), other.rows(asked)) == ([("1.1 GiB",)], [("572.2 MiB",)])
    for each in (engine, other):
        with pytest.raises(EngineError, match="leads out of it"):
            each.rows("select * from read_csv($path)", {"path": str(tmp_path / "beyond.csv")})
        each.close()
